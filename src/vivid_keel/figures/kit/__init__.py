"""Pictures of the kit: every check as it is done, drift, budgets and advice."""

from __future__ import annotations

from collections.abc import Callable

from vivid_keel.core.instruments.outcome import Step
from vivid_keel.core.instruments.tool import CheckRun
from vivid_keel.figures.display import Picture
from vivid_keel.figures.kit import devices, ground, lasers, vials, water
from vivid_keel.figures.kit.certificate import certificate

DRAW: dict[str, Callable[[Picture, CheckRun, Step | None, float | None], None]] = {
    "reversal": vials.reversal,
    "plumb": vials.reversal,
    "straightness": vials.straightness,
    "two-peg": ground.pegs,
    "cone": ground.pegs,
    "field": ground.field,
    "circular": devices.circular,
    "plate": devices.plate,
    "axes": lasers.axes,
    "line": lasers.fan,
    "line-plumb": lasers.plumb_line,
    "tube": water.tube,
    "hydrostatic": water.hydrostatic,
    "string": devices.string,
    "plumb-frame": devices.plumb_frame,
    "staff": devices.staff,
    "certificate": certificate,
}


def check_picture(
    run: CheckRun, active: Step | None, typed: float | None, width: float, height: float
) -> Picture:
    """Return a check as it is done, with what is booked and the value being typed at the step in hand."""
    picture = Picture(width, height)
    picture.caption = run.procedure.title
    DRAW[run.procedure.key](picture, run, active, typed)
    return picture


__all__ = ["check_picture"]
