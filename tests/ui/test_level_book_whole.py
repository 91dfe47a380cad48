"""The level book in the window: looks, events, the search for the slip, planning, matching, site mode, networks."""

from __future__ import annotations

from pathlib import Path

import pytest
from PyQt6.QtCore import Qt
from PyQt6.QtTest import QTest
from PyQt6.QtWidgets import QApplication

from tests.exchange.test_books_from_elsewhere import SHEETS, xlsx
from tests.saying import press_enter, take
from vivid_keel.core.errors import KeelError, Stopped
from vivid_keel.core.record.entries import Draft
from vivid_keel.core.record.readings import as_read
from vivid_keel.trades.run.site import RunBooking


def rows(window):
    return [(r.mark, r.text, r.stands) for r in window.desk.book.rows]


@pytest.fixture
def begun(window, hands, tmp_path):
    """A job with a run on its benchmark, ready for the first reading."""
    from vivid_keel.files import JobFile

    window.take(JobFile.create(tmp_path / "job.keel", "Osier Mill", "Ada", unit="m", decimal_mark="."))
    window._make_work("run", "Gatepost to weir")
    hands.line("BM gatepost", "42.318", "", "site datum")
    window.do_next()
    return window


# Hairs and looks


def test_hairs_and_a_second_look_are_typed_along_the_line(begun, hands):
    hands.line("1.482")
    begun.show_stage("Readings", 2)
    begun.sheet.go((0, 3))
    hands.line("1.602", "1.362", "1.483")
    sight = begun.desk.book.rows[-1]
    assert (sight.upper, sight.lower, sight.look) == (1.602, 1.362, 1.483)
    assert hands.cells(0)[5:9] == ["24.0", "0.0 mm", "1.483", "+1.0 mm"]
    assert len([r for r in begun.desk.book.rows if r.stands]) == 1  # the page shows the line once
    begun.sheet.go((0, 3))
    begun.sheet.editor.selectAll()
    hands.type("1.300")
    hands.key("enter")
    assert "upper hair must read more" in begun.sheet.refusal
    assert begun.desk.book.rows[-1].upper == 1.602
    hands.key("esc")
    begun.sheet.go((0, 9))
    hands.line("7")
    begun.sheet.go((0, 10))
    hands.line("10:42")
    assert (begun.desk.book.rows[-1].page, begun.desk.book.rows[-1].read_at) == ("7", "10:42")


def test_a_look_that_differs_is_marked_and_named(begun, hands):
    hands.line("1.482", "drain")
    hands.line("1.936")
    begun.show_stage("Readings", 2)
    begun.sheet.go((1, 7))
    hands.line("1.396")
    assert begun.sheet.sheet.cell(1, 0).sign == "out"
    assert "drain: looks off by −540.0 mm" in hands.said()


# Events


def test_after_a_knock_a_new_backsight_is_asked_for(begun, hands):
    hands.line("1.482", "drain", "1.936")
    hands.do("F3")
    hands.type("k by the barrow")
    hands.key("enter")
    assert begun.desk.next("Readings").title == "Next: a new backsight"
    assert hands.cells(2)[0] == "knocked"
    assert "by the barrow" in hands.cells(2)
    assert begun.desk.proposed_mark() == "drain"
    hands.key("enter")
    hands.line("1.500")
    assert begun.desk.result.layout.setups == 2
    assert begun.desk.book.rows[-1].kind == 0
    begun.sheet.go((2, 0), edit=False)
    hands.do("Ctrl+D")
    hands.key("enter")
    assert all(r.text != "knocked" for r in begun.desk.book.rows)


def test_what_is_no_event_is_refused_in_words(begun, hands):
    hands.line("1.482")
    hands.do("F3")
    hands.line("bumped")
    assert "begin with M moved" in begun.notice.text() or "Begin with M moved" in begun.notice.text()


# Finding the slip


def slipped(window, hands):
    for texts in (
        ("1.482",),
        ("CP 1",),
        ("2.214",),
        ("1.127",),
        ("CP 2",),
        ("2.058",),
        ("2.346",),
        ("BM gatepost",),
        ("0.786",),
    ):
        hands.line(*texts)
    window.show_stage("Readings", 2)
    row = next(i for i, r in enumerate(window.desk.book.sights) if window.desk.book.rows[r].text == "2.058")
    window.sheet.go((row, 7))
    hands.line("1.958")
    hands.rest()


def test_the_slip_is_found_gone_to_read_again_and_the_run_closes(begun, hands):
    slipped(begun, hands)
    assert begun.desk.next("Readings").title == "Next: read CP 2 again"
    begun.do_next()
    assert (begun.stage, begun.sheet.sheet.name) == ("Proof", "Find the slip")
    first = hands.cells(0)
    assert first[1:5] == ["FS CP 2", "2.058", "1.958", "100 mm slip"]
    assert begun.desk.focus == next(i for i, r in enumerate(begun.desk.book.rows) if r.text == "2.058")
    hands.do("F4")
    assert "share of all explanations" in begun._working.numbers
    hands.key("enter")
    assert begun.stage == "Readings"
    assert begun.sheet.sheet.cell(begun.sheet.currentIndex().row(), 0).sign == "open"
    assert begun.sheet.editor.text() == "2.058"
    hands.line("1.958")
    assert begun.desk.result.closure.accepted
    assert ("CP 2", "2.058", False) in rows(begun)  # read again beside the first, never over it
    assert not begun.desk.suspects()


def test_a_search_that_fails_is_said_once_and_not_begun_again(begun, hands, monkeypatch):
    calls = []

    def broken(result):
        calls.append(1)
        raise RuntimeError("singular")

    monkeypatch.setattr("vivid_keel.trades.run.desk.search", broken)
    slipped(begun, hands)
    hands.rest()
    begun.show_stage("Proof", 2)
    hands.rest()
    assert calls == [1] * len(calls)
    assert len(calls) <= 2  # once for each state of the book that was settled
    assert "can't be searched" in hands.cells(0)[6]
    assert begun.desk.next("Readings").key == "slips"


def test_a_long_book_waits_to_be_asked(begun, hands, monkeypatch):
    monkeypatch.setattr("vivid_keel.trades.run.desk.LONG", 3)
    slipped(begun, hands)
    assert begun.desk.search is None
    begun.show_stage("Proof", 2)
    assert "Enter looks for the slip" in hands.cells(0)[6]
    hands.key("enter")
    hands.rest()
    assert begun.desk.search.suggestions


def test_pages_corrections_and_curvature(demo, hands):
    demo.show_stage("Proof", 3)
    assert hands.cells(1)[1:3] == ["book", "12 sights"]
    assert hands.cells(0)[8:] == ["−0.003", "−0.003"]
    demo.show_stage("Heights", 1)
    assert hands.cells(0)[:4] == ["1", "24", "22", "+0.11 mm"]  # the two-peg check of the demo kit
    press_enter(demo.desk.sheets("Proof")[1], 9)
    assert demo.desk.book.settings.use_curvature
    assert any("Curvature taken out" in text for text, _ in demo.desk.sheets("Heights")[1].footer())


# Where to stand


def test_where_to_stand_is_planned_drawn_and_proposed_while_booking(begun, hands):
    begun._act("standing")
    for name, height, along in (("Yard drain", "41.9", "40"), ("Weir crest", "41", "160")):
        hands.line(name, height, along)
    assert hands.cells(2)[:4] == ["Weir crest", "41.000", "160", "2"]  # 160 m: four sights of 40 m
    assert any("2 set-ups for 3 marks" in t for t in hands.said())
    picture = begun.desk.picture("Set-up", 1, 740, 320)
    assert any(t.startswith("1 · HC") for t in picture.texts())
    begun.sheet.go((1, 1))
    begun.sheet.editor.selectAll()
    hands.type("4l.9")
    hands.key("enter")
    assert begun.sheet.refusal
    hands.key("esc")
    begun.show_stage("Readings")
    begun.do_next()
    hands.line("1.482")
    assert begun.desk.proposed_mark() == "Yard drain"
    assert begun.desk.next_kind("Yard drain") == 1
    begun.show_stage("Set-up", 3)
    begun.sheet.go((0, 1))
    begun.sheet.editor.selectAll()
    hands.line("5 m")
    assert begun.desk.book.reach.staff == 5.0


# Reading by matching


def test_a_reading_is_made_by_sliding_the_hair(begun, hands):
    hands.do("F8")
    assert begun.view_number == 1
    for _ in range(3):
        hands.key("up")
    begun.picture._let_go()
    assert begun.sheet.editor.text() == "1.503"
    assert begun.desk.in_hand.reading == pytest.approx(1.503)
    picture = begun.picture.drawn
    below = picture.drag.y + 40
    begun.picture.dragged.emit(
        picture.drag.value + (picture.drag.y - below) * picture.drag.metres_per_pixel, True
    )
    matched = begun.sheet.editor.text()
    assert float(matched) < 1.503
    begun.picture.setFocus()
    hands.key("enter")
    assert rows(begun) == [("BM gatepost", matched, True)]
    hands.do("F8")
    assert begun.view_number == 0


def test_upside_down_the_hair_goes_the_other_way(begun):
    upright = begun.desk.staff(600, 300)
    turned = begun.desk.staff(600, 300, upside_down=True)
    assert upright.drag.metres_per_pixel == -turned.drag.metres_per_pixel > 0


# Site mode


@pytest.fixture
def site(begun, hands):
    hands.do("F11")
    assert begun.stack.currentWidget() is begun.site
    return begun.site


def test_a_run_is_booked_one_reading_at_a_time_by_keys(begun, site):
    def keys(text):
        for ch in text:
            QTest.keyClick(site, ch)

    keys("1.482")
    QTest.keyClick(site, Qt.Key.Key_Return)
    assert "line at 43.800" in site.said.text()
    site.name.setFocus()
    site.name.setText("Yard drain")
    site.name.setModified(True)
    site._named()
    keys("1.9366")
    QTest.keyClick(site, Qt.Key.Key_Backspace)
    QTest.keyClick(site, Qt.Key.Key_Return)
    assert rows(begun) == [("BM gatepost", "1.482", True), ("Yard drain", "1.936", True)]
    keys("l1.937")
    QTest.keyClick(site, Qt.Key.Key_Return)
    assert "The looks agree, +1.0 mm" in site.said.text()
    keys("9.9.9")
    QTest.keyClick(site, Qt.Key.Key_Return)
    assert site.booking.wrong
    assert "9.9.9" in site.value.text()
    QTest.keyClick(site, Qt.Key.Key_Escape)
    assert begun.stack.currentIndex() == 0
    assert not begun.side.isHidden()


def test_every_key_is_big_enough_on_a_small_screen(begun, site):
    begun.resize(1024, 600)
    QApplication.processEvents()
    from PyQt6.QtWidgets import QPushButton

    buttons = [b for b in site.findChildren(QPushButton) if b.isVisible()]
    assert len(buttons) > 15
    assert all(min(b.width(), b.height()) >= 48 for b in buttons)
    assert all(site.rect().contains(b.mapTo(site, b.rect().center())) for b in buttons)
    before = site.pad.x()
    site.other_hand()
    QApplication.processEvents()
    assert site.pad.x() < before


def test_feet_and_eighths_are_typed_with_the_thumb(window, tmp_path):
    from vivid_keel.files import JobFile

    window.take(JobFile.create(tmp_path / "leat.keel", "Leat", "Ada", unit="ft-in"))
    window._make_work("run", "Leat")
    from vivid_keel.core.quantities import parse_length

    window.desk.record(
        Draft(
            window.desk.work,
            "mark",
            {"name": "stud", "height": as_read(parse_length("100'", "ft-in")), "source": "datum"},
        )
    )
    booking = RunBooking(window.desk)
    for key in ("5", "′", "7", "5/8", "3/8"):
        booking.press(key)
    assert booking.typed() == "5' 7 3/8\""
    booking.erase()
    booking.press("±")
    assert booking.text.startswith("-")
    booking.press("±")
    booking.match("5' 7 3/8\"")
    assert booking.take()
    assert window.desk.book.rows[-1].reading == pytest.approx((67 + 3 / 8) * 0.0254)
    booking.strike_last()
    assert booking.said.startswith("Struck: BS stud")
    booking.look_again()
    assert booking.wrong
    assert not booking.take()


def test_marks_are_offered_and_kinds_set_by_touch(begun):
    booking = RunBooking(begun.desk)
    assert booking.names()[0] == "BM gatepost"
    booking.text = "1.482"
    assert booking.take()
    booking.set_mark("CP 1")
    booking.set_kind(2)
    assert booking.ask().startswith("foresight")
    booking.text = "2.214"
    assert booking.take()
    assert (booking.mark, booking.kind) == ("CP 1", 0)  # the backsight of the next set-up is asked for
    assert "2 read" in booking.head()


def test_site_mode_is_for_what_is_read_or_moved_one_by_one(demo, hands):
    vehicle = next(w.id for w in demo.file.journal.works() if w.body["type"] == "vehicle")
    demo.open_work(vehicle)
    hands.do("F11")
    assert "one at a time; open a level run, supports, a table or a bed" in demo.notice.text()


# The register and networks


def test_a_mark_of_another_run_is_listed_by_its_name_and_follows(demo, hands):
    demo._make_work("run", "Third")
    hands.line("Yard drain")
    known = demo.desk.book.known[0]
    assert known.source == "follows Gatepost to weir"
    assert known.height == pytest.approx(41.864, abs=0.001)
    with pytest.raises(KeelError, match="change it there"):
        take(demo.desk.sheets("Set-up")[0], 0, 1, "43")
    first = demo.file.journal.works()[0].id
    demo.open_work(first)
    row = next(i for i, (a, _) in enumerate(demo.desk.book.lines) if demo.desk.book.rows[a].text == "1.936")
    take(demo.desk.sheets("Readings")[0], row, 2, "1.946")
    demo.open_work(demo.file.journal.works()[-1].id)
    assert demo.desk.book.known[0].height == pytest.approx(41.854, abs=0.001)
    demo.show_stage("Heights", 2)
    assert any("Third" in hands.cells(r)[5] for r in range(demo.sheet.sheet.count))


def test_the_demo_network_fits_and_a_run_can_be_left_out(demo, hands):
    works = demo.file.journal.works()
    demo.open_work(works[3].id)
    hands.rest()
    assert demo.desk.state() == ("in", "11 marks, 4 to spare")
    demo.show_stage("Heights")
    names = [hands.cells(r)[0] for r in range(demo.sheet.sheet.count)]
    assert "Store sill" in names
    assert "CP 1 (Gatepost to weir)" in names
    demo.sheet.go((names.index("Store sill"), 1), edit=False)
    hands.do("F4")
    assert "least" in demo._working.formula
    demo.show_stage("Readings")
    press_enter(demo.desk.sheets("Readings")[0], 1)
    demo.refresh()
    hands.rest()
    assert demo.desk.book.left_out == {works[2].id: ""}
    take(demo.desk.sheets("Readings")[0], 1, 4, "booked in rain")
    assert "booked in rain" in demo.desk.book.left_out.values()
    hands.rest()
    assert any(f.title == "Left out: Weir to gatepost" for f in demo.desk.findings("Proof"))
    press_enter(demo.desk.sheets("Readings")[0], 1)
    assert demo.desk.book.left_out == {}
    demo.show_stage("Instrument")
    take(demo.sheet.sheet, 1, 2, "0.5 mm")
    assert demo.desk.book.weights.sigma == pytest.approx(0.0005)
    hands.rest()
    assert "It fits worse than stated" in " ".join(f.title for f in demo.desk.findings("Proof"))
    demo.show_stage("Record")
    assert "11 marks at their heights" not in demo.picture.drawn.caption


def test_a_network_of_nothing_says_what_to_do(begun, hands):
    begun._make_work("network", "Net")
    hands.rest()
    assert begun.desk.next("Proof").title == "Next: book two runs that meet"
    assert begun.desk.picture("Proof", 0, 700, 300).caption
    assert begun.desk.state()[0] == "todo"


def test_places_go_out_as_geojson(demo, hands, tmp_path):
    import json

    demo.open_work(next(w.id for w in demo.file.journal.works() if w.body["name"] == "Weir to gatepost"))
    demo.errands.write_geojson()
    assert "Places" in demo.notice.text()
    demo.show_stage("Heights", 0)
    row = next(r for r in range(demo.sheet.sheet.count) if hands.cells(r)[0] == "Weir crest")
    with pytest.raises(KeelError, match="type x first"):
        take(demo.sheet.sheet, row, 8, "4.5")
    demo.sheet.go((row, 7))
    hands.line("12.5", "4.5")
    demo.errands.write_geojson()
    (path,) = tmp_path.glob("*.geojson")
    feature = json.loads(path.read_text())["features"][0]
    assert feature["geometry"]["coordinates"] == [12.5, 4.5, pytest.approx(40.975, abs=0.0005)]
    assert feature["properties"]["name"] == "Weir crest"


# In and out through the window


STRANGE = (
    "Osier\n\nPiste;Taakse;Väli;Eteen;Huom\nBM;1,500;;;stud\nsill;;1,200;;\nCP;1,100;;1,400;\nBM;;;1,200;\n"
)


def test_a_strangers_columns_are_asked_for_once(demo, hands, tmp_path):
    path = tmp_path / "strange.csv"
    path.write_text(STRANGE)
    demo.errands.bring_in_book(path)
    assert demo.stack.currentWidget() is demo.map_page
    works = len(demo.file.journal.works())
    demo.map_page.take.click()
    assert "say which column" in demo.map_page.reason.text().lower()
    for box, meaning in zip(demo.map_page.boxes, ("mark", "bs", "is", "fs", "remark"), strict=True):
        box.setCurrentIndex(box.findData(meaning))
    demo.map_page.take.click()
    assert len(demo.file.journal.works()) == works + 1
    assert [r.text for r in demo.desk.book.rows] == ["1,500", "1,200", "1,400", "1,100", "1,200"]
    demo.errands.bring_in_book(path)  # remembered by its header, seen again and to be changed
    assert demo.stack.currentWidget() is demo.map_page
    assert [box.currentData() for box in demo.map_page.boxes] == ["mark", "bs", "is", "fs", "remark"]
    assert len(demo.file.journal.works()) == works + 1
    demo.map_page.unit.setCurrentIndex(demo.map_page.unit.findData("ft"))
    QTest.keyClick(demo.map_page.boxes[0], Qt.Key.Key_Return)
    assert len(demo.file.journal.works()) == works + 2
    assert demo.desk.book.unit == "ft"
    demo.errands.bring_in_book(path)
    assert demo.map_page.unit.currentData() == "ft"
    QTest.keyClick(demo.map_page.boxes[0], Qt.Key.Key_Escape)
    assert demo.stack.currentIndex() == 0


def test_a_spreadsheet_is_brought_in_sheet_by_sheet_and_kept_to_the_byte(demo, tmp_path):
    raw = xlsx(
        {
            **SHEETS,
            "Other": [
                ["Piste", "Taakse", "Eteen", "RL"],
                ["BM", 1500, None, 42.318],
                ["A", None, 1200, None],
            ],
        }
    )
    path = tmp_path / "race.xlsx"
    path.write_bytes(raw)
    works = len(demo.file.journal.works())
    demo.errands.bring_in_book(path)  # its second sheet is plainly a book
    assert len(demo.file.journal.works()) == works + 1
    assert demo.desk.result.height(1) == pytest.approx(42.318 + 1.503 - 1.2)
    kept = demo.file.journal.standing(demo.desk.work, "file")
    assert [(e.body["name"], e.body["sheet"]) for e in kept] == [("race.xlsx", "Book")]
    assert demo.file.source_of(kept[0].id) == raw
    demo.errands._take_book(raw, path, "Other")
    page = demo.map_page
    assert demo.stack.currentWidget() is page
    assert [page.sheet.itemText(i) for i in range(page.sheet.count())] == ["Notes", "Book", "Other"]
    assert page.sheet.currentText() == "Other"
    page.sheet.textActivated.emit("Notes")
    assert demo.map_page.sheet.currentText() == "Notes"
    page.sheet.textActivated.emit("Other")
    for box, meaning in zip(page.boxes, ("mark", "bs", "fs", "known"), strict=True):
        box.setCurrentIndex(box.findData(meaning))
    page.unit.setCurrentIndex(page.unit.findData("mm"))
    page.heights.setCurrentIndex(page.heights.findData("m"))
    page.take.click()
    assert len(demo.file.journal.works()) == works + 2
    assert demo.desk.result.height(1) == pytest.approx(42.318 + 1.5 - 1.2)


STRANGERS = Path(__file__).parents[1] / "exchange" / "strangers"


def test_a_line_that_is_no_sight_is_skipped_by_its_number(demo):
    demo.errands.bring_in_book(STRANGERS / "a-line-too-many.csv")
    page = demo.map_page
    assert demo.stack.currentWidget() is page
    works = len(demo.file.journal.works())
    page.take.click()  # nothing was changed: the same place again
    assert demo.stack.currentWidget() is page
    page.lines[2].click()
    page.take.click()
    assert len(demo.file.journal.works()) == works + 1
    assert "1 skipped" in demo.notice.text()
    demo.errands.bring_in_book(STRANGERS / "a-line-too-many.csv")
    assert not page.lines[2].isChecked()  # another file of such a header has other lines


def test_a_files_own_words_for_a_kind_of_sight_are_told_once(demo):
    demo.errands.bring_in_book(STRANGERS / "own-words.csv")
    page = demo.map_page
    assert list(page.kinds) == ["rk", "zw", "vw"]
    for word, kind in (("rk", "bs"), ("zw", "is"), ("vw", "fs")):
        page.kinds[word].setCurrentIndex(page.kinds[word].findData(kind))
    page.take.click()
    assert [row.text for row in demo.desk.book.rows] == ["1.482", "1.936", "2.214", "1.127", "0.396"]
    demo.errands.bring_in_book(STRANGERS / "own-words.csv")
    assert demo.stack.currentWidget() is page
    assert [box.currentData() for box in page.kinds.values()] == ["bs", "is", "fs"]


def test_rows_are_pasted_at_the_end_of_the_run_in_hand(begun, hands):
    hands.line("1.482")
    text = (
        "mark\tBS\tIS\tFS\tremark\ndrain\t\t1.936\t\trim\nCP 1\t1.127\t\t2.214\t\nBM gatepost\t\t\t0.396\t\n"
    )
    QApplication.clipboard().setText(text)
    hands.do("Ctrl+Shift+V")
    assert begun.desk.result.closure.accepted
    assert [r.text for r in begun.desk.book.rows] == ["1.482", "1.936", "2.214", "1.127", "0.396"]
    hands.do("Ctrl+Z")
    assert len(begun.desk.book.rows) == 1
    QApplication.clipboard().clear()
    hands.do("Ctrl+Shift+V")
    assert "nothing to paste" in begun.notice.text()


def test_book_forms_and_drawings_are_written_beside_the_job(demo, hands, tmp_path):
    demo.errands.write("book")
    demo.errands.write_blank_forms()
    demo.errands.write("svg")
    demo.errands.write("dxf")
    names = {p.name for p in tmp_path.iterdir()}
    assert {
        "Gatepost to weir, book.pdf",
        "Blank level book.pdf",
        "Gatepost to weir, section.svg",
        "Gatepost to weir, section.dxf",
    } <= names
    demo.open_work(demo.file.journal.works()[1].id)
    demo.errands.write("book")
    assert "has no such file" in demo.notice.text()


def test_a_long_pdf_is_written_aside_and_can_be_stopped(demo, hands, tmp_path, monkeypatch):
    monkeypatch.setattr("vivid_keel.ui.errands.LONG_BOOK", 5)
    demo.errands.write("book")
    hands.rest()
    assert (tmp_path / "Gatepost to weir, book.pdf").read_bytes().startswith(b"%PDF")
    demo.errands.write_report()
    demo.stop_work()
    hands.qtbot.waitUntil(lambda: not demo.worker.busy, timeout=20_000)
    assert not list(tmp_path.glob("*.part"))


def test_the_log_has_words_for_every_kind_of_entry(begun, hands):
    from vivid_keel.core.record.entries import Entry
    from vivid_keel.desk.record_stage import describe
    from vivid_keel.trades.registry import job_kinds, kit_kinds

    reading = {"text": "1.5", "unit": "m", "m": 1.5, "step_m": 0.1}
    samples = {
        "text": "moved",
        "unit": "m",
        "number": 1.0,
        "whole number": 1,
        "yes or no": True,
        "phase": "found",
        "sight": "BS",
        "reading": reading,
        "set of numbers": {"level": 0.1},
        "plan lines": [],
        "lines": [["BM", "set-up 1", 1.5, 0.001]],
        "source": {"sha256": "0" * 64, "bytes": 6, "mapping": {"columns": {"x": 0}}},
    }
    for kind, one in {**job_kinds(), **kit_kinds()}.items():
        body = {name: samples[one.type_of(name)] for name in one.fields}
        entry = Entry(5, 2, kind, body, "2026-11-24T10:00:00+00:00", "Ada", None, None, 3)
        assert "doesn't know" not in describe(entry, {kind: one})


# Long work


def grid_job(path, n):
    """A job whose runs make a grid of n by n marks."""
    from vivid_keel.core.quantities import parse_length
    from vivid_keel.files import JobFile

    def read(value):
        return as_read(parse_length(f"{value:.3f}", "m"))

    file = JobFile.create(path, "grid", "Ada")
    for k in range(n):
        for name, at in (
            (f"row {k}", lambda j, k=k: f"m{k}.{j}"),
            (f"column {k}", lambda j, k=k: f"m{j}.{k}"),
        ):
            drafts = [Draft(0, "work", {"name": name, "type": "run", "unit": "m"})]
            if k == 0:
                drafts.append(Draft(-1, "mark", {"name": "m0.0", "height": read(50), "source": "datum"}))
            for j in range(n - 1):
                if j:
                    drafts.append(Draft(-1, "setup", {}))
                drafts.append(Draft(-1, "sight", {"mark": at(j), "sight": "BS", "reading": read(1.5)}))
                drafts.append(
                    Draft(
                        -1,
                        "sight",
                        {"mark": at(j + 1), "sight": "FS", "reading": read(1.5 + 0.001 * (j % 2))},
                    )
                )
            if k:  # every line starts from a mark that another run reads
                drafts.append(
                    Draft(-1, "mark", {"name": at(0), "height": read(50), "source": "rough", "u_m": 0.5})
                )
            file.record(drafts)
    return file


def test_a_network_is_worked_out_aside_and_can_be_stopped(window, hands, tmp_path):
    window.take(grid_job(tmp_path / "grid.keel", 12))
    window._make_work("network", "Net")
    desk = window.desk
    assert desk.adjusted is None
    assert desk.busy_words == "Working out the network: 0 %"
    hands.rest()
    assert desk.adjusted.net is not None
    assert len(desk.adjusted.marks) == 144
    assert desk.done == 1.0
    desk.refresh()
    key, operation = desk.long_work()
    with pytest.raises(Stopped):
        operation(lambda: 0.0)  # no time left: it leaves off
    desk.long_work_done(key, None)
    assert "stopped" in desk.adjusted.refused
    assert desk.findings("Proof")[0].title == "It can't be adjusted"


def test_what_long_work_does_is_said_while_it_lasts(demo, hands):
    demo.busy_words = "Writing a long book: 40 %"
    demo.worker.start(lambda seconds_left: seconds_left() > 0, lambda done: None, lambda error: None)
    demo.show_busy()
    assert demo.notice.text() == "Writing a long book: 40 %"
    assert demo.stop_button.isVisible()
    demo.stop_button.click()
    hands.qtbot.waitUntil(lambda: not demo.worker.busy, timeout=5000)
    demo.show_busy()
    assert demo.notice.isHidden()
    assert demo.stop_button.isHidden()


# An impatient hand


@pytest.mark.parametrize("kind", ["run", "network", "supports"])
def test_an_empty_work_survives_every_key_on_every_sheet(begun, hands, kind):
    begun._make_work(kind, "Empty")
    for stage in begun.desk.stage_names:
        for sheet in range(len(begun.desk.sheets(stage))):
            for view in range(max(1, len(begun.desk.views(stage)))):
                begun.show_stage(stage, sheet)
                begun._choose_view(view)
                begun.settle()
                assert begun.picture.drawn.width > 0
                for key in ("f4", "enter", "x", "esc", "down", "up", "tab", "esc"):
                    hands.key(key, text=key if len(key) == 1 else "")
                for shortcut in ("Ctrl+D", "F4", "F1"):
                    hands.do(shortcut)
                    hands.key("esc")
    for shortcut in ("F8", "F8", "F11", "F11", "F3"):
        hands.do(shortcut)
        hands.key("esc")
    hands.rest()
    assert begun.desk.next("Record").title


@pytest.mark.parametrize(
    ("text", "said"),
    [
        ("1,482", "may mean"),
        ("14.82 m", "longer than any staff"),
        ("--", "not a"),
        ("5' 14\"", "inches"),
        ("", "othing was typed"),
    ],
)
def test_what_can_not_be_read_is_refused_in_site_mode_and_kept(begun, text, said):
    from vivid_keel.core.record.entries import Draft

    begun.file.record([Draft(0, "job", {"name": "Osier Mill", "unit": "m"})])
    booking = RunBooking(begun.desk)
    booking.text = text
    assert not booking.take()
    assert booking.wrong
    assert said in booking.said
    assert booking.text == text
    assert begun.desk.book.rows == []


def test_a_job_from_a_kill_in_site_mode_has_all_that_was_taken(begun, tmp_path):
    from vivid_keel.files import JobFile

    booking = RunBooking(begun.desk)
    for mark, reading in (("", "1.482"), ("drain", "1.936"), ("sill", "0.873")):
        if mark:
            booking.set_mark(mark)
        booking.text = reading
        assert booking.take()
    booking.press("2")  # half typed when the lights go out
    with JobFile.open(begun.file.path) as again:
        texts = [e.body["reading"]["text"] for e in again.journal.standing(begun.desk.work, "sight")]
    assert texts == ["1.482", "1.936", "0.873"]
