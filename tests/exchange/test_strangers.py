"""Books that came from elsewhere: each in whole, or not understood with its places."""

from __future__ import annotations

from pathlib import Path

import pytest

from vivid_keel.exchange.level_columns import BookRefused, find_columns, guess_columns, said, text_of
from vivid_keel.exchange.level_csv import read_book

FILES = Path(__file__).parent / "strangers"
READINGS = [1.482, 1.936, 2.214, 1.127, 0.396]
FEET = [1.482725, 1.93675, 2.212975, 1.127125, 0.396875]


def file(name):
    return (FILES / name).read_bytes()


def metres(book):
    return [round(sight.reading.value, 6) for sight in book.sights]


@pytest.mark.parametrize(
    ("name", "readings", "unit", "lines"),
    [
        ("units-row.csv", [1.482, 1.936, 2.214, 1.127, 2.602, 0.396], "m", {"heading": 2, "sum": 1}),
        ("kinds-in-words.csv", READINGS, "m", {"sights": 5}),
        ("wide-characters.txt", READINGS, "m", {"sights": 4}),
        ("thousands.csv", READINGS, "m", {"sights": 4}),
        ("millimetres.csv", READINGS, "mm", {"sights": 4}),
        ("inches.csv", FEET, "ft-in", {"sights": 4}),
        ("station.csv", [1.482, 2.214, 1.127, 0.396], "m", {"sights": 3}),
    ],
)
def test_it_is_brought_in_whole(name, readings, unit, lines):
    book = read_book(file(name), name)
    assert metres(book) == pytest.approx(readings, abs=1e-6)
    assert book.unit == unit
    assert {k: book.lines[k] for k in lines} == lines
    whole = len(text_of(file(name)).rstrip("\n").split("\n"))
    assert f"{whole} lines" in book.notes[-1] or f"{whole} lines" in book.notes[-2]
    assert sum(book.lines.values()) == whole


def test_a_line_of_units_gives_the_readings_theirs():
    raw = file("units-row.csv").replace(b"[m]", b"(mm)").replace(b",", b"")
    assert read_book(raw).unit == "mm"
    assert find_columns(text_of(raw).split("\n")).under


def test_a_known_height_with_thousands():
    ((mark, height, _),) = read_book(file("thousands.csv")).known
    assert (mark, height.value) == ("Tor", 1234.567)


def test_heights_of_its_own_are_held_against_those_by_the_readings():
    assert "its own heights agree at all 4 places" in read_book(file("units-row.csv")).notes[-1]
    said_so = read_book(file("heights-that-differ.csv")).notes[-1]
    assert "differ, most at line 4 (CP 1): 49.278 there, 49.268 by its readings" in said_so


@pytest.mark.parametrize(
    ("name", "where", "message"),
    [
        ("other-headings.csv", "line 1", "no line names the columns"),
        ("own-words.csv", "line 2, column B (sight)", "“RK” is no kind of sight"),
        ("a-line-too-many.csv", "line 3, column C (IS)", "“staff broke here”"),
        ("not-a-table.csv", "line 1", "no line names the columns"),
    ],
)
def test_what_is_not_understood_is_named_with_its_place(name, where, message):
    with pytest.raises(BookRefused) as refused:
        read_book(file(name), name)
    assert refused.value.problems[0].where == where
    assert message in refused.value.problems[0].message


def test_what_a_person_says_of_it_is_enough():
    lines = text_of(file("other-headings.csv")).split("\n")
    columns = said(guess_columns(lines), {0: "mark", 1: "bs", 2: "is", 3: "fs", 4: "remark"})
    assert metres(read_book(file("other-headings.csv"), "x", columns)) == [1.5, 1.2, 1.4, 1.1, 1.2]

    lines = text_of(file("own-words.csv")).split("\n")
    named = {0: "mark", 1: "sight", 2: "reading", 3: "remark"}
    kinds = {"rk": "bs", "zw": "is", "vw": "fs"}
    columns = said(find_columns(lines), named, unit="ft", kinds=kinds)
    book = read_book(file("own-words.csv"), "x", columns)
    assert book.unit == "ft"
    assert metres(book) == pytest.approx([r * 0.3048 for r in (1.482, 1.936, 2.214, 1.127, 0.396)], abs=1e-6)

    lines = text_of(file("a-line-too-many.csv")).split("\n")
    columns = said(find_columns(lines), {0: "mark", 1: "bs", 2: "is", 3: "fs", 4: "remark"}, skip=[2])
    book = read_book(file("a-line-too-many.csv"), "x", columns)
    assert metres(book) == READINGS
    assert book.lines["skipped"] == 1 and sum(book.lines.values()) == 6
