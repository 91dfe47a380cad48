"""A job that comes by mail: whatever it is, a sentence, soon, and nothing of it is run."""

from __future__ import annotations

import json
import os
import resource
import sqlite3
import subprocess
import sys
import time

import pytest

from tests.mill import mill
from tests.store.test_unknown import put
from vivid_keel.core.errors import KeelError
from vivid_keel.core.record.entries import Draft
from vivid_keel.files import JobFile
from vivid_keel.store.salvage import entry_from_row


@pytest.fixture
def path(tmp_path):
    with mill(tmp_path / "mill.keel") as file:
        return file.path


def refused(path):
    """The sentence a file is refused with, or "" where it opens for writing; never long in coming."""
    start = time.process_time()
    try:
        with JobFile.open(path) as file:
            said = file.why_read_only() if file.read_only else ""
    except KeelError as error:
        said = error.message
    assert time.process_time() - start < 4  # the limit is 2 s; a busy machine gets as much again
    return said


def test_a_pipe_is_no_job(tmp_path):
    os.mkfifo(tmp_path / "pipe.keel")
    assert "is a pipe or a device" in refused(tmp_path / "pipe.keel")
    assert "is a pipe or a device" in refused(type(tmp_path)("/dev/zero"))


def test_a_view_in_place_of_a_table(path):
    db = sqlite3.connect(path)
    db.execute("ALTER TABLE entries RENAME TO hidden")
    db.execute("CREATE VIEW entries AS SELECT * FROM hidden")
    db.commit()
    db.close()
    assert "“entries” isn't the table that this program makes" in refused(path)


def test_a_view_that_never_ends_is_not_run(path):
    db = sqlite3.connect(path)
    db.execute(
        "CREATE VIEW more AS WITH RECURSIVE n(x) AS (SELECT 1 UNION ALL SELECT x + 1 FROM n) SELECT x FROM n"
    )
    db.commit()
    db.close()
    assert "something was put in it (more)" in refused(path)


def test_an_entry_with_a_monstrous_number(path):
    put(path, "matter", {"text": "far"})
    db = sqlite3.connect(path)
    (id,) = db.execute("SELECT max(id) FROM entries").fetchone()
    db.execute("DROP TRIGGER entries_are_never_changed")
    db.execute("UPDATE entries SET id = 9223372036854775800 WHERE id = ?", (id,))
    db.execute("UPDATE entries SET body = '[]' WHERE id = ?", (id - 1,))
    db.commit()
    db.close()
    said = refused(path)
    assert "can't be used" in said and "are missing" in said


@pytest.mark.parametrize(
    ("body", "says"),
    [
        (
            '{"text": ' + "[" * 100_000 + "]" * 100_000 + "}",
            "isn't as it was written|is not readable|must be a text|could be read",
        ),
        (json.dumps({"text": "n" * 10_000_000}), "damaged"),
        (json.dumps({"text": "n" * 30_000}), "must be a text"),
        ('{"text": "\\ud800"}', "must be a text"),
        ('{"text": 1' + "0" * 400 + "}", "must be a text"),
        ('{"text": ["a"]}', "must be a text"),
        ("[]", "no object"),
    ],
)
def test_a_body_that_is_none_is_named_and_the_rest_can_be_read(path, body, says):
    put(path, "matter", body)
    said = refused(path)
    assert any(word in said for word in says.split("|")), said


def test_bytes_that_are_no_text(path):
    put(path, "matter", {"text": "look again"})
    db = sqlite3.connect(path)
    db.execute("DROP TRIGGER entries_are_never_changed")
    db.execute("UPDATE entries SET person = CAST(x'ff41' AS TEXT) WHERE id = (SELECT max(id) FROM entries)")
    db.commit()
    db.close()
    assert "holds bytes that are no text" in refused(path)


@pytest.mark.parametrize("column", ["act", "work", "strikes", "after"])
@pytest.mark.parametrize("value", [b"\xff", "two", 1.5])
def test_a_number_that_is_none(path, column, value):
    """A flipped byte of a row's head: SQLite then hands out a text, bytes or a fraction where a number stood."""
    row = {"id": 7, "work": 1, "kind": "matter", "body": "{}", "time": "", "person": "", "strikes": None}
    row |= {"after": None, "act": 1, column: value}
    with pytest.raises(KeelError, match="entry 7 holds something that is no number"):
        entry_from_row(tuple(row.values()))


def test_a_head_that_promises_two_thousand_million_bytes(path):
    raw = bytearray(path.read_bytes())
    raw[28:32] = (0x7FFFF).to_bytes(4, "big")
    raw[5 * 4096 : 6 * 4096] = bytes(4096)
    path.write_bytes(raw)
    script = (
        "import re, sys; from pathlib import Path; from vivid_keel.files import JobFile;\n"
        "from vivid_keel.core.errors import KeelError\n"
        "try:\n    with JobFile.open(Path(sys.argv[1])) as file: print(file.why_read_only())\n"
        "except KeelError as error: print(error.message)\n"
        # Its own peak: what getrusage tells begins with that of the process it was made by.
        "print(re.search(r'VmHWM:\\s*(\\d+)', Path('/proc/self/status').read_text())[1])"
    )
    done = subprocess.run(
        [sys.executable, "-c", script, str(path)], capture_output=True, text=True, check=True
    )
    said, used = done.stdout.strip().rsplit("\n", 1)
    assert "damaged" in said
    assert int(used) < 300_000  # KiB


def test_a_hundred_thousand_undos_of_undos(path):
    db = sqlite3.connect(path)
    id, act = db.execute("SELECT max(id), max(act) FROM entries").fetchone()
    rows = [
        (
            id + k,
            0,
            "undo",
            json.dumps({"act": act + k - 1}),
            "2026-12-01T10:00:00+00:00",
            "Cy",
            None,
            None,
            act + k,
            None,
        )
        for k in range(1, 20_000)
    ]
    db.executemany("INSERT INTO entries VALUES (?, ?, ?, ?, ?, ?, ?, ?, ?, ?)", rows)
    db.commit()
    db.close()
    assert "undoes an undo of an undo" in refused(path)


# --- making one


def small_disk():
    resource.setrlimit(resource.RLIMIT_FSIZE, (8192, 8192))


@pytest.mark.parametrize(
    "made",
    [
        "JobFile.create(path, 'Mill')",
        "JobFile.create_from(path, JobFile.open(Path(sys.argv[2])).journal.entries.values())",
    ],
)
def test_made_on_a_full_disk_nothing_is_left_lying_about(path, tmp_path, made):
    folder = tmp_path / "full"
    folder.mkdir()
    script = (
        "import signal, sys; from pathlib import Path; from vivid_keel.files import JobFile\n"
        "from vivid_keel.core.errors import KeelError\n"
        "signal.signal(signal.SIGXFSZ, signal.SIG_IGN)\n"
        "path = Path(sys.argv[1])\n"
        f"try: {made}\n"
        "except KeelError as error: print(error.code, error.message)"
    )
    done = subprocess.run(
        [sys.executable, "-c", script, str(folder / "new.keel"), str(path)],
        capture_output=True,
        text=True,
        preexec_fn=small_disk,
        check=False,
    )
    assert done.stderr == "" and "can't be made" in done.stdout, done.stderr
    assert list(folder.iterdir()) == []


def test_a_new_file_is_its_owners_alone_and_what_a_killed_process_left_is_no_hindrance(tmp_path):
    left = tmp_path / ".new.keel.keel-new"
    left.write_bytes(b"half a file")
    with JobFile.create(tmp_path / "new.keel", "Mill") as file:
        assert file.path.stat().st_mode & 0o777 == 0o600
    assert sorted(p.name for p in tmp_path.iterdir()) == ["new.keel"]


def test_a_link_that_leads_nowhere_is_not_overwritten(tmp_path):
    (tmp_path / "new.keel").symlink_to(tmp_path / "gone")
    with pytest.raises(KeelError, match="there already"):
        JobFile.create(tmp_path / "new.keel", "Mill")


# --- two at once


def links(path):
    soft, hard = path.with_name("soft.keel"), path.with_name("hard.keel")
    soft.symlink_to(path)
    os.link(path, hard)
    return [soft, hard]


def test_there_is_one_writer_whatever_name_the_file_goes_by(path):
    with JobFile.open(path, "Ada"):
        for other in links(path):
            with JobFile.open(other, "Ben") as second:
                assert second.read_only, other.name
        path.with_name(f".{path.name}.keel-lock").unlink()
        with JobFile.open(path, "Cy") as third:
            assert third.read_only


def test_whoever_waits_may_write_when_the_first_has_gone(path):
    first = JobFile.open(path, "Ada")
    with JobFile.open(path, "Ben") as second:
        assert second.held_by.startswith("Ada") and not second.is_free()
        first.close()
        assert second.is_free()
    with JobFile.open(path, "Ben") as again:
        assert not again.read_only


def test_a_number_taken_by_another_program_stops_the_writing_and_loses_nothing(path):
    with JobFile.open(path, "Ada") as file:
        before = dict(file.journal.entries)
        put(path, "matter", {"text": "by another"})
        with pytest.raises(KeelError, match="written by somebody else while it was open \\(Cy, 2026-12-01"):
            file.record([Draft(0, "matter", {"text": "by Ada"})])
        assert file.read_only and file.journal.entries == before
        with pytest.raises(KeelError, match="written by somebody else"):
            file.record([Draft(0, "matter", {"text": "by Ada"})])
    with JobFile.open(path) as file:
        assert file.journal.entries[max(file.journal.entries)].person == "Cy"


def test_a_file_overwritten_in_place_is_noticed_before_the_next_entry(path):
    old = path.read_bytes()
    with JobFile.open(path, "Ada") as file:
        file.record([Draft(0, "matter", {"text": "by Ada"})])
        before = dict(file.journal.entries)
        path.write_bytes(old)  # a synchroniser brings back what it had
        with pytest.raises(KeelError, match="written by somebody else|could not be written"):
            file.record([Draft(0, "matter", {"text": "more"})])
        assert file.journal.entries == before
        JobFile.create_from(path.with_name("kept.keel"), file.journal.entries.values()).close()
    with JobFile.open(path.with_name("kept.keel")) as kept:
        assert kept.journal.entries == before
    assert path.read_bytes() == old


@pytest.mark.parametrize("how", ["renamed", "deleted", "another in its place"])
def test_a_file_moved_away_is_said_so_and_not_blamed_on_the_disk(path, how):
    with JobFile.open(path, "Ada") as file:
        if how == "deleted":
            path.unlink()
        else:
            path.rename(path.with_name("moved.keel"))
        if how == "another in its place":
            path.write_bytes(path.with_name("moved.keel").read_bytes())
        with pytest.raises(KeelError, match="renamed, moved or deleted while it was open") as said:
            file.record([Draft(0, "matter", {"text": "by Ada"})])
        assert said.value.code == "moved-away"
        assert file.read_only


def test_a_job_on_a_full_disk_is_read_and_what_can_t_be_written_is_said(path):
    script = (
        "import resource, signal, sys; from pathlib import Path; from vivid_keel.files import JobFile\n"
        "from vivid_keel.core.errors import KeelError; from vivid_keel.core.record.entries import Draft\n"
        "signal.signal(signal.SIGXFSZ, signal.SIG_IGN)\n"
        "resource.setrlimit(resource.RLIMIT_FSIZE, (0, resource.RLIM_INFINITY))\n"
        "file = JobFile.open(Path(sys.argv[1]), 'Ada')\n"
        "draft = Draft(file.journal.works()[0].id, 'matter', {'text': 'the sill'})\n"
        "print(len(file.journal.entries), file.read_only)\n"
        "try: file.record([draft])\n"
        "except KeelError as error: print(error.code)\n"
        "resource.setrlimit(resource.RLIMIT_FSIZE, (resource.RLIM_INFINITY, resource.RLIM_INFINITY))\n"
        "print(len(file.record([draft]))); file.close()"
    )
    with JobFile.open(path) as file:
        before = len(file.journal.entries)
    done = subprocess.run(
        [sys.executable, "-c", script, str(path)], capture_output=True, text=True, check=False
    )
    assert done.stderr == ""
    assert done.stdout.splitlines() == [f"{before} False", "not-written", "1"]
    with JobFile.open(path) as file:
        assert len(file.journal.entries) == before + 1
