"""The handbook in the window: at the page of what is in hand, by keys alone, found by words, and out of the way again."""

from __future__ import annotations

import pytest
from PyQt6.QtCore import QUrl

from vivid_keel.handbook import page_of, pages, plain, search
from vivid_keel.trades.registry import trades


@pytest.fixture
def open_at(demo, hands):
    """Open the handbook at a work of the demo."""

    def opened(name):
        demo.open_work(next(w.id for w in demo.job.journal.works() if demo.job.journal.name_of(w.id) == name))
        hands.do("F1")
        assert demo.in_handbook
        return demo.handbook

    return opened


def text_of(book):
    return book.leaf.toPlainText()


def test_f1_opens_the_page_of_the_work_with_its_stage_explained_and_f1_or_esc_closes_it(demo, hands, open_at):
    book = open_at("Lathe bed")
    assert text_of(book).startswith("Bed") or "bed" in text_of(book).splitlines()[0].lower()
    for line in demo.desk.question(demo.stage):
        assert line[:40] in text_of(book)
    assert book.contents.currentItem().text() == "Bed"
    hands.do("F1")
    assert not demo.in_handbook and demo.stack.currentIndex() == 0
    hands.do("F1")
    hands.key("esc")
    assert not demo.in_handbook and demo.desk is not None


def test_from_the_page_to_a_stage_and_back(demo, hands, open_at):
    book = open_at("Setting-out table")
    book.leaf.anchorClicked.emit(QUrl("stage:Set-up"))
    assert demo.stage == "Set-up" and not demo.in_handbook
    hands.do("F1")
    assert "Set-up: " in text_of(demo.handbook)
    links = demo.handbook.leaf.toMarkdown()
    assert all(f"stage:{name}" in links for name in ("Readings", "Moves", "Proof"))


def test_its_figure_is_drawn_by_the_program(demo, open_at):
    book = open_at("Stone tramway")
    image = book.leaf.loadResource(2, QUrl("figure:sketch")).value()
    assert (
        image.width() > 60 and len({image.pixel(x, y) for x in range(0, 60, 3) for y in range(0, 40, 3)}) > 1
    )


def test_words_are_found_in_every_page_and_enter_goes_there(demo, hands, open_at):
    book = open_at("Mill floor posts")
    book.search.setFocus()
    hands.type("parallax")
    found = [book.contents.item(k).text() for k in range(book.contents.count())]
    assert any(text.startswith("Words: ") for text in found) and len(found) >= 2
    assert "parallax" in text_of(book).lower()
    book.search.setText("no such word anywhere")
    assert book.contents.count() == 0
    book.search.clear()
    assert book.contents.count() == len(pages())


def test_without_a_job_it_begins_with_the_first_steps(window, hands):
    hands.do("F1")
    assert window.in_handbook and window.handbook.contents.currentItem().text() == "First steps"
    hands.key("esc")
    assert not window.in_handbook


def test_every_page_is_there_once_and_every_trade_has_one():
    titles = [page.title for page in pages()]
    assert len(set(titles)) == len(titles) and {t.key for t in trades()} <= {page.trade for page in pages()}
    assert all(page.text.startswith("# ") and len(page.text) > 500 for page in pages())
    assert page_of("none such") is pages()[0] and page_of("yard/help.md").title == "The practice yard"


def test_what_is_found_has_its_heading_and_all_the_words():
    hits = search("Split DIFFERENCE")
    assert hits and all("split" in hit.line.lower() and "difference" in hit.line.lower() for hit in hits)
    assert search("  ") == [] and plain("1. **Bold** and `code` | x") == "Bold and code x"
    assert any(hit.heading for hit in search("stand-in"))


def test_the_words_are_in_the_order_of_the_alphabet():
    words = [
        line[2:].split(".")[0].split(" (")[0].strip("*")
        for line in page_of("handbook/words.md").text.splitlines()
        if line.startswith("**")
    ]
    assert len(words) > 30 and words == sorted(words, key=str.casefold)


def test_the_worked_sum_is_opened_as_a_small_job_by_keys(demo, hands, open_at):
    book = open_at("Lathe bed")
    for _ in range(30):
        hands.key("tab")
        if book.leaf.textCursor().charFormat().anchorHref() == "sum:open":
            break
    hands.key("enter")
    assert not demo.in_handbook
    assert [w.body["type"] for w in demo.file.journal.works()] == ["bed"]
    assert demo.desk.type == "bed"
