"""The problem of an axis of rotation."""

from __future__ import annotations

import numpy as np

from vivid_keel.core.body.axis import feet_for, read_round
from vivid_keel.core.errors import KeelError
from vivid_keel.core.problems.fields import Fields, Solved, filled, names_once
from vivid_keel.core.quantities import is_missing


def axis(f: Fields) -> Solved:
    """Tilt of an axis, the one number to bring the level to, and its feet's moves.

    Raises
    ------
    KeelError
        `too-few-azimuths`, `duplicate-name`, `bad-value`.
    """
    azimuths, tilts = [], []
    for item, where in filled(f.items("readings"), "/problem/readings"):
        one = Fields(item, where)
        azimuths.append(one.number("azimuth_rad"))
        tilts.append(one.number("tilt_rad"))
        one.done()
    names, places = [], []
    if f.has("feet"):
        for item, where in filled(f.items("feet"), "/problem/feet"):
            foot = Fields(item, where)
            names.append(foot.text("name"))
            places.append((foot.number("x_m"), foot.number("y_m")))
            foot.done()
        names_once(names, "/problem/feet")
    raise_only = f.flag("raise_only") if f.has("raise_only") else True
    f.done()
    try:
        found = read_round(azimuths, tilts)
    except KeelError as error:
        raise KeelError(error.code, error.message, "/problem/readings") from None
    result: dict[str, object] = {
        "zero_rad": found.zero,
        "tilt_cos_rad": found.x,
        "tilt_sin_rad": found.y,
        "tilt_rad": found.tilt,
        "direction_rad": found.direction,
        "second_harmonic_rad": found.wobble,
        "target_rad": found.zero,
    }
    if names:
        moves = feet_for(found, np.array(places, dtype=np.float64), raise_only=raise_only)
        result["foot_moves_m"] = dict(zip(names, moves.tolist(), strict=True))
    if is_missing(found.line):
        return result, []
    return result, [
        "only the tilt along the line of these two readings is known; the other part is taken as 0"
    ]


PROBLEMS = {"axis": axis}
