"""Books as people keep them elsewhere: units apart, lines of sums, heights above the table, spreadsheets."""

from __future__ import annotations

import io
import json
import zipfile

import numpy as np
import pytest

from vivid_keel.cli import main
from vivid_keel.core.errors import KeelError
from vivid_keel.exchange.level_columns import BookRefused, find_columns, in_units, text_of
from vivid_keel.exchange.level_csv import read_book
from vivid_keel.exchange.spreadsheet import book_sheet, is_spreadsheet, sheets_of

TABLE = "Mark,BS,IS,FS,RL\nBM 3,1503,,,42.318\nA,,1204,,\nCP 1,1402,,1001,\nB,,,1801,\n"


def told(text, **units):
    raw = text.encode()
    return read_book(raw, "the file", in_units(find_columns(text_of(raw).split("\n")), **units))


def test_heights_in_metres_stand_beside_readings_in_millimetres():
    for book in (
        told(TABLE, readings="mm"),
        told(TABLE, readings="mm", heights="m"),
        told(TABLE.replace("BS,IS,FS", "BS (mm),IS (mm),FS (mm)")),
    ):
        assert [(mark, height.value) for mark, height, _ in book.known] == [("BM 3", pytest.approx(42.318))]
        assert book.sights[0].reading.value == pytest.approx(1.503)
    whole = told(TABLE.replace("42.318", "42318"), readings="mm")
    assert whole.known[0][1].value == pytest.approx(42.318)


def test_what_makes_no_sense_together_is_refused_with_advice():
    with pytest.raises(BookRefused, match="heights-in m"):
        told(TABLE.replace("42.318", "42"), readings="mm")
    with pytest.raises(BookRefused, match="readings-in mm"):
        told(TABLE)
    assert told(TABLE.replace("42.318", "42"), readings="mm", heights="m").known[0][1].value == 42


def test_reduce_takes_both_units(tmp_path, capsys):
    path = tmp_path / "book.csv"
    path.write_text(TABLE)
    main(["reduce", str(path), "--readings-in", "mm", "--heights-in", "m", "--json"])
    heights = json.loads(capsys.readouterr().out)["heights"]
    assert heights["A"] == pytest.approx(42.318 + 1.503 - 1.204)


LABELS = [
    "Page 1 total",
    "Subtotal",
    "c/f",
    "b/f",
    "Seitensumme",
    "Σ",
    "Sum",
    "Totals",
    "Übertrag",
    "Somme",
    "Suma",
    "carried forward",
    "Brought forward",
    "Summe Seite 1",
    "Page total",
    "Grand total",
    "ΣBS",
    "Checks",
    "Zwischensumme",
    "Totale",
    "report",
    "à reporter",
    "sub-total",
    "S1",
    "=",
]
READ = [
    ("BM", "1.482", "", ""),
    ("a", "", "1.104", ""),
    ("CP 1", "1.377", "", "0.951"),
    ("b", "", "2.020", ""),
]


@pytest.mark.parametrize("label", LABELS)
@pytest.mark.parametrize("page", [False, True])
def test_a_line_whose_numbers_are_the_sums_above_is_one_whatever_it_is_called(label, page):
    lines = [",".join(row) for row in READ]
    lines.append(f"{label},2.859,3.124,0.951")
    if page:  # the next page begins with what was brought forward, and ends with its own sums and with all
        lines += [
            f"{label},2.859,3.124,0.951",
            "CP 2,1.2,,1.3",
            "c,,0.5,",
            "d,,0.75,",
            f"{label},1.2,1.25,1.3",
        ]
        lines += [f"{label} 2,4.059,4.374,2.251"]
    lines.append("BM,,,1.908")
    book = told("Mark,BS,IS,FS\n" + "\n".join(lines) + "\n")
    marks = [s.mark for s in book.sights]
    assert marks == ["BM", "a", "CP 1", "CP 1", "b", *(["CP 2", "CP 2", "c", "d"] if page else []), "BM"]
    assert any(f"({label})" in note and "sums" in note for note in book.notes)


def test_a_mark_that_is_called_total_is_one_where_its_numbers_are_no_sums():
    book = told("Mark,BS,IS,FS\nBM,1.482,,\nTotal,1.2,,0.951\na,,1.1,\nTotal,,1.3,\nBM,,,1.7\n")
    assert [s.mark for s in book.sights] == ["BM", "Total", "Total", "a", "Total", "BM"]
    assert sum("(Total) is taken for a mark" in note for note in book.notes) == 2


def test_random_books_lose_no_sight_to_the_search_for_sums():
    rng = np.random.default_rng(33)
    lost = 0
    for _ in range(300):
        lines, n = [f"BM,{rng.uniform(0.5, 2.5):.3f},,"], 1
        for s in range(8):
            for k in range(rng.integers(0, 4)):
                lines.append(f"i{s}.{k},,{rng.uniform(0.3, 3):.3f},")
                n += 1
            lines.append(f"CP {s},{rng.uniform(0.3, 3):.3f},,{rng.uniform(0.3, 3):.3f}")
            n += 2
        lost += n - len(told("Mark,BS,IS,FS\n" + "\n".join(lines) + "\n").sights)
    assert lost <= 1


def test_heights_above_the_table_and_in_other_words_are_heights():
    above = "Job,Race\nBenchmark BM 3 = 42.318\n\nMark,BS,IS,FS\nBM 3,1.503,,\nA,,1.204,\nBM 3,,,1.503\n"
    book = told(above)
    assert [(mark, h.value) for mark, h, _ in book.known] == [("BM 3", 42.318)]
    assert "line 2" in book.known[0][2]
    french = told("Point;Visée arrière;Visée avant;Altitude connue\nR1;1,503;;42,318\nA;;1,204;\n")
    assert french.known[0][1].value == pytest.approx(42.318)


def test_a_remark_that_says_so_strikes_its_line():
    book = told("Mark,BS,IS,FS,Remark\nBM,1.503,,,\nA,,1.204,,crossed out\nA,,1.240,,\nBM,,,1.503,\n")
    assert [s.reading.text for s in book.sights] == ["1.503", "1.240", "1.503"]
    assert book.lines["struck"] == 1


# Spreadsheets


def xlsx(sheets):
    """A spreadsheet in the open format, made with nothing but the standard library."""
    out = io.BytesIO()
    head = '<?xml version="1.0" encoding="UTF-8"?>'
    main_ns = "http://schemas.openxmlformats.org/spreadsheetml/2006/main"
    rel_ns = "http://schemas.openxmlformats.org/officeDocument/2006/relationships"
    package = "http://schemas.openxmlformats.org/package/2006"
    with zipfile.ZipFile(out, "w") as packed:
        kind = "application/vnd.openxmlformats-officedocument.spreadsheetml"
        packed.writestr(
            "[Content_Types].xml",
            f'{head}<Types xmlns="{package}/content-types"><Default Extension="rels" ContentType="application/vnd.openxmlformats-package.relationships+xml"/>'
            f'<Override PartName="/xl/workbook.xml" ContentType="{kind}.sheet.main+xml"/>'
            + "".join(
                f'<Override PartName="/xl/worksheets/sheet{i}.xml" ContentType="{kind}.worksheet+xml"/>'
                for i in range(1, len(sheets) + 1)
            )
            + "</Types>",
        )
        packed.writestr(
            "_rels/.rels",
            f'{head}<Relationships xmlns="{package}/relationships"><Relationship Id="r0" Type="{rel_ns}/officeDocument" Target="xl/workbook.xml"/></Relationships>',
        )
        packed.writestr(
            "xl/workbook.xml",
            f'{head}<workbook xmlns="{main_ns}" xmlns:r="{rel_ns}"><sheets>'
            + "".join(f'<sheet name="{name}" sheetId="{i}" r:id="r{i}"/>' for i, name in enumerate(sheets, 1))
            + "</sheets></workbook>",
        )
        packed.writestr(
            "xl/_rels/workbook.xml.rels",
            f'{head}<Relationships xmlns="{package}/relationships">'
            + "".join(
                f'<Relationship Id="r{i}" Type="{rel_ns}/worksheet" Target="worksheets/sheet{i}.xml"/>'
                for i in range(1, len(sheets) + 1)
            )
            + "</Relationships>",
        )
        for i, rows in enumerate(sheets.values(), 1):
            body = "".join(f"<row>{''.join(map(cell, row))}</row>" for row in rows)
            packed.writestr(
                f"xl/worksheets/sheet{i}.xml",
                f'{head}<worksheet xmlns="{main_ns}"><sheetData>{body}</sheetData></worksheet>',
            )
    return out.getvalue()


def cell(value):
    if value is None:
        return "<c/>"
    if isinstance(value, str):
        return f'<c t="inlineStr"><is><t>{value}</t></is></c>'
    return f"<c><v>{value}</v></c>"


def ods(sheets):
    out = io.BytesIO()
    names = "urn:oasis:names:tc:opendocument:xmlns"

    def one(value):
        if value is None:
            return "<table:table-cell/>"
        if isinstance(value, str):
            return f'<table:table-cell office:value-type="string"><text:p>{value}</text:p></table:table-cell>'
        return f'<table:table-cell office:value-type="float" office:value="{value}"><text:p>{value}</text:p></table:table-cell>'

    body = "".join(
        f'<table:table table:name="{name}">'
        + "".join(f"<table:table-row>{''.join(map(one, row))}</table:table-row>" for row in rows)
        + "</table:table>"
        for name, rows in sheets.items()
    )
    with zipfile.ZipFile(out, "w") as packed:
        packed.writestr("mimetype", "application/vnd.oasis.opendocument.spreadsheet")
        packed.writestr(
            "content.xml",
            f'<?xml version="1.0" encoding="UTF-8"?><office:document-content xmlns:office="{names}:office:1.0" '
            f'xmlns:table="{names}:table:1.0" xmlns:text="{names}:text:1.0" office:version="1.2"><office:body>'
            f"<office:spreadsheet>{body}</office:spreadsheet></office:body></office:document-content>",
        )
        packed.writestr("META-INF/manifest.xml", "<manifest/>")
    return out.getvalue()


SHEETS = {
    "Notes": [["Race, read in May"], [None]],
    "Book": [
        ["Mark", "BS", "IS", "FS", "RL"],
        ["BM", 1.503, None, None, 42.318],
        ["A", None, 1.2, None, None],
        [7, None, 1.05, None, None],
        ["BM", None, None, 1.5, None],
    ],
}


@pytest.mark.parametrize("made", [xlsx, ods])
def test_spreadsheets_are_read_as_they_show_their_numbers(made):
    raw = made(SHEETS)
    assert is_spreadsheet(raw)
    assert list(sheets_of(raw)) == ["Notes", "Book"]
    name, text = book_sheet(sheets_of(raw))
    assert name == "Book"
    book = read_book(text, "mill")
    assert [(s.mark, s.reading.text) for s in book.sights][1:] == [
        ("A", "1.20"),
        ("7", "1.05"),
        ("BM", "1.5"),
    ]
    assert book.known[0][1].value == 42.318
    with pytest.raises(KeelError, match="Notes, Book"):
        book_sheet(sheets_of(raw), "Blatt 3")


def test_reduce_takes_a_sheet_by_its_name(tmp_path, capsys):
    path = tmp_path / "book.xlsx"
    path.write_bytes(xlsx(SHEETS))
    assert main(["reduce", str(path), "--sheet", "Book", "--json"]) == 0
    assert json.loads(capsys.readouterr().out)["misclosure_m"] == pytest.approx(0.003)
    assert main(["reduce", str(path), "--sheet", "Blatt 3"]) == 2
    assert "Notes, Book" in capsys.readouterr().err


@pytest.mark.parametrize("left", [2, 40, 200, 900])
def test_a_damaged_spreadsheet_is_refused_in_a_sentence(left):
    raw = xlsx(SHEETS)[:left]
    assert is_spreadsheet(raw)
    with pytest.raises(KeelError, match="not whole"):
        sheets_of(raw)
