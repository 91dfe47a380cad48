"""What the program says, word for word: of the demo, of its kit, of every check done on a stand-in, of works made up at random,
of problems and jobs near the known ones.

A changed word or figure shows here first. Read the difference, and where it is right write the pages anew:

    .venv/bin/python -m tests.test_said

Two pages are too long to be kept: of each of their sections a seal is. What one says is written to the terminal:

    .venv/bin/python -m tests.test_said parts

so that two versions can be laid side by side.
"""

from __future__ import annotations

import difflib
import re
import sys
import tempfile
import zlib
from datetime import UTC, datetime
from pathlib import Path

import numpy as np
import pytest

from tests import made_up, made_up_far, made_up_more, made_up_parts, made_up_widely
from tests.trades.conftest import wait
from vivid_keel.core.facts import usual_facts
from vivid_keel.core.instruments.kinds import KINDS
from vivid_keel.core.instruments.outcome import Traits
from vivid_keel.core.instruments.procedures import PROCEDURES
from vivid_keel.core.instruments.tool import fold_kit
from vivid_keel.demo import build
from vivid_keel.desk.kit.tool import ToolDesk
from vivid_keel.desk.kit.whole import KitDesk
from vivid_keel.stands.instruments import carry_out, hide, plan
from vivid_keel.store.jobfile import KitFile
from vivid_keel.trades.registry import desk_for

PAGES = Path(__file__).parent / "said"
NOON = datetime(2026, 11, 26, 12, 0, tzinfo=UTC)
"""It is always the same hour here: near midnight what was checked 29 days ago becomes 30."""
DAY = re.compile(
    r"\b\d{1,2} (?:[A-Z][a-z]{2}|[A-Z][a-z]{3,8})\b(?: \d{4})?|\b\d{4}-\d\d-\d\d(?:[T ][\d:+.]+)?|\b\d\d:\d\d\b"
)
WHEN = re.compile(r"(?<=\| )(?:now|today|yesterday|tomorrow|\d+ days ago)(?= \||$)")
FLOAT = re.compile(r"-?\d+\.\d+(?:e-?\d+)?")


def one_line(*words):
    """Words in one line, days left out: the demo is made today, whenever that is."""
    said = " | ".join(str(word).replace("\n", " ⏎ ") for word in words if word)
    return WHEN.sub("(day)", DAY.sub("(day)", said))


def working(why):
    """The lines of a working."""
    return (
        []
        if why is None
        else [one_line("   why", why.title, why.formula, why.numbers, *why.sources, why.note)]
    )


def desk_said(desk, stages=None):
    """All that is said at a desk: stage by stage the findings with their workings, the next step, the sheets' cells."""
    yield one_line("state", *desk.state())
    for stage in stages or desk.stage_names:
        yield one_line(f"== {stage}", desk.next(stage).title, desk.next(stage).text)
        for finding in desk.findings(stage):
            yield one_line(f"  [{finding.verdict}] {finding.title}", finding.text, finding.action_label)
            yield from working(finding.why)
        for sheet in desk.sheets(stage):
            yield one_line(f"  -- {sheet.name}", *(column.title for column in sheet.columns))
            for row in range(min(sheet.count, 60)):
                cells = [sheet.cell(row, column) for column in range(len(sheet.columns))]
                yield one_line(
                    "    " + " | ".join(cell.text or f"({cell.hint})" * bool(cell.hint) for cell in cells)
                )
                yield from working(sheet.why(row))
            for line in sheet.footer():
                yield one_line("    foot", *line)


def of_the_demo(folder):
    """Every work of the demo job."""
    with build(folder / "Osier Mill.keel", NOON) as job:
        job._clock = lambda: NOON
        for work in job.journal.works():
            desk = desk_for(job, work.id)
            wait(desk)
            yield f"#### {work.body['name']}"
            yield from desk_said(desk)


def of_the_kit(folder):
    """The whole kit, and every instrument in it."""
    build(folder / "Osier Mill.keel", NOON).close()
    with KitFile.open(folder / "Osier Mill.keelkit", clock=lambda: NOON) as kit:
        yield "#### Kit"
        yield from desk_said(KitDesk(kit))
        for tool in fold_kit(kit.journal):
            yield f"#### {tool.name}"
            yield from desk_said(ToolDesk(kit, tool.id))


def of_the_checks(folder):
    """Every check of every kind of instrument, in every way, done on a stand-in that lies."""
    for kind in KINDS:
        usual = usual_facts(kind.traits)
        traits = Traits(kind, usual.values, usual.texts)
        yield f"#### {kind.key} | {kind}"
        for key in kind.checks:
            procedure = PROCEDURES[key]
            for way in [w for w, _ in procedure.ways] or [""]:
                for cycles in (1, 3):
                    rng = np.random.default_rng(5)
                    steps = plan(procedure, way, traits, cycles)
                    seen = carry_out(procedure, way, traits, hide(traits, rng), steps, rng)
                    yield f"## {key} {way} × {cycles}"
                    if cycles == 1:
                        yield from (
                            one_line("  step", s.key, s.title, s.text, s.unit, s.usual, *s.words)
                            for s in steps
                        )
                        asked = procedure.steps(traits, way, seen)
                        yield "  may be left: " + " ".join(s.key for s in asked if s.optional)
                    outcome = procedure.outcome(traits, way, seen)
                    yield one_line("  ", FLOAT.sub(lambda found: f"{float(found[0]):.6g}", repr(outcome)))


def of_what_is_made_up(folder):
    """Works over every target, means, limit and slip."""
    yield from made_up.of_runs()
    yield from made_up.of_heights()
    yield from made_up.of_checks()
    yield from made_up.of_supports(folder)


def of_problems(folder):
    """Shared problems with other numbers."""
    yield from made_up_more.of_problems()


def of_what_went_astray(folder):
    """Checks, problems and bodies that lack something or are far off."""
    yield from made_up_far.of_checks()
    yield from made_up_far.of_problems()
    yield from made_up_far.of_bodies()
    yield from made_up_far.of_advice(folder)


def every(module):
    """All that a module makes up, in the order in which it stands there."""
    for name, one in vars(module).items():
        if name.startswith("of_"):
            yield f"## {name}"
            yield from one()


def sealed(lines):
    """Of each section its head, shortened, and a seal of all it says."""
    head, seal = "", 0
    for line in [*lines, "##"]:
        if line.startswith("##"):
            if head:
                yield f"{head[:80]} | {seal:08x}"
            head, seal = line, 0
        seal = zlib.crc32(line.encode(), seal)


LONG = {"widely": made_up_widely, "parts": made_up_parts}
WHAT = {
    "demo": of_the_demo,
    "kit": of_the_kit,
    "checks": of_the_checks,
    "made-up": of_what_is_made_up,
    "problems": of_problems,
    "near-the-demo": made_up_more.of_the_trades,
    "astray": of_what_went_astray,
    "in-inches": made_up_far.in_inches,
    "widely": lambda folder: sealed(every(made_up_widely)),
    "parts": lambda folder: sealed(every(made_up_parts)),
}


@pytest.mark.parametrize("page", WHAT)
def test_what_is_said_is_what_was_read_and_found_right(page, tmp_path):
    now = list(WHAT[page](tmp_path))
    before = (PAGES / f"{page}.txt").read_text().splitlines()
    changed = list(difflib.unified_diff(before, now, "as read", "now", lineterm="", n=0))
    assert not changed, "\n".join(changed[:40])


def write():
    """Write the pages anew; `git diff tests/said` is then to be read."""
    PAGES.mkdir(exist_ok=True)
    for page, lines in WHAT.items():
        with tempfile.TemporaryDirectory() as folder:
            (PAGES / f"{page}.txt").write_text("\n".join(lines(Path(folder))) + "\n")


if __name__ == "__main__":
    if sys.argv[1:]:
        print("\n".join(every(LONG[sys.argv[1]])))
    else:
        write()
    sys.exit(0)
