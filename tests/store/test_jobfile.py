"""The job file: nothing lost, nothing changed, everything said."""

from __future__ import annotations

import os
import signal
import sqlite3
import subprocess
import sys
import time
from concurrent.futures import ThreadPoolExecutor

import pytest

from vivid_keel.core.errors import KeelError, Stopped
from vivid_keel.core.record.entries import Draft
from vivid_keel.core.record.journal import Journal
from vivid_keel.files import JobFile
from vivid_keel.store.salvage import COLUMNS

READING = {"text": "1.482", "unit": "m", "m": 1.482, "step_m": 0.001}


def sight(work, mark="sill", after=None, strikes=None, kind="IS"):
    return Draft(work, "sight", {"mark": mark, "sight": kind, "reading": READING}, strikes, after)


@pytest.fixture
def job(tmp_path):
    file = JobFile.create(tmp_path / "mill.keel", "Osier Mill", "Ada")
    file.record([Draft(0, "work", {"name": "Gate to weir", "type": "run", "unit": "m"})])
    yield file
    file.close()


def same(a: Journal, b: Journal):
    assert a.entries == b.entries
    assert a.order == b.order
    assert {i for i in a.entries if a.stands(i)} == {i for i in b.entries if b.stands(i)}


def test_what_was_recorded_is_there_again(job):
    (e,) = job.record([sight(2)])
    job.record([sight(2, "step", after=2)])
    job.close()
    with JobFile.open(job.path) as again:
        same(again.journal, job.journal)
        assert [x.body["mark"] for x in again.journal.standing(2)] == ["step", "sill"]
        assert again.journal.entries[e.id].person == "Ada"
        assert not again.read_only


def test_a_large_act_is_written_on_another_thread_and_nothing_else_meanwhile(job):
    drafts = [Draft(0, "work", {"name": "long", "type": "run", "unit": "m"})]
    drafts += [sight(-1, f"m{k}") for k in range(9_000)]
    refused, told = [], []

    def carry_on(done):
        told.append(done)
        with pytest.raises(KeelError) as error:
            job.record([sight(2)])
        refused.append(error.value.code)
        return True

    with ThreadPoolExecutor(1) as pool:
        written = pool.submit(job.write_aside, drafts, carry_on).result()
    assert set(refused) == {"busy"} and len(refused) == 6  # three looks while numbering, three at writing
    assert told == sorted(told) and told[0] >= 0 and told[-1] < 1
    assert len(job.journal.works()) == 1  # not yet part of the journal
    entries = job.take_in(written)
    assert len(job.journal.standing(entries[0].id, "sight")) == 9_000
    job.record([sight(2, "after")])
    assert job.undo() and job.undo()  # the sight, then the whole book as one act
    assert len(job.journal.works()) == 1
    job.redo()
    job.close()
    with JobFile.open(job.path) as again:
        same(again.journal, job.journal)
        assert not again.changed and not again.read_only


@pytest.mark.parametrize("at", [0.0, 0.2, 0.5, 0.9])
def test_a_large_act_that_is_stopped_leaves_nothing(job, at):
    drafts = [sight(2, f"m{k}") for k in range(9_000)]
    before = len(job.journal.entries)
    with pytest.raises(Stopped):
        job.write_aside(drafts, lambda done: done < at)
    job.record([sight(2, "after")])
    job.close()
    with JobFile.open(job.path) as again:
        assert len(again.journal.entries) == before + 1 and not again.changed


def test_entries_can_not_be_changed_or_removed(job):
    job.record([sight(2)])
    db = sqlite3.connect(job.path)
    with pytest.raises(sqlite3.IntegrityError, match="never changed"):
        db.execute("UPDATE entries SET body = '{}'")
    with pytest.raises(sqlite3.IntegrityError, match="never removed"):
        db.execute("DELETE FROM entries")
    db.close()


def test_a_correction_takes_the_place_of_what_it_strikes(job):
    (a,) = job.record([sight(2, "a")])
    job.record([sight(2, "b")])
    (c,) = job.record([sight(2, "a2", strikes=a.id)])
    assert job.journal.order[2][:2] == [a.id, c.id]
    assert [e.body["mark"] for e in job.journal.standing(2)] == ["a2", "b"]
    assert job.journal.struck_by(a.id) == c
    job.record([Draft(2, "strike", {"reason": "wrong staff"}, strikes=c.id)])
    assert [e.body["mark"] for e in job.journal.standing(2)] == ["b"]  # the first reading does not come back
    job.undo()
    job.undo()
    assert [e.body["mark"] for e in job.journal.standing(2)] == ["a", "b"]


def test_undo_and_redo_are_entries_too(job):
    job.record([sight(2, "a")])
    job.record([sight(2, "b"), sight(2, "c")])  # one act
    marks = lambda: "".join(e.body["mark"] for e in job.journal.standing(2))  # noqa: E731
    job.undo()
    assert marks() == "a"
    job.undo()
    assert marks() == ""
    job.redo()
    assert marks() == "a"
    job.redo()
    assert marks() == "abc"
    assert job.redo() is None
    job.undo()
    job.record([sight(2, "d")])
    assert marks() == "ad"
    assert job.redo() is None  # something new was done since
    while job.undo():
        pass
    assert job.journal.works() == []
    assert job.journal.name_of(0) == "Osier Mill"
    same(job.journal, Journal(job.journal.entries.values()))


def test_folding_one_by_one_is_folding_all_at_once(job):
    import random

    rng = random.Random(7)
    for _ in range(200):
        ids = job.journal.order[2]
        act = rng.choice(["add", "insert", "correct", "strike", "undo", "redo"])
        if act == "add" or not ids:
            job.record([sight(2, f"m{rng.random():.3f}")])
        elif act == "insert":
            job.record([Draft(2, "setup", {}, after=rng.choice(ids)), sight(2, after=-1)])
        elif act == "correct":
            job.record([sight(2, strikes=rng.choice(ids))])
        elif act == "strike":
            job.record([Draft(2, "strike", {}, strikes=rng.choice(ids))])
        else:
            getattr(job, act)()
        standing = [e.id for e in job.journal.standing(2)]
        assert len(set(job.journal.order[2])) == len(job.journal.order[2])
        again = Journal(job.journal.entries.values())
        assert standing == [e.id for e in again.standing(2)]
    same(job.journal, again)


def test_bad_bodies_are_refused_before_they_are_written(job):
    before = len(job.journal.entries)
    for body, code in [
        ({"mark": "a"}, "missing-field"),
        ({"mark": 1, "sight": "BS", "reading": READING}, "wrong-type"),
        ({"mark": "a", "sight": "BS", "reading": READING, "x": 1}, "unknown-field"),
        ({"mark": "a", "sight": "BS", "reading": {**READING, "m": float("nan")}}, "wrong-type"),
    ]:
        with pytest.raises(KeelError, match="entry") as refused:
            job.record([Draft(2, "sight", body)])
        assert refused.value.code == code
    with pytest.raises(KeelError, match="no kind of entry"):
        job.record([Draft(2, "guess", {})])
    with pytest.raises(KeelError, match="not in this job"):
        job.record([sight(2), sight(2, strikes=999)])
    assert len(job.journal.entries) == before


def test_the_second_opener_reads_only_and_is_told_who_writes(job):
    job.record([sight(2)])
    with JobFile.open(job.path, "Ben") as second:
        assert second.read_only
        same(second.journal, job.journal)
        with pytest.raises(KeelError, match="has this job open"):
            second.record([sight(2)])
        with pytest.raises(KeelError, match="reading only"):
            second.undo()
    job.close()
    with JobFile.open(job.path, "Ben") as third:
        assert not third.read_only


def test_nothing_is_overwritten(tmp_path, job):
    with pytest.raises(KeelError, match="there already"):
        JobFile.create(job.path, "Other")
    notes = tmp_path / "notes.keel"
    notes.write_text("bought nails")
    empty = tmp_path / "empty.keel"
    empty.touch()
    other = tmp_path / "other.keel"
    db = sqlite3.connect(other)
    db.execute("CREATE TABLE t (x)")
    db.commit()
    db.close()
    for path in (notes, empty, other):
        before = path.read_bytes()
        with pytest.raises(KeelError, match="left as it is|is empty: it was begun") as refused:
            JobFile.open(path)
        assert refused.value.code == "not-a-job"
        assert path.read_bytes() == before
    with pytest.raises(KeelError, match="folder"):
        JobFile.open(tmp_path)
    with pytest.raises(KeelError, match="No such file"):
        JobFile.open(tmp_path / "none.keel")
    assert not list(tmp_path.glob(".n*lock"))


def test_a_newer_file_is_refused(job):
    job.close()
    db = sqlite3.connect(job.path)
    db.execute("PRAGMA user_version = 99")
    db.close()
    before = job.path.read_bytes()
    with pytest.raises(KeelError, match="newer version of this program"):
        JobFile.open(job.path)
    assert job.path.read_bytes() == before


def test_a_damaged_file_gives_what_it_can_and_says_what_is_missing(job):
    for i in range(400):
        job.record([sight(2, f"mark {i}")])
    total = len(job.journal.entries)
    job.close()
    raw = bytearray(job.path.read_bytes())
    page = 4096
    middle = len(raw) // page // 2 * page
    raw[middle : middle + page] = os.urandom(page)
    job.path.write_bytes(raw)
    before = bytes(raw)
    with JobFile.open(job.path) as file:
        assert file.read_only
        report = file.salvaged
        assert report is not None
        assert total - 120 < report.read < total
        assert report.missing + report.read + len(report.unusable) == total
        assert "damaged" in file.why_read_only()
        with pytest.raises(KeelError, match="reading only"):
            file.record([sight(2)])
    assert job.path.read_bytes() == before


def test_a_cut_off_file(job):
    for i in range(200):
        job.record([sight(2, f"mark {i}")])
    job.close()
    raw = job.path.read_bytes()
    job.path.write_bytes(raw[: len(raw) // 2])
    with JobFile.open(job.path) as file:
        assert file.salvaged is not None
        assert 50 < file.salvaged.read < 202
        assert file.journal.name_of(0) == "Osier Mill"
    job.path.write_bytes(raw[:100])
    with pytest.raises(KeelError, match="damaged|can't be read"):
        JobFile.open(job.path)


def test_a_full_disk_is_said_and_nothing_is_half_written(job):
    job._db.execute("PRAGMA max_page_count = 1")  # SQLite's own "database or disk is full"
    before = len(job.journal.entries)
    with pytest.raises(KeelError, match="could not be written"):
        job.record([sight(2, "x" * 5000) for _ in range(50)])
    assert len(job.journal.entries) == before
    assert job._db.execute("SELECT count(*) FROM entries").fetchone() == (before,)


WRITER = """
import sys
from pathlib import Path
from vivid_keel.core.record.entries import Draft
from vivid_keel.files import JobFile
file = JobFile.open(Path(sys.argv[1]))
reading = {"text": "1.482", "unit": "m", "m": 1.482, "step_m": 0.001}
while True:
    (entry,) = file.record([Draft(2, "sight", {"mark": "sill", "sight": "IS", "reading": reading})])
    print(entry.id, flush=True)
"""


def test_killed_in_the_middle_of_booking_nothing_accepted_is_lost(job):
    job.close()
    for round_ in range(12):
        writer = subprocess.Popen(
            [sys.executable, "-c", WRITER, str(job.path)], stdout=subprocess.PIPE, text=True
        )
        assert writer.stdout is not None
        accepted = [int(writer.stdout.readline())]
        time.sleep(0.003 * round_)
        os.kill(writer.pid, signal.SIGKILL)
        accepted += [int(line) for line in writer.stdout.read().splitlines()]
        writer.wait()
        writer.stdout.close()
        with JobFile.open(job.path) as file:
            assert not file.read_only  # the lock died with its process
            assert file.salvaged is None
            assert max(accepted) in file.journal.entries
            assert set(accepted) <= set(file.journal.entries)
            rows = file._db.execute(f"SELECT {COLUMNS} FROM entries").fetchall()
            assert len(rows) - len(file.journal.entries) == 0


def test_an_imported_job_has_the_same_entries(job, tmp_path):
    job.record([sight(2), sight(2, "b")])
    job.undo()
    with JobFile.create_from(tmp_path / "copy.keel", job.journal.entries.values()) as copy:
        same(copy.journal, job.journal)
        copy.redo()
    with JobFile.open(tmp_path / "copy.keel") as again:
        assert len(again.journal.standing(2)) == 2


def test_what_is_made_at_once_is_there_and_later_entries_are_forced_to_the_disk_again(tmp_path):
    path = tmp_path / "made.keel"
    with JobFile.create(path, "Mill", "Ada") as file:
        with file.made_at_once():
            file.record([Draft(0, "work", {"name": "w", "type": "run", "unit": "m"})])
            assert file._db.execute("PRAGMA synchronous").fetchone() == (0,)
        assert file._db.execute("PRAGMA synchronous").fetchone() == (2,)  # FULL
        with pytest.raises(RuntimeError), file.made_at_once():
            raise RuntimeError
        assert file._db.execute("PRAGMA synchronous").fetchone() == (2,)
    with JobFile.open(path) as again:
        assert [e.kind for e in again.journal.entries.values()] == ["job", "work"]


@pytest.mark.parametrize("many", [99, 100, 101, 4_000, 4_123])
def test_a_long_act_is_written_whole_and_the_tables_check_is_back_behind_it(job, many):
    """Many rows go in one statement and without the table's own check, whether a body is JSON."""
    made = job.record([sight(2, f"m{k}") for k in range(many)])
    with pytest.raises(sqlite3.IntegrityError, match="CHECK"):
        job._db.execute("INSERT INTO entries VALUES (99999, 0, 'work', '{', '', '', NULL, NULL, 1, NULL)")
    job.close()
    with JobFile.open(job.path) as again:
        assert not again.changed and not again.read_only  # the chain holds over every row
        assert [again.journal.entries[e.id] for e in made] == made
        assert len(again.journal.entries) == len(job.journal.entries)
