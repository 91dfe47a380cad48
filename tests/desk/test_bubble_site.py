"""A body in site mode: one reading, one foot at a time, typed or by the live number; packing tried under the level's end."""

from __future__ import annotations

import math
import time

import pytest

from tests.desk.test_bubble_live import begun, job, practice  # noqa: F401 - a fixture
from tests.saying import take
from vivid_keel.core.errors import KeelError
from vivid_keel.core.moving.plan import FOUND, LEFT
from vivid_keel.core.record.entries import Draft

READ = ("3.6", "1.4", "-2.2", "2.8", "-2.8", "1.6")
AGAIN = ("1.0", "-1.2", "1.2", "1.0", "1.2", "1.2")


def type_in(booking, text):
    for key in text:
        booking.press("±" if key == "-" else key)
    return booking.take()


def test_from_the_first_reading_to_the_last_on_site(job):  # noqa: F811
    desk = begun(job, "slab")
    booking = desk.site_booking()
    assert (
        booking.mark == "A → B"
        and booking.head() == "It · as found · 6 to read"
        and booking.stage == "Readings"
    )
    assert not booking.take() and booking.wrong  # nothing was typed, and nothing comes in
    for text in READ:
        assert type_in(booking, text), booking.said
    assert booking.stage == "Moves" and "read the cautions first" in booking.ask()
    assert not booking.take() and "cautions" in booking.said
    desk.acknowledge(desk.cautions("Moves")[0])
    assert booking.mark == "A" and booking.ask().endswith("until A → B: +1.1 div")
    assert booking.take() and booking.said == "A: as planned booked"
    assert booking.take() and booking.stage == "Proof"
    for text in AGAIN:
        assert type_in(booking, text), booking.said
    assert desk.state()[0] == "in" and "all is read" in booking.head()
    booking.strike_last()
    assert booking.said == "Struck: 1.2" and len(desk.book.laid[LEFT]) == 5
    assert booking.picture(300, 300).items


def test_what_can_not_be_is_refused_and_stays(job):  # noqa: F811
    desk = begun(job, "bed")
    booking = desk.site_booking()
    assert not type_in(booking, "9999") and booking.wrong and booking.text == "9999"
    booking.erase()
    booking.set_mark("across at tail")
    assert "order of work" in booking.said
    assert begun(job, "slab").site_booking() is not None
    new = Draft(0, "work", {"name": "none", "type": "slab", "unit": "m"})
    from vivid_keel.trades.registry import desk_for

    assert desk_for(job, job.record([new])[0].id).site_booking() is None


@pytest.mark.usefixtures("quick")
def test_nothing_typed_takes_the_live_number_once_it_stands(job):  # noqa: F811
    desk = practice(job, "slab")
    desk.record(Draft(desk.work, "body-fact", {"fact": "settles", "text": "1", "value": 1.0}))
    booking = desk.site_booking()
    try:
        assert booking.empty == "live" and booking.picture(400, 300).items
        until = time.monotonic() + 15
        while not booking.take():
            assert time.monotonic() < until and "still run" in booking.said
            time.sleep(0.05)
        assert len(desk.book.laid[FOUND]) == 1 and booking.said.endswith("mm/m booked")
    finally:
        desk.close()


@pytest.mark.parametrize(
    ("text", "tilt"),
    [
        ("0.15 mm", math.atan(0.00015 / 0.2)),
        ("-0.15 mm", -math.atan(0.00015 / 0.2)),
        ("6 thou", math.atan(6 * 0.0254 / 1000 / 0.2)),
        ("0.75 mm/m", math.atan(0.00075)),
        ("0.0003 in/in", None),
        ("3", 3 * 5e-5),
    ],
)
def test_packing_tried_under_the_levels_end_is_thickness_over_base(job, text, tilt):  # noqa: F811
    desk = begun(job, "slab")
    if tilt is None:
        with pytest.raises(KeelError):  # no such unit; but never a length
            desk.parse_bubble(text)
        return
    assert desk.parse_bubble(text).value == pytest.approx(tilt, rel=1e-4)


def test_a_machine_on_packing_is_brought_level_by_the_bubble_and_looked_at_again_next_day(job):  # noqa: F811
    """Three tonnes on four stacks: leaves from a stock, put in as told; by the next day a stack has closed, and that is seen."""
    desk = begun(job, "slab")
    for k in range(4):
        take(desk.sheets("Set-up")[0], k, 3, "6")
    for text in READ:
        sheet = desk.sheets("Readings")[0]
        take(sheet, *sheet.first(), text)
    for text, count in (("0.05", 20), ("0.1", 20), ("0.2", 20), ("0.5", 10), ("1", 10)):
        leaf = {"text": text, "unit": "mm", "m": float(text) / 1000, "step_m": 1e-5}
        desk.record(Draft(desk.work, "leaf", {"leaf": leaf, "count": count}))
    desk.acknowledge(desk.cautions("Moves")[0])
    key, work = desk.long_work()
    desk.long_work_done(key, work(lambda: 5.0))
    sheet = desk.sheets("Moves")[0]
    told = [sheet.cell(row, 2).text for row in range(2)]
    assert all("0." in words for words in told), told  # which leaves, not which turn
    for i in list(desk.result.to_do):
        desk.record(*desk.books(i))
        assert desk.file.journal.standing(desk.work, "put")[-1].body["leaves"] > 0
    for text in AGAIN:
        sheet = desk.sheets("Proof")[0]
        take(sheet, *sheet.first(), text)
    assert set(desk.result.left_verdicts) == {"in"}
    assert desk.next("Proof").key == "again"
    taken = desk.sheets("Proof")[3].enter(0)
    desk.enter_in_record(taken)
    assert desk.own_looks()
    # Next day: what was left is what is found; one stack has closed by 0.3 mm, and the bubble says so.
    desk.another_round()
    for text in ("1.0", "-1.2", "-5.4", "1.2", "7.8", "-2.2"):
        sheet = desk.sheets("Proof")[0]
        take(sheet, *sheet.first(), text)
    names = [p.name for p, v in zip(desk.book.points, desk.result.left_verdicts, strict=True) if v == "out"]
    assert names == ["C"] or "C" in names
