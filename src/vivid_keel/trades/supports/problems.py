"""Problems of supports: posts read from several stations."""

from __future__ import annotations

import math
from typing import Any

from vivid_keel.core.errors import KeelError
from vivid_keel.core.moving.stations import CRITICAL, Sighted, tie
from vivid_keel.core.problems.fields import Fields, Solved, pointer

MOST_READINGS = 2000
"""No floor is read more often [1]."""


def stations(f: Fields) -> Solved:
    """Posts read from several stations, whose lines are unknown.

    Raises
    ------
    KeelError
        `bad-value`, and what `tie` refuses.
    """
    readings = []
    for item, where in f.items("readings"):
        one = Fields(item, where)
        readings.append(
            Sighted(
                one.text("station"),
                one.text("post"),
                one.number("reading_m"),
                one.number("u_m", above=0.0),
                one.flag("hanging") if one.has("hanging") else False,
            )
        )
        one.done()
    if not readings or len(readings) > MOST_READINGS:
        raise KeelError(
            "bad-value", f"there are 1 to {MOST_READINGS} readings, here {len(readings)}", "/problem/readings"
        )
    known = {}
    given = f.inner("known", needed=False)
    if given is not None:
        for name in given.value:
            inner = given.inner(name)
            assert inner is not None
            known[name] = (inner.number("height_m"), inner.maybe("u_m", 0.0, least=0.0) or 0.0)
            inner.done()
    reference = f.text("reference") if f.has("reference") else None
    critical = f.number("critical", above=0.0) if f.has("critical") else CRITICAL
    f.done()
    places = {"untied": "/problem/readings", "unknown-name": "/problem/reference"}
    posts = {one.post for one in readings}
    if unread := next((name for name in known if name not in posts), None):
        places["unknown-name"] = f"/problem/known/{pointer(unread)}"
    try:
        found = tie(readings, known, reference, critical)
    except KeelError as error:
        raise error.at(places[error.code]) from None
    difference, u_difference = found.against(reference or readings[0].post)

    def by_post(values: Any) -> dict[str, float]:
        return dict(zip(found.posts, values.tolist(), strict=True))

    return {
        "heights_m": by_post(found.heights),
        "u_m": by_post(found.u),
        "lines_m": dict(zip(found.stations, found.lines.tolist(), strict=True)),
        "difference_m": by_post(difference),
        "u_difference_m": by_post(u_difference),
        "residuals_m": found.residuals.tolist(),
        "standardised": [None if math.isnan(w) else w for w in found.standardised.tolist()],
        "degrees_of_freedom": found.degrees_of_freedom,
        "variance_factor": None if math.isnan(found.variance_factor) else found.variance_factor,
        "suspects": list(found.suspects),
        "unchecked": list(found.unchecked),
    }, []


PROBLEMS = {"stations": stations}
