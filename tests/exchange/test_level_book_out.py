"""The whole book out and in again, and its drawings and papers."""

from __future__ import annotations

import io
import math

import ezdxf
import pytest

from tests.trades.run.test_run_more import Job, closed
from vivid_keel.core.kinds import numbered
from vivid_keel.core.record.entries import Draft
from vivid_keel.core.record.journal import Journal
from vivid_keel.exchange.geo_json import write_points
from vivid_keel.exchange.level_columns import (
    BookRefused,
    find_columns,
    guess_columns,
    meaning_of,
    said,
    sample,
)
from vivid_keel.exchange.level_csv import read_book
from vivid_keel.figures.blank_forms import SCHOOLS, UNIT_WORDS, blank_form, blank_forms
from vivid_keel.figures.report import A4, Heading
from vivid_keel.trades.registry import job_kinds
from vivid_keel.trades.run.book import EVENT, fold_run
from vivid_keel.trades.run.book_pages import filled_book
from vivid_keel.trades.run.bring_in import sight_drafts
from vivid_keel.trades.run.csv_out import write_marks, write_sights
from vivid_keel.trades.run.result import work_out_run
from vivid_keel.trades.run.section_dxf import section_dxf, stations

HEADING = Heading("Osier Mill", "run", "level run", "2026-11-24 10:00", "Ada")


@pytest.fixture
def busy():
    """A run with hairs, a second look, an event, an overhead reading and a struck sight."""
    job = Job()
    run = closed(job, look="1.959", upper="2.060", lower="1.856", distance="20", page="7", read_at="10:42")
    wrong = job.sight(run, "IS", "soffit", "-2.3")
    job.put(Draft(run, "strike", {"reason": "wrong mark"}, strikes=wrong))
    job.event(run, "knocked", "by the barrow")
    job.sight(run, "BS", "CP 2", "2.100")
    job.sight(run, "IS", "soffit", "-2.345")
    return job, run


def fold(drafts):
    made = [
        Draft(0, "job", {"name": "j"}),
        Draft(0, "work", {"name": "w", "type": "run", "unit": "m"}),
        *drafts,
    ]
    return work_out_run(
        fold_run(Journal(numbered(job_kinds(), made, 1, 1, "2026-11-24T10:00:00+00:00", "Ada")), 2)
    )


def test_hairs_looks_pages_and_events_go_out_and_come_back(busy):
    job, run = busy
    result = job.out(run)
    text = write_sights(result, job.journal)
    book = read_book(text.encode())
    again = fold(sight_drafts(book, 2))
    standing = [r for r in result.book.rows if r.stands or r.kind == EVENT]
    assert [(r.mark, r.kind, r.remark, r.page, r.read_at) for r in again.book.rows] == [
        (r.mark, r.kind, r.remark, r.page, r.read_at) for r in standing
    ]
    for a, b in zip(again.book.rows, standing, strict=True):
        for name in ("reading", "upper", "lower", "look", "distance"):
            x, y = getattr(a, name), getattr(b, name)
            assert x == pytest.approx(y, nan_ok=True), (a.mark, name)
    assert again.reduction.observed() == pytest.approx(result.reduction.observed())


def test_the_classic_form_leaves_events_to_the_other(busy):
    job, run = busy
    lines = write_marks(job.out(run)).splitlines()
    assert all("knocked" not in line for line in lines)
    assert any(line.startswith("soffit,,-2.345") for line in lines)


# Strangers' columns


@pytest.mark.parametrize(
    ("cell", "ours"),
    [
        ("Upper hair (m)", ("upper", "m")),
        ("BS [ft-in]", ("bs", "ft-in")),
        ("2nd look", ("look", None)),
        ("Taakse", ("", None)),
        ("Rückblick [m]", ("bs", "m")),
    ],
)
def test_what_a_header_says(cell, ours):
    assert meaning_of(cell) == ours


def test_columns_are_guessed_shown_and_told():
    lines = ["Työmaa", "Piste;Taakse (mm);Eteen (mm);Rahka", "BM;1500;;a", "CP;;1400;b"]
    with pytest.raises(BookRefused, match="no line names the columns"):
        find_columns(lines)
    guess = guess_columns(lines)
    assert (guess.separator, guess.header_line) == (";", 1)
    assert sample(lines, guess) == [(2, ["BM", "1500", "", "a"]), (3, ["CP", "", "1400", "b"])]
    told = said(guess, {0: "mark", 1: "bs", 2: "fs", 3: ""})
    assert told.units == {"bs": "mm", "fs": "mm"}
    book = read_book("\n".join(lines).encode(), columns=told)
    assert [s.reading.value for s in book.sights] == [1.5, 1.4]
    for wrong, match in (
        ({0: "mark", 1: "mark"}, "can't both"),
        ({0: "mark"}, "say which column"),
        ({0: "mark", 1: "reading"}, "say which"),
    ):
        with pytest.raises(Exception, match=match):
            said(guess, wrong)


def test_a_file_without_any_header_gets_letters():
    guess = guess_columns(["1;2;3", "4;5;6"])
    assert guess.header == ["column A", "column B", "column C"]
    assert guess.header_line == -1


def test_five_thousand_untidy_rows_come_in_whole_or_not_at_all():
    lines = [
        "\ufeffOsier Mill; tramway;;;;",
        "",
        "Staff at;BS [m];IS [m];FS [m];Dist [m];Known height [m];Remarks",
        "BM;1,426;;;25;42,318;stud",
    ]
    for i in range(1, 1250):
        if i % 40 == 0:
            lines += [
                "",
                f"Page {i // 40};;;;;;",
                "Staff at;BS [m];IS [m];FS [m];Dist [m];Known height [m];Remarks",
                "# rain",
            ]
        lines += [f"p{i}.{k};;1,{200 + (i * 7 + k) % 700};;;;" for k in range(3)]
        lines.append(f"CP {i};1,4{i % 90:02d};;1,3{i % 90:02d};22;;")
    good = "\r\n".join(lines).encode()
    book = read_book(good)
    assert len(book.sights) == 1 + 1249 * 5
    assert book.decimal_mark == ","
    assert book.lines["sum"] and sum(book.lines.values()) == len(lines)
    bad = list(lines)
    bad[700] = bad[700].replace("1,", "1,,", 1)
    bad[2001] = bad[2001].replace(";", ";x", 1)
    with pytest.raises(BookRefused) as refused:
        read_book("\r\n".join(bad).encode())
    assert [p.where.split(",")[0] for p in refused.value.problems] == ["line 701", "line 2002"]


# Drawings and papers


def test_the_section_as_dxf_has_metres_and_layers(busy):
    job, run = busy
    result = job.out(run)
    drawing = ezdxf.read(io.StringIO(section_dxf(result)))
    by_layer = {}
    for entity in drawing.modelspace():
        by_layer.setdefault(entity.dxf.layer, []).append(entity)
    assert set(by_layer) == {"GROUND", "STAFFS", "SIGHT_LINES", "SETUPS", "MARKS"}
    assert len(by_layer["SIGHT_LINES"]) == result.layout.setups
    heights = sorted({round(e.dxf.start.y, 4) for e in by_layer["SIGHT_LINES"]})
    wanted = [float(result.reduction.collimation_height[s]) for s in range(result.layout.setups)]
    assert heights[0] == pytest.approx(min(wanted), abs=0.005)
    texts = [e.dxf.text for e in by_layer["MARKS"]]
    assert any(t.startswith("CP 2 ") for t in texts)
    assert not drawing.audit().has_errors


def test_stations_run_by_booked_lengths_or_fifteen_metres(busy):
    job, run = busy
    places = stations(job.out(run))
    xs = list(places.values())
    assert xs == sorted(xs)
    assert xs[2] - xs[0] == pytest.approx(30.0)  # no distances on the first set-up


def test_the_filled_book_has_its_totals_on_every_page():
    job = Job()
    run = job.run()
    job.known(run, "BM", "50")
    for s in range(12):
        if s:
            job.put(Draft(run, "setup", {}))
        job.sight(run, "BS", f"CP {s}" if s else "BM", f"1.{s:03d}")
        for k in range(4):
            job.sight(run, "IS", f"p{s}.{k}", f"1.{200 + k}")
        job.sight(run, "FS", f"CP {s + 1}", f"1.3{s:02d}")
    pages = filled_book(job.out(run), job.journal, HEADING)
    assert len(pages) == 3
    for n, page in enumerate(pages):
        assert any(t.startswith(f"Page {n + 1}:") for t in page.texts())
        assert any("agrees" in t for t in page.texts())
    assert "The run is open: its heights have no check." in pages[-1].texts()


def test_the_filled_book_shows_struck_readings_events_and_looks(busy):
    job, run = busy
    (page,) = filled_book(job.out(run), job.journal, HEADING)
    struck = [i for i in page.items if getattr(i, "struck", False)]
    assert any(i.text == "−2.300" for i in struck)
    assert "– knocked" in page.texts()
    assert any("2nd look" in t for t in page.texts())


@pytest.mark.parametrize("school", SCHOOLS)
@pytest.mark.parametrize("unit", UNIT_WORDS)
def test_blank_forms_ask_before_anything_else(school, unit):
    page = blank_form(school, unit, "Osier Mill", 3)
    texts = page.texts()
    assert ("HC" in texts) == (school == SCHOOLS[0])
    assert ("Rise" in texts) == (school == SCHOOLS[1])
    assert any("Height of collimation, before anything else" in t for t in texts)
    assert ("′  ″  ⅛" in texts) == (unit == "ft-in")
    for item in page.items:
        if hasattr(item, "y1"):
            assert min(item.x1, item.x2) >= 0 and max(item.x1, item.x2) <= A4[0]
            assert min(item.y1, item.y2) >= 0 and max(item.y1, item.y2) <= A4[1]


def test_both_schools_in_every_unit_in_use():
    assert len(blank_forms(["m", "ft-in"], "Osier Mill")) == 4


def test_points_without_a_place_are_no_geojson():
    with pytest.raises(Exception, match="no mark here has a place"):
        write_points("run", [])
    assert '"coordinates": [\n     1.0,' in write_points("run", [("a", 1.0, 2.0, math.nan, {})])


@pytest.mark.parametrize("size", [7.0, 8.5, 9.0, 9.5, 10.0, 12.0, 18.0])
def test_words_on_paper_are_as_large_as_they_should_be(qapp, tmp_path, size):
    """Read back with another program: where each word stands and how large it is, in points."""
    import re
    import subprocess

    from vivid_keel.exchange.painter import text_length
    from vivid_keel.exchange.report_pdf import write_pdf
    from vivid_keel.figures.display import Picture

    page = Picture(*A4)
    page.text(60, 100, "Gatepost", "ink", size)
    page.text(500, 200, "1.482", "ink", size, align="right", ground=True)
    assert write_pdf([page], tmp_path / "page.pdf", "page")
    out = subprocess.run(
        ["pdftotext", "-bbox", str(tmp_path / "page.pdf"), "-"], capture_output=True, text=True, check=True
    )
    boxes = {
        m[5]: [float(m[k]) for k in range(1, 5)]
        for m in re.finditer(
            r'<word xMin="([\d.]+)" yMin="([\d.]+)" xMax="([\d.]+)" yMax="([\d.]+)">([^<]+)<', out.stdout
        )
    }
    left, top, right, bottom = boxes["Gatepost"]
    assert left == pytest.approx(60, abs=1)
    assert right - left == pytest.approx(text_length("Gatepost", size), rel=0.06)
    assert top < 100 < bottom
    assert 0.8 * size < bottom - top < 1.8 * size
    assert boxes["1.482"][2] == pytest.approx(500, abs=1.5)


def test_the_filled_book_stays_on_its_paper(busy, qapp, tmp_path):
    import re
    import subprocess

    from vivid_keel.exchange.report_pdf import write_pdf

    job, run = busy
    write_pdf(filled_book(job.out(run), job.journal, HEADING), tmp_path / "book.pdf", "book")
    out = subprocess.run(
        ["pdftotext", "-bbox", str(tmp_path / "book.pdf"), "-"], capture_output=True, text=True, check=True
    )
    words = re.findall(r'xMin="([\d.]+)" yMin="[\d.]+" xMax="([\d.]+)" yMax="([\d.]+)">([^<]+)<', out.stdout)
    assert len(words) > 60
    assert all(float(a) >= 40 and float(b) <= 556 and float(c) <= 830 for a, b, c, _ in words)
    assert "2.058" in {w for *_, w in words} or "1.958" in {w for *_, w in words}
