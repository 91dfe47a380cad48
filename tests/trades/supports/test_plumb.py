"""Posts out of plumb, beside their heights: typed, judged, cured."""

from __future__ import annotations

import pytest

from tests.saying import take
from vivid_keel.core.errors import KeelError
from vivid_keel.core.record.entries import Draft
from vivid_keel.files import JobFile
from vivid_keel.trades.registry import desk_for
from vivid_keel.trades.supports.lay_out import grid_drafts


@pytest.fixture
def floor(tmp_path):
    with JobFile.create(tmp_path / "floor.keel", "Mill", "Ada", decimal_mark=".") as file:
        (work,) = file.record([Draft(0, "work", {"name": "Floor", "type": "supports", "unit": "m"})])
        file.record(grid_drafts(work.id, ("A", "B"), 2, 2.4, 3.0))
        yield desk_for(file, work.id)


def plumb(desk):
    return next(sheet for sheet in desk.sheets("Heights") if sheet.name == "Plumb")


def book(desk, *texts):
    for column, text in enumerate(texts):
        sheet = plumb(desk)
        take(sheet, sheet.new, column, text)


def row(desk, at=0):
    return [plumb(desk).cell(at, column).text for column in range(9)]


def test_a_level_turned_round_says_how_far_the_head_is_off_and_what_cures_it(floor):
    book(floor, "A1", "a", "2.4", "l", "7 mm/m", "5 mm/m")
    said = row(floor)
    assert said[:7] == ["A1", "along", "2.400", "level", "7 mm/m", "5 mm/m", "+14.4 ± 2.0"]
    assert said[8] == "foot 14.4 to the far end, or wedge 1.2 there"
    assert plumb(floor).cell(0, 7).sign == "out"
    assert "the level itself +1.00 mm/m" in plumb(floor).why(0).numbers
    (finding,) = [f for f in floor.findings("Heights") if f.action == "plumb"]
    assert (finding.verdict, finding.title) == ("out", "1 out of plumb, most A1 by 14.4 mm")


def test_read_one_way_it_is_not_proven_where_the_level_may_be_out_by_as_much(floor):
    book(floor, "B2", "c", "2.4", "l", "2", "–")
    assert plumb(floor).cell(0, 7).sign == "open" and row(floor)[5] == "–"
    assert any("may lean more than 1 in 500" in f.title for f in floor.findings("Heights"))
    book(floor, "B2", "c", "2.4", "l", "2", "-2")  # it was the level
    assert plumb(floor).cell(0, 7).sign == "in" and row(floor)[8] == "stands"
    assert len(floor.book.leans) == 1 and "As first read: +4.8 mm" in plumb(floor).why(0).note


def test_a_bob_goes_by_the_gap_above_and_below(floor):
    book(floor, "A2", "c", "3", "b", "50", "62")
    assert row(floor)[6].startswith("+12.0 ±")
    take(plumb(floor), plumb(floor).new + 3, 2, "1.5, 1.5")
    assert "or brace there +4.2" in row(floor)[8]
    take(plumb(floor), plumb(floor).new + 3, 2, "none")
    assert "brace" not in row(floor)[8]


def test_what_it_must_be_within_is_the_persons_own(floor):
    book(floor, "A1", "a", "2.4", "l", "3", "3")
    assert plumb(floor).cell(0, 7).sign == "out"
    take(plumb(floor), plumb(floor).new + 1, 2, "1 in 200")
    assert floor.book.upright.within == pytest.approx(1 / 200)
    assert plumb(floor).cell(0, 7).sign == "in"


def test_nonsense_is_refused_in_its_cell(floor):
    for column, text, said in (
        (0, "C9", "no post here"),
        (1, "x", "a: along"),
        (2, "0", "another unit"),
        (3, "q", "l: by a level"),
        (4, "", "read the level first"),
        (4, "45°", "another unit"),
    ):
        with pytest.raises(KeelError, match=said):
            take(plumb(floor), 0, column, text)
    with pytest.raises(KeelError, match="type “Post” first"):
        take(plumb(floor), 0, 5, "2")
    with pytest.raises(KeelError, match="1 in 500"):
        take(plumb(floor), 1, 2, "0")
    with pytest.raises(KeelError, match="how far it reaches"):
        take(plumb(floor), 3, 2, "1.2")


def test_a_new_visit_begins_without_the_leans_of_the_last(floor):
    book(floor, "A1", "a", "2.4", "l", "3", "3")
    floor.record(Draft(floor.work, "visit", {}))
    assert floor.book.leans == []
