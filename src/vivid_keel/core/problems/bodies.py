"""The problem of a body read by bubble."""

from __future__ import annotations

import numpy as np

from vivid_keel.core.body.model import APART, SHAPES, Body, Gap, Height, Observation, Step, Tilt, adjust
from vivid_keel.core.errors import KeelError
from vivid_keel.core.problems.fields import Fields, Solved, filled, names_once, pointer


def body(f: Fields) -> Solved:
    """Heights of a body's nodes.

    Raises
    ------
    KeelError
        `points-in-line`, `not-observable`, `unknown-name`, `bad-value`.
    """
    names, places = [], []
    for item, where in filled(f.items("nodes"), "/problem/nodes"):
        node = Fields(item, where)
        names.append(node.text("name"))
        places.append((node.number("x_m"), node.number("y_m")))
        node.done()
    names_once(names, "/problem/nodes")
    made = Body(names, np.array(places, dtype=np.float64), f.text("shape", SHAPES))
    at = {name: k for k, name in enumerate(names)}
    seen = [_observation(Fields(item, where), at, made) for item, where in f.items("observations")]
    zeros = _zeros(f)
    f.done()
    try:
        found = adjust(made, seen, zeros)
    except KeelError as error:
        raise error.at(
            "/problem/nodes" if error.code == "points-in-line" else "/problem/observations"
        ) from None
    result = {
        "heights_m": dict(zip(names, found.heights.tolist(), strict=True)),
        "u_m": dict(zip(names, found.u.tolist(), strict=True)),
        "zero_rad": dict(found.zeros),
        "u_zero_rad": dict(found.u_zeros),
        "gradient_x": None if found.gradient is None else found.gradient[0],
        "gradient_y": None if found.gradient is None else found.gradient[1],
        "residuals": found.residuals.tolist(),
        "degrees_of_freedom": found.freedom,
        "variance_factor": found.variance_factor,
    }
    return result | ({} if found.twist is None else {"twist_per_m": found.twist}), []


def _observation(g: Fields, at: dict[str, int], made: Body) -> Observation:
    def node(name: str) -> int:
        found = g.text(name)
        if found not in at:
            raise KeelError("unknown-name", f"there is no node {found}", f"{g.where}/{name}")
        return at[found]

    def apart(a: int, b: int, name: str, *, in_plan: bool = True) -> None:
        if a == b or (in_plan and float(np.hypot(*(made.xy[a] - made.xy[b]))) <= APART):
            raise KeelError(
                "bad-value", "two nodes at one place; nothing lies between them", f"{g.where}/{name}"
            )

    kind = g.text("kind", ("tilt", "height", "step", "gap"))
    if kind == "tilt":
        level, start, to = g.text("level"), node("from"), node("to")
        apart(start, to, "to")
        way = g.number("way")
        if way not in {1, -1}:
            raise KeelError("bad-value", "a level lies one way, 1, or the other, -1", f"{g.where}/way")
        made_of: Observation = Tilt(
            level, start, to, int(way), g.number("tilt_rad"), g.number("u_rad", above=0.0)
        )
    elif kind == "height":
        made_of = Height(node("node"), g.number("height_m"), g.number("u_m", above=0.0))
    elif kind == "step":
        start, to = node("from"), node("to")
        apart(start, to, "to", in_plan=False)
        made_of = Step(start, to, g.number("rise_m"), g.number("u_m", above=0.0))
    else:
        a, b, middle = node("a"), node("b"), node("middle")
        apart(a, b, "b")
        apart(a, middle, "middle")
        apart(b, middle, "middle")
        made_of = Gap(a, b, middle, g.number("gap_m"), g.number("u_m", above=0.0))
    g.done()
    return made_of


def _zeros(f: Fields) -> dict[str, tuple[float, float]]:
    given = f.inner("zeros", needed=False)
    out: dict[str, tuple[float, float]] = {}
    for level in list(given.value) if given is not None else []:
        one = Fields(given.value[level], f"/problem/zeros/{pointer(level)}")  # type: ignore[union-attr]
        out[level] = (one.number("zero_rad"), one.number("u_rad", least=0.0))
        one.done()
    return out
