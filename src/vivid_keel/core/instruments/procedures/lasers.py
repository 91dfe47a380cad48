"""Rotating and line lasers: axes, line, and plumb line.

Source: a beam faced from each side of the axis; half the difference is the axis, the rest the cone.
"""

from __future__ import annotations

import math
from collections.abc import Mapping

from vivid_keel.core.errors import KeelError
from vivid_keel.core.instruments.checks.laser import NEAREST, rotary_axis
from vivid_keel.core.instruments.outcome import (
    Found,
    Outcome,
    Procedure,
    Seen,
    Step,
    Traits,
    cycles_of,
    open_cycle,
    resolution,
    show_in,
    value,
)
from vivid_keel.core.instruments.procedures.two_peg import PACED
from vivid_keel.core.instruments.repeats import of_repeats
from vivid_keel.core.working import Working

SIDES = ("xp", "xm", "yp", "ym")
_SIDE = {"xp": "X+", "xm": "X−", "yp": "Y+", "ym": "Y−"}
FANNED = "it lies along the fan: have it adjusted, or read all marks in the middle of the fan"
EDGE = "Mark the same edge of the beam every time."


def _u(tool: Traits, distance: float) -> float:
    """Standard uncertainty of one mark of a beam at a distance [m], its width with it."""
    u = tool.number("u") + tool.number("grows", 0.0) * max(distance - tool.number("from", 0.0), 0.0)
    # A tenth of the beam's width is where one edge can't be told any better.
    return math.hypot(u, 0.1 * tool.number("spot", 0.0) * distance / math.sqrt(3))


class Axes(Procedure):
    """The beam marked on one target with each side of the laser facing it."""

    key, title = "axes", "Axes of a rotating laser"
    purpose = "Turned about, a beam that rises falls by as much."

    def steps(self, tool: Traits, way: str, seen: Mapping[str, Seen]) -> list[Step]:
        out = [
            Step(
                "d",
                "From laser to target",
                "15 m or more; nearer, the spot's own width hides the error.",
                "distance",
                0,
                False,
                (),
                "20",
            )
        ]
        for n in range(1, open_cycle(seen, SIDES) + 1):
            for side in SIDES:
                turn = (
                    "Laser on its stand, this side to the target; wait until it has levelled itself."
                    if side == "xp"
                    else "Turn the laser on its stand; wait."
                )
                out.append(
                    Step(
                        f"{side}/{n}",
                        f"{_SIDE[side]} to the target: height of the beam",
                        f"{turn} {EDGE}",
                        "mm",
                        n,
                        n > 1,
                    )
                )
        return out

    def accepts(self, tool: Traits, way: str, step: Step, value: float, seen: Mapping[str, Seen]) -> None:
        if step.key == "d" and value <= 0:
            raise KeelError("bad-value", "a distance is above 0 m")

    def outcome(self, tool: Traits, way: str, seen: Mapping[str, Seen]) -> Outcome:
        d, n = value(seen, "d"), cycles_of(seen, SIDES)
        if not n:
            return Outcome()
        if math.isnan(d):
            return Outcome(
                trouble=KeelError(
                    "distances-missing", "the distance to the target is missing; tape or pace it", "d"
                )
            )
        rounds = [rotary_axis(d, *(value(seen, f"{side}/{k}") for side in SIDES)) for k in n]
        stated, floor = _u(tool, d) / (math.sqrt(2) * d), resolution(seen, SIDES) / (math.sqrt(24) * d)
        rx = of_repeats([trial.x for trial in rounds], stated, floor)
        ry = of_repeats([trial.y for trial in rounds], stated, floor)
        limit = tool.number("limit")
        # The distance is paced, and out by the same in every round.
        found = [
            Found(
                key,
                f"axis {key.upper()}",
                "tilt",
                r.mean,
                math.hypot(r.U, 2 * PACED * r.mean),
                limit,
                r.n,
                False,
                allow=_good_enough(tool, math.hypot(rx.mean, ry.mean) + max(rx.U, ry.U)),
            )
            for key, r in (("x", rx), ("y", ry))
        ]
        trouble = None
        if d < NEAREST - 1e-9:
            trouble = KeelError(
                "too-near",
                f"{d:g} m is too near: the spot's width hides the error. Stand {NEAREST - d:.1f} m or more further off",
                "d",
            )
        lines = [
            (
                item.name.capitalize(),
                item.show(item.value),
                f"{'rises' if item.value >= 0 else 'falls'} on the + side; ± {item.show(item.U, signed=False)}",
            )
            for item in found
        ]
        lines.append(
            (
                f"At {d:g} m",
                show_in(rx.mean * d, "length", rx.U * d),
                "X, and as much the other way on the − side",
            )
        )
        xp, xm = value(seen, f"xp/{n[-1]}"), value(seen, f"xm/{n[-1]}")
        why = Working(
            "Axis errors",
            "e = (h₊ − h₋)/(2·D)",
            f"e_x = ({xp * 1000:g} − {xm * 1000:g})/(2·{d:g}) = {rounds[-1].x * 1000:.4f} mm/m;  mean of {rx.n}: {rx.mean * 1000:.4f}, Y {ry.mean * 1000:.4f}",
            tuple(", ".join(f"{_SIDE[s]} {seen[f'{s}/{k}'].text}" for s in SIDES) for k in n),
            "What is equal on both sides (a cone) cancels here; check that by itself.",
        )
        return Outcome(
            found,
            lines,
            [],
            trouble,
            why,
            {"d": d, "x": rx.mean, "y": ry.mean, **{s: value(seen, f"{s}/{n[-1]}") for s in SIDES}},
        )


def _good_enough(tool: Traits, tips: float) -> str:
    """Say how to go on with a plane that may tip so far [rad]: the error turns with the direction, so no one number takes it off."""
    u = tool.number("u")
    far = 2 * u / tips if tips > 0 else math.inf
    within = (
        f"within {far:.0f} m it puts no reading out by more than {show_in(2 * u, 'length', u, signed=False)}"
    )
    return f"it turns with the laser: have it adjusted, keep back and fore sight alike in length and direction, or book at each sight which side faces the staff (Hairs and looks); {within}"


class Fan(Procedure):
    """Height of a laser's line at left, middle and right of its fan, all at the same distance."""

    key, title = "line", "Line of a line laser"
    purpose = "Is the line level, and is it straight?"

    def steps(self, tool: Traits, way: str, seen: Mapping[str, Seen]) -> list[Step]:
        out = [
            Step(
                "d",
                "From laser to the wall",
                "The same to all three marks: an arc round the laser.",
                "distance",
                0,
                False,
                (),
                "5",
            ),
            Step(
                "w", "From left mark to right mark", "As taped along the wall.", "distance", 0, False, (), "5"
            ),
        ]
        for n in range(1, open_cycle(seen, ("l", "m", "r")) + 1):
            for key, name in (("l", "left"), ("m", "middle"), ("r", "right")):
                out.append(
                    Step(
                        f"{key}/{n}",
                        f"Height of the line, {name}",
                        "Above a water-level mark or the same staff. " + EDGE,
                        "mm",
                        n,
                        n > 1,
                    )
                )
        return out

    def outcome(self, tool: Traits, way: str, seen: Mapping[str, Seen]) -> Outcome:
        n, w, d = cycles_of(seen, ("l", "m", "r")), value(seen, "w"), value(seen, "d", 5.0)
        if not n:
            return Outcome()
        if math.isnan(w):
            return Outcome(
                trouble=KeelError(
                    "distances-missing", "the distance between the outer marks is missing; tape it", "w"
                )
            )
        if w < 1:
            return Outcome(
                trouble=KeelError(
                    "layout-too-short",
                    f"{w:g} m between the outer marks shows nothing; take 1 m or more",
                    "w",
                )
            )
        at = [tuple(value(seen, f"{key}/{k}") for key in "lmr") for k in n]
        u, step = _u(tool, d), resolution(seen, ("l", "m", "r"))
        tilt = of_repeats(
            [(r - left) / w for left, _, r in at], u * math.sqrt(2) / w, step / math.sqrt(6) / w
        )
        bow = of_repeats(
            [m - (left + r) / 2 for left, m, r in at], u * math.sqrt(1.5), step * math.sqrt(1.5 / 12)
        )
        limit = tool.number("limit")
        found = [
            Found("line", "tilt of the line", "tilt", tilt.mean, tilt.U, limit, tilt.n, True, allow=FANNED),
            Found("bow", "bow of the line", "length", bow.mean, bow.U, limit * d, bow.n, False),
        ]
        lines = [
            (
                "Tilt of the line",
                found[0].show(tilt.mean),
                f"{'right' if tilt.mean >= 0 else 'left'} end high; ± {found[0].show(tilt.U, signed=False)}",
            ),
            (
                "Bow in its middle",
                found[1].show(bow.mean),
                f"± {found[1].show(bow.U, signed=False)}; may be {limit * d * 1000:.1f} mm at {d:g} m",
            ),
        ]
        left, m, r = at[-1]
        why = Working(
            "Line of the laser",
            "tilt = (right − left)/w;  bow = middle − (left + right)/2",
            f"({r * 1000:g} − {left * 1000:g})/{w:g} = {(r - left) / w * 1000:.3f} mm/m;  {m * 1000:g} − {(left + r) / 2 * 1000:g} = {(m - (left + r) / 2) * 1000:.2f} mm",
            tuple(", ".join(seen[f"{key}/{k}"].text for key in "lmr") for k in n),
            "",
        )
        return Outcome(found, lines, [], None, why, {"l": left, "m": m, "r": r, "w": w})


class PlumbLine(Procedure):
    """A laser's plumb line against a plumb bob over the height of a room."""

    key, title = "line-plumb", "Plumb line of a line laser"
    purpose = "Its plumb line against a bob on a string."

    def steps(self, tool: Traits, way: str, seen: Mapping[str, Seen]) -> list[Step]:
        out = [
            Step("h", "Height between the two measures", "Along the string.", "distance", 0, False, (), "2.4")
        ]
        for n in range(1, open_cycle(seen, ("top", "foot")) + 1):
            out.append(
                Step(
                    f"top/{n}",
                    "From string to line, at the top",
                    "Bob at rest, out of the draught. Line right of the string +. " + EDGE,
                    "mm",
                    n,
                    n > 1,
                )
            )
            out.append(
                Step(f"foot/{n}", "From string to line, at the foot", "The same edge.", "mm", n, n > 1)
            )
        return out

    def outcome(self, tool: Traits, way: str, seen: Mapping[str, Seen]) -> Outcome:
        n, h = cycles_of(seen, ("top", "foot")), value(seen, "h")
        if not n:
            return Outcome()
        if math.isnan(h):
            return Outcome(
                trouble=KeelError(
                    "distances-missing",
                    "the height between the two measures is missing; tape it along the string",
                    "h",
                )
            )
        u, step = 0.0005, resolution(seen, ("top", "foot"))
        repeats = of_repeats(
            [(value(seen, f"top/{k}") - value(seen, f"foot/{k}")) / h for k in n],
            u * math.sqrt(2) / h,
            step / math.sqrt(6) / h,
        )
        found = Found(
            "plumb", "plumb line", "tilt", repeats.mean, repeats.U, tool.number("limit"), repeats.n, True
        )
        lines = [
            (
                "Plumb line leans",
                found.show(repeats.mean),
                f"{'right' if repeats.mean >= 0 else 'left'} at the top; ± {found.show(repeats.U, signed=False)}",
            )
        ]
        why = Working(
            "Plumb line",
            "lean = (top − foot)/h",
            ";  ".join(
                f"({value(seen, f'top/{k}') * 1000:g} − {value(seen, f'foot/{k}') * 1000:g})/{h:g}" for k in n
            )
            + f";  mean {repeats.mean * 1000:.3f} mm/m",
            tuple(f"{seen[f'top/{k}'].text}, {seen[f'foot/{k}'].text}" for k in n),
            "One mark is good to half a millimetre.",
        )
        return Outcome(
            [found],
            lines,
            [],
            None,
            why,
            {"top": value(seen, f"top/{n[-1]}"), "foot": value(seen, f"foot/{n[-1]}"), "h": h},
        )
