"""Leaving while something is still being written; and that no program of the folder one stands in is run."""

from __future__ import annotations

import os
import subprocess
import sys
from pathlib import Path

import pytest

from vivid_keel.core.record.entries import Draft
from vivid_keel.files import JobFile

ROOT = Path(__file__).parents[2]
PLANTED = "import pathlib; pathlib.Path(__file__).with_name('was-run').touch()\n"


@pytest.fixture
def archiving(window, tmp_path, monkeypatch):
    """A window that has just begun to write the archive of its job, in a folder where a module lies in wait."""
    for name in ("platformdirs", "json", "vivid_keel"):
        (tmp_path / f"{name}.py").write_text(PLANTED)
    monkeypatch.chdir(tmp_path)
    job = JobFile.create(tmp_path / "mill.keel", "Osier Mill", "Ada")
    job.record([Draft(0, "work", {"name": "Yard", "type": "run", "unit": "m"})])
    window.take(job)
    window.errands.write_archive()
    return window


def kept(folder):
    return [name for name in os.listdir(folder) if "archive" in name or name.startswith(".")]


def test_a_window_closed_while_an_archive_is_written_stays_till_it_is(archiving, qtbot, tmp_path):
    """It was lost without a word."""
    archiving.close()
    assert archiving.isVisible()
    assert "closes when it is done" in archiving.notice.text()
    qtbot.waitUntil(lambda: not archiving.isVisible(), timeout=60_000)
    (folder,) = kept(tmp_path)
    assert (tmp_path / folder / "SHA256SUMS").exists()
    assert not (tmp_path / "was-run").exists()  # what the folder holds isn't the program's


def test_closed_twice_it_is_stopped_and_nothing_of_it_is_kept(archiving, qtbot, tmp_path):
    archiving.close()
    archiving.close()
    assert not archiving.isVisible()
    assert kept(tmp_path) == []


def test_the_launcher_runs_nothing_of_the_folder_one_stands_in(tmp_path):
    for name in ("platformdirs", "msgspec", "vivid_keel"):
        (tmp_path / f"{name}.py").write_text(PLANTED)
    done = subprocess.run(
        [ROOT / "run", "--version"], cwd=tmp_path, capture_output=True, text=True, check=False
    )
    assert done.returncode == 0, done.stderr
    assert not (tmp_path / "was-run").exists()


def test_every_start_of_the_program_leaves_that_folder_out():
    """`-P`: a law over all that start it by its name."""
    lines = [
        line
        for path in (ROOT / "run", ROOT / "packaging/build-deb", *(ROOT / "src").rglob("*.py"))
        for line in path.read_text().splitlines()
        if "-m vivid_keel" in line or '"-m", "vivid_keel"' in line
    ]
    assert len(lines) >= 5
    assert all("-P -m" in line or '"-P", "-m"' in line for line in lines)


def test_a_window_that_cant_be_opened_says_so_on_the_terminal_and_in_a_plain_window(
    monkeypatch, qapp, capsys
):
    from PyQt6.QtWidgets import QMessageBox

    from vivid_keel.ui import app

    shown = []
    monkeypatch.setattr(QMessageBox, "exec", lambda box: shown.append(box.text()))

    def fails(command, words):
        raise RuntimeError("no fonts")

    monkeypatch.setattr(app, "open_window", fails)
    assert app.run("app", ["mill.keel"]) == 1
    assert "could not be opened: no fonts" in capsys.readouterr().err
    assert shown and "No file was changed" in shown[0]


FAULT = """
import sys
from vivid_keel.ui import app, window
def fails(self, path): raise RuntimeError("a fault")
window.Window.open_path = fails
_, shown = app.open_window("app", ["mill.keel"])
print(shown.isVisible(), shown.job_state.text(), shown.notice.text())
"""


def test_a_job_whose_opening_fails_by_a_fault_of_ours_leaves_a_window_that_says_so(tmp_path):
    env = {**os.environ, "XDG_STATE_HOME": str(tmp_path), "XDG_DATA_HOME": str(tmp_path)}
    done = subprocess.run([sys.executable, "-P", "-c", FAULT], capture_output=True, text=True, env=env)
    assert done.stdout.startswith("True ") and "by a fault of this program" in done.stdout, done.stderr
