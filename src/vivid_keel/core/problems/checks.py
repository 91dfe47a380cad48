"""Problems of checking instruments: reversal, two pegs, a laser's axes, a water tube."""

from __future__ import annotations

from vivid_keel.core.errors import KeelError
from vivid_keel.core.instruments.checks import PegSetUp, reverse, rotary_axis, settle, two_peg
from vivid_keel.core.instruments.checks.tube import WATER
from vivid_keel.core.problems.fields import Fields, Solved, filled, number


def reversal(f: Fields) -> Solved:
    """A level turned end for end.

    Raises
    ------
    KeelError
        `wrong-type`, `bad-value`.
    """
    division = f.number("division_rad", above=0.0)
    cycles = []
    for item, where in filled(f.items("cycles"), "/problem/cycles"):
        if not isinstance(item, list):
            raise KeelError("wrong-type", "expected a list of two readings", where)
        if len(item) != 2:
            raise KeelError(
                "bad-value", "a cycle is two readings: end A to the right, then to the left", where
            )
        cycles.append((number(item[0], f"{where}/0"), number(item[1], f"{where}/1")))
    resolution = f.maybe("resolution_div", above=0.0)
    f.done()
    found = reverse(cycles, resolution)
    return {
        "slope_div": found.slope,
        "error_div": found.error,
        "error_rad": found.error * division,
        "u_error_div": found.u,
        "target_div": found.target,
    }, []


def two_pegs(f: Fields) -> Solved:
    """A line of sight over two pegs."""
    setups = []
    for name in ("first", "second"):
        g = f.inner(name)
        assert g is not None
        to_a, to_b = g.number("to_a_m", above=0.0), g.number("to_b_m", above=0.0)
        setups.append(PegSetUp(to_a, to_b, g.number("a_m"), g.number("b_m")))
        g.done()
    curvature = f.flag("curvature")
    u = f.maybe("u_reading_m", least=0.0)
    f.done()
    try:
        found = two_peg(setups[0], setups[1], curvature=curvature, u_reading=u)
    except KeelError as error:
        raise error.at("/problem/second") from None
    out = {
        "collimation_rad": found.collimation,
        "height_difference_m": found.difference,
        "adjust_a_m": found.adjust_a,
        "adjust_b_m": found.adjust_b,
    }
    return out if u is None else {**out, "u_collimation_rad": found.u}, []


def laser_axes(f: Fields) -> Solved:
    """A rotating laser's axes."""
    distance = f.number("distance_m", above=0.0)
    found = rotary_axis(
        distance, *(f.number(name) for name in ("x_plus_m", "x_minus_m", "y_plus_m", "y_minus_m"))
    )
    f.done()
    warnings = (
        []
        if found.resolved
        else ["nearer than 15 m: the verdict is unresolved; take the target further away"]
    )
    return {"x_error_rad": found.x, "y_error_rad": found.y}, warnings


def water_tube(f: Fields) -> Solved:
    """How long water takes to stand."""
    filled_m, bore = f.number("filled_m", above=0.0), f.number("bore_m", above=0.0)
    start, resolution = f.number("start_m", least=0.0), f.number("resolution_m", above=0.0)
    viscosity = f.maybe("viscosity_m2_s", WATER, above=0.0)
    f.done()
    assert viscosity is not None
    found = settle(filled_m, bore, start, resolution, viscosity)
    return {"period_s": found.period, "settle_s": found.wait}, []
