"""The program as a person has it: a real window under Xvfb, with a window manager, by keyboard alone."""

from __future__ import annotations

import os
import shutil
import sqlite3
import subprocess
import sys
import time

import pytest

from vivid_keel.core.works.run import fold_run, work_out_run
from vivid_keel.core.works.supports import fold_supports, work_out_supports
from vivid_keel.store import JobFile

pytestmark = pytest.mark.window

RUN = [("BM gatepost", "1.482"), ("Yard drain", "1.936"), ("Store sill", "0.873"), ("CP 1", "2.214"),
       ("CP 1", "1.127"), ("Pit sill N", "2.602"), ("Pit sill S", "2.611"), ("BM gatepost", "0.397")]  # fmt: skip
FOUND = [
    "1.2598",
    "1.2640",
    "1.2572",
    "1.2526",
    "1.2549",
    "1.2585",
    "1.2635",
    "1.2602",
    "1.2637",
    "1.2540",
    "1.2556",
    "1.2617",
]
LEFT = [
    "1.2639",
    "1.2640",
    "1.2638",
    "1.2637",
    "1.2639",
    "1.2641",
    "1.2635",
    "1.2640",
    "1.2637",
    "1.2639",
    "1.2638",
    "1.2640",
]
LEAVES = [("6 mm", "5"), ("3 mm", "6"), ("1.5 mm", "6"), ("0.8 mm", "8"), ("0.4 mm", "8"), ("0.2 mm", "6")]


class Screen:
    """A screen of its own with the program on it."""

    def __init__(self, home):
        self.home = home
        read, write = os.pipe()
        self.server = subprocess.Popen(
            ["Xvfb", "-displayfd", str(write), "-screen", "0", "1280x800x24", "-nolisten", "tcp"], pass_fds=[write],
            stderr=subprocess.DEVNULL,
        )  # fmt: skip
        os.close(write)
        with os.fdopen(read) as pipe:
            display = f":{pipe.readline().strip()}"
        self.env = {**os.environ, "DISPLAY": display, "HOME": str(home), "QT_QPA_PLATFORM": "xcb"}
        self.manager = subprocess.Popen(["openbox"], env=self.env, stderr=subprocess.DEVNULL)
        time.sleep(0.5)
        self.errors = open(home / "stderr.txt", "w+")  # noqa: SIM115 - closed with the screen
        self.program = subprocess.Popen(
            [sys.executable, "-m", "vivid_keel", "app"], env=self.env, stderr=self.errors, cwd=home
        )
        found = self.tool("search", "--sync", "--onlyvisible", "--name", "Vivid Keel")
        self.tool("windowactivate", "--sync", found.split()[-1])
        time.sleep(0.6)

    def tool(self, *words):
        return subprocess.run(
            ["xdotool", *words], env=self.env, check=True, capture_output=True, text=True, timeout=30
        ).stdout

    def key(self, *names):
        self.tool("key", "--delay", "25", *names)
        time.sleep(0.12)

    def line(self, text):
        if text:
            self.tool("type", "--delay", "12", text)
        self.key("Return")

    def close(self):
        for process in (self.program, self.manager, self.server):
            process.terminate()
            process.wait(10)
        self.errors.close()


@pytest.fixture
def screen(tmp_path):
    missing = [t for t in ("Xvfb", "openbox", "xdotool") if shutil.which(t) is None]
    assert not missing, f"./run test installs {missing}"
    made = Screen(tmp_path)
    yield made
    made.close()


def wait_for(path, count):
    """Wait until the job file holds so many entries."""
    until = time.monotonic() + 15
    n = 0
    while time.monotonic() < until:
        if path.exists():
            db = sqlite3.connect(f"file:{path}?mode=ro", uri=True)
            try:
                (n,) = db.execute("SELECT count(*) FROM entries").fetchone()
            except sqlite3.OperationalError:
                n = 0
            finally:
                db.close()
            if n >= count:
                return
        time.sleep(0.05)
    raise AssertionError(f"{n} entries after 15 s, wanted {count}")


def test_the_whole_job_by_keyboard_alone(screen, tmp_path):
    job = tmp_path / "Osier Mill.keel"
    screen.key("ctrl+n")
    screen.line("Osier Mill")
    wait_for(job, 1)
    screen.line("Gatepost to weir")
    screen.key("Return")
    wait_for(job, 2)
    for text in ("BM gatepost", "42.318", "", "site datum"):
        screen.line(text)
    wait_for(job, 3)
    screen.key("alt+Return")
    entries, last = 3, ""
    for mark, reading in RUN:
        if mark not in ("", last) and not (mark == "BM gatepost" and not last):
            screen.line(mark)
        screen.line(reading)
        entries += 2 if mark == last else 1  # the backsight of a change point brings its set-up along
        wait_for(job, entries)
        last = mark
    screen.key("ctrl+shift+n")
    screen.line("Mill floor posts")
    screen.key("Tab")
    screen.key("Return")
    entries += 1
    wait_for(job, entries)
    for text in ("Upstream, Downstream", "6", "2.4", "3.1", "h", ""):
        screen.line(text)
    entries += 13
    wait_for(job, entries)
    screen.key("alt+Return")
    for text in FOUND:
        screen.line(text)
    entries += 12
    wait_for(job, entries)
    screen.key("alt+1", "Down", "Return")
    wait_for(job, entries := entries + 1)
    screen.key("alt+5", "Return")
    wait_for(job, entries := entries + 1)
    screen.key("ctrl+Tab")
    for leaf, count in LEAVES:
        screen.line(leaf)
        screen.line(count)
    wait_for(job, entries := entries + 6)
    screen.key("alt+6")
    screen.key("alt+Return", "space")
    wait_for(job, entries := entries + 1)
    screen.key("alt+7")
    for text in LEFT:
        screen.line(text)
    wait_for(job, entries := entries + 12)
    screen.key("alt+8", "ctrl+p")
    pdf = tmp_path / "Mill floor posts, report.pdf"
    until = time.monotonic() + 15
    while not pdf.exists() and time.monotonic() < until:
        time.sleep(0.1)
    assert pdf.read_bytes().startswith(b"%PDF")
    with JobFile.open(job) as file:
        assert file.read_only  # the window still has it
        run = work_out_run(fold_run(file.journal, 2))
        assert [(file.journal.entries[r.id].body["mark"], r.text) for r in run.book.rows] == RUN
        assert run.layout.setups == 2
        assert run.closure.misclosure == pytest.approx(1.482 - 2.214 + 1.127 - 0.397)
        assert run.closure.accepted
        heights = run.reduction.observed()
        assert heights["Pit sill N"] == pytest.approx(42.318 + 1.482 - 2.214 + 1.127 - 2.602)
        supports = work_out_supports(fold_supports(file.journal, file.journal.works()[1].id))
        assert [p.found.text for p in supports.book.points] == FOUND
        assert [p.left.text for p in supports.book.points] == LEFT
        assert supports.moves.max() == pytest.approx(0.0114)
        assert supports.left_verdicts == ["in"] * 12
    screen.errors.seek(0)
    assert screen.errors.read() == ""
