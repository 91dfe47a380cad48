"""Many values at once: kept to the byte, read as columns, never half there."""

from __future__ import annotations

import hashlib
import sqlite3

import numpy as np
import pytest

from vivid_keel import files
from vivid_keel.core.errors import KeelError
from vivid_keel.core.kinds import EntryKind
from vivid_keel.core.record.bulk import describe, read_columns
from vivid_keel.core.record.entries import Draft
from vivid_keel.exchange.job_json import read_job, write_job

SCAN = b"x;y;level\n0,000;0,000;1482\n2,500;0,000;1479,5\n\n2,500;1,200;1491\n"
MAPPING = {
    "columns": {"x": 0, "y": 1, "z": 2},
    "units": {"z": "mm"},
    "delimiter": ";",
    "decimal_mark": ",",
    "skip": 1,
}


class JobFile(files.JobFile):
    """A job with a kind of entry that brings in many values."""

    @classmethod
    def kinds(cls):
        return {
            **super().kinds(),
            "scan": EntryKind({"name": "text!", "source": "source!"}, lambda e: "scan"),
        }


def scan(raw=SCAN, mapping=MAPPING, told=None):
    return Draft(0, "scan", {"name": "yard", "source": told or describe(raw, mapping)}, source=raw)


@pytest.fixture
def job(tmp_path):
    with JobFile.create(tmp_path / "job.keel", "Osier Mill", "Ada") as file:
        file.record([scan()])
    return tmp_path / "job.keel"


def test_columns_come_out_in_metres_and_the_source_to_the_byte(job):
    with JobFile.open(job) as file:
        columns = file.journal.columns_of(2, "source")
        assert columns["z"].tolist() == pytest.approx([1.482, 1.4795, 1.491], abs=1e-15)
        assert columns["x"].tolist() == [0.0, 2.5, 2.5]
        assert file.source_of(2) == SCAN
        assert file.journal.entries[2].body["source"]["sha256"] == hashlib.sha256(SCAN).hexdigest()


def test_entry_and_bytes_are_one_act_undone_together(job):
    with JobFile.open(job) as file:
        file.undo()
        assert not file.journal.standing(0, "scan")
        file.redo()
        assert file.journal.standing(0, "scan")
        assert file.source_of(2) == SCAN


@pytest.mark.parametrize(
    ("draft", "code"),
    [
        (Draft(0, "scan", {"name": "yard", "source": describe(SCAN, MAPPING)}), "missing-field"),
        (Draft(0, "matter", {"text": "no"}, source=SCAN), "unknown-field"),
        (scan(told=describe(SCAN + b"1;2;3\n", MAPPING)), "damaged"),
        (scan(told={"sha256": "00", "bytes": 3, "mapping": MAPPING}), "wrong-type"),
        (scan(mapping={**MAPPING, "units": {"z": "furlong"}}), "wrong-type"),
        (scan(mapping={**MAPPING, "delimiter": ","}), "wrong-type"),
        (scan(mapping={**MAPPING, "columns": {"x": -1}}), "wrong-type"),
        (scan(mapping={**MAPPING, "thousands": "."}), "wrong-type"),
    ],
)
def test_what_does_not_fit_is_refused_whole(job, draft, code):
    with JobFile.open(job) as file:
        with pytest.raises(KeelError) as refused:
            file.record([Draft(0, "matter", {"text": "with it"}), draft])
        assert refused.value.code == code
        assert len(file.journal.entries) == 2
        assert len(file.sources()) == 1


@pytest.mark.parametrize(
    ("rows", "says"),
    [
        ("0,5;1;2\n0,5;x;2", "line 3: expected a number for y, found “x”"),
        ("0,5;1;2\n0,5;1", "line 3: expected a number for z, found nothing"),
        ("0,5;1;nan", "line 2: expected a number for z, found “nan”"),
        ("", "no row"),
    ],
)
def test_a_row_that_is_no_row_is_named(rows, says):
    with pytest.raises(KeelError) as refused:
        read_columns(f"x;y;z\n{rows}\n".encode(), MAPPING)
    assert says in refused.value.message


def test_bytes_are_never_changed_or_removed_and_those_lost_are_said(job):
    with sqlite3.connect(job) as db:
        with pytest.raises(sqlite3.DatabaseError, match="never removed"):
            db.execute("DELETE FROM blobs")
        with pytest.raises(sqlite3.DatabaseError, match="never changed"):
            db.execute("UPDATE blobs SET packed = x'00'")
        db.execute("DROP TRIGGER blobs_are_never_changed")
        db.execute("UPDATE blobs SET packed = x'789c03000000000100'")
    db.close()
    with JobFile.open(job) as file, pytest.raises(KeelError) as changed:
        file.journal.columns_of(2, "source")
    assert changed.value.where == "entry 2"
    with sqlite3.connect(job) as db:
        db.execute("DROP TRIGGER blobs_are_never_removed")
        db.execute("DELETE FROM blobs")
    db.close()
    with JobFile.open(job) as file:
        assert file.salvaged is None and file.journal.lost_sources == {2}
        assert file.mark.endswith(" What was brought in with entry 2 is damaged or gone.")


def test_a_whole_job_as_json_carries_the_bytes(job, tmp_path):
    with JobFile.open(job) as file:
        text = write_job(file.journal.entries.values(), file.sources())
    entries, sources = read_job(text, JobFile.kinds())
    with JobFile.create_from(tmp_path / "back.keel", entries, "Ada", sources=sources) as back:
        assert back.source_of(2) == SCAN
        assert back.journal.columns_of(2, "source")["x"].tolist() == [0.0, 2.5, 2.5]
    for wrong in (
        text.replace('"sources"', '"lost"'),
        text.replace('"2": "', '"2": "AAAA'),
        text.replace('"2": "', '"3": "'),
    ):
        with pytest.raises(KeelError):
            read_job(wrong, JobFile.kinds())


def test_a_copy_of_many_is_read_once(job):
    with JobFile.open(job) as file:
        first = file.journal.columns_of(2, "source")
        file._db.close()
        assert file.journal.columns_of(2, "source") is first


def test_blanks_part_columns_where_nothing_else_does():
    columns = read_columns(b"0.5  1.0 7\n 0.6 1.0   8\n", {"columns": {"n": 2, "x": 0}, "units": {"n": "1"}})
    assert columns["n"].tolist() == [7.0, 8.0]
    assert np.all(columns["x"] == [0.5, 0.6])
