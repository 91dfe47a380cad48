"""Ground looked at again: an earlier surface from a file, a benchmark that moved, and what is shown of how well it is known."""

from __future__ import annotations

import math

import numpy as np
import pytest

from tests.saying import take, what_is_said
from tests.trades.conftest import wait
from tests.trades.ground.test_ground import KEY, SQUARE, desk, ground, typed
from tests.trades.supports.test_works import titles
from vivid_keel.figures.display import Dots, Poly, Text
from vivid_keel.figures.report import Heading
from vivid_keel.trades.ground.figure_lines import along, low_sun, shades
from vivid_keel.trades.ground.paper import stake_pages

__all__ = ["desk"]
BEFORE = "point,along,across,height\n" + "".join(
    f"{k},{x},{y},{-0.45 + 0.01 * x}\n"
    for k, (x, y) in enumerate([(0, 0), (2, 0), (4, 0), (4, 4), (2, 2.5), (0, 4)])
)


def yard(desk):
    """A square yard with a point in its middle."""
    typed(desk, *SQUARE, ("m", "2", "2", "0.500"))
    take(desk.sheets("Readings")[0], 4, 4, "inside")


def test_a_file_brought_in_under_proof_is_the_ground_as_it_was_and_never_a_reading(desk):
    yard(desk)
    before = desk.result.tin.xyz.copy()
    (draft,) = desk.brought("Proof", "spring.csv", BEFORE.encode())
    desk.record(draft)
    assert draft.kind == "ground-before" and np.array_equal(desk.result.tin.xyz, before)
    assert desk.file.source_of(next(iter(desk.file.sources()))) == BEFORE.encode()
    (found,) = [f for f in desk.findings("Proof") if f.title.startswith("Since spring.csv")]
    # Both surfaces are planes between few corners: what came less what went is the one volume less the other.
    xy = np.array([(0.5, 0.5), (3.5, 0.5), (2.0, 3.0)])
    assert "where both have ground" in found.text and "Moved for certain" not in found.text
    since = desk.result.since
    assert since.area == pytest.approx(16.0) and since.U > 0 and len(xy) == 3
    assert desk.sheets("Proof")[0].labels != [
        "spring.csv"
    ]  # its points have no names: no line of the sheet is its


def test_points_that_all_went_alike_are_laid_to_the_benchmark_and_the_odd_one_named(desk):
    typed(desk, *SQUARE, ("m", "2", "2", "0.500"))
    assert not any("alike" in title for title in titles(desk.findings("Proof")))
    visits = desk.sheets("Proof")[0]
    desk.record(*visits.enter(visits.count - 1).drafts)
    # The line hangs 20 mm higher: everything reads 20 mm more; the middle was filled by 60 besides.
    for row, text in enumerate(("0.320", "0.420", "0.520", "0.420", "0.460")):
        take(desk.sheets("Readings")[0], row, 3, text)
    (said,) = [f for f in desk.findings("Proof") if "alike" in f.title]
    assert (
        said.title == "4 of 5 points went 20.0 mm down alike" and "the line was hung otherwise" in said.text
    )
    assert "m +60.0 mm" in said.text


@pytest.mark.parametrize(
    ("changes", "alike"),
    [
        ((0, 0, 0, 0, 0), False),
        ((20, -20, 40, 0, -40), False),
        ((3, 3, 2, 3, 3), True),
        ((9, 9, 9, 90, 90), False),
    ],
)
def test_what_goes_every_way_or_nowhere_is_no_benchmark(desk, changes, alike):
    """± 5 mm a point: a change of one owes 7; five alike are told to 3.2. Three of five alike are too few."""
    typed(desk, *SQUARE, ("m", "2", "2", "0.500"))
    visits = desk.sheets("Proof")[0]
    desk.record(*visits.enter(visits.count - 1).drafts)
    reads = (0.3, 0.4, 0.5, 0.4, 0.5)
    for row, (read, by) in enumerate(zip(reads, changes, strict=True)):
        take(desk.sheets("Readings")[0], row, 3, f"{read + 2 * by / 1000:.3f}")
    assert any("alike" in title for title in titles(desk.findings("Proof"))) == alike


def rolling(n=60, seed=3):
    rng = np.random.default_rng(seed)
    inside = rng.uniform((0.5, 0.5), (9.5, 7.5), (n, 2))
    corners = np.array([(0, 0), (10, 0), (10, 8), (0, 8)])
    xy = np.concatenate([corners, inside])
    return [(x, y, 0.2 * math.sin(x) * math.cos(y)) for x, y in xy.tolist()]


def test_how_well_a_place_to_look_is_known_stands_beside_it():
    result = ground(rolling(), plane=0.0)
    (said,) = [f for f in what_is_said(KEY, result, "Readings") if f.title.startswith("Look by")]
    assert f"it is told there to ± {1000 * result.looks_known[0]:.0f} mm" in said.text
    assert result.looks_known[0] > 5 * result.book.facts.values["good"]
    assert (
        result.known_at(np.array([[50.0, 50.0]])).tolist()
        != result.known_at(np.array([[50.0, 50.0]])).tolist()
    )


def test_low_light_is_bright_where_ground_faces_it_and_dark_behind():
    up = np.array(
        [
            [[0, 0, 0], [1, 0, 0.1], [0, 1, 0]],
            [[0, 0, 0], [1, 0, -0.1], [0, 1, 0]],
            [[0, 0, 0], [1, 0, 0], [0, 1, 0]],
        ]
    )
    towards, away, level = shades(up.astype(float)).tolist()
    assert towards > level > away  # the sun stands on the left: what rises to the right faces it
    picture = low_sun(ground(rolling()), 760, 300)
    inks = {item.fill for item in picture.items if isinstance(item, Poly)}
    assert len([ink for ink in inks if ink.startswith("slope")]) >= 4


def test_along_a_line_dots_tell_how_well_it_is_known(desk):
    yard(desk)
    take(desk.sheets("Readings")[1], 0, 0, "across")
    take(desk.sheets("Readings")[1], 0, 1, "look")
    take(desk.sheets("Readings")[1], 0, 2, "a, c")
    picture = along(desk.result, 760, 300, 0)
    dots = [item for item in picture.items if isinstance(item, Dots)]
    assert len(dots) == 2 and len(dots[0].x) > 50
    assert (dots[0].y > dots[1].y).all()  # below and above


def test_the_stakes_for_the_pocket_go_round_the_edge_first():
    result = ground([*rolling(2)[:4], (5, 4, 0.1), (3, 3, -0.1)], plane=0.0)
    pages = stake_pages(result, Heading("Mill", "Yard", "today", "now", "I. Withy"))
    words = [item.text for page in pages for item in page.items if isinstance(item, Text)]
    assert [w for w in words if w.startswith("p") and w[1:].isdigit()] == ["p0", "p1", "p2", "p3", "p4", "p5"]
    assert "The water stands at 0.0000." in words


def test_what_was_before_very_many_points_is_the_workers_too_and_never_stale(desk, monkeypatch):
    monkeypatch.setattr("vivid_keel.trades.ground.result.LARGE", 4)
    yard(desk)
    wait(desk)
    assert desk.result.large and desk.result.since is None
    desk.record(*desk.brought("Proof", "spring.csv", BEFORE.encode()))
    assert desk.result.waits  # the key has changed with it: the worker begins anew
    wait(desk)
    first = desk.result.since
    assert first is not None and first.before == "spring.csv"
    lower = BEFORE.replace("-0.45", "-0.55").encode()
    desk.record(*desk.brought("Proof", "autumn.csv", lower))
    wait(desk)
    assert desk.result.since.before == "autumn.csv" and desk.result.since.came > first.came


def test_ground_whose_earlier_surface_has_very_many_points_is_the_workers(desk, monkeypatch):
    yard(desk)
    monkeypatch.setattr("vivid_keel.trades.ground.result.LARGE", 5)
    assert not desk.result.large
    desk.record(*desk.brought("Proof", "spring.csv", BEFORE.encode()))
    assert desk.result.large
