"""A whole page is copied from paper in any order of typing: what stands in the end is the page."""

from __future__ import annotations

import random

import pytest

from tests.saying import take
from vivid_keel.core.booking.layout import BS, FS, IS, KINDS
from vivid_keel.core.quantities import parse_length
from vivid_keel.core.record.entries import Draft
from vivid_keel.core.record.readings import as_read
from vivid_keel.files import JobFile
from vivid_keel.trades.registry import desk_for
from vivid_keel.trades.run.book_sheet import MARK, READING, BookSheet

PAGE = [
    (0, BS, "BM", "1.482"),
    (0, IS, "drain", "1.936"),
    (0, IS, "sill", "0.873"),
    (0, FS, "CP 1", "2.214"),
    (1, BS, "CP 1", "1.127"),
    (1, IS, "weir", "1.740"),
    (1, FS, "CP 2", "1.958"),
    (2, BS, "CP 2", "2.346"),
    (2, IS, "rail", "1.488"),
    (2, FS, "BM", "0.786"),
]


@pytest.fixture
def run(tmp_path):
    with JobFile.create(tmp_path / "run.keel", "Run", "Ada") as file:
        file.record([Draft(0, "work", {"name": "run", "type": "run", "unit": "m"})])
        file.record(
            [Draft(2, "mark", {"name": "BM", "height": as_read(parse_length("50")), "source": "datum"})]
        )
        yield desk_for(file, 2)


def sheet_of(desk):
    return BookSheet(desk, "Height of collimation")


def type_sight(desk, there, j):
    """Type one line of the paper where it belongs among those that are there."""
    _, kind, mark, text = PAGE[j]
    sheet = sheet_of(desk)
    rows = desk.book.rows
    row_of = {
        k: next(
            n
            for n, line in enumerate(desk.book.lines)
            if any(i >= 0 and rows[i].text == PAGE[k][3] for i in line)
        )
        for k in there
    }
    if kind == BS and j - 1 in there:
        take(sheet, row_of[j - 1], READING + BS, text)  # beside its foresight
        return
    later = [k for k in there if k > j]
    if later:
        found = sheet.put_in(row_of[min(later)])
        desk.record(*found.taken([mark, f"{KINDS[kind][0].lower()}{text}"]))
        return
    take(sheet, sheet.new, MARK, mark)
    sheet = sheet_of(desk)
    sheet.mark, sheet.kind = mark, kind
    take(sheet, sheet.new, READING + kind, text)


@pytest.mark.parametrize("seed", range(40))
def test_a_page_typed_in_any_order_is_the_page(run, seed):
    order = list(range(len(PAGE)))
    random.Random(seed).shuffle(order)
    there = []
    for j in order:
        type_sight(run, there, j)
        there.append(j)
    book = run.book
    stood = [
        (book.rows[i].setup, book.rows[i].kind, book.rows[i].mark, book.rows[i].text) for i in book.sights
    ]
    assert stood == PAGE
    assert not run.result.trouble
    assert run.result.closure.misclosure == pytest.approx(-0.003)
    assert [line[1] >= 0 for line in book.lines].count(True) == 2  # a change point's two sights share a line


def test_what_waits_for_its_backsight_is_kept_and_gets_it(run):
    sheet = sheet_of(run)
    sheet.mark, sheet.kind = "drain", IS
    take(sheet, sheet.new, READING + IS, "1.936")
    assert run.result.trouble
    found = sheet_of(run).put_in(0)
    assert "b or f before it" in found.asked[1][1]
    run.record(*found.taken(["BM", "b1.482"]))
    assert not run.result.trouble
    assert [run.book.rows[i].mark for i in run.book.sights] == ["BM", "drain"]


@pytest.mark.parametrize(
    ("answers", "said"),
    [(["", "1.2"], "name the mark"), (["x", "bb"], "not a length"), (["x", "b"], "nothing was typed")],
)
def test_a_wrong_answer_is_refused_and_nothing_is_put_in(run, answers, said):
    sheet = sheet_of(run)
    sheet.mark = "BM"
    take(sheet, sheet.new, READING + BS, "1.482")
    before = len(run.file.journal.entries)
    with pytest.raises(Exception, match=said):
        run.record(*sheet_of(run).put_in(0).taken(answers))
    assert len(run.file.journal.entries) == before
