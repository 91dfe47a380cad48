"""Where real jobs get large: what a key, a stage and an opening cost there. Part of `./run bench`."""

from __future__ import annotations

import time
from collections.abc import Callable
from datetime import date, timedelta
from pathlib import Path
from typing import Any

import numpy as np

OCCASIONS, MARKS = 200, 40


def years(path: Path) -> None:
    """Make two hundred monthly levellings of forty marks, set-ups of nine, five of them benchmarks."""
    from vivid_keel.core.record.entries import Draft
    from vivid_keel.files import JobFile

    rng = np.random.default_rng(1)
    heights, rates = 42 + rng.uniform(-3, 3, MARKS), rng.normal(0, 0.0005, MARKS)
    rates[:5] = 0.0
    drafts = []
    for when in range(OCCASIONS):
        now = heights + rates * when / 12
        lines = []
        groups = [range(k, min(k + 9, MARKS)) for k in range(0, MARKS - 1, 8)] + [(MARKS - 1, 0)]
        for stand, group in enumerate(groups):
            sight = max(now[list(group)]) + 1
            noise = rng.normal(0, 0.0006, len(group))
            lines += [
                [f"M{m}", f"set-up {stand}", round(float(sight - now[m] + e), 4), 0.0006]
                for m, e in zip(group, noise, strict=True)
            ]
        body = {
            "file": f"y{when}.keel",
            "job": "Osier Mill",
            "name": "Levelling",
            "when": (date(2005, 1, 1) + timedelta(days=30 * when)).isoformat(),
            "unit": "m",
            "step_m": 0.001,
            "closed": True,
            "lines": lines,
            "given": {"M0": 42.0},
        }
        drafts.append(Draft(-1, "lent-run", body))
    with JobFile.create(path, "Years", "Ada") as file:
        fact = {"fact": "allowed", "text": "20", "value": 0.02}
        file.record(
            [
                Draft(0, "work", {"name": "Years", "type": "over-the-years", "unit": "m"}),
                Draft(-1, "years-fact", fact),
                *drafts,
                *(Draft(-1, "role", {"mark": f"M{m}", "role": "benchmark"}) for m in range(1, 5)),
            ]
        )


def ground(path: Path, count: int) -> None:
    """Make a yard of named points read at random places, and a plane through it."""
    from vivid_keel.core.record.entries import Draft
    from vivid_keel.files import JobFile

    rng = np.random.default_rng(1)
    xy = rng.uniform(0, 60, (count, 2))
    xy[:4] = [[0, 0], [60, 0], [60, 60], [0, 60]]
    z = 1.5 + 0.3 * np.sin(xy[:, 0] / 9) * np.cos(xy[:, 1] / 7) + rng.normal(0, 0.01, count)

    def point(k: int) -> dict[str, Any]:
        read = {"text": f"{z[k]:.3f}", "unit": "m", "m": round(float(z[k]), 3), "step_m": 0.001}
        return {
            "name": f"P{k}",
            "x_m": float(xy[k, 0]),
            "y_m": float(xy[k, 1]),
            "edge": k < 4,
            "reading": read,
        }

    with JobFile.create(path, "Yard", "Ada", decimal_mark=".") as file:
        file.record(
            [
                Draft(0, "work", {"name": "Yard", "type": "groundwork", "unit": "m"}),
                Draft(-1, "ground-fact", {"fact": "plane", "text": "-1.4", "value": -1.4}),
                *(Draft(-1, "ground-point", point(k)) for k in range(count)),
            ]
        )


def at_size(folder: Path, long_book: Callable[[Path, int], None]) -> list[tuple[str, float, float]]:
    """Return what each case costs, and what is aimed at [s]."""
    from PyQt6.QtCore import Qt
    from PyQt6.QtTest import QTest
    from PyQt6.QtWidgets import QApplication

    from vivid_keel.core.record.entries import Draft
    from vivid_keel.demo import build
    from vivid_keel.ui.app import fetch_for
    from vivid_keel.ui.window import Window

    out = []

    def timed(what: Callable[[], object]) -> float:
        start = time.perf_counter()
        what()
        QApplication.processEvents()
        return time.perf_counter() - start

    def opened(path: Path) -> tuple[Any, float]:
        window = Window("Ada")
        window.resize(1280, 800)
        window.show()
        QApplication.processEvents()
        took = timed(lambda: window.open_path(path))
        fetch_for(window)
        return window, took

    def rest(window: Any) -> float:
        """The longest that a key waits until all is shown."""
        longest, quiet = 0.0, time.perf_counter() + 0.4
        while time.perf_counter() < quiet or window.worker.busy:
            took = timed(lambda: None)
            longest = max(longest, took)
            if took > 0.005:
                quiet = time.perf_counter() + 0.4
            time.sleep(0.002)
        return longest

    build(folder / "list.keel").close()
    window, _ = opened(folder / "list.keel")
    out.append(("list of tasks after the demo is opened", rest(window), 0.1))
    window.close()
    years(folder / "years.keel")
    window, took = opened(folder / "years.keel")
    out.append((f"years, {OCCASIONS} occasions of {MARKS} marks: opened", took, 1.0))
    rest(window)
    fact = {"fact": "allowed", "text": "21", "value": 0.021}
    took = timed(lambda: (window.desk.record(Draft(window.desk.work, "years-fact", fact)), window.refresh()))
    out.append(("the same, Enter with its picture", took, 0.1))
    out.append(("the same, undo", timed(window.undo), 0.1))
    window.close()
    for count in (30, 300, 700):
        ground(folder / f"ground{count}.keel", count)
        window, _ = opened(folder / f"ground{count}.keel")
        window.show_stage("Readings")
        rest(window)
        window.sheet.go((count // 2, 3))
        for text in ("1.401", "1.402", "1.403"):
            for letter in text:
                QTest.keyClick(QApplication.focusWidget() or window, letter)
            QTest.keyClick(QApplication.focusWidget() or window, Qt.Key.Key_Return)
            took = timed(window.settle)
        out.append((f"ground of {count} points: Enter, with U and its picture", took, 0.1))
        window.close()
    long_book(folder / "fifty.keel", 50_000)
    window, took = opened(folder / "fifty.keel")
    out.append(("job of 50,000 entries: opened", took, 1.0))
    rest(window)
    for stage in ("Proof", "Record"):
        window.show_stage(stage)
        rest(window)
        window.show_stage("Readings")
        rest(window)
        out.append((f"the same, {stage}", timed(lambda stage=stage: window.show_stage(stage)), 0.3))
        rest(window)
    window.close()
    return out
