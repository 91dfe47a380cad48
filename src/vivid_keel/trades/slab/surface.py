"""The whole surface of a table by a level stepped along eight lines: both long sides and both short ones, the diagonals, the middles.

Source: tilts stepped along lines that cross, fitted together as heights of every place the level's feet stood on (`core/body`); the
flatness is the least band between two parallel planes, measured plumb.
"""

from __future__ import annotations

import math
from collections.abc import Mapping
from functools import cached_property
from typing import TYPE_CHECKING

import numpy as np
from msgspec import Struct

from vivid_keel.core.body.facts import u_of_a_reading
from vivid_keel.core.body.model import FREE, Adjusted, Body, Tilt, adjust
from vivid_keel.core.body.standing import DISAGREE, LEVEL
from vivid_keel.core.bounds import Bounds, least_band
from vivid_keel.core.errors import KeelError
from vivid_keel.core.facts import Fact, Stated
from vivid_keel.core.kinds import Finding
from vivid_keel.core.moving.picking import least_bands
from vivid_keel.core.moving.targets import Target, work_out
from vivid_keel.core.proof import VERDICT_WORDS
from vivid_keel.core.quantities import LengthStyle, show_amount, show_number

if TYPE_CHECKING:
    import numpy.typing as npt

    Floats = npt.NDArray[np.float64]

SURFACE_FACTS = (
    Fact("long", "Surface, long side", "m", "0", "0: its surface isn't measured", 0.0, 20),
    Fact("wide", "Surface, short side", "m", "0", "", 0.0, 20),
    Fact("base", "Base of the level", "m", "0.2", "it is stepped along each line by about so much", 0.02),
    Fact("flat", "Flatness allowed", "mm", "0.05", "the least band that holds the whole surface"),
)
"""What is asked of a surface that is measured."""
LINES = ("A–B", "D–C", "A–D", "B–C", "A–C", "D–B", "middle, lengthwise", "middle, crosswise")
SOURCE_OF_ZERO = 0.01
"""A level's own error of which nothing is known [rad]: the diagonals tell it, for they are shorter than the way round."""


class Stepped(Struct, frozen=True):
    """Where the level stands on a line: the line's number, the step's; `way` −1 with it turned round."""

    line: int
    step: int
    way: int = 1


class SurfaceRead(Struct, frozen=True):
    """What it showed: a tilt [rad], + the end it goes to high; its text and entry."""

    id: int
    tilt: float
    text: str


class Surface(Struct, frozen=True, dict=True):
    """A surface by what was read on it."""

    facts: Stated
    read: Mapping[Stepped, SurfaceRead]
    style: LengthStyle

    @property
    def measured(self) -> bool:
        """Whether it is to be measured: its sides are known."""
        return self.facts.values["long"] > 0 and self.facts.values["wide"] > 0

    @property
    def ends(self) -> list[tuple[tuple[float, float], tuple[float, float]]]:
        """Where each line begins and ends [m]."""
        x, y = self.facts.values["long"], self.facts.values["wide"]
        a, b, c, d = (0.0, 0.0), (x, 0.0), (x, y), (0.0, y)
        return [
            (a, b),
            (d, c),
            (a, d),
            (b, c),
            (a, c),
            (d, b),
            ((0.0, y / 2), (x, y / 2)),
            ((x / 2, 0.0), (x / 2, y)),
        ]

    def steps(self, line: int) -> int:
        """How many times the level is stepped along a line: an even number, so that the lines meet at their middles."""
        return 2 * max(1, round(math.dist(*self.ends[line]) / 2 / self.facts.values["base"]))

    @property
    def wanted(self) -> list[Stepped]:
        """Where it stands, in the order of work."""
        return (
            [Stepped(line, k) for line in range(len(LINES)) for k in range(self.steps(line))]
            if self.measured
            else []
        )

    def where(self, at: Stepped) -> str:
        """A place in words."""
        return f"{LINES[at.line]}, {at.step + 1} of {self.steps(at.line)}"

    @cached_property
    def nodes(self) -> tuple[list[tuple[float, float]], dict[tuple[int, int], int]]:
        """Every place that the level's feet stand on [m], and which it is by line and number along it."""
        places: list[tuple[float, float]] = []
        at: dict[tuple[int, int], int] = {}
        known: dict[tuple[int, int], int] = {}
        for line, (start, to) in enumerate(self.ends):
            n = self.steps(line)
            for k in range(n + 1):
                x, y = (s + (t - s) * k / n for s, t in zip(start, to, strict=True))
                key = (round(x * 1e4), round(y * 1e4))
                if key not in known:
                    known[key] = len(places)
                    places.append((x, y))
                at[line, k] = known[key]
        return places, at

    @cached_property
    def _fitted(self) -> tuple[Adjusted | None, KeelError | None]:
        if not self.measured or len(self.lacking) == len(self.wanted):
            return None, None
        if self.lacking:
            return None, KeelError(
                "not-observable", f"{len(self.lacking)} places of the surface are still to be read"
            )
        places, at = self.nodes
        u = u_of_a_reading(self.facts.values)
        seen = [
            Tilt(LEVEL, at[s.line, s.step], at[s.line, s.step + 1], s.way, self.read[s].tilt, u)
            for s in self.laid
        ]
        body = Body([f"{k}" for k in range(len(places))], np.array(places), FREE)
        try:
            return adjust(body, seen, {LEVEL: (0.0, SOURCE_OF_ZERO)}), None
        except KeelError as error:
            return None, error

    @property
    def body(self) -> Adjusted | None:
        """Its heights; None while they aren't all read."""
        return self._fitted[0]

    @property
    def laid(self) -> list[Stepped]:
        """Where it was read, of what there is: a base changed since leaves others."""
        return [s for s in self.read if s.line < len(LINES) and s.step < self.steps(s.line)]

    @property
    def lacking(self) -> list[Stepped]:
        """Where it is still to be read."""
        return [s for s in self.wanted if s not in self.read]

    @cached_property
    def off(self) -> Floats:
        """How far every place stands off the plane midway in the least band (n,) [m]."""
        assert self.body is not None
        names = [str(k) for k in range(len(self.nodes[0]))]
        plane = work_out(names, self.body.heights, Target("minimum-zone"), np.array(self.nodes[0])).target
        return np.asarray(self.body.heights - plane)

    @cached_property
    def flatness(self) -> Bounds:
        """The least band, and between what it lies [m]."""
        assert self.body is not None
        xy = np.array(self.nodes[0])
        plane = np.column_stack([np.ones(len(xy)), xy])
        away = np.eye(len(xy)) - plane @ np.linalg.pinv(plane)
        c = away @ self.body.covariance @ away.T
        return least_band(self.off, c, lambda heights: least_bands(heights, xy))


def surface_findings(surface: Surface) -> list[Finding]:
    """Return what there is to say of a surface."""
    if not surface.measured:
        return []
    if surface.body is None:
        read = len(surface.wanted) - len(surface.lacking)
        if not read:
            return []
        return [
            Finding(
                "todo",
                f"{len(surface.lacking)} places of the surface to read",
                "The eight lines close at their crossings once all are read; only then is the surface told.",
                action="surface",
                action_label="Go on reading",
            )
        ]
    flat = surface.flatness
    allowed = surface.facts.values["flat"]
    verdict = flat.verdict(allowed)
    style, xy = surface.style, surface.nodes[0]
    high, low = (xy[int(k)] for k in (surface.off.argmax(), surface.off.argmin()))
    out = [
        Finding(
            verdict,
            f"Flat to {show_amount(flat.value, style, 2)}",
            f"{flat.show(lambda width: show_amount(width, style, 2))}; {show_amount(allowed, style, 2)} allowed: {VERDICT_WORDS[verdict]}. Highest at {style.place(high[0])}, {style.place(high[1])}; lowest at {style.place(low[0])}, {style.place(low[1])} {style.far}.",
        )
    ]
    factor = surface.body.variance_factor
    if factor is not None and factor > DISAGREE:
        worst = max(
            zip(surface.body.residuals, surface.laid, strict=True), key=lambda pair: abs(float(pair[0]))
        )[1]
        out.append(
            Finding(
                "open",
                "The lines don't close at their crossings",
                f"They scatter {show_number(math.sqrt(factor), 1)} times more than this level should. Read {surface.where(worst)} again first.",
                action="surface",
                action_label="Go to the readings",
            )
        )
    return out
