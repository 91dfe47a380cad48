"""A stand-in as it is seen: the bubble running, the staff in the telescope, the number on its display."""

from __future__ import annotations

import math
from datetime import date

from vivid_keel.core.instruments.outcome import Step, show_in
from vivid_keel.core.quantities import is_missing
from vivid_keel.figures.display import Drag, Picture
from vivid_keel.figures.kit.shapes import rule_with_hand
from vivid_keel.figures.kit.vials import HALF, draw_vial, surface


def as_seen(
    step: Step | None,
    value: float,
    slope: float,
    reach: float,
    width: float,
    height: float,
    *,
    settled: bool,
    mark: float | None = None,
    what: str = "Stand-in",
) -> Picture:
    """Return what the person in front of the stand-in, or of what is called so, sees at a step.

    Parameters
    ----------
    value : float
        What it shows at this moment, in the step's unit; nan: nothing.
    slope : float
        Of the surface under a level [div].
    settled : bool
        Whether it has come to rest.
    mark : float, optional
        Where the reading in hand stands: dragged or typed [div].
    """
    picture = Picture(width, height)
    if step is None:
        picture.text(width / 2, height / 2, "Every step is booked.", "muted", 15, align="centre")
        return picture
    picture.text(14, 24, f"{what}: {step.title}", "ink", 15, bold=True)
    picture.text(
        width - 14,
        24,
        "at rest"
        if settled
        else "nothing heard"
        if step.unit == "tilt" and is_missing(value)
        else "still running, hands off",
        "in" if settled else "lower",
        14,
        bold=True,
        align="right",
    )
    if step.unit in {"div", "words"} and (step.unit == "div" or step.words[:1] == ("same",)):
        body = min(110.0, height - 140)
        x, w, y = 40.0, width - 80, (height - body) / 2 - 6
        surface(picture, x, y + body + 9, w, slope)
        one = draw_vial(picture, x, y, w, body, reach, value)
        at = x + w / 2 + (mark or 0.0) * one
        for side in (-HALF, HALF):
            picture.line(
                at + side * one,
                y - 10,
                at + side * one,
                y + body * 0.74,
                "keel",
                2.0 if mark is not None else 1.4,
                dash=True,
            )
        middle = x + w / 2 + (mark if mark is not None else 0.0) * one
        picture.drag = Drag(
            middle,
            1 / one,
            mark if mark is not None else 0.0,
            across=True,
            grip=max(20.0, HALF * one),
            span=(y - 10, y + body + 10),
        )
        picture.text(
            width / 2,
            height - 14,
            "drag the two dashed hairs to the bubble's ends, or type where its middle stands",
            "muted",
            13,
            align="centre",
        )
    elif step.unit == "tilt":
        _display(picture, "–" if is_missing(value) else show_in(value, "tilt", 0.00005), width, height)
    elif step.unit in {"m", "mm"}:
        span = 0.02
        digits = 3 if step.unit == "m" else 1
        shown, wide = (value, span) if step.unit == "m" else (value * 1000, span * 1000)
        rule_with_hand(picture, 50, height / 2 - 30, width - 140, shown, step.unit, wide, digits)
        picture.text(
            width / 2, height - 14, "read the scale at the hand, and type it", "muted", 13, align="centre"
        )
    elif step.unit == "words":
        _display(picture, step.words[0] if math.isnan(value) else "", width, height)
        picture.text(width / 2, height - 14, f"answer {' or '.join(step.words)}", "muted", 13, align="centre")
    elif step.unit == "day":
        _display(picture, f"{date.fromordinal(int(value)):%-d %b %Y}", width, height)
    else:
        unit = {"distance": "m", "h": "h", "s": "s"}.get(step.unit, step.unit)
        _display(picture, f"{value:g} {unit}", width, height)
    picture.caption = f"{what}, {step.title}: {'at rest' if settled else 'running'}"
    return picture


def _display(picture: Picture, text: str, width: float, height: float) -> None:
    picture.box(width / 2 - 150, height / 2 - 44, 300, 88, "stone", "ink", 1.6)
    picture.box(width / 2 - 130, height / 2 - 30, 260, 60, "glass", "ink", 1.2)
    picture.text(width / 2, height / 2 + 11, text, "ink", 30, bold=True, align="centre")


def screw(value: float, target: float, slope: float, reach: float, width: float, height: float) -> Picture:
    """Return the level in its second position with the bubble that follows its adjusting screw, and the dashed place."""
    picture = Picture(width, height)
    picture.text(
        14,
        24,
        "Stand-in, second position: turn its screw till the bubble stands in the dashed outline",
        "ink",
        15,
        bold=True,
    )
    body = min(110.0, height - 140)
    x, w, y = 40.0, width - 80, (height - body) / 2 - 6
    surface(picture, x, y + body + 9, w, slope)
    one = draw_vial(picture, x, y, w, body, reach, value, target=target, live=True)
    picture.drag = Drag(
        x + w / 2 + value * one, 1 / one, value, across=True, grip=max(20.0, HALF * one), span=(y, y + body)
    )
    picture.text(
        width / 2,
        height - 14,
        "drag the bubble, or arrow keys left and right: each press is a little of the screw",
        "muted",
        13,
        align="centre",
    )
    picture.caption = "Adjusting screw"
    return picture
