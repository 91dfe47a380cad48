"""What another hand changes in a file is noticed, with its place, and taken over only by a word that is recorded."""

from __future__ import annotations

import shutil
import sqlite3
from pathlib import Path

import numpy as np
import pytest

from tests.mill import mill
from vivid_keel.core.errors import KeelError
from vivid_keel.core.record.entries import Draft
from vivid_keel.files import JobFile, KitFile

OLD = Path(__file__).parent / "old"
GUARDS = ("entries_are_never_changed", "entries_are_never_removed")


def by_another_hand(path, *statements):
    """Change a file behind the program's back, its guards taken away and put back."""
    db = sqlite3.connect(path)
    kept = [
        db.execute("SELECT sql FROM sqlite_master WHERE name = ?", (name,)).fetchone()[0] for name in GUARDS
    ]
    for name in GUARDS:
        db.execute(f"DROP TRIGGER {name}")
    for statement in statements:
        db.execute(statement)
    for statement in kept:
        db.execute(statement)
    db.commit()
    db.close()


@pytest.fixture
def path(tmp_path):
    with mill(tmp_path / "mill.keel") as file:
        return file.path


def a_reading(path):
    """The id of a sight, its words with a digit changed."""
    db = sqlite3.connect(path)
    id, body = db.execute(
        "SELECT id, body FROM entries WHERE kind = 'sight' ORDER BY id LIMIT 1 OFFSET 5"
    ).fetchone()
    db.close()
    return id, body


def test_nobody_accuses_an_honest_file(path):
    for _ in range(2):
        with JobFile.open(path) as file:
            assert not file.changed and not file.read_only
            file.record([Draft(0, "matter", {"text": "look again"})])
    with KitFile.open(path.with_suffix(".keelkit")) as kit:
        assert not kit.changed and not kit.read_only


def test_a_reading_edited_text_and_value_alike_is_noticed(path):
    id, body = a_reading(path)
    said = body.replace("1.", "2.")
    by_another_hand(path, f"UPDATE entries SET body = '{said}' WHERE id = {id}")
    with JobFile.open(path) as file:
        assert f"entry {id}, " in file.changed and "isn't as it was written" in file.changed
        assert "I. Withy" in file.changed  # whose, and when
        with pytest.raises(KeelError, match="take it over, with a reason"):
            file.record([Draft(0, "matter", {"text": "look again"})])


@pytest.mark.parametrize(
    ("statement", "place"),
    [
        ("DELETE FROM entries WHERE id = 40", 41),
        ("UPDATE entries SET person = 'B. Alder' WHERE id = 40", 40),
        ("UPDATE entries SET time = replace(time, ':', '.') WHERE id = 40", 40),
        ("UPDATE entries SET chain = NULL WHERE id = 40", 40),
        ("UPDATE entries SET chain = zeroblob(32) WHERE id = 40", 40),
        ("UPDATE entries SET kind = 'matter', body = '{\"text\": \"nothing\"}' WHERE id = 40", 40),
    ],
)
def test_the_place_is_where_it_first_differs(path, statement, place):
    by_another_hand(path, "PRAGMA foreign_keys = OFF", statement)
    with JobFile.open(path) as file:
        assert f"entry {place}, " in file.changed or file.salvaged is not None
        assert file.read_only


def test_an_entry_put_in_by_another_program_breaks_the_chain(path):
    db = sqlite3.connect(path)
    (id,) = db.execute("SELECT max(id) + 1 FROM entries").fetchone()
    row = (id, 0, "matter", '{"text": "nothing"}', "2026-12-01T10:00:00+00:00", "Cy", None, None, 9000, None)
    db.execute("INSERT INTO entries VALUES (?, ?, ?, ?, ?, ?, ?, ?, ?, ?)", row)
    db.commit()
    db.close()
    with JobFile.open(path) as file:
        assert f"entry {id}, " in file.changed and "Cy" in file.changed


@pytest.mark.parametrize("name", ["job-0.1.keel", "job-0.3.keel", "job-0.7.keel"])
def test_the_first_entry_of_today_seals_all_that_an_older_version_wrote(tmp_path, name):
    path = Path(shutil.copy(OLD / name, tmp_path / name))
    with JobFile.open(path) as file:
        assert not file.changed
        file.record([Draft(0, "matter", {"text": "look again"})])
        sealed = max(file.journal.entries)
    with JobFile.open(path) as file:
        assert not file.changed
    by_another_hand(path, "UPDATE entries SET person = 'B. Alder' WHERE id = 3")
    with JobFile.open(path) as file:
        assert f"entry {sealed}, " in file.changed and "or what stood before it" in file.changed


def test_guards_that_are_gone_are_said_and_put_back_when_it_is_taken_over(path):
    db = sqlite3.connect(path)
    for name in GUARDS:
        db.execute(f"DROP TRIGGER {name}")
    db.execute("CREATE TRIGGER sly AFTER INSERT ON entries BEGIN DELETE FROM migrations; END")
    db.commit()
    db.close()
    with JobFile.open(path, "Ada") as file:
        assert "what guards its entries is gone (entries_are_never_changed" in file.changed
        assert "something was put in it (sly)" in file.changed
        assert file.read_only
        with pytest.raises(KeelError, match="say why it can be relied on"):
            file.take_over("  ")
        file.take_over("held against the paper book")
        assert not file.read_only and not file.changed
    with JobFile.open(path) as file:
        assert not file.changed and not file.read_only
        with pytest.raises(sqlite3.Error, match="never changed"):
            file._db.execute("UPDATE entries SET kind = 'x' WHERE id = 1")
        assert file._db.execute("SELECT count(*) FROM migrations").fetchone()[0] == 3


def test_a_changed_file_is_taken_over_with_a_reason_that_is_recorded(path):
    id, body = a_reading(path)
    said = body.replace("1.", "2.")
    by_another_hand(path, f"UPDATE entries SET body = '{said}' WHERE id = {id}")
    with JobFile.open(path, "Ada") as file:
        file.take_over("held against the paper book")
    with JobFile.open(path) as file:
        assert not file.changed and not file.read_only
        last = file.journal.entries[max(file.journal.entries)]
        assert (last.kind, last.person) == ("taken-over", "Ada")
        assert last.body == {"reason": "held against the paper book", "at": id}
        file.record([Draft(0, "matter", {"text": "look again"})])
    by_another_hand(path, f"UPDATE entries SET person = 'B. Alder' WHERE id = {id + 1}")
    with JobFile.open(path) as file:
        assert f"entry {id}, " in file.changed  # what was vouched for isn't what stands there now


def test_no_change_of_a_byte_passes_for_genuine(path, tmp_path):
    """120 bytes changed at random, one at a time: the entries are as they were, or it is said."""
    raw, rng, noticed = path.read_bytes(), np.random.default_rng(11), 0
    with JobFile.open(path) as file:
        true, sources = dict(file.journal.entries), file.sources()
    other = tmp_path / "other.keel"
    for _ in range(120):
        changed = bytearray(raw)
        at = int(rng.integers(100, len(raw)))
        changed[at] ^= int(rng.integers(1, 256))
        other.write_bytes(changed)
        try:
            with JobFile.open(other) as file:
                same = file.journal.entries == true and file.sources() == sources
                said = bool(file.changed or file.salvaged or file.unknown)
        except KeelError:
            same, said = False, True
        assert same or said, at
        noticed += not same
    assert noticed > 40
