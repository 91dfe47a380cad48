"""A work in feet and inches is one in feet and inches throughout: readings, moves, leaves, tolerance, pitch."""

from __future__ import annotations

import re

import pytest

from tests.mill import mill
from tests.saying import press_enter, take
from tests.trades.conftest import wait
from vivid_keel.core.errors import KeelError
from vivid_keel.core.moving.means import parse_pitch
from vivid_keel.core.quantities import LengthStyle
from vivid_keel.core.record.entries import Draft
from vivid_keel.files import JobFile
from vivid_keel.trades.registry import desk_for, trade
from vivid_keel.trades.supports.lay_out import grid_drafts

INCH = 0.0254
READ = ('38 3/8"', '38 1/8"', '37 7/8"', "38 1/4", "38", '38 3/8"')


@pytest.fixture
def bench(tmp_path):
    """Two rows of three posts, read in inches, leaves of ¼, ⅛ and 1/16."""
    with mill(tmp_path / "Osier Mill.keel") as file:
        work = file.record([Draft(0, "work", {"name": "Bench", "type": "supports", "unit": "ft-in"})])[0].id
        file.record(grid_drafts(work, ("North", "South"), 3, 1.8288, 3.0))
        desk = desk_for(file, work)
        sheet = desk.sheets("Readings")[0]
        for row, text in enumerate(READ):
            take(desk.sheets("Readings")[0], row, 2, text)
        assert sheet.name == "As found"
        stock = next(s for s in desk.sheets("Target") if s.name == "Stock")
        for row, text in enumerate(("1/4", "1/8", "1/16")):
            take(next(s for s in desk.sheets("Target") if s.name == stock.name), row, 0, text)
            take(next(s for s in desk.sheets("Target") if s.name == stock.name), row, 1, "200")
        limits = next(s for s in desk.sheets("Target") if s.name == "Limits and order")
        take(limits, 0, 1, "1/16")
        desk = desk_for(file, work)
        wait(desk)
        yield desk


def test_laying_out_keeps_the_limits_that_were_said(tmp_path):
    """Also those that a new work begins with: a sixteenth where it is in feet and inches."""
    with JobFile.create(tmp_path / "bench.keel", "Bench", unit="ft-in") as file:
        new = Draft(0, "work", {"name": "Bench", "type": "supports", "unit": "ft-in"})
        work = file.record([new, *trade("supports").begins("ft-in")])[0].id
        desk = desk_for(file, work)
        sheet = desk.sheets("Set-up")[0]
        for row, text in enumerate(("North, South", "3", "6'", "2'", "s")):
            take(sheet, row, 1, text)
        press_enter(sheet, 6)
        desk = desk_for(file, work)
        assert len(desk.book.points) == 6
        assert desk.book.limits.sense == "stands"
        assert desk.book.limits.tolerance == pytest.approx(INCH / 16)


def test_a_bare_38_beside_38_and_three_eighths_is_38_inches(bench):
    values = [point.found.value / INCH for point in bench.book.points]
    assert values == pytest.approx([38.375, 38.125, 37.875, 38.25, 38.0, 38.375])


def test_a_bare_number_is_asked_about_where_feet_are_read(bench):
    take(bench.sheets("Readings")[0], 0, 2, "3' 2 3/8\"")
    with pytest.raises(KeelError, match="of what"):
        bench.sheets("Readings")[0].accept(1, 2, "38")


def test_the_leaves_are_called_by_their_fractions(bench):
    words = {bench.book.points[i].name: bench.result.in_words(i) for i in bench.result.to_move}
    assert words and all(re.fullmatch(r"([¼⅛]|1/16)( \+ ([¼⅛]|1/16))*", text) for text in words.values()), (
        words
    )
    assert bench.book.limits.tolerance == pytest.approx(INCH / 16)


def test_nothing_that_is_said_or_shown_is_in_millimetres(bench):
    shown = []
    for stage in ("Heights", "Target", "Moves", "Proof"):
        shown += [f"{f.title} {f.text}" for f in bench.findings(stage)]
        for sheet in bench.sheets(stage):
            shown += [column.title for column in sheet.columns]
            shown += [sheet.cell(r, c).text for r in range(sheet.count) for c in range(len(sheet.columns))]
    assert not [text for text in shown if re.search(r"\d mm\b|, mm\b", text)]


def test_a_packing_typed_in_inches_is_booked(bench):
    from vivid_keel.core.moving.booking import read_put

    i = bench.result.to_move[0]
    put = read_put(bench.result, i, "1/4 + 1/8")
    assert put.put == pytest.approx(0.375 * INCH) and put.words == "¼ + ⅛"
    assert put.used == {"6350": 1, "3175": 1}
    with pytest.raises(KeelError, match="no leaf in the stock"):
        read_put(bench.result, i, "3/8")


@pytest.mark.parametrize(
    ("text", "pitch"),
    [("12 tpi", INCH / 12), ("1/12 in", INCH / 12), ("2", 0.002), ("10 threads per inch", INCH / 10)],
)
def test_a_pitch_is_typed_as_it_is_stamped(text, pitch):
    assert parse_pitch(text).value == pytest.approx(pitch)


def test_a_screw_without_threads_is_refused():
    with pytest.raises(KeelError, match="without threads"):
        parse_pitch("0 tpi")


@pytest.mark.parametrize(
    ("sixty_fourths", "word"),
    [(16, "¼"), (8, "⅛"), (4, "1/16"), (64, "1"), (72, "1⅛"), (68, "1 1/16"), (0, "0")],
)
def test_a_thickness_in_inches_is_its_fraction(sixty_fourths, word):
    assert LengthStyle("ft-in").thickness(sixty_fourths * INCH / 64) == word


def test_a_metric_leaf_in_an_inch_work_is_its_decimals():
    assert LengthStyle("ft-in").thickness(0.0015) == "0.0591"
