"""When it breaks: whatever fails, the process goes on, says so in its place, and writes it down once and without readings."""

from __future__ import annotations

import json
import os
import subprocess
import sys
import textwrap
from pathlib import Path

import pytest
from PyQt6.QtWidgets import QApplication

from vivid_keel import trouble
from vivid_keel.core.errors import KeelError
from vivid_keel.core.record.entries import Draft

BEGIN = """
import json, sys
from pathlib import Path
from PyQt6.QtCore import QTimer
from PyQt6.QtWidgets import QApplication
from vivid_keel.ui import app as program

seen = {}
def boom(*given, **more):
    raise ValueError("could not take '1.482' of 7 at /home/somebody/Osier Mill.keel")
def then(window):
    window.errands.open_demo("run")
    window.settle()
"""
END = """
made = program.open_window
def opened(command, words):
    app, window = made(command, words)
    def later():
        try:
            then(window)
            for _ in range(4):
                app.processEvents()
                window.grab()
            after(window)
        finally:
            QTimer.singleShot(300, lambda: finish(window))
    def finish(window):
        window.grab()
        print(json.dumps(dict(seen, notice=window.notice.text(), button=not window.copy_button.isHidden())))
        window.close()
        app.quit()
    QTimer.singleShot(0, later)
    return app, window
program.open_window = opened
sys.exit(program.run("app", []))
"""


def fails(tmp_path, breaks, after="def after(window): pass"):
    """Run the program with something broken in it; return what was seen and the log."""
    script = BEGIN + textwrap.dedent(breaks) + textwrap.dedent(after) + END
    env = {
        **os.environ,
        "QT_QPA_PLATFORM": "offscreen",
        "XDG_STATE_HOME": str(tmp_path),
        "XDG_DATA_HOME": str(tmp_path),
        "TMPDIR": str(tmp_path),
    }
    ran = subprocess.run([sys.executable, "-c", script], env=env, capture_output=True, text=True, timeout=90)
    assert ran.returncode == 0, ran.stderr
    log = (tmp_path / "vivid-keel" / "log.txt").read_text()
    assert "1.482" not in log
    assert "somebody" not in log
    return json.loads(ran.stdout.splitlines()[-1]), log


def test_a_cell_that_fails_says_so_in_its_place_and_is_written_down_once(tmp_path):
    seen, log = fails(
        tmp_path,
        """
        from vivid_keel.trades.run.book_sheet import BookSheet
        BookSheet.cell = boom
    """,
        """
        def after(window):
            window.show_stage("Readings")
            window.grab(); window.sheet._repaint(); window.grab()
            seen["cell"] = window.sheet.model_.cell(0, 1).text
    """,
    )
    assert "ValueError" in seen["cell"]
    assert log.count("BookSheet, column 'Mark'") <= 1
    assert log.count("BookSheet, column") >= 1
    assert log.count("ValueError: could not take ‹…› of #") == log.count("BookSheet, column")


def test_a_picture_that_fails_says_so_in_its_place(tmp_path):
    seen, log = fails(
        tmp_path,
        """
        from vivid_keel.desk.work import WorkDesk
        WorkDesk.picture = boom
    """,
        """
        def after(window):
            window.picture.redraw(); window.grab(); window.picture.redraw(); window.grab()
            seen["said"] = window.picture.drawn.caption
    """,
    )
    assert "ValueError" in seen["said"]
    assert log.count("a picture failed") == 1


def test_what_fails_within_painting_leaves_no_painter_in_hand(tmp_path):
    _, log = fails(
        tmp_path,
        """
        from vivid_keel.ui import picture_view, strip
        picture_view.paint = boom
        strip.text_length = boom
    """,
    )
    assert "a picture failed" in log
    assert "a stage's tab failed" in log


def test_a_worker_that_fails_is_told_of(tmp_path):
    seen, log = fails(
        tmp_path,
        """
        def then(window):
            window.errands.open_demo()
            window.worker.start(boom, lambda found: None, lambda error: window.say(f"It failed: {error}"))
    """,
        """
        def after(window):
            while window.worker.busy:
                QApplication.processEvents()
    """,
    )
    assert seen["notice"].startswith("It failed")
    assert "worker, boom failed" in log


def test_what_nobody_caught_is_said_with_a_button_for_a_report(tmp_path):
    seen, log = fails(
        tmp_path,
        """
        from vivid_keel.ui.window import Window
        Window.toggle_help = boom
    """,
        """
        def after(window):
            window.job_button.clicked.connect(boom)
            window.job_button.click(); window.job_button.click()
    """,
    )
    assert "Copy for a bug report" in seen["notice"]
    assert seen["button"]
    assert log.count("uncaught: ValueError") == 1


def test_a_fault_on_a_thread_of_ones_own_is_written_down_too(tmp_path):
    _, log = fails(
        tmp_path,
        "import threading",
        """
        def after(window):
            made = threading.Thread(target=boom); made.start(); made.join()
    """,
    )
    assert "uncaught: ValueError" in log


def a_level_on_a_port(window, hands, port):
    """Put an electronic level of one's own on a port, and begin its check."""
    window.show_kit()
    (work,) = window.kit.record([Draft(0, "work", {"name": port, "type": "kit:electronic", "unit": "m"})])
    window.kit.record([Draft(work.id, "trait", {"name": "port", "text": port})])
    window.open_work(work.id)
    window.show_stage("Which check")
    window.desk.enter_in_record(window.sheet.sheet.enter(0))
    window.show_stage("Readings")
    window._choose_view(1)
    return window.desk


def test_a_port_that_is_missing_or_pulled_out_says_so_and_ends_nothing(window, qtbot, hands):
    desk = a_level_on_a_port(window, hands, "/dev/vivid-keel-no-such-port")
    qtbot.waitUntil(lambda: "can't be opened" in window.notice.text(), timeout=3000)
    window.grab()
    assert any("Nothing is heard" in t.text for t in window.picture.drawn.items if hasattr(t, "text"))
    assert not window._moving.isActive()
    hands.do("F8")
    assert "plug the instrument in" in window.notice.text()
    # Plugged in, it is heard; pulled out, it says so again.
    master, slave = os.openpty()
    port = os.ttyname(slave)
    desk = a_level_on_a_port(window, hands, port)

    def heard():
        os.write(master, b"+0.012\n")
        return desk.practising()._heard.n >= 2

    qtbot.waitUntil(heard, timeout=3000)
    os.close(slave)
    os.close(master)
    qtbot.waitUntil(lambda: "The port is gone" in window.notice.text(), timeout=3000)
    assert "the port is gone" in desk.practising().silent
    window.grab()


def test_nothing_is_read_from_a_device_while_painting(window, hands, monkeypatch):
    desk = a_level_on_a_port(window, hands, "/dev/vivid-keel-no-such-port")
    window._moving.stop()
    opened = []
    monkeypatch.setattr(
        "vivid_keel.exchange.number_door.NumberDoor.__init__", lambda *given, **more: opened.append(given)
    )
    for view in (0, 1):
        desk.picture("Readings", view, 500.0, 300.0)
    assert not opened


@pytest.fixture
def log(tmp_path, monkeypatch):
    monkeypatch.setattr(sys, "excepthook", sys.excepthook)
    trouble.begin()
    trouble.log()
    yield tmp_path / "state" / "vivid-keel" / "log.txt"
    trouble.close()


def test_a_report_holds_versions_and_the_log_and_readings_only_where_asked(log, demo, hands):
    trouble.note("somewhere", ValueError("reading 1.482 of 'BM gatepost'"))
    demo.errands.copy_report()
    text = QApplication.clipboard().text()
    assert f"Vivid Keel {trouble.__version__}" in text
    assert "Python 3" in text
    assert "somewhere failed: ValueError: reading #.# of ‹…›" in text
    assert "BM gatepost" not in text
    demo.errands.copy_report_with_readings()
    assert "BM gatepost" in QApplication.clipboard().text()


def test_the_log_is_begun_anew_when_it_grows(log):
    for k in range(400):
        trouble.note(f"place {k} {'long ' * 200}", ValueError("x"))
    assert log.stat().st_size <= trouble.LARGEST
    assert sorted(p.name for p in log.parent.glob("log.txt*")) == ["log.txt", "log.txt.1", "log.txt.2"]


def test_a_log_that_cannot_be_written_is_no_reason_not_to_start(tmp_path, monkeypatch):
    (tmp_path / "file").write_text("")
    monkeypatch.setenv("XDG_STATE_HOME", str(tmp_path / "file"))
    monkeypatch.setattr(sys, "excepthook", sys.excepthook)
    trouble.begin()
    trouble.log()
    assert "no log is kept" in trouble.report()
    trouble.close()


def test_what_the_person_did_wrong_is_no_fault_of_the_program(log, demo):
    demo.worker.start(lambda left: (_ for _ in ()).throw(KeelError("bad-value", "no")), print, lambda e: None)
    demo.worker._pool.waitForDone()
    assert "failed" not in log.read_text()
    assert Path(log).exists()
