"""Levelling by the number that comes in, in the real window: by keys, and without a key."""

from __future__ import annotations

import os
import threading
import time
import tty

import pytest

from vivid_keel.core.record.entries import Draft
from vivid_keel.desk.streaming import LIVE


class Wire:
    """An instrument that sends a number in millimetres twenty times a second from a thread of its own."""

    def __init__(self):
        self.master, self.slave = os.openpty()
        tty.setraw(self.slave)
        self.port, self.shown, self._stop = os.ttyname(self.slave), 500.0, threading.Event()
        self.said = ""
        """What it sends instead of a number in millimetres."""
        self._thread = threading.Thread(target=self._send, daemon=True)
        self._thread.start()

    def _send(self):
        while not self._stop.wait(0.05):
            os.write(self.master, f"{self.said or f'{self.shown:.2f}'}\r\n".encode())

    def close(self):
        self._stop.set()
        self._thread.join(2)
        os.close(self.master)
        os.close(self.slave)


@pytest.fixture
def wire():
    made = Wire()
    yield made
    made.close()


def wait(hands, what, seconds=20.0):
    until = time.monotonic() + seconds
    while not what():
        assert time.monotonic() < until, "it took too long"
        hands.qtbot.wait(5)


def test_floor_posts_by_a_hydrostatic_level_without_the_keyboard(demo, hands, wire):
    work = demo.file.record([Draft(0, "work", {"name": "Posts", "type": "supports", "unit": "m"})])[0].id
    for k in range(3):
        body = {"name": f"P{k + 1}", "row": "P", "x_m": 2.0 * k, "y_m": 0.0, "sense": "hangs"}
        demo.file.record([Draft(work, "point", body)])
    demo.file.record([Draft(work, "mover", {"what": "screw", "values": {"until": 1.0}})])
    for fact, text, value in (
        ("port", wire.port, None),
        ("settles", "0.5", 0.5),
        ("takes", "by itself", 1.0),
    ):
        body = {"fact": fact, "text": text} | ({} if value is None else {"value": value})
        demo.file.record([Draft(work, "live-fact", body)])
    demo.open_work(work)
    desk = demo.desk
    demo.show_stage("Readings")
    hands.do("F8")
    assert desk.views("Readings")[demo.view_number] == LIVE
    for at in (500.0, 497.0, 499.0):
        read = desk.result.read
        wire.shown = at + 60.0  # carried
        wait(hands, lambda: desk._ran)
        wire.shown = at
        wait(hands, lambda read=read: desk.result.read == read + 1)
    assert [p.found.value for p in desk.book.points] == pytest.approx([0.5, 0.497, 0.499], abs=2e-4)
    desk.acknowledge(desk.cautions("Moves")[0])
    demo.show_stage("Moves")
    hands.do("F8")
    assert desk.views("Moves")[demo.view_number] == LIVE
    while desk.result.to_do:
        i, before = desk.foot_in_hand, len(desk.result.to_do)
        wire.shown = desk.book.points[i].found.value * 1000
        wait(hands, lambda: desk._ran)
        wait(hands, lambda: desk.number().word() in {"turn on", "slower"})
        wire.shown = 500.0
        wait(hands, lambda before=before: len(desk.result.to_do) < before)
    moved = [desk.book.points[i] for i in desk.result.to_move]
    assert moved and all(desk.book.booked[point.id].whole for point in moved)


def test_f8_tells_that_a_post_came_to_its_mark_and_refuses_it_before(demo, hands, wire):
    work = demo.file.record([Draft(0, "work", {"name": "Posts", "type": "supports", "unit": "m"})])[0].id
    ids = [
        demo.file.record(
            [Draft(work, "point", {"name": n, "row": "P", "x_m": x, "y_m": 0.0, "sense": "hangs"})]
        )[0].id
        for n, x in (("P1", 0.0), ("P2", 2.0))
    ]
    for id, m in zip(ids, (0.5, 0.49), strict=True):
        reading = {"text": str(m), "unit": "m", "m": m, "step_m": 0.001}
        demo.file.record([Draft(work, "reading", {"point": id, "phase": "found", "reading": reading})])
    demo.file.record([Draft(work, "mover", {"what": "screw", "values": {"until": 1.0}})])
    for fact, text, value in (("port", wire.port, None), ("settles", "0.5", 0.5)):
        body = {"fact": fact, "text": text} | ({} if value is None else {"value": value})
        demo.file.record([Draft(work, "live-fact", body)])
    demo.open_work(work)
    desk = demo.desk
    desk.acknowledge(desk.cautions("Moves")[0])
    demo.show_stage("Moves")
    wire.shown = 490.0
    hands.do("F8")
    wait(hands, lambda: desk.live.heard is not None and desk.live.heard.still)
    demo.pane.next.setFocus()
    hands.do("F8")
    assert "isn't where it is to stand yet" in demo.notice.text() and not desk.book.booked
    assert demo.picture.hasFocus()  # where arrow keys turn a stand-in's foot, and no stage goes by
    wire.shown = 500.0
    wait(hands, lambda: desk.number().word() == "stop: it stands")
    hands.do("F8")
    assert ids[1] in desk.book.booked
    hands.do("Ctrl+Z")
    assert not desk.book.booked


def test_a_trailer_by_its_two_way_level_without_the_keyboard(demo, hands, wire):
    """Both tilts in a line; side to side, nose to tail, the wheel, the jockey wheel, and both again."""
    work = demo.file.record([Draft(0, "work", {"name": "Van", "type": "vehicle", "unit": "m"})])[0].id
    for fact, text, value in (
        ("port", wire.port, None),
        ("settles", "0.5", 0.5),
        ("takes", "by itself", 1.0),
    ):
        body = {"fact": fact, "text": text} | ({} if value is None else {"value": value})
        demo.file.record([Draft(work, "live-fact", body)])
    demo.open_work(work)
    desk = demo.desk
    wire.said = "+1.50 -0.80"
    demo.show_stage("Readings")
    hands.do("F8")
    wait(hands, lambda: desk.typed("found"))
    wire.said = "+9.00 +9.00"  # it is rocked: what stands next is the nose's, not this again
    wait(hands, lambda: desk._ran)
    wire.said = "+1.50 -0.80"
    wait(hands, lambda: desk.book.found is not None)
    assert desk.book.found.text == "+1.50° / -0.80°"
    desk.acknowledge(desk.cautions("Moves")[0])
    demo.show_stage("Moves")
    hands.do("F8")
    shows = [one.shows for one in desk.result.instructions]
    assert len(shows) == 2
    for k, (lean, tip) in enumerate(shows):
        assert desk.foot_in_hand == k
        wire.said = "+1.00 +1.50"
        wait(hands, lambda: desk._ran and desk.number().word() in {"turn on", "slower", "too far: turn back"})
        wire.said = f"{lean * 57.29578:+.2f} {tip * 57.29578:+.2f}"
        wait(hands, lambda k=k: desk.foot_in_hand != k)
    assert desk.foot_in_hand == -1
