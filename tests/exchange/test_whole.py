"""A file that is written is whole and on the disk, or isn't there: full disks, limits, kills; and what a killed process left goes."""

from __future__ import annotations

import contextlib
import fcntl
import os
import resource
import subprocess
import sys
import zlib
from types import SimpleNamespace

import pytest

from tests.mill import mill
from tests.trades.conftest import wait
from vivid_keel.archive.writing import write_archive
from vivid_keel.core.errors import KeelError
from vivid_keel.core.record import bulk
from vivid_keel.exchange.report_pdf import write_pdf
from vivid_keel.trades.registry import LISTED, desk_for
from vivid_keel.ui.errands import Errands
from vivid_keel.whole import NEW, PART, clear_leftovers, whole, write_whole


@contextlib.contextmanager
def no_file_over(size):
    """No file of this process grows beyond so many bytes: as on a full disk, each write fails."""
    before = resource.getrlimit(resource.RLIMIT_FSIZE)
    resource.setrlimit(resource.RLIMIT_FSIZE, (size, before[1]))
    try:
        yield
    finally:
        resource.setrlimit(resource.RLIMIT_FSIZE, before)


@pytest.mark.parametrize("trade", [one.key for one in LISTED])
def test_no_writer_leaves_half_a_file_or_says_that_it_wrote_one(tmp_path, qtbot, trade):
    """A PDF of no bytes was called “Written”."""
    with mill(tmp_path / "mill.keel") as job:
        work = next(w.id for w in job.journal.works() if w.body["type"] == trade)
        desk = desk_for(job, work)
        wait(desk)
        said: list[str] = []
        window = SimpleNamespace(file=job, say=said.append)
        errands = Errands.__new__(Errands)
        errands.window = window
        before = sorted(os.listdir(tmp_path))
        for writer in desk.face.writers:
            pages = None if writer.pages is None else writer.pages(desk)
            for write in (
                writer.write,
                None if pages is None else lambda _, path, pages=pages: write_pdf(pages(), path, "x"),
            ):
                if write is None:
                    continue
                with no_file_over(60):
                    errands.write_file(f"x{writer.name}", lambda path, write=write: write(desk, path))
                assert f"x{writer.name} can't be written: " in said[-1], (writer.key, said[-1])
                assert sorted(os.listdir(tmp_path)) == before
        report = desk.report()
        with no_file_over(60):
            errands.write_file("x.pdf", lambda path: write_pdf(report(), path, "x"))
        assert "can't be written" in said[-1]
        assert sorted(os.listdir(tmp_path)) == before


def test_an_archive_that_the_disk_cuts_short_is_none(tmp_path):
    """Its reports were cut, and had checksums of their own."""
    with mill(tmp_path / "mill.keel") as job:
        for size in (4_000, 40_000):
            with no_file_over(size), pytest.raises(KeelError) as caught:
                write_archive(job, tmp_path / "kept")
            assert caught.value.code == "not-written"
            assert not [name for name in os.listdir(tmp_path) if "kept" in name]


def test_a_file_that_was_there_stays_where_the_new_one_fails(tmp_path):
    path = tmp_path / "x.csv"
    path.write_bytes(b"as it was")
    with no_file_over(100), pytest.raises(KeelError, match="can't be written"):
        write_whole(path, b"x" * 200)
    assert path.read_bytes() == b"as it was" and os.listdir(tmp_path) == ["x.csv"]


def test_a_kill_while_it_is_written_leaves_no_file_of_that_name_and_the_rest_goes_at_the_next_start(tmp_path):
    words = (
        "import os, signal, sys; from pathlib import Path; from vivid_keel.whole import whole\n"
        "with whole(Path(sys.argv[1]) / 'x.csv') as aside:\n"
        "    aside.write_text('half')\n"
        "    os.kill(os.getpid(), signal.SIGKILL)\n"
    )
    subprocess.run([sys.executable, "-c", words, str(tmp_path)], check=False)
    assert os.listdir(tmp_path) == [f".x.csv{PART}"]
    assert clear_leftovers(tmp_path) == [f".x.csv{PART}"]
    assert os.listdir(tmp_path) == []


def test_what_another_is_writing_and_what_is_not_ours_stays(tmp_path):
    (tmp_path / ".other.part").write_text("not ours")
    (tmp_path / f".job.keel{NEW}").write_text("")
    with (tmp_path / f".job.keel{NEW}").open() as held, whole(tmp_path / "x.csv") as aside:
        fcntl.flock(held, fcntl.LOCK_EX)
        aside.write_text("x")
        assert clear_leftovers(tmp_path) == []
    assert sorted(os.listdir(tmp_path)) == [f".job.keel{NEW}", ".other.part", "x.csv"]
    assert clear_leftovers(tmp_path) == [f".job.keel{NEW}"]


def test_a_pipe_or_a_device_is_refused_at_every_read_and_waited_for_at_none(tmp_path, capsys):
    from vivid_keel.cli import main

    pipe = tmp_path / "pipe.csv"
    os.mkfifo(pipe)
    kept = tmp_path / "kept"
    kept.mkdir()
    os.mkfifo(kept / "SHA256SUMS")
    os.mkfifo(kept / "entries.jsonl")
    job = str(tmp_path / "new.keel")
    for words in (
        ["reduce", str(pipe)],
        ["solve", str(pipe)],
        ["reduce", "/dev/zero"],
        ["from-json", str(pipe), job],
        ["verify-archive", str(kept)],
        ["from-archive", str(kept), job, "--even-so"],
    ):
        assert main(words) != 0, words
        assert capsys.readouterr().err, words
    assert not os.path.exists(job)


def test_what_unpacks_to_more_than_a_file_may_hold_is_refused_before_it_fills_the_memory(monkeypatch):
    """1.5 MB that unpack to 1.5 GB took 3 GB of memory."""
    monkeypatch.setattr(bulk, "MOST", 1000)
    assert bulk.unpacked(zlib.compress(b"x" * 1000)) == b"x" * 1000
    for bad in (zlib.compress(b"x" * 1001), zlib.compress(b"x" * 900)[:-3], b"no such thing"):
        with pytest.raises(zlib.error):
            bulk.unpacked(bad)


def test_two_that_write_the_same_file_at_once_spoil_nothing(tmp_path):
    path = tmp_path / "x.csv"
    with whole(path) as aside:
        aside.write_text("the first")
        with pytest.raises(KeelError, match="can't be written"):
            write_whole(path, b"the second")
    assert path.read_text() == "the first"
