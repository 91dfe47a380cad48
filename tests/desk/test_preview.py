"""The report as it is shown on the screen: its first pages, the same as are printed, and no more of them made than are looked at."""

from __future__ import annotations

import pytest

from tests.bench import long_book
from tests.mill import mill
from vivid_keel.figures import report
from vivid_keel.files import JobFile
from vivid_keel.trades.registry import desk_for


@pytest.mark.parametrize("most", [1, 2])
def test_the_first_pages_of_every_trade_are_those_that_are_printed(tmp_path, most):
    with mill(tmp_path / "mill.keel") as file:
        cut = 0
        for work in file.journal.works():
            desk = desk_for(file, work.id)
            printed = desk.report()()
            shown, more = desk.first_pages(most)
            assert more == (len(printed) > most)
            for page, whole in zip(shown, printed, strict=False):  # the foot is set when all pages are made
                assert len(page.items) >= len(whole.items) - 2
                assert repr(page.items) == repr(whole.items[: len(page.items)])
            cut += more
        assert cut >= 5


def test_of_a_long_book_no_more_is_set_than_is_looked_at(tmp_path, monkeypatch):
    long_book(tmp_path / "long.keel", 6000)
    rows = []
    own = report.Pages._row
    monkeypatch.setattr(report.Pages, "_row", lambda self, *a, **k: (rows.append(1), own(self, *a, **k))[1])
    with JobFile.open(tmp_path / "long.keel") as file:
        desk = desk_for(file, file.journal.works()[0].id)
        pages, more = desk.first_pages(report.PREVIEWED)
    assert more and len(pages) == report.PREVIEWED
    assert len(rows) < report.PREVIEWED * report.LINES
