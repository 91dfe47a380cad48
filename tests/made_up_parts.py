"""Each part of the core by itself, over all it may be asked: instruments and their checks, level books, ground, bodies, years.

As `made_up_widely`: numbers on a grid, so that bounds are met and ties come up. What is right of them is proven elsewhere.
"""

from __future__ import annotations

import itertools
import math
from collections.abc import Iterator
from datetime import UTC, date, datetime, timedelta

import numpy as np
from msgspec.structs import replace

from tests.made_up_far import _astray
from tests.made_up_widely import said
from vivid_keel.core.body import axis, feet, model, propose, shapes
from vivid_keel.core.booking import (
    checks,
    closing,
    fineness,
    hairs,
    layout,
    odds,
    pages,
    planning,
    reduction,
    uncertainty,
)
from vivid_keel.core.booking.network import free
from vivid_keel.core.booking.network.adjust import LevelledLine, adjust, pieces
from vivid_keel.core.booking.slips import fit, rank
from vivid_keel.core.booking.slips.readings import BookReadings
from vivid_keel.core.errors import KeelError
from vivid_keel.core.facts import usual_facts
from vivid_keel.core.instruments import booked, budget, defaults, drift, outcome, repeats, settling
from vivid_keel.core.instruments.checks import laser, reversal, string, tube
from vivid_keel.core.instruments.checks.two_peg import PegSetUp, two_peg
from vivid_keel.core.instruments.kinds import KINDS
from vivid_keel.core.instruments.outcome import Traits
from vivid_keel.core.instruments.procedures import PROCEDURES
from vivid_keel.core.instruments.procedures.field_procedure import field_trial
from vivid_keel.core.proof import Budget, BudgetLine
from vivid_keel.core.record import epochs, stood, visits
from vivid_keel.core.surface import (
    against,
    between,
    contours,
    hollows,
    lines,
    outline,
    profile,
    squared,
    tin,
    walks,
)
from vivid_keel.core.surface import uncertainty as known
from vivid_keel.stands.instruments import carry_out, hide, plan

NAN = math.nan
TEXTS = (
    "",
    "0",
    "1",
    "-1.5",
    "2.5",
    "0.3",
    "1/2",
    "12",
    "30",
    "1.482",
    "1482 mm",
    "x",
    "1e9",
    "yes",
    "2026-11-20",
    "tomorrow",
    "3.4 6.6",
    "-3.4 6.6",
    "9!",
    "20 °C",
)
NOON = datetime(2026, 11, 26, 12, 0, tzinfo=UTC)


def of_instruments() -> Iterator[str]:
    """Every check on instruments of other make, near their limits and far from them, whole, in part and gone wrong."""
    for kind in KINDS:
        usual = usual_facts(kind.traits)
        for key in kind.checks:
            procedure = PROCEDURES[key]
            for w, way in enumerate([one for one, _ in procedure.ways] or [""]):
                for k in range(14):
                    rng = np.random.default_rng([51, k, w, len(key), len(kind.key)])
                    stated = {n: v * float(rng.choice([0.5, 1.0, 1.0, 2.0])) for n, v in usual.values.items()}
                    traits = Traits(kind, stated if k % 2 else usual.values, usual.texts)
                    cycles = 1 + k % 4
                    hidden = {
                        n: v * float(rng.choice([0.0, 0.5, 1.0, 4.0])) for n, v in hide(traits, rng).items()
                    }
                    steps = plan(procedure, way, traits, cycles)
                    whole = carry_out(procedure, way, traits, hidden, steps, rng)
                    seen = whole
                    if k % 3 == 0:
                        seen = _astray(whole, {step.key for step in steps if step.optional}, rng)
                    elif k % 3 == 1:
                        keep = list(whole)[: int(rng.integers(1, len(whole) + 1))]
                        seen = {name: whole[name] for name in keep}
                    yield f"## {kind.key} {key} {way} {k}"
                    asked = procedure.steps(traits, way, seen)
                    yield f"  {said(lambda a=asked: [[s.key, s.text, s.usual, s.optional] for s in a[-3:]])}"
                    by_key = {one.key: one for one in asked}
                    seen = {
                        n: o
                        for n, o in seen.items()
                        if n not in by_key or _is_taken(procedure, traits, way, by_key[n], o.value, seen)
                    }
                    yield f"  {said(lambda p=procedure, t=traits, y=way, s=seen: p.outcome(t, y, s))}"
                    step = asked[int(rng.integers(len(asked)))]
                    for text in rng.choice(TEXTS, 4).tolist():
                        yield f"  {step.key} {step.unit} {text}: {said(lambda s=step, x=text, t=traits: booked.parse_step(s, x, t))}"
                        yield f"  {said(lambda p=procedure, s=step, x=text, t=traits, y=way, n=seen: _accepted(p, s, x, t, y, n))}"


def _is_taken(procedure, traits, way, step, value, seen) -> bool:
    """Whether a check takes a value at a step."""
    try:
        procedure.accepts(traits, way, step, value, seen)
    except KeelError:
        return False
    return True


def _accepted(procedure, step, text, traits, way, seen) -> str:
    """What a check says to a text at a step."""
    got = booked.parse_step(step, text, traits)
    return str(procedure.accepts(traits, way, step, got.value, seen))


def of_checks() -> Iterator[str]:
    """The sums of checks by themselves."""
    grid = (-1.5, -0.5, 0.0, 0.5, 2.0)
    for a, b, c, d in itertools.product(grid, grid, (0.0, 1.0), (0.0, -1.0)):
        yield f"  {said(lambda p=((a, b), (c, d)): reversal.reverse(p, 0.5))} {said(lambda p=((a, b),): reversal.reverse(p))}"
    for lever, a, b, curved in itertools.product((0.0, 5.0, 20.0), (1.4, 1.5), (1.5, 1.7), (False, True)):
        near = PegSetUp(lever, 40 - lever, a, b)
        far = PegSetUp(40 + lever, lever, a + 0.002, b)
        yield f"  {said(lambda n=near, f=far, c=curved: two_peg(n, f, curvature=c, u_reading=0.0005))}"
    for d, x, y in itertools.product((10.0, 15.0, 30.0), (0.0, 0.002, 0.004), (0.0, -0.003)):
        yield f"  {said(lambda d=d, x=x, y=y: laser.rotary_axis(d, 1.0 + x, 1.0 - x, 1.0 + y, 1.0))}"
    for span, hung, off in itertools.product((1.0, 10.0, 40.0), (0.0, 0.05), (0.0, 0.1, 0.4)):
        yield f"  {said(lambda s=span: string.sag(0.002, s, 40.0))} {said(lambda s=span: string.below_chord(0.002, s, 40.0, s / 3))} {said(lambda s=span, h=hung, o=off: string.off_middle(0.002, s, 40.0, h, o))}"
    for filled, bore, start, digit in itertools.product(
        (5.0, 20.0), (0.004, 0.008, 0.012), (0.01, 0.5), (0.0005, 0.01)
    ):
        yield f"  {said(lambda f=filled, b=bore, s=start, r=digit: [tube.settle(f, b, s, r), tube.settle(f, b, s, r).advised, tube.settle_with_basin(f, b, s, r)])}"
    for t in (-5.0, 0.0, 4.0, 20.0, 40.0, 60.0):
        yield f"  {said(lambda t=t: tube.water_density(t))} {said(lambda t=t: tube.leg_difference(1.5, t, 20.0))}"
    for k in range(40):
        rng = np.random.default_rng([50, k])
        n = int(rng.integers(1, 12))
        sets = [(rng.integers(-6, 7, n) / 10000 + 0.2).tolist() for _ in range(2)]
        if k % 5 == 0:
            sets[1] = [v + 0.001 for v in sets[1]]
        yield f"  {said(lambda s=sets: field_trial(*s, float(rng.choice([40.0, 60.0])), float(rng.choice([0.0005, 0.001, 0.002]))))}"
    for n in range(6):
        yield f"  {n} {uncertainty.student_k(n)} {said(lambda n=n: uncertainty.rectangular(n / 1000))}"
    for k in range(40):
        rng = np.random.default_rng([52, k])
        n = int(rng.integers(1, 7))
        values = (rng.integers(-3, 4, n) / 10000).tolist()
        yield f"  {said(lambda v=values: [repeats.of_repeats(v, 0.0001, 0.00005), repeats.of_repeats(v, 0.0001, 0.00005).U])}"
        days = np.cumsum(rng.integers(0, 40, n)).astype(float)
        found = drift.fit_drift(days, np.array(values), rng.choice([0.00005, 0.0001], n))
        yield f"  {said(lambda f=found: f)}"
        if found is not None:
            for now, limit in itertools.product((0.0, 50.0), (0.0001, 0.0003)):
                yield f"  {said(lambda f=found, n=now, m=limit: [f.at(n), f.tells, drift.forecast(f, n, m)])}"
        times = np.arange(n) * 0.5
        for window, digit in itertools.product((0.5, 1.0, 3.0), (0.0001, 0.00025)):
            yield f"  {said(lambda t=times, v=np.array(values), w=window, d=digit: settling.stillness(t, v, w, d, 0.0001))}"
        parts = Budget([BudgetLine(f"part {i}", abs(v)) for i, v in enumerate([*values, 0.0001])])
        yield f"  {said(lambda b=parts: [budget.shares(b), budget.to_halve(b)])}"
        far = rng.choice([0.0, 10.0, 30.0, 45.0, 100.0, NAN], 5)
        yield f"  {said(lambda d=far: defaults.reading_uncertainty(0.0007, 0.00003, 30.0, 60.0, d))}"
    for text in ("2026-11-20", "2026-11-26", "2026-11-27", "20.11.2026", "1900-01-01", "", "x", "2026-13-01"):
        yield f"  {text}: {said(lambda t=text: booked.past_day(t, date(2026, 11, 26)))}"
    for value, unit, spread in itertools.product(
        (0.0, 0.00012, -0.0015, 1.25), ("div", "tilt", "length", "rate"), (NAN, 0.00005, 0.02)
    ):
        yield f"  {value} {unit} {spread}: {said(lambda v=value, u=unit, s=spread: outcome.show_in(v, u, s))} {said(lambda v=value, u=unit, s=spread: outcome.show_in(v, u, s, signed=False))}"


def _book(rng: np.random.Generator) -> tuple[layout.Layout, np.ndarray, np.ndarray]:
    """A book of a few set-ups: half of them close, in the others sights are lost, or read from where nothing is known."""
    closes = bool(rng.random() < 0.5)
    last = str(rng.choice(["BM", "END"]))
    kinds: list[int] = []
    marks: list[str] = []
    setup: list[int] = []
    many = int(rng.integers(1, 6))
    for s in range(many):
        begin = "BM" if s == 0 else f"C{s}"
        rows = [(layout.BS, begin)]
        rows += [
            (layout.IS, str(rng.choice(["p", "q", "r", "BM", f"C{s}"])))
            for _ in range(int(rng.integers(0, 4)))
        ]
        rows.append((layout.FS, str(rng.choice([f"C{s + 1}", f"C{s + 1}", f"C{s + 1}", "BM", "END", "p"]))))
        if closes:
            rows[-1] = (layout.FS, last if s == many - 1 else f"C{s + 1}")
        elif rng.random() < 0.2:
            rows = rows[1:] if rng.random() < 0.5 else rows[:-1]
        for kind, mark in rows:
            kinds.append(kind)
            marks.append(mark)
            setup.append(s)
    listed = {"BM": layout.ListedMark("BM", 50.0, u=float(rng.choice([0.0, 0.001])))}
    if closes or rng.random() < 0.5:
        listed["END"] = layout.ListedMark("END", 50.25, fixed=bool(rng.random() < 0.7), u=0.001)
    made = layout.lay_out(kinds, marks, setup, listed)
    readings = rng.integers(-400, 3200, len(kinds)) / 1000
    if closes and last == "BM":  # to a millimetre or two
        sign = np.where(np.array(kinds) == layout.BS, 1.0, np.where(np.array(kinds) == layout.FS, -1.0, 0.0))
        readings[-1] += float((sign * readings).sum()) + int(rng.integers(-2, 3)) / 1000
    far = rng.choice([10.0, 20.0, 20.0, 35.0, NAN] if rng.random() < 0.4 else [10.0, 20.0, 35.0], len(kinds))
    return made, readings, far


def of_books() -> Iterator[str]:
    """Books in and out of order: links, heights by both schools, how they close, what U they have, what is accused."""
    for k in range(150):
        rng = np.random.default_rng([53, k])
        made, readings, far = _book(rng)
        yield f"## {said(lambda m=made: [m.kinds, m.marks, m.setup])}"
        yield f"  {said(lambda m=made: [m.backsight, m.foresight, m.source, m.parent, m.start, m.troubles, m.passed, m.holds, m.chains, m.closing()])}"
        c = None if k % 3 else (0.00003 if k % 2 else rng.choice([0.0, 0.00005], len(readings)))
        own = None if k % 4 else rng.choice([0.0, 0.0005], len(readings))
        try:
            red = reduction.reduce(made, readings, far, c, curvature=bool(k % 2), own=own)
        except KeelError as refused:
            yield f"  {refused.code} {refused.where}"
            red = reduction.reduce(made, readings, far)
        yield f"  {said(lambda r=red: [r.collimation_height, r.heights, r.rise, r.fall, r.sum_bs, r.sum_is, r.sum_fs, r.sum_rise, r.sum_fall, r.undistanced, r.observed])}"
        yield f"  {said(lambda r=red: [reduction.rise_and_fall_heights(r), reduction.first_and_last(r)])}"
        page = checks.page_checks(red)
        yield f"  {said(lambda p=page: [p, p.stands_in, p.agree])}"
        yield f"  {said(lambda r=red: [[pages.page_breaks(r, n), [[t, t.stands_in, t.agrees, t.back_less_fore] for t in pages.page_totals(r, n)]] for n in (2, 5, 26)])}"
        per = str(rng.choice(["setup", "km", "fixed"]))
        within = closing.ToleranceClass("made up", float(rng.choice([0.002, 0.05, 5.0])), per)
        for spread in ("setups", "distance", "none"):
            try:
                shut = closing.close(red, far, within, spread, override=bool(k % 2))
            except KeelError as refused:
                yield f"  {spread}: {refused.code} {refused.where}: {refused.message}"
                continue
            yield f"  {spread}: {said(lambda s=shut: s)}"
            yield f"  {said(lambda r=red, s=shut: closing.adjusted_heights(r, s))}"
            u = np.full(len(readings), 0.0007) if k % 2 else rng.choice([0.0005, 0.001], len(readings))
            yield f"  {said(lambda r=red, s=shut, u=u: uncertainty.height_uncertainty(r, s, u))}"
            reach = np.full(len(readings), 40.0)
            off = np.full(len(readings), 0.0001)
            for out in (False, True):
                yield f"  {said(lambda r=red, s=shut, o=off, d=far, m=reach, t=out: uncertainty.collimation_bound(r, s, o, d, m, taken_out=t))}"
            yield f"  {said(lambda r=red, s=shut, o=off, d=far, m=reach: uncertainty.axis_bound(r, s, o, d, m))}"
        look = np.where(
            rng.random(len(readings)) < 0.3, readings + rng.integers(-2, 3, len(readings)) / 1000, NAN
        )
        upper = np.where(rng.random(len(readings)) < 0.4, readings + 0.1, NAN)
        lower = np.where(~np.isnan(upper), readings - 0.1 + rng.integers(0, 2, len(readings)) / 1000, NAN)
        book = BookReadings(
            made,
            readings,
            look,
            upper,
            lower,
            far,
            np.full(len(readings), 0.0007),
            3,
            str(rng.choice(["m", "ft", "ft-in", "mm"])),
        )
        yield f"  {said(lambda b=book: _fitted(b))}"
        yield f"  {said(lambda b=book: _accused(b))}"
    for k in range(60):
        rng = np.random.default_rng([54, k])
        middle, upper, lower = (
            1.5,
            rng.choice([NAN, 1.6, 1.601, 1.55, 1.4]),
            rng.choice([NAN, 1.4, 1.399, 1.45, 1.6]),
        )
        yield f"  {said(lambda m=middle, a=upper, b=lower: hairs.stadia(m, None if math.isnan(a) else float(a), None if math.isnan(b) else float(b)))}"
        n = int(rng.integers(1, 9))
        read, steps = (
            rng.integers(100, 400, n) / float(rng.choice([100.0, 200.0, 500.0, 1000.0])),
            rng.choice([0.001, 0.01, 0.005], n),
        )
        for unit in ("m", "ft", "ft-in"):
            yield f"  {said(lambda r=read, s=steps, u=unit: fineness.read_to(r, s, u, 0.001))}"
        yield f"  {said(lambda s=float(steps[0]): fineness.with_fineness(np.array([0.0, 0.0005, 0.002]), s, 0.001))}"
        limits = [None if rng.random() < 0.2 else float(v) / 1000 for v in rng.integers(0, 12, 4)]
        u = float(rng.choice([0.0005, 0.001, 0.003]))
        yield f"  {said(lambda m=limits, u=u: [odds.fitting(m, u), [None if v is None else odds.odds(v, u) for v in m]])} {odds.often(float(rng.random()) ** 3)}"
        way = [
            planning.Waypoint(f"W{i}", float(h) / 2, float(x))
            for i, (h, x) in enumerate(
                zip(
                    rng.integers(-6, 7, n + 1),
                    np.cumsum(rng.choice([10.0, 20.0, 40.0, 80.0], n + 1)),
                    strict=True,
                )
            )
        ]
        if k % 4 == 0:
            way = [replace(one, along=NAN) for one in way]
        means = planning.Reach(float(rng.choice([3.0, 4.0, 5.0])), 1.5, 1.0, float(rng.choice([20.0, 40.0])))
        yield f"  {said(lambda w=way, m=means: [planning.plan_standing(w, m), [s.unbalanced for s in planning.plan_standing(w, m).setups]])}"


def _fitted(book: BookReadings) -> object:
    """What a book fits to."""
    found = fit.fit_book(book)
    return [
        found.sight,
        found.sort,
        found.left,
        found.weight,
        found.share,
        found.squares,
        found.freedom,
        found.at_middle,
    ]


def _accused(book: BookReadings) -> object:
    """Who is accused in a book."""
    found = rank.find_slips(book)
    return [found.wrong, found.suggestions, found.kinds, found.place_known, found.kind_known]


def of_networks() -> Iterator[str]:
    """Lines between marks, in one piece or several, held by nothing, one mark or more than are needed."""
    for k in range(40):
        rng = np.random.default_rng([55, k])
        names = [f"N{i}" for i in range(int(rng.integers(2, 7)))]
        some = [
            LevelledLine(
                *rng.choice(names, 2, replace=False).tolist(),
                float(rng.integers(-4, 5)) / 1000,
                float(rng.choice([0.001, 0.002])),
            )
            for _ in range(int(rng.integers(1, 10)))
        ]
        fixed = {
            str(n): (float(rng.integers(0, 3)), float(rng.choice([0.0, 0.002])))
            for n in rng.choice(names, int(rng.integers(0, 3)), replace=False)
        }
        yield f"## {said(lambda s=some, f=fixed: [s, f])}"
        yield f"  {said(lambda s=some, n=names: pieces(n, s))}"
        yield f"  {said(lambda s=some, f=fixed: _adjusted(f, s))}"
        yield f"  {said(lambda s=some, n=names: free.free_pieces(s, n[:2], dict.fromkeys(n, 0.0)))}"


def _adjusted(fixed, some) -> object:
    """A network as it comes out, with what it says of its lines."""
    found = adjust(fixed, some)
    return [
        found.names,
        found.heights,
        found.u,
        found.residuals,
        found.redundancy,
        found.freedom,
        found.sum_squares,
        found.variance_factor,
        found.standardised,
        found.smallest_slip,
        found.worst,
        found.suspicious,
        found.limits,
    ]


def of_ground() -> Iterator[str]:
    """Points on a grid, so that triangles share lines and levels run through corners: surfaces, what lies under them, and over."""
    for k in range(40):
        rng = np.random.default_rng([56, k])
        n = int(rng.integers(3, 14))
        xy = np.unique(rng.integers(0, 6, (n, 2)) * 2.0, axis=0)
        xyz = np.column_stack([xy, rng.integers(-4, 5, len(xy)) / 4])
        yield f"## {said(lambda p=xyz: p)}"
        about = xy - xy.mean(axis=0)
        ring = xy[np.argsort(np.arctan2(about[:, 1], about[:, 0]), kind="stable")]
        yield f"  {said(lambda p=xy: outline.simple_outline(p))} {said(lambda r=ring: outline.simple_outline(r))} {said(lambda r=ring: outline.ears(r))}"
        asked = np.column_stack([np.repeat(np.arange(-1, 12, 2.0), 4), np.tile([0.0, 1.0, 4.0, 5.0], 7)])
        yield f"  {said(lambda r=ring, a=asked: outline.inside(r, a))}"
        try:
            made = tin.surface(xyz)
        except KeelError as refused:
            yield f"  {refused.code} {refused.where}: {refused.message}"
            continue
        yield f"  {said(lambda m=made: [m.triangles, m.given, m.whole, m.nearest, m.middles, m.usual_power])}"
        yield f"  {said(lambda m=made, ring=ring: [tin.circles(m.pieces[:, :, :2]), tin.emptiest(m, 3), tin.blindest(m, ring)])}"
        pieces = made.pieces
        for height, slope in ((0.0, (0.0, 0.0)), (0.25, (0.0, 0.0)), (-0.1, (0.01, -0.02))):
            plane = against.Plane(height, slope)
            yield f"  {said(lambda p=pieces, a=plane: [against.areas(p), against.against(p, a)])}"
            off = rng.integers(-2, 3, len(xyz)) / 1000
            yield f"  {said(lambda m=made, a=plane, o=off: [known.volume_known(m, a, 0.002, o), known.volume_known(m, a, 0.002, o, above=True), known.area_known(m, a, 0.002, o)])}"
        yield f"  {said(lambda m=made: [known.foretold(m), known.scatter(m, np.zeros(len(m.xyz)))])}"
        yield f"  {said(lambda p=pieces: [[against.under(p, np.full(len(p), level)) for level in (-0.5, 0.0, 0.5)], against.balance(p, (0.0, 0.0), 1.25)])}"
        yield f"  {said(lambda m=made: contours.contours(m.xyz, m.triangles, contours.levels_between(-1.0, 1.0, 0.25)))}"
        yield f"  {said(lambda m=made: hollows.hollows(m.xyz, m.triangles))}"
        yield f"  {said(lambda m=made, a=asked: [between.heights_at(m, a), between.heights_known(m, a, 0.002, np.zeros(len(m.xyz)))])}"
        way = np.array([[0.0, 0.0], [10.0, 10.0], [10.0, 0.0]])
        yield f"  {said(lambda p=pieces, w=way: profile.profile(p, w))}"
        later = np.column_stack([xy, xyz[:, 2] + rng.integers(-1, 2, len(xy)) / 8])
        then, now = made, tin.surface(later)
        rise = between.changed(then, now)
        yield f"  {said(lambda r=rise: None if r is None else r.xyz)}"
        if rise is not None:
            yield f"  {said(lambda a=then, b=now, r=rise: between.difference_known(a, b, r, 0.002))}"
        yield f"  {said(lambda p=pieces, r=ring: [outline.cut_to(p, r), outline.cut_out(p, r[:3]), outline.left_of(p, r[0], r[1])])}"
        if len(xy) > 4:
            yield f"  {said(lambda p=xyz: lines.parted(p, [[0, 1, 2], [3, 4]]))} {said(lambda p=xy: lines.beside(p[:3], 0.2))}"
            yield f"  {said(lambda p=xyz: tin.surface(p, None, [[0, len(p) - 1]]).triangles)}"
    for k in range(40):
        rng = np.random.default_rng([57, k])
        n = int(rng.integers(3, 7))
        sides = rng.choice([3.0, 4.0, 5.0, 10.0], n)
        turns = np.where(rng.random(n) < 0.5, math.pi / 2, math.pi / 3)
        yield f"  {said(lambda s=sides, t=turns, q=(rng.random(n) < 0.4).tolist(): squared.closed_walk(s, t, q, 0.01, 0.02))}"
        a, b = rng.integers(0, 5, 2) * 1.0, rng.integers(0, 5, 2) * 1.0
        for left in (False, True):
            yield f"  {said(lambda a=a, b=b, f=float(rng.integers(1, 6)), g=float(rng.integers(1, 6)), s=left: squared.tied(a, b, f, g, left=s))}"
        stakes = [(f"S{i}", float(rng.integers(0, 5)) / 10) for i in range(n)]
        legs = rng.choice([5.0, 10.0, 20.0], n - 1).tolist()
        down = [walks.Between("m", int(rng.integers(0, n)), float(rng.integers(0, 12)), 0.1)]
        yield f"  {said(lambda s=stakes, g=legs, d=down, c=float(rng.choice([NAN, 1.0, 1.01])): walks.walk_string(1.0, s, g, closing=c, weight=0.002, tension=40.0, between=d))}"
        looks = [
            walks.Look(float(t), float(r) / 1000)
            for t, r in zip(np.cumsum(rng.integers(1, 30, 3)), rng.integers(-3, 4, 3), strict=True)
        ]
        points = [
            walks.Look(float(t), float(r) / 100, f"H{i}")
            for i, (t, r) in enumerate(zip(rng.integers(0, 60, 4), rng.integers(0, 40, 4), strict=True))
        ]
        yield f"  {said(lambda z=looks, p=points, m=[float(v) for v in rng.integers(0, 60, k % 2)]: walks.walk_hydrostatic(10.0, z, p, m))}"


def of_bodies() -> Iterator[str]:
    """Bodies of three to seven nodes, read too little, just enough and more, by levels, heights, steps and gaps."""
    for k in range(70):
        rng = np.random.default_rng([58, k])
        n = int(rng.integers(2, 8))
        xy = (
            np.column_stack([np.arange(n) // 2 * 1.0, np.arange(n) % 2 * 0.6])
            if k % 4
            else np.column_stack([np.arange(n) * 0.5, np.zeros(n)])
        )
        shape = model.SHAPES[k % 3]
        body = model.Body(
            [f"F{i}" for i in range(n)],
            xy,
            shape,
            {"a": list(range(n // 2 + 1)), "b": list(range(n // 2, n))} if k % 5 == 0 else {},
        )
        pairs = [(i, j) for i in range(n) for j in range(n) if i < j]
        could: list[model.Observation] = []
        for i, j in pairs:
            for way in (1, -1):
                could.append(
                    model.Tilt(
                        str(rng.choice(["level", "other"])),
                        i,
                        j,
                        way,
                        float(rng.integers(-6, 7)) / 20000,
                        float(rng.choice([2e-5, 5e-5])),
                    )
                )
        could += [model.Height(i, float(rng.integers(-4, 5)) / 10000, 0.0001) for i in range(n)]
        could += [model.Step(i, j, float(rng.integers(-4, 5)) / 10000, 0.00005) for i, j in pairs[:3]]
        if n > 2:
            could.append(model.Gap(0, n - 1, 1, 0.0001, 0.00005))
        chosen = rng.permutation(len(could))[: int(rng.integers(1, min(len(could), 14) + 1))]
        read = [could[i] for i in chosen.tolist()]
        zeros = {"level": (0.0, 0.0001)} if k % 3 == 0 else None
        yield f"## {said(lambda b=body, r=read, z=zeros: [b, r, z])}"
        yield f"  {said(lambda b=body, r=read, z=zeros: model.adjust(b, r, z))}"
        yield f"  {said(lambda p=xy: model.plane_of(p))}"
        left = [one for i, one in enumerate(could) if i not in chosen][:6]
        yield f"  {said(lambda b=body, r=read, c=left, z=zeros: propose.next_reading(b, r, c, z))}"
        deciding = np.eye(n) - 1.0 / n
        yield f"  {said(lambda b=body, r=read, c=left, z=zeros, d=deciding: propose.most_telling(b, model.adjust(b, r, z), c, d, 3))}"
        feet_at = xy[: max(n - 1, 1)]
        yield f"  {said(lambda x=xy, f=feet_at: feet.follows(x, f))}"
    for k in range(50):
        rng = np.random.default_rng([59, k])
        n = int(rng.integers(2, 9))
        around = (
            np.arange(n) * 360.0 / n if k % 2 else rng.choice([0.0, 90.0, 180.0, 270.0, 45.0], n)
        ).tolist()
        tilts = (rng.integers(-5, 6, n) / 20000).tolist()
        yield f"  {said(lambda a=around, t=tilts: _turned(a, t))}"
        cross = (rng.integers(-4, 5, n) / 10000).tolist()
        yield f"  {said(lambda c=cross: [shapes.twist_at_feet(c, 0.6), shapes.profile(c, 0.2), shapes.straightness(np.array(c))])}"
        yield f"  {said(lambda c=(rng.integers(-4, 5, 4) / 10000).tolist(): shapes.warp(c))}"
        for diagonal, ends in itertools.product(("AC", "BD", "x"), (False, True)):
            yield f"  {said(lambda d=diagonal, e=ends: shapes.warp_from_gap(d, 0.0004, ends=e))}"
        yield f"  {said(lambda v=float(rng.integers(-4, 5)) / 1000: [shapes.from_plumb_frame(v, 1.6, 0.6), shapes.from_plumb_frame(v, 1.6, 0.6, 0.002)])}"


def _turned(around, tilts) -> object:
    """An axis as it is read, and what its feet want."""
    found = axis.read_round(around, tilts)
    stand = np.array([[0.3, 0.0], [-0.2, 0.25], [-0.2, -0.25]])
    return [
        found,
        found.tilt,
        found.direction,
        found.wobble,
        [axis.feet_for(found, stand, raise_only=up) for up in (True, False)],
    ]


def of_years() -> Iterator[str]:
    """Visits and levellings side by side, weeks and years apart, with marks that move, stand, come late or are lost."""
    for k in range(60):
        rng = np.random.default_rng([60, k])
        names = [f"M{i}" for i in range(int(rng.integers(1, 5)))]
        at = NOON
        seen = []
        for v in range(int(rng.integers(1, 5))):
            at += timedelta(days=int(rng.choice([3, 7, 90, 400])))
            heights = {
                m: float(rng.integers(-4, 5)) / 2000 - 0.001 * v * (i == 0)
                for i, m in enumerate(names)
                if rng.random() < 0.9
            }
            left = {m: h + 0.0005 for m, h in heights.items() if rng.random() < 0.3}
            seen.append(
                visits.Visit(
                    f"v{v}", at, at + timedelta(hours=2), heights, left, float(rng.choice([0.0001, 0.0005]))
                )
            )
        limit = float(rng.choice([0.001, 0.003]))
        deviations = {m: float(rng.integers(-3, 4)) / 1000 for m in names}
        found = visits.drifts(seen, deviations, limit)
        yield f"## {said(lambda s=seen: s)}"
        yield f"  {said(lambda f=found: [[d, visits.crossing_words(d)] for d in f.values()])}"
        first, last = seen[0].found, seen[-1].found
        yield f"  {said(lambda a=first, b=last, t=limit if k % 3 else None: epochs.compare_epochs(a, b, 0.0003, 0.0005, t))}"
        n = len(seen)
        t, cov = np.cumsum(rng.integers(0, 3, n) / 2).astype(float), np.diag(rng.choice([1e-8, 4e-8], n))
        yield f"  {said(lambda t=t, c=cov, h=rng.integers(-3, 4, n) / 1000: [visits.rate_of(t, h, c), visits.slope_weights(t, c)])}"
        parts = []
        for v in range(n):
            there = [m for m in ["B0", "B1", "B2", *names] if rng.random() < 0.9]
            heights = rng.integers(-2, 3, len(there)) / 4000 + np.array(
                [0.004 * v * (m == "B1") for m in there]
            )
            parts.append(stood.Part(v, there, heights, np.eye(len(there)) * 4e-8 + 1e-8))
        yield f"  {said(lambda p=parts: _laid(p, ['B0', 'B1', 'B2']))}"


def _laid(parts, benchmarks) -> object:
    """Occasions on one datum, and what is said of their benchmarks."""
    found = stood.lay_together(parts, benchmarks, [float(p.occasion) for p in parts])
    beside = [found.series(name) for name in ("B1", "M0") if any(name in part.names for part in parts)]
    return [
        [[one.occasions, one.heights, one.covariance, one.doubts] for one in beside],
        [[one.change(0, len(one.heights) - 1), one.doubt(0, len(one.heights) - 1)] for one in beside],
        found.shifts,
        found.stood,
        found.moved,
        found.freedom,
        found.sum_squares,
        found.smallest,
        found.undecided,
    ]
