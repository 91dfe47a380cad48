"""Problems of the level book: the book itself, one sight, a network, two epochs."""

from __future__ import annotations

import math

import numpy as np

from vivid_keel.core.booking.closing import ToleranceClass, adjusted_heights, close
from vivid_keel.core.booking.hairs import stadia
from vivid_keel.core.booking.layout import KIND_NUMBER, KINDS, ListedMark, lay_out
from vivid_keel.core.booking.network import Line, adjust
from vivid_keel.core.booking.reduction import reduce
from vivid_keel.core.errors import KeelError
from vivid_keel.core.problems.fields import Fields, Solved, filled
from vivid_keel.core.quantities import EQUAL
from vivid_keel.core.record.epochs import compare_epochs


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
                    "two-heights", f"{name} is listed with two heights; strike the wrong one", f"{where}/height_m"
                )
            raise KeelError("duplicate-name", f"{name} is listed twice", f"{where}/name")
        listed[name] = ListedMark(name, height, fixed)
    return listed


def network(f: Fields) -> Solved:
    """Least squares of lines between marks."""
    known = f.mapping("known")
    unit = f.number("sigma_unit_m", above=0.0)
    lines: list[Line] = []
    for item, where in f.items("lines"):
        g = Fields(item, where)
        start, to, rise = g.text("from"), g.text("to"), g.number("rise_m")
        setups, km, own = g.maybe("setups", above=0.0), g.maybe("length_km", above=0.0), g.maybe("sigma_m", above=0.0)
        g.done()
        if setups is not None and setups != math.floor(setups):
            raise KeelError("bad-value", "a number of set-ups is a whole number", f"{where}/setups")
        if start == to:
            raise KeelError("bad-value", f"a line from {start} to itself says nothing", f"{where}/to")
        root = math.sqrt(setups) if setups is not None else math.sqrt(km) if km is not None else 1.0
        lines.append(Line(start, to, rise, own if own is not None else unit * root))
    f.done()
    try:
        net = adjust({name: (height, 0.0) for name, height in known.items()}, lines)
    except KeelError as error:
        raise error.at("/problem/known" if error.code == "no-known-mark" else "/problem/lines") from None
    warnings = []
    if net.suspicious:
        line = lines[net.worst]
        warnings.append(
            f"the line {line.start} to {line.to} fits worst: {net.standardised[net.worst]:.1f} times its σ; "
            "look there for a slip"
        )
    return {
        "heights": dict(zip(net.names, net.heights.tolist(), strict=True)),
        "u_m": dict(zip(net.names, net.u.tolist(), strict=True)),
        "residuals_m": net.residuals.tolist(),
        "standardised": [None if s != s else s for s in net.standardised.tolist()],
        "redundancy": net.redundancy.tolist(),
        "degrees_of_freedom": net.freedom,
        "variance_factor": net.variance_factor,
    }, warnings


def epochs(f: Fields) -> Solved:
    """The same marks measured twice."""
    first, second = f.mapping("first"), f.mapping("second")
    u_first, u_second = f.number("u_first_m", least=0.0), f.number("u_second_m", least=0.0)
    tolerance = f.maybe("tolerance_m", least=0.0)
    f.done()
    try:
        found = compare_epochs(first, second, u_first, u_second, tolerance)
    except KeelError as error:
        raise error.at("/problem/second") from None
    warnings = []
    if found.missing:
        warnings.append(f"in the first epoch only: {', '.join(found.missing)}")
    if found.new:
        warnings.append(f"in the second epoch only: {', '.join(found.new)}")
    return {"change_m": found.change, "u_change_m": found.u, "verdict": found.verdict}, warnings
