"""What another hand changed, and what was lost, goes along every way out of a file; only a person who says why takes the mark away."""

from __future__ import annotations

import json
import shutil
import sqlite3

import pytest

from tests.mill import mill
from tests.store.test_chain import a_reading, by_another_hand
from vivid_keel.cli import main as command
from vivid_keel.files import JobFile
from vivid_keel.trades.registry import desk_for


def tampered(path):
    """A reading in it is changed."""
    id, body = a_reading(path)
    by_another_hand(path, f"UPDATE entries SET body = '{body.replace('1', '2', 1)}' WHERE id = {id}")
    return f"entry {id}"


def torn(path):
    """The last page that is full of entries is gone."""
    raw = path.read_bytes()
    db = sqlite3.connect(path)
    page = db.execute("PRAGMA page_size").fetchone()[0]
    db.close()
    at = raw.rindex(b"from_m", 0, len(raw) * 2 // 3) // page * page
    path.write_bytes(raw[:at] + b"\0" * page + raw[at + page :])
    return "This file is damaged"


def flipped(path):
    """A byte in the middle of the largest file that was brought in."""
    db = sqlite3.connect(path)
    entry, packed = db.execute(
        "SELECT entry, packed FROM blobs ORDER BY length(packed) DESC LIMIT 1"
    ).fetchone()
    db.close()
    raw = path.read_bytes()
    for length in (len(packed), 200, 60):  # a long one is spread over pages
        at = raw.find(packed[len(packed) // 2 : len(packed) // 2 + 40][:length])
        if at >= 0:
            break
    assert at >= 0
    path.write_bytes(raw[:at] + bytes([raw[at] ^ 4]) + raw[at + 1 :])
    return f"entry {entry} is damaged"


@pytest.fixture(params=[tampered, torn, flipped])
def spoiled(request, tmp_path):
    mill(tmp_path / "mill.keel").close()
    said = request.param(tmp_path / "mill.keel")
    with JobFile.open(tmp_path / "mill.keel") as file:
        file.sources()
        assert said in file.mark
    return tmp_path / "mill.keel", said


def test_it_goes_along_through_json_and_is_lifted_by_a_reason_alone(spoiled, tmp_path, capsys):
    path, said = spoiled
    assert command(["to-json", str(path)]) == 1
    out, err = capsys.readouterr()
    assert err.startswith("warning: ") and said in err
    (tmp_path / "mill.json").write_text(out)
    assert said in json.loads(out)["entries"][-1]["body"]["said"]
    back = tmp_path / "back.keel"
    assert command(["from-json", str(tmp_path / "mill.json"), str(back)]) == 1
    assert said in capsys.readouterr().err
    with JobFile.open(back) as file:
        assert file.read_only and said in file.changed and said in file.why_read_only()
        assert said in desk_for(file, file.journal.works()[0].id).heading().mark
    again = tmp_path / "again.keel"
    reason = "read against the field book"
    told = command(["from-json", str(tmp_path / "mill.json"), str(again), "--because", reason])
    assert told == 0
    with JobFile.open(again) as file:
        assert not file.read_only and not file.changed
        assert list(file.journal.entries.values())[-1].body["reason"] == reason


def test_it_goes_along_through_an_archive_which_says_so_at_every_step(spoiled, tmp_path, capsys):
    path, said = spoiled
    folder = tmp_path / "mill.archive"
    assert command(["archive", str(path), str(folder)]) == 1
    assert said in capsys.readouterr().err
    assert said in (folder / "README.txt").read_text()
    assert command(["verify-archive", str(folder)]) == 1
    assert said in capsys.readouterr().out
    assert command(["from-archive", str(folder), str(tmp_path / "back.keel")]) == 1
    assert said in capsys.readouterr().err
    with JobFile.open(tmp_path / "back.keel") as file:
        assert file.read_only and said in file.changed
        file.take_over("read against the field book")
        assert not file.read_only
    with JobFile.open(tmp_path / "back.keel") as file:
        assert not file.read_only and not file.changed


def test_the_mark_stays_the_same_from_copy_to_copy(spoiled, tmp_path):
    path, _ = spoiled
    said = set()
    for n in range(3):
        with JobFile.open(path) as file:
            entries, sources = file.to_write()
            said.add(file.mark)
        path = tmp_path / f"{n}.keel"
        JobFile.create_from(path, entries, sources=sources).close()
        assert sum(entry.kind == "not-as-written" for entry in entries) == 1
    assert len(said) <= 2  # what a torn file says of itself, and what its copies say


def test_what_is_whole_carries_no_mark(tmp_path, capsys):
    with mill(tmp_path / "mill.keel") as file:
        whole = list(file.journal.entries.values())
        assert file.to_write("nobody asked") == (whole, file.sources())
    assert command(["to-json", str(tmp_path / "mill.keel")]) == 0
    assert capsys.readouterr().err == ""


def test_a_mark_is_never_undone(spoiled, tmp_path):
    with JobFile.open(spoiled[0]) as file:
        entries, sources = file.to_write("read against the field book")
    JobFile.create_from(tmp_path / "back.keel", entries, sources=sources).close()
    with JobFile.open(tmp_path / "back.keel") as file:
        act = file.journal.next_undo()
        assert act is not None and file.journal.act_entries(act)[0].kind not in {
            "not-as-written",
            "taken-over",
        }


def test_a_damaged_file_within_a_job_spoils_its_own_task_alone(tmp_path):
    with mill(tmp_path / "mill.keel") as file:
        before = {work.id: desk_for(file, work.id).state() for work in file.journal.works()}
    shutil.copy(tmp_path / "mill.keel", tmp_path / "other.keel")
    flipped(tmp_path / "other.keel")
    with JobFile.open(tmp_path / "other.keel") as file:
        assert not file.read_only
        after = {work.id: desk_for(file, work.id) for work in file.journal.works()}
        lost = [id for id, desk in after.items() if desk.state() != before[id]]
        assert len(lost) == 1
        desk = after[lost[0]]
        assert desk.state() == ("open", "a file in it is damaged")
        assert any(f.title.startswith("Damaged: ") for f in desk.findings(desk.stage_names[-1]))
        assert desk.report()()
