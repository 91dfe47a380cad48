"""What U must hold, on runs made by a simulator that shares nothing with the stand-ins: how finely it was read, collimation
that stays in where nobody paced the sights, and a worst case that is a bound and not a chance."""

from __future__ import annotations

import math

import numpy as np
import pytest

from tests.measure_cover import FREE, U_READ, covered, run
from vivid_keel.core.booking.closing import close
from vivid_keel.core.booking.fineness import read_to
from vivid_keel.core.booking.layout import BS, FS, ListedMark, lay_out
from vivid_keel.core.booking.reduction import reduce
from vivid_keel.core.booking.uncertainty import collimation_bound, height_uncertainty
from vivid_keel.core.quantities.length import INCH


def three_sigma(share, n, runs=4):
    """Sights of one run hang together: counted as if only one in `runs` were its own."""
    return 3 * math.sqrt(share * (1 - share) / (n / runs))


@pytest.mark.parametrize("step", [0.001, 0.005, 0.01])
@pytest.mark.parametrize("closed", [False, True])
def test_u_covers_however_finely_it_was_read(step, closed):
    share, n = covered(np.random.default_rng(5), 400, step=step, closed=closed)
    assert 0.93 - three_sigma(0.93, n) <= share <= 0.985 + three_sigma(0.985, n)


@pytest.mark.parametrize("closed", [False, True])
def test_u_holds_a_known_collimation_that_was_left_in_where_nobody_paced(closed):
    share, n = covered(
        np.random.default_rng(6), 400, collimation=0.0001, known=0.0001, closed=closed, setups=6
    )
    assert share >= 0.93 - three_sigma(0.93, n)  # a stated bound: it may cover more
    bare, _ = covered(np.random.default_rng(6), 400, collimation=0.0001, closed=closed, setups=6)
    assert bare < 0.9  # what it was without


@pytest.mark.parametrize(("longer", "unbalance"), [(10.0, 10.0), (0.0, 3.0), (10.0, 0.0)])
def test_u_holds_a_known_collimation_that_was_left_in_where_every_sight_was_paced(longer, unbalance):
    what = {"collimation": 0.0001, "setups": 6, "paced": True, "longer": longer, "unbalance": unbalance}
    share, n = covered(np.random.default_rng(8), 300, known=0.0001, **what)
    assert share >= 0.93 - three_sigma(0.93, n)
    bare, _ = covered(np.random.default_rng(8), 300, **what)
    assert bare < share - 0.03


def test_unbalances_that_all_lie_one_way_add_in_proportion():
    """Uphill all day: the worst case is no chance, so it is no sum in quadrature."""
    rng, inside = np.random.default_rng(7), []
    for _ in range(300):
        layout, readings, far, truth = run(rng, 8, 0.001, 0.0, 0.0, closed=False)
        shift = np.where(layout.kinds == BS, 10.0, 0.0) * 0.0001  # each backsight 10 m the longer, 0.1 mm/m
        reduction = reduce(layout, readings + shift)
        nowhere = np.full(len(far), np.nan)
        closure = close(reduction, nowhere, FREE, "none")
        bound = collimation_bound(
            reduction, closure, np.full(len(far), 0.0001), nowhere, np.full(len(far), 30.0), taken_out=False
        )
        u = height_uncertainty(reduction, closure, np.full(len(far), U_READ))
        end = layout.fores[-1]
        assert bound[end] == pytest.approx(8 * 10 * 0.0001)
        inside.append(abs(reduction.heights[end] - truth[end]) <= 2 * u[end] + bound[end])
    assert np.mean(inside) >= 0.93


def test_with_every_length_known_nothing_is_a_bound():
    layout, readings, far, _ = run(np.random.default_rng(8), 3, 0.001, 0.0001, 10.0, closed=True)
    reduction = reduce(layout, readings)
    closure = close(reduction, far, FREE, "setups")
    bound = collimation_bound(reduction, closure, np.full(9, 0.0001), far, np.full(9, 30.0), taken_out=False)
    assert not bound.any()


def test_a_sight_beside_one_whose_part_was_taken_out_may_be_out_by_all_of_its_own():
    layout = lay_out([BS, FS], ["gate", "a"], [0, 0], {"gate": ListedMark("gate", 0.0)})
    far = np.array([20.0, np.nan])
    reduction = reduce(layout, np.array([1.5, 1.4]), far, 0.0001)
    closure = close(reduction, far, FREE, "none")
    c, reach = np.full(2, 0.0001), np.full(2, 30.0)
    assert collimation_bound(reduction, closure, c, far, reach, taken_out=True)[1] == pytest.approx(0.003)
    assert collimation_bound(reduction, closure, c, far, reach, taken_out=False)[1] == pytest.approx(0.001)


# How finely it was read


@pytest.mark.parametrize(
    ("readings", "typed", "unit", "usual", "step"),
    [
        ([1.482, 1.104, 0.940, 1.311, 1.211], 0.001, "m", 0.001, 0.001),
        ([1.48, 1.10, 0.94, 1.31], 0.01, "m", 0.001, 0.01),
        ([1.485, 1.105, 0.940, 1.310, 1.215, 0.990], 0.001, "m", 0.001, 0.005),
        ([1.485, 1.105, 0.940], 0.001, "m", 0.001, 0.001),  # too few to tell
        (
            [1.5, 1.2, 1.4, 1.1],
            0.1,
            "m",
            0.001,
            0.01,
        ),  # nobody reads coarser than that: noughts were left out
        ([x * INCH / 2 for x in (133, 120, 98, 77, 61, 140, 150)], INCH / 2, "ft-in", INCH / 8, INCH / 2),
        ([4.86 * 0.3048, 3.12 * 0.3048, 5.07 * 0.3048, 2.91 * 0.3048], 0.003048, "ft", 0.001, 0.003048),
    ],
)
def test_the_grid_that_all_readings_lie_on_is_how_they_were_read(readings, typed, unit, usual, step):
    found = read_to(np.array(readings), np.full(len(readings), typed), unit, usual)
    assert found == pytest.approx(step)


def test_books_read_to_the_millimetre_are_hardly_ever_taken_for_coarser_ones():
    rng = np.random.default_rng(9)
    for n in (4, 6, 12):
        told = [
            read_to(np.round(rng.uniform(0.2, 3.8, n), 3), np.full(n, 0.001), "m", 0.001) > 0.001
            for _ in range(3000)
        ]
        assert np.mean(told) < 1e-3
