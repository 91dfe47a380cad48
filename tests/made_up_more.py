"""Problems and jobs near the known ones: every shared problem and the demo's works with their numbers shifted, told as they come out.

The shared vectors say what is right at a few places. Between them the same code must go on saying what it said (see test_said).
"""

from __future__ import annotations

import json
import re
from collections.abc import Iterator
from pathlib import Path
from typing import Any

import numpy as np

from vivid_keel.core.errors import KeelError
from vivid_keel.core.problems.solving import solve
from vivid_keel.core.record.entries import Entry
from vivid_keel.demo import build
from vivid_keel.files import JobFile
from vivid_keel.trades.registry import desk_for, problem_kinds

Rng = np.random.Generator
VECTORS = Path(__file__).parent / "vectors"
PLAIN = re.compile(r"-?\d+(?:\.(\d+))?")
ELSEWHERE = {"run", "network", "supports"}
"""Works that made_up draws itself."""


def _shifted(value: Any, rng: Rng) -> Any:
    """A problem with its numbers up to a fifth larger or smaller; every twentieth count one more."""
    if isinstance(value, dict):
        return {name: _shifted(part, rng) for name, part in value.items()}
    if isinstance(value, list):
        return [_shifted(part, rng) for part in value]
    if isinstance(value, bool) or not isinstance(value, int | float):
        return value
    if isinstance(value, int):
        return value + int(rng.random() < 0.05)
    return float(value * (1 + 0.2 * rng.uniform(-1, 1))) if rng.random() < 0.7 else value


def told(value: Any, figures: int = 6) -> str:
    """An answer, its numbers to so many figures: what lies behind is another machine's arithmetic."""

    def of(part: Any) -> Any:
        if isinstance(part, dict):
            return {name: of(inner) for name, inner in part.items()}
        if isinstance(part, list | tuple):
            return [of(inner) for inner in part]
        if not isinstance(part, float):
            return part
        # A hair more than it is: a half falls the same way whatever a machine's last bits say.
        return float(f"{part * (1 + 3e-10):.{figures}g}") if abs(part) >= 1e-10 else 0.0

    return json.dumps(of(value), ensure_ascii=False)


def of_problems() -> Iterator[str]:
    """Every shared problem, six times shifted."""
    kinds = problem_kinds()
    for path in sorted(VECTORS.glob("*.json")):
        for n, case in enumerate(json.loads(path.read_text())):
            yield f"#### {path.stem} {n}"
            for k in range(6):
                problem = _shifted(case["problem"], np.random.default_rng([18, n, k]))
                try:
                    answer = told(solve(case["kind"], problem, kinds))
                except KeelError as refused:
                    answer = f"{refused.code} {refused.where}: {refused.message}"
                yield f"  {answer}"


def _read_again(body: Any, rng: Rng, by: float) -> Any:
    """A body whose plainly written readings are a few last digits off, text and value alike."""
    if isinstance(body, dict):
        text, step = body.get("text"), body.get("step_m")
        if isinstance(text, str) and isinstance(step, float) and (found := PLAIN.fullmatch(text)):
            decimals = len(found[1] or "")
            other = f"{float(text) + int(rng.normal(0, by)) * 10.0**-decimals:.{decimals}f}"
            whole = float(text) or 1.0
            return {**body, "text": other, "m": body["m"] * float(other) / whole if body["m"] else body["m"]}
        return {name: _read_again(part, rng, by) for name, part in body.items()}
    if isinstance(body, list):
        return [_read_again(part, rng, by) for part in body]
    return body


def of_the_trades(folder: Path) -> Iterator[str]:
    """The demo's works but those made up elsewhere, read a little otherwise: little, and much."""
    from tests.test_said import NOON, desk_said
    from tests.trades.conftest import wait

    with build(folder / "near.keel", NOON) as job:
        entries: list[Entry] = list(job.journal.entries.values())
        sources = job.sources()
    for k, by in enumerate((4.0, 40.0)):
        rng = np.random.default_rng([19, k])
        others = [e._replace(body=_read_again(e.body, rng, by)) for e in entries]
        path = folder / f"other-{k}.keel"
        JobFile.create_from(path, others, sources=sources).close()
        with JobFile.open(path, clock=lambda: NOON) as job:
            for work in job.journal.works():
                if work.body["type"] in ELSEWHERE:
                    continue
                desk = desk_for(job, work.id)
                wait(desk)
                yield f"#### {work.body['name']}, {by:g} digits off"
                yield from desk_said(desk)
