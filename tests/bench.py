"""Speed as ratios against something honest: ./run bench. Medians of several; one absolute figure, the frame."""

from __future__ import annotations

import json
import os
import sqlite3
import statistics
import subprocess
import sys
import tempfile
import time
from collections.abc import Callable
from functools import cache
from pathlib import Path
from typing import Any

from tests.bench_size import at_size

os.environ.setdefault("QT_QPA_PLATFORM", "offscreen")
os.environ.setdefault("OPENBLAS_NUM_THREADS", "1")

FRAME = 1000 / 60

BARE = """
import time; t = time.perf_counter()
import numpy
from PyQt6.QtWidgets import QApplication, QMainWindow
app = QApplication([])
window = QMainWindow(); window.resize(1280, 800); window.show()
app.processEvents(); window.grab()
print(time.perf_counter() - t)
"""
OURS = """
import time; t = time.perf_counter()
import sys
from vivid_keel.ui.app import open_window
app, window = open_window("app", sys.argv[1:])
app.processEvents(); window.grab()
print(time.perf_counter() - t)
"""


@cache
def application() -> Any:
    """The one application of this process: fonts and laid-out words live as long as it does."""
    from PyQt6.QtWidgets import QApplication

    return QApplication.instance() or QApplication([])


def start_up(folder: Path) -> tuple[float, float, float]:
    """Return median seconds from nothing to a painted window: ours, ours on the demo job, and a bare one."""
    from vivid_keel.demo import build

    job = folder / "demo.keel"
    build(job).close()

    def once(script: str, *words: str) -> float:
        done = subprocess.run(
            [sys.executable, "-c", script, *words], capture_output=True, text=True, check=True
        )
        return float(done.stdout)

    runs = [(once(OURS), once(OURS, str(job)), once(BARE)) for _ in range(9)]
    ours, on_job, bare = (statistics.median(r[k] for r in runs) for k in range(3))
    return ours, on_job, bare


def commit(folder: Path) -> tuple[float, float]:
    """Return median seconds of an accepted reading made durable, and of the bare SQLite commit."""
    from vivid_keel.core.record.entries import Draft
    from vivid_keel.files import JobFile

    body = {
        "mark": "sill",
        "sight": "IS",
        "reading": {"text": "1.482", "unit": "m", "m": 1.482, "step_m": 0.001},
    }
    file = JobFile.create(folder / "commit.keel", "bench", "Ada")
    file.record([Draft(0, "work", {"name": "run", "type": "run", "unit": "m"})])
    db = sqlite3.connect(folder / "bare.db", isolation_level=None)
    db.execute("PRAGMA journal_mode = DELETE")
    db.execute("PRAGMA synchronous = FULL")
    db.execute(
        "CREATE TABLE e (id INTEGER PRIMARY KEY, work INTEGER, kind TEXT, body TEXT, time TEXT, person TEXT, a INT, b INT, c INT) STRICT"
    )
    row = (2, "sight", json.dumps(body), "2026-11-24T10:00:00.000+00:00", "Ada", None, None, 3)

    def bare() -> None:
        db.execute("BEGIN IMMEDIATE")
        db.execute("INSERT INTO e VALUES (NULL, ?, ?, ?, ?, ?, ?, ?, ?)", row)
        db.execute("COMMIT")

    pairs = [(timed(lambda: file.record([Draft(2, "sight", body)])), timed(bare)) for _ in range(300)]
    file.close()
    db.close()
    return statistics.median(p[0] for p in pairs), statistics.median(p[1] for p in pairs)


def timed(what: Callable[[], object]) -> float:
    """Return how long one call takes [s]."""
    start = time.perf_counter()
    what()
    return time.perf_counter() - start


def long_book(path: Path, rows: int) -> None:
    """Make a job with a closed run of this many sights, ten to a set-up."""
    from vivid_keel.core.record.entries import Draft
    from vivid_keel.files import JobFile

    def read(mm: int) -> dict[str, object]:
        return {"text": f"{mm / 1000:.3f}", "unit": "m", "m": mm / 1000, "step_m": 0.001}

    drafts = [Draft(0, "work", {"name": "long", "type": "run", "unit": "m"})]
    drafts.append(Draft(-1, "mark", {"name": "BM", "height": read(50000), "source": "datum"}))
    for i in range(rows):
        s, k = divmod(i, 10)
        kind = "BS" if k == 0 else "FS" if k == 9 else "IS"
        if k == 0 and s:
            drafts.append(Draft(-1, "setup", {}))
        mark = ("BM" if s == 0 else f"CP {s}") if k == 0 else f"CP {s + 1}" if k == 9 else f"p{i}"
        drafts.append(
            Draft(-1, "sight", {"mark": mark, "sight": kind, "reading": read(1000 + (i * 37) % 900)})
        )
    with JobFile.create(path, "long", "Ada") as file:
        file.record(drafts)


def keystrokes(folder: Path) -> dict[str, list[float]]:
    """Return milliseconds from key to repainted sheet, and to the picture after it, in a 10,000-row book, by what is done."""
    from PyQt6.QtCore import QEvent, Qt
    from PyQt6.QtGui import QKeyEvent
    from PyQt6.QtWidgets import QApplication

    from vivid_keel.ui.app import fetch_for, keys_first
    from vivid_keel.ui.theme import theme
    from vivid_keel.ui.window import Window

    app = application()
    theme.use("Daylight")
    keys_first()  # as the program does
    long_book(folder / "long.keel", 10_000)
    window = Window("Ada")
    window.resize(1280, 800)
    window.show()
    window.open_path(folder / "long.keel")
    window.show_stage("Readings")
    fetch_for(window).join()  # as the program does by itself before its first seconds are over
    app.processEvents()

    def key(code: int, text: str = "") -> None:
        target = QApplication.focusWidget()
        QApplication.sendEvent(
            target, QKeyEvent(QEvent.Type.KeyPress, code, Qt.KeyboardModifier.NoModifier, text)
        )

    out: dict[str, list[float]] = {
        f"{what}{then}": []
        for what in ("digit in a new row", "Enter on a new row", "digit in the middle")
        for then in ("", ", picture")
    }

    def stroke(what: str, code: int, text: str = "") -> None:
        start = time.perf_counter()
        key(code, text)
        app.sendPostedEvents()  # what was marked to be repainted is repainted here: the sheet, and all beside it
        seen = time.perf_counter()
        for _ in range(2):
            app.processEvents()  # the picture, a moment later: its turn comes, then it is painted
        if what:
            out[what].append((seen - start) * 1000)
            out[f"{what}, picture"].append((time.perf_counter() - start) * 1000)

    for n in range(200):
        key(Qt.Key.Key_Return)  # the proposed mark, or the name typed
        for k, ch in enumerate(f"1.{400 + n}"):
            stroke("digit in a new row" if k else "", 0, ch)
        stroke("Enter on a new row", Qt.Key.Key_Return)
        window.settle()
        app.processEvents()
    desk = window.desk
    assert desk is not None
    for n in range(40):
        row = 500 + n * 200 + 3
        window.sheet.go((row, 2))
        editor = window.sheet.editor
        if editor is None:
            continue
        editor.selectAll()
        for ch in f"1.{500 + n}":
            stroke("digit in the middle", 0, ch)
        key(Qt.Key.Key_Escape)
        app.processEvents()
    window.close()
    return out


def opening(folder: Path) -> tuple[float, float]:
    """Return median seconds to open and fold a 10,000-entry job, and to read and parse its rows bare."""
    from vivid_keel.files import JobFile
    from vivid_keel.trades.run.book import fold_run
    from vivid_keel.trades.run.result import work_out_run

    path = folder / "open.keel"
    long_book(path, 10_000)

    def ours() -> None:
        with JobFile.open(path) as file:
            work_out_run(fold_run(file.journal, 2))

    def bare() -> None:
        db = sqlite3.connect(path)
        rows = db.execute("SELECT * FROM entries ORDER BY id").fetchall()
        _ = [json.loads(row[3]) for row in rows]
        db.close()

    pairs = [(timed(ours), timed(bare)) for _ in range(9)]
    return statistics.median(p[0] for p in pairs), statistics.median(p[1] for p in pairs)


def bringing_in(folder: Path, rows: int, times: int) -> tuple[float, float]:
    """Return median seconds to read and record a long book, and to part its cells and read its numbers bare."""
    import csv

    from vivid_keel.exchange.level_csv import read_book
    from vivid_keel.files import JobFile
    from vivid_keel.trades.run.book import fold_run
    from vivid_keel.trades.run.bring_in import book_drafts
    from vivid_keel.trades.run.csv_out import write_marks
    from vivid_keel.trades.run.result import work_out_run
    from vivid_keel.ui.bringing import not_collecting

    long_book(folder / f"out{rows}.keel", rows)
    with JobFile.open(folder / f"out{rows}.keel") as file:
        text = write_marks(work_out_run(fold_run(file.journal, 2)))
    into = JobFile.create(folder / f"in{rows}.keel", "bench", "Ada")

    def ours() -> None:
        with not_collecting():  # as the window does
            into.record(book_drafts(read_book(text.encode()), "book"))

    def bare() -> None:
        for row in csv.reader(text.splitlines()[1:]):
            _ = [float(cell) for cell in row[1:9] if cell]

    pairs = [(timed(ours), timed(bare)) for _ in range(times)]
    into.close()
    return statistics.median(p[0] for p in pairs), statistics.median(p[1] for p in pairs)


def network() -> tuple[float, float]:
    """Return median seconds to adjust 10,000 marks with every uncertainty, and to factor and solve bare."""
    import numpy as np
    from scipy.sparse import coo_matrix
    from scipy.sparse.linalg import splu

    from vivid_keel.core.booking.network import LevelledLine, adjust

    n = 100
    ends = [
        (i * n + j, k)
        for i in range(n)
        for j in range(n)
        for k in ((i + 1) * n + j, i * n + j + 1)
        if k < n * n and not (k == i * n + j + 1 and j == n - 1)
    ]
    rises = np.random.default_rng(1).normal(0, 0.001, len(ends))
    lines = [LevelledLine(str(a), str(b), float(d), 0.001) for (a, b), d in zip(ends, rises, strict=True)]
    a, b = (np.array(side) for side in zip(*ends, strict=True))
    weight = np.ones(len(ends))

    def bare() -> None:
        rows, cols = np.concatenate([a, b, a, b, [0]]), np.concatenate([a, b, b, a, [0]])
        matrix = coo_matrix((np.concatenate([weight, weight, -weight, -weight, [1.0]]), (rows, cols))).tocsc()
        factor = splu(
            matrix, permc_spec="MMD_AT_PLUS_A", diag_pivot_thresh=0.0, options={"SymmetricMode": True}
        )
        factor.solve(np.ones(n * n))

    pairs = [(timed(lambda: adjust({"0": (50.0, 0.0)}, lines)), timed(bare)) for _ in range(5)]
    return statistics.median(p[0] for p in pairs), statistics.median(p[1] for p in pairs)


def dragging(folder: Path) -> dict[str, list[float]]:
    """Return milliseconds from a move of the keel line to all repainted, with 200 supports in ten rows."""
    import numpy as np

    from vivid_keel.core.record.entries import Draft
    from vivid_keel.files import JobFile
    from vivid_keel.trades.supports.lay_out import grid_drafts
    from vivid_keel.ui.window import Window

    app = application()
    with JobFile.create(folder / "posts.keel", "posts", "Ada") as file:
        (work,) = file.record([Draft(0, "work", {"name": "posts", "type": "supports", "unit": "m"})])
        made = file.record(grid_drafts(work.id, [f"R{k}-" for k in range(10)], 20, 2.4, 3.0))
        readings = 1.25 + np.random.default_rng(1).normal(0, 0.004, len(made))
        file.record(
            [
                Draft(
                    work.id,
                    "reading",
                    {
                        "point": e.id,
                        "phase": "found",
                        "reading": {
                            "text": f"{r:.4f}",
                            "unit": "m",
                            "m": float(f"{r:.4f}"),
                            "step_m": 0.0001,
                        },
                    },
                )
                for e, r in zip(made, readings, strict=True)
            ]
        )
    window = Window("Ada")
    window.resize(1280, 800)
    window.show()
    window.open_path(folder / "posts.keel")
    window.show_stage("Target")
    app.processEvents()
    start = float(window.desk.result.target)  # type: ignore[union-attr]

    def step(move: Callable[[], object]) -> float:
        began = time.perf_counter()
        move()
        app.processEvents()
        return (time.perf_counter() - began) * 1000

    out = {
        "line dragged": [
            step(lambda k=k: window._dragged(start - 0.0001 * (k % 40), False)) for k in range(300)
        ],
        "line tipped": [step(lambda k=k: window._tilted(-0.0001 * (k % 20), False)) for k in range(300)],
    }
    window.close()
    return out


def packing() -> tuple[float, float, float, float]:
    """Return seconds for 100 supports and 12 thicknesses with ample stock (median), and binding: seconds, greatest residual, bound [mm]."""
    import numpy as np

    from vivid_keel.core.moving.stacks import choose_leaves

    rng = np.random.default_rng(7)
    wanted = rng.uniform(0, 0.014, 100)
    leaves = [0.010, 0.008, 0.006, 0.005, 0.004, 0.003, 0.002, 0.0015, 0.001, 0.0005, 0.0003, 0.0002]
    ample = statistics.median(
        timed(lambda: choose_leaves(wanted, leaves, [200] * 12, 0.00002, 4)) for _ in range(5)
    )
    until = time.monotonic() + 12
    found = []
    scarce = timed(
        lambda: found.append(
            choose_leaves(wanted, leaves, [14] * 12, 0.00002, 4, lambda: until - time.monotonic())
        )
    )
    return ample, scarce, found[0].greatest_residual * 1000, found[0].bound * 1000


BULK = """
import resource, sys, time
from pathlib import Path
from vivid_keel.core.kinds import EntryKind
from vivid_keel.core.record.bulk import describe
from vivid_keel.core.record.entries import Draft
from vivid_keel.files import JobFile
class File(JobFile):
    @classmethod
    def kinds(cls):
        return {**JobFile.kinds(), "scan": EntryKind({"source": "source!"}, lambda e: "scan")}
job, scan = Path(sys.argv[1]), Path(sys.argv[2])
t = time.perf_counter()
if job.exists():
    with File.open(job) as file:
        assert len(file.journal.columns_of(2, "source")["z"]) == 1_000_000
else:
    with File.create(job, "bench", "Ada") as file:
        raw = scan.read_bytes()
        mapping = {"columns": {"x": 0, "y": 1, "z": 2}, "delimiter": ","}
        file.record([Draft(0, "scan", {"source": describe(raw, mapping)}, source=raw)])
print(time.perf_counter() - t, resource.getrusage(resource.RUSAGE_SELF).ru_maxrss / 1024)
"""


def bulk(folder: Path) -> tuple[float, float, float, float]:
    """Return seconds to record and to open a million points, NumPy's to read them bare, and the most memory [MiB]."""
    import numpy as np

    scan = folder / "scan.csv"
    points = np.random.default_rng(8).uniform(0, 200, (1_000_000, 3))
    np.savetxt(scan, points, fmt="%.3f", delimiter=",")

    def once() -> list[float]:
        done = subprocess.run(
            [sys.executable, "-c", BULK, str(folder / "bulk.keel"), str(scan)],
            capture_output=True,
            text=True,
            check=True,
        )
        return [float(word) for word in done.stdout.split()]

    recorded, opened = once(), once()
    bare = timed(lambda: np.loadtxt(scan, delimiter=","))
    return recorded[0], opened[0], bare, max(recorded[1], opened[1])


def p99(values: list[float]) -> float:
    """Return the 99th percentile."""
    return sorted(values)[min(len(values) - 1, int(len(values) * 0.99))]


def brought_in(folder: Path, rows: int, times: int, aim: int) -> None:
    """Measure how long a book from a file takes, and print it."""
    ours, bare = bringing_in(folder, rows, times)
    print(
        f"{rows:,}-row CSV read and recorded / cells parted, numbers read: {ours / bare:.1f}  (aim {aim} s; {ours * 1000:.0f} against {bare * 1000:.0f} ms)"
    )


def main() -> None:
    """Measure and print."""
    with tempfile.TemporaryDirectory() as temporary:
        folder = Path(temporary)
        os.environ["XDG_STATE_HOME"] = temporary
        ours, on_job, bare = start_up(folder)
        ms = f"{ours * 1000:.0f} against {bare * 1000:.0f} ms"
        print(
            f"window visible / bare window with NumPy:                   {ours / bare:.2f}  (aim 1.6; {ms})"
        )
        print(
            f"the same with the demo job open in it:                     {on_job / bare:.2f}  ({on_job * 1000:.0f} ms)"
        )
        ours, bare = commit(folder)
        print(
            f"accepted reading durable / bare SQLite commit:             {ours / bare:.2f}  (aim 1.5; {ours * 1000:.2f} against {bare * 1000:.2f} ms)"
        )
        ours, bare = opening(folder)
        print(
            f"10,000-entry job opened and reduced / rows read and parsed: {ours / bare:.1f}  ({ours * 1000:.0f} against {bare * 1000:.0f} ms)"
        )
        brought_in(folder, 10_000, 5, 1)
        ours, bare = network()
        print(
            f"10,000 marks, every uncertainty / bare factor and solve:   {ours / bare:.1f}  (aim 1 s; {ours * 1000:.0f} against {bare * 1000:.0f} ms)"
        )
        ample, scarce, worst, bound = packing()
        print(f"100 supports, 12 thicknesses, ample stock: proven best in  {ample:.2f} s (aim about 1)")
        print(
            f"the same where the stock binds: {worst:.2f} mm after {scarce:.0f} s, no choice is better than {bound:.2f} mm"
        )
        recorded, opened, bare, most = bulk(folder)
        print(
            f"a million points opened / NumPy reading them:              {opened / bare:.2f}  (aim 2 s: {opened:.2f} s; recorded in {recorded:.2f} s, aim 5; {most:.0f} MiB, aim 400)"
        )
        for name, took in dragging(folder).items():
            verdict = "within" if p99(took) <= FRAME else "OVER"
            print(
                f"200 supports, {name:<13} median {statistics.median(took):5.1f} ms, p99 {p99(took):5.1f} ms: {verdict} one frame of {FRAME:.1f} ms"
            )
        application()
        for name, cost, aim in at_size(folder, long_book):
            verdict = "within" if cost <= aim else "OVER"
            print(f"{name:<58} {cost:.2f} s: {verdict} {aim:g} s")
        for name, took in keystrokes(folder).items():
            verdict = "within" if p99(took) <= FRAME else "OVER"
            print(
                f"10,000 rows, {name:<27} median {statistics.median(took):5.1f} ms, p99 {p99(took):5.1f} ms: {verdict} one frame of {FRAME:.1f} ms"
            )
        brought_in(folder, 200_000, 1, 5)  # last: what it holds would count as its children's


if __name__ == "__main__":
    main()
