"""Bubbles on the instrument: circular, and plate bubble over three or four screws.

Source: turned through half a circle a vial shows twice its error.
"""

from __future__ import annotations

import math
from collections.abc import Mapping

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
from vivid_keel.core.instruments.repeats import of_repeats
from vivid_keel.core.quantities import show_number
from vivid_keel.core.working import Working

LOOK = 0.0003
"""Standard uncertainty of one look at where a circular bubble stands [m]."""


def not_below_nothing(amount: float) -> float:
    """Return k for an amount that is the length of two errors at right angles, each with u; the amount in those u [1].

    A length can't be negative, so noise alone makes it look larger: near none at all k is √χ²₀.₉₅(2) = 2.45, and it falls to 2
    where the amount is far above its u. Source: the Rayleigh and Rice distributions; simulated in the tests.
    """
    return min(2.45, max(2.0, 2.45 - 0.3 * (amount - 2.5)))


class Circular(Procedure):
    """Level, turn half round, look again: half out with the foot screws, half with the bubble's own."""

    key, title = "circular", "Circular bubble"
    purpose = "Does it stay in its ring all the way round?"

    def steps(self, tool: Traits, way: str, seen: Mapping[str, Seen]) -> list[Step]:
        out = []
        for n in range(1, open_cycle(seen, ("right", "away")) + 1):
            out.append(
                Step(
                    f"quarter/{n}",
                    "On the way, turned 90°: how far off the ring's middle",
                    "Bubble central over the telescope's first direction; then a quarter turn.",
                    "mm",
                    n,
                    True,
                )
            )
            out.append(
                Step(
                    f"right/{n}",
                    "Turned 180°: to the right by",
                    "Half a turn from where it was central. Right of the middle +, left −.",
                    "mm",
                    n,
                    n > 1,
                )
            )
            out.append(
                Step(
                    f"away/{n}",
                    "Turned 180°: away from you by",
                    "The same look. Away from you +, towards you −.",
                    "mm",
                    n,
                    n > 1,
                )
            )
        return out

    def outcome(self, tool: Traits, way: str, seen: Mapping[str, Seen]) -> Outcome:
        n = cycles_of(seen, ("right", "away"))
        if not n:
            return Outcome()
        x = [value(seen, f"right/{k}") for k in n]
        y = [value(seen, f"away/{k}") for k in n]
        floor = resolution(seen, ("right", "away")) / math.sqrt(12)
        rx, ry = of_repeats(x, LOOK, floor), of_repeats(y, LOOK, floor)
        off = math.hypot(rx.mean, ry.mean)
        U = math.hypot(rx.U * rx.mean, ry.U * ry.mean) / off if off > 0 else max(rx.U, ry.U)
        U *= not_below_nothing(2 * off / U) / 2
        half = f"{show_number(rx.mean * 500, 1, signed=True)} mm right, {show_number(ry.mean * 500, 1, signed=True)} mm away"
        found = Found(
            "circular",
            "circular bubble",
            "length",
            off,
            U,
            tool.number("bubble-limit"),
            len(n),
            False,
            f"with the foot screws bring it to {half}; the other half with the bubble's own screws",
        )
        lines = [
            (
                "Off its ring after half a turn",
                found.show(off, signed=False),
                f"± {found.show(U, signed=False)}",
            ),
            ("Half of it", half, "where the foot screws should leave it"),
        ]
        why = Working(
            "Circular bubble",
            "off = √(right² + away²);  set to half of it",
            f"√({abs(rx.mean) * 1000:.2f}² + {abs(ry.mean) * 1000:.2f}²) = {off * 1000:.2f} mm;  half {off * 500:.2f} mm",
            tuple(f"{seen[f'right/{k}'].text} right, {seen[f'away/{k}'].text} away" for k in n),
            "Half of the movement is the axis out of plumb, half the bubble out of true. Then a full turn.",
        )
        return Outcome(
            [found],
            lines,
            [],
            None,
            why,
            {"right": rx.mean, "away": ry.mean, "quarter": value(seen, f"quarter/{n[-1]}")},
        )


class Plate(Procedure):
    """Over two opposite screws, central; half a turn; set to half. Then the other pair."""

    key, title = "plate", "Plate bubble"
    purpose = "A fixed-line instrument: after half a turn the bubble may not leave the middle."
    ways = (("three", "three foot screws"), ("four", "four foot screws"))

    def steps(self, tool: Traits, way: str, seen: Mapping[str, Seen]) -> list[Step]:
        over = (
            ("over two screws", "over the third")
            if way == "three"
            else ("over one opposite pair", "over the other pair")
        )
        thumbs = "Both thumbs in or out together; the bubble follows the left thumb."
        if way == "four":
            thumbs += " Keep the pair snug: loose it rocks, tight it bends."
        out = []
        for n in range(1, open_cycle(seen, ("first", "second")) + 1):
            for key, where in (("first", over[0]), ("second", over[1])):
                out.append(
                    Step(
                        f"{key}/{n}",
                        f"Turned 180°, {where}: divisions off",
                        f"Bring it central {where}. {thumbs} Then half a turn and read.",
                        "div",
                        n,
                        n > 1,
                    )
                )
        return out

    def outcome(self, tool: Traits, way: str, seen: Mapping[str, Seen]) -> Outcome:
        n = cycles_of(seen, ("first", "second"))
        if not n:
            return Outcome()
        floor = resolution(seen, ("first", "second")) / math.sqrt(48)
        # Central and turned: off by n, the bubble itself is out by n/2. Both pairs tell of the same bubble.
        values = [value(seen, f"{key}/{k}") / 2 for k in n for key in ("first", "second")]
        repeats = of_repeats(values, 0.2 / math.sqrt(2), floor)
        half = show_number(repeats.mean, 1, signed=True)
        limit = 0.5
        found = Found(
            "plate",
            "plate bubble",
            "div",
            repeats.mean,
            repeats.U,
            limit,
            len(n),
            True,
            f"with the foot screws bring it to {half} div, then its own screw until it is central; repeat over the other pair",
        )
        one = tool.number("bubble")
        lines = [
            (
                "Bubble out of true",
                found.show(repeats.mean),
                f"± {found.show(repeats.U, signed=False)}; may be {limit:g}",
            ),
            (
                "That tilts the axis",
                show_in(repeats.mean * one, "tilt", repeats.U * one),
                "if the bubble were kept central",
            ),
            ("Set it to", f"{half} div", "and the axis is plumb though the bubble is not central"),
        ]
        why = Working(
            "Plate bubble",
            "off by n after half a turn: own error n/2, set to n/2",
            f"mean of {', '.join(f'{v * 2:g}/2' for v in values)} = {repeats.mean:.2f} div",
            tuple(seen[f"{key}/{k}"].text for k in n for key in ("first", "second")),
            "Then every direction shows the same n/2.",
        )
        return Outcome([found], lines, [], None, why, {"n": 2 * repeats.mean, "half": repeats.mean})
