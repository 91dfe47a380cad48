"""Problem files: one calculation in, its result out, every field checked on the way in."""

from __future__ import annotations

import math
from collections.abc import Callable, Mapping, Sequence
from typing import Any

import numpy as np

from vivid_keel.core.booking.closing import ToleranceClass, adjusted_heights, close
from vivid_keel.core.booking.hairs import stadia
from vivid_keel.core.booking.layout import KIND_NUMBER, KINDS, ListedMark, lay_out
from vivid_keel.core.booking.reduction import reduce
from vivid_keel.core.errors import KeelError
from vivid_keel.core.levelling.screws import hand_turns, turns
from vivid_keel.core.levelling.stacks import choose_leaves
from vivid_keel.core.levelling.targets import Target, work_out
from vivid_keel.core.quantities import EQUAL

Solved = tuple[dict[str, Any], list[str]]


class Fields:
    """A JSON object being read field by field; what was not asked for is refused at the end."""

    def __init__(self, value: Any, where: str) -> None:
        if not isinstance(value, Mapping):
            raise KeelError("wrong-type", "expected an object", where)
        self.value, self.where = value, where
        self._asked: set[str] = set()

    def _get(self, name: str, needed: bool) -> Any:
        self._asked.add(name)
        if name not in self.value:
            if needed:
                raise KeelError("missing-field", f"“{name}” is missing", f"{self.where}/{name}")
            return None
        return self.value[name]

    def has(self, name: str) -> bool:
        return name in self.value

    def number(self, name: str, *, above: float | None = None, least: float | None = None) -> float:
        """Return a finite number, bounded if asked."""
        return number(self._get(name, True), f"{self.where}/{name}", above=above, least=least)

    def maybe(self, name: str, default: float | None = None, **bounds: float) -> float | None:
        """Return a number, or the default where the field is absent."""
        value = self._get(name, False)
        return default if not self.has(name) else number(value, f"{self.where}/{name}", **bounds)

    def count(self, name: str, default: int | None = None, *, least: int = 0) -> int:
        """Return a whole number of at least `least`."""
        value = self._get(name, default is None)
        if not self.has(name) and default is not None:
            return default
        return whole(value, f"{self.where}/{name}", least)

    def text(self, name: str, choices: Sequence[str] = (), default: str | None = None) -> str:
        """Return a text, one of the choices if there are any."""
        value = self._get(name, default is None)
        if not self.has(name) and default is not None:
            return default
        where = f"{self.where}/{name}"
        if not isinstance(value, str):
            raise KeelError("wrong-type", "expected a text", where)
        if choices and value not in choices:
            raise KeelError("bad-value", f"“{value}” is none of {', '.join(choices)}", where)
        return value

    def flag(self, name: str) -> bool:
        """Return true or false."""
        value = self._get(name, True)
        if not isinstance(value, bool):
            raise KeelError("wrong-type", "expected true or false", f"{self.where}/{name}")
        return value

    def items(self, name: str) -> list[tuple[Any, str]]:
        """Return the entries of a list, each with its pointer."""
        value = self._get(name, True)
        if not isinstance(value, list):
            raise KeelError("wrong-type", "expected a list", f"{self.where}/{name}")
        return [(item, f"{self.where}/{name}/{i}") for i, item in enumerate(value)]

    def mapping(self, name: str) -> dict[str, float]:
        """Return an object of name → finite number."""
        value, where = self._get(name, True), f"{self.where}/{name}"
        if not isinstance(value, Mapping):
            raise KeelError("wrong-type", "expected an object of name and number", where)
        return {key: number(item, f"{where}/{pointer(key)}") for key, item in value.items()}

    def inner(self, name: str, *, needed: bool = True) -> Fields | None:
        """Return an object inside this one."""
        value = self._get(name, needed)
        return Fields(value, f"{self.where}/{name}") if self.has(name) else None

    def done(self) -> None:
        """Refuse fields nobody asked for."""
        for name in self.value:
            if name not in self._asked:
                raise KeelError("unknown-field", f"there is no field “{name}” here", f"{self.where}/{pointer(name)}")


def pointer(name: str) -> str:
    """Return a name escaped for a JSON pointer (RFC 6901)."""
    return name.replace("~", "~0").replace("/", "~1")


def number(value: Any, where: str, *, above: float | None = None, least: float | None = None) -> float:
    """Return a JSON value as a finite float."""
    if isinstance(value, bool) or not isinstance(value, int | float):
        raise KeelError("wrong-type", "expected a number", where)
    try:
        out = float(value)
    except OverflowError:
        out = math.inf
    if not math.isfinite(out):
        raise KeelError("not-finite", "the number is not finite", where)
    if above is not None and out <= above:
        raise KeelError("bad-value", f"must be above {above:g}", where)
    if least is not None and out < least:
        raise KeelError("bad-value", f"must not be below {least:g}", where)
    return out


def whole(value: Any, where: str, least: int = 0) -> int:
    """Return a JSON value as a whole number."""
    out = number(value, where)
    if out != math.floor(out):
        raise KeelError("bad-value", "a count is a whole number", where)
    if out < least:
        raise KeelError("bad-value", f"must not be below {least}", where)
    return int(out)


def solve(kind: Any, problem: Any) -> Solved:
    """Solve one problem.

    Parameters
    ----------
    kind : str
        A key of `KINDS_OF_PROBLEM`.
    problem : mapping
        As docs/formats.md describes for the kind.

    Returns
    -------
    (dict, list of str)
        The result, finite numbers only, and warnings.

    Raises
    ------
    KeelError
        With `where` a JSON pointer into the problem file.
    """
    if not isinstance(kind, str):
        raise KeelError("wrong-type", "“kind” must be a text", "/kind")
    solver = KINDS_OF_PROBLEM.get(kind)
    if solver is None:
        raise KeelError(
            "unknown-kind", f"“{kind}” is no kind of problem; known are {', '.join(KINDS_OF_PROBLEM)}", "/kind"
        )
    fields = Fields(problem, "/problem")
    result, warnings = solver(fields)
    _all_finite(result)
    return result, warnings


def solve_document(document: Any) -> dict[str, Any]:
    """Solve a whole problem file as parsed; `note`, `expect` and `tolerance` may stand in it and are left alone."""
    if not isinstance(document, Mapping):
        raise KeelError("wrong-type", "a problem file is an object with “kind” and “problem”", "")
    for name in document:
        if name not in {"kind", "problem", "note", "expect", "expect_error", "tolerance"}:
            raise KeelError("unknown-field", f"there is no field “{name}” here", f"/{pointer(name)}")
    for name in ("kind", "problem"):
        if name not in document:
            raise KeelError("missing-field", f"“{name}” is missing", f"/{name}")
    result, warnings = solve(document["kind"], document["problem"])
    return {"kind": document["kind"], "result": result, "warnings": warnings}


def _all_finite(value: Any) -> None:
    if isinstance(value, float) and not math.isfinite(value):
        raise KeelError(
            "not-finite", "the numbers are too large: the result leaves the range of computing", "/problem"
        )
    if isinstance(value, Mapping):
        for item in value.values():
            _all_finite(item)
    elif isinstance(value, list):
        for item in value:
            _all_finite(item)


def _sight(f: Fields) -> Solved:
    middle = f.number("middle_m")
    upper, lower, factor = f.maybe("upper_m"), f.maybe("lower_m"), f.maybe("factor", 100.0, above=0.0)
    f.done()
    assert factor is not None
    try:
        found = stadia(middle, upper, lower, factor)
    except KeelError as error:
        raise error.at("/problem/middle_m") from None
    return {"distance_m": found.distance, "middle_check_m": found.middle_check}, []


def _screw(f: Fields) -> Solved:
    moves, pitch, parts = f.mapping("moves_m"), f.number("pitch_m", above=0.0), f.count("parts_of_a_turn", 8, least=1)
    f.done()
    done = {name: turns(move, pitch) for name, move in moves.items()}
    _all_finite(done)
    return {"turns": done, "hand": {name: hand_turns(t, parts) for name, t in done.items()}}, []


def _names_once(names: Sequence[str], where: str, field: str = "name") -> None:
    seen: set[str] = set()
    for i, name in enumerate(names):
        if name in seen:
            raise KeelError("duplicate-name", f"{name} is named twice", f"{where}/{i}/{field}")
        seen.add(name)


def _filled(items: list[tuple[Any, str]], where: str) -> list[tuple[Any, str]]:
    if not items:
        raise KeelError("bad-value", "the list is empty", where)
    return items


def _stack(f: Fields) -> Solved:
    names, wanted, leaves, counts = [], [], [], []
    for item, where in _filled(f.items("points"), "/problem/points"):
        p = Fields(item, where)
        names.append(p.text("name"))
        wanted.append(p.number("thickness_m", least=0.0))
        p.done()
    _names_once(names, "/problem/points")
    for item, where in f.items("stock"):
        s = Fields(item, where)
        leaves.append(s.number("leaf_m", above=0.0))
        counts.append(s.count("count"))
        s.done()
    interface = f.maybe("interface_m", 0.0, least=0.0)
    most = f.count("most_leaves", -1) if not f.has("most_leaves") else f.count("most_leaves")
    f.done()
    assert interface is not None
    packing = choose_leaves(np.array(wanted), leaves, counts, interface, None if most < 0 else most)
    warnings = [] if packing.proven else [f"the time ran out; no choice is better than {packing.bound} m"]
    return {
        "stacks": {name: list(stack) for name, stack in zip(names, packing.stacks, strict=True)},
        "residuals_m": dict(zip(names, packing.residuals.tolist(), strict=True)),
        "greatest_residual_m": packing.greatest_residual,
        "leaves": packing.leaves,
    }, warnings


HORIZONTAL = ("highest", "lowest", "keep", "height", "mean", "least-total", "least-greatest")
PLANES = ("fall", "best-fit", "minimum-zone")


def _moves(f: Fields) -> Solved:
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
    _names_once(names, "/problem/points")
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


def _level_book(f: Fields) -> Solved:
    listed = _listed(f)
    kinds: list[int] = []
    marks: list[str] = []
    setup: list[int] = []
    readings: list[float] = []
    distances: list[float] = []
    where_of: list[str] = []
    empty = True
    for s, (item, where) in enumerate(_filled(f.items("setups"), "/problem/setups")):
        one = Fields(item, where)
        sights = _filled(one.items("sights"), f"{where}/sights")
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


KINDS_OF_PROBLEM: dict[str, Callable[[Fields], Solved]] = {
    "level_book": _level_book,
    "sight": _sight,
    "moves": _moves,
    "stack": _stack,
    "screw": _screw,
}
"""Every kind of problem that `solve` knows."""
