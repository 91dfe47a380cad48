"""What a program doesn't know it doesn't touch; what is damaged is named, not trusted."""

from __future__ import annotations

import json
import sqlite3
import zlib

import pytest

from tests.mill import mill
from vivid_keel.core.errors import KeelError
from vivid_keel.core.record.entries import Draft
from vivid_keel.files import JobFile, KitFile
from vivid_keel.store.chain import link


def put(path, kind, body, work=0):
    """Write an entry as another program would; `work` None begins one."""
    db = sqlite3.connect(path)
    id, before = db.execute("SELECT id + 1, chain FROM entries ORDER BY id DESC LIMIT 1").fetchone()
    text = body if isinstance(body, str) else json.dumps(body)
    db.execute("PRAGMA ignore_check_constraints = ON")
    row = (
        id,
        id if work is None else work,
        kind,
        text,
        "2026-12-01T10:00:00+00:00",
        "Cy",
        None,
        None,
        10_000 + id,
    )
    db.execute("INSERT INTO entries VALUES (?, ?, ?, ?, ?, ?, ?, ?, ?, ?)", (*row, link(before, row)))
    db.commit()
    db.close()
    return id


@pytest.fixture
def path(tmp_path):
    file = mill(tmp_path / "mill.keel")
    file.close()
    return file.path


def test_a_work_of_an_unknown_trade_opens_for_reading_and_is_shown_as_no_other(path):
    work = put(path, "work", {"name": "Weir gate", "type": "sluice", "unit": "m"}, None)
    put(path, "sounding", {"depth": 3, "at": [1, 2]}, work)
    before = path.read_bytes()
    with JobFile.open(path) as file:
        assert file.read_only
        said = file.why_read_only()
        assert "Weir gate (“sluice”)" in said and "“sounding”" in said and "newer version" in said
        with pytest.raises(KeelError, match="reading only"):
            file.record([Draft(work, "matter", {"text": "x"})])
        from vivid_keel.trades.registry import desk_for

        desk = desk_for(file, work)
        assert desk.type == "unknown"
        assert desk.stage_names == ("Record",)
        (log,) = desk.sheets("Record")
        told = [log.cell(row, 3).text for row in range(log.count)]
        assert told == ["work begun: Weir gate", "“sounding”, which this program doesn't know"]
        assert "sluice" in desk.picture("Record", 0, 700, 300).caption
        assert desk_for(file, file.journal.works()[0].id).type == "run"  # what is known is shown as ever
    assert path.read_bytes() == before


def test_what_lies_beside_an_entry_of_an_unknown_kind_goes_along_into_a_copy(path, tmp_path):
    id = put(path, "sounding", {"depth": 3}, 2)
    with sqlite3.connect(path) as db:
        db.execute("INSERT INTO blobs VALUES (?, ?)", (id, zlib.compress(b"of a newer program")))
    db.close()
    with JobFile.open(path) as file:
        entries, sources = file.to_write()
    JobFile.create_from(tmp_path / "copy.keel", entries, sources=sources).close()
    with JobFile.open(tmp_path / "copy.keel") as file:
        assert file.source_of(id) == b"of a newer program" and not file.mark


def test_an_unknown_kind_in_a_known_work_is_kept_and_said(path):
    put(path, "sounding", {"depth": 3}, 2)
    with JobFile.open(path) as file:
        assert file.read_only and "“sounding”" in file.why_read_only()
        assert file.salvaged is None
        assert file.journal.standing(2, "sounding")


@pytest.mark.parametrize(
    ("kind", "body", "says"),
    [
        ("matter", {"texd": "x"}, "no field “texd”"),
        ("matter", [], "no object"),
        ("matter", {}, "needs “text”"),
        ("sight", {"mark": 5, "sight": "IS", "reading": {}}, "must be a text"),
        (
            "sight",
            {"mark": "a", "sight": "IS", "reading": {"text": "1", "unit": "m", "m": "1", "step_m": 1}},
            "must be a reading",
        ),
        (
            "place",
            '{"mark": "a", "x": {"text": "1", "unit": "m", "m": 1e999, "step_m": 1}, "y": 1}',
            "must be a reading",
        ),
        (
            "leaf",
            {"leaf": {"text": "1", "unit": "m", "m": 10**400, "step_m": 1}, "count": 1},
            "must be a reading",
        ),
    ],
)
def test_a_damaged_body_is_named_and_the_rest_can_be_read(path, kind, body, says):
    id = put(path, kind, body, 2)
    with JobFile.open(path) as file:
        assert file.read_only
        assert file.salvaged is not None
        assert file.salvaged.unusable == (id,)
        said = file.why_read_only()
        assert f"entry {id}" in said and says in said
        assert id not in file.journal.entries


def test_an_instrument_of_an_unknown_kind(tmp_path):
    with KitFile.create(tmp_path / "a.keelkit", "Kit", "Ada") as kit:
        kit.record([Draft(0, "work", {"name": "Beam", "type": "kit:beam", "unit": "m"})])
        path = kit.path
    with KitFile.open(path) as kit:
        assert kit.read_only and "Beam (“kit:beam”)" in kit.why_read_only()


def test_the_window_shows_what_it_can(path, qtbot):
    from vivid_keel.ui.window import Window

    work = put(path, "work", {"name": "Weir gate", "type": "sluice", "unit": "m"}, None)
    window = Window("Ada")
    qtbot.addWidget(window)
    assert window.open_path(path)
    assert "sluice" in window.notice.text()
    window.open_work(work)
    window.settle()
    assert window.desk.type == "unknown"
    assert window.pane.next.step.title == "Nothing to do here"
    window.do_next()
    window.errands.write_report()
    assert "Open a work" in window.notice.text()
    window.close()
