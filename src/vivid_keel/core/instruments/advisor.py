"""Which instrument for this job: the U each would give over the span, and whether it can prove the tolerance.

Source: the error budget of each kind of instrument over a span, as the practice states its repeatability.
"""

from __future__ import annotations

import math
from datetime import datetime

from msgspec import Struct

from vivid_keel.core.instruments.tool import Tool
from vivid_keel.core.proof import Budget, BudgetLine
from vivid_keel.core.quantities import at_most

CONDITIONS = {
    "corners": "round corners",
    "trembling": "a trembling floor or gusts",
    "alone": "one person alone",
    "bright": "bright daylight",
}
STRING = 0.0025 / 7.5
"""A string and a hung level: u of 2.5 mm in a span of 7.5 m [1]."""
ENOUGH = 0.25
"""Below this share of the tolerance a smaller U changes no verdict worth the trouble."""

MOST_PLACINGS = 20
"""As often as anybody puts a level down end to end before taking something that reaches further."""


UNSURE = {"due", "knocked", "unchecked"}
"""States of an instrument that wants a check before it proves anything."""


class Advice(Struct, frozen=True):
    """One instrument for a task.

    Attributes
    ----------
    tool : Tool
    budget : Budget
        Of a height difference over the span [m].
    hindrance : str
        Why it can't be used under these conditions, "" where it can.
    proves : bool
        U ≤ tolerance: something dead right would be proven in.
    enough : bool
        U ≤ a quarter of the tolerance: more precision buys nothing.
    sure : bool
        Whether it was checked, and nothing has befallen it since: what proves a thing is itself known to be right.
    """

    tool: Tool
    budget: Budget
    hindrance: str
    proves: bool
    enough: bool
    sure: bool

    @property
    def sign(self) -> str:
        """The verdict to be shown: in, out, open where a check comes first, todo where it can't be used here."""
        if self.hindrance:
            return "todo"
        return "out" if not self.proves else "in" if self.sure else "open"


def advise(
    tools: list[Tool], tolerance: float, span: float, conditions: frozenset[str], now: datetime
) -> list[Advice]:
    """Return the instruments for a task, what serves first; without sense for staffs, which only go with others.

    Parameters
    ----------
    tolerance, span : float
        [m]
    conditions : frozenset of str
        Keys of CONDITIONS.
    """
    out = []
    for tool in tools:
        budget = over_span(tool, span, now)
        if budget is None:
            continue
        hindrance = hindered(tool, conditions, span, now)
        out.append(
            Advice(
                tool,
                budget,
                hindrance,
                at_most(budget.U, tolerance),
                at_most(budget.U, ENOUGH * tolerance),
                tool.state(now).key not in UNSURE,
            )
        )
    return sorted(out, key=lambda a: (bool(a.hindrance), not a.proves, not a.sure, a.budget.U))


def hindered(tool: Tool, conditions: frozenset[str], span: float, now: datetime) -> str:
    """Return what speaks against an instrument over a span [m] under these conditions, "" for nothing."""
    kind = tool.kind
    if tool.state(now).key in {"out", "adjust"}:
        return "out of use until it is adjusted and checked"
    if (
        "corners" in conditions
        and not kind.round_corners
        and (kind.needs_sight or kind.key in {"straightedge", "plumb-frame"})
    ):
        return "wants a clear line of sight"
    fixed = kind.key == "optical" and tool.texts.get("sort", "").startswith("f")
    if "trembling" in conditions and kind.swims and not fixed:
        return (
            "swims on a trembling floor"
            if kind.key != "optical"
            else "its compensator swims; a fixed line stays readable"
        )
    if "trembling" in conditions and kind.key in {"plumb-frame", "tube"}:
        return "never comes to rest there"
    if "alone" in conditions and not kind.alone:
        return "wants a second person"
    if "bright" in conditions and kind.key in {"line", "rotary"}:
        return "its beam is lost in bright light"
    if kind.key in {"spirit", "precision", "electronic"} and span > MOST_PLACINGS * tool.traits.number(
        "length"
    ):
        return f"{math.ceil(span / tool.traits.number('length'))} placings are too many to walk"
    if kind.key == "straightedge" and span > tool.traits.number("length") + 1e-9:
        return f"only {tool.traits.number('length'):g} m long"
    return ""


def over_span(tool: Tool, span: float, now: datetime) -> Budget | None:
    """Return the budget of a height difference over a span [m]; None for what reads no height difference."""
    traits = tool.traits
    key = tool.kind.key
    if key in {"spirit", "precision", "electronic"}:
        length = traits.number("length")
        steps = max(1.0, math.ceil(span / length - 1e-9))
        one = traits.number("noise") if traits.electronic else traits.number("share") * traits.division
        lines = [
            BudgetLine(f"reading, {steps:g} × put down", one * min(length, span) * math.sqrt(steps)),
            BudgetLine("its own error, as far as known", _left(tool, "level", now) * span),
        ]
        if key == "precision" and steps > 1:
            lines.append(BudgetLine("stepping from place to place", 0.02e-3 * math.sqrt(steps)))
    elif key in {"optical", "rotary", "line"}:
        u = traits.number("u") + traits.number("grows") * max(span - traits.number("from", 0.0), 0.0)
        name = {"optical": "collimation", "rotary": "x", "line": "line"}[key]
        lines = [
            BudgetLine("two readings", u * math.sqrt(2)),
            BudgetLine("its own error, sights unequal by the span", _left(tool, name, now) * span),
        ]
        if key != "optical":
            lines.append(
                BudgetLine("width of the beam", 0.1 * traits.number("spot", 0.0) * span / math.sqrt(3))
            )
    elif key == "tube":
        lines = [
            BudgetLine("two marks", traits.number("u") * math.sqrt(2)),
            BudgetLine("legs 2 degrees apart", 0.0002 * 2 * traits.number("column") / math.sqrt(3)),
        ]
    elif key == "hydrostatic":
        lines = [
            BudgetLine("two readings", traits.number("u") * math.sqrt(2)),
            BudgetLine("drift in a quarter of an hour", _left(tool, "drift", now) / 4),
        ]
    elif key == "string":
        spans = max(1.0, math.ceil(span / traits.number("span") - 1e-9))
        lines = [
            BudgetLine(
                f"{spans:g} span{'s' if spans > 1 else ''} of string",
                STRING * traits.number("span") * math.sqrt(spans),
            )
        ]
    elif key == "boards":
        lines = [
            BudgetLine("two sights", traits.number("u") * math.sqrt(2)),
            BudgetLine("board level", traits.number("share") * traits.division * span),
        ]
    elif key == "straightedge":
        lines = [
            BudgetLine("gap", traits.number("u")),
            BudgetLine("its own bow", traits.number("bow-limit") / math.sqrt(3)),
        ]
    else:
        return None
    return Budget(tuple(lines))


def _left(tool: Tool, key: str, now: datetime) -> float:
    """What is left of the own error [1 or m/h]: u of the last check where readings are corrected, else all of it."""
    point = tool.worth(key, now)
    limit = tool.traits.number("limit")
    if point is None:
        return limit / math.sqrt(3)
    check = next(c for c in tool.checks if c.id == point.check)
    if check.decided == "correct":
        return point.U / 2
    return math.hypot(point.U / 2, abs(point.value) / math.sqrt(3))
