"""Problems of moving things: targets, leaves, screws."""

from __future__ import annotations

from collections.abc import Mapping
from typing import Any

import numpy as np
import numpy.typing as npt

from vivid_keel.core.errors import KeelError
from vivid_keel.core.moving.screws import hand_turns, turns
from vivid_keel.core.moving.stacks import choose_leaves
from vivid_keel.core.moving.targets import Target, work_out
from vivid_keel.core.problems.fields import Fields, Solved, all_finite, filled, names_once
from vivid_keel.core.quantities import EQUAL


def screw(f: Fields) -> Solved:
    moves, pitch, parts = (
        f.mapping("moves_m"),
        f.number("pitch_m", above=0.0),
        f.count("parts_of_a_turn", 8, least=1),
    )
    f.done()
    done = {name: turns(move, pitch) for name, move in moves.items()}
    all_finite(done)
    return {"turns": done, "hand": {name: hand_turns(t, parts) for name, t in done.items()}}, []


def stack(f: Fields) -> Solved:
    names, wanted, leaves, counts = [], [], [], []
    for item, where in filled(f.items("points"), "/problem/points"):
        p = Fields(item, where)
        names.append(p.text("name"))
        wanted.append(p.number("thickness_m", least=0.0))
        p.done()
    names_once(names, "/problem/points")
    for item, where in f.items("stock"):
        s = Fields(item, where)
        leaves.append(s.number("leaf_m", above=0.0))
        counts.append(s.count("count"))
        s.done()
    interface = f.maybe("interface_m", 0.0, least=0.0)
    most = f.count("most_leaves", -1) if not f.has("most_leaves") else f.count("most_leaves")
    tolerance = f.number("tolerance_m", least=0.0) if f.has("tolerance_m") else None
    f.done()
    assert interface is not None
    _bounded(wanted, leaves, None if most < 0 else most)
    packing = choose_leaves(
        np.array(wanted),
        leaves,
        counts,
        interface,
        None if most < 0 else most,
        tolerance=tolerance,
        alike=True,
    )
    warnings = [] if packing.proven else [f"the time ran out; no choice is better than {packing.bound} m"]
    return {
        "stacks": {name: list(stack) for name, stack in zip(names, packing.stacks, strict=True)},
        "residuals_m": dict(zip(names, packing.residuals.tolist(), strict=True)),
        "greatest_residual_m": packing.greatest_residual,
        "leaves": packing.leaves,
        **({} if tolerance is None else _beyond(packing.residuals, tolerance)),
    }, warnings


THICKEST, MOST_POINTS, HIGHEST_STACK, MOST_SIZES = 10.0, 2000, 1000, 100
"""No packing is thicker [m]; no problem has more points, no stack more leaves, no stock more thicknesses."""


def _bounded(wanted: list[float], leaves: list[float], most: int | None) -> None:
    """Refuse what no hand packs and no search ends.

    Raises
    ------
    KeelError
        `bad-value`, with the field.
    """
    if len(wanted) > MOST_POINTS:
        raise KeelError("bad-value", f"at most {MOST_POINTS} points can be packed at once", "/problem/points")
    if len(leaves) > MOST_SIZES:
        raise KeelError("bad-value", f"at most {MOST_SIZES} thicknesses of leaves", "/problem/stock")
    for i, thickness in enumerate(wanted):
        field = f"/problem/points/{i}/thickness_m"
        if thickness > THICKEST:
            raise KeelError("bad-value", f"no packing is thicker than {THICKEST:g} m", field)
        if most is None and leaves and thickness / max(leaves) > HIGHEST_STACK:
            raise KeelError(
                "bad-value",
                f"that takes more than {HIGHEST_STACK} leaves; give thicker ones, or most_leaves",
                field,
            )


def _beyond(residuals: npt.NDArray[np.float64], tolerance: float) -> dict[str, Any]:
    """How many points are within a tolerance [m], and how far out the others are, the worst first [m]."""
    out = np.abs(residuals)[np.abs(residuals) > tolerance + EQUAL]
    return {"within": len(residuals) - len(out), "beyond_m": np.sort(out)[::-1].tolist()}


HORIZONTAL = ("highest", "lowest", "keep", "height", "mean", "least-total", "least-greatest")
PLANES = ("fall", "best-fit", "minimum-zone")


def moves(f: Fields) -> Solved:
    """

    Raises
    ------
    KeelError
        `too-few-points`.
    """
    names, heights, xy = [], [], []
    target_fields = f.inner("target")
    assert target_fields is not None
    target = _target(target_fields)
    plane = target.kind in PLANES
    for item, where in f.items("points"):
        p = Fields(item, where)
        names.append(p.text("name"))
        heights.append(p.number("height_m"))
        xy.append((p.number("x_m"), p.number("y_m")) if plane else (p.maybe("x_m"), p.maybe("y_m")))
        p.done()
    names_once(names, "/problem/points")
    limits = f.inner("limits", needed=False)
    lowest = highest = None
    if limits is not None:
        lowest, highest = limits.maybe("lowest_m"), limits.maybe("highest_m")
        limits.done()
    f.done()
    if not names:
        raise KeelError("too-few-points", "there is no point; give at least one", "/problem/points")
    places = {"limit-broken": "/problem/limits", "unknown-name": "/problem/target/name"}
    if target.kind == "given":
        places["missing-field"] = places["unknown-name"] = "/problem/target/heights_m"
    if target.kind == "fall":
        places["unknown-name"] = "/problem/target/through/name"
    plan = np.array(xy, dtype=np.float64) if plane else None
    if plan is not None and target.kind != "fall":
        _apart(plan)
    try:
        done = work_out(names, np.array(heights), target, plan, lowest, highest)
    except KeelError as error:
        raise error.at(places.get(error.code, "/problem/points")) from None
    result: dict[str, Any] = {
        "target_m": dict(zip(names, done.target.tolist(), strict=True)),
        "moves_m": dict(zip(names, done.moves.tolist(), strict=True)),
        "greatest_m": done.greatest,
        "total_m": done.total,
    }
    if done.gradient is not None:
        result["gradient_x"], result["gradient_y"] = done.gradient
    if done.zone is not None:
        result["zone_m"] = done.zone
    return result, []


def _apart(plan: np.ndarray[Any, np.dtype[np.float64]]) -> None:
    if not np.isfinite(plan).all():
        raise KeelError("not-finite", "a plan position is not finite", "/problem/points")


def _target(f: Fields) -> Target:
    kind = f.text("kind", (*HORIZONTAL, *PLANES, "given"))
    if kind == "keep":
        target = Target(kind, name=f.text("name"))
    elif kind == "height":
        target = Target(kind, height=f.number("height_m"))
    elif kind == "given":
        target = Target(kind, heights=f.mapping("heights_m"))
    elif kind == "fall":
        gradient = (f.number("gradient_x"), f.number("gradient_y"))
        if isinstance(f.value.get("through"), Mapping):
            through = f.inner("through")
            assert through is not None
            target = Target(kind, name=through.text("name"), gradient=gradient, through="point")
            through.done()
        else:
            target = Target(kind, gradient=gradient, through=f.text("through", ("highest", "mean")))
    else:
        target = Target(kind)
    f.done()
    return target
