"""Levellings of several years side by side: what a person types, what is told, what another year's file lends."""

from __future__ import annotations

import math
from datetime import UTC, date, datetime

import numpy as np
import pytest

from vivid_keel.core.errors import KeelError
from vivid_keel.core.problems.solving import solve, solve_document
from vivid_keel.core.quantities import LengthStyle
from vivid_keel.core.record.entries import Draft
from vivid_keel.core.record.lending import Lent, LentLine, read_on
from vivid_keel.desk.sheet import Goto
from vivid_keel.files import JobFile
from vivid_keel.trades.registry import desk_for, problem_kinds, works_of
from vivid_keel.trades.years.book import MOST_LINES, lent_draft

MARKS = ("BM", "drain", "sill", "pit", "weir", "head")
SIGMA = 0.0005


def lines(heights, rng, name="Levelling"):
    """There and back, three marks a set-up, as another program would have read them."""
    out = []
    for k, start in enumerate((0, 2, 4, 2, 0)):
        marks = MARKS[start : start + 3]
        line = max(heights[m] for m in marks) + 1.0
        out += [
            [m, f"set-up {k + 1} ({name})", round(line - heights[m] + rng.normal(0, SIGMA), 4), SIGMA]
            for m in marks
        ]
    return out


def lent(work, year, heights, rng, **more):
    body = {
        "file": f"{year}.keel",
        "job": "Mill",
        "name": "Levelling",
        "when": f"{year}-11-15",
        "unit": "m",
        "step_m": 0.001,
        "closed": True,
        "lines": lines(heights, rng),
        "given": {"BM": heights["BM"]},
    }
    return Draft(work, "lent-run", body | more)


@pytest.fixture
def job(tmp_path):
    with JobFile.create(tmp_path / "job.keel", "Mill", "Ada", decimal_mark=".") as file:
        yield file


def begun(file):
    body = {"name": "Years", "type": "over-the-years", "unit": "m"}
    (work,) = file.record([Draft(0, "work", body)])
    return work.id


def years(file, *changes, seed=1, roles=("sill", "head")):
    """A work of so many Novembers: what every mark changed by since the year before."""
    rng = np.random.default_rng(seed)
    work = begun(file)
    heights = dict(zip(MARKS, (42.318, 41.864, 42.927, 40.112, 40.975, 41.615), strict=True))
    for year, change in enumerate(changes, 2023):
        heights = {name: h + change.get(name, 0.0) for name, h in heights.items()}
        file.record([lent(work, year, heights, rng)])
    file.record([Draft(work, "role", {"mark": mark, "role": "benchmark"}) for mark in roles])
    return desk_for(file, work)


def titles(desk):
    return [finding.title for finding in desk.findings("Heights")]


def test_what_sank_is_told_with_its_rate_and_what_stood_isnt_called_proven(job):
    desk = years(job, {}, {"pit": -0.006}, {"pit": -0.006})
    (pit,) = [one for one in desk.result.marks if one.name == "pit"]
    change, U = pit.since_first
    assert abs(change + 0.012) < U and pit.verdict == "moved"
    assert abs(pit.drift.rate + 0.006) < pit.drift.U_rate
    assert any(title.startswith("pit went down 1") for title in titles(desk))
    assert "2 not proven either way" in titles(desk) and "3 benchmarks stood" in titles(desk)
    assert desk.state()[0] == "in"


def test_with_something_allowed_what_lies_within_is_proven_and_what_will_leave_it_is_told_when(job):
    desk = years(job, {}, {"pit": -0.006}, {"pit": -0.006})
    job.record([Draft(desk.work, "years-fact", {"fact": "allowed", "text": "20", "value": 0.02})])
    desk.refresh()
    assert "2 within what is allowed" in titles(desk)
    (told,) = [title for title in titles(desk) if title.startswith("pit will be out in ")]
    early, late = (float(word) for word in told.split() if word.replace(".", "").isdigit())
    assert early < 8 / 6 < late  # 20 − 12 mm left, at 6 mm a year
    day = desk.result.at_most()
    assert date(2025, 11, 15) < day < date(2026, 11, 15)  # sooner than the rule, a year
    assert any(look.why == "level the marks again" and look.day == day for look in desk.own_looks())


def test_a_benchmark_that_sank_is_named_and_all_else_stays_where_it_was(job):
    desk = years(job, {}, {}, {"BM": -0.015})
    assert any(title.startswith("BM moved, or was misread: down 1") for title in titles(desk))
    assert desk.result.frame.stood == ["sill", "head"]
    for one in desk.result.marks:
        change, U = one.since_first
        assert abs(change - (-0.015 if one.name == "BM" else 0.0)) < 1.5 * U, one.name
    rows = desk.sheets("Proof")[0]
    assert rows.cell(0, 0).sign == "out" and "moved by −1" in rows.cell(0, 2).text
    assert "between " in rows.cell(0, 2).text and "or was misread" in rows.cell(0, 2).text


def test_two_looks_that_agree_are_no_misreading(job):
    desk = years(job, {}, {"BM": -0.015}, {})
    assert any(title.startswith("BM moved: down 1") for title in titles(desk))


def test_two_benchmarks_that_part_leave_a_doubt_that_is_told():
    """Which of the two moved can't be told: U of the others holds all the same. It was 63 in 100."""
    rng, held = np.random.default_rng(20), 0
    for _ in range(60):
        true = {"BM 1": rng.choice([0.0, 0.012]), "BM 2": 0.0, "sill": rng.normal(0, 0.005)}
        occasions = [
            {"years": k, "u_m": 0.001, "marks": {m: k * by + rng.normal(0, 0.001) for m, by in true.items()}}
            for k in (0.0, 1.0)
        ]
        found, _ = solve("years", {"occasions": occasions, "benchmarks": ["BM 1", "BM 2"]}, problem_kinds())
        held += abs(found["change_m"]["sill"] - true["sill"]) <= 2 * found["u_change_m"]["sill"]
    assert held >= 52  # 95 in 100, and three standard errors


def test_one_benchmark_is_never_said_to_be_checked_and_without_any_only_differences_are_told(job):
    desk = years(job, {}, {"pit": -0.006}, roles=())
    assert "Nothing checks BM" in titles(desk)
    job.record([Draft(desk.work, "role", {"mark": "BM", "role": "watched"})])
    desk.refresh()
    assert "No benchmark ties the years" in titles(desk) and desk.state()[0] == "open"


def test_two_years_that_gave_one_name_to_two_things_are_asked_about(job):
    desk = years(job, {}, {"drain": 1.2})
    (asked,) = [f for f in desk.findings("Heights") if f.title == "Is “drain” another mark?"]
    place = desk.go(asked.action)
    assert isinstance(place, Goto) and place.stage == "Set-up"
    sheet = desk.sheets("Set-up")[0]
    row, column = place.place
    assert sheet.cell(row, 0).text == "drain"
    desk.record(*sheet.accept(row, column, "another").drafts)
    assert not any("another mark" in title for title in titles(desk))
    assert "drain" not in [one.name for one in desk.result.marks]


def test_an_occasion_that_doesnt_fit_is_said_and_its_U_grows_with_it(job):
    work = begun(job)
    rng = np.random.default_rng(4)
    heights = dict(zip(MARKS, (42.318, 41.864, 42.927, 40.112, 40.975, 41.615), strict=True))
    wrong = lines(heights, rng)
    wrong[4][2] += 0.1  # a decimetre read wrong
    job.record([lent(work, 2023, heights, rng), lent(work, 2024, heights, rng, lines=wrong)])
    desk = desk_for(job, work)
    assert titles(desk)[0] == "Nov 2024 doesn't fit together"
    assert all(one.verdict == "not-proven" for one in desk.result.marks)
    assert max(one.since_first[1] for one in desk.result.marks) > 0.02


def test_what_has_one_name_is_one_occasion_and_what_is_left_out_says_why(job):
    desk = years(job, {}, {"pit": -0.006}, {"pit": -0.006})
    sheet = desk.sheets("Readings")[0]
    assert [sheet.cell(r, 4).text for r in range(3)] == ["Nov 2023", "Nov 2024", "Nov 2025"]
    with pytest.raises(KeelError, match="2024-05-17"):
        sheet.accept(0, 3, "last May")
    desk.record(*sheet.accept(0, 3, "2022-05-17").drafts)
    assert [one.name for one in desk.result.occasions] == ["May 2022", "Nov 2024", "Nov 2025"]
    sheet = desk.sheets("Readings")[0]
    desk.record(*sheet.accept(1, 4, "Nov 2025").drafts)
    assert [len(one.levellings) for one in desk.result.occasions] == [1, 2]
    sheet = desk.sheets("Readings")[0]
    desk.record(*sheet.enter(2).drafts)
    sheet = desk.sheets("Readings")[0]
    desk.record(*sheet.accept(2, 6, "frost").drafts)
    assert [len(one.levellings) for one in desk.result.occasions] == [1, 1]
    assert desk.book.levellings[2].reason == "frost"
    job.undo()
    job.undo()
    desk.refresh()
    assert [len(one.levellings) for one in desk.result.occasions] == [1, 2]


def test_a_jobs_own_runs_stand_beside_what_another_year_lent(tmp_path, job):
    from vivid_keel import demo

    noon = datetime(2026, 5, 4, 12, 0, tzinfo=UTC)  # both days of the demo lie in one month
    demo.build(tmp_path / "Osier Mill.keel", noon).close()
    work = begun(job)
    with JobFile.look_into(tmp_path / "Osier Mill.keel") as other:
        works = works_of(other)
        told = [(works.lent(id), read_on(other.journal, id)) for id in works.lenders()]
        desk = desk_for(job, work)
        drafts = desk.lent_by("Osier Mill.keel", "Osier Mill", told)
        before = {h.name: h.height for lent, _ in told for h in lent.heights.values()}
    desk.record(*drafts)
    (occasion,) = desk.result.occasions  # both runs in one month
    found = {
        name: float(height)
        for piece in occasion.pieces
        for name, height in zip(piece.names, piece.heights, strict=True)
    }
    assert found == {}  # one occasion has nothing in common with another
    assert {x.mark for one in desk.book.levellings for x in one.lines} > {"Weir crest", "Store sill"}
    assert len(before) > 6
    with pytest.raises(KeelError, match="lie here already"):
        desk.lent_by("Osier Mill.keel", "Osier Mill", told)


def test_another_jobs_file_stays_to_the_byte_as_it_was_whatever_its_version(tmp_path, job):
    import shutil
    from pathlib import Path

    for name in ("job-0.3.keel", "job-0.12.keel"):
        path = Path(shutil.copy(Path(__file__).parents[2] / "store" / "old" / name, tmp_path / f"{name}"))
        before = path.read_bytes()
        with JobFile.look_into(path) as other:
            works = works_of(other)
            assert any(works.lent(id).lines for id in works.lenders())
        assert path.read_bytes() == before
        assert sorted(p.name for p in tmp_path.glob(f"*{name}*")) == [name]


def test_no_job_is_filled_with_another(job):
    many = Lent(2, "long", LengthStyle(), {}, [LentLine("a", "b", 1.0, 0.001, 0.0, 0)] * (MOST_LINES + 1))
    with pytest.raises(KeelError, match="at most"):
        lent_draft(1, many, date(2024, 1, 1), "long.keel", "Long")


@pytest.mark.parametrize(
    "wrong",
    [
        [["BM", "set-up 1", 1.0]],
        [["BM", "set-up 1", 1.0, 0.0]],
        [["BM", 3, 1.0, 0.001]],
        [["BM", "set-up 1", math.inf, 0.001]],
        "BM",
    ],
)
def test_lines_that_are_none_are_refused(job, wrong):
    work = begun(job)
    with pytest.raises(KeelError) as refused:
        job.record([lent(work, 2024, dict.fromkeys(MARKS, 1.0), np.random.default_rng(1), lines=wrong)])
    assert refused.value.code == "wrong-type"


def test_the_problem_names_the_benchmark_and_gives_rates():
    def occasion(at, a):
        return {"years": at, "u_m": 0.0005, "marks": {"A": a, "B": 1.0, "C": 2.0, "p": 5 - 0.004 * at}}

    problem = {
        "kind": "years",
        "problem": {
            "occasions": [occasion(0.0, 0.0), occasion(1.0, 0.0), occasion(2.0, 0.02)],
            "benchmarks": ["A", "B", "C"],
        },
    }
    result = solve_document(problem, problem_kinds())["result"]
    assert result["stood"] == ["B", "C"] and result["moved"]["A"]["how"] == "step"
    assert result["moved"]["A"]["by_m"] == pytest.approx(0.02)
    assert result["rate_m_per_year"]["p"] == pytest.approx(-0.004)
    # two of three standing benchmarks: u = √2·0.5 mm/2 years·√(1 + 1/2)
    assert result["u_rate_m_per_year"]["p"] == pytest.approx(0.0005 * math.sqrt(2) / 2 * math.sqrt(1.5))


def test_the_csv_holds_every_mark(job, tmp_path):
    desk = years(job, {}, {"pit": -0.006})
    (writer,) = desk.writers()
    writer.write(desk, tmp_path / "years.csv")
    text = (tmp_path / "years.csv").read_text(encoding="utf-8-sig")
    assert all(mark in text for mark in MARKS) and "change since first read" in text
