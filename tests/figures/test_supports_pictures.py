"""Supports drawn: crowded rows, the keel line that tips, partial targets, three feet; a vehicle on its ground."""

from __future__ import annotations

import math

import numpy as np
import pytest

from tests.trades.supports.test_works import Book
from vivid_keel.core.moving.plan import TargetChoice
from vivid_keel.core.record.entries import Draft
from vivid_keel.figures.display import Blocks, Disc, Line, Poly
from vivid_keel.figures.moving.elevation import elevation
from vivid_keel.figures.moving.plan import plan
from vivid_keel.trades.vehicle.book import fold_vehicle
from vivid_keel.trades.vehicle.figure import stance
from vivid_keel.trades.vehicle.result import work_out_vehicle


def row(posts, limits=None):
    """A row of posts a little out of level."""
    book = Book("supports")
    book.way(0.0001)
    book.tolerance("1 mm")
    if limits:
        old = book.journal.latest(book.work, "limits")
        book.add(Draft(book.work, "limits", {**old.body, **limits}))
    rng = np.random.default_rng(posts)
    for k, mm in enumerate(rng.integers(0, 90, posts).tolist()):
        book.post(f"P{k + 1}", f"{1.25 - mm / 10000:.4f}", x=1.2 * k)
    return book


def keel(p):
    return [i for i in p.items if isinstance(i, Line) and i.ink == "keel"]


def test_a_crowded_row_says_what_there_is_room_for_and_the_greatest_of_each_few():
    result = row(60).supports()
    p = elevation(result, "A", 740, 290, label="target")
    names = [t.text for t in p.items if getattr(t, "text", "").startswith("P")]
    assert 6 <= len(names) <= 10
    worst = max(result.to_move, key=lambda i: abs(result.moves[i]))
    assert result.book.points[worst].name in names
    spots = sorted(t.x for t in p.items if getattr(t, "text", "") in names)
    assert min(b - a for a, b in zip(spots, spots[1:], strict=False)) > 50
    assert len([i for i in p.items if isinstance(i, Blocks)]) == 2  # posts are mere strokes
    assert len([h for h in p.hits if h.key.startswith("point:")]) == 60  # and each can be pointed at


def test_the_post_in_hand_is_always_named_in_a_crowd():
    result = row(60).supports()
    for focus in (0, 17, 59):
        p = elevation(result, "A", 740, 290, focus, "moves")
        assert result.book.points[focus].name in p.texts()


def test_a_roomy_row_names_every_post():
    p = elevation(row(6).supports(), "A", 740, 290, label="moves")
    assert {f"P{k}" for k in range(1, 7)} <= set(p.texts())


def test_the_ring_that_tips_the_line_lies_on_it():
    result = row(6).supports()
    for gradient in (0.0, 0.002, -0.003):
        choice = TargetChoice("fall", gradient=(gradient, 0.0)) if gradient else None
        p = elevation(row(6).supports(target=choice) if choice else result, "A", 740, 290, label="target")
        assert p.tilt is not None and p.drag is not None
        assert p.tilt.value == pytest.approx(gradient, abs=1e-9)
        end = sum(p.tilt.span) / 2
        assert p.drag.at(end) == pytest.approx(p.tilt.y, abs=1e-6)
        ring = [i for i in p.items if isinstance(i, Disc) and i.ink == "keel"]
        assert (ring[0].x, ring[0].y) == pytest.approx((end, p.tilt.y))
        # The dashed line runs straight through: every piece of it lies where the drag says.
        for line in keel(p):
            if line.dash:
                assert p.drag.at(line.x1) == pytest.approx(line.y1, abs=1e-6)


def test_a_pixel_at_the_ring_is_worth_what_the_rise_over_the_row_makes_of_it():
    result = row(6).supports()
    p = elevation(result, "A", 740, 290, label="target")
    tipped = row(6).supports(target=TargetChoice("fall", gradient=(20 * p.tilt.metres_per_pixel, 0.0)))
    points = result.book.points
    # Over the ring's own distance from the first post the line has gained twenty pixels' worth of height.
    reach = p.drag.metres_per_pixel / p.tilt.metres_per_pixel
    gain = (tipped.targets[-1] - tipped.targets[0]) / (points[-1].x - points[0].x) * reach
    assert gain == pytest.approx(20 * p.drag.metres_per_pixel)


def test_heights_from_a_drawing_are_not_dragged():
    book = row(5)
    assert elevation(book.supports(target=TargetChoice("given")), "A", 740, 290, label="target").drag is None


def test_a_partial_target_marks_each_posts_own_goal():
    result = row(6, {"share": 0.5}).supports()
    p = elevation(result, "A", 740, 290, label="target")
    marks = [i for i in keel(p) if 0 < i.x2 - i.x1 < 60]
    assert len(marks) == 6 and all(m.dash for m in marks)
    line = next(i for i in keel(p) if i.x1 == 0.0)
    heights = {round(m.y1 - line.y1, 3) for m in marks}
    assert min(heights) >= -1e-6 and max(heights) > 1  # none above the whole target, some well below it


def test_three_feet_are_drawn_on_the_plan():
    book = row(4, {"order": "three"})
    book.post("B1", "1.2440", x=1.0, row="B")
    last = book.journal.standing(book.work, "point")[-1]
    book.add(Draft(book.work, "point", {**last.body, "y_m": 3.0}, strikes=last.id))
    result = book.supports()
    assert len(result.feet) == 3
    p = plan(result, 740, 290)
    assert [i for i in p.items if isinstance(i, Poly) and len(i.points) == 3 and i.fill == "lit"]
    assert any("three feet first" in t for t in p.texts())
    assert not [i for i in plan(row(4).supports(), 740, 290).items if isinstance(i, Poly) and i.fill == "lit"]


def vehicle(roll, pitch=0.0, **facts):
    book = Book("vehicle")
    for what, (text, value) in facts.items():
        body = {"what": what, "text": text} | ({} if value is None else {"value": value})
        book.add(Draft(book.work, "vehicle", body))
    tilt = {
        "phase": "found",
        "roll_rad": math.radians(roll),
        "pitch_rad": math.radians(pitch),
        "text": f"{roll} / {pitch}",
    }
    book.add(Draft(book.work, "tilts", tilt))
    return work_out_vehicle(fold_vehicle(book.journal, book.work))


@pytest.mark.parametrize("roll", [2.4, -1.5, 0.6])
def test_wheels_stand_on_the_ground_they_lean_on(roll):
    p = stance(vehicle(roll), 740, 290)
    ground = next(
        i for i in p.items if isinstance(i, Line) and i.ink == "ink" and i.x2 - i.x1 > 300 and i.y1 != i.y2
    )
    slope = (ground.y2 - ground.y1) / (ground.x2 - ground.x1)
    wheels = [i for i in p.items if isinstance(i, Poly) and i.fill == "night"]
    assert len(wheels) == 2
    for wheel in wheels:
        below = max(y - (ground.y1 + slope * (x - ground.x1)) for x, y in wheel.points)
        assert below == pytest.approx(0, abs=1e-6)
    assert (ground.y2 < ground.y1) == (roll > 0)  # right side high


@pytest.mark.parametrize(("roll", "side"), [(2.4, "left"), (-2.4, "right")])
def test_the_ramp_waits_beside_the_low_wheel(roll, side):
    result = vehicle(roll)
    p = stance(result, 740, 290)
    (ramp,) = [i for i in p.items if isinstance(i, Poly) and i.fill == "leaf"]
    wheels = sorted(
        (i for i in p.items if isinstance(i, Poly) and i.fill == "night"), key=lambda w: w.points[0][0]
    )
    middle = sum(x for x, _ in ramp.points) / len(ramp.points)
    if side == "left":
        assert middle < min(x for x, _ in wheels[0].points)
    else:
        assert middle > max(x for x, _ in wheels[1].points)
    assert result.instructions[0].where.startswith(side)


@pytest.mark.parametrize("sort", ["trailer", "twin", "four"])
def test_the_side_view_has_its_axles(sort):
    p = stance(vehicle(1.0, 1.0, sort=(sort, None)), 740, 290)
    assert (
        len([i for i in p.items if isinstance(i, Disc) and i.r == 22])
        == {"trailer": 1, "twin": 2, "four": 2}[sort]
    )


@pytest.mark.parametrize("chosen", ["hangs", "stands"])
def test_the_sense_of_the_scale_is_chosen_with_a_picture(chosen):
    """The higher point shows the larger reading where the scale hangs, the smaller where it stands."""
    from vivid_keel.trades.supports.figure import senses

    p = senses(740, 310, chosen)
    words = {
        t.text: t
        for t in p.items
        if getattr(t, "text", "") in {"larger", "smaller"} or "reading is" in getattr(t, "text", "")
    }
    assert words[next(t for t in words if t.startswith(chosen))].bold
    points = sorted((b for b in p.items if getattr(b, "fill", "") in {"wood", "stone"}), key=lambda b: b.x)
    low_hung, high_hung, low_stood, high_stood = points
    assert high_hung.y < low_hung.y and high_stood.y < low_stood.y
    said = sorted((t for t in p.items if getattr(t, "text", "") in {"larger", "smaller"}), key=lambda t: t.x)
    assert [t.text for t in said] == ["smaller", "larger", "larger", "smaller"]
    (line_hung, line_stood) = sorted((i for i in keel(p)), key=lambda i: i.x1)
    assert line_hung.y1 > high_hung.y + 16 and line_stood.y1 < high_stood.y
