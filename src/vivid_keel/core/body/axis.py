"""An axis of rotation by a level that stays on the turning part and is read all round.

Source: least squares of y(φ) = z + A·cos φ + B·sin φ (+ C·cos 2φ + D·sin 2φ): z turns along and is harmless, (A, B) is the axis' tilt,
the second harmonic the bearing's own wobble, which no foot cures.
"""

from __future__ import annotations

import math
from collections.abc import Sequence
from typing import TYPE_CHECKING

import numpy as np
from msgspec import Struct

from vivid_keel.core.errors import KeelError

if TYPE_CHECKING:
    import numpy.typing as npt

    Floats = npt.NDArray[np.float64]

SAME = 1e-3
"""Azimuths nearer than this are one, and two that are opposite to within it are opposite [rad]."""
WOBBLE_FROM = 6
"""The second harmonic is told from so many different azimuths up."""
TOLD = 3.0
"""A second harmonic of so many u is believed: noise alone makes one in one round of a hundred."""


UPRIGHT = 1e-12
"""What leans less than this [rad] has no side to which it leans: only a machine's last bits would tell one."""


class Axis(Struct, frozen=True):
    """An axis as it was read.

    Attributes
    ----------
    zero : float
        The level's own zero and the lean of what it lies on [rad]: the one number to which it is brought everywhere.
    x, y : float
        Tilt of the axis along azimuths 0 and π/2 [rad], + that side high.
    twice : (float, float) or None
        Second harmonic, cosine and sine [rad]: the bearing's own; None where too few azimuths tell it.
    line : float
        Azimuth of the line along which alone the tilt is known [rad]; nan where it is known all round.
    covariance : float array (k, k)
        Of zero, x, y and, where they are fitted, both parts of the second harmonic, for readings of u = 1 rad [1].
    residuals : float array (n,)
        Fitted less read [rad].
    """

    zero: float
    x: float
    y: float
    twice: tuple[float, float] | None
    line: float
    covariance: Floats
    residuals: Floats

    @property
    def tilt(self) -> float:
        """How far it leans [rad]."""
        return math.hypot(self.x, self.y)

    @property
    def direction(self) -> float:
        """Azimuth of its high side [rad], from 0 up to 2π; 0 where it stands upright and has none."""
        return math.atan2(self.y, self.x) % (2 * math.pi) if self.tilt > UPRIGHT else 0.0

    @property
    def wobble(self) -> float | None:
        """Amplitude of the second harmonic [rad]; None where too few azimuths tell it."""
        return None if self.twice is None else math.hypot(*self.twice)

    def wobbles_at(self, phi: float, u: float) -> float:
        """What the bearing adds at an azimuth phi [rad] to what the level shows [rad]: 0 where it is no more than what readings of u
        [rad] may make of nothing."""
        if self.twice is None or math.hypot(*self.twice) <= TOLD * u * math.sqrt(
            self.covariance[3:, 3:].max()
        ):
            return 0.0
        return self.twice[0] * math.cos(2 * phi) + self.twice[1] * math.sin(2 * phi)


def read_round(azimuths: Sequence[float], tilts: Sequence[float]) -> Axis:
    """Return an axis by readings all round it.

    Parameters
    ----------
    azimuths, tilts : sequence of float
        Where the level pointed, and what it showed [rad], + its far end high.

    Raises
    ------
    KeelError
        `too-few-azimuths`: neither two opposite ones nor three.
    """
    phi, y = np.array(azimuths, dtype=np.float64), np.array(tilts, dtype=np.float64)
    different = _different(phi)
    if len(different) == 2:
        a, b = different
        if abs((b - a) % (2 * math.pi) - math.pi) > SAME:
            raise KeelError(
                "too-few-azimuths",
                "two azimuths tell an axis only where they are opposite; turn it by half a turn, or read a third",
            )
        return _along_a_line(phi, y, a)
    if len(different) < 2:
        raise KeelError(
            "too-few-azimuths", "one azimuth tells nothing of an axis; turn it by half a turn and read again"
        )
    design = [np.ones(len(phi)), np.cos(phi), np.sin(phi)]
    if len(different) >= WOBBLE_FROM:
        design += [np.cos(2 * phi), np.sin(2 * phi)]
    found, covariance, off = _fitted(np.column_stack(design), y)
    zero, x, tilt_y, *twice = found.tolist()
    return Axis(zero, x, tilt_y, (twice[0], twice[1]) if twice else None, math.nan, covariance, off)


def _different(phi: Floats) -> list[float]:
    """The azimuths that are not one another, in the order in which they were read."""
    out: list[float] = []
    for one in phi.tolist():
        if all(abs(math.remainder(one - other, 2 * math.pi)) > SAME for other in out):
            out.append(one)
    return out


def _along_a_line(phi: Floats, y: Floats, along: float) -> Axis:
    """Two opposite readings: the tilt along their line alone, the other part of it taken as 0."""
    design = np.column_stack([np.ones(len(phi)), np.cos(phi - along)])
    found, cov, off = _fitted(design, y)
    way = np.array([[1.0, 0.0], [0.0, math.cos(along)], [0.0, math.sin(along)]])
    zero, x, tilt_y = (float(v) for v in way @ found)
    return Axis(zero, x, tilt_y, None, along % math.pi, way @ cov @ way.T, off)


def _fitted(design: Floats, y: Floats) -> tuple[Floats, Floats, Floats]:
    """Unknowns, their covariance for readings of one, and fitted less read."""
    found = np.linalg.lstsq(design, y, rcond=None)[0]
    return np.asarray(found), np.asarray(np.linalg.inv(design.T @ design)), np.asarray(design @ found - y)


def feet_for(axis: Axis, feet: Floats, *, raise_only: bool = True) -> Floats:
    """Return how far each foot goes to bring an axis to gravity (n,) [m].

    Parameters
    ----------
    axis : Axis
    feet : float array (n, 2)
        Their places in plan, azimuth 0 along x [m].
    raise_only : bool
        The lowest move is 0; else they sum to 0.
    """
    moves = -(axis.x * feet[:, 0] + axis.y * feet[:, 1])
    return np.asarray(moves - (moves.min() if raise_only else moves.mean()))
