"""Straightness: turned over on two rests, a bow changes sides and the rests do not.

Source: an edge over another on the same rests, turned over: half the difference of the middle gaps is its own bow.
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
from vivid_keel.core.working import Working

GAP = 0.00005
"""Standard uncertainty of a gap under a long level, by feelers or against light [m]."""


CALLIPERS = 0.00002
"""Callipers that compare middle and ends may be out by so much between the two, every time [m]."""


class Straightness(Procedure):
    """Bow of a long level or a straightedge."""

    key, title = "straightness", "Straightness"
    purpose = "A bent level lies on its whole length and tells the truth of none of it."

    def steps(self, tool: Traits, way: str, seen: Mapping[str, Seen]) -> list[Step]:
        out = [
            Step(
                "thicker",
                "Thicker in the middle by",
                "Callipers: middle less ends. 0 for a parallel section.",
                "mm",
                0,
                True,
                usual="0",
            )
        ]
        for n in range(1, open_cycle(seen, ("g1", "g2")) + 1):
            out.append(
                Step(
                    f"g1/{n}",
                    "Middle gap, first edge down",
                    "On two equal rests near the ends, over a good edge or plate: feelers in the middle.",
                    "mm",
                    n,
                    n > 1,
                )
            )
            out.append(
                Step(
                    f"g2/{n}",
                    "Middle gap, turned over",
                    "Turn it over about its long axis, on the same rests, and measure the middle again.",
                    "mm",
                    n,
                    n > 1,
                )
            )
        return out

    def outcome(self, tool: Traits, way: str, seen: Mapping[str, Seen]) -> Outcome:
        n = cycles_of(seen, ("g1", "g2"))
        if not n:
            return Outcome()
        thicker = value(seen, "thicker", 0.0)
        bows = [(value(seen, f"g1/{k}") - value(seen, f"g2/{k}") - thicker) / 2 for k in n]
        u = tool.number("u", GAP)
        # The same callipers, or the same belief in a parallel section, in every round: a bound, and no repeat lessens it.
        bound = max(CALLIPERS, seen["thicker"].step if thicker else 0.0) / 2
        repeats = of_repeats(bows, u / math.sqrt(2), resolution(seen, ("g1", "g2")) / math.sqrt(24))
        found = Found(
            "bow",
            "bow in the middle",
            "length",
            repeats.mean,
            repeats.U + bound,
            tool.number("bow-limit"),
            repeats.n,
            True,
        )
        side = "first edge hollow" if repeats.mean >= 0 else "first edge humped"
        lines = [
            ("Bow in the middle", found.show(found.value), side),
            (f"± ({repeats.n})", found.show(found.U, signed=False), "turned over, the rests cancel"),
            (
                "Gap of the edge below",
                show_in(value(seen, f"g1/{n[-1]}") - repeats.mean, "length", found.U),
                "what a straight one would show",
            ),
        ]
        why = Working(
            "Bow",
            "bow = (first gap − second gap − thicker)/2",
            ";  ".join(
                f"({value(seen, f'g1/{k}') * 1000:g} − {value(seen, f'g2/{k}') * 1000:g} − {thicker * 1000:g})/2 = {b * 1000:.3g} mm"
                for k, b in zip(n, bows, strict=True)
            ),
            tuple(f"gaps {seen[f'g1/{k}'].text}, {seen[f'g2/{k}'].text}" for k in n),
            f"The ± holds up to {bound * 1000:.3g} mm for the callipers whole: no repeat shows it.",
        )
        return Outcome([found], lines, [], None, why, {"bow": repeats.mean})
