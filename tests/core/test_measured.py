"""A seeded sample of what `./run measure cover`, `slips` and `tops` measure, bounds widened by three binomial σ."""

from __future__ import annotations

import math

import numpy as np
import pytest

from tests import measure_cover, measure_slips, measure_tops
from vivid_keel.core.booking.slips import find_slips


def slack(share, n):
    return 3 * math.sqrt(share * (1 - share) / n)


@pytest.mark.parametrize(
    ("name", "rounds"),
    [(name, rounds) for name, check in measure_cover.CHECKS.items() for rounds in check[3]],
)
def test_u_of_every_check_covers_what_hands_read(name, rounds):
    times = 120
    _, _, inside, false, out = measure_cover.checked((name, rounds, times, 3))
    bounded = name in measure_cover.BOUNDS
    assert 0.93 - slack(0.93, times) <= inside <= (1.0 if bounded else 0.98 + slack(0.98, times))
    assert false <= 0.025 * out + 3 * math.sqrt(0.025 * out) + 0.5


@pytest.mark.parametrize("name", measure_cover.NETWORKS)
def test_u_of_a_network_covers(name):
    times = 80
    _, inside = measure_cover.network_covers((name, times, 3))
    assert 0.93 - slack(0.93, 3 * times) <= inside <= 0.98 + slack(0.98, 3 * times)


@pytest.mark.parametrize("noise", [1.0, 1.4])
@pytest.mark.parametrize("checks", [3, 4, 6, 10])
def test_an_instrument_that_stays_is_hardly_ever_told_that_it_drifts(checks, noise):
    times = 1500
    _, _, told = measure_cover.drifted((checks, noise, times, 3))
    assert told <= 0.06 + slack(0.06, times)


def test_within_the_forecast_band_lies_the_next_check():
    """A prediction band: it holds what one more check would read, and not only where the line is."""
    from vivid_keel.core.instruments.drift import fit_drift

    rng, inside, times = np.random.default_rng(2), 0, 1500
    for _ in range(times):
        days, rate = np.sort(rng.uniform(0, 400, 6)), rng.normal(0, 0.01)
        line = fit_drift(days, rate * days + rng.normal(0, 1, 6), np.ones(6))
        middle, U = line.at(np.array([500.0]))
        inside += abs(rate * 500 + rng.normal(0, 1) - middle[0]) <= U[0]
    assert 0.93 - slack(0.93, times) <= inside / times <= 0.985 + slack(0.985, times)


# Slips

BOOKS = 10


@pytest.fixture(scope="module")
def tallies():
    """Every kind of slip in books booked three ways."""
    return {
        (slip, way): measure_slips.cell((slip, way, BOOKS, 5))[2]
        for slip in measure_slips.KINDS
        for way in ("bare", "second looks", "all")
    }


@pytest.mark.parametrize("way", ["bare", "second looks", "all"])
def test_of_what_is_said_at_ninety_nine_in_ten_are_true(tallies, way):
    total = measure_slips.Tally()
    for slip in measure_slips.KINDS:
        total += tallies[slip, way]
    for said, right in (
        (total.sure, total.sure_right),
        (total.place, total.place_right),
        (total.kind, total.kind_right),
    ):
        assert said > 20
        assert right >= 0.9 * said - 3 * math.sqrt(0.09 * said)


@pytest.mark.parametrize("slip", ["whole", "tenth", "half-tenth", "hundredth", "swapped", "hair"])
def test_beside_a_second_look_a_misread_sight_is_named(tallies, slip):
    found = tallies[slip, "second looks"]
    assert found.shown == BOOKS
    assert found.hit >= 0.85 * BOOKS


def test_a_change_point_that_sank_is_looked_for_by_all_that_was_read_on_it_later():
    hits = [measure_slips.cell(("sank", way, 24, 5))[2] for way in ("bare", "all")]
    assert hits[0].hit >= 0.4 * 24
    assert hits[1].hit >= 0.55 * 24
    assert sum(t.sure - t.sure_right for t in hits) <= 2  # something else named with certainty


def test_a_stadia_hair_is_on_the_list_without_any_distance():
    found = measure_slips.cell(("hair", "bare", 40, 5))[2]
    assert found.hit >= 0.5 * found.shown
    assert found.kind - found.kind_right <= 0.1 * 40  # half an interval may well be 100 mm


@pytest.mark.parametrize("way", ["bare", "second looks", "all"])
@pytest.mark.parametrize("noise", [1.0, 1.4])
def test_honest_books_are_hardly_ever_accused_however_windy(way, noise):
    rng, books = np.random.default_rng(6), 40
    made = [measure_slips.read(rng, measure_slips.BOOKED[way], noise=noise) for _ in range(books)]
    accused = sum(bool(find_slips(measure_slips.as_booked(one)).suggestions) for one in made)
    assert accused / books <= 0.05 + slack(0.05, books)


# Tops and axes


@pytest.mark.parametrize("kind", measure_tops.KINDS)
def test_tops_and_axes_are_in_after_two_rounds_by_the_bubble_and_u_covers(kind):
    times = 8
    came = measure_tops.some(kind, "bubble", times, 3)
    assert np.mean([c.good for c in came]) >= 0.95 - slack(0.95, times)
    held, stated = sum(c.held for c in came), sum(c.stated for c in came)
    assert held / stated >= 0.93 - slack(0.93, min(stated, 4 * times))
    # A finger feels a nail's step as it is or as the next: none is proven in that is two of them.
    assert all(c.seam <= 2 * measure_tops.NAIL for c in came if not math.isnan(c.seam))
    assert np.median([c.moves for c in came]) <= np.median([c.hand_moves for c in came])


def test_a_bearings_wobble_is_blamed_on_no_foot():
    assert measure_tops.blamed(30, 3)[0] <= 30 * 0.01 + 3 * math.sqrt(30 * 0.01)
