"""Site mode of works that are read cell by cell: the next thing, typed key by key, refused in place, taken back."""

from __future__ import annotations

import pytest

from tests.desk.test_bubble_site import type_in
from vivid_keel.core.record.entries import Draft
from vivid_keel.files import JobFile
from vivid_keel.trades.registry import desk_for


@pytest.fixture
def job(tmp_path):
    with JobFile.create(tmp_path / "job.keel", "Mill", "Ada", decimal_mark=".") as file:
        yield file


def yard(job, by="heights"):
    (work,) = job.record([Draft(0, "work", {"name": "Yard", "type": "groundwork", "unit": "m"})])
    job.record([Draft(work.id, "ground-fact", {"fact": "by", "text": by, "value": 1.0})])
    for k, (x, y) in enumerate(((0.0, 0.0), (4.0, 0.0), (4.0, 3.0))):
        job.record([Draft(work.id, "ground-point", {"name": f"s{k}", "x_m": x, "y_m": y, "edge": True})])
    return desk_for(job, work.id)


def test_ground_is_read_stake_after_stake(job):
    desk = yard(job)
    booking = desk.site_booking()
    assert booking.mark == "s0" and booking.head() == "Yard · 3 to read"
    assert not type_in(booking, "1.2") and "cautions" in booking.said and booking.text == "1.2"
    desk.acknowledge(desk.cautions("Readings")[0])
    assert booking.take() and booking.said == "s0: 1.2 booked" and booking.text == ""
    assert booking.names() == ["s1", "s2"] and desk.focus != -1 and booking.picture(300, 300).items
    assert not type_in(booking, "1.2.") and booking.wrong and booking.text == "1.2."
    for _ in range(4):
        booking.erase()
    assert not booking.take() and "nothing was taken" in booking.said.lower()
    assert type_in(booking, "-0.4") and booking.mark == "s2"
    booking.strike_last()
    assert booking.said == "Taken back: s1 -0.4" and booking.mark == "s1"
    assert len(desk.book.points) == 3  # the stake stays where it is
    booking.set_mark("s0")
    assert "order of work" in booking.said
    for text in ("0.3", "0.2"):
        assert type_in(booking, text), booking.said
    assert "all is read" in booking.head() and booking.mark == "" and desk.result.tin is not None


def test_a_liquid_level_looks_at_its_benchmark_first_and_last(job):
    desk = yard(job, "hydrostatic level")
    desk.acknowledge(desk.cautions("Readings")[0])
    booking = desk.site_booking()
    for name, text in (
        ("benchmark", "0.1"),
        ("s0", "0.5"),
        ("s1", "0.6"),
        ("s2", "0.7"),
        ("benchmark", "0.102"),
    ):
        assert booking.mark == name
        assert type_in(booking, text), booking.said
    assert booking.mark == "" and desk.book.hydro.unchecked == []


def test_track_is_sighted_levelled_and_after_traffic_sighted_again(job):
    (work,) = job.record([Draft(0, "work", {"name": "Siding", "type": "rails", "unit": "m"})])
    job.record([Draft(work.id, "track-fact", {"fact": "sleepers", "text": "9", "value": 9.0})])
    desk = desk_for(job, work.id)
    booking = desk.site_booking()
    desk.acknowledge(desk.cautions("Readings")[0])
    assert (booking.mark, booking.unit_label, booking.stage) == ("sleeper 1", "measures", "Readings")
    for text in ("0", "2", "0"):
        assert type_in(booking, text), booking.said
    assert (booking.mark, booking.unit_label) == ("sleeper 1, level", "millimetres")
    for text in ("-1", "0", "0"):
        assert type_in(booking, text), booking.said
    assert booking.mark == "sleeper 1 again" and booking.stage == "Proof"
    assert booking.ask().startswith("once ") and " cans lie under" in booking.ask()
    assert type_in(booking, "0")
    booking.strike_last()
    assert booking.said == "Taken back: 0 at sleeper 1" and booking.mark == "sleeper 1 again"
