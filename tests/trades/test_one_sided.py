"""Feet push and never pull: bodies on frames that they may let go of, and no round on top of one that made it worse."""

from __future__ import annotations

import numpy as np
import pytest

from tests.frames import DIVISION, Frame
from tests.measure_bodies import TABLES, Bed, Table, below, some
from tests.trades.supports.test_works import Book
from vivid_keel.core.moving.engine import again_helps, made_worse
from vivid_keel.core.record.entries import Draft
from vivid_keel.trades.slab.book import sense
from vivid_keel.trades.slab.result import slab_findings


@pytest.mark.parametrize("share", [0.2, 0.5, 0.9])
def test_a_frame_stands_as_its_forces_say(share):
    """By another way than it was found: no foot pulls, none under load hangs, and forces and weight balance."""
    frame = Frame(np.array(TABLES[6]), share, np.random.default_rng(4))
    push = frame.springs * np.maximum(frame.tops - frame.h, 0.0)
    bent = frame.K @ (frame.h - frame.own)
    assert np.abs(bent + frame.weight - push).max() < 1e-9
    assert push.sum() == pytest.approx(frame.weight.sum(), rel=1e-6)
    x, y = frame.xy.T
    assert push @ x == pytest.approx(frame.weight @ x, rel=1e-6)
    assert push @ y == pytest.approx(frame.weight @ y, rel=1e-6)


def test_one_sided_contact_matters_in_these_frames():
    hang = [
        (frame.h - frame.tops > 1e-6).any()
        for k in range(12)
        for frame in [Frame(np.array(TABLES[6]), 0.5, np.random.default_rng(k))]
    ]
    assert sum(hang) >= 4


@pytest.mark.parametrize(
    ("kind", "load", "by", "aim"),
    [
        ("a table on 4 feet", "a frame that shares half", "turns", 0.95),
        ("a table on 6 feet", "a frame that shares half", "turns", 0.95),
        ("a table on 6 feet", "a frame that shares a fifth", "bubble", 0.9),
    ],
)
def test_feet_that_lift_off_come_in_after_two_rounds(kind, load, by, aim):
    came = some(kind, load, by, 12, 32)
    could = np.mean([one.could for one in came])
    assert not below(float(np.mean([one.good for one in came])), aim * could, len(came))
    assert sum(one.held for one in came) >= 0.88 * sum(one.stated for one in came)
    assert sum(one.false_in for one in came) <= 0.025 * sum(one.out for one in came) + 1


def a_table():
    book = Book("slab")
    book.add(Draft(book.work, "limits", {"tolerance": book.read("0.02 mm", "mm")}))
    for k, (x, y) in enumerate(TABLES[6]):
        book.add(Draft(book.work, "foot", {"name": "ABCDEF"[k], "x_m": x, "y_m": y}))
    table = Table.__new__(Table)
    table.book = book
    table.ids = [e.id for e in book.journal.standing(book.work, "foot")]
    return table


def lay(table, phase, heights):
    """The level laid in the order of work on feet at these heights, without noise."""
    result = table.result()
    for place in result.book.places:
        a, b = (table.ids.index(id) for id in place[:2])
        far = float(np.hypot(*(np.array(TABLES[6][b]) - np.array(TABLES[6][a]))))
        d = (heights[b] - heights[a]) / far / DIVISION
        body = {"from": place[0], "to": place[1], "way": place[2], "phase": phase, "text": f"{d:.1f}"}
        table.book.add(
            Draft(table.book.work, "laid", {**body, "tilt_rad": d * DIVISION, "step_rad": 0.2 * DIVISION})
        )
        _ = sense(place)
    return table.result()


def test_a_round_that_made_it_worse_is_followed_by_stop_and_names_how_it_stood_before():
    table = a_table()
    result = lay(table, "found", np.array([0.0, -5e-5, -8e-5, -1e-4, -6e-5, -3e-5]))
    for i in result.to_do:
        table.book_turned(result, i)
    better = lay(table, "left", np.zeros(6))
    assert made_worse(better) is None
    worse_table = a_table()
    result = lay(worse_table, "found", np.array([0.0, -5e-5, -8e-5, -1e-4, -6e-5, -3e-5]))
    for i in result.to_do:
        worse_table.book_turned(result, i)
    worse = lay(worse_table, "left", np.array([0.0, 2e-4, -3e-4, 1e-4, -2e-4, 3e-4]))
    before, now = made_worse(worse)
    assert before == pytest.approx(1e-4, abs=2e-5) and now == pytest.approx(3e-4, abs=3e-5)
    assert again_helps(worse) == []
    said = [f for f in slab_findings(worse, "Proof") if f.title.startswith("Stop: this round made it worse")]
    assert len(said) == 1 and "0.100 mm" in said[0].text and said[0].action == "round"
    for i in result.to_do:
        assert f"{result.book.points[i].name} −" in said[0].text or "more" in said[0].text


def test_behind_a_round_feet_only_rise_and_the_keeper_may_come_along():
    body = Table(6, 0.5, [32, 1])
    body.of.try_feet()
    result = body.read("found")
    for i in result.to_do:
        body.of.turn(i, float(result.lifts[i]))
        body.book_turned(result, i)
    result = body.read("left")
    made, leaves = result.put_in()
    body.book.add(
        Draft(
            body.book.work,
            "pass",
            {"put": {str(k): v for k, v in made.items()}, "leaves": {str(k): 0 for k in leaves}},
        )
    )
    result = body.result()
    assert result.to_do
    assert np.nanmin(result.lifts) >= 0
    expected = (
        result.moves
        - (result.learned.response.matrix - result.learned.response.matrix[result.aim.keeper]) @ result.lifts
    )
    assert np.abs(expected).max() < np.abs(result.moves).max()


def test_a_bed_that_went_as_one_is_offered_another_round():
    """Tilts know no line that could have moved: nothing withholds the round."""
    offered = 0
    for seed in range(12):
        bed = Bed(2, (0.0, 0.1), [32, seed])
        result = bed.read("found")
        for i in list(result.to_do):
            bed.of.turn(i, float(result.lifts[i]) * 0.5)
            bed.book_turned(result, i)
        result = bed.read("left")
        assert not result.task.one_line and result.line_in_doubt == 0.0
        if "out" in result.left_verdicts:
            assert again_helps(result)
            offered += 1
    assert offered
