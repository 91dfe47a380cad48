"""Points whose heights follow the job's runs, by the names of their marks."""

from __future__ import annotations

import pytest

from tests.saying import take
from tests.trades.ground.test_ground import KEY
from tests.trades.supports.test_works import Book
from vivid_keel.core.record.entries import Draft
from vivid_keel.files import JobFile
from vivid_keel.trades.ground.book import RUNS
from vivid_keel.trades.registry import desk_for


def booked_run(file, name, reads):
    (work,) = file.record([Draft(0, "work", {"name": name, "type": "run", "unit": "m"})])
    reading = Book("run").read
    file.record([Draft(work.id, "mark", {"name": "BM", "height": reading("50.000"), "source": "datum"})])
    for kind, mark, text in reads:
        file.record([Draft(work.id, "sight", {"mark": mark, "sight": kind, "reading": reading(text)})])
    return work.id


@pytest.fixture
def job(tmp_path):
    with JobFile.create(tmp_path / "job.keel", "Mill", "Ada", decimal_mark=".") as file:
        booked_run(
            file,
            "Yard run",
            [
                ("BS", "BM", "1.500"),
                ("IS", "a", "1.600"),
                ("IS", "b", "1.700"),
                ("IS", "c", "1.800"),
                ("FS", "BM", "1.500"),
            ],
        )
        yield file


def test_points_lie_as_the_runs_found_them_and_follow_them(job):
    (work,) = job.record([Draft(0, "work", {"name": "Yard", "type": KEY, "unit": "m"})])
    desk = desk_for(job, work.id)
    facts = desk.sheets("Set-up")[0]
    row = next(k for k in range(facts.count) if facts.cell(k, 0).text == "Read as")
    take(facts, row, 1, RUNS)
    for k, (name, x, y) in enumerate((("a", 0, 0), ("b", 4, 0), ("c", 4, 3), ("d", 0, 3))):
        for column, text in enumerate((name, str(x), str(y))):
            take(desk.sheets("Readings")[0], k, column, text)
    assert desk.book.heights[:3] == pytest.approx([49.9, 49.8, 49.7])
    assert desk.sheets("Readings")[0].cell(0, 3).hint == "as Yard run" and desk.book.missing == ["d"]
    assert desk.result.tin is not None and desk.result.read == [0, 1, 2]
    sight = next(e for e in job.journal.entries.values() if e.kind == "sight" and e.body["mark"] == "b")
    job.record(
        [Draft(sight.work, "sight", {**sight.body, "reading": Book("run").read("1.750")}, strikes=sight.id)]
    )
    desk.refresh()
    assert desk.book.heights[1] == pytest.approx(49.75)  # corrected in the run, it follows
    take(desk.sheets("Readings")[0], 1, 3, "49.6")
    assert (
        desk.book.heights[1] == pytest.approx(49.6) and desk.book.points[1].source == ""
    )  # typed here, it stays


def test_two_runs_that_part_are_told(job):
    booked_run(job, "Other run", [("BS", "BM", "1.500"), ("FS", "a", "1.650")])
    (work,) = job.record([Draft(0, "work", {"name": "Yard", "type": KEY, "unit": "m"})])
    job.record([Draft(work.id, "ground-fact", {"fact": "by", "text": RUNS, "value": 3.0})])
    job.record([Draft(work.id, "ground-point", {"name": "a", "x_m": 0.0, "y_m": 0.0, "edge": True})])
    desk = desk_for(job, work.id)
    said = {f.title: f.text for f in desk.findings("Readings")}
    assert said["Two heights of one mark"].startswith("a: two runs found two heights")
