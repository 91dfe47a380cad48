"""Numbers that come in while something is moved: taken once they stand, by itself if wanted; a hydrostatic level at the posts; the tone."""

from __future__ import annotations

import math
import os
import tty

import pytest

from tests.desk.test_bubble_live import begun, practice, wait_until
from tests.saying import take
from vivid_keel.core.errors import KeelError
from vivid_keel.core.record.entries import Draft
from vivid_keel.desk.streaming import LIVE
from vivid_keel.figures.live import DOWN, QUICK, SLOW, UP, Number
from vivid_keel.files import JobFile
from vivid_keel.trades.registry import desk_for, trade
from vivid_keel.ui.tone import LONG, RATE, Tone, beep


@pytest.fixture
def job(tmp_path):
    with JobFile.create(tmp_path / "t.keel", "Mill", "Ada", decimal_mark=".") as file:
        yield file


class Hose:
    """A hydrostatic level at the other end of a wire."""

    def __init__(self, wait):
        self.wait = wait
        self.master, self.slave = os.openpty()
        tty.setraw(self.slave)
        self.port = os.ttyname(self.slave)

    def sends(self, desk, *numbers):
        for number in numbers:
            os.write(self.master, f"{number:.2f}\r\n".encode())
            self.wait(0.02)
            desk.listen()

    def stands(self, desk, number):
        wait_until(lambda: (self.sends(desk, number), desk.live.heard.still)[1])

    def close(self):
        os.close(self.master)
        os.close(self.slave)


@pytest.fixture
def hose(quick):
    made = Hose(quick)
    yield made
    made.close()


def posts(job, port, **facts):
    work = job.record(
        [Draft(0, "work", {"name": "Posts", "type": "supports", "unit": "m"}), *trade("supports").begins("m")]
    )[0].id
    for k in range(3):
        job.record(
            [
                Draft(
                    work,
                    "point",
                    {"name": f"A{k + 1}", "row": "A", "x_m": 2.0 * k, "y_m": 0.0, "sense": "hangs"},
                )
            ]
        )
    desk = desk_for(job, work)
    for fact, (text, value) in {"port": (port, None), "settles": ("0.5", 0.5), **facts}.items():
        body = {"fact": fact, "text": text} | ({} if value is None else {"value": value})
        desk.record(Draft(work, "live-fact", body))
    return desk


def test_posts_are_read_by_a_hydrostatic_level_and_a_post_is_led_to_its_mark(job, hose):
    desk = posts(job, hose.port)
    view = desk.views("Readings").index(LIVE)
    desk.on_view("Readings", view)
    try:
        with pytest.raises(KeelError, match="its numbers still run"):
            desk.stream_text()
        for number in (500.0, 497.0, 499.5):
            hose.sends(desk, 300.0, 700.0, 250.0)
            hose.stands(desk, number)
            sheet = desk.sheets("Readings")[0]
            take(sheet, *sheet.first(), desk.stream_text())
        assert [p.found.value for p in desk.book.points] == pytest.approx([0.5, 0.497, 0.4995])
        desk.record(Draft(desk.work, "mover", {"what": "screw", "values": {"until": 1.0}}))
        desk.acknowledge(desk.cautions("Moves")[0])
        desk.on_view("Moves", desk.views("Moves").index(LIVE))
        assert desk.book.points[desk.foot_in_hand].name == "A2"
        hose.sends(desk, 300.0, 700.0)
        hose.stands(desk, 497.0)
        seen = desk.number()
        assert seen.target == pytest.approx(0.5) and seen.word() == "turn on" and seen.tone()[0] == UP
        with pytest.raises(KeelError, match="isn't where it is to stand"):
            desk.take_live(told=True)
        hose.sends(desk, *(497.0 + 0.1 * k for k in range(31)))
        hose.stands(desk, 500.0)
        assert desk.number().word() == "stop: it stands" and desk.number().tone() is None
        assert desk.take_live(told=True) == "A2 is set"
        assert desk.book.booked[desk.book.points[1].id].whole
    finally:
        desk.close()


def test_a_number_is_taken_by_itself_once_and_only_after_it_ran(job, hose):
    desk = posts(job, hose.port, takes=("by itself", 1.0))
    desk.on_view("Readings", desk.views("Readings").index(LIVE))
    try:
        assert desk.takes_itself and desk.take_live() == ""
        hose.stands(desk, 500.0)
        assert desk.take_live() == "A1: 0.5000 taken"
        for _ in range(60):  # it stays where it lies: nothing is taken for the next post
            hose.sends(desk, 500.0)
            assert desk.take_live() == ""
        wait_until(lambda: (hose.sends(desk, 300.0, 700.0, 300.0, 650.0), desk._ran)[1])
        hose.stands(desk, 500.0)  # carried on, and the next post happens to stand at the same
        assert desk.take_live() == "A2: 0.5000 taken"
        assert [p.found is not None for p in desk.book.points] == [True, True, False]
    finally:
        desk.close()


def test_a_height_in_a_wrong_unit_is_refused_and_nothing_booked(job, hose):
    desk = posts(job, hose.port, sends=("m", 1.0))
    desk.on_view("Readings", desk.views("Readings").index(LIVE))
    try:
        hose.stands(desk, 500.0)  # millimetres, taken for metres
        with pytest.raises(KeelError, match="is its unit right"):
            desk.stream_text()
        assert not any(p.found for p in desk.book.points)
    finally:
        desk.close()


@pytest.mark.usefixtures("quick")
def test_a_simulated_body_is_read_round_without_a_key(job):
    desk = practice(job, "slab")
    for fact, text, value in (("settles", "0.4", 0.4), ("takes", "by itself", 1.0)):
        desk.record(Draft(desk.work, "body-fact", {"fact": fact, "text": text, "value": value}))
    desk.on_view("Readings", desk.views("Readings").index(LIVE))
    wanted, said = list(desk.wanted("found")), []
    try:
        wait_until(lambda: (desk.listen(), said.append(desk.take_live()), not desk.wanted("found"))[-1], 60)
    finally:
        desk.close()
    assert [one for one in said if one] and len([one for one in said if one]) == len(wanted)
    for place in wanted:
        assert desk.book.laid["found"][place].tilt == pytest.approx(desk._true(place), abs=6e-6)


@pytest.mark.usefixtures("quick")
def test_a_number_that_runs_on_between_two_looks_is_refused_only_to_who_asked(job, monkeypatch):
    """Seen once on a slow machine: it stood, and a moment later it didn't; without a key nobody is told of that."""
    desk = practice(job, "slab")
    desk.on_view("Readings", desk.views("Readings").index(LIVE))
    try:
        wait_until(lambda: (desk.listen(), desk.live.heard is not None and desk.live.heard.still)[1], 20)

        def runs():
            raise KeelError("not-settled", "its numbers still run")

        monkeypatch.setattr(desk, "stream_text", runs)
        desk._ran = True
        assert desk.take_live() == ""
        with pytest.raises(KeelError, match="still run"):
            desk.take_live(told=True)
    finally:
        desk.close()


def test_the_tone_is_high_for_up_low_for_down_quicker_the_nearer_and_silent_at_the_mark():
    def tone(now, by=1.0, planned=1e-3):
        return Number(now, False, "", "A1", 1e-3, 0.5, "A1", planned, by).tone()

    assert tone(0.495)[0] == UP and tone(0.505)[0] == DOWN and tone(0.505, by=-1.0)[0] == UP
    assert QUICK < tone(0.4995)[1] < tone(0.498)[1] < tone(0.49)[1] == pytest.approx(SLOW)
    assert tone(0.5001) is None and tone(None) is None and tone(0.49, by=0.0) is None
    sound = beep(UP)
    assert len(sound) == 2 * int(RATE * LONG) and sound[:2] == b"\0\0" and max(sound) > 0


def test_beeps_come_no_closer_than_they_are_asked_to(monkeypatch):
    tone, played = Tone(), []
    monkeypatch.setattr(tone, "_play", played.append)
    times = [k * 0.014 for k in range(200)]
    for now in times:
        tone.lead((UP, 0.3), now)
    assert len(played) == math.ceil(times[-1] / (LONG + 0.3)) or len(played) == 1 + int(
        times[-1] / (LONG + 0.3)
    )
    assert not tone.lead(None, 99.0) and len(set(played)) == 1


def test_a_machine_without_sound_says_so_once_and_goes_on():
    tone = Tone()
    heard = tone.lead((UP, 0.1), 0.0)
    assert heard == (not tone.silent)
    if tone.silent:
        assert tone.silent.startswith("no tone: this machine") and not tone.lead((UP, 0.1), 9.0)


def test_begun_bodies_ask_for_taking_and_tone_and_have_neither_to_begin_with(job):
    for key in ("slab", "bed"):
        desk = begun(job, key)
        assert not desk.takes_itself and not desk.sounds and desk.tone() is None
