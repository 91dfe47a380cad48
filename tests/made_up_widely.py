"""Each part of the core by itself, over all it may be asked: numbers on a grid, so that bounds are met and ties come up.

What moves a point, and how. The laws and facts of these parts stand in their own tests; here a changed answer shows.
"""

from __future__ import annotations

import importlib
import inspect
import itertools
import math
import pkgutil
from collections import Counter
from collections.abc import Callable, Iterator, Mapping
from dataclasses import fields, is_dataclass
from typing import Any

import numpy as np
from msgspec import Struct

from tests.made_up_more import told
from vivid_keel import core
from vivid_keel.core.errors import KeelError
from vivid_keel.core.moving import means as ways_of
from vivid_keel.core.moving import picking, programme, response, scale, stacks, stages, targets, walk
from vivid_keel.core.moving.means import HIGH, KIND, LEAVES, Means, instruct
from vivid_keel.core.quantities import LengthStyle

Rng = np.random.Generator
STYLES = (LengthStyle("mm", 1), LengthStyle("in", 3), LengthStyle("m", 4), LengthStyle("ft", 3))


def plain(value: Any) -> Any:
    """A result as JSON holds it: structs by their fields, arrays as lists, not-a-number as a word."""
    if isinstance(value, Struct):
        return [plain(getattr(value, name)) for name in value.__struct_fields__]
    if is_dataclass(value) and not isinstance(value, type):
        return [plain(getattr(value, one.name)) for one in fields(value)]
    if isinstance(value, np.ndarray):
        return plain(value.tolist())
    if isinstance(value, Mapping):
        return {str(k): plain(v) for k, v in value.items()}
    if isinstance(value, list | tuple | set | frozenset):
        return [plain(one) for one in (sorted(value) if isinstance(value, set | frozenset) else value)]
    if isinstance(value, np.generic):
        return plain(value.item())
    if isinstance(value, float) and not math.isfinite(value):
        return str(value)
    return value if isinstance(value, str | int | float | bool) or value is None else type(value).__name__


def said(what: Callable[[], Any]) -> str:
    """An answer, or why there is none."""
    try:
        return told(plain(what()), 5)
    except KeelError as refused:
        return f"{refused.code} {refused.where}: {refused.message}"


def settled(value: Any) -> Any:
    """A constant as it is told: what runs by its name, as where it lies is another thing each time."""
    if callable(value) and not isinstance(value, type):
        return f"{getattr(value, '__name__', 'something')}()"
    if isinstance(value, Struct):
        return [settled(getattr(value, name)) for name in value.__struct_fields__]
    if isinstance(value, Mapping):
        return {str(settled(k)): settled(v) for k, v in value.items()}
    if isinstance(value, list | tuple):
        return [settled(one) for one in value]
    if (
        isinstance(value, str | int | float | bool | np.ndarray | np.generic | set | frozenset)
        or value is None
    ):
        return plain(value)
    return type(value).__name__


def of_constants() -> Iterator[str]:
    """Every number that is settled once: the constants and tables of the core, what its functions take where nothing is said."""
    for found in sorted(pkgutil.walk_packages(core.__path__, "vivid_keel.core."), key=lambda one: one.name):
        module = importlib.import_module(found.name)
        yield f"## {found.name}"
        for name, value in sorted(vars(module).items()):
            if getattr(value, "__module__", found.name) != found.name or name.startswith("__"):
                continue
            if inspect.isfunction(value):
                taken = inspect.signature(value).parameters.items()
                given = {n: p.default for n, p in taken if p.default is not p.empty}
                if given:
                    yield f"  {name}({told(settled(given))})"
            elif inspect.isclass(value):
                usual = getattr(value, "__struct_defaults__", ())
                own = {n: v for n, v in sorted(vars(value).items()) if not n.startswith("_")}
                tables = {n: v for n, v in own.items() if isinstance(v, str | int | float | tuple)}
                if usual or tables:
                    yield f"  {name}: {told(settled([usual, tables]))}"
            elif name.strip("_").isupper():
                yield f"  {name} = {told(settled(value))}"


def of_means() -> Iterator[str]:
    """Every means with every number it has, at either end and between, over moves up and down, some at its very limit."""
    rng = np.random.default_rng(41)
    for kind in KIND.values():
        if kind.key == LEAVES:
            continue
        for k in range(60):
            values = {}
            for asked in kind.asked:
                if asked.choices:
                    values[asked.key] = float(rng.integers(len(asked.choices)))
                elif rng.random() < 0.6:
                    usual = Means(kind.key).shown(asked)
                    least, most = asked.least or 0.0, min(asked.most, 1e4)
                    values[asked.key] = float(
                        rng.choice([usual, usual / 2, usual * 3, least, most, 1.0, 6.0])
                    )
            made = Means.of(kind.key, values, STYLES[k % 4])
            yield f"## {kind.key} {told(plain(values))} watched {made.watched} travel {made.has_travel}"
            limits = [v / 1000 for key, v in values.items() if key in {"travel", "back", "depth", "length"}]
            moves = [
                0.0,
                1e-9,
                *rng.integers(-60, 60, 5) / 2000,
                *limits[:2],
                *(-v for v in limits[:2]),
                0.0001,
            ]
            for move in moves:
                travel = float(rng.choice([math.nan, math.nan, 0.0, 0.004, abs(move)]))
                yield f"  {move:.6g} {travel:.6g}: {said(lambda m=made, v=float(move), t=travel: instruct(m, v, t))}"
    for rating, load, turn in itertools.product((0.0, 0.5, 50.0), (0.0, 0.5, 60.0), (0.0, 2.0)):
        jack = Means(ways_of.JACK, {"rating": rating, "load": load, "turn": turn})
        yield f"  {rating} {load} {turn}: {said(lambda j=jack: [instruct(j, v / 1000) for v in (0.5, 1.0, 2.0, -3.0)])}"
    for parts, lock, school in itertools.product((1.0, 6.0, 8.0), (0.0, 0.25), (0.0, 1.0)):
        turned = Means(
            ways_of.SCREW, {"parts": parts, "lock": lock, "school": school, "pitch": 2.0, "travel": 4.0}
        )
        watched = Means(ways_of.SCREW, {**(turned.values or {}), "until": 1.0})
        for v in (-0.25, 0.0, 0.1, 0.25, 0.5, 2.0, 3.9, 4.0, 4.1, -2.0):
            yield f"  {parts} {lock} {school} {v}: {said(lambda t=turned, w=watched, v=v: [instruct(t, v / 1000), instruct(w, v / 1000)])}"
    for v in (0.0, 0.004, 0.008, -0.004, -0.008, -0.016, 0.012):
        yield f"  {v}: {said(lambda v=v: instruct(Means(ways_of.FILL), v))}"
    for text in (
        "1 tpi",
        "2/3 in",
        "1/1 in",
        "2",
        "12 tpi",
        "1/12 in",
        "0",
        "none",
        "0 tpi",
        "1/0 in",
        "x",
        "0.04",
        "26",
        "1,5",
        '1/16"',
        "-2",
        "6 tpi",
        "1 in",
    ):
        for read in (ways_of.parse_pitch, ways_of.parse_turn):
            yield f"  {text}: {said(lambda r=read, t=text: r(t))}; {said(lambda r=read, t=text: r(t, ','))}"


def of_stacks() -> Iterator[str]:
    """Leaves chosen from a stock, small enough that all may be weighed: wanted on a half-leaf grid, with and without a limit."""
    for k in range(70):
        rng = np.random.default_rng([42, k])
        n, sizes = int(rng.integers(1, 5)), int(rng.integers(1, 4))
        leaves = (rng.choice([1, 2, 3, 5, 8, 10], sizes, replace=False) / 2000).tolist()
        counts = rng.integers(0, 7, sizes).tolist()
        wanted = rng.integers(-2, 24, n) / 2000
        interface = float(rng.choice([0.0, 0.0, 0.0001]))
        most = int(rng.integers(1, 6)) if rng.random() < 0.6 else None
        limit = float(rng.choice([0.00025, 0.0005, 0.001])) if rng.random() < 0.6 else None
        room = None
        if rng.random() < 0.4:
            room = stacks.Room(rng.integers(0, 5, n), rng.integers(1, 11, n) / 2000)
        yield f"## {told(plain([wanted, leaves, counts, interface, most, limit, room]))}"
        yield "  " + said(
            lambda w=wanted, s=leaves, c=counts, i=interface, m=most, t=limit, r=room: stacks.choose_leaves(
                w, s, c, i, m, tolerance=t, room=r
            )
        )
        yield "  " + said(
            lambda w=wanted, s=leaves, c=counts, i=interface, m=most, t=limit, r=room: stacks.ample_stock(
                w, s, c, i, m, t, r
            )
        )
        up = np.maximum(wanted, 0.0)
        within = limit or 0.0005
        yield "  " + said(
            lambda w=up, v=within, s=leaves, c=counts, i=interface, m=most: stacks.shopping(w, v, s, c, i, m)
        )
        yield "  " + said(lambda w=up, v=within, s=leaves, i=interface: stacks.leaves_needed(w, v, s, i, 6))
        count = np.array(counts)
        yield "  " + said(lambda c=count: programme.all_stacks(c, 3))
        net = np.array(leaves) - interface
        yield "  " + said(lambda g=net, c=count: programme.reachable(g, c, 3, 0.012))


def of_floors() -> Iterator[str]:
    """Leaves for whole floors, from stocks that are tight: the greatest residual first, then the next, then the fewest leaves."""
    for k in range(16):
        rng = np.random.default_rng([48, k])
        n = int(rng.integers(6, 15))
        leaves = [0.005, 0.002, 0.001, 0.0005][: 2 + k % 3]
        wanted = rng.integers(0, 24, n) / 2000
        counts = [int(c) for c in rng.integers(n // 2, 2 * n, len(leaves))]
        limit = None if k % 3 else 0.001
        room = stacks.Room(rng.integers(1, 5, n), rng.choice([0.002, 0.005], n)) if k % 4 == 0 else None
        seen: list[float] = []
        yield f"## {told(plain([wanted, leaves, counts, limit, room]))}"
        yield "  " + said(
            lambda w=wanted, s=leaves, c=counts, t=limit, r=room, b=seen: stacks.choose_leaves(
                w, s, c, 0.00005, 5, tolerance=t, room=r, better=lambda p: b.append(p.greatest_residual)
            )
        )
        yield f"  {said(lambda w=wanted, s=leaves, c=counts: stacks.shopping(w, 0.0005, s, [n // 2 for n in c]))}"


def of_targets() -> Iterator[str]:
    """Every target over heights with ties, in line and in plan; what its weights are; and what picking does to it."""
    kinds = (
        "highest",
        "lowest",
        "keep",
        "height",
        "mean",
        "least-total",
        "least-greatest",
        "fall",
        "best-fit",
        "minimum-zone",
        "given",
    )
    for k in range(36):
        rng = np.random.default_rng([43, k])
        n = int(rng.integers(1, 8))
        names = [f"P{i}" for i in range(n)]
        heights = rng.integers(-6, 7, n) / 2000
        xy = np.column_stack(
            [rng.integers(0, 4, n) * 1.5, rng.integers(0, 3, n) * (0.0 if k % 4 == 0 else 2.0)]
        )
        low, high = (None, None) if k % 3 else (-0.002, 0.0025)
        for kind in kinds:
            through = str(rng.choice(["highest", "mean", "point"]))
            name = names[int(rng.integers(n))] if rng.random() < 0.8 else ""
            given = {
                one: float(h) for one, h in zip(names, heights + 0.001, strict=True) if rng.random() < 0.95
            }
            aim = targets.Target(
                kind, name, float(rng.integers(-3, 4)) / 1000, (0.001, -0.0005), through, given
            )
            yield f"## {kind} {through} {name} {told(plain([heights, xy, low, high]))}"
            yield "  " + said(
                lambda a=aim, m=names, h=heights, p=xy, lo=low, hi=high: targets.work_out(m, h, a, p, lo, hi)
            )
            if kind not in {"minimum-zone", "given"}:
                yield "  " + said(lambda a=aim, m=names, h=heights: targets.weights(m, h, a))
                yield "  " + said(lambda a=aim, m=names, h=heights, p=xy: targets.weight_rows(m, h, a, p))
            if k < 12 and picking.is_picked(aim) and kind != "minimum-zone":
                u = np.full(n, 0.0002) if k % 2 else rng.integers(1, 5, n) / 10000
                yield "  " + said(lambda a=aim, m=names, h=heights, p=xy, s=u: picking.picked(m, h, a, p, s))
    for bias, u in itertools.product((0.0, 0.0002, 0.001, 0.004), (0.0, 0.0001, 0.001)):
        yield f"  {bias} {u}: {said(lambda b=bias, s=u: picking.covering(np.array([b, -b]), np.array([s, s])))}"


def of_answers() -> Iterator[str]:
    """What a round changed, and why not as it should: hands that slip, ground that sinks, what hangs; what is learned of it."""
    for k in range(240):
        rng = np.random.default_rng([44, k])
        n = int(rng.integers(2, 13))
        moves = np.where(rng.random(n) < 0.3, 0.0, rng.integers(-8, 17, n) / 2000)
        u = float(rng.choice([0.0001, 0.00025]))
        change = moves * float(rng.choice([1.0, 0.8, 0.5])) + rng.integers(-2, 3, n) * u / (
            2 if k % 3 else 20
        )
        i = int(rng.integers(n))
        slip = ("", "sink", "way", "leaf", "none", "all", "turn", "unread")[k % 8]
        if slip == "sink":
            change[i] -= 0.003
        elif slip == "way":
            change[i] = -moves[i]
        elif slip == "leaf":
            change[i] += float(rng.choice([0.001, -0.001, 0.002]))
        elif slip == "none":
            change[i] = 0.0
        elif slip == "all":
            change = -change
        elif slip == "turn":
            change[i] += 0.002
        elif slip == "unread":
            change[rng.random(n) < 0.4] = math.nan
        leaves = (0.001, 0.0005, 0.002) if k % 3 else ()
        expected = moves * 0.8 if k % 4 == 0 else None
        turns = np.full(n, 0.002) if slip == "turn" or k % 5 == 0 else None
        yield f"## {slip} {told(plain([moves, change, u, leaves, expected]))}"
        if not np.isnan(change).all():
            why = response.reasons(moves, change, u, leaves, expected, STYLES[k % 4], turns)
            yield f"  {told(plain(why))}"
            yield f"  {said(lambda m=moves, c=change, s=u, e=expected, w=why: response.to_learn_from(m, c, s, e, w))}"
        yield f"  {said(lambda m=moves, c=change: response.took(m, c))}"
        count, wanted = rng.integers(0, 6, n).tolist(), moves
        yield f"  {said(lambda c=count, w=wanted, d=change, s=u: response.learned_interface(c, w, np.nan_to_num(d), 0.00005, s))}"
    grid = (0.0, 0.0005, 0.001, 0.002, 0.004)
    for worst, before, within, u in itertools.product(
        grid, grid, (0.0005, 0.001, 0.002), (0.0, 0.0001, 0.0004)
    ):
        yield f"  {worst} {before} {within} {u}: {said(lambda w=worst, b=before, t=within, s=u: response.passes_to_go(w, b, t, s))}"


def of_structures() -> Iterator[str]:
    """What a structure is taken to answer: stiff or soft, on springs or on feet, learned from a round or more; and the moves for it."""
    for k in range(60):
        rng = np.random.default_rng([47, k])
        n, rounds = int(rng.integers(3, 8)), int(rng.integers(1, 4))
        xy = np.column_stack([np.arange(n) * 2.0, (np.arange(n) % 2) * (3.0 if k % 2 else 0.0)])
        near = np.hypot(*(xy[:, None] - xy[None]).transpose(2, 0, 1)) if k % 3 else None
        moves = [np.where(rng.random(n) < 0.3, 0.0, rng.integers(-4, 9, n) / 1000) for _ in range(rounds)]
        truth = response.Response.stiffest(
            [range(n)], np.zeros(n), float(rng.choice([0.0, 0.05, 0.5, 4.0]))
        ).matrix
        changes = [truth @ m + rng.integers(-1, 2, n) * 0.0001 for m in moves]
        for change in changes:
            change[rng.random(n) < 0.15] = math.nan
        rows = ([range(n)], [range(0, n, 2), range(1, n, 2)], [range(2)])[k % 3]
        begun = response.Response.beams(n, [list(row) for row in rows], moves, changes)
        tips = np.full((n, n), 1.0 / n)
        yield f"## {told(plain([n, rounds, truth]))}"
        yield f"  {told(plain([response.Response.rigid(n), response.Response.stiffest(rows, np.zeros(n), 0.3), begun]))}"
        for watched in (math.nan, 0.4):
            yield f"  {said(lambda t=tips, m=moves, d=changes, w=watched: response.Response.on_feet(t, m, d, 0.0001, w))}"
        after = begun.learned(moves, changes, float(rng.choice([0.0001, 0.0005])), near)
        yield f"  {told(plain(after))}"
        wanted = rng.integers(-6, 7, n) / 1000
        wanted[rng.random(n) < 0.15] = math.nan
        touched = rng.random(n) < 0.8 if k % 2 else None
        most = rng.integers(0, 5, n) / 1000
        for up, keeper, damping in ((True, -1, 0.02), (False, 0, 0.02), (False, -1, 0.5)):
            yield "  " + said(
                lambda a=after, w=wanted, m=most, t=touched, u=up, i=keeper, d=damping: a.moves_for(
                    w, raise_only=u, most=None if u else m, touched=t, keeper=i, damping=d
                )
            )
    for off, u, share in itertools.product((0.0, 1e-8, 1e-6), (0.0001, 0.001), (0.0, 0.5, 0.9, 1.0)):
        yield f"  {off} {u} {share}: {said(lambda o=off, s=u, h=share: response.unlikely(o, s, h))}"


def of_rounds() -> Iterator[str]:
    """How far at once, in which order, and leaf by leaf: lifts, lowerings and what stays behind, with little in the stock."""
    for k in range(60):
        rng = np.random.default_rng([45, k])
        n = int(rng.integers(1, 9))
        moves = rng.integers(-8, 13, n) / 1000
        if k % 5 == 0:
            moves = np.where(rng.random(n) < 0.3, math.nan, moves)
        xy = np.column_stack([rng.integers(0, 5, n) * 1.0, rng.integers(0, 1 if k % 6 == 0 else 4, n) * 1.0])
        limit = None if k % 4 == 0 else float(rng.choice([0.002, 0.003, 0.004]))
        clearance = float(rng.choice([0.0, 0.001, 0.002]))
        yield f"## {told(plain([moves, xy, limit, clearance]))}"
        yield f"  {said(lambda m=moves, t=limit, c=clearance: stages.stage(m, t, c))}"
        yield f"  {said(lambda p=xy: stages.three_feet(p))}"
        for how in stages.ORDERS:
            yield f"  {how}: {said(lambda m=moves, p=xy, h=how: stages.order(m, p, h))}"
        senses = rng.choice(["h", "s"], n).tolist()
        high = int(rng.integers(n))
        found = np.nan_to_num(moves)
        words = [scale.parse_sense(one) for one in senses]
        yield f"  {said(lambda h=found, w=words: scale.heights_from_scale(h, w, 0.5))}"
        yield f"  {said(lambda h=found, w=words: scale.reading_at(h, w, 0.5))}"
        yield f"  {said(lambda h=found, i=high: scale.sense_by_eye(h, i, 0.001))} {told(plain(scale.signs(words)))}"
    for k in range(60):
        rng = np.random.default_rng([46, k])
        interface = float(rng.choice([0.0, 0.0001]))
        stock: Counter[float] = Counter(
            {
                float(t): int(c)
                for t, c in zip((0.005, 0.002, 0.001, 0.0005), rng.integers(0, 4, 4), strict=True)
            }
        )
        ways = []
        for place in range(int(rng.integers(1, 4))):
            stack = tuple(
                sorted(
                    (float(t) for t in rng.choice([0.005, 0.002, 0.001, 0.0005], int(rng.integers(0, 5)))),
                    reverse=True,
                )
            )
            net = sum(stack) - interface * len(stack)
            up = rng.random() < 0.6
            there = float(rng.integers(2, 12)) / 1000
            per = float(rng.choice([math.inf, 0.002, 0.003, 0.005]))
            kind = (
                Means(
                    ways_of.SCREW, {"school": float(ways_of.KIND[ways_of.SCREW].asked[6].choices.index(HIGH))}
                )
                if k % 2
                else Means(ways_of.JACK)
            )
            by_hand = rng.random() < 0.25
            for_now = stack[:1] if up and rng.random() < 0.3 else ()
            now = float(rng.integers(0, 3)) / 1000 + sum(for_now)
            ways.append(
                walk.Way(
                    place,
                    net + now if up else net - there,
                    per,
                    int(rng.integers(0, 3)),
                    now,
                    for_now,
                    None if by_hand else stack,
                    0.0 if up else there,
                    kind if by_hand else Means(),
                    math.nan,
                )
            )
        yield f"## {told(plain([ways, dict(stock), interface]))}"
        yield f"  {said(lambda w=ways, s=stock, i=interface: walk.walk(w, Counter(s), i, 4))}"
