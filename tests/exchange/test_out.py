"""What goes out: nothing that a spreadsheet runs, and nothing that another program can't read, whatever the names."""

from __future__ import annotations

import csv
import io

import pytest
from hypothesis import given
from hypothesis import strategies as st

from tests.trades.supports.test_works import Book
from vivid_keel.exchange.csv_lines import harmless, parted, written
from vivid_keel.exchange.level_csv import read_book
from vivid_keel.places import file_name
from vivid_keel.trades.run.csv_out import write_sights


@given(
    st.lists(
        st.text(st.characters(exclude_characters="\r\n\0", exclude_categories=("Cs",)), max_size=12),
        min_size=1,
        max_size=5,
    )
)
def test_every_cell_comes_back_unchanged_by_our_own_reader(cells):
    (line,) = written([cells]).removesuffix("\r\n").split("\n")
    assert parted(line.removesuffix("\r"), ",") == cells or any(cell != cell.strip(" ") for cell in cells)


@pytest.mark.parametrize("cell", ["=1+1", "+cmd", "-a", "@sum", "\tx", "-5' 7 3/8\"", "'=1"])
def test_what_a_spreadsheet_would_run_stands_behind_an_apostrophe(cell):
    assert harmless(cell) == f"'{cell}"


@pytest.mark.parametrize("cell", ["-0.003", "+1.482", "1e-3", "sill", "5' 7 3/8\"", "", "'sill", 7])
def test_numbers_and_plain_words_stay_as_they_are(cell):
    assert harmless(cell) == cell


@pytest.mark.parametrize("separator", [",", ";", "\t", "|"])
@pytest.mark.parametrize("cell", ["  =1+1", "sill;=1+1", "sill\t =1+1", "a|-b;@c", "\u00a0=1+1"])
def test_it_holds_for_whoever_parts_the_lines_at_something_else(cell, separator):
    """A blank before `=` got past it."""
    (line,) = written([["x", cell, "y"]]).splitlines()
    for piece in line.split(separator):
        assert piece.strip(' "\u00a0')[:1] not in tuple("=+-@"), line
    assert parted(line, ",") == ["x", cell, "y"]


def test_a_book_with_such_marks_goes_out_and_comes_in_again():
    book = Book("run")
    book.known("=BM", "50")
    book.sight("BS", "=BM", "1.500", 20)
    book.sight("FS", "@sill", "1.400", 22)
    text = write_sights(book.run(), book.journal)
    cells = [cell for row in csv.reader(io.StringIO(text)) for cell in row]
    assert "'=BM" in cells and "=BM" not in cells
    assert [sight.mark for sight in read_book(text.encode(), "book").sights] == ["=BM", "@sill"]


@pytest.mark.parametrize(
    ("name", "file"),
    [
        ("Mill.keel", "Mill.keel"),
        ("a/b\\c.csv", "a-b-c.csv"),
        (".hidden.csv", "hidden.csv"),
        ("é" * 300 + ".pdf", "é" * 73 + ".pdf"),
        ("..", "unnamed"),
        ("x\x00y.csv", "x-y.csv"),
        ("n" * 300, "n" * 150),
    ],
)
def test_a_name_becomes_one_that_any_disk_holds(name, file):
    assert file_name(name) == file
    assert len(file_name(name).encode()) <= 150
