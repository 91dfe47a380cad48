"""Looks back are checks; a way that goes on from an intermediate sight is counted by the sights it goes by."""

from __future__ import annotations

import numpy as np
import pytest

from tests.core.booking.test_level_book import GATE, WIDE, run_of
from vivid_keel.core.booking.checks import page_checks
from vivid_keel.core.booking.closing import ToleranceClass, adjusted_heights
from vivid_keel.core.booking.layout import BS, FS, IS, ListedMark
from vivid_keel.core.booking.pages import page_totals
from vivid_keel.core.booking.uncertainty import height_uncertainty

LOOKED_BACK = [
    (0, "gate", BS, 1.482),
    (0, "CP 1", FS, 1.104),
    (1, "CP 1", BS, 1.211),
    (1, "sill", IS, 0.940),
    (1, "CP 1", IS, 1.311),  # sunk, or misread, by a decimetre
    (1, "gate", FS, 1.588),
]
KNOCKED = [
    (0, "gate", BS, 1.500),
    (0, "P", IS, 1.200),
    (0, "Q", IS, 1.700),  # then it was knocked: no foresight was taken
    (1, "P", BS, 1.350),
    (1, "CP 1", FS, 1.100),
    (2, "CP 1", BS, 1.400),
    (2, "gate", FS, 1.946),
]
DISTANCES = [30.0, 20.0, 99.0, 25.0, 35.0, 40.0, 30.0]


def test_a_last_look_at_a_change_point_does_not_become_its_height():
    reduction, closure = run_of(LOOKED_BACK)
    assert reduction.observed()["CP 1"] == pytest.approx(50.378)
    assert reduction.heights[4] == pytest.approx(50.278)  # the look itself is still there to be compared
    adjusted = adjusted_heights(reduction, closure)
    assert adjusted["CP 1"] == pytest.approx(50.378 - closure.misclosure / 2)
    assert reduction.layout.holds["CP 1"] == 1 and reduction.layout.holds["sill"] == 3


def test_a_listed_mark_and_one_without_a_backsight_are_as_observed_last():
    listed = {**GATE, "post": ListedMark("post", 49.0, fixed=False)}
    sights = [
        (0, "gate", BS, 1.5),
        (0, "post", IS, 2.5),
        (0, "sill", IS, 1.0),
        (0, "sill", IS, 1.002),
        (1, "post", BS, 1.1),
        (1, "post", IS, 1.103),
    ]
    reduction, _ = run_of(sights, listed)
    assert reduction.observed() == pytest.approx({"gate": 50.0, "post": 48.997, "sill": 50.498})


def test_a_mark_read_by_a_listed_backsight_alone_stays_as_listed():
    reduction, _ = run_of([(0, "gate", BS, 1.5), (0, "sill", IS, 1.0)])
    assert reduction.observed()["gate"] == 50.0


def test_sums_after_a_knock_are_the_very_terms_that_are_added():
    reduction, _ = run_of(KNOCKED)
    checks = page_checks(reduction)
    assert checks.agree and checks.stands_in(reduction)
    assert checks.begun - checks.ended == pytest.approx(checks.difference.left)
    assert checks.ended == pytest.approx(
        1.700 + 1.100 + 1.946
    )  # Q stands in for the foresight that isn't there
    (page,) = page_totals(reduction)
    assert page.stands_in and page.begun - page.ended == pytest.approx(page.back_less_fore)
    whole, _ = run_of(LOOKED_BACK)
    assert not page_checks(whole).stands_in(whole) and not page_totals(whole)[0].stands_in


def test_the_way_goes_by_the_intermediate_that_it_was_resumed_from():
    reduction, closure = run_of(KNOCKED, distances=DISTANCES, spread="distance")
    assert reduction.layout.leaving.tolist() == [1, 4, 6]
    assert closure.length == pytest.approx(30 + 20 + 25 + 35 + 40 + 30)
    w = closure.misclosure
    assert w == pytest.approx(50.0 + 1.5 - 1.2 + 1.35 - 1.1 + 1.4 - 1.946 - 50.0)
    assert closure.share == pytest.approx([50 / 180, 110 / 180, 1.0])
    kilometres = ToleranceClass("works", 0.012, "km")
    _, by_length = run_of(KNOCKED, distances=DISTANCES, tolerance=kilometres)
    assert by_length.allowed == pytest.approx(0.012 * np.sqrt(0.180))


def test_a_missing_distance_is_named_where_the_way_goes():
    without = [*DISTANCES]
    without[1] = np.nan
    with pytest.raises(Exception, match="every sight that the way goes by") as raised:
        run_of(KNOCKED, distances=without, spread="distance")
    assert raised.value.where == "1"
    off_the_way = [*DISTANCES]
    off_the_way[2] = np.nan
    assert run_of(KNOCKED, distances=off_the_way, spread="distance")[1].spread


@pytest.mark.parametrize("spread", ["setups", "distance", "none"])
def test_u_after_a_knock_is_what_simulated_books_scatter_by(spread):
    rng = np.random.default_rng(31)
    u = np.full(len(KNOCKED), 0.0007)
    true = np.array([s[3] for s in KNOCKED])
    true[-1] -= 0.0  # the misclosure of the sample is taken out below
    heights = []
    for _ in range(4000):
        noisy = [(s, m, k, r + e) for (s, m, k, _), r, e in zip(KNOCKED, true, rng.normal(0, u), strict=True)]
        reduction, closure = run_of(noisy, distances=DISTANCES, spread=spread, tolerance=WIDE)
        adjusted = reduction.heights + np.array([closure.correction[s] for s in reduction.layout.setup])
        heights.append(adjusted[[1, 2, 4]])  # P and Q on their set-up, CP 1
    reduction, closure = run_of(KNOCKED, distances=DISTANCES, spread=spread)
    stated = height_uncertainty(reduction, closure, u)[[1, 2, 4]]
    assert np.std(heights, axis=0) == pytest.approx(stated, rel=0.05)
