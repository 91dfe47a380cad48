"""Pictures of the level book: the staff's face, where to stand, the network; each says what the numbers say."""

from __future__ import annotations

import numpy as np
import pytest

from tests.trades.network.test_network_work import LOOP, book
from vivid_keel.core.booking.planning import Reach, Waypoint, plan_standing
from vivid_keel.core.quantities import LengthStyle
from vivid_keel.core.quantities.length import FOOT, INCH
from vivid_keel.figures.display import Blocks, Box, Line
from vivid_keel.figures.staff_face import hair_step, staff_face
from vivid_keel.trades.network.figure import network
from vivid_keel.trades.network.result import work_out_network
from vivid_keel.trades.run.standing_figure import standing

METRES, EIGHTHS, FEET = LengthStyle("m", 3), LengthStyle("ft-in", 0, 8), LengthStyle("ft", 2)
SIZE = (420.0, 320.0)


def keel(p):
    return max((i for i in p.items if isinstance(i, Line) and i.ink == "keel"), key=lambda i: i.width)


@pytest.mark.parametrize("upside_down", [False, True])
@pytest.mark.parametrize(("style", "hair"), [(METRES, 1.482), (EIGHTHS, 62.375 * INCH), (FEET, 4.86 * FOOT)])
def test_the_hair_lies_where_its_drag_says_and_moves_by_it(style, hair, upside_down):
    p = staff_face(style, hair, hair, *SIZE, upside_down=upside_down)
    assert keel(p).y1 == p.drag.y
    assert p.drag.value == hair
    step = hair_step(style)
    moved = staff_face(style, hair + step, hair, *SIZE, upside_down=upside_down)
    assert (p.drag.y - moved.drag.y) * p.drag.metres_per_pixel == pytest.approx(step)
    assert (moved.drag.y < p.drag.y) != upside_down  # upside down, values grow downwards


def test_metric_blocks_are_ten_millimetres_and_change_colour_with_the_metre():
    p = staff_face(METRES, 0.5, 0.5, *SIZE)
    blocks = [i for i in p.items if isinstance(i, Box) and i.fill in {"staff", "raise"}]
    scale = abs(1 / p.drag.metres_per_pixel)
    tall = {round(b.height / scale, 4) for b in blocks}
    assert 0.01 in tall
    assert max(tall) <= 0.05 + 1e-6  # the bar that joins five
    assert {b.fill for b in blocks} == {"staff"}
    assert {b.fill for b in staff_inks(staff_face(METRES, 1.0, 1.0, *SIZE))} == {"staff", "raise"}
    assert "0.5" in p.texts()


def staff_inks(p):
    return [i for i in p.items if isinstance(i, Box) and i.fill in {"staff", "raise"}]


def test_the_edges_of_an_eighth_count():
    p = staff_face(EIGHTHS, 5 * FOOT, 5 * FOOT, *SIZE)
    scale = abs(1 / p.drag.metres_per_pixel)
    bars = staff_inks(p)
    inner = [b for b in bars if b.height > 0.9 * scale * INCH / 8]
    assert all(b.height == pytest.approx(scale * INCH / 8) for b in inner)
    edges = {round((p.drag.y - b.y) / scale / (INCH / 8), 3) for b in inner} | {
        round((p.drag.y - b.y - b.height) / scale / (INCH / 8), 3) for b in inner
    }
    assert all(e == round(e) for e in edges)
    assert "5′" in p.texts()


def test_the_first_look_stands_beside_the_hair():
    p = staff_face(METRES, 1.483, 1.483, *SIZE, others=((1.482, "first look"),), title="BM gatepost")
    assert {"first look", "BM gatepost"} <= set(p.texts())
    far = staff_face(METRES, 2.5, 2.5, *SIZE, others=((1.482, "first look"),))
    assert "first look" not in far.texts()


@pytest.mark.parametrize(("style", "step"), [(METRES, 0.001), (EIGHTHS, INCH / 8), (FEET, FOOT / 100)])
def test_an_arrow_key_moves_by_a_millimetre_an_eighth_or_a_hundredth(style, step):
    assert hair_step(style) == step


# Where to stand

WAY = [Waypoint("BM", 50.0, 0.0), Waypoint("drain", 49.5, 40.0), Waypoint("crest", 51.0, 120.0)]


def test_every_set_up_has_its_band_its_line_and_its_number():
    plan = plan_standing(WAY, Reach())
    p = standing(WAY, plan, Reach(), METRES, 760.0, 320.0, focus=1)
    lines = [i for i in p.items if isinstance(i, Line) and i.ink == "keel" and i.dash]
    assert len(lines) == len(plan.setups)
    bands = [i for i in p.items if isinstance(i, Box) and i.fill == "lit"]
    for band, line in zip(bands, lines, strict=True):
        assert band.y - 1e-6 <= line.y1 <= band.y + band.height + 1e-6
    assert [t for t in p.texts() if t.startswith("1")]
    assert {h.key for h in p.hits} == {"row:0", "row:1", "row:2"}
    assert "lengths to scale" in p.texts()[-1]


def test_without_lengths_marks_are_evenly_spaced_and_without_marks_it_says_what_to_do():
    way = [Waypoint("BM", 50.0), Waypoint("sill", 50.2)]
    p = standing(way, plan_standing(way), Reach(), METRES, 760.0, 320.0)
    assert "no lengths given" in p.texts()[-1]
    empty = standing([], None, Reach(), METRES, 760.0, 320.0)
    assert empty.caption.startswith("List the marks")


# A network


def test_marks_stand_at_their_heights_and_the_doubtful_leg_is_marked():
    lines = [
        ("BM", "a", 1.0, 40.0, 1),
        ("a", "b", 0.5, 40.0, 1),
        ("BM", "b", 1.5, 40.0, 2),
        ("a", "c", 0.1, 9.0, 2),
        ("c", "b", 0.4, 9.0, 2),
        ("BM", "c", 1.15, 9.0, 1),
    ]
    result = work_out_network(book(lines))
    p = network(result, 760.0, 320.0, focus=0)
    at = {h.tip: h.y for h in p.hits if h.key.startswith("row:")}
    by_height = sorted(result.net.names, key=lambda n: -result.net.heights[result.net.names.index(n)])
    assert sorted(at, key=at.__getitem__) == by_height  # up is up
    thick = [i for i in p.items if isinstance(i, Line) and i.ink == "wrong"]
    assert thick
    assert all(i.width > 3 for i in thick)
    assert any(name in p.texts() for name in result.net.names)


def test_an_honest_network_marks_nothing_and_dashes_what_nothing_checks():
    result = work_out_network(book(LOOP))
    p = network(result, 760.0, 320.0)
    assert not [i for i in p.items if isinstance(i, Line) and i.ink == "wrong"]
    assert [i for i in p.items if isinstance(i, Line) and i.dash]
    assert not [i for i in p.items if isinstance(i, Blocks)]


def test_labels_do_not_cover_each_other_in_the_middle_of_a_network():
    rng = np.random.default_rng(3)
    lines = [("BM", f"m{i}", float(rng.uniform(-1, 1)), 30.0, 1) for i in range(7)]
    lines += [(f"m{i}", f"m{(i + 1) % 7}", 0.0, 30.0, 2) for i in range(7)]
    p = network(work_out_network(book(lines)), 900.0, 420.0)
    spots = [(i.x, i.y) for i in p.items if getattr(i, "bold", False) and "±" in getattr(i, "text", "")]
    assert len(spots) == 7
    close = [
        (a, b)
        for k, a in enumerate(spots)
        for b in spots[k + 1 :]
        if abs(a[0] - b[0]) < 60 and abs(a[1] - b[1]) < 10
    ]
    assert close == []


def test_a_large_network_is_drawn_around_the_leg_in_hand():
    rng = np.random.default_rng(1)
    lines = [
        (f"{i}", f"{(i + k) % 60}", float(rng.normal(0, 0.001)), 20.0, 1) for i in range(60) for k in (1, 2)
    ]
    result = work_out_network(book(lines, {"0": (10.0, 0.0)}))
    p = network(result, 760.0, 320.0, focus=30)
    shown = {h.tip for h in p.hits if h.key.startswith("row:")}
    assert "30" in shown
    assert len(shown) < 40
    assert "around the one in hand" in p.texts()[-1]


@pytest.mark.parametrize("result", [None, work_out_network(book([]))])
def test_a_network_that_is_not_there_yet_says_so(result):
    assert network(result, 760.0, 320.0).caption
