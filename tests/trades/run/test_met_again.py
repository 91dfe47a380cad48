"""A run that says two things of one mark is never green: a leg levelled again, a benchmark passed, a mark read twice."""

from __future__ import annotations

import json

import numpy as np
import pytest

from tests.saying import take, what_is_said
from tests.trades.run.test_run_more import Job
from vivid_keel.core.booking.closing import CLASSES
from vivid_keel.core.booking.layout import BS, FS, IS, ListedMark, extended, lay_out
from vivid_keel.core.booking.met import met_again
from vivid_keel.core.booking.reduction import reduce
from vivid_keel.core.booking.ways import ways_of
from vivid_keel.core.record.entries import Draft
from vivid_keel.files import JobFile
from vivid_keel.trades.registry import desk_for
from vivid_keel.trades.run.findings import run_state
from vivid_keel.trades.run.register import run_lends

LEG_AGAIN = "mark,BS,IS,FS,known height\nBM,1.503,,,10.000\nCP 1,1.402,,1.204,\nx,,1.001,,\nBM,,,1.801,\nCP 1,1.337,,,\nBM,,,1.636,\n"


def out_by_100(job, **last):
    """A run that is out by 100 mm on the benchmark that it set out from."""
    run = job.run()
    job.known(run, "BM", "10")
    for kind, mark, reading in (("BS", "BM", "1.503"), ("FS", "CP 1", "1.204")):
        job.sight(run, kind, mark, reading)
    job.put(Draft(run, "setup", {}))
    for kind, mark, reading in (("BS", "CP 1", "1.402"), ("IS", "x", "1.001"), ("FS", "BM", "1.801")):
        job.sight(run, kind, mark, reading, **last)
    return run


def levelled_again(job, run, fore="1.636"):
    job.put(Draft(run, "setup", {}))
    job.sight(run, "BS", "CP 1", "1.337")
    job.sight(run, "FS", "BM", fore)


def test_levelling_a_leg_again_does_not_make_a_bad_run_green():
    job = Job()
    run = out_by_100(job)
    levelled_again(job, run)
    result = job.out(run)
    assert result.closure.misclosure == pytest.approx(0)
    assert result.closure.accepted
    assert result.sound is False
    assert not result.closure.spread
    assert run_state(result).verdict == "out"
    assert "100" in run_state(result).words
    assert not any(height.closed for height in run_lends(result).heights.values())
    said = what_is_said("run", result)
    assert next(f.verdict for f in said) == "out"
    assert any("CP 1 to BM was levelled twice" in f.text for f in said)
    # The way that was read first is named with the marks that hang on it.
    assert any("x would have to be read again" in f.text for f in said)


def on_desk(tmp_path, job, run):
    """A job that was booked in memory, on a desk of its own."""
    file, ids = JobFile.create(tmp_path / "mill.keel", "Osier Mill", "Ada"), {}
    for entry in list(job.journal.entries.values())[1:]:
        (made,) = file.record([Draft(ids.get(entry.work, 0), entry.kind, entry.body)])
        ids[entry.id] = made.id
    return desk_for(file, ids[run])


@pytest.fixture
def desk(tmp_path):
    job = Job()
    run = out_by_100(job)
    levelled_again(job, run)
    shown = on_desk(tmp_path, job, run)
    yield shown
    shown.file.close()


def met_sheet(desk):
    return next(s for s in desk.sheets("Proof") if s.name == "Met again")


@pytest.mark.parametrize(("counts", "misclosure", "verdict"), [("2", 0.0, "in"), ("1", -0.1, "out")])
def test_the_person_says_which_way_counts_and_the_other_stays_struck(desk, counts, misclosure, verdict):
    assert desk.next("Readings").title == "Next: which way counts?"
    desk.go(desk.next("Readings").key)
    take(met_sheet(desk), 0, 5, counts)
    result = desk.result
    assert result.closure.misclosure == pytest.approx(misclosure)
    assert run_state(result).verdict == verdict
    struck = [row for row in desk.book.rows if not row.stands]
    assert {row.mark for row in struck} >= {"CP 1", "BM"}
    assert all("levelled twice" in desk.file.journal.reason(row.id) for row in struck)
    if counts == "2":
        assert result.closure.spread
        assert [row.text for row in desk.book.rows if row.stands] == ["1.503", "1.204", "1.337", "1.636"]
    desk.file.undo()
    desk.refresh()
    assert run_state(desk.result).verdict == "out"
    assert not [row for row in desk.book.rows if not row.stands]


def test_a_leg_that_agrees_says_that_the_mistake_lies_elsewhere():
    job = Job()
    run = out_by_100(job)
    levelled_again(job, run, fore="1.737")
    result = job.out(run)
    said = what_is_said("run", result)
    assert any("both ways agree, so a mistake lies elsewhere" in f.text for f in said)
    assert run_state(result).verdict == "out"


def test_a_benchmark_passed_beyond_its_limit_is_red_until_it_is_explained_in_words():
    job = Job()
    run = job.run()
    job.known(run, "BM", "10")
    job.known(run, "BM 3", "10.300")
    job.sight(run, "BS", "BM", "1.503")
    job.sight(run, "FS", "BM 3", "1.260")  # observed 10.243
    job.put(Draft(run, "setup", {}))
    job.sight(run, "BS", "BM 3", "1.200")
    job.sight(run, "FS", "BM", "1.443")
    result = job.out(run)
    assert result.closure.misclosure == pytest.approx(0)
    assert run_state(result).verdict == "out"
    (one,) = result.bad
    passed = result.book.sights[one.row]
    assert one.difference == pytest.approx(-0.057)
    job.put(Draft(run, "explained", {"sight": result.book.rows[passed].id, "reason": "hit by a cart"}))
    assert run_state(job.out(run)).verdict == "in"
    assert any(f.text == "hit by a cart" for f in what_is_said("run", job.out(run)))
    job.put(Draft(run, "explained", {"sight": result.book.rows[passed].id, "reason": ""}))
    assert run_state(job.out(run)).verdict == "out"


def test_reduce_names_what_does_not_fit_and_refuses_the_book(tmp_path, capsys):
    from vivid_keel.cli import main

    path = tmp_path / "book.csv"
    path.write_text(LEG_AGAIN)
    assert main(["reduce", str(path), "--json"]) != 0
    out = json.loads(capsys.readouterr().out)
    assert out["accepted"] is False
    assert any("BM on set-up 2" in warning for warning in out["warnings"])


def test_solve_keeps_its_contract_and_warns():
    from vivid_keel.cli import solve_text

    setups = [
        [("BM", "BS", 1.503), ("CP 1", "FS", 1.204)],
        [("CP 1", "BS", 1.402), ("x", "IS", 1.001), ("BM", "FS", 1.801)],
        [("CP 1", "BS", 1.337), ("BM", "FS", 1.636)],
    ]
    problem = {
        "marks": [{"name": "BM", "height_m": 10.0, "fixed": True}],
        "setups": [
            {"sights": [{"mark": m, "kind": k, "reading_m": r} for m, k, r in setup]} for setup in setups
        ],
    }
    found = solve_text(json.dumps({"kind": "level_book", "problem": problem}))
    assert found["result"]["accepted"]
    assert any("BM" in warning for warning in found["warnings"])


def honest(rng, sigma=0.0007):
    """An honest book: six set-ups out and home, marks read twice, looks back before the instrument leaves."""
    height = {"BM": 50.0}
    kinds, marks, setup, true = [], [], [], []
    for s in range(6):
        start, end = ("BM" if s == 0 else f"T{s}"), ("BM" if s == 5 else f"T{s + 1}")
        line = height[start] + rng.uniform(0.8, 2.0)
        height.setdefault(end, line - rng.uniform(0.5, 2.5))
        shared = [(IS, f"m{s - 1}"), (IS, f"m{s}")] if s else [(IS, "m0")]
        for kind, mark in [(BS, start), *shared, (IS, start), (FS, end)]:
            height.setdefault(mark, line - rng.uniform(0.5, 2.5))
            kinds.append(kind)
            marks.append(mark)
            setup.append(s)
            true.append(line - height[mark])
    read = np.round(np.array(true) + rng.normal(0, sigma, len(true)), 3)
    return lay_out(kinds, marks, setup, {"BM": ListedMark("BM", 50.0)}), read


def test_of_a_hundred_honest_books_five_are_accused_not_five_marks_in_each_hundred():
    rng, books, accused = np.random.default_rng(33), 600, 0
    for _ in range(books):
        layout, read = honest(rng)
        n = len(read)
        u = np.full(n, np.hypot(0.0007, 0.001 / np.sqrt(12)))
        found = met_again(reduce(layout, read), u, np.full(n, 0.001), np.full(n, np.nan), CLASSES[0])
        twice = [one for one in found if one.first >= 0]
        assert len(twice) == 11
        accused += any(not one.agrees for one in twice)
    assert 0.01 < accused / books < 0.07


@pytest.mark.parametrize("seed", range(5))
def test_the_allowance_is_the_spread_of_the_difference_itself(seed):
    """Against ways worked out sight by sight from one another's readings, by moving each reading alone."""
    rng = np.random.default_rng([33, seed])
    layout, read = honest(rng)
    # A leg levelled again, and one that sets out from the benchmark anew.
    more = [(BS, "T2", 6), (FS, "T3", 6), (BS, "BM", 7), (IS, "T1", 7), (FS, "m4", 7)]
    kinds = [*layout.kinds.tolist(), *(k for k, _, _ in more)]
    marks = [*layout.marks, *(m for _, m, _ in more)]
    layout = lay_out(kinds, marks, [*layout.setup.tolist(), *(s for _, _, s in more)], layout.listed)
    read = np.append(read, rng.uniform(0.5, 2.5, len(more)))
    n = len(read)
    u = rng.uniform(0.0005, 0.002, n)
    found = met_again(reduce(layout, read), u, np.zeros(n), np.full(n, np.nan), CLASSES[0])
    pairs = [one for one in found if one.first >= 0]
    base = reduce(layout, read).heights
    moved = np.array([reduce(layout, read + 1e-3 * np.eye(n)[i]).heights - base for i in range(n)]) / 1e-3
    from statistics import NormalDist

    z = NormalDist().inv_cdf(1 - 0.025 / len(pairs))
    for one in pairs:
        by = moved[:, one.row] - moved[:, one.first]
        assert one.allowed == pytest.approx(z * np.sqrt((by**2 * u**2).sum()), rel=1e-6), one
    legs = {(marks[one.row], one.leg) for one in pairs if one.leg}
    assert ("T3", (2, 6)) in legs
    assert ("T1", (0, 7)) in legs


def searched(desk):
    """Do what the window's worker does: look for the slip."""
    work = desk.long_work()
    if work is not None:
        desk.long_work_done(work[0], work[1](lambda: 10.0))
    return desk


@pytest.fixture
def out_desk(tmp_path):
    """A run on which Weir was read with its digits swapped, as the search finds it."""
    job = Job()
    run = job.run()
    job.known(run, "BM", "10")
    for s, (back, r, fore, f) in enumerate(
        (
            ("BM", "1.503", "Weir", "1.204"),
            ("Weir", "1.420", "CP 2", "0.951"),
            ("CP 2", "1.201", "BM", "1.951"),
        )
    ):
        if s:
            job.put(Draft(run, "setup", {}))
        job.sight(run, "BS", back, r)
        job.sight(run, "FS", fore, f)
    shown = searched(on_desk(tmp_path, job, run))
    yield shown
    shown.file.close()


def test_a_reading_taken_again_and_the_same_is_acknowledged_and_next_goes_on(out_desk):
    desk = out_desk
    seen = []
    for _ in range(12):
        step = desk.next("Readings")
        seen.append(step.title)
        if not step.title.endswith("again") or step.key.startswith("level"):
            break
        before = {s.rows[0]: s.sure for s in desk.search.suggestions}
        first = desk.search.suggestions[0].rows[0]
        slips = next(s for s in desk.sheets("Proof") if s.name == "Find the slip")
        there = slips.enter(0).place
        book = desk.sheets("Readings")[0]
        row, column = there.place
        take(book, row, column, book.start_text(row, column))
        searched(desk)
        now = {s.rows[0]: s.sure for s in desk.search.suggestions}
        assert now.get(first, 0.0) < before[first]
        assert any(f.title.startswith("Read again, the same") for f in what_is_said("run", desk.result))
    assert len(seen) == len(set(seen)) > 1, seen
    assert seen[-1].startswith("Next: level ")
    # The leg begins with its backsight on a new line, on a set-up of its own.
    goto = desk.go(desk.next("Readings").key)
    book = desk.sheets("Readings")[0]
    assert goto.place == (book.new, 1)
    start = desk.new_mark
    take(book, *goto.place, "1.300")
    assert desk.proposed_mark() not in {"", start}


@pytest.mark.parametrize("seed", range(4))
def test_ways_that_grow_sight_by_sight_are_those_of_the_whole_book(seed):
    rng = np.random.default_rng([34, seed])
    whole, _ = honest(rng)
    kinds, marks, setup = whole.kinds.tolist(), list(whole.marks), whole.setup.tolist()
    more = [
        (BS, "T2", 6),
        (IS, "m1", 6),
        (FS, "T3", 6),
        (BS, "BM", 7),
        (IS, "T1", 7),
        (IS, "T1", 7),
        (FS, "m4", 7),
    ]
    grown = lay_out(kinds[:1], marks[:1], setup[:1], whole.listed)
    ways_of(grown)
    sights = [*zip(kinds, marks, setup, strict=True), *more]
    for n, (kind, mark, s) in enumerate(sights[1:], 2):
        grown = extended(grown, kind, mark, s)
        mine = ways_of(grown)
        told = ways_of(lay_out(*(list(part) for part in zip(*sights[:n], strict=True)), whole.listed))
        for name in ("row", "first", "top", "begun", "leaves"):
            assert np.array_equal(getattr(mine, name), getattr(told, name)), (n, name)


def test_a_leg_levelled_again_to_a_change_point_is_settled_before_the_run_goes_on(tmp_path):
    job = Job()
    run = job.run()
    job.known(run, "BM", "10")
    legs = [
        ("BM", "1.503", "CP 1", "1.304"),
        ("CP 1", "1.402", "CP 2", "1.301"),
        ("CP 2", "1.500", "BM", "1.700"),
    ]
    for start, back, end, fore in [*legs, ("CP 1", "1.450", "CP 2", "1.449")]:
        if start != "BM":
            job.put(Draft(run, "setup", {}))
        job.sight(run, "BS", start, back)
        job.sight(run, "FS", end, fore)
    shown = on_desk(tmp_path, job, run)
    with shown.file:
        assert shown.next("Readings").title == "Next: which way counts?"
        assert shown.next("Readings").text.startswith("CP 1 to CP 2")
