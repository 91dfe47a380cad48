"""Problems of the level book: the book itself, one sight, a network, two epochs."""

from __future__ import annotations

import math

import numpy as np

from vivid_keel.core.booking.closing import ToleranceClass, adjusted_heights, close
from vivid_keel.core.booking.hairs import stadia
from vivid_keel.core.booking.layout import KIND_NUMBER, KINDS, ListedMark, lay_out
from vivid_keel.core.booking.reduction import reduce
from vivid_keel.core.errors import KeelError
from vivid_keel.core.problems.fields import Fields, Solved, filled
from vivid_keel.core.quantities import EQUAL


def sight(f: Fields) -> Solved:
    middle = f.number("middle_m")
    upper, lower, factor = f.maybe("upper_m"), f.maybe("lower_m"), f.maybe("factor", 100.0, above=0.0)
    f.done()
    assert factor is not None
    try:
        found = stadia(middle, upper, lower, factor)
    except KeelError as error:
        raise error.at("/problem/middle_m") from None
    return {"distance_m": found.distance, "middle_check_m": found.middle_check}, []


def level_book(f: Fields) -> Solved:
    listed = _listed(f)
    kinds: list[int] = []
    marks: list[str] = []
    setup: list[int] = []
    readings: list[float] = []
    distances: list[float] = []
    where_of: list[str] = []
    empty = True
    for s, (item, where) in enumerate(filled(f.items("setups"), "/problem/setups")):
        one = Fields(item, where)
        sights = filled(one.items("sights"), f"{where}/sights")
        one.done()
        for j, (sight, at) in enumerate(sights):
            g = Fields(sight, at)
            marks.append(g.text("mark"))
            kind = g.text("kind", KINDS)
            kinds.append(KIND_NUMBER[kind])
            readings.append(g.number("reading_m"))
            distance = g.maybe("distance_m", above=0.0)
            distances.append(math.nan if distance is None else distance)
            g.done()
            if j == 0 and kind != "BS":
                raise KeelError("no-backsight", "a set-up begins with its backsight", f"{at}/kind")
            setup.append(s)
            where_of.append(at)
            empty = False
    spread = f.text("spread", ("setups", "distance", "none"), "setups")
    allow = f.maybe("allow_per_root_setup_m", 0.005, least=0.0)
    collimation = f.maybe("collimation_rad")
    f.done()
    assert not empty and allow is not None
    layout = lay_out(kinds, marks, setup, listed)
    if layout.troubles:
        first = layout.troubles[0]
        raise KeelError(first.code, first.message, where_of[first.row])
    lengths = np.array(distances)
    reduction = reduce(layout, np.array(readings), lengths, collimation)
    try:
        closure = close(reduction, lengths, ToleranceClass("given", allow, "setup"), spread)
    except KeelError as error:
        raise error.at(f"{where_of[int(error.where)]}/distance_m") from None
    warnings = [
        f"{mark} passed on the way: observed {reduction.heights[row] - listed[mark].height:+.4f} m against its listed height"
        for row, mark in layout.passed
        if row != closure.row and abs(float(reduction.heights[row]) - listed[mark].height) > EQUAL
    ]
    if len(reduction.undistanced):
        named = ", ".join(dict.fromkeys(marks[i] for i in reduction.undistanced))
        warnings.append(f"no distance, so no collimation correction: {named}")
    return {
        "setups": [{"height_of_collimation_m": hc} for hc in reduction.collimation_height.tolist()],
        "heights": reduction.observed(),
        "adjusted": adjusted_heights(reduction, closure),
        "sum_bs_m": reduction.sum_bs,
        "sum_fs_m": reduction.sum_fs,
        "sum_rise_m": reduction.sum_rise,
        "sum_fall_m": reduction.sum_fall,
        "misclosure_m": closure.misclosure,
        "allowed_m": closure.allowed,
        "accepted": closure.accepted,
    }, warnings


def _listed(f: Fields) -> dict[str, ListedMark]:
    listed: dict[str, ListedMark] = {}
    for item, where in f.items("marks"):
        m = Fields(item, where)
        name, height, fixed = m.text("name"), m.number("height_m"), m.flag("fixed")
        m.done()
        if name in listed:
            if abs(listed[name].height - height) > EQUAL:
                raise KeelError(
                    "two-heights",
                    f"{name} is listed with two heights; strike the wrong one",
                    f"{where}/height_m",
                )
            raise KeelError("duplicate-name", f"{name} is listed twice", f"{where}/name")
        listed[name] = ListedMark(name, height, fixed)
    return listed
