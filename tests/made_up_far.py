"""Further from the known ones: checks gone astray, problems with a field left out, bodies led by level and by count, works in inches.

What lived of faults put into the core stood mostly where nothing said what comes out when something is missing, wrong or in other
units. It need not be right by this page alone: the facts and simulators say that; here it must stay what was read (see test_said).
"""

from __future__ import annotations

import json
import math
from collections.abc import Iterator
from pathlib import Path
from typing import Any

import numpy as np
from msgspec.structs import replace

from tests import measure_bodies
from tests.made_up_more import VECTORS, told
from tests.saying import added, what_is_said
from vivid_keel.core.errors import KeelError
from vivid_keel.core.facts import usual_facts
from vivid_keel.core.instruments.advisor import advise
from vivid_keel.core.instruments.kinds import KINDS
from vivid_keel.core.instruments.outcome import Seen, Traits
from vivid_keel.core.instruments.procedures import PROCEDURES
from vivid_keel.core.instruments.tool import fold_kit
from vivid_keel.core.moving.plan import LEFT
from vivid_keel.core.problems.solving import solve
from vivid_keel.core.record.entries import Draft
from vivid_keel.demo import build
from vivid_keel.desk.kit.whole import KitDesk
from vivid_keel.files import JobFile, KitFile
from vivid_keel.stands.instruments import carry_out, hide, plan
from vivid_keel.trades.registry import desk_for, problem_kinds

Rng = np.random.Generator


def _astray(seen: dict[str, Seen], may: set[str], rng: Rng) -> dict[str, Seen]:
    """What was booked with some of what may be left left, and one or two readings far off."""
    out = {key: one for key, one in seen.items() if key not in may or rng.random() < 0.5}
    numbers = [key for key, one in out.items() if not math.isnan(one.value)]
    for key in rng.permutation(numbers)[: int(rng.integers(1, 3))]:
        one, by = out[key], float(rng.choice([-3.0, -1.0, 1.02, 1.5, 4.0]))
        out[key] = replace(one, value=one.value * by, text=f"{one.value * by:g}")
    return out


def of_checks() -> Iterator[str]:
    """Every check with something left out or far off: what is found, noted, refused and decided."""
    for kind in KINDS:
        usual = usual_facts(kind.traits)
        traits = Traits(kind, usual.values, usual.texts)
        for key in kind.checks:
            procedure = PROCEDURES[key]
            for w, way in enumerate([w for w, _ in procedure.ways] or [""]):
                for k in range(5):
                    rng = np.random.default_rng([21, k, w, len(key), len(kind.key)])
                    steps = plan(procedure, way, traits, 1 + k % 3)
                    whole = carry_out(procedure, way, traits, hide(traits, rng), steps, rng)
                    may = {step.key for step in procedure.steps(traits, way, whole) if step.optional}
                    seen = _astray(whole, may, rng)
                    yield f"## {kind.key} {key} {way} {k}"
                    try:
                        outcome = procedure.outcome(traits, way, seen)
                    except KeelError as refused:
                        yield f"    {refused.code} {refused.where}: {refused.message}"
                        continue
                    found = "; ".join(f"{f.name} {round(f.value, 12):.6g} ± {f.U:.4g}" for f in outcome.found)
                    yield f"    {found} | {outcome.decision} | {outcome.trouble}"
                    for line in [*outcome.lines, *outcome.notes]:
                        yield f"    {' | '.join(str(part) for part in line)}"
                    yield f"    {told({name: float(value) for name, value in outcome.shown.items()})}"


def _lacking(value: Any, rng: Rng) -> Any:
    """A problem with a field left out here and there."""
    if isinstance(value, dict):
        return {name: _lacking(part, rng) for name, part in value.items() if rng.random() > 0.12}
    return [_lacking(part, rng) for part in value] if isinstance(value, list) else value


def of_problems() -> Iterator[str]:
    """Every shared problem with fields left out: what is taken for granted then, or what is asked for."""
    kinds = problem_kinds()
    for path in sorted(VECTORS.glob("*.json")):
        for n, case in enumerate(json.loads(path.read_text())):
            yield f"#### {path.stem} {n}"
            for k in range(5):
                problem = _lacking(case["problem"], np.random.default_rng([22, n, k]))
                try:
                    answer = told(solve(case["kind"], problem, kinds))
                except KeelError as refused:
                    answer = f"{refused.code} {refused.where}: {refused.message}"
                yield f"  {answer}"


def of_bodies() -> Iterator[str]:
    """Tables and beds led through two rounds, every other foot by the level and the rest by count: what is said after each."""
    for name, (make, feet) in measure_bodies.KINDS.items():
        for load, robs in measure_bodies.LOAD.items():
            body = make(feet, robs, [23, feet, len(load), len(name)])
            result = body.read("found")
            key = "bed" if "bed" in name else "slab"
            measure_bodies.keep_it(body, result)
            yield f"## {name}, {load}"
            for _ in range(2):
                for k, i in enumerate(list(result.to_do)):
                    yield f"    {result.book.points[i].name} {result.lifts[i] * 1e3:+.5f} | {result.stop_words(i)}"
                    if k % 2:
                        body.of.turn(i, float(result.lifts[i]))
                        continue
                    body.of.turn_to(i, *body.told(result, i))
                    body.book_watched(result, i)
                result = body.read("left")
                for said in what_is_said(key, result, "Proof"):
                    yield f"    [{said.verdict}] {said.title} | {said.text}"
                made, leaves = result.put_in()
                entry = {
                    "put": {str(k): v for k, v in made.items()},
                    "leaves": {str(k): v for k, v in leaves.items()},
                }
                body.book.add(Draft(body.book.work, "pass", entry))
                result = body.result()
            for said in what_is_said(key, result, LEFT):
                yield f"    [{said.verdict}] {said.title} | {said.text}"


def in_unit(path: Path, unit: str) -> Path:
    """Make a job beside another, all its works in another unit, and return where."""
    with JobFile.open(path) as job:
        others = [
            e._replace(body={**e.body, "unit": unit}) if e.kind == "work" and "unit" in e.body else e
            for e in job.journal.entries.values()
        ]
        other = path.with_name(f"other-{unit}.keel")
        JobFile.create_from(other, others, sources=job.sources()).close()
    return other


def in_inches(folder: Path) -> Iterator[str]:
    """The demo's works as they are shown where the work is in inches, or in feet and inches."""
    from tests.test_said import NOON, desk_said
    from tests.trades.conftest import wait

    with build(folder / "inches.keel", NOON) as job:
        made = job.path
    for unit in ("in", "ft-in"):
        with JobFile.open(in_unit(made, unit), clock=lambda: NOON) as job:
            for work in job.journal.works():
                desk = desk_for(job, work.id)
                wait(desk)
                yield f"#### {work.body['name']}, in {unit}"
                yield from desk_said(desk)


def of_advice(folder: Path) -> Iterator[str]:
    """What every kind of instrument owes over a short and a long span, and what else counts: line by line."""
    from tests.test_said import NOON

    with KitFile.create(folder / "every.keelkit", "Every", clock=lambda: NOON) as kit:
        desk = KitDesk(kit)
        for kind in KINDS:
            added(desk, kind.key)
        for span in (0.8, 7.0, 45.0):
            for one in advise(fold_kit(kit.journal), 0.002, span, frozenset(), NOON):
                lines = "; ".join(f"{line.name} {line.u * 1e3:.5g}" for line in one.budget.lines)
                yield f"  {one.tool.kind.key} over {span:g}: {lines} | {one.hindrance} {one.proves} {one.enough} {one.sure}"
