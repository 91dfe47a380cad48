"""How many keys a sight costs, pressed one by one: what paper and pencil are held against."""

from __future__ import annotations

import pytest

from vivid_keel.files import JobFile


class Counting:
    """Hands that count what they press."""

    def __init__(self, hands):
        self.hands, self.presses = hands, 0

    def line(self, *texts):
        for text in texts:
            self.presses += len(text) + 1
            self.hands.line(text)


@pytest.fixture
def counting(window, hands, tmp_path):
    """A run in metres whose benchmark waits for its backsight, where readings are typed without their point."""
    window.take(JobFile.create(tmp_path / "job.keel", "Osier Mill", "Ada", unit="m", decimal_mark="."))
    window._make_work("run", "Yard")
    hands.line("gate", "50", "", "site datum")
    window.do_next()
    return Counting(hands)


def booked(window):
    return [(row.mark, row.kind, row.text, round(row.reading, 6)) for row in window.desk.book.rows]


def test_a_reading_without_its_point_is_asked_about_once_and_then_taken(window, hands, counting):
    hands.line("1482")
    assert "1482 m is longer than any staff; Enter again takes it as 1.482 m" in window.sheet.refusal
    assert booked(window) == []
    hands.key("enter")
    hands.line("q", "1936")  # not asked again
    assert booked(window) == [("gate", 0, "1482", 1.482), ("q", 1, "1936", 1.936)]
    assert window.desk.book.style.decimals == 3
    hands.line("r", "396", "s", "1.127")
    assert [b[3] for b in booked(window)[2:]] == [0.396, 1.127]


@pytest.mark.parametrize("text", ["19366", "19", "1482 m", "14.82"])
def test_what_could_be_anything_is_still_refused(window, hands, counting, text):
    hands.line("1482", "")
    hands.line("q", text)
    assert window.sheet.refusal
    assert len(booked(window)) == 1


def test_an_intermediate_on_a_one_letter_mark_costs_seven_keys_and_a_set_up_of_five_less_than_38(
    window, hands, counting
):
    hands.line("1482", "")
    hands.line("q", "f2214")  # the first set-up; the change point stands on q
    counting.line("1127")
    at = counting.presses
    counting.line("a", "1936")
    assert counting.presses - at == 7
    counting.line("b", "1873", "c", "1104", "d", "f0396")
    assert [b[:3] for b in booked(window)[2:]] == [
        ("q", 0, "1127"),
        ("a", 1, "1936"),
        ("b", 1, "1873"),
        ("c", 1, "1104"),
        ("d", 2, "0396"),
    ]
    assert window.desk.book.setups == 2
    assert counting.presses <= 38


def test_site_mode_costs_no_more(window, hands, counting):
    hands.line("1482", "")
    hands.line("q", "f2214")
    hands.do("F11")
    window.site.setFocus()
    counting.line("1127")
    at = counting.presses
    counting.line("a", "1936")  # a letter begins the name
    assert counting.presses - at == 7
    counting.line("c", "1873", "d", "1104", "e")
    counting.presses += len("f0396") + 1
    hands.line("f0396")
    assert [b[0] for b in booked(window)[2:]] == ["q", "a", "c", "d", "e"]
    assert booked(window)[-1][1] == 2
    assert counting.presses <= 38
