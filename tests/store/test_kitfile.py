"""The kit's file: the same store and rules as a job, and neither is taken for the other."""

from __future__ import annotations

import sqlite3

import pytest

from vivid_keel.core.errors import KeelError
from vivid_keel.core.record.entries import Draft
from vivid_keel.files import JobFile, KitFile
from vivid_keel.places import kit_path


def test_a_kit_outlives_its_session_and_keeps_the_rules(tmp_path):
    path = tmp_path / "kit.keelkit"
    with KitFile.create(path, "Kit", "Ada") as kit:
        (work,) = kit.record([Draft(0, "work", {"name": "Block", "type": "kit:precision", "unit": "m"})])
        kit.record([Draft(work.id, "trait", {"name": "division", "text": "0.02 mm/m", "value": 0.00002})])
        with KitFile.open(path) as second:
            assert second.read_only and "has this kit open" in second.why_read_only()
    with KitFile.open(path, "Bo") as kit:
        assert kit.journal.latest(work.id, "trait").body["value"] == 0.00002
        assert kit.undo() is not None
    db = sqlite3.connect(path)
    with pytest.raises(sqlite3.IntegrityError, match="never changed"):
        db.execute("UPDATE entries SET person = 'nobody'")
    db.close()


def test_a_job_is_no_kit_and_a_kit_no_job(tmp_path):
    JobFile.create(tmp_path / "a.keel", "Job", "Ada").close()
    KitFile.create(tmp_path / "a.keelkit", "Kit", "Ada").close()
    with pytest.raises(KeelError, match="is a job file; open it as a job"):
        KitFile.open(tmp_path / "a.keel")
    with pytest.raises(KeelError, match="is a kit file; open it as a kit"):
        JobFile.open(tmp_path / "a.keelkit")


def test_a_kit_beside_the_job_goes_with_it(tmp_path, monkeypatch):
    monkeypatch.setenv("XDG_DATA_HOME", str(tmp_path / "data"))
    own = tmp_path / "data" / "vivid-keel" / "kit.keelkit"
    assert kit_path() == own
    assert kit_path(tmp_path / "Mill.keel") == own
    KitFile.create(tmp_path / "Mill.keelkit", "Kit of the mill", "Ada").close()
    assert kit_path(tmp_path / "Mill.keel") == tmp_path / "Mill.keelkit"
