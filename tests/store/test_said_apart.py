"""Damaged, changed by another hand, of a newer program, too large for this machine: four things that are said apart, and no slow machine is blamed on a file."""

from __future__ import annotations

import itertools
import sqlite3
import subprocess
import sys
from types import SimpleNamespace

import pytest

from tests.mill import mill
from tests.store.test_chain import by_another_hand
from vivid_keel.core.errors import KeelError
from vivid_keel.files import JobFile
from vivid_keel.store import door, reading
from vivid_keel.store.door import Patience

WORDS = {
    "damaged": "damaged",
    "changed": "nother hand",
    "newer": "newer",
    "large": "too large for the memory",
}


@pytest.fixture
def path(tmp_path):
    mill(tmp_path / "mill.keel").close()
    return tmp_path / "mill.keel"


def told(path):
    """What is said when it is opened."""
    try:
        with JobFile.open(path) as file:
            return file.why_read_only() if file.read_only else ""
    except KeelError as error:
        return error.message


def spoil(path, how, monkeypatch):
    if how == "damaged":
        raw = path.read_bytes()
        path.write_bytes(raw[: len(raw) // 2])
    elif how == "changed":
        by_another_hand(path, "UPDATE entries SET person = 'Eve' WHERE id = 9")
    elif how == "newer":
        with sqlite3.connect(path) as db:
            db.execute("PRAGMA user_version = 99")
        db.close()
    else:
        monkeypatch.setattr(reading, "Journal", lambda rows: (_ for _ in ()).throw(MemoryError))


@pytest.mark.parametrize("how", WORDS)
def test_each_is_said_in_its_own_words_and_in_none_of_the_others(path, how, monkeypatch):
    spoil(path, how, monkeypatch)
    said = told(path)
    assert [one for one, words in WORDS.items() if words in said] == [how], said


def test_however_slow_the_machine_a_good_file_opens(path, monkeypatch):
    clock = itertools.count(0, 1000)
    asked = []
    monkeypatch.setattr(door, "time", SimpleNamespace(monotonic=lambda: next(clock)))
    monkeypatch.setattr(Patience, "waits", staticmethod(lambda: not asked.append(1)))
    assert told(path) == "" and 1 <= len(asked) <= 2
    monkeypatch.setattr(Patience, "waits", staticmethod(lambda: False))
    said = told(path)
    assert "took long" in said and "nothing is wrong with it" in said
    assert not any(words in said for words in WORDS.values())


def test_our_own_files_take_a_tenth_of_the_work_that_is_allowed(path):
    with sqlite3.connect(path) as db:
        steps = []
        db.set_progress_handler(lambda: steps.append(1) and 0, 100)
        db.execute("PRAGMA quick_check(1)").fetchone()
        db.execute("SELECT * FROM entries ORDER BY id").fetchall()
    db.close()
    assert 100 * len(steps) < door.PER_BYTE * path.stat().st_size / 10


def test_rows_that_hold_more_than_the_file_does_are_stopped_by_the_work_they_make():
    with sqlite3.connect(":memory:") as db:
        db.execute("CREATE TABLE entries (body TEXT)")
        db.execute("INSERT INTO entries VALUES (?)", ("x" * 100_000,))
        with Patience(db, 100_000) as patience, pytest.raises(KeelError) as refused:
            for _ in patience.over(
                itertools.chain.from_iterable(iter(lambda: db.execute("SELECT * FROM entries"), 0))
            ):
                pass
    db.close()
    assert refused.value.code == "too-long" and "another hand" in refused.value.message


def test_a_question_that_never_ends_is_stopped_without_a_clock(monkeypatch):
    monkeypatch.setattr(door, "time", SimpleNamespace(monotonic=lambda: 0.0))
    monkeypatch.setattr(door, "_only_reads", lambda *_: sqlite3.SQLITE_OK)
    db = sqlite3.connect(":memory:")
    endless = "WITH RECURSIVE n(x) AS (SELECT 1 UNION ALL SELECT x + 1 FROM n) SELECT count(*) FROM n"
    with pytest.raises(KeelError) as refused, Patience(db, 4096):
        db.execute(endless).fetchone()
    db.close()
    assert refused.value.code == "too-long"


@pytest.mark.parametrize("which", ["all", "from the tenth"])
def test_a_chain_that_was_wiped_is_noticed(path, which):
    by_another_hand(path, f"UPDATE entries SET chain = NULL WHERE id > {0 if which == 'all' else 9}")
    with JobFile.open(path) as file:
        assert file.read_only and f"entry {1 if which == 'all' else 10}" in file.changed


def test_an_act_of_the_largest_number_there_is_is_refused(path):
    by_another_hand(path, f"UPDATE entries SET act = {2**63 - 1} WHERE id = 9")
    said = told(path)
    assert "damaged" in said and "entry 9" in said


BARE = """
import os, pwd, sys
def nobody(_): raise KeyError("no such user")
pwd.getpwuid = pwd.getpwnam = nobody
from vivid_keel.__main__ import main
sys.exit(main(sys.argv[1:]))
"""


@pytest.mark.parametrize("words", [["to-json"], ["moves"], ["archive"]])
def test_without_a_user_a_home_or_letters_it_works(path, words, tmp_path):
    env = {"PATH": "/usr/bin:/bin", "LC_ALL": "C", "PYTHONUTF8": "0", "PYTHONCOERCECLOCALE": "0"}
    strange = path.with_name("M\u00fchle \u2192.keel")
    path.rename(strange)
    done = subprocess.run(
        [sys.executable, "-c", BARE, *words, str(strange)], env=env, capture_output=True, cwd=tmp_path
    )
    assert done.returncode == 0, done.stderr.decode()[-800:]
    assert b"Traceback" not in done.stderr


def test_without_a_display_there_is_a_sentence():
    done = subprocess.run(
        [sys.executable, "-m", "vivid_keel", "app"], env={"PATH": "/usr/bin:/bin"}, capture_output=True
    )
    assert done.returncode == 1 and b"no display" in done.stderr and b"Traceback" not in done.stderr
