"""What is struck, and how set-ups part and join as sights become of another kind."""

from __future__ import annotations

import pytest

from tests.saying import press_enter, take
from vivid_keel.core.booking.layout import BS, FS, IS
from vivid_keel.core.errors import KeelError
from vivid_keel.core.record.entries import Draft
from vivid_keel.files import JobFile
from vivid_keel.trades.registry import desk_for


@pytest.fixture
def desk(tmp_path):
    with JobFile.create(tmp_path / "mill.keel", "Osier Mill", "Ada", decimal_mark=".") as file:
        (run,) = file.record([Draft(0, "work", {"name": "Race", "type": "run", "unit": "m"})])
        shown = desk_for(file, run.id)
        known = shown.sheets("Set-up")[0]
        take(known, 0, 0, "BM")
        take(shown.sheets("Set-up")[0], 0, 1, "50")
        take(shown.sheets("Set-up")[0], 0, 3, "site datum")
        yield shown


def read(desk, kind, mark, reading):
    """Type a sight on the new line, as a person does."""
    book = desk.sheets("Readings")[0]
    if book.next_place()[0] == book.new:
        take(book, book.new, 0, mark)
    book = desk.sheets("Readings")[0]
    row = book.next_place()[0]
    take(book, row if row != book.new else book.new, 1 + kind, reading)


def as_booked(desk):
    return [(r.mark, r.kind, r.setup) for r in desk.book.rows if r.stands]


def test_ctrl_d_strikes_the_sight_in_hand_not_its_neighbour(desk):
    read(desk, BS, "BM", "1.503")
    read(desk, FS, "CP 1", "1.204")
    read(desk, BS, "CP 1", "1.402")
    book = desk.sheets("Readings")[0]
    assert book.strike_at(1, 1 + FS)[0] == "FS 1.204 at CP 1"
    assert book.strike_at(1, 1 + BS)[0] == "BS 1.402 at CP 1"
    assert book.strike_at(1, 0)[0] == "BS 1.402 at CP 1"  # on the name: the one booked last


def test_an_intermediate_that_becomes_a_foresight_parts_the_set_up_and_joins_it_again(desk):
    read(desk, BS, "BM", "1.503")
    read(desk, IS, "a", "1.204")
    read(desk, IS, "b", "1.301")
    whole = as_booked(desk)
    book = desk.sheets("Readings")[0]
    take(book, 1, 1 + FS, "1.204")
    assert as_booked(desk) == [("BM", BS, 0), ("a", FS, 0), ("b", IS, 1)]
    assert not any("after the foresight" in words for words in desk.result.trouble.values())
    take(desk.sheets("Readings")[0], 2, 1 + IS, "1.204")  # below the line that was struck
    assert as_booked(desk) == whole
    assert not desk.result.trouble


def test_a_line_that_lives_is_not_called_dead(desk):
    read(desk, BS, "BM", "1.503")
    read(desk, IS, "a", "1.204")
    read(desk, BS, "a", "1.402")  # typed by mistake: it begins a set-up
    book = desk.sheets("Readings")[0]
    desk.strike(book.strike_at(2, 1 + BS)[1], "not moved")
    assert not desk.fresh_set_up()
    assert "old line is dead" not in desk.next("Readings").text
    read(desk, IS, "b", "1.301")
    assert as_booked(desk)[-1] == ("b", IS, 0)
    desk.file.undo()
    desk.refresh()
    desk.file.undo()
    desk.refresh()
    assert as_booked(desk)[-1] == ("a", BS, 1)  # one act, one undo


def test_a_foresight_that_becomes_an_intermediate_keeps_its_line_alive(desk):
    read(desk, BS, "BM", "1.503")
    read(desk, FS, "a", "1.204")
    desk.new_set_up()
    assert desk.fresh_set_up()
    take(desk.sheets("Readings")[0], 1, 1 + IS, "1.204")
    assert not desk.fresh_set_up()
    assert as_booked(desk) == [("BM", BS, 0), ("a", IS, 0)]


def test_the_start_mark_closes_by_a_foresight_even_where_its_height_is_not_fixed(desk):
    entry = desk.file.journal.standing(desk.work, "mark")[0]
    desk.record(Draft(desk.work, "mark", {**entry.body, "fixed": False}, strikes=entry.id))
    read(desk, BS, "BM", "1.503")
    assert desk.next_kind("BM") == IS  # a last look, before the instrument leaves
    read(desk, FS, "CP 1", "1.204")
    read(desk, BS, "CP 1", "1.402")
    assert desk.next_kind("BM") == FS


def test_nothing_agrees_that_was_never_computed(tmp_path):
    with JobFile.create(tmp_path / "mill.keel", "Osier Mill", "Ada", decimal_mark=".") as file:
        (run,) = file.record([Draft(0, "work", {"name": "Race", "type": "run", "unit": "m"})])
        desk = desk_for(file, run.id)
        read(desk, BS, "somewhere", "1.503")
        read(desk, IS, "a", "1.204")
        assert not any("agree" in f.title.lower() for f in desk.findings("Proof"))
        for sheet in desk.sheets("Proof"):
            shown = [sheet.cell(r, c) for r in range(sheet.count) for c in range(len(sheet.columns))]
            assert all(cell.sign != "in" for cell in shown[:30]) or sheet.name == "Class and spread", (
                sheet.name
            )
            assert "0.000" not in [cell.text for cell in shown] or sheet.name == "Pages", sheet.name


def test_a_benchmark_given_in_one_run_is_proposed_in_the_next(desk):
    entry = desk.file.journal.standing(desk.work, "mark")[0]
    (run,) = desk.file.record([Draft(0, "work", {"name": "Wheel pit", "type": "run", "unit": "m"})])
    other = desk_for(desk.file, run.id)
    sheet = other.sheets("Set-up")[0]
    assert [sheet.cell(0, c).hint for c in (0, 1, 3)] == ["BM", "50.000", "site datum"]
    assert "Enter takes BM" in other.next("Set-up").text
    take(sheet, *sheet.first(), "")
    assert other.file.journal.standing(run.id, "mark")[0].body == entry.body
    read(other, BS, "BM", "1.2")
    assert other.result.height(0) == pytest.approx(50)


def test_a_feet_staff_in_a_metre_job_reads_in_feet_in_every_cell_of_its_own_run(desk):
    ways = next(s for s in desk.sheets("Instrument") if s.name == "Way of reading")
    row = next(r for r in range(ways.count) if "feet" in ways.cell(r, 1).text)

    press_enter(ways, row)
    assert desk.book.unit == "ft-in"
    read(desk, BS, "BM", "5' 7 3/8\"")
    read(desk, IS, "sill", "3' 2 1/8\"")
    book = desk.sheets("Readings")[0]
    texts = [book.cell(r, c).text for r in range(2) for c in range(1, 9)]
    assert [t for t in texts if t] and all("\u2032" in t or "'" in t for t in texts if t), texts
    details = next(s for s in desk.sheets("Instrument") if s.name == "Details")
    assert details.cell(details.count - 1, 1).text == "ft-in"
    take(details, details.count - 1, 1, "m")
    assert desk.book.unit == "m"
    assert desk.book.rows[0].text == "5' 7 3/8\""  # as it was typed
    with pytest.raises(KeelError):
        details.accept(details.count - 1, 1, "cubits")
