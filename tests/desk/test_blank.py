"""A work's own blank form: every place to be read whole, nothing that was read already, room for what nobody foresaw."""

from __future__ import annotations

import pytest

from tests.mill import mill
from vivid_keel.desk.blank import blank_pages, tables_of
from vivid_keel.figures.display import Text
from vivid_keel.figures.report import RIGHT
from vivid_keel.trades.registry import LISTED, desk_for

TAKEN = {"network", "over-the-years"}
"""Works in which nothing is read by hand."""


@pytest.fixture
def job(tmp_path):
    with mill(tmp_path / "Osier Mill.keel") as file:
        yield file


def desk_of(job, key):
    return desk_for(job, next(w.id for w in job.journal.works() if w.body["type"] == key))


@pytest.mark.parametrize("key", [one.key for one in LISTED])
def test_a_work_of_every_trade_has_its_form_or_reads_nothing(job, key):
    desk = desk_of(job, key)
    tables = list(tables_of(desk))
    assert bool(tables) == (key not in TAKEN)
    pages = blank_pages(desk, "Amber level")
    texts = [text for page in pages for text in page.texts()]
    names = {line[0] for table in tables for line in table.lines if line[0]}
    assert names <= set(texts)
    for entry in job.journal.standing(desk.work):  # what was read isn't printed where it is to be read
        read = entry.body.get("reading", {})
        typed = read.get("text") if isinstance(read, dict) else None
        assert typed is None or typed not in texts or typed in names, typed
    for page in pages:
        assert all(item.x <= RIGHT + 1 and item.y < 842 for item in page.items if isinstance(item, Text))
    if tables:
        assert any(not any(line) for line in tables[0].lines)  # room for one that nobody foresaw
        assert f"{len(pages)} of {len(pages)}" in texts


def test_a_runs_form_lists_its_marks_in_order_and_no_struck_line(job):
    table = next(iter(tables_of(desk_of(job, "run"))))
    names = [line[0] for line in table.lines if line[0]]
    assert names[:4] == ["BM gatepost", "Yard drain", "Store sill", "CP 1"]
    assert [title for title, _, written in table.columns if written][:3] == ["BS", "IS", "FS"]


def test_what_is_read_as_found_is_there_to_be_read_as_left(job):
    tables = list(tables_of(desk_of(job, "axis")))
    assert [t.name for t in tables] == ["Readings: As found", "Proof: As left"]
    assert [line[0] for line in tables[0].lines] == [line[0] for line in tables[1].lines]
