"""The program as a person has it: a real window under Xvfb, with a window manager, by keyboard alone."""

from __future__ import annotations

import os
import shutil
import sqlite3
import subprocess
import sys
import time

import pytest

from vivid_keel.core.instruments.tool import fold_kit
from vivid_keel.files import JobFile, KitFile
from vivid_keel.places import kit_path
from vivid_keel.trades.run.book import fold_run
from vivid_keel.trades.run.result import work_out_run
from vivid_keel.trades.supports.fold import fold_supports
from vivid_keel.trades.supports.measure import work_out_supports

pytestmark = pytest.mark.window

RUN = [
    ("BM gatepost", "1.482"),
    ("Yard drain", "1.936"),
    ("Store sill", "0.873"),
    ("CP 1", "2.214"),
    ("CP 1", "1.127"),
    ("Pit sill N", "2.602"),
    ("Pit sill S", "2.611"),
    ("BM gatepost", "0.397"),
]
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
    """A screen of its own with the program on it.

    Keys don't repeat there: on a busy machine one held a moment too long would count twice.
    """

    def __init__(self, home):
        self.home = home
        read, write = os.pipe()
        self.server = subprocess.Popen(
            ["Xvfb", "-displayfd", str(write), "-screen", "0", "1280x800x24", "-nolisten", "tcp", "-r"],
            pass_fds=[write],
            stderr=subprocess.DEVNULL,
        )
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
        self.tool("key", "--delay", "10", *names)
        time.sleep(0.02)

    def line(self, text):
        if text:
            # What wants Shift is pressed as a hand does it: quicker it is lost now and then on the way to the program.
            held = any(each.isupper() or each in "!'" for each in text)
            self.tool("type", "--delay", "25" if held else "5", text)
        self.key("Return")

    def lines(self, *texts):
        """Type each text and Enter, all in one go."""
        words = ["type", "--delay", "5", "--args", "1", "", "key", "--delay", "5", "Return"]
        self.tool(*(word for text in texts for word in [*words[:5], text, *words[6:]]))

    def close(self):
        for process in (self.program, self.manager, self.server):
            process.terminate()
            process.wait(30)
        self.errors.close()


@pytest.fixture
def screen(tmp_path):
    missing = [t for t in ("Xvfb", "openbox", "xdotool") if shutil.which(t) is None]
    assert not missing, f"./run test installs {missing}"
    made = Screen(tmp_path)
    yield made
    made.close()


def count(path, seconds, wanted=10**9):
    """Return how many entries the job file holds, once it is so many or the time is up."""
    until = time.monotonic() + seconds
    n = 0
    while time.monotonic() < until and n < wanted:
        if path.exists():
            db = sqlite3.connect(f"file:{path}?mode=ro", uri=True)
            try:
                (n,) = db.execute("SELECT count(*) FROM entries").fetchone()
            except sqlite3.OperationalError:
                n = 0
            finally:
                db.close()
        time.sleep(0.02)
    return n


def wait_for(path, wanted):
    """Wait until the job file holds so many entries."""
    n = count(path, 25, wanted)
    assert n >= wanted, f"{n} entries after 25 s, wanted {wanted}"


def test_the_whole_job_by_keyboard_alone(screen, tmp_path):
    job = tmp_path / "Osier Mill.keel"
    # The whole window is on a small screen, under its title.
    at = dict(
        line.split("=") for line in screen.tool("getactivewindow", "getwindowgeometry", "--shell").split()
    )
    assert 700 < int(at["HEIGHT"]) <= 780
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
    entries += 2  # what fits goes in: a new task begins with that
    wait_for(job, entries)
    for text in ("Upstream, Downstream", "6", "2.4", "3.1", "h", "", ""):
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
    screen.key("alt+8", "ctrl+shift+p")
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


def test_keys_reach_the_program_while_a_cell_is_open(screen, tmp_path):
    """Under X a text field keeps some keys for itself; none of ours may be among them."""
    job = tmp_path / "Keys.keel"
    screen.key("ctrl+n")
    screen.line("Keys")
    wait_for(job, 1)
    time.sleep(0.5)
    screen.line("Run")
    screen.key("Return")
    wait_for(job, 2)
    for text in ("BM", "50", "", "datum"):
        screen.line(text)
    wait_for(job, 3)
    screen.key("alt+Return")
    screen.line("1.5")
    wait_for(job, 4)
    screen.key("F3")  # a cell is open; what happened is asked all the same
    screen.line("k by the barrow")
    wait_for(job, 5)
    screen.key("F8", "Up", "Return")  # the proposed mark's backsight, slid on the staff
    wait_for(job, 6)
    screen.key("F8", "F11")
    screen.tool("type", "--delay", "30", "1.234")
    screen.key("Escape")
    screen.key("ctrl+d", "Return")
    screen.key("ctrl+z")
    screen.tool(
        "type", "--delay", "30", "1.4"
    )  # a cell is open and half typed: the kit is reached all the same
    screen.key("alt+k")
    kit = kit_path()
    wait_for(kit, 1)
    screen.key("Down", "Return")  # a precision level
    wait_for(kit, 2)
    screen.key("alt+2", "Return")  # its first check
    wait_for(kit, 3)
    for text in ("1.6!", "0.4!"):
        screen.line(text)
    wait_for(kit, 5)
    screen.key("alt+4", "Return")
    wait_for(kit, 6)
    with KitFile.open(kit) as file:
        (tool,) = fold_kit(file.journal)
        assert [c.decided for c in tool.checks] == ["settle"]
    screen.key("alt+k")
    with JobFile.open(job) as file:
        kinds = [e.kind for e in file.journal.entries.values()][:6]
        assert kinds == ["job", "work", "mark", "sight", "event", "sight"]
    screen.errors.seek(0)
    assert screen.errors.read() == ""


EIGHTH = 8


def feet(n):
    """Return a count of eighths of an inch as a person types it, without a key that wants Shift."""
    inches, rest = divmod(n, EIGHTH)
    whole, inches = divmod(inches, 12)
    return f"{whole} {inches} {rest}/8"


def long_run():
    """Ten set-ups in eighths, twenty sights, closing exactly; as (mark, kind, reading in eighths)."""
    sights, height = [], 0
    for s in range(10):
        back = 400 + (s * 37) % 90
        fore = 420 + (s * 53) % 80
        if s == 9:
            fore = back + height  # home again
        sights.append(("BM sluice" if s == 0 else f"CP {s}", "BS", back))
        sights.append(("BM sluice" if s == 9 else f"CP {s + 1}", "FS", fore))
        height += back - fore
    return sights


def leat(screen, tmp_path):
    """Begin a run in feet and inches from a benchmark, by keys; return its job file of three entries."""
    job = tmp_path / "Osier Leat.keel"
    screen.key("ctrl+n")
    screen.tool("type", "--delay", "25", "Osier Leat")
    screen.key("Tab", "Down")  # read in feet, inches and eighths
    screen.key("shift+Tab", "Return")
    wait_for(job, 1)
    time.sleep(0.5)
    screen.line("Leat")
    screen.key("Return")
    wait_for(job, 2)
    for text in ("BM sluice", "100'", "", "site datum"):
        screen.line(text)
    wait_for(job, 3)
    screen.key("alt+Return")
    return job


def test_twenty_sights_in_feet_and_inches_with_a_slip_found_read_again_and_printed(screen, tmp_path):
    """Mouse hidden: book, second look at one sight, find the slip from the suggestion, read again, close, print."""
    job = leat(screen, tmp_path)
    entries = 3
    sights = long_run()
    for n, (mark, kind, reading) in enumerate(sights):
        if kind == "FS":
            screen.line("" if mark != "BM sluice" else mark)  # the proposed change point, or home
        elif n == 0:
            screen.line("")
        slip = 96 if mark == "CP 7" and kind == "FS" else 0  # a whole foot
        screen.line(feet(reading + slip))
        entries += 2 if kind == "BS" and n else 1
        wait_for(job, entries)
    screen.key("ctrl+Tab", "ctrl+Tab")  # hairs and looks
    row = next(i for i, (m, k, _) in enumerate(sights) if m == "CP 7" and k == "FS")
    screen.key(*["Down"] * row, *["Right"] * 7)
    screen.line(feet(sights[row][2]))
    entries += 1
    wait_for(job, entries)
    with JobFile.open(job) as file:
        run = work_out_run(fold_run(file.journal, 2))
        assert run.book.unit == "ft-in"
        assert run.closure.accepted is False
        assert run.closure.misclosure == pytest.approx(-0.3048)
    entries += 1
    for patience in (1, 2, 4, 8, 16):  # the search wants a library that is slow to come
        time.sleep(patience)
        screen.key("alt+Return")  # Find the slip
        screen.key("Return")  # to the reading it names
        screen.line(feet(sights[row][2]))
        if count(job, 4, entries) >= entries:
            break
        screen.key("Escape")
    wait_for(job, entries)
    screen.key("alt+6", "ctrl+shift+p")
    pdf = tmp_path / "Leat, report.pdf"
    until = time.monotonic() + 15
    while not pdf.exists() and time.monotonic() < until:
        time.sleep(0.1)
    text = subprocess.run(
        ["pdftotext", "-layout", str(pdf), "-"], capture_output=True, text=True, check=True
    ).stdout
    with JobFile.open(job) as file:
        run = work_out_run(fold_run(file.journal, 2))
        assert run.closure.misclosure == pytest.approx(0.0, abs=1e-9)
        assert run.closure.spread
        struck = [r for r in run.book.rows if not r.stands]
        assert [r.mark for r in struck] == ["CP 7"]
        assert struck[0].reading == pytest.approx((sights[row][2] + 96) * 0.0254 / EIGHTH)
    assert "CP 7" in text
    screen.errors.seek(0)
    assert screen.errors.read() == ""


def paper_page():
    """Five set-ups in eighths with last looks, closing exactly: a list of (mark, kind, reading in eighths) each."""
    out, height = [], 0
    for s in range(5):
        start = "BM sluice" if s == 0 else f"CP {s}"
        back = 500 + (s * 37) % 90
        line = height + back
        sights = [(start, "BS", back)]
        for j in range(5):
            name = "B" if (s, j) == (0, 0) else f"{'abcde'[s]}{j}"  # one name is the beginning of another
            sights.append((name, "IS", 420 + (s * 53 + j * 31) % 120))
        sights.append((start, "IS", back + s % 2))
        fore = 470 + (s * 61) % 80 if s < 4 else line
        sights.append(("BM sluice" if s == 4 else f"CP {s + 1}", "FS", fore))
        height = line - fore
        out.append(sights)
    return out


def test_a_page_of_forty_sights_from_paper_with_all_that_happens_to_one(screen, tmp_path):
    """In feet and inches: a line skipped and put in later, a knock in the middle, last looks, undone and redone, closed by distance."""
    job = leat(screen, tmp_path)
    page, entries = paper_page(), 3
    for s, sights in enumerate(page):
        knocked = 0
        for mark, kind, reading in sights:
            if (s, mark) == (1, "b2"):
                continue  # the line that was skipped
            typed = ("f" if kind == "FS" else "") + feet(reading + knocked)
            screen.lines(*([] if kind == "BS" else [mark]), typed)
            entries += 2 if kind == "BS" and s else 1
            if (s, mark) == (2, "c1"):
                wait_for(job, entries)
                screen.key("ctrl+z")
                time.sleep(0.3)
                screen.key("ctrl+shift+z")
                entries += 2
                wait_for(job, entries)
            if (s, mark) == (3, "d2"):
                wait_for(job, entries)
                screen.key("F3")
                screen.line("k by the barrow")
                wait_for(job, entries + 1)
                screen.line("CP 3")
                screen.line("b" + feet(sights[0][2] + 3))  # the line came back three eighths higher
                knocked, entries = 3, entries + 2
        wait_for(job, entries)
    screen.key("Escape")
    with JobFile.open(job) as file:
        book = work_out_run(fold_run(file.journal, 2)).book
    at = next(n for n, (main, _) in enumerate(book.lines) if book.rows[main].mark == "b3")
    screen.key(*["Up"] * (len(book.lines) - at))
    screen.key("Insert")
    screen.line("b2")
    screen.line(feet(page[1][3][2]))
    entries += 1
    wait_for(job, entries)
    with JobFile.open(job) as file:
        book = work_out_run(fold_run(file.journal, 2)).book
    for n, (main, back) in enumerate(book.lines):
        if book.rows[main].stands and book.rows[main].kind != 1:
            screen.key("alt+3", "Escape")
            ways = [*["Up"] * (len(book.lines) + 1), *["Down"] * n, *["Right"] * 4]
            screen.tool("key", "--delay", "8", *ways)
            screen.line("60/62" if back >= 0 else "64")
            entries += 2 if back >= 0 else 1
    wait_for(job, entries)
    screen.key("alt+5", "ctrl+Tab", "Down", "Down", "Down", "Return")  # class and spread: by distance
    wait_for(job, entries + 1)
    screen.key("ctrl+shift+p")
    pdf = tmp_path / "Leat, report.pdf"
    until = time.monotonic() + 15
    while not pdf.exists() and time.monotonic() < until:
        time.sleep(0.1)
    time.sleep(0.3)
    text = subprocess.run(
        ["pdftotext", "-layout", str(pdf), "-"], capture_output=True, text=True, check=True
    ).stdout
    with JobFile.open(job) as file:
        run = work_out_run(fold_run(file.journal, 2))
    sights = [run.book.rows[i] for i in run.book.sights]
    assert len(sights) == 41  # forty, and the backsight after the knock
    assert [r.mark for r in sights][:3] == ["BM sluice", "B", "a1"]
    assert [r.mark for r in sights if r.setup == 1][2:5] == ["b1", "b2", "b3"]
    assert run.book.settings.spread == "distance"
    assert run.closure.spread and run.closure.misclosure == pytest.approx(0.0, abs=1e-9)
    assert run.closure.mark == "BM sluice"
    assert not run.trouble
    assert all(mark in text for mark in ("B ", "b2", "CP 3", "knocked", "by the barrow"))
    assert " mm" not in text.replace("mm/m", "")
    screen.errors.seek(0)
    assert screen.errors.read() == ""
