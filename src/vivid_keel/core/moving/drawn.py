"""The target as a line that a hand takes hold of: raised, or tipped about the beginning of the rows.

Source: a line raised or turned about its beginning.
"""

from __future__ import annotations

from typing import TYPE_CHECKING

import numpy as np

from vivid_keel.core.moving.plan import TargetChoice
from vivid_keel.core.moving.result import Moved
from vivid_keel.core.moving.scale import signs

if TYPE_CHECKING:
    import numpy.typing as npt

    Floats = npt.NDArray[np.float64]

STEEPEST = 0.2
"""No floor falls by more than this [1]."""
DIGITS = 4
"""A tipped line goes by tenths of a millimetre in a metre."""


def raised(result: Moved, height: float) -> TargetChoice:
    """Return the target with its line at a height [m]: a level one as a reading to the step that is read, a plane as a fall."""
    book = result.book
    if book.target.plane and not np.isnan(result.target):
        gradient, lift = as_fall(result)
        return TargetChoice("fall", gradient=gradient, lift=lift + height - result.target)
    step = book.style.step
    reading = round(float(signs([book.limits.sense])[0]) * height / step) * step
    return TargetChoice("height", reading=reading)


def tipped(result: Moved, gradient: float) -> TargetChoice | None:
    """Return the target turned about the beginning of the rows to gain `gradient` [m/m] along them; None where it can't be."""
    known = ~np.isnan(result.heights)
    if np.isnan(result.target) or abs(gradient) > STEEPEST:
        return None
    along = round(gradient, DIGITS)
    (was, across), lift = as_fall(result)
    xy, heights = _places(result)[known], result.heights[known]
    first = float(xy[:, 0].min())
    # The fall hangs on the post standing highest against it: the end of the line stays where it is all the same.
    stood = float((heights - xy @ np.array([was, across])).max()) + lift + was * first
    would = float((heights - xy @ np.array([along, across])).max()) + along * first
    return TargetChoice("fall", gradient=(along, across), lift=stood - would)


def as_fall(result: Moved) -> tuple[tuple[float, float], float]:
    """Return the target as a fall: its gradients along and across [1], and how far it lies above the post that stands
    highest against it [m]."""
    target = result.book.target
    if target.kind == "fall":
        return target.gradient, target.lift
    known = ~np.isnan(result.targets) & ~np.isnan(result.heights)
    xy, to = _places(result)[known], result.targets[known]
    gradient: Floats = np.zeros(2)
    if np.ptp(to) >= 1e-12:
        gradient = np.asarray(
            np.linalg.lstsq(np.column_stack([xy, np.ones(len(xy))]), to, rcond=None)[0][:2], dtype=np.float64
        )
    rest = result.heights[known] - xy @ gradient
    return (float(gradient[0]), float(gradient[1])), float((to - xy @ gradient).mean()) - float(rest.max())


def _places(result: Moved) -> Floats:
    return np.array([(point.x, point.y) for point in result.book.points], dtype=np.float64).reshape(-1, 2)
