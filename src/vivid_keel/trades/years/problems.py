"""A problem of heights over the years."""

from __future__ import annotations

import math

import numpy as np

from vivid_keel.core.errors import KeelError
from vivid_keel.core.problems.fields import Fields, Solved
from vivid_keel.core.quantities import is_missing
from vivid_keel.core.record.stood import Part, lay_together

UNLIKE = 1e6
"""No levelling is so many times as sure as another [1]."""
MOST = 60
"""So many occasions are laid side by side at the most."""


def years(f: Fields) -> Solved:
    """The same marks levelled on several occasions: which benchmarks stood, what the others did, and how fast."""
    parts: list[Part] = []
    times: list[float] = []
    us: list[float] = []
    for item, where in f.items("occasions"):
        g = Fields(item, where)
        times.append(g.number("years"))
        heights, u = g.mapping("marks"), g.number("u_m", above=0.0)
        us.append(u)
        g.done()
        if len(times) > 1 and times[-1] <= times[-2]:
            raise KeelError("bad-value", "occasions stand in the order of their years", f"{where}/years")
        names = list(heights)
        parts.append(
            Part(
                len(parts),
                names,
                np.array([heights[name] for name in names]),
                np.eye(len(names)) * u * u,
            )
        )
    benchmarks: list[str] = []
    for name, where in f.items("benchmarks"):
        if not isinstance(name, str):
            raise KeelError("wrong-type", "expected a mark's name", where)
        if name in benchmarks:
            raise KeelError("duplicate-name", f"“{name}” is named twice", where)
        if not any(name in part.names for part in parts):
            raise KeelError("unknown-name", f"“{name}” was read on no occasion", where)
        benchmarks.append(name)
    f.done()
    if us and max(us) > UNLIKE * min(us):
        raise KeelError(
            "bad-value",
            f"one occasion is said to be {max(us) / min(us):.0g} times as sure as another; is a unit off?",
            "/problem/occasions",
        )
    if not 2 <= len(parts) <= MOST:
        raise KeelError("bad-value", f"2 to {MOST} occasions can be laid side by side", "/problem/occasions")
    common = [
        name
        for name in dict.fromkeys(n for p in parts for n in p.names)
        if sum(name in p.names for p in parts) > 1
    ]
    carry = [name for name in benchmarks if name in common]
    if not carry:
        raise KeelError(
            "no-common-mark",
            "no benchmark was read on two occasions; the names must be the same",
            "/problem/benchmarks",
        )
    frame = lay_together(parts, carry, times)
    change, u_change, rate, u_rate = {}, {}, {}, {}
    for name in common:
        series = frame.series(name)
        if len(series.occasions) < 2:
            continue
        change[name], u_change[name] = series.change(0, len(series.occasions) - 1)
        at = np.array([times[k] for k in series.occasions])
        speed = series.rate(at)
        if not is_missing(speed[0]):
            rate[name], u_rate[name] = speed
    return {
        "stood": frame.stood,
        "moved": {
            one.name: {"how": one.how, "by_m": one.by, "u_m": one.u, "or": list(one.rivals)}
            for one in frame.moved
        },
        "told_from_m": {name: by for name, by in frame.smallest.items() if math.isfinite(by)},
        "change_m": change,
        "u_change_m": u_change,
        "rate_m_per_year": rate,
        "u_rate_m_per_year": u_rate,
    }, [] if frame.freedom > 0 else ["nothing checks the benchmarks"]
