"""The staff's own foot: what it does to a run and to supports, seen, and switched."""

from __future__ import annotations

import numpy as np
import pytest
from hypothesis import given
from hypothesis import strategies as st

from tests.trades.supports.test_works import Book
from vivid_keel.core.instruments.used import Staff, staff_draft
from vivid_keel.core.record.entries import Draft
from vivid_keel.trades.run.corrections import corrections


def worn(mm, decision="correct", name="Yard staff"):
    return Staff(name, mm / 1000, 0.0002, 3, "corrected", "checked today", decision)


def read_run(book):
    """A benchmark, an underside read overhead, a sill: true heights 50.000, 53.000, 49.600, the line at 51.400."""
    book.known("BM", "50.000")
    book.sight("BS", "BM", "1.404")
    book.sight("IS", "soffit", "-1.604")
    book.sight("FS", "sill", "1.804")


def test_a_worn_foot_cancels_between_sights_of_one_staff_and_not_overhead():
    book = Book("run")
    book.add(
        staff_draft(book.work, worn(4, decision=""))
    )  # its foot is gone by 4 mm: every reading is too long
    read_run(book)
    left_in = book.run()
    assert left_in.height(2) == pytest.approx(49.600)
    assert left_in.height(1) == pytest.approx(53.008)  # twice the foot
    book.add(Draft(book.work, "closing", {"use_staff": True}))
    taken_out = book.run()
    assert taken_out.height(1) == pytest.approx(53.000)
    assert taken_out.height(2) == pytest.approx(49.600)
    assert corrections(taken_out).greatest_staff == pytest.approx(0.008)
    assert "foot" in taken_out.why_height(1).formula
    assert taken_out.booked.tolist() == left_in.booked.tolist()  # readings stay as read


def test_what_its_owner_decided_to_correct_is_corrected_and_can_be_switched_off():
    book = Book("run")
    book.add(staff_draft(book.work, worn(4)))
    read_run(book)
    assert book.run().height(1) == pytest.approx(53.000)
    book.add(Draft(book.work, "closing", {"use_staff": False}))
    assert book.run().height(1) == pytest.approx(53.008)


def test_another_staff_counts_from_where_it_was_taken():
    book = Book("run")
    book.known("BM", "50.000")
    book.sight("BS", "BM", "1.400")  # on a sound staff nobody named
    book.add(Draft(book.work, "event", {"what": "staff"}), staff_draft(book.work, worn(6)))
    book.sight("FS", "sill", "1.806")
    r = book.run()
    assert [book.staff for book in (r.book.rows[i] for i in r.book.sights)] == [0, 1]
    assert r.height(r.book.sights[-1]) == pytest.approx(49.600)
    assert corrections(r).setups[0].staff == pytest.approx(-0.006)


@given(st.integers(-9, 9), st.lists(st.integers(300, 3900), min_size=2, max_size=6))
def test_upright_sights_of_one_staff_never_feel_its_foot(mm, readings):
    heights = []
    for foot in (0, mm):
        book = Book("run")
        book.known("BM", "50.000")
        book.add(staff_draft(book.work, worn(foot)))
        book.sight("BS", "BM", f"{readings[0] / 1000:.3f}")
        for k, r in enumerate(readings[1:]):
            book.sight("IS", f"p{k}", f"{r / 1000:.3f}")
        heights.append(book.run().reduction.heights)
    assert heights[0] == pytest.approx(heights[1], abs=1e-9)


def mixed():
    book = Book("supports")
    book.way(0.0001)
    book.tolerance("1 mm")
    book.add(staff_draft(book.work, worn(5)))
    # One level beam: hung from it the scale reads 1.205, stood on a sill 2.400 below it 1.205, each 5 mm too long.
    for name, sense in (("A1", "hangs"), ("A2", "hangs")):
        book.post(name, "1.205", sense=sense)
    return book


def test_hung_and_stood_scales_agree_once_the_foot_is_out():
    book = mixed()
    book.post("S1", "1.205", x=2.0, sense="stands")
    r = book.supports()
    assert r.book.use_staff
    assert np.ptp(r.heights) == pytest.approx(2.4)
    book.add(Draft(book.work, "corrections", {"use_collimation": False, "use_staff": False}))
    assert np.ptp(book.supports().heights) == pytest.approx(2.41)


def test_readings_to_stop_at_are_those_the_worn_scale_shows():
    book = mixed()
    book.post("A3", "1.199", x=4.0)
    book.add(Draft(book.work, "mover", {"what": "jack", "values": {}}))
    r = book.supports()
    i = next(k for k, p in enumerate(r.book.points) if p.name == "A3")
    assert r.moves[i] == pytest.approx(0.006)
    assert r.stop_at(i) == pytest.approx(1.205)
    assert r.target_reading("hangs") == pytest.approx(1.205)


def test_a_sound_staff_taken_for_the_next_day_ties_to_the_worn_one():
    book = mixed()
    book.add(Draft(book.work, "reference", {"phase": "found", "reading": book.read("0.805")}))
    book.add(staff_draft(book.work, worn(0, name="New staff")))
    for p in book.supports().book.points:
        book.add(Draft(book.work, "reading", {"point": p.id, "phase": "left", "reading": book.read("1.190")}))
    book.add(
        Draft(book.work, "reference", {"phase": "left", "reading": book.read("0.810")})
    )  # the line is 10 mm higher
    r = book.supports()
    assert r.line_shift == pytest.approx(0.010)
    assert [r.deviation_left(i) for i in range(2)] == pytest.approx([0, 0], abs=1e-9)


def test_a_sight_corrected_or_booked_at_the_end_keeps_the_staff_it_was_read_on():
    """The desk lets a sight follow without folding the whole book: the same to the last bit."""
    from vivid_keel.trades.run.book import sight_row
    from vivid_keel.trades.run.result import with_correction, with_sight

    book = Book("run")
    book.add(staff_draft(book.work, worn(4)))
    read_run(book)
    book.add(staff_draft(book.work, worn(-2, name="Other staff")))
    before = book.run()
    row = next(i for i, r in enumerate(before.book.rows) if r.mark == "soffit")
    body = {"mark": "soffit", "sight": "IS", "reading": book.read("-1.610")}
    entry = book.journal.entries[book.add(Draft(book.work, "sight", body, strikes=before.book.rows[row].id))]
    old = before.book.rows[row]
    quick = with_correction(before, row, sight_row(entry, old.setup, True, old.instrument, old.staff))
    assert quick.reduction.heights.tolist() == book.run().reduction.heights.tolist()
    grown_from = book.run()
    body = {"mark": "sill", "sight": "BS", "reading": book.read("1.300")}
    book.add(Draft(book.work, "setup", {}))
    entry = book.journal.entries[book.add(Draft(book.work, "sight", body))]
    grown = with_sight(grown_from, sight_row(entry, 1))
    assert [grown.book.rows[i].staff for i in grown.book.sights] == [1, 1, 1, 2]
    assert grown.reduction.heights.tolist() == book.run().reduction.heights.tolist()
