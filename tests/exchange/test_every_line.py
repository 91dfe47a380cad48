"""Every line of a stranger's book is accounted for: taken, or passed over by what it is, or refused; never swallowed."""

from __future__ import annotations

import csv
import io
import json
import subprocess
import sys

import pytest
from hypothesis import given
from hypothesis import strategies as st

from vivid_keel.exchange.csv_lines import parted, rows_of, wholly_quoted
from vivid_keel.exchange.level_columns import BookRefused
from vivid_keel.exchange.level_csv import read_book

HEAD = "Point;BS;IS;FS;Known height;Remarks\n"


def book(*lines, head=HEAD):
    return read_book((head + "\n".join(lines) + "\n").encode())


def test_a_stray_quote_swallows_no_line():
    told = book(
        "BM;1.482;;;50;", '"Sill;;1.104;;;a stray one', 'P;;1.205;;;7" pipe', "Q;;1.3;;;", "CP 1;;;1.4;;"
    )
    assert [s.mark for s in told.sights] == ["BM", '"Sill', "P", "Q", "CP 1"]
    assert told.sights[2].remark == '7" pipe'


def test_inch_marks_need_no_quotes_and_quoted_cells_may_hold_the_separator():
    told = book(
        "BM;5' 7 3/8\";;;50';",
        '"a; b";;4\' 2 1/2";;;"said ""yes"""',
        "CP;;;3' 1\";;",
        head="Point;BS;IS;FS;Known;Remarks\n",
    )
    assert told.unit == "ft-in" and [s.mark for s in told.sights] == ["BM", "a; b", "CP"]
    assert told.sights[1].remark == 'said "yes"'


@pytest.mark.parametrize(
    "name", ["Check point", "Sum House", "Page St", "#1", "// corner", "Total Works", "Carried stone"]
)
def test_a_mark_that_is_named_like_something_else_is_read(name):
    told = book("BM;1.482;;;50;", f"{name};;1.104;;;", "CP 1;;;1.4;;")
    assert [s.mark for s in told.sights] == ["BM", name, "CP 1"]
    sights = read_book(f"mark,sight,reading\nBM,BS,1.482\n{name},IS,1.104\n".encode())
    assert [s.mark for s in sights.sights] == ["BM", name]


def test_a_line_of_sums_with_one_number_is_asked_about_rather_than_passed_over():
    told = book("BM;1.482;;;50;", "Check;;1.104;;;", "Sum;1.482;1.104;1.4;;", "CP 1;;;1.4;;")
    assert [s.mark for s in told.sights] == ["BM", "Check", "CP 1"] and told.lines["sum"] == 1


def test_every_line_is_counted_by_what_it_is():
    told = book(
        "BM;1.482;;;50;",
        "",
        "# rain from here on",
        "Page 1;;;;;",
        ";;;;;wind",
        HEAD.strip(),
        "CP 1;1.2;;1.4;;",
        "Sum;2.682;;1.4;;",
        "Weir;;;;41.2;from the drawing",
    )
    assert dict(told.lines) == {"heading": 2, "sights": 2, "blank": 1, "remark": 2, "sum": 2, "known": 1}
    assert told.notes[-1] == "10 lines: 2 sights, 1 known mark, 1 blank, 2 headings, 2 remarks, 2 sums"


def test_a_line_without_a_reading_that_names_a_mark_is_still_refused_by_its_number():
    with pytest.raises(BookRefused, match="line 3"):
        book("BM;1.482;;;50;", "Sill;;;;;", "CP 1;;;1.4;;")


CELL = st.text(st.sampled_from("ab1 ;\"'.,"), max_size=6)


@given(st.lists(st.lists(CELL, min_size=2, max_size=4), min_size=1, max_size=5), st.sampled_from([";", ","]))
def test_what_a_proper_writer_wrote_is_read_as_it_was(rows, separator):
    out = io.StringIO()
    csv.writer(out, delimiter=separator, lineterminator="\n").writerows(rows)
    lines = out.getvalue().split("\n")[:-1]
    again = [cells for _, cells in rows_of(lines, separator)]
    # Blanks about a quoted cell are no part of it; our own cells never begin or end with them.
    assert [[c.strip() for c in row] for row in again] == [[c.strip() for c in row] for row in rows]


@given(st.text(st.sampled_from('ab;" '), max_size=20))
def test_no_text_is_lost_whatever_the_quotes(line):
    assert len(parted(line, ";")) >= 1
    assert sum(cell.count("a") + cell.count("b") for cell in parted(line, ";")) == line.count(
        "a"
    ) + line.count("b")


def test_a_cell_goes_on_over_lines_only_where_the_whole_file_is_quoted():
    lines = ['"BM";"1.4";"two', 'lines"', '"CP";"1.2";""']
    assert wholly_quoted(['"BM";"1.4";"one"'], ";") and not wholly_quoted(['BM;"1.4"'], ";")
    assert [cells for _, cells in rows_of(lines, ";", joined=True)] == [
        ["BM", "1.4", "two\nlines"],
        ["CP", "1.2", ""],
    ]
    assert len(list(rows_of(lines, ";"))) == 3


# The command line


def run(*args):
    return subprocess.run(
        [sys.executable, "-m", "vivid_keel", "reduce", *map(str, args)],
        capture_output=True,
        text=True,
        check=False,
    )


def test_reduce_json_tells_heights_lines_and_warnings(tmp_path):
    path = tmp_path / "b.csv"
    path.write_text(HEAD + "BM;1.482;;;50;\n\nCP 1;1.2;;1.4;;\nBM;;;1.283;;\n")
    done = run(path, "--json")
    told = json.loads(done.stdout)
    assert set(told) == {"heights", "adjusted", "misclosure_m", "accepted", "lines", "warnings"}
    assert told["lines"] == {"sights": 3, "events": 0, "blank": 1, "heading": 1, "remark": 0, "sum": 0}
    assert told["heights"]["CP 1"] == pytest.approx(50.082) and told["misclosure_m"] == pytest.approx(-0.001)
    assert done.returncode == 0 and told["accepted"] is True


def test_reduce_takes_the_books_own_export_with_an_event_in_it(tmp_path):
    path = tmp_path / "b.csv"
    path.write_text(
        "set-up,mark,sight,reading,known height,remark\n1,BM,BS,1.482,50,\n1,P,IS,1.104,,\n,,knocked,,,by the barrow\n"
        "2,P,BS,1.3,,\n2,BM,FS,1.678,,\n"
    )
    done = run(path)
    assert done.returncode == 0, done.stderr
    assert "instrument knocked" in done.stdout and "by the barrow" in done.stdout
    assert json.loads(run(path, "--json").stdout)["lines"]["events"] == 1


# Strangers' files


@pytest.mark.parametrize(
    ("text", "marks", "first"),
    [
        (
            "Station,Backsight,Foresight,RL\nBM,1.482,,50.0\nCP,1.2,1.4,\nBM,,1.283,\n",
            ["BM", "CP", "CP", "BM"],
            1.482,
        ),
        (
            "Punkt;Rückblick;Zwischenblick;Vorblick;Bemerkung\nHP;1,482;;;Stein\nS;;1,104;;\n",
            ["HP", "S"],
            1.482,
        ),
        ("Punto;Atrás;Intermedia;Adelante\nBM;1,482;;\nA;;1,2;\n", ["BM", "A"], 1.482),
        (
            "Point\tVisée arrière\tVisée avant\tAltitude\nR\t1,482\t\t1.234,567\nP\t\t1,1\t\n",
            ["R", "P"],
            1.482,
        ),
        ("mark;sight;reading\nBM;Atrás;1.482\nP;intermedia;1.2\n", ["BM", "P"], 1.482),
    ],
)
def test_headings_of_other_countries_are_known(text, marks, first):
    for raw in (text.encode(), text.encode("utf-16"), b"\xef\xbb\xbf" + text.encode()):
        told = read_book(raw)
        assert [s.mark for s in told.sights] == marks
        assert told.sights[0].reading.value == pytest.approx(first)


def test_thousands_parted_by_the_other_mark_are_read():
    told = read_book("Punkt;Rückblick;Vorblick;Bekannte Höhe\nHP;1,482;;1.234,567\nS;;1,104;\n".encode())
    assert told.decimal_mark == "," and told.known[0][1].value == pytest.approx(1234.567)


@pytest.mark.parametrize(
    ("cells", "unit"),
    [("4.86 ft", "ft"), ("5' 7 3/8\"", "ft-in"), ("67 3/8", "ft-in"), ("1.482", "m")],
)
def test_the_unit_of_a_book_is_that_of_its_cells(cells, unit):
    told = (
        read_book(f"mark;BS;FS;known height\nBM;{cells};;10 m\nA;;{cells};\n".encode())
        if unit != "ft-in"
        else None
    )
    if told is None:
        told = read_book(f"mark;BS;FS\nBM;{cells};\nA;;{cells}\n".encode())
    assert told.unit == unit and f"readings in {unit}" in told.notes[0]
