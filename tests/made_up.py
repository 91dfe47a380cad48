"""Works made up at random, over every target, means, limit, slip and way of booking: what is reckoned and said of them.

The demo is one job; the corners of what the program can be told lie elsewhere. Each work here is drawn from a seed, done for
two rounds on a building that answers, and what is said of it stands on a page (see test_said).
"""

from __future__ import annotations

from collections.abc import Iterator

import numpy as np
from msgspec.structs import replace

from tests import measure, measure_slips
from tests.saying import what_is_said
from tests.trades.conftest import wait
from tests.trades.supports.test_works import Book
from vivid_keel.core.booking.slips import find_slips
from vivid_keel.core.errors import KeelError
from vivid_keel.core.facts import usual_facts
from vivid_keel.core.instruments.kinds import KINDS as INSTRUMENTS
from vivid_keel.core.instruments.outcome import Traits
from vivid_keel.core.instruments.procedures import PROCEDURES
from vivid_keel.core.moving.means import KINDS
from vivid_keel.core.moving.plan import WAYS
from vivid_keel.core.moving.stages import ORDERS
from vivid_keel.core.quantities import parse_length
from vivid_keel.core.record.entries import Draft
from vivid_keel.core.record.readings import as_read
from vivid_keel.files import JobFile
from vivid_keel.stands.instruments import carry_out, hide, plan
from vivid_keel.stands.level_site import honest_run, one_slip, with_slip
from vivid_keel.trades.registry import desk_for

Rng = np.random.Generator
TARGETS = (
    {"kind": "highest"},
    {"kind": "lowest"},
    {"kind": "mean"},
    {"kind": "least-total"},
    {"kind": "least-greatest"},
    {"kind": "keep"},
    {"kind": "height", "reading": "1.2620"},
    {"kind": "best-fit"},
    {"kind": "minimum-zone"},
    {"kind": "fall", "gradient_x": 0.002, "gradient_y": -0.001, "lift_m": 0.001},
    {"kind": "given"},
)
MEANS = {
    "screw": ({"pitch": 2, "travel": 30, "back": 30}, {"pitch": 1.5, "travel": 4, "back": 2, "parts": 8}),
    "wedge": ({"taper": 20, "length": 100, "back": 40},),
    "jack": (
        {"travel": 20, "back": 5, "rating": 50, "load": 40},
        {"travel": 6, "back": 0, "rating": 30, "load": 40},
    ),
    "fill": ({"area": 1.5, "factor": 1.25, "measure": 10},),
    "trim": ({"depth": 4},),
}
SHEETS = {"Heights", "Targets", "Order of work", "Rounds", "As left"}
LEAVES = (("10 mm", 12), ("5 mm", 20), ("2 mm", 30), ("1 mm", 40), ("0.5 mm", 40), ("0.2 mm", 60))


def _read(text: str, unit: str = "m") -> dict[str, object]:
    return as_read(parse_length(text, unit, "."))


def _limits(rng: Rng, k: int) -> dict[str, object]:
    """Limits as somebody may set them: each in about half of the works."""
    body: dict[str, object] = {
        "tolerance": _read(f"{rng.choice([0.5, 1.0, 1.5, 3.0]):g} mm", "mm"),
        "interface_m": float(rng.choice([0.0, 0.00002, 0.0001])),
        "sense": str(rng.choice(["hangs", "stands"])),
    }
    more = {
        "most_leaves": int(rng.integers(2, 6)),
        "neighbours_m": float(rng.choice([0.003, 0.005])),
        "clearance_m": 0.001,
        "ways": str(rng.choice(WAYS)),
        "most_m": float(rng.choice([0.006, 0.012])),
        "share": 0.5,
        "order": str(rng.choice(list(ORDERS))),
        "feet_m": 3.0,
        "beam": str(rng.choice(list(measure.STIFFNESS))),
        "fits": True,
    }
    return body | {name: value for name, value in more.items() if rng.random() < 0.35}


def _supports(file: JobFile, rng: Rng, k: int) -> int:
    """A work on two or three rows of posts, drawn; returns its number."""
    unit = ("m", "m", "ft-in")[k % 3] if k % 5 == 4 else "m"
    (work,) = file.record([Draft(0, "work", {"name": f"Floor {k}", "type": "supports", "unit": unit})])
    u = float(rng.choice([0.0001, 0.0003]))
    way = {"name": "Amber", "way": "optical-fine", "u_m": u, "per_metre": 0.00003, "from_m": 10.0}
    limits = _limits(rng, k)
    file.record([Draft(work.id, "instrument", way | {"reach_m": 10.0}), Draft(work.id, "limits", limits)])
    rows, per = int(rng.integers(1, 4)), int(rng.integers(3, 6))
    posts = [
        Draft(
            work.id,
            "point",
            {
                "name": f"{'ABC'[r]}{p + 1}",
                "row": "ABC"[r],
                "x_m": 2.4 * p,
                "y_m": 3.0 * r + 0.01 * p,
                "stack_m": float(rng.choice([0.0, 0.004])),
            }
            | ({"wanted_m": float(rng.choice([0.003, -0.002]))} if rng.random() < 0.1 else {}),
        )
        for r in range(rows)
        for p in range(per)
    ]
    points = [entry.id for entry in file.record(posts)]
    true = rng.normal(0, 0.004, len(points))
    _readings(file, work.id, points, "found", true, rng, u)
    target = dict(TARGETS[k % len(TARGETS)])
    if target["kind"] == "keep":
        target["point"] = points[int(rng.integers(len(points)))]
    if target["kind"] == "height":
        target["reading"] = _read(target["reading"])
    file.record([Draft(work.id, "target", target)])
    file.record([Draft(work.id, "leaf", {"leaf": _read(t, "mm"), "count": n}) for t, n in LEAVES])
    means = KINDS[(k // 2) % len(KINDS)].key
    if means in MEANS:
        which = MEANS[means][k % len(MEANS[means])]
        file.record([Draft(work.id, "mover", {"what": means, "values": which})])
    if k % 4 == 3:
        other = MEANS["screw"][0]
        file.record([Draft(work.id, "mover", {"what": "screw", "values": other, "point": points[0]})])
    file.record([Draft(work.id, "caution", {"key": key}) for key in ("lifting", "shims", "machines")])
    return work.id


def _readings(
    file: JobFile, work: int, points: list[int], phase: str, true: np.ndarray, rng: Rng, u: float
) -> None:
    hangs = [p.sense != "stands" for p in desk_for(file, work).book.points]
    for point, height, up in zip(points, true, hangs, strict=True):
        seen = 1.26 + (height if up else -height) + rng.normal(0, u)
        file.record(
            [Draft(work, "reading", {"point": point, "phase": phase, "reading": _read(f"{seen:.4f}")})]
        )


def _first_stage(file: JobFile, work: int, desk) -> Iterator[str]:
    """Book the first stage as planned."""
    for i in [step.place for step in desk.result.walk[desk.result.stage_in_hand]]:
        drafts = desk.books(i)
        yield f"    booked: {drafts[-1].body.get('text', '')}"
        file.record(drafts)
        desk.refresh()
        wait(desk)


def _one_round(file: JobFile, work: int, true: np.ndarray, rng: Rng, slip: float) -> np.ndarray:
    """Do what the sheet says, to the letter but for a slip; the building answers softly. Returns the heights after it."""
    desk = desk_for(file, work)
    wait(desk)
    result = desk.result
    drafts, moved = [], np.zeros(len(true))
    for i in result.to_move:
        plan = result.planned(i)
        if plan is None:
            continue
        body = {
            "point": result.book.points[i].id,
            "put_m": plan.put,
            "leaves": plan.leaves,
            "used": plan.used,
        }
        drafts.append(Draft(work, "put", {**body, "text": "as planned", "planned": True}))
        moved[i] = plan.put
    file.record(drafts)
    near = np.roll(moved, 1) * 0.1 + np.roll(moved, -1) * 0.1
    after = true + 0.8 * moved + near
    after[int(rng.integers(len(true)))] += slip
    return np.asarray(after)


def of_supports(folder) -> Iterator[str]:
    """Floors over every target, means and limit, each found, moved twice, read as left."""
    from tests.test_said import NOON, one_line

    with JobFile.create(folder / "made.keel", "Made up", "Ada", decimal_mark=".", clock=lambda: NOON) as file:
        for k in range(30):
            rng = np.random.default_rng([12, k])
            work = _supports(file, rng, k)
            yield f"#### floor {k}"
            desk = desk_for(file, work)
            points = [p.id for p in desk.book.points]
            true = rng.normal(0, 0.004, len(points))
            _readings(file, work, points, "found", true, rng, 0.0001)
            for number in range(2):
                desk = desk_for(file, work)
                wait(desk)
                yield f"## before round {number + 1}"
                yield from _said(desk, ("Heights", "Target", "Moves"), one_line)
                if number == 0 and k % 3 == 0 and desk.result.walk:
                    yield from _first_stage(file, work, desk)
                    desk = desk_for(file, work)
                    wait(desk)
                    yield "## its first stage booked"
                    yield from _said(desk, ("Moves",), one_line)
                try:
                    true = _one_round(file, work, true, rng, float(rng.choice([0.0, 0.0, 0.004])))
                except KeelError as refused:
                    yield refused.message
                    break
                _readings(file, work, points, "left", true, rng, 0.0001)
                desk = desk_for(file, work)
                wait(desk)
                yield f"## after round {number + 1}"
                yield from _said(desk, ("Proof",), one_line)
                put, leaves = desk.result.put_in()
                body = {"put": {str(i): v for i, v in put.items()}}
                file.record([Draft(work, "pass", body | {"leaves": {str(i): n for i, n in leaves.items()}})])


def _said(desk, stages: tuple[str, ...], one_line) -> Iterator[str]:
    """What the work says, and the sheets that are reckoned: shorter than all a desk says, for there are many works."""
    for stage in stages:
        for finding in desk.findings(stage):
            numbers = finding.why.numbers if finding.why else ""
            yield one_line(f"  {stage} [{finding.verdict}] {finding.title}", finding.text, numbers)
        for sheet in desk.sheets(stage):
            if sheet.name in SHEETS:
                for row in range(sheet.count):
                    cells = " | ".join(sheet.cell(row, column).text for column in range(len(sheet.columns)))
                    why = sheet.why(row)
                    yield one_line(f"    {sheet.name}: {cells}", why.numbers if why else "")


def of_heights() -> Iterator[str]:
    """Runs that close on what they began on, on another known mark, or on nothing: heights, spread, U and what is said."""
    for k in range(16):
        rng = np.random.default_rng([16, k])
        book = Book("run", "m" if k % 4 else "ft")
        route = measure_slips.route(rng)
        names = {sight[1] for setup in route for sight in setup}
        book.known("A", "50", u=float(rng.choice([0.0, 0.001])))
        if k % 3 and "B" in names:
            book.known(
                "B", f"{50 + sum(s[0][2] - s[-1][2] for s in route) + rng.normal(0, 0.002):.3f}", u=0.002
            )
        if k % 2:
            book.way(0.0007)
        far = bool(k % 5)
        for setup in route:
            for n, (kind, mark, height) in enumerate(setup):
                read = height + rng.normal(0, 0.0007)
                text = f"{read if k % 4 else read / 0.3048:.3f}"
                book.sight(
                    ("BS", "IS", "FS")[kind],
                    mark,
                    text,
                    round(rng.uniform(8, 40)) if far else None,
                    new=n == 0,
                )
        closing = {
            "class": "",
            "coefficient_m": 0.005,
            "per": "setup",
            "spread": ("distance", "setups", "none")[k % 3],
            "override": True,
            "reason": "made up",
        }
        book.add(Draft(book.work, "closing", closing))
        result = book.run()
        u_of = result.u_heights()
        yield f"#### run {k}"
        for finding in what_is_said("run", result, "Closing"):
            yield f"  [{finding.verdict}] {finding.title} | {finding.text} | {finding.why.numbers if finding.why else ''}"
        for row in range(len(result.book.rows)):
            at = result.at[row]
            u = float(u_of[at]) if at >= 0 else float("nan")
            yield f"    {result.height(row):.5f} {result.corrected(row):.5f} {u:.6f}"


def of_checks() -> Iterator[str]:
    """Every check on instruments that lie otherwise each time, two and five times over: what is found, its U, what is decided."""
    for kind in INSTRUMENTS:
        usual = usual_facts(kind.traits)
        traits = Traits(kind, usual.values, usual.texts)
        for key in kind.checks:
            procedure = PROCEDURES[key]
            for way in [w for w, _ in procedure.ways] or [""]:
                for cycles in (2, 5):
                    rng = np.random.default_rng([17, cycles, len(key)])
                    steps = plan(procedure, way, traits, cycles)
                    seen = carry_out(procedure, way, traits, hide(traits, rng), steps, rng)
                    outcome = procedure.outcome(traits, way, seen)
                    found = "; ".join(f"{f.name} {round(f.value, 12):.6g} ± {f.U:.4g}" for f in outcome.found)
                    yield f"## {kind.key} {key} {way} × {cycles}: {found} | {outcome.decision}"
                    for line in outcome.lines:
                        yield f"    {' | '.join(str(part) for part in line)}"


def of_runs() -> Iterator[str]:
    """Books with one slip of every kind in every way of booking: who is suspected, and how surely."""
    for slip in ("", *measure_slips.KINDS):
        for way, booked in measure_slips.BOOKED.items():
            rng = np.random.default_rng([13, len(slip), len(way)])
            made = next(m for m in (measure_slips.read(rng, booked, slip) for _ in range(99)) if m)
            search = find_slips(measure_slips.as_booked(made))
            yield f"## {slip or 'honest'} | {way} | {search.kind_known} {search.place_known}"
            for s in search.suggestions[:4]:
                yield f"    {s.kind} {s.rows} {s.sure:.3f} {s.size:.5f}"
    for unit in ("ft", "mm", "ft-in"):
        for slip in ("joint", "sank", "columns", "whole"):
            rng = np.random.default_rng([15, len(slip), len(unit)])
            made = next(
                m for m in (measure_slips.read(rng, ("hairs", "looks"), slip) for _ in range(99)) if m
            )
            search = find_slips(replace(measure_slips.as_booked(made), unit=unit))
            yield f"## {slip} in {unit}"
            for s in search.suggestions[:4]:
                yield f"    {s.kind} {s.rows} {s.sure:.3f} {s.size:.5f} {s.of_kind:.3f} {s.would_be:.4f}"
    rng = np.random.default_rng(14)
    for n in (8, 20, 60):
        run = honest_run(rng, n)
        search = find_slips(with_slip(run, one_slip(rng, run)).readings())
        yield f"## {n} | {' '.join(f'{kind} {part:.3f}' for kind, part in search.kinds.items())}"
        for s in search.suggestions[:4]:
            yield f"    {s.kind} {s.rows} {s.sure:.3f} {s.size:.5f}"
