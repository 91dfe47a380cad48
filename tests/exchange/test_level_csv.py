"""Level books as CSV: forgiving about form, never about content."""

from __future__ import annotations

import signal
import subprocess
import sys
import time
from pathlib import Path

import pytest

from vivid_keel.core.kinds import numbered
from vivid_keel.core.record.entries import Draft
from vivid_keel.core.record.journal import Journal
from vivid_keel.exchange.level_columns import meaning_of
from vivid_keel.exchange.level_csv import BookRefused, read_book
from vivid_keel.trades.registry import job_kinds
from vivid_keel.trades.run.book import fold_run
from vivid_keel.trades.run.bring_in import book_drafts
from vivid_keel.trades.run.csv_out import write_marks, write_sights
from vivid_keel.trades.run.result import work_out_run
from vivid_keel.trades.run.text_out import reduce_text

EXAMPLES = Path(__file__).parents[2] / "examples"


def reduced(book):
    drafts = [
        Draft(0, "job", {"name": "j"}),
        *(Draft(d.work - 1 if d.work < 0 else d.work, d.kind, d.body) for d in book_drafts(book, "w")),
    ]
    journal = Journal(numbered(job_kinds(), drafts, 1, 1, "2026-11-24T10:00:00+00:00", "Ada"))
    return work_out_run(fold_run(journal, 2)), journal


def heights(book):
    result, _ = reduced(book)
    return {m: round(h, 6) for m, h in result.reduction.observed().items()}


PLAIN = "mark,BS,IS,FS,known height\nBM,1.5,,,10\nsill,,1.2,,\nCP,1.1,,1.4,\nBM,,,1.2,\n"
WANT = {"BM": 10.0, "sill": 10.3, "CP": 10.1}


@pytest.mark.parametrize(
    "text",
    [
        PLAIN,
        "\ufeff" + PLAIN,
        PLAIN.replace("\n", "\r\n"),
        PLAIN.replace(",", ";"),
        PLAIN.replace(",", ";").replace(".", ","),
        PLAIN.replace(",", "\t"),
        "mark,BS (mm),IS (mm),FS (mm),known height (m)\nBM,1500,,,10\nsill,,1200,,\nCP,1100,,1400,\nBM,,,1200,\n",
        "Staff at;B.S. [m];I.S. [m];F.S. [m];R.L.\nBM;1.5;-;-;10\n\nsill;-;1.2;;10.3\nSum;9;9;9;\nCP;1.1;;1.4;\nBM;;;1.2;\n",
        "Osier Mill\nset-up,point,kind,reading,known height\n1,BM,BS,1.5,10\n1,sill,IS,1.2 m,\n1,CP,FS,140cm,\n2,CP,bs,1.1,\n2,BM,F,1200 mm,\n",
    ],
    ids=[
        "plain",
        "BOM",
        "CRLF",
        "semicolons",
        "decimal commas",
        "tabs",
        "millimetres",
        "stranger's names",
        "a line per sight",
    ],
)
def test_the_same_book_in_many_forms(text):
    got = heights(read_book(text.encode()))
    assert {k: got[k] for k in ("sill", "CP")} == {k: WANT[k] for k in ("sill", "CP")}
    assert got["BM"] == pytest.approx(10.0)


def test_feet_inches_stay_exact():
    book = read_book((EXAMPLES / "leat-in-feet.csv").read_bytes())
    assert book.unit == "ft-in"
    result, _ = reduced(book)
    assert result.closure.misclosure == pytest.approx(0.0254 / 8, abs=1e-12)


def test_the_long_untidy_one_comes_in_whole():
    raw = (EXAMPLES / "tramway-untidy.csv").read_bytes()
    book = read_book(raw)
    assert len(raw.splitlines()) > 300
    assert book.decimal_mark == ","
    assert len(book.sights) == 289 + 23  # lines with readings, and the second reading of each change point
    result, _ = reduced(book)
    assert not result.trouble
    assert result.closure.accepted
    assert book.lines["heading"] > 1
    assert sum(book.lines.values()) == len(raw.splitlines())  # every line is accounted for


def test_the_one_that_must_be_refused_names_its_places():
    with pytest.raises(BookRefused, match="line 3") as refused:
        read_book((EXAMPLES / "must-be-refused.csv").read_bytes())
    places = [p.where for p in refused.value.problems]
    assert places == [
        "line 3, column C (IS (m))",
        "line 4, column C (IS (m))",
        "line 5, column A (mark)",
        "line 6, column D (FS (m))",
        "line 7, column C (IS (m))",
        "line 8, column A (mark)",
    ]


@pytest.mark.parametrize(
    ("text", "says"),
    [
        ("", "no line names the columns"),
        ("a,b\n1,2\n", "no line names the columns"),
        ("mark,BS\n", "no reading in this file"),
        ("mark,BS,BS\na,1,2\n", "two columns"),
        ("mark,sight,reading\na,XS,1.2\n", "no kind of sight"),
        ("mark,BS,known height\na,1.2,10\na,1.3,11\n", "known height already"),
        ("mark,BS,distance\na,1.2,9999\n", "at most 500 m"),
    ],
)
def test_refused_in_words(text, says):
    with pytest.raises(BookRefused, match="line") as refused:
        read_book(text.encode())
    assert says in refused.value.message


def test_bytes_that_are_no_text_are_refused_not_crashed():
    with pytest.raises(BookRefused, match="line 1"):
        read_book(bytes(range(256)) * 20)


@pytest.mark.parametrize("name", ["mill-yard-round", "leat-in-feet", "tramway-untidy"])
@pytest.mark.parametrize("form", ["sights", "marks"])
def test_out_and_in_again_gives_the_same_book(name, form):
    book = read_book((EXAMPLES / f"{name}.csv").read_bytes())
    result, journal = reduced(book)
    text = write_sights(result, journal) if form == "sights" else write_marks(result)
    again = read_book(text.encode())
    assert [(s.mark, s.kind, s.new_setup) for s in again.sights] == [
        (s.mark, s.kind, s.new_setup) for s in book.sights
    ]
    assert [s.reading.value for s in again.sights] == pytest.approx(
        [s.reading.value for s in book.sights], abs=1e-12
    )
    assert heights(again) == pytest.approx(heights(book), abs=1e-9)
    if form == "sights":
        assert [s.reading.text for s in again.sights] == [
            s.reading.text.replace(",", ".") for s in book.sights
        ]
        assert [s.remark for s in again.sights] == [s.remark for s in book.sights]


def test_reduced_on_the_command_line():
    text, good = reduce_text(read_book((EXAMPLES / "mill-yard-round.csv").read_bytes()), "round", 0.005)
    assert good
    assert "allowed ± 8.7 mm for 3 set-ups: within it" in text
    assert "DOES NOT" not in text
    _, good = reduce_text(read_book((EXAMPLES / "mill-yard-round.csv").read_bytes()), "round", 0.001)
    assert not good


def test_reduced_into_a_pipe_that_is_closed_early_it_ends_quietly(tmp_path):
    head, *rows = (EXAMPLES / "mill-yard-round.csv").read_text().splitlines()
    book = tmp_path / "long.csv"
    book.write_text("\n".join([head, *rows * 400]))  # far more than a pipe holds
    ran = subprocess.Popen(
        [sys.executable, "-m", "vivid_keel", "reduce", str(book)],
        stdout=subprocess.PIPE,
        stderr=subprocess.PIPE,
    )
    assert ran.stdout.readline()
    ran.stdout.close()
    said = ran.stderr.read()
    ran.stderr.close()
    assert (ran.wait(30), said) == (128 + signal.SIGPIPE, b"")


def test_a_heading_of_twenty_thousand_blanks_is_read_at_once():
    start = time.process_time()
    assert meaning_of("reading" + " " * 20_000 + "(m") == ("reading", "m")
    assert meaning_of("x" + " (" * 20_000 + "y")[0] == ""
    assert time.process_time() - start < 2
