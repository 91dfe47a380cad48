"""What an instrument's history says about its future."""

from __future__ import annotations

import math
from datetime import datetime

from vivid_keel.core.instruments.drift import FEWEST, forecast
from vivid_keel.core.instruments.outcome import show_in
from vivid_keel.core.instruments.tool import HAPPENINGS, Tool
from vivid_keel.core.kinds import Finding
from vivid_keel.core.working import Working

MONTH = 30.44


def drift_findings(tool: Tool, now: datetime) -> list[Finding]:
    """Return a sentence for each error with a history: wandering, steady, or too few checks to tell."""
    out = []
    for key, points in tool.history().items():
        found = points[-1].found
        line = tool.drift(key, now)
        since = tool.since_break(key, now)
        name = found.name[:1].upper() + found.name[1:]
        if line is None:
            broken = tool.last_break(now)
            after = f" since it was {HAPPENINGS.get(broken.what, broken.what)}" if broken is not None else ""
            out.append(
                Finding(
                    "note", f"{name}: too few checks to tell", f"{len(since)}{after}; a line wants {FEWEST}."
                )
            )
            continue
        per_month = show_in(line.slope * MONTH, found.unit, line.k * math.sqrt(line.var_slope) * MONTH)
        why = Working(
            "Drift",
            "e(t) = e₀ + v·(t − t₀), weights 1/u²;  it crosses where |e(t)| = limit",
            f"v = {per_month} a month ± {show_in(line.k * math.sqrt(line.var_slope) * MONTH, found.unit, line.var_slope, signed=False)}; {line.n} checks",
            tuple(
                f"{p.time:%-d %b %Y}: {found.show(p.value)} ± {found.show(p.U, signed=False)}" for p in since
            ),
            "A knock, an adjustment or a repair begins a new line; none is fitted through one.",
        )
        if not line.tells:
            out.append(
                Finding(
                    "in", f"{name}: no drift to be seen", f"{per_month} a month, less than its own ±.", why
                )
            )
            continue
        story = forecast(line, 0.0, found.limit)
        if story.days == math.inf:
            out.append(
                Finding("in", f"{name} wanders by {per_month} a month", "Not to its limit in ten years.", why)
            )
        elif story.days <= 0:
            out.append(Finding("out", f"{name} has wandered past its limit", f"{per_month} a month.", why))
        else:
            late = "never" if story.late == math.inf else span(story.late)
            out.append(
                Finding(
                    "open",
                    f"{name} wanders by {per_month} a month",
                    f"Would reach its limit in about {span(story.days)} [{span(story.early)} to {late}].",
                    why,
                )
            )
    return out


def span(days: float) -> str:
    """Return a time ahead as people say it."""
    if days < 21:
        return f"{max(0, round(days))} days"
    if days < 60:
        return f"{round(days / 7)} weeks"
    return f"{round(days / MONTH)} months"
