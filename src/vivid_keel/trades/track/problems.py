"""The problem of a stretch of track."""

from __future__ import annotations

from typing import Any

from vivid_keel.core.errors import KeelError
from vivid_keel.core.problems.fields import Fields, Solved, number, pointer
from vivid_keel.trades.track.lifts import measures

MOST = 100_000
"""No stretch has as many sleepers: seventy kilometres."""


def _by_sleeper(f: Fields, name: str, n: int) -> dict[int, float]:
    f.mapping(name)
    out: dict[int, float] = {}
    given: dict[str, Any] = dict(f.value[name])
    for key, value in given.items():
        where = f"/problem/{name}/{pointer(key)}"
        if not (key.isascii() and key.isdigit() and str(int(key)) == key and int(key) < n):
            raise KeelError(
                "bad-value", f"there is no sleeper “{key}”; they are numbered from 0 to {n - 1}", where
            )
        out[int(key)] = number(value, where, least=0.0)
    return out


def track(f: Fields) -> Solved:
    """Measures of chips under each sleeper.

    Raises
    ------
    KeelError
        `bad-value`.
    """
    n = f.count("sleepers", least=1)
    if n > MOST:
        raise KeelError("bad-value", f"at most {MOST} sleepers are reckoned at once", "/problem/sleepers")
    sighted, voids = _by_sleeper(f, "sighted", n), _by_sleeper(f, "voids", n)
    quarter = f.flag("quarter") if f.has("quarter") else True
    f.done()
    found = measures(n, sighted, voids, quarter=quarter)
    return {"measures": found.tolist(), "total": float(found.sum())}, []


PROBLEMS = {"track": track}
