"""The window's smaller parts: the worker, the pane, the painter, the start page, the command line beside it."""

from __future__ import annotations

import subprocess
import sys
import time
from pathlib import Path

import pytest
from PyQt6.QtCore import QObject
from PyQt6.QtGui import QImage, QPainter
from PyQt6.QtWidgets import QApplication, QPushButton

from vivid_keel.cli import main
from vivid_keel.core.cautions import FIRST, LIFTING, for_instrument
from vivid_keel.core.kinds import Finding, worst_first
from vivid_keel.core.working import Working
from vivid_keel.desk.base import Next
from vivid_keel.desk.sheet import Cell, Column, Sheet
from vivid_keel.exchange.painter import FAMILY, load_fonts, paint
from vivid_keel.figures import symbols
from vivid_keel.figures.display import Picture
from vivid_keel.figures.palette import THEMES
from vivid_keel.store.lock import Lock
from vivid_keel.ui.pane import Pane
from vivid_keel.ui.sheet_view import SheetView
from vivid_keel.ui.worker import Worker

EXAMPLES = Path(__file__).parents[2] / "examples"


# The sheet


class Lines(Sheet):
    """Lines that may stand in another order when they are shown again."""

    def __init__(self, ids, *titles):
        self.ids, self.columns = ids, tuple(Column(title, 90) for title in titles)

    @property
    def count(self):
        return len(self.ids)

    def cell(self, row, column):
        return Cell(f"{self.ids[row]}", editable=True)

    def picked(self, row):
        return self.ids[row]

    def row_of(self, picked):
        return self.ids.index(picked) if picked in self.ids else -1


@pytest.mark.parametrize(
    ("ids", "titles", "place"),
    [
        ([7, 8, 9], ("A", "B"), (1, 1)),
        ([9, 7, 8], ("A", "B"), (2, 1)),
        ([8, 9], ("A", "B"), (0, 1)),
        ([9, 8, 7, 6], ("A", "New", "B"), (1, 2)),
        ([7, 9], ("A", "B"), None),
        ([7, 6, 9], ("A", "B"), None),
    ],
)
def test_what_is_half_typed_stays_with_its_line_however_they_stand_now(qtbot, ids, titles, place):
    view = SheetView()
    qtbot.addWidget(view)
    view.resize(400, 300)
    view.show()
    view.show_sheet(Lines([7, 8, 9], "A", "B"))
    view.go((1, 1))
    view.editor.insert("1.4")
    half = view.half_typed()[1]
    view.show_sheet(Lines(ids, *titles))
    assert view.half_typed() == (None if place is None else (place, half))
    assert (view.editor is None) == (place is None)


# The worker


STOPPED = """
import gc, random, time
from PyQt6.QtCore import QObject
from PyQt6.QtWidgets import QApplication
from vivid_keel.ui.worker import Worker

app, heard = QApplication([]), []
for _ in range(300):
    owner = QObject()
    worker = Worker(owner)
    worker.start(lambda left: time.sleep(random.random() * 0.002), heard.append, heard.append)
    time.sleep(random.choice([0, 0, 0.001, 0.002]))
    worker.stop()
    if random.random() < 0.5:
        gc.collect()
    app.processEvents()
    owner.deleteLater()
    if random.random() < 0.5:
        app.processEvents()
print(len(heard))
"""


def test_what_is_stopped_is_heard_of_no_more_however_near_its_end_it_was():
    """Its last words may be on their way already: the process once fell down by them, and nothing comes of them."""
    ran = subprocess.run([sys.executable, "-c", STOPPED], capture_output=True, text=True, timeout=60)
    assert (ran.returncode, ran.stdout) == (0, "0\n"), ran.stderr[-2000:]


def test_the_worker_brings_its_result_to_the_windows_thread(qtbot):
    owner = QObject()
    worker = Worker(owner)
    got = []
    worker.start(lambda seconds_left: seconds_left() > 0, got.append, got.append)
    qtbot.waitUntil(lambda: got == [True])
    assert not worker.busy
    worker.stop()


def test_a_failing_operation_is_told_not_thrown(qtbot):
    owner = QObject()
    worker = Worker(owner)
    failed = []
    worker.start(lambda _: 1 / 0, lambda _: None, failed.append)
    qtbot.waitUntil(lambda: bool(failed))
    assert isinstance(failed[0], ZeroDivisionError)
    worker.stop()


def test_a_long_operation_can_be_stopped(qtbot):
    owner = QObject()
    worker = Worker(owner)
    seen = []

    def patient(seconds_left):
        while seconds_left() > 0:
            time.sleep(0.005)
        seen.append("ended")

    told = []
    worker.start(patient, told.append, told.append, seconds=60)
    qtbot.wait(30)
    begun = time.monotonic()
    worker.stop()
    assert time.monotonic() - begun < 5
    assert seen == ["ended"]
    QApplication.processEvents()
    assert told == []  # what was stopped reports nothing


# The pane


def finding(verdict, title, why=None, action=""):
    return Finding(verdict, title, "because", why, action, "Do it" if action else "")


def test_the_worst_comes_first_and_equals_keep_their_order():
    given = [
        finding("in", "a"),
        finding("note", "b"),
        finding("out", "c"),
        finding("open", "d"),
        finding("out", "e"),
    ]
    assert [f.title for f in worst_first(given)] == ["c", "e", "d", "a", "b"]


def test_the_pane_shows_workings_and_hands_actions_on(qtbot):
    pane = Pane()
    qtbot.addWidget(pane)
    why = Working(
        "Height of sill", "H = HC − IS", "51.500 − 1.200 = 50.300", ("IS sill, read 1.200",), "note"
    )
    pane.show_all([finding("out", "Out by 4 mm", why, "proof")], [LIFTING], None)
    acted, read = [], []
    pane.acted.connect(acted.append)
    pane.acknowledged.connect(read.append)
    pane.first_button("Do it").click()
    pane.first_button("Read by the crew").click()
    assert acted == ["proof"]
    assert read == [LIFTING]
    link = pane.first_button("why")
    link.click()
    labels = [w.text() for w in pane.findChildren(type(pane.head)) if w.isVisibleTo(pane)]
    assert any("51.500 − 1.200 = 50.300" in t and "· IS sill, read 1.200" in t for t in labels)
    assert any(FIRST in t for t in labels)
    link.click()
    labels = [w.text() for w in pane.findChildren(type(pane.head)) if w.isVisibleTo(pane)]
    assert not any("51.500" in t for t in labels)


def test_the_pane_is_left_alone_when_nothing_changed(qtbot):
    pane = Pane()
    qtbot.addWidget(pane)
    pane.show_all([finding("in", "a", action="x")], [], None)
    button = pane.first_button("Do it")
    pane.show_all([finding("in", "a", action="x")], [], None)
    assert pane.first_button("Do it") is button
    pane.show_all([], [], None)
    assert pane.first_button("Do it") is None


def test_the_next_step_is_said_to_those_who_can_not_see_it(qtbot):
    pane = Pane()
    qtbot.addWidget(pane)
    pane.next.show_step(Next("Next: read U4", "scale hung from the beam", "readings"))
    assert pane.next.accessibleName() == "Next: read U4. scale hung from the beam"


def test_cautions_belong_to_what_is_used():
    assert [c.key for c in for_instrument("optical-fine")] == ["optics", "staff"]
    assert [c.key for c in for_instrument("rotary-eye")] == ["laser", "staff"]
    assert for_instrument("water") == ()
    assert LIFTING.must_acknowledge


# The painter


@pytest.mark.parametrize("theme", THEMES)
@pytest.mark.parametrize("kind", ["in", "out", "open", "todo"])
def test_each_verdict_leaves_ink(qapp, theme, kind):
    p = Picture(24, 24)
    symbols.verdict(p, 12, 12, kind)
    image = QImage(24, 24, QImage.Format.Format_RGB32)
    image.fill(0)
    painter = QPainter(image)
    paint(painter, p.items, THEMES[theme])
    painter.end()
    inked = sum(image.pixel(x, y) & 0xFFFFFF != 0 for x in range(24) for y in range(24))
    assert inked > 10


def test_the_fonts_that_are_shipped_are_found(qapp):
    from PyQt6.QtGui import QFontDatabase, QRawFont

    load_fonts()
    assert FAMILY in QFontDatabase.families()
    from vivid_keel.exchange.painter import font

    raw = QRawFont.fromFont(font(15))
    for sign in "0123456789.−+±√×′″½¼¾⅛⅜⅝⅞ΣµΔ·…":
        assert raw.supportsCharacter(ord(sign)), sign


def test_paintings_leave_cached_pens_as_they_are(qapp):
    """A dashed line must not dash the next plain one."""
    p = Picture(60, 20)
    p.line(2, 5, 58, 5, "ink", 2, dash=True)
    p.line(2, 15, 58, 15, "ink", 2)
    image = QImage(60, 20, QImage.Format.Format_RGB32)
    image.fill(0xFFFFFF)
    painter = QPainter(image)
    paint(painter, p.items, THEMES["Daylight"])
    paint(painter, p.items, THEMES["Daylight"])
    painter.end()
    rows = [sum(image.pixel(x, y) & 0xFF < 0x80 for x in range(60)) for y in (5, 15)]
    assert rows[1] > 50
    assert rows[0] < rows[1]


# The start page


def test_the_start_page_leads_everywhere(window, hands, qtbot):
    assert [c.accessibleName().split(":")[0] for c in window.start.cards] == [
        "Begin a job",
        "Open a job",
        "See the demo",
    ]
    window.start.cards[0].setFocus()
    hands.key("enter")
    assert window.stack.currentWidget() is window.new_job
    window.new_job.left.emit()
    window.start.cards[2].click()
    assert window.file.journal.name_of(0) == "Osier Mill"
    path = str(window.file.path)
    window.show_start()
    links = [b for b in window.start.findChildren(QPushButton) if "Osier Mill" in b.text()]
    links[0].click()
    assert str(window.file.path) == path
    assert not window.file.read_only


# The lock


def test_a_lock_is_held_by_one_and_says_by_whom(tmp_path):
    path = tmp_path / "mill.keel"
    first, second = Lock(path), Lock(path)
    assert first.take("Ada (process 12)") is None
    assert second.take("Ben") == "Ada (process 12)"
    first.release()
    assert second.take("Ben") is None
    second.release()
    assert not list(tmp_path.iterdir())


# The command line


@pytest.mark.parametrize(
    ("name", "status"),
    [("mill-yard-round", 0), ("leat-in-feet", 0), ("tramway-untidy", 0), ("must-be-refused", 2)],
)
def test_the_examples_on_the_command_line(name, status, capsys):
    assert main(["reduce", str(EXAMPLES / f"{name}.csv")]) == status
    said = capsys.readouterr()
    assert ("Misclosure on" in said.out) == (status == 0)
    assert ("nothing was taken" in said.err) == (status == 2)


def test_a_book_over_its_limit_says_so_in_its_status(capsys):
    assert main(["reduce", str(EXAMPLES / "mill-yard-round.csv"), "--mm-per-root-setup", "1"]) == 1
    assert "over it, nothing is spread" in capsys.readouterr().out
    assert main(["reduce", "no-such-file.csv"]) == 2


def test_the_cards_of_works_never_lie_upon_one_another_and_the_last_is_reached(window, hands, tmp_path):
    window.resize(1280, 800)
    hands.do("Ctrl+N")
    window.new_job.folder.setText(str(tmp_path))
    hands.line("Mill")
    hands.line("It")
    cards = list(window.new_work.cards.values())
    window.settle()
    rects = [card.geometry() for card in cards]
    assert not [1 for i, a in enumerate(rects) for b in rects[:i] if a.intersects(b)]
    last = cards[-1]
    for _ in range(len(cards) - 1):
        hands.key("tab")
    assert last.hasFocus() and not last.visibleRegion().isEmpty()
    seen = last.visibleRegion().boundingRect()
    assert seen.height() == last.height()


@pytest.mark.qt_log_ignore("propagateSizeHints")  # the offscreen screen has no window manager to tell
def test_what_merely_holds_is_one_line_that_opens(qtbot):
    from PyQt6.QtWidgets import QPushButton

    from vivid_keel.core.kinds import Finding
    from vivid_keel.ui.pane import Pane, parted

    def made(*verdicts):
        return [Finding(verdict, f"{verdict} {n}", "why") for n, verdict in enumerate(verdicts)]

    assert [len(part) for part in parted(made("out", "in", "in", "in", "note"))] == [2, 3]
    assert [len(part) for part in parted(made("in", "in", "in", "note"))] == [2, 2]  # the answer stays
    assert [len(part) for part in parted(made("open", "in"))] == [2, 0]
    pane = Pane()
    qtbot.addWidget(pane)
    pane.resize(300, 600)
    pane.show()

    def seen():
        return [w.text() for w in pane.findChildren(QPushButton) if w.isVisible()]

    pane.show_all(made("out", "in", "in", "in"), [], None)
    assert seen() == ["3 things hold"]
    texts = lambda: {w.text() for w in pane.findChildren(type(pane.head)) if w.isVisible()}  # noqa: E731
    assert "out 0" in texts() and "in 2" not in texts()
    pane.first_button("3 things hold").click()
    assert "in 2" in texts()
    pane.show_all(made("out", "in", "in"), [], None)
    assert "in 2" in texts()  # opened once, it stays so


def test_theme_and_size_of_type_are_kept_and_what_is_damaged_is_the_usual(tmp_path):
    from vivid_keel.places import state_file
    from vivid_keel.ui.chosen import SIZES, chosen_size, chosen_theme, keep, next_size

    assert (chosen_theme(), chosen_size()) == ("Daylight", 1.0)
    seen = []
    for _ in SIZES:
        keep(type=next_size())
        seen.append(chosen_size())
    assert seen == [1.15, 1.3, 1.0]  # three sizes, and round again
    keep(theme="Lamp", type=1.3)
    assert (chosen_theme(), chosen_size()) == ("Lamp", 1.3)
    for damaged in ("[]", "{", '{"theme": 3, "type": 99}'):
        state_file("look.json").write_text(damaged)
        assert (chosen_theme(), chosen_size()) == ("Daylight", 1.0)


def test_the_window_asks_to_come_back_on_the_same_job_in_larger_type(demo, monkeypatch):
    from PyQt6.QtWidgets import QApplication

    from vivid_keel.ui.chosen import AGAIN, chosen_size

    asked = []
    monkeypatch.setattr(QApplication, "exit", lambda code=0: asked.append(code))
    path = demo.job.path
    demo.larger_type()
    assert asked == [AGAIN] and demo.reopen == path and path.exists() and chosen_size() == 1.15
