"""Booking in its corners, with real key presses: names, site mode, a millimetre book, undo while a cell is open."""

from __future__ import annotations

import pytest

from vivid_keel.files import JobFile


@pytest.fixture
def book(window, hands, tmp_path):
    """A run with two known marks, on its first line."""
    window.take(JobFile.create(tmp_path / "job.keel", "Osier Mill", "Ada", unit="m", decimal_mark="."))
    window._make_work("run", "Gatepost to weir")
    hands.line("BM 4", "61.648", "", "site datum", "BM gatepost", "42.318", "", "site datum")
    window.do_next()
    return window


def marks(window):
    return [(row.mark, row.kind, row.text) for row in window.desk.book.rows if row.stands]


def test_a_name_that_is_the_beginning_of_a_known_one_is_a_mark_of_its_own(book, hands):
    hands.line("1.482")  # the backsight on BM 4
    hands.type("B")
    assert book.sheet.editor.text() == "BM 4"  # proposed, its end selected
    hands.key("enter")
    hands.line("1.104")
    assert marks(book)[-1][::2] == ("B", "1.104") and marks(book)[-1][1] == 1


def test_the_proposal_is_taken_by_tab_or_the_arrow(book, hands):
    hands.line("1.482")
    hands.type("BM g")
    hands.key("tab")
    hands.line("1.104")
    assert marks(book)[-1][0] == "BM gatepost"
    book.file.undo()
    book.desk.refresh()
    book.refresh()
    book.sheet.go(book.sheet.sheet.first())
    hands.type("BM g")
    hands.key("right")
    hands.key("enter")
    hands.line("1.105")
    assert marks(book)[-1][0] == "BM gatepost"


def test_names_that_differ_in_case_or_spaces_only_are_asked_about_once(book, hands):
    hands.line("1.482")
    hands.line("bm4")
    assert "There is a “BM 4”" in book.sheet.refusal and book.sheet.editor.text() == "bm4"
    hands.key("enter")
    hands.line("1.104")
    assert marks(book)[-1][0] == "bm4"
    hands.line("bm4", "1.106")  # it is known now
    assert [m for m, *_ in marks(book)].count("bm4") == 2


def test_change_points_are_numbered_without_a_gap(book, hands):
    hands.line("1.482", "stone", "f1.104", "1.311", "", "1.207")
    assert marks(book)[1:3] == [("stone", 2, "1.104"), ("stone", 0, "1.311")]
    assert marks(book)[-1] == ("CP 1", 2, "1.207")


def test_a_millimetre_book_asks_about_what_was_meant_in_metres(window, hands, tmp_path):
    window.take(JobFile.create(tmp_path / "mm.keel", "Osier Mill", "Ada", unit="mm", decimal_mark="."))
    window._make_work("run", "Yard")
    hands.line("BM", "0", "", "site datum")
    window.do_next()
    hands.line("1.482")
    assert "millimetres" in window.sheet.refusal and "1.482 m" in window.sheet.refusal
    window.sheet.editor.selectAll()
    hands.line("1482")
    assert window.desk.book.rows[-1].reading == pytest.approx(1.482)


# Site mode


def on_site(window, hands):
    hands.do("F11")
    assert window.on_site
    return window.site


def test_a_mark_named_where_a_backsight_waits_is_booked_under_its_name(book, hands):
    hands.line("1.482")
    hands.key("tab")
    site = on_site(book, hands)
    site.booking.set_kind(2)
    for key in "1.104":
        hands.key(key, text=key)
    hands.key("enter")
    waits = site.booking.mark
    assert site.booking.kind == 0 and waits == marks(book)[-1][0]
    hands.key("m", text="m")
    site.name.selectAll()
    hands.type("BM gatepost")
    hands.key("enter")
    assert "nothing" not in site.said.text().lower() and not site.booking.wrong
    assert (site.booking.mark, site.booking.kind) == ("BM gatepost", 0)
    for key in "1.3":
        hands.key(key, text=key)
    hands.key("enter")
    assert marks(book)[-1] == ("BM gatepost", 0, "1.3")
    assert book.desk.book.rows[-1].setup == 1


def test_undo_on_site_shows_what_stands_and_the_next_reading_is_booked_there(book, hands):
    hands.line("1.482")
    site = on_site(book, hands)
    for text in ("1.104", "1.205"):
        site.booking.set_mark(f"P {text}")
        site.booking.set_kind(1)
        for key in text:
            hands.key(key, text=key)
        hands.key("enter")
    assert len(marks(book)) == 3
    hands.do("Ctrl+Z")
    assert len(marks(book)) == 2 and "2 read" in site.head.text() and book.on_site
    site.booking.set_mark("P again")
    for key in "1.206":
        hands.key(key, text=key)
    hands.key("enter")
    assert marks(book)[-1][::2] == ("P again", "1.206")
    hands.do("Ctrl+Z")
    hands.do("Ctrl+Shift+Z")
    assert marks(book)[-1][0] == "P again"
    hands.key("esc")
    assert not book.on_site


def test_undo_and_redo_work_while_a_cell_is_open(book, hands):
    hands.line("1.482", "P", "1.104")
    assert book.sheet.editor is not None and len(marks(book)) == 2
    hands.do("Ctrl+Z")
    assert len(marks(book)) == 1 and book.sheet.editor is not None
    hands.do("Ctrl+Shift+Z")
    assert len(marks(book)) == 2
    hands.line("Q", "1.3")
    assert marks(book)[-1][0] == "Q"


def test_esc_leads_back_from_the_new_work_page_and_alt_digits_work_there(demo, hands):
    demo.open_work(demo.file.journal.works()[0].id)
    demo.show_stage("Heights")
    demo.show_new_work()
    assert demo.stack.currentIndex() != 0
    hands.key("esc")
    assert demo.stack.currentIndex() == 0 and demo.stage == "Heights"
    demo.show_new_work()
    demo.new_work.cards["run"].setFocus()
    hands.key("esc")
    assert demo.stack.currentIndex() == 0
    demo.show_new_work()
    hands.do("Alt+3")
    assert demo.stack.currentIndex() == 0 and demo.stage == "Readings"


def test_a_forgotten_sight_is_put_in_above_a_line_of_an_earlier_set_up(book, hands):
    hands.line("1.482", "drain", "1.936", "", "f2.214", "1.127", "weir", "1.740")
    assert [m for m, *_ in marks(book)] == ["BM 4", "drain", "CP 1", "CP 1", "weir"]
    before = {m: book.desk.result.height(i) for i, (m, *_) in enumerate(marks(book))}
    book.sheet.go((2, 0), edit=False)  # the change point's line
    hands.do("Ins")
    assert "Forgotten above CP 1" in book.under._question.text()
    hands.line("sill {1}", "one")
    assert "not a length" in book.notice.text() or "one" in book.notice.text()
    assert book.under.reason.text() == "one" and "sill {1}" in book.under._question.text()
    book.under.reason.selectAll()
    hands.line("1.5")
    assert [m for m, *_ in marks(book)] == ["BM 4", "drain", "sill {1}", "CP 1", "CP 1", "weir"]
    at = [m for m, *_ in marks(book)].index("sill {1}")
    assert book.desk.book.rows[at].setup == 0
    assert book.desk.result.height(at) == pytest.approx(61.648 + 1.482 - 1.5)
    after = {m: book.desk.result.height(i) for i, (m, *_) in enumerate(marks(book))}
    assert {m: after[m] for m in before} == pytest.approx(before)
    hands.do("Ctrl+Z")
    assert "sill {1}" not in [m for m, *_ in marks(book)]
    hands.do("Ctrl+Shift+Z")
    assert "sill {1}" in [m for m, *_ in marks(book)]
    book.sheet.go((0, 0), edit=False)
    hands.do("Ins")
    assert "Forgotten above BM 4" in book.under._question.text()  # a set-up before the first, even
    hands.key("escape")
    book.sheet.go((book.sheet.sheet.new, 0), edit=False)
    hands.do("Ins")
    assert "Nothing can be put in" in book.notice.text()


def test_the_benchmark_read_again_on_the_set_up_that_began_on_it_is_a_last_look(book, hands):
    hands.line("1.482", "drain", "1.936", "BM 4", "1.483")
    assert [(m, k) for m, k, _ in marks(book)] == [("BM 4", 0), ("drain", 1), ("BM 4", 1)]
    hands.line("", "f2.214", "1.127", "BM 4", "0.395")  # from another set-up it closes
    assert marks(book)[-1][:2] == ("BM 4", 2)
    assert book.desk.result.closure.misclosure == pytest.approx(0.0, abs=1e-9)


@pytest.mark.parametrize(("unit", "tolerance"), [("ft-in", 0.0254 / 16), ("in", 0.0254 / 16), ("m", 0.0015)])
def test_a_new_work_in_feet_has_a_tolerance_that_a_rule_shows(window, tmp_path, unit, tolerance):
    window.take(JobFile.create(tmp_path / "Bench.keel", "Bench", unit=unit))
    window._make_work("supports", "Posts")
    assert window.desk.book.limits.tolerance == pytest.approx(tolerance)
    assert ("1/16" in window.desk.book.tolerance_words) == (unit != "m")
    window.undo()  # one act
    assert window.file.journal.works() == []
