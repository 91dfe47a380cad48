"""A laboratory's certificate: an instrument's errors on a day, as somebody else found them.

Source: a certificate states an error and its expanded U (k = 2) on the day of its issue; a knock since takes both away
(practice of instruments).
"""

from __future__ import annotations

import math
from collections.abc import Mapping
from datetime import date

from vivid_keel.core.instruments.outcome import Found, Outcome, Procedure, Seen, Step, Traits, value
from vivid_keel.core.working import Working

_LEVEL = (("level", "own error, level", "tilt", "limit"),)
STATED: Mapping[str, tuple[tuple[str, str, str, str], ...]] = {
    "spirit": _LEVEL,
    "precision": _LEVEL,
    "electronic": _LEVEL,
    "boards": _LEVEL,
    "optical": (("collimation", "line of sight", "tilt", "limit"),),
    "rotary": (("x", "axis X", "tilt", "limit"), ("y", "axis Y", "tilt", "limit")),
    "line": (("line", "tilt of the line", "tilt", "limit"),),
    "straightedge": (("bow", "bow in the middle", "length", "bow-limit"),),
    "staff": (("foot", "foot", "length", "limit"),),
}
"""By the kind of instrument: which errors a certificate states (key, name, unit, the trait that limits it), as its checks name them."""
YEAR = 365.0
"""Days for which one is good where nothing else is said [d]."""
MOST_DAYS = 3700.0
"""None is good for longer [d]."""
FIRST_DAY, LAST_DAY = date(1950, 1, 1).toordinal(), date(2200, 1, 1).toordinal()
"""What a file says beyond these is taken for these."""


class Certificate(Procedure):
    """What a certificate states, entered as of its own day."""

    key, title = "certificate", "A laboratory's certificate"
    purpose = "It stands as a check of the day it was issued on; a knock since takes it away, as any other."
    waits = False

    def steps(self, tool: Traits, way: str, seen: Mapping[str, Seen]) -> list[Step]:
        out = [
            Step(
                "issued",
                "Issued on",
                "The day on the certificate, not today: its errors stand from then on.",
                "day",
            )
        ]
        for key, name, unit, _ in STATED[tool.kind.key]:
            typed = "tilt" if unit == "tilt" else "mm"
            out.append(
                Step(
                    f"is-{key}",
                    f"It states: {name}",
                    "With its sign: + where it reads too high, as a check here finds it. A correction has the other sign.",
                    typed,
                )
            )
            out.append(Step(f"U-{key}", f"± U of {name}", "Expanded (k = 2), as it is stated.", typed))
        out.append(
            Step(
                "days",
                "It is good for",
                "Days from its own day, by its maker or your rules; Enter takes a year.",
                "days",
                0,
                True,
                (),
                f"{YEAR:g}",
            )
        )
        return out

    def outcome(self, tool: Traits, way: str, seen: Mapping[str, Seen]) -> Outcome:
        found: list[Found] = []
        if "issued" in seen:
            for key, name, unit, limit in STATED[tool.kind.key]:
                if f"is-{key}" in seen and f"U-{key}" in seen:
                    U = abs(value(seen, f"U-{key}"))
                    found.append(Found(key, name, unit, value(seen, f"is-{key}"), U, tool.number(limit)))
        if not found:
            return Outcome()
        lines = [
            (
                f.name[:1].upper() + f.name[1:],
                f.show_with_u(),
                f"may be {f.show(f.limit, signed=False)}",
            )
            for f in found
        ]
        lines.append(("Good for", f"{self.good_for(seen):g} days", f"from {seen['issued'].text} on"))
        why = Working(
            "Certificate",
            "as it states",
            ";  ".join(f"{f.name}: {f.show_with_u()}" for f in found),
            tuple(f"{k}: {s.text}" for k, s in seen.items()),
            "Somebody else measured it; nothing is worked out here.",
        )
        return Outcome(found, lines, [], None, why)

    def good_for(self, seen: Mapping[str, Seen]) -> float:
        """Return for how many days it stands [d]."""
        days = value(seen, "days", YEAR)
        return YEAR if math.isnan(days) else min(max(days, 1.0), MOST_DAYS)

    def issued(self, seen: Mapping[str, Seen]) -> date | None:
        """Return the day it was issued on, None while nobody said."""
        day = value(seen, "issued")
        return None if math.isnan(day) else date.fromordinal(int(min(max(day, FIRST_DAY), LAST_DAY)))
