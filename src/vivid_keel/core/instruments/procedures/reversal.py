"""Reversal for level and for plumb: bubble or number, by divisions or by a fence.

Source: reversal: half the difference of two opposite positions is the instrument's own error, half the sum the surface.
"""

from __future__ import annotations

import math
from collections.abc import Mapping

from msgspec import Struct

from vivid_keel.core.errors import KeelError
from vivid_keel.core.instruments.checks.reversal import reverse
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
from vivid_keel.core.quantities import is_missing, show_number
from vivid_keel.core.working import Working

DIVISIONS, FENCE = "divisions", "fence"
SAME, RIGHT, LEFT = "same", "right", "left"


class _Words(Struct, frozen=True):
    first: str
    second: str
    start: str
    turn: str


_LEVEL = _Words(
    "end A to the right",
    "end A to the left",
    "Mark both ends and the middle on the surface; it need not be level. Hands off, let it settle, read.",
    "Lift, turn end for end, back on the same marks. Hands off, let it settle, read from the same side.",
)
_PLUMB = _Words(
    "first face to the wall",
    "turned over like a page",
    "Broad face to the wall, working edge along two pins or a pencil line; the wall need not be plumb. Read from the front.",
    "Turn it over about that line like a page: same end up, same edge to the pins. Read again from the front.",
)


class Reversing(Procedure):
    """Two readings a cycle tell the level's own error from the surface's slope."""

    ways: tuple[tuple[str, str], ...] = (
        (DIVISIONS, "read the divisions, on any steady surface"),
        (FENCE, "turn until central, fence, reverse"),
    )
    error = "level"
    words = _LEVEL

    def steps(self, tool: Traits, way: str, seen: Mapping[str, Seen]) -> list[Step]:
        unit = "tilt" if tool.electronic else "div"
        out = []
        for n in range(1, open_cycle(seen, ("a1", "a2")) + 1):
            late = n > 1
            if way == FENCE and not tool.electronic:
                out.append(
                    Step(
                        f"a1/{n}",
                        f"{self.words.first}: central",
                        "Turn the level about on the untrue surface until the bubble "
                        "is central; set a fence along it there.",
                        "div",
                        n,
                        late,
                        usual="0",
                    )
                )
                out.append(
                    Step(
                        f"a2/{n}",
                        self.words.second,
                        f"Reverse it against the fence. Same place? “{SAME}”; else “{RIGHT}” or "
                        f"“{LEFT}”, or better by how many divisions.",
                        "words",
                        n,
                        late,
                        (SAME, RIGHT, LEFT),
                    )
                )
                continue
            out.append(Step(f"a1/{n}", self.words.first, self.words.start, unit, n, late))
            out.append(Step(f"a2/{n}", self.words.second, self.words.turn, unit, n, late))
        return out

    def accepts(self, tool: Traits, way: str, step: Step, value: float, seen: Mapping[str, Seen]) -> None:
        reach = tool.number("reach", math.inf)
        if step.unit in {"div", "words"} and abs(value) > reach + 1e-9:
            raise KeelError(
                "beyond-the-vial",
                f"the marks end {reach:g} divisions from the middle, so nothing can be read at {value:g}; "
                "pack one end of the surface until the bubble stands between the marks both ways round, then begin the cycle anew",
            )

    def outcome(self, tool: Traits, way: str, seen: Mapping[str, Seen]) -> Outcome:
        n = cycles_of(seen, ("a1", "a2"))
        if not n:
            return Outcome()
        unread = [k for k in n if math.isnan(value(seen, f"a2/{k}"))]
        if unread:  # only which side it went is known
            return Outcome(
                trouble=KeelError(
                    "which-way-only",
                    "it moved, so it is out, but by how much is not said; estimate the divisions from the middle",
                    f"a2/{unread[0]}",
                )
            )
        pairs = [(value(seen, f"a1/{k}"), value(seen, f"a2/{k}")) for k in n]
        step = read_to([x for pair in pairs for x in pair], resolution(seen, ("a1", "a2")), tool)
        one = 1.0 if tool.electronic else tool.division
        stated = tool.number("noise") if tool.electronic else tool.number("share")
        if tool.electronic:
            step = max(step, tool.number("last-digit", 0.0))
        errors = [(a - b) / 2 for a, b in pairs]
        whole = reverse(pairs, step)
        repeats = of_repeats(
            errors, stated / math.sqrt(2) if not is_missing(stated) else 0.0, step / math.sqrt(24)
        )
        shown = (
            f"{show_number(whole.slope, 2, signed=True)} div"
            if not tool.electronic
            else show_in(whole.slope, "tilt")
        )
        where = "reads" if tool.electronic else "bubble stands at"
        found = Found(
            self.error,
            self._name(),
            "tilt",
            repeats.mean * one,
            repeats.U * one,
            tool.number("limit"),
            repeats.n,
            True,
            f"in the second position turn its screw until the {where} {shown}",
            allow="read turned end for end, both ways: their mean is free of it",
        )
        length = tool.number("length")
        lines = [
            (
                "Surface",
                show_in(whole.slope * one, "tilt", repeats.U * one),
                "rises to the right" if whole.slope >= 0 else "rises to the left",
            ),
            (
                "Level's own error",
                found.show(found.value),
                f"towards its {'end A' if repeats.mean >= 0 else 'other end'}",
            ),
            (
                f"± ({repeats.n} cycle{'s' if repeats.n > 1 else ''})",
                found.show(found.U, signed=False),
                self._spread(repeats.spread, repeats.n, step, one),
            ),
        ]
        if not is_missing(length):
            lines.append(
                (
                    f"Over its own {length:g} m",
                    show_in(found.value * length, "length", found.U * length),
                    "if it were not corrected",
                )
            )
        a, b = pairs[-1]
        by, unit = (1000.0, " mm/m") if tool.electronic else (1.0, " div")
        why = Working(
            found.name,
            "s = (a₁ + a₂)/2;  e = (a₁ − a₂)/2;  U = 2·s/√n, s their scatter pooled with the kind's, never under the resolution's part",
            ";  ".join(
                f"e{k} = ({p * by:g} − ({q * by:g}))/2 = {(p - q) / 2 * by:.3g}{unit}"
                for k, (p, q) in zip(n, pairs, strict=True)
            )
            + f";  mean {repeats.mean * by:.3g}, U = {repeats.k:.2f} × {repeats.u * by:.2g} = {repeats.U * by:.2g}{unit}",
            tuple(f"cycle {k}: {seen[f'a1/{k}'].text}, then {seen[f'a2/{k}'].text}" for k in n),
            "Turned about, the level's error changes sign and the surface's slope does not. Half the way back, never all of it.",
        )
        trouble = mixed_up(pairs, n, step, stated)
        return Outcome(
            [found],
            lines,
            [],
            trouble,
            why,
            {"slope": whole.slope, "target": whole.target, "a1": a, "a2": b, "error": repeats.mean},
        )

    def _name(self) -> str:
        return "own error, level"

    @staticmethod
    def _spread(s: float, n: int, step: float, one: float) -> str:
        if n == 1:
            return "one cycle: from what one look is worth; more cycles say better"
        return f"spread {show_in(s * one, 'tilt', s * one, signed=False)}"


class Level(Reversing):
    """Reversal for level."""

    key, title = "reversal", "Reversal, level"
    purpose = "Is its own level line level? Any steady surface serves."


class Plumb(Reversing):
    """Reversal for plumb: a verdict of its own."""

    key, title = "plumb", "Reversal, plumb"
    purpose = "A level can pass for level and fail for plumb: two separate verdicts."
    error = "plumb"
    words = _PLUMB
    ways = ((DIVISIONS, "read the divisions, on any wall"),)

    def _name(self) -> str:
        return "own error, plumb"


GRIDS = (0.5, 0.25, 0.2)
"""Parts of a division that people read to, the coarsest first [div]."""


def read_to(readings: list[float], typed: float, tool: Traits) -> float:
    """Return what a bubble was read to: as its owner says, else the coarsest part of a division that all readings lie on.

    "0.5" may be a half: the decimals of one value don't tell.

    Parameters
    ----------
    readings : list of float
        [div]; of an electronic level [rad].
    typed : float
        Step of the last digit typed [the same].
    """
    if tool.electronic:
        return typed
    said = tool.number("step", 0.0)
    if said > 0:
        return said
    for grid in GRIDS:
        if grid <= typed + 1e-9:
            break
        if all(abs(x / grid - round(x / grid)) < 1e-6 for x in readings):
            return grid
    return typed


LARGE = 6.0
"""An error smaller than so many times its own scatter tells nothing of exchanged ends [1]: honest cycles would be accused."""


def mixed_up(
    pairs: list[tuple[float, float]], numbers: list[int], step: float, stated: float
) -> KeelError | None:
    """Return what speaks for exchanged ends: a cycle whose error is the others' turned about, or none at all.

    The cycle that stands alone against the rest is named; with two that disagree it is the second.

    Parameters
    ----------
    pairs : list of (float, float)
        Both readings of each cycle [div or rad].
    step, stated : float
        What it was read to, and the u that a reading is said to have [div or rad].

    Returns
    -------
    KeelError or None
        `positions-mixed-up`: returned, not raised; the rest is still worked out.
    """
    if len(pairs) < 2:
        return None
    errors, slopes = [(a - b) / 2 for a, b in pairs], [(a + b) / 2 for a, b in pairs]
    # One reading's own scatter; the error and the slope are half sums of two.
    reading = math.hypot(stated if not is_missing(stated) else 0.0, step / math.sqrt(12))
    spread = reading / math.sqrt(2)
    for i in range(len(pairs) - 1, 0, -1):
        rest = [error for k, error in enumerate(errors) if k != i]
        e, s = sorted(rest)[len(rest) // 2], slopes[0]
        if abs(e) < LARGE * spread:
            continue
        if abs(errors[i] + e) < 4.5 * spread and abs(slopes[i] - s) < 4.5 * spread:
            return KeelError(
                "positions-mixed-up",
                f"cycle {numbers[i]} reads as if the ends were exchanged: its two readings stand the other way round "
                "than before. Which end was to the right? Read that cycle again, or exchange its readings",
                f"a1/{numbers[i]}",
            )
        if abs(errors[i]) < 3 * spread and abs(abs(slopes[i] - s) - abs(e)) < 3 * spread:
            return KeelError(
                "positions-mixed-up",
                f"both readings of cycle {numbers[i]} are alike and those before were not: as if the level had not been "
                "turned between them. Read the second again, turned end for end",
                f"a2/{numbers[i]}",
            )
    return None
