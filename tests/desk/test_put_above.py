"""Ins puts a forgotten line in above one that stands, in every sheet whose lines stand in their person's order."""

from __future__ import annotations

import pytest

from tests.mill import mill
from tests.saying import take
from vivid_keel.core.errors import KeelError
from vivid_keel.trades.registry import desk_for

SHEETS = {
    "supports": ("Heights", "Supports", "post"),
    "slab": ("Set-up", "Feet", "foot"),
    "axis": ("Set-up", "Feet", "foot"),
    "panels": ("Set-up", "Panels", "panel"),
    "groundwork": ("Readings", "Points", "point"),
    "marks": ("Readings", "Columns", "column"),
}


@pytest.fixture
def job(tmp_path):
    with mill(tmp_path / "Osier Mill.keel") as file:
        yield file


def found(job, key, title):
    """The desk of a work and its sheet of that name, wherever it stands."""
    work = next(w.id for w in job.journal.works() if w.body["type"] == key)
    desk = desk_for(job, work)

    def sheet():
        return next(s for stage in desk.stage_names for s in desk.sheets(stage) if s.name == title)

    return desk, sheet


def names(sheet):
    return [sheet.cell(row, 0).text for row in range(sheet.count - 1)]


@pytest.mark.parametrize("key", SHEETS)
@pytest.mark.parametrize("row", [0, 1, -1])
def test_it_stands_where_it_was_put_and_everything_else_as_it_did(job, key, row):
    desk, sheet = found(job, key, SHEETS[key][1])
    before = names(sheet())
    at = row % len(before)
    take(
        sheet(), max(at - 1, 0), 0, before[max(at - 1, 0)] + "x"
    )  # a line that was put right stands where it stood
    before[max(at - 1, 0)] += "x"
    assert names(sheet()) == before
    put = sheet().put_in(at)
    assert before[at] in put.asked[0][0] and SHEETS[key][2] in put.asked[0][0]
    desk.file.record(put.taken(["Forgotten"]))
    desk.refresh()
    assert names(sheet()) == [*before[:at], "Forgotten", *before[at:]]
    assert names(found(job, key, SHEETS[key][1])[1]()) == names(sheet())
    desk.file.undo()
    desk.refresh()
    assert names(sheet()) == before


@pytest.mark.parametrize("key", SHEETS)
def test_a_name_that_is_there_is_refused_and_nothing_goes_in_below_the_last_line(job, key):
    _desk, sheet = found(job, key, SHEETS[key][1])
    count = len(job.journal.entries)
    with pytest.raises(KeelError):
        sheet().put_in(0).taken([names(sheet())[0] if key != "marks" else ""])
    with pytest.raises(KeelError):
        sheet().put_in(0).taken([""])
    assert len(job.journal.entries) == count
    assert sheet().put_in(sheet().count - 1) is None


def test_a_post_goes_halfway_between_its_neighbours_of_one_row(job):
    desk, sheet = found(job, "supports", "Supports")
    points = desk.book.points
    row = next(k for k in range(1, len(points)) if points[k].row == points[k - 1].row)
    first = next(k for k in range(1, len(points)) if points[k].row != points[k - 1].row)
    for k, x in ((row, (points[row - 1].x + points[row].x) / 2), (first, points[first].x)):
        body = sheet().put_in(k).taken(["New"])[0].body
        assert body["x_m"] == pytest.approx(x) and body["row"] == points[k].row and body["y_m"] == points[k].y


def test_several_columns_at_once_stand_in_their_order(job):
    desk, sheet = found(job, "marks", "Columns")
    before = names(sheet())
    desk.file.record(sheet().put_in(1).taken(["Q1-Q3"]))
    desk.refresh()
    assert names(sheet()) == [before[0], "Q1", "Q2", "Q3", *before[1:]]
