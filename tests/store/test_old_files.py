"""Files of earlier versions: they open with every reading as it was, and stay the same file."""

from __future__ import annotations

import fcntl
import json
import os
import shutil
import sqlite3
from pathlib import Path

import pytest

from tests.trades.conftest import wait
from tests.trades.supports.test_plan_holds import steps_said
from vivid_keel.core.errors import KeelError
from vivid_keel.core.record.entries import Draft
from vivid_keel.exchange.job_json import read_job
from vivid_keel.files import JobFile, KitFile
from vivid_keel.store import migrations as steps
from vivid_keel.store.migrations import MIGRATIONS, Migration
from vivid_keel.trades.registry import desk_for, job_kinds, kit_kinds

OLD = Path(__file__).parent / "old"
FILES = sorted(p.name for p in OLD.iterdir() if p.suffix != ".json")
TRY_OUT = (
    *MIGRATIONS,
    Migration(MIGRATIONS[-1].version + 1, "try-out", ("CREATE TABLE tried (x INTEGER) STRICT",)),
)
READING = {"text": "1.482", "unit": "m", "m": 1.482, "step_m": 0.001}


def opens(path, *args, **more):
    return (KitFile if path.suffix == ".keelkit" else JobFile).open(path, *args, **more)


def opens_kind(path):
    return kit_kinds() if path.suffix == ".keelkit" else job_kinds()


def version(path):
    db = sqlite3.connect(path)
    try:
        return db.execute("PRAGMA user_version").fetchone()[0]
    finally:
        db.close()


@pytest.fixture
def old(tmp_path):
    def one(name="job-0.3.keel"):
        return Path(shutil.copy(OLD / name, tmp_path / name))

    return one


def test_there_is_a_file_of_every_version():
    assert FILES == [
        "job-0.1.keel",
        "job-0.10.keel",
        "job-0.11.keel",
        "job-0.12.keel",
        "job-0.13.keel",
        "job-0.14.keel",
        "job-0.15.keel",
        "job-0.16.keel",
        "job-0.17.keel",
        "job-0.18.keel",
        "job-0.2.keel",
        "job-0.3.keel",
        "job-0.4.keel",
        "job-0.5.keel",
        "job-0.6.keel",
        "job-0.7.keel",
        "job-0.8.keel",
        "job-0.9.keel",
        "kit-0.10.keelkit",
        "kit-0.11.keelkit",
        "kit-0.12.keelkit",
        "kit-0.13.keelkit",
        "kit-0.14.keelkit",
        "kit-0.15.keelkit",
        "kit-0.16.keelkit",
        "kit-0.17.keelkit",
        "kit-0.18.keelkit",
        "kit-0.3.keelkit",
        "kit-0.4.keelkit",
        "kit-0.5.keelkit",
        "kit-0.6.keelkit",
        "kit-0.7.keelkit",
        "kit-0.8.keelkit",
        "kit-0.9.keelkit",
    ]
    assert [m.version for m in MIGRATIONS] == [
        1,
        2,
        3,
    ]  # a new step wants a file of the version before it under old/


@pytest.mark.parametrize("name", FILES)
def test_every_reading_is_as_it_was(old, name):
    path = old(name)
    before = path.read_bytes()
    told, _ = read_job(
        (OLD / name).with_suffix(".json").read_bytes(), opens_kind(path)
    )  # as the program of that time told it
    with opens(path) as file:
        assert list(file.journal.entries.values()) == told
        assert not file.read_only
        if version(OLD / name) == MIGRATIONS[-1].version:
            assert file.kept is None  # nothing had to be brought up
        else:
            assert file.kept is not None
            assert file.kept.read_bytes() == before
        file.record([Draft(0, "matter", {"text": "still writes"})])
    assert version(path) == MIGRATIONS[-1].version
    with opens(path) as again:
        assert list(again.journal.entries.values())[:-1] == told
        assert again.kept is None


def test_the_program_before_refuses_it(old):
    path = old()
    opens(path).close()
    with pytest.raises(KeelError, match="newer version of this program"):
        JobFile.open(path, migrations=MIGRATIONS[:1])


def test_a_link_stays_a_link_and_its_target_is_brought_up(old, tmp_path):
    path = old()
    (tmp_path / "desk").mkdir()
    soft, hard = tmp_path / "desk" / "mill.keel", tmp_path / "hard.keel"
    soft.symlink_to(path)
    os.link(path, hard)
    number = path.stat().st_ino
    with JobFile.open(soft) as file:
        assert file.kept is not None
        assert file.kept.parent == path.parent
        with JobFile.open(path) as second:
            assert second.read_only  # one writer, by whatever name
    assert soft.is_symlink()
    assert path.stat().st_ino == hard.stat().st_ino == number
    assert version(path) == MIGRATIONS[-1].version


@pytest.mark.parametrize("mode", [0o640, 0o600, 0o664])
def test_mode_and_owner_are_kept(old, mode):
    path = old()
    path.chmod(mode)
    if os.geteuid() == 0:
        os.chown(path, 1, 2)
    before = path.stat()
    with JobFile.open(path) as file:
        assert file.kept is not None
        for at in (path, file.kept):
            now = at.stat()
            assert (now.st_mode, now.st_uid, now.st_gid) == (before.st_mode, before.st_uid, before.st_gid)


def test_an_older_file_that_is_open_elsewhere_opens_for_reading(old):
    path = old()
    beside = path.with_name(f".{path.name}.keel-lock")  # all that the program of that time held
    with open(beside, "w") as held:
        held.write("Ada (process 77)")
        held.flush()
        fcntl.flock(held, fcntl.LOCK_EX)
        with JobFile.open(path, "Ben") as second:
            assert second.read_only
            assert "Ada" in second.why_read_only()
            told, _ = read_job((OLD / path.name).with_suffix(".json").read_bytes(), job_kinds())
            assert list(second.journal.entries.values()) == told
    assert version(path) == 1


def test_an_older_file_without_room_for_a_copy_opens_for_reading(old, monkeypatch):
    path = old()
    before = path.read_bytes()

    def full(*_):
        raise OSError(28, "No space left on device")

    monkeypatch.setattr(steps, "_keep", full)
    with JobFile.open(path) as file:
        assert file.read_only
        assert "older version" in file.why_read_only()
        assert len(file.journal.entries) == 132
        with pytest.raises(KeelError, match="reading only"):
            file.undo()
    assert path.read_bytes() == before


def test_an_older_file_that_may_not_be_written_opens_for_reading(old, monkeypatch):
    path = old()
    before = path.read_bytes()
    monkeypatch.setattr(os, "access", lambda *_: False)
    with JobFile.open(path) as file:
        assert file.read_only
        assert "can't be written here" in file.why_read_only()
        assert len(file.journal.entries) == 132
    assert path.read_bytes() == before


def test_a_failing_migration_leaves_the_file_alone(old):
    path = old()
    before = path.read_bytes()
    bad = Migration(
        TRY_OUT[-1].version + 1, "bad", ("CREATE TABLE half (x INTEGER)", "CREATE TABLE nonsense nonsense")
    )
    with pytest.raises(KeelError, match="stays as it was"):
        JobFile.open(path, migrations=(*TRY_OUT, bad))
    assert path.read_bytes() == before
    assert [p.name for p in path.parent.iterdir() if p.name.startswith("job")] == [path.name]


def test_a_file_kept_once_is_not_kept_again_and_never_overwritten(old):
    path = old()
    taken = path.with_name(f"{path.name}.version-1")
    taken.write_text("somebody's own")
    with JobFile.open(path) as file:
        assert file.kept is not None
        assert file.kept.name == f"{path.name}.version-1 2"
    assert taken.read_text() == "somebody's own"


def test_a_damaged_older_file_gives_what_it_can(old):
    path = old()
    raw = bytearray(path.read_bytes())
    raw[5 * 4096 : 6 * 4096] = os.urandom(4096)
    path.write_bytes(raw)
    with JobFile.open(path) as file:
        assert file.salvaged is not None
        assert 20 < file.salvaged.read < 132
    assert path.read_bytes() == bytes(raw)


def test_the_json_beside_them_is_what_was_told_then():
    for name in FILES:
        told = json.loads((OLD / name).with_suffix(".json").read_text())
        assert told["format"] == "vivid-keel-job"
        assert len(told["entries"]) > 60


def test_the_first_booked_round_of_an_older_job_fixes_its_keeper_and_counts_as_planned(old):
    from vivid_keel.trades.registry import desk_for

    with opens(old("job-0.4.keel")) as file:
        work = next(w.id for w in file.journal.works() if w.body["type"] == "supports")
        desk = desk_for(file, work)
        book, result = desk.book, desk.result
        assert len(book.passes) == 1 and book.keeper is None and not book.booked
        assert result.aim.fixed and book.points[result.aim.keeper].name == "U2"
        assert sum(book.passes[0].put.values()) > 0.05  # the packing that the round's entry holds
        assert len(book.occasions) == 1  # nothing is guessed from dates: all of it is the first visit


def test_a_round_that_0_5_began_stands_with_what_was_booked_in_it(old):
    """Booked before there were stages: all of it is done there, and nothing of it is asked for again."""
    with JobFile.open(old("job-0.5.keel")) as file:
        work = next(w.id for w in file.journal.works() if w.body["type"] == "supports")
        result = desk_for(file, work).result
        booked = {result.book.points[i].name: result.booked(i) for i in result.to_move if result.booked(i)}
        assert {name: put.text for name, put in booked.items()} == {"D4": "6 + 3 + 0.8 + 0.2", "U5": "6 + 3"}
        assert all(put.whole and not put.for_now for put in booked.values())
        assert not {step.place for steps in result.walk.values() for step in steps} & {
            i for i in result.to_move if result.booked(i)
        }


def test_a_round_begun_in_an_older_file_has_the_plan_from_before_its_first_booking(old):
    """0.17 issued no plan: three posts were booked as it planned them, and booking on changes no other line."""
    with opens(old("job-0.17.keel")) as file:
        work = next(w.id for w in file.journal.works() if w.body["type"] == "supports")
        assert len(file.journal.standing(work, "put")) == 3 and not file.journal.standing(work, "plan")
        desk = desk_for(file, work)
        wait(desk)
        booked = {p.id: desk.book.booked[p.id].text for p in desk.book.points if p.id in desk.book.booked}
        before = steps_said(desk)
        first = desk.result.walk[desk.result.stage_in_hand][0]
        name = (desk.book.points[first.place].name, first.stage)
        desk.record(*desk.books(first.place))
        assert steps_said(desk) == {line: said for line, said in before.items() if line != name}
        assert file.journal.standing(work, "plan")  # from here on it stands by itself
        assert all(desk.book.booked[id].text == text for id, text in booked.items())


def test_a_plan_printed_in_0_18_stands_and_its_task_packs_as_it_did(old):
    """A new task packs what fits; one that was begun before that goes on as reckoned, line for line."""
    with opens(old("job-0.18.keel")) as file:
        work = next(w.id for w in file.journal.works() if w.body["type"] == "supports")
        (plan,) = file.journal.standing(work, "plan")
        desk = desk_for(file, work)
        wait(desk)
        assert not desk.book.limits.fits and desk.book.limits.beam == ""
        assert desk.result.is_issued and not desk.result.since_printed
        lines = {(line["point"], line["stage"]) for line in plan.body["lines"]}
        left = {
            (desk.book.points[step.place].id, step.stage)
            for steps in desk.result.walk.values()
            for step in steps
        }
        assert left < lines and len(left) == len(lines) - 1
