"""A stand-in of a body, and a level that sends its numbers: read, turned and proven through the same door as a real one."""

from __future__ import annotations

import math
import os
import time
import tty

import pytest

from vivid_keel.core.errors import KeelError
from vivid_keel.core.moving.plan import FOUND
from vivid_keel.core.quantities import parse_tilt
from vivid_keel.core.record.entries import Draft
from vivid_keel.figures.live import Number, live
from vivid_keel.files import JobFile
from vivid_keel.trades.registry import desk_for, trade

FEET = (("A", 0.0, 0.0), ("B", 1.6, 0.0), ("C", 1.6, 0.9), ("D", 0.0, 0.9))


@pytest.fixture
def job(tmp_path):
    with JobFile.create(tmp_path / "t.keel", "Mill", "Ada", decimal_mark=".") as file:
        yield file


def begun(job, kind):
    new = Draft(0, "work", {"name": "It", "type": kind, "unit": "m"})
    work = job.record([new, *trade(kind).begins("m")])[0].id
    if kind == "slab":
        job.record([Draft(work, "foot", {"name": n, "x_m": x, "y_m": y}) for n, x, y in FEET])
    else:
        rows = (("head", 0.0), ("middle", 0.9), ("tail", 1.8))
        job.record([Draft(work, "bed-station", {"name": n, "x_m": x, "feet": True}) for n, x in rows])
    return desk_for(job, work)


def practice(job, kind):
    desk = begun(job, kind)
    led = desk.practise()
    return desk_for(job, led.work)


def wait_until(what, seconds=15.0):
    until = time.monotonic() + seconds
    while not what():
        assert time.monotonic() < until, "it took too long"
        time.sleep(0.005)


@pytest.mark.parametrize("kind", ["slab", "bed"])
def test_a_stand_in_is_read_turned_and_comes_in_round_after_round(job, kind):
    desk = practice(job, kind)
    assert desk.next("Readings").title == "Next: let it be read"
    desk.go("answer")
    assert not desk.wanted(FOUND) and desk.result.read == len(desk.book.points)
    desk.acknowledge(desk.cautions("Moves")[0])
    for _ in range(4):
        if not desk.result.to_do:
            break
        assert desk.next("Moves").title == "Next: turn, let it answer"
        desk.go("answer")
        assert desk.result.read_left == len(desk.book.points)
        if set(desk.result.left_verdicts) == {"in"}:
            break
        desk.another_round()
    from vivid_keel.core.body.standing import tips_of
    from vivid_keel.stands.bodies import heights

    # Judged by what only the stand-in knows.
    h = heights(desk.hidden, tips_of(desk.book), len(desk.book.passes))
    assert abs(h - h.mean()).max() <= 4 * desk.book.limits.tolerance
    assert desk.own_findings("Moves") and desk.file.journal.name_of(desk.work) == "Practice: It"


def test_nothing_is_practised_on_before_its_feet_are_known(job):
    new = Draft(0, "work", {"name": "It", "type": "slab", "unit": "m"})
    desk = desk_for(job, job.record([new])[0].id)
    with pytest.raises(KeelError, match="say first where its feet stand"):
        desk.practise()
    with pytest.raises(KeelError, match="a real body answers by being read"):
        begun(job, "slab").answer()


@pytest.mark.usefixtures("quick")
def test_the_live_number_of_a_stand_in_is_read_and_follows_the_foot_that_is_turned(job):
    desk = practice(job, "slab")
    desk.record(Draft(desk.work, "body-fact", {"fact": "settles", "text": "1", "value": 1.0}))
    assert desk.views("Readings") == ["From above", "Live"] and desk.moves_at("Readings", 1)
    assert not desk.moves_at("Readings", 0)
    desk.on_view("Readings", 1)
    try:
        desk.listen()
        assert desk.moving
        with pytest.raises(KeelError, match="its numbers still run"):
            desk.stream_text()
        wait_until(lambda: (desk.listen(), desk.live.heard.still)[1])
        place = desk.lies_at()
        text = desk.stream_text()
        assert parse_tilt(text, "div", ".", 5e-5).value == pytest.approx(desk._true(place), abs=4e-6)
        assert any("F8 takes it" in t for t in desk.picture("Readings", 1, 740, 300).texts())
        desk.go("answer")
        desk.acknowledge(desk.cautions("Moves")[0])
        view = desk.views("Moves").index("Live")
        desk.on_view("Moves", view)
        i, (side, target) = desk.foot_in_hand, desk.told(desk.foot_in_hand)
        wait_until(lambda: (desk.listen(), desk.live.heard.still)[1])
        before = desk.live.heard.value
        move = desk.result.does(i)
        assert any(t in ("turn on", "slower") for t in desk.picture("Moves", view, 740, 300).texts()), (
            "it isn't there yet"
        )
        assert desk.picture("Moves", view, 740, 300).drag is not None and desk.step == 5e-6
        desk.drag(move, done=False)
        wait_until(lambda: (desk.listen(), abs(desk.live.heard.value - before) > abs(target - before) / 3)[1])
        desk.drag(move, done=True)
        assert desk.hidden[f"turned{i}"] == pytest.approx(move)
        wait_until(lambda: (desk.listen(), desk.live.heard.still)[1])
        assert desk.lies_at() == side
        desk.record(*desk.books(i))
        desk.go("answer")  # the foot that was turned by hand isn't turned again
        assert desk.hidden[f"turned{i}"] == pytest.approx(move)
    finally:
        desk.close()


def test_a_real_port_that_is_missing_or_in_a_wrong_unit_is_said(job):
    desk = begun(job, "slab")
    assert (
        not desk.streams()
        and desk.views("Readings") == ["From above", "The bubble"]
        and desk.matching == "staff"
    )
    desk.record(Draft(desk.work, "body-fact", {"fact": "port", "text": "/dev/no-such-port"}))
    desk.on_view("Readings", 1)
    assert desk.streams() and desk.matching == "instrument"
    with pytest.raises(KeelError, match="can't be opened"):
        desk.listen()
    assert any("nothing comes in" in t for t in desk.picture("Readings", 1, 740, 300).texts())
    master, slave = os.openpty()
    tty.setraw(slave)
    desk.record(Draft(desk.work, "body-fact", {"fact": "port", "text": os.ttyname(slave)}))
    desk.record(Draft(desk.work, "body-fact", {"fact": "settles", "text": "0.6", "value": 0.6}))
    try:
        desk.listen()

        def heard():
            os.write(master, b"350.0\r\n")  # micrometres a metre, taken for mm/m
            desk.listen()
            return desk.live.heard.still

        wait_until(heard)
        with pytest.raises(KeelError, match="is its unit right"):
            desk.stream_text()
    finally:
        desk.close()
        os.close(master)
        os.close(slave)


@pytest.mark.parametrize(
    ("now", "still", "word"),
    [
        (None, False, "listening"),
        (0.0, False, "turn on"),
        (8.5e-5, False, "slower"),
        (1e-4, False, "stop"),
        (1e-4, True, "stop: it stands"),
        (1.3e-4, True, "too far: turn back"),
    ],
)
def test_what_the_hand_does(now, still, word):
    seen = Number(now, still, "", "A → B", 5e-5, 1e-4, "B", 1e-4, 0.6)
    assert seen.word() == word
    assert word in live(seen, 740, 300).texts()
    down = Number(None if now is None else 2e-4 - now, still, "", "A → B", 5e-5, 1e-4, "B", -1e-4, 0.6)
    assert down.word() == word  # the same the other way
    assert math.isnan(Number(now, still, "", "A → B", 5e-5).off)


def test_a_bubble_is_put_where_it_is_seen(job):
    desk = begun(job, "bed")
    desk.on_view("Readings", 1)
    assert desk.views("Readings")[1] == "The bubble" and desk.matched() == "" and desk.step == 0.2
    drag = desk.picture("Readings", 1, 740, 300).drag
    desk.drag(drag.value + 61 * drag.metres_per_pixel, done=True)
    text = desk.matched()
    assert float(text) == pytest.approx(61 * drag.metres_per_pixel, abs=0.1)
    assert desk.picture("Readings", 1, 740, 300).drag.y == pytest.approx(370 + 61, abs=8)
    sheet = desk.sheets("Readings")[0]
    desk.enter_in_record(sheet.accept(*sheet.first(), text))
    assert desk.matched() == "" and len(desk.book.read[FOUND]) == 1


@pytest.mark.parametrize(
    ("text", "divisions"), [("-3.2 4.0", 0.4), ("-3.2/4.0", 0.4), ("-1 +5", 2.0), ("1.0 5.0", 3.0)]
)
def test_both_ends_of_a_bubble_are_its_middle(job, text, divisions):
    assert begun(job, "slab").parse_bubble(text).value == pytest.approx(divisions * 5e-5)


@pytest.mark.parametrize(
    ("text", "says"),
    [("4.0 -3.2", "first the end away"), ("24", "marked to 20 divisions"), ("-8 60", "marked to 20")],
)
def test_what_no_vial_shows_is_refused(job, text, says):
    with pytest.raises(KeelError, match=says):
        begun(job, "slab").parse_bubble(text)


def test_a_level_read_by_its_own_end_when_turned_is_asked_about(job):
    from tests.saying import take

    desk = begun(job, "slab")
    for text in ("7.2", "-7.2"):  # it lies 7 divisions high; read by the level's own arrow the second time
        sheet = desk.sheets("Readings")[0]
        take(sheet, *sheet.first(), text)
    titles = [f.title for f in desk.findings("Readings")]
    assert "Turned round reads as minus the first: A → B" in titles
    take(desk.sheets("Readings")[0], 1, 1, "5.0")
    assert not [t for t in (f.title for f in desk.findings("Readings")) if t.startswith("Turned round reads")]
