"""String, plumb frame and staff.

Source: reversal: half the difference of two opposite positions is the instrument's own error.
"""

from __future__ import annotations

import math
from collections.abc import Mapping

from vivid_keel.core.errors import KeelError
from vivid_keel.core.instruments.checks.string import below_chord, off_middle, sag
from vivid_keel.core.instruments.checks.tube import G
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
from vivid_keel.core.instruments.procedures.water import minutes
from vivid_keel.core.instruments.repeats import of_repeats
from vivid_keel.core.working import Working

PULL = 0.03
"""Standard uncertainty of one look at a spring balance, as a share of the pull [1]."""
BALANCE = 0.05
"""A spring balance may be out by so much of what it shows, every time [1]."""
TAPED = 0.005
"""Standard uncertainty of a length taped along a string [m]."""
LONGEST_SPAN = 7.5


class String(Procedure):
    """Sag, and what hanging the level off the middle does."""

    key, title = "string", "String: sag and off the middle"
    purpose = "The level's own weight usually outweighs the string's: off the middle it bends the line it is to judge."

    def steps(self, tool: Traits, way: str, seen: Mapping[str, Seen]) -> list[Step]:
        out = [
            Step(
                "span",
                "Span between fixings",
                f"Up to {LONGEST_SPAN:g} m unless there is a reason.",
                "distance",
                0,
                False,
                (),
                "7.5",
            )
        ]
        for n in range(1, open_cycle(seen, ("off", "pull")) + 1):
            out.append(
                Step(
                    f"off/{n}",
                    "Level hangs off the middle by",
                    "Tape from both ends, half the difference. Towards the far end +.",
                    "mm",
                    n,
                    n > 1,
                )
            )
            out.append(
                Step(
                    f"pull/{n}",
                    "Pulled with",
                    "By a spring balance, in newtons (10 N for a kilogram).",
                    "N",
                    n,
                    n > 1,
                    (),
                    "40",
                )
            )
        return out

    def accepts(self, tool: Traits, way: str, step: Step, value: float, seen: Mapping[str, Seen]) -> None:
        if step.unit in {"N", "distance"} and value <= 0:
            raise KeelError("bad-value", "that must be above 0")

    def outcome(self, tool: Traits, way: str, seen: Mapping[str, Seen]) -> Outcome:
        n, span = cycles_of(seen, ("off", "pull")), value(seen, "span", tool.number("span"))
        w, hung = tool.number("weight"), tool.number("hung")
        if not n:
            return Outcome(
                lines=[
                    (
                        "Sag in the middle",
                        show_in(sag(w, span, tool.number("tension")), "length", 0.001),
                        f"at {tool.number('tension'):g} N",
                    )
                ],
                shown={"span": span, "sag": sag(w, span, tool.number("tension")), "off": 0.0},
            )
        off = [value(seen, f"off/{k}") for k in n]
        pull = [value(seen, f"pull/{k}") for k in n]
        ends = [off_middle(w, span, t, hung, x) for x, t in zip(off, pull, strict=True)]
        t, x = pull[-1], off[-1]
        stated = math.hypot(off_middle(w, span, t, hung, TAPED), PULL * ends[-1])
        repeats = of_repeats(ends, stated, 0.0)
        # One balance in every round: a bound, and no repeat lessens it.
        bound = BALANCE * abs(repeats.mean)
        limit = tool.number("limit") * span
        found = Found(
            "off-middle",
            "far end, hung off the middle",
            "length",
            repeats.mean,
            repeats.U + bound,
            limit,
            repeats.n,
            True,
            "hang it at the middle" if abs(repeats.mean) > limit else "",
        )
        down = sag(w, span, t)
        lines = [
            (
                "Far end is out by",
                found.show(repeats.mean),
                f"± {found.show(found.U, signed=False)}; may be {limit * 1000:.1f} mm",
            ),
            (
                "Sag in the middle",
                show_in(down, "length", down * 0.1, signed=False),
                f"{span:g} m pulled with {t:g} N",
            ),
        ]
        quarter = below_chord(w, span, t, span / 4)
        lines.append(
            (
                "A quarter along it hangs",
                show_in(quarter, "length", quarter * 0.1, signed=False),
                "below the chord: reckon with it there",
            )
        )
        notes = (
            [
                (
                    "open",
                    f"{span:g} m is long for a string",
                    f"Up to {LONGEST_SPAN:g} m is usual; sag grows with the square.",
                )
            ]
            if span > LONGEST_SPAN + 1e-9
            else []
        )
        why = Working(
            "Hung off the middle",
            "far end = x·(w·L + W)/T;  sag = w·L²/(8T)",
            f"{x:g}·({w:g}·{span:g} + {hung:g})/{t:g} = {ends[-1] * 1000:.2f} mm;  sag {down * 1000:.2f} mm",
            tuple(f"off {seen[f'off/{k}'].text}, pull {seen[f'pull/{k}'].text}" for k in n),
            "w weight of the string per metre, W of the level, T the pull. The ± holds 5 % for the balance whole: no repeat shows it.",
        )
        return Outcome(
            [found], lines, notes, None, why, {"span": span, "sag": down, "off": x, "end": repeats.mean}
        )


class PlumbFrame(Procedure):
    """The frame turned about: its own error; the swing: how long to wait."""

    key, title = "plumb-frame", "Plumb bob frame"
    purpose = (
        "Turned about on the same two feet its own error changes sides; the swing says how long to wait."
    )

    def steps(self, tool: Traits, way: str, seen: Mapping[str, Seen]) -> list[Step]:
        out = [
            Step("s0", "Swing at first", "From side to side at the mark.", "mm", 0, True, (), "20"),
            Step("s10", "Swing after ten swings to and fro", "Shielded from draught.", "mm", 0, True),
        ]
        for n in range(1, open_cycle(seen, ("m1", "m2")) + 1):
            out.append(
                Step(
                    f"m1/{n}",
                    "Bob against the mark",
                    "Frame on two feet, bob at rest. Right of the mark +.",
                    "mm",
                    n,
                    n > 1,
                )
            )
            out.append(
                Step(
                    f"m2/{n}",
                    "Frame turned about, same feet",
                    "Read from the same side as before.",
                    "mm",
                    n,
                    n > 1,
                )
            )
        return out

    def accepts(self, tool: Traits, way: str, step: Step, value: float, seen: Mapping[str, Seen]) -> None:
        if step.key == "s10" and "s0" in seen and not 0 < value < seen["s0"].value:
            raise KeelError(
                "bad-value",
                "after ten swings it must be smaller than at first, and above 0; a draught keeps it going",
            )

    def outcome(self, tool: Traits, way: str, seen: Mapping[str, Seen]) -> Outcome:
        length, u = tool.number("string"), tool.number("u")
        period = 2 * math.pi * math.sqrt(length / G)
        lines = [("Swings every", f"{period:.2f} s", f"2π√(l/g), {length:g} m of string")]
        shown = {"period": period, "string": length}
        if "s0" in seen and "s10" in seen:
            rate = math.log(seen["s0"].value / seen["s10"].value) / (10 * period)
            wait = max(0.0, math.log(seen["s0"].value / u)) / rate
            lines.append(("Wait before reading", minutes(wait), f"until it swings under {u * 1000:g} mm"))
            shown |= {"wait": wait, "rate": rate, "s0": seen["s0"].value}
        n = cycles_of(seen, ("m1", "m2"))
        if not n:
            return Outcome([], lines, shown=shown)
        errors = [(value(seen, f"m1/{k}") - value(seen, f"m2/{k}")) / 2 for k in n]
        repeats = of_repeats(errors, u / math.sqrt(2), resolution(seen, ("m1", "m2")) / math.sqrt(24))
        found = Found(
            "frame",
            "frame's own error",
            "length",
            repeats.mean,
            repeats.U,
            tool.number("limit"),
            repeats.n,
            True,
            "move the mark by that much",
        )
        lines.insert(
            0,
            (
                "Frame's own error",
                found.show(repeats.mean),
                f"at the mark; ± {found.show(repeats.U, signed=False)}",
            ),
        )
        why = Working(
            "Frame's own error",
            "e = (m₁ − m₂)/2",
            ";  ".join(
                f"({value(seen, f'm1/{k}') * 1000:g} − {value(seen, f'm2/{k}') * 1000:g})/2" for k in n
            )
            + f";  mean {repeats.mean * 1000:.2f} mm",
            tuple(f"{seen[f'm1/{k}'].text}, {seen[f'm2/{k}'].text}" for k in n),
            "",
        )
        return Outcome(
            [found],
            lines,
            [],
            None,
            why,
            {**shown, "m1": value(seen, f"m1/{n[-1]}"), "m2": value(seen, f"m2/{n[-1]}")},
        )


FOOT, ACROSS = 0.1, 0.2
"""Nominal lengths measured: from the foot to this mark, and over each joint [m]."""


class StaffCheck(Procedure):
    """Foot and joints against a tape."""

    key, title = "staff", "Foot and joints of a staff"
    purpose = "A worn foot drops over a nail by a centimetre; a joint not home adds the same to every reading above it."

    def _parts(self, tool: Traits) -> list[tuple[str, str, float]]:
        joints = round(tool.number("joints", 0.0))
        return [("foot", "foot", FOOT), *[(f"j{k}", f"joint {k}", ACROSS) for k in range(1, joints + 1)]]

    def steps(self, tool: Traits, way: str, seen: Mapping[str, Seen]) -> list[Step]:
        parts = self._parts(tool)
        out = []
        for n in range(1, open_cycle(seen, [part[0] for part in parts]) + 1):
            for key, name, nominal in parts:
                if key == "foot":
                    title, text = (
                        "Tape from the foot to the 100 mm mark",
                        "Foot cleaned and looked at: whole, not hollow. 100 mm when it is sound.",
                    )
                else:
                    title, text = (
                        f"Tape across {name}",
                        "From the 100 mm mark below it to the 100 mm mark above; latched and leant upon. 200 mm when home.",
                    )
                out.append(Step(f"{key}/{n}", title, text, "mm", n, n > 1, (), f"{nominal * 1000:g}"))
        return out

    def outcome(self, tool: Traits, way: str, seen: Mapping[str, Seen]) -> Outcome:
        parts = self._parts(tool)
        found, lines, shown = [], [], {}
        u, limit = tool.number("u"), tool.number("limit")
        step = resolution(seen, [part[0] for part in parts])
        above = 0.0
        for key, name, nominal in parts:
            n = cycles_of(seen, (key,))
            if not n:
                continue
            repeats = of_repeats([nominal - value(seen, f"{key}/{k}") for k in n], u, step / math.sqrt(12))
            found.append(Found(key, name, "length", repeats.mean, repeats.U, limit, repeats.n, True))
            above += repeats.mean
            lines.append(
                (
                    name.capitalize(),
                    found[-1].show(repeats.mean),
                    f"added to every reading above it; ± {found[-1].show(repeats.U, signed=False)}",
                )
            )
            shown[key] = repeats.mean
        if not found:
            return Outcome()
        lines.append(
            (
                "All together at the top",
                show_in(above, "length", u),
                "what a reading on the last section is too long by",
            )
        )
        if "foot" in shown and abs(shown["foot"]) > limit:
            lines.append(
                (
                    "The foot cancels",
                    "back and fore",
                    "between sights of one staff, not against a tape or another staff",
                )
            )
        why = Working(
            "Foot and joints",
            "added = nominal − measured",
            ";  ".join(f"{key}: {v * 1000:.1f} mm" for key, v in shown.items()),
            tuple(f"{k}: {s.text}" for k, s in seen.items()),
            "Too short a tape reading means the marks stand too low: everything above reads too long.",
        )
        return Outcome(found, lines, [], None, why, shown)
