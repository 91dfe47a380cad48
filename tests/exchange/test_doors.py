"""Numbers in through a port, and the diary out as a calendar."""

from __future__ import annotations

import os
import time
import tty
from datetime import timedelta

import icalendar
import numpy as np
import pytest

from tests.core.instruments.test_kit import Kit
from tests.mill import mill
from vivid_keel.core.errors import KeelError
from vivid_keel.core.instruments.tool import fold_kit, fold_tool
from vivid_keel.exchange.calendar import write_calendar
from vivid_keel.exchange.number_door import NumberDoor
from vivid_keel.files import KitFile
from vivid_keel.stands.streaming import StreamingLevel

PLAIN = r"([+-]?\d+(?:\.\d+)?)"


def test_a_pattern_that_never_ends_is_said_and_freezes_nothing(line):
    master, port = line
    door = NumberDoor(port, 9600, r"(([0-9]|[0-9][0-9])+)$", "mm/m")
    os.write(master, b"1" * 60 + b"x\n")
    start = time.process_time()
    with pytest.raises(KeelError, match="can't make up its mind") as said:
        until(door, 1)
    assert said.value.code == "bad-pattern"
    assert time.process_time() - start < 5


@pytest.fixture
def line():
    """A local pseudo-terminal: (what is written to it, its port)."""
    master, slave = os.openpty()
    tty.setraw(slave)
    yield master, os.ttyname(slave)
    os.close(master)
    os.close(slave)


def until(door, count):
    for _ in range(200):
        door.poll()
        if len(door.values) >= count:
            return
        time.sleep(0.01)


def test_lines_of_a_strange_instrument_are_read_by_its_pattern_unit_and_sign(line):
    master, port = line
    door = NumberDoor(port, 9600, r"T=\s*([+-]\d+\.\d)", '"', turned=True)
    os.write(master, b"hello\r\nT= +20.0 sec\r\nT= -4")
    os.write(master, b"1.0 sec\r\n\xff\xfe garbage\r\n")
    until(door, 2)
    assert list(np.array(door.values) * 206264.806) == pytest.approx(
        [-20.0, 41.0]
    )  # plus means the other end
    assert "garbage" in door.unread
    door.begin()
    assert not door.values
    door.close()


@pytest.mark.parametrize(
    ("port", "pattern", "unit", "said"),
    [
        ("/dev/nothing-there", PLAIN, "mm/m", "can't be opened"),
        ("", PLAIN, "mm/m", "no port"),
        ("/dev/null", "([", "mm/m", "is no pattern"),
        ("/dev/null", r"\d+", "mm/m", "has no group"),
        ("/dev/null", PLAIN, "furlong", "furlong"),
    ],
)
def test_a_door_that_can_not_be_opened_says_why(port, pattern, unit, said):
    with pytest.raises(KeelError, match=said):
        NumberDoor(port, 9600, pattern, unit)


def test_the_stand_in_streams_settles_and_is_read_through_the_same_door():
    level = StreamingLevel(noise=0.000003, last_digit=0.00001, settles=0.6)
    door = NumberDoor(level.path, 9600, PLAIN, "mm/m")
    level.put_down(0.0005)
    time.sleep(0.25)
    door.poll()
    assert not door.stillness(0.6, 0.00001, 0.00001).still  # it runs
    deadline = time.monotonic() + 20
    found = door.stillness(0.6, 0.00001, 0.00001)
    while not found.still and time.monotonic() < deadline:
        time.sleep(0.1)
        door.poll()
        found = door.stillness(0.6, 0.00001, 0.00001)
    assert found.still
    assert found.value == pytest.approx(0.0005, abs=0.00001)
    door.close()
    level.close()


def test_the_diary_is_a_calendar_others_can_read(tmp_path):
    mill(tmp_path / "mill.keel").close()
    with KitFile.open(tmp_path / "mill.keelkit") as kit:
        now = kit.now()
        due = [line for t in fold_kit(kit.journal) if t.decided() for line in t.diary(now)]
        raw = write_calendar(due, now)
    events = icalendar.Calendar.from_ical(raw).walk("VEVENT")
    assert len(events) == len(due)
    assert {str(e["summary"]) for e in events} >= {
        "Carpenter's level: reversal, plumb",
        "Amber level: two-peg",
    }
    assert all(e.decoded("dtstart") >= now.date() for e in events)  # late ones stand on today
    assert all(e.decoded("dtend") - e.decoded("dtstart") == timedelta(days=1) for e in events)
    assert b"\r\n" in raw


def test_an_instrument_may_be_called_anything_in_a_calendar():
    kit = Kit()
    name = "Ann's, or the mill's; \\ 2 m \N{EM DASH} läuft"
    tool = fold_tool(kit.journal, kit.tool("spirit", name))
    raw = write_calendar(tool.diary(kit.now), kit.now)
    assert all(len(line) <= 75 for line in raw.split(b"\r\n"))  # as the format asks
    events = icalendar.Calendar.from_ical(raw).walk("VEVENT")
    assert len(events) == 2
    assert all(str(e["summary"]).startswith(name + ": ") for e in events)
    assert len({str(e["uid"]) for e in events}) == 2


@pytest.mark.parametrize("line", [b"+0.2", b"\xff\xfe\x00noise\r\n+0.20 mm/m\r\n", b"\r\n\r\n+0.20 mm/m\n"])
def test_half_a_line_waits_and_noise_on_the_wire_is_no_number(line):
    ours, theirs = os.openpty()
    tty.setraw(theirs)
    door = NumberDoor(os.ttyname(theirs), 9600, r"([+-]?\d+\.\d+)", "mm/m")
    os.write(ours, line)
    time.sleep(0.05)
    door.poll()
    if not line.endswith(b"\n"):
        assert not door.values
        os.write(ours, b"0 mm/m\r\n")
        time.sleep(0.05)
        door.poll()
    assert list(door.values) == [pytest.approx(0.0002)]
    door.close()
    os.close(ours)
    os.close(theirs)
