"""Problems of the ground: water over a surface, cut and fill against a plane, and the two walks that bring heights."""

from __future__ import annotations

import math

import numpy as np

from vivid_keel.core.errors import KeelError
from vivid_keel.core.problems.fields import Fields, Solved, filled, names_once, number, whole
from vivid_keel.core.quantities import is_missing
from vivid_keel.core.surface.against import Plane, against, balance
from vivid_keel.core.surface.tin import Tin, surface
from vivid_keel.core.surface.walks import SAME, Between, Look, walk_hydrostatic, walk_string


def _surface(f: Fields) -> Tin:
    points = []
    for item, where in f.items("points"):
        if not isinstance(item, list) or len(item) != 3:
            raise KeelError("wrong-type", "expected x, y and z", where)
        points.append([number(value, f"{where}/{k}") for k, value in enumerate(item)])
    outline = None
    if f.has("outline"):
        outline = [whole(item, where, 0) for item, where in f.items("outline")]
        for k, at in enumerate(outline):
            if at >= len(points):
                raise KeelError(
                    "bad-value", f"there is no point {at}; they are numbered from 0", f"/problem/outline/{k}"
                )
    try:
        return surface(np.array(points, dtype=np.float64).reshape(-1, 3), outline)
    except KeelError as error:
        where = "/problem/outline" if error.code == "bad-outline" else "/problem/points"
        raise error.at(where) from None


def depth(f: Fields) -> Solved:
    """Water over a surface.

    Raises
    ------
    KeelError
        `too-few-points`, `points-in-line`, `bad-outline`, `bad-value`.
    """
    tin, water = _surface(f), f.number("water_m")
    f.done()
    found = against(tin.pieces, Plane(water))
    dry = int((tin.xyz[tin.within, 2] > water).sum())
    return {
        "area_m2": found.below_area,
        "volume_m3": found.fill,
        "greatest_depth_m": max(0.0, -found.lowest),
        "dry": dry,
    }, []


def cutfill(f: Fields) -> Solved:
    """A surface against a plane.

    Raises
    ------
    KeelError
        `too-few-points`, `points-in-line`, `bad-outline`, `bad-value`.
    """
    tin, given = _surface(f), f.inner("plane")
    assert given is not None
    plane = Plane(given.number("height_m"), (given.number("gradient_x"), given.number("gradient_y")))
    given.done()
    factor = f.maybe("factor", 1.0, above=0.0)
    assert factor is not None
    f.done()
    found = against(tin.pieces, plane)
    return {
        "area_m2": found.area,
        "cut_m3": found.cut,
        "fill_m3": found.fill,
        "net_m3": factor * found.cut - found.fill,
        "balance_height_m": balance(tin.pieces, plane.gradient, factor),
    }, []


def string_walk(f: Fields) -> Solved:
    """A string levelled from stake to stake.

    Raises
    ------
    KeelError
        `wrong-legs`, `no-tension`, `duplicate-name`, `bad-value`.
    """
    start = f.number("start_m")
    stakes, between = [], []
    for item, where in filled(f.items("stakes"), "/problem/stakes"):
        one = Fields(item, where)
        stakes.append((one.text("name"), one.number("down_m")))
        one.done()
    lengths = [number(item, where, above=0.0) for item, where in f.items("lengths_m")]
    closing, allowed = f.maybe("closing_m", math.nan), f.maybe("allowed_m", 0.01, least=0.0)
    weight, tension = f.maybe("weight_n_per_m", 0.0, least=0.0), f.maybe("tension_n", math.nan, above=0.0)
    assert closing is not None and allowed is not None and weight is not None and tension is not None
    if f.has("between"):
        for item, where in f.items("between"):
            one = Fields(item, where)
            between.append(
                Between(one.text("name"), one.count("leg"), one.number("at_m"), one.number("down_m"))
            )
            one.done()
    f.done()
    names_once([*(name for name, _ in stakes), *(one.name for one in between)], "/problem/stakes")
    for k, one_between in enumerate(between):
        if one_between.leg >= len(lengths):
            raise KeelError(
                "bad-value",
                f"there is no leg {one_between.leg}; they are numbered from 0",
                f"/problem/between/{k}/leg",
            )
        if not -SAME <= one_between.at <= lengths[one_between.leg] + SAME:
            raise KeelError(
                "bad-value", f"its leg is {lengths[one_between.leg]:g} m long", f"/problem/between/{k}/at_m"
            )
    try:
        found = walk_string(
            start,
            stakes,
            lengths,
            closing=closing,
            allowed=allowed,
            weight=weight,
            tension=tension,
            between=between,
        )
    except KeelError as error:
        where = "/problem/tension_n" if error.code == "no-tension" else "/problem/lengths_m"
        raise error.at(where) from None
    return {
        "misclosure_m": None if is_missing(found.misclosure) else found.misclosure,
        "accepted": found.accepted,
        "string_m": found.string,
        "ground_m": found.ground,
    }, []


def hydro_walk(f: Fields) -> Solved:
    """A hydrostatic level carried from point to point.

    Raises
    ------
    KeelError
        `no-zero`, `duplicate-name`, `bad-value`.
    """
    benchmark = f.number("benchmark_m")
    zeros, points = [], []
    for item, where in f.items("zeros"):
        one = Fields(item, where)
        zeros.append(Look(one.number("time_s"), one.number("reading_m")))
        one.done()
    for item, where in f.items("points"):
        one = Fields(item, where)
        points.append(Look(one.number("time_s"), one.number("reading_m"), one.text("name")))
        one.done()
    names_once([one.name for one in points], "/problem/points")
    moved = [number(item, where) for item, where in f.items("moved_s")] if f.has("moved_s") else []
    f.done()
    try:
        found = walk_hydrostatic(benchmark, zeros, points, moved)
    except KeelError as error:
        raise error.at("/problem/zeros") from None
    return {"heights_m": found.heights, "unchecked": found.unchecked, "void": found.void}, []
