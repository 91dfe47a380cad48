"""Water: a tube's index, wait and warm leg; a hydrostatic level's drift.

Source: the U-tube as a damped pendulum; drift of a hydrostatic level by a line through repeats.
"""

from __future__ import annotations

import math
from collections.abc import Mapping

import numpy as np

from vivid_keel.core.errors import KeelError
from vivid_keel.core.instruments.checks.tube import leg_difference, settle, settle_with_basin
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
from vivid_keel.core.instruments.repeats import of_repeats, pooled
from vivid_keel.core.working import Working

WARM = 2.0
"""Degrees between the legs from which it is worth saying [K]."""


class Tube(Procedure):
    """Both ends side by side must agree; no bubbles; wait; neither leg in the sun."""

    key, title = "tube", "Water tube"
    purpose = "Index side by side, bubbles, how long to wait, and what a warm leg does."

    def steps(self, tool: Traits, way: str, seen: Mapping[str, Seen]) -> list[Step]:
        out = [
            Step(
                "bubbles",
                "Any bubbles in it?",
                "Fill slowly from one end, tap along its length, look through it against the light.",
                "words",
                0,
                False,
                ("no", "yes"),
            ),
            Step(
                "start",
                "Disturbed by, at first",
                "How far the water stood off when the tube was laid down.",
                "mm",
                0,
                True,
                (),
                "100",
            ),
            Step(
                "t1",
                "Water in leg 1",
                "Feel or measure; a leg in the sun warms by 10 degrees.",
                "°C",
                0,
                True,
            ),
            Step("t2", "Water in leg 2", "Likewise.", "°C", 0, True),
        ]
        for n in range(1, open_cycle(seen, ("e1", "e2")) + 1):
            out.append(
                Step(
                    f"e1/{n}",
                    "Side by side: end 1",
                    "Both ends against one board, opened, at rest; read the foot of the curve.",
                    "mm",
                    n,
                    n > 1,
                )
            )
            out.append(
                Step(f"e2/{n}", "Side by side: end 2", "The same board, the same eye height.", "mm", n, n > 1)
            )
        return out

    def outcome(self, tool: Traits, way: str, seen: Mapping[str, Seen]) -> Outcome:
        filled, bore = tool.number("filled"), tool.number("bore")
        start, step = value(seen, "start", 0.1), max(resolution(seen, ("e1", "e2")), 0.0005)
        basin = tool.text("basin").strip().lower() in {"yes", "y"}
        s = (settle_with_basin if basin else settle)(filled, bore, start, step)
        wait = s.advised
        swings = "creeps, without swinging" if s.period is None else f"swings every {s.period:.1f} s"
        lines = [
            (
                "Wait before reading",
                minutes(wait),
                f"{swings}; from {start * 1000:g} mm to under {step * 1000:g} mm",
            )
        ]
        notes: list[tuple[str, str, str]] = []
        if "t1" in seen and "t2" in seen:
            h = tool.number("column")
            off = leg_difference(h, value(seen, "t1"), value(seen, "t2"))
            lines.append(
                ("Warm leg", show_in(off, "length", abs(off)), f"leg 1 stands higher, {h:g} m of water")
            )
            if abs(value(seen, "t1") - value(seen, "t2")) >= WARM:
                notes.append(
                    (
                        "open",
                        "One leg is warmer",
                        f"It stands {abs(off) * 1000:.1f} mm too high. Shade it, or run the water through.",
                    )
                )
        shown = {
            "period": s.period or 0.0,
            "wait": wait,
            "damping": s.damping,
            "start": start,
            "step": step,
            "filled": filled,
            "bore": bore,
            "basin": float(basin),
        }
        trouble = None
        if "bubbles" in seen and seen["bubbles"].text.strip().lower() in {"yes", "y"}:
            trouble = KeelError(
                "bubbles",
                "a bubble shortens one side and nothing read with it holds; fill it anew and look again",
                "bubbles",
            )
        n = cycles_of(seen, ("e1", "e2"))
        if not n:
            return Outcome([], lines, notes, trouble, None, shown)
        u = tool.number("u")
        repeats = of_repeats(
            [value(seen, f"e1/{k}") - value(seen, f"e2/{k}") for k in n],
            u * math.sqrt(2),
            step / math.sqrt(6),
        )
        found = Found(
            "index",
            "ends side by side",
            "length",
            repeats.mean,
            repeats.U,
            tool.number("limit"),
            repeats.n,
            True,
        )
        lines.insert(
            0, ("End 1 above end 2", found.show(repeats.mean), f"± {found.show(repeats.U, signed=False)}")
        )
        why = Working(
            "Index of the tube",
            "index = end 1 − end 2, side by side;  ω = √(2g/L), β = 4ν/a²;  wait = ln(start/step)/rate",
            ";  ".join(f"{value(seen, f'e1/{k}') * 1000:g} − {value(seen, f'e2/{k}') * 1000:g} mm" for k in n)
            + f";  β/ω = {s.damping:.3g}, wait {wait:.0f} s",
            tuple(f"{seen[f'e1/{k}'].text}, {seen[f'e2/{k}'].text}" for k in n),
            "Near critical damping 1.7 times the plain wait is advised.",
        )
        return Outcome(
            [found],
            lines,
            notes,
            trouble,
            why,
            {**shown, "e1": value(seen, f"e1/{n[-1]}"), "e2": value(seen, f"e2/{n[-1]}")},
        )


def minutes(seconds: float) -> str:
    """Return a wait of `seconds` [s] as people say it."""
    whole = math.ceil(seconds)
    return f"{whole} s" if whole < 90 else f"{whole // 60} min {whole % 60} s"


class Hydrostatic(Procedure):
    """Read on its benchmark again and again: what it drifts by, and what a moved base voids."""

    key, title = "hydrostatic", "Drift of a hydrostatic level"
    purpose = "Zeroed on the benchmark, it is read there again at intervals. A base that was moved voids everything since."

    def steps(self, tool: Traits, way: str, seen: Mapping[str, Seen]) -> list[Step]:
        n = min(20, 2 + len([k for k in cycles_of(seen, ("z", "t")) if k > 1]))
        out = [
            Step("t/1", "Zeroed at", "Hours on the clock, such as 8.25 for a quarter past eight.", "h", 1),
            Step("z/1", "Reading on the benchmark", "Just zeroed.", "mm", 1, False, (), "0"),
        ]
        for k in range(2, n + 1):
            out.append(
                Step(
                    f"moved/{k}",
                    "Base moved since?",
                    "A base that was moved voids every reading since the last zero check.",
                    "words",
                    k,
                    True,
                    ("no", "yes"),
                    "no",
                )
            )
            out.append(
                Step(
                    f"t/{k}",
                    "Read on the benchmark at",
                    "Hours on the clock, later than before.",
                    "h",
                    k,
                    k > 2,
                )
            )
            out.append(
                Step(
                    f"z/{k}",
                    "Reading on the benchmark",
                    "The same benchmark, the same probe.",
                    "mm",
                    k,
                    k > 2,
                )
            )
        return out

    def accepts(self, tool: Traits, way: str, step: Step, value: float, seen: Mapping[str, Seen]) -> None:
        key, _, k = step.key.partition("/")
        before = [
            s.value for name, s in seen.items() if name.startswith("t/") and int(name[2:]) < int(k or 0)
        ]
        if key == "t" and before and value <= max(before):
            raise KeelError(
                "bad-value",
                f"that is not later than {max(before):g} h; past midnight go on counting (24, 25 …)",
            )

    def outcome(self, tool: Traits, way: str, seen: Mapping[str, Seen]) -> Outcome:
        all_checks = cycles_of(seen, ("z", "t"))
        moved = [
            k
            for k in all_checks
            if f"moved/{k}" in seen and seen[f"moved/{k}"].text.strip().lower() in {"yes", "y"}
        ]
        notes: list[tuple[str, str, str]] = []
        if moved:
            since = max((k for k in all_checks if k < moved[-1]), default=1)
            notes.append(
                (
                    "out",
                    "Dead readings",
                    f"The base was moved before zero check {moved[-1]}: every reading taken after {value(seen, f't/{since}'):g} h "
                    "and before it is void. Read those points again.",
                )
            )
        used = [k for k in all_checks if not moved or k >= moved[-1]]
        shown = {f"{key}{k}": value(seen, f"{key}/{k}") for k in all_checks for key in ("t", "z")}
        shown["from"] = float(used[0]) if used else 0.0
        if len(used) < 2:
            return Outcome(
                [],
                [],
                [
                    *notes,
                    (
                        "todo",
                        "One zero check more",
                        "Drift wants two readings on the benchmark with time between.",
                    ),
                ],
                shown=shown,
            )
        t = np.array([value(seen, f"t/{k}") for k in used])
        z = np.array([value(seen, f"z/{k}") for k in used])
        n = len(used)
        lever = float(np.sqrt(((t - t.mean()) ** 2).sum()))
        rate = float(((t - t.mean()) * (z - z.mean())).sum()) / lever**2
        step = max(resolution(seen, ("z",)), tool.number("last-digit", 0.0))
        left = z - z.mean() - rate * (t - t.mean())
        one = math.hypot(tool.number("u"), step / math.sqrt(12))
        u, k = pooled(float((left**2).sum()), n - 2, one) / lever, 2.0
        found = Found("drift", "drift", "rate", rate, k * u, tool.number("limit"), n - 1, True)
        hours = float(t[-1] - t[0])
        lines = [
            ("Drift", found.show(rate), f"± {found.show(k * u, signed=False)}"),
            (
                "Since it was zeroed",
                show_in(rate * hours, "length", k * u * hours),
                f"in {hours:g} h; spread over the time between zero checks",
            ),
        ]
        why = Working(
            "Drift",
            "fitted line through the zero checks, spread linearly over time",
            ";  ".join(f"{value(seen, f't/{k}'):g} h: {value(seen, f'z/{k}') * 1000:g} mm" for k in used)
            + f";  {rate * 1000:.3f} mm/h",
            tuple(f"zero check {k}" for k in used),
            "Between two zero checks a reading takes its share of the drift by its time.",
        )
        return Outcome([found], lines, notes, None, why, {**shown, "rate": rate})
