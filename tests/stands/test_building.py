"""The simulated building, and works that are done on it: what any means and any limits promise holds there."""

from __future__ import annotations

import numpy as np
import pytest
from hypothesis import given
from hypothesis import strategies as st

from tests.trades.supports.test_works import Book
from vivid_keel.core.moving.choosing import pack
from vivid_keel.core.record.entries import Draft
from vivid_keel.stands.building import LEAVES, answer, building, guess, hide_building
from vivid_keel.trades.supports.lay_out import grid_drafts

ROWS = [[0, 1, 2, 3, 4, 5], [6, 7, 8, 9, 10, 11]]


def floor(found, tolerance="1.5 mm", **limits):
    """A floor of twelve posts as it was found [m on the scale]."""
    book = Book("supports")
    book.way(0.0002)
    book.add(
        Draft(
            book.work, "limits", {"tolerance": book.read(tolerance, "mm"), "interface_m": 0.00002, **limits}
        )
    )
    first = book.add(*grid_drafts(book.work, ["Upstream", "Downstream"], 6, 2.4, 3.1))
    for k, reading in enumerate(found):
        book.add(
            Draft(
                book.work,
                "reading",
                {"point": first + k, "phase": "found", "reading": book.read(f"{reading:.4f}")},
            )
        )
    return book


def one_round(book, hidden, packed):
    """Do what the sheet says on the simulated building, read again, and end the round; return the result before it ended."""
    result = book.supports(packing=pack(book.supports()))
    put, leaves = result.put_in()
    points = result.book.points
    packed.append(
        (
            np.array([put.get(p.id, 0.0) for p in points]),
            np.array([float(leaves.get(p.id, 0)) for p in points]),
        )
    )
    change = answer(hidden, ROWS, len(points), packed)
    for p, moved in zip(points, change, strict=True):
        reading = book.read(f"{p.first.value + moved:.4f}")
        book.add(Draft(book.work, "reading", {"point": p.id, "phase": "left", "reading": reading}))
    done = book.supports()
    body = {
        "put": {str(k): v for k, v in put.items()},
        "leaves": {str(k): v for k, v in leaves.items()},
        "used": result.used(),
    }
    book.add(Draft(book.work, "pass", body))
    return done


def sagged(seed):
    rng = np.random.default_rng(seed)
    return 1.25 - np.abs(rng.normal(0, 0.005, 12))


def test_the_building_gives_back_what_closes_and_sinks():
    hidden = {"seed": 4.0, "soft": 0.0, "interface": 0.0001, "sink": 0.05, "u": 0.0}
    put, leaves = np.zeros(12), np.zeros(12)
    put[3], leaves[3] = 0.010, 3
    change = answer(hidden, ROWS, 12, [(put, leaves)])
    assert change[3] == pytest.approx((0.010 - 0.0003) * 0.95)
    assert np.delete(change, 3) == pytest.approx(np.zeros(11))  # a limp beam leaves each support to itself


def test_a_springy_beam_carries_its_neighbours_and_no_other_row():
    hidden = {"seed": 4.0, "soft": 0.3, "interface": 0.0, "sink": 0.0, "u": 0.0}
    put = np.zeros(12)
    put[2] = 0.010
    change = answer(hidden, ROWS, 12, [(put, np.zeros(12))])
    assert change[1] > 0.0005 and change[3] > 0.0005
    assert change[2] < 0.010
    assert np.abs(change[6:]).max() == pytest.approx(0)


def test_the_same_building_answers_the_same():
    hidden = hide_building(7, 0.0003)
    packed = [(np.full(12, 0.003), np.ones(12))]
    assert answer(hidden, ROWS, 12, packed).tolist() == answer(hidden, ROWS, 12, packed).tolist()
    assert hidden != hide_building(8, 0.0003)


@given(st.floats(0, 0.03))
def test_a_guessed_stack_goes_into_its_gap(gap):
    stack = guess(gap)
    assert sum(stack) <= gap + 1e-9 and len(stack) <= 4
    assert all(leaf in LEAVES for leaf in stack)


def test_reading_a_building_scatters_as_stated():
    site = building(np.random.default_rng(2), u=0.0004)
    reads = np.array([site.read() for _ in range(4000)])
    assert reads.std(axis=0) == pytest.approx(np.full(site.n, 0.0004), rel=0.06)
    assert reads.mean(axis=0) == pytest.approx(site.heights, abs=4e-5)


@pytest.mark.parametrize("what", ["leaves", "screw", "wedge", "jack"])
def test_every_means_comes_to_proof_in_two_rounds_on_most_buildings(what):
    """The share that is within tolerance after two rounds, over 24 floors: no means is a guess."""
    within = 0
    for seed in range(24):
        book = floor(sagged(seed), beam="a steel girder")
        values = {
            "screw": {"pitch": 1.5},
            "wedge": {"taper": 40, "length": 800, "back": 200},
            "jack": {"travel": 60},
        }.get(what)
        if values:
            book.add(Draft(book.work, "mover", {"what": what, "values": values}))
        else:
            book.stock(*[(f"{leaf * 1000:g} mm", 40) for leaf in LEAVES])
        packed = []
        hidden = hide_building(500 + seed, 0.0002)
        for _ in range(2):
            done = one_round(book, hidden, packed)
        # The truth, without the noise of reading it: every beam against the keeper's.
        true = sagged(seed) + answer({**hidden, "u": 0.0}, ROWS, 12, packed)
        within += bool((np.abs(true - true[done.aim.keeper]) <= 0.0015).all())
    assert within >= 20, f"{what}: {within} of 24"


def test_a_partial_target_keeps_its_share_of_the_sag_round_after_round():
    found = sagged(3)
    book = floor(found, share=0.5)
    book.add(Draft(book.work, "mover", {"what": "jack", "values": {"travel": 60, "back": 60}}))
    packed, hidden = [], {"seed": 3.0, "soft": 0.1, "interface": 0.0, "sink": 0.02, "u": 0.0001}
    for _ in range(3):
        one_round(book, hidden, packed)
    now = np.array([p.found.value for p in book.supports().book.points])
    wanted = found + 0.5 * (found.max() - found)
    assert np.abs(now - wanted).max() < 0.0012


@given(
    st.integers(0, 10_000),
    st.sampled_from(["raise only", "lower only", "raise or lower"]),
    st.floats(0.002, 0.02),
)
def test_no_move_is_offered_outside_the_limits(seed, ways, most):
    book = floor(sagged(seed), ways=ways, most_m=most)
    book.add(Draft(book.work, "mover", {"what": "jack", "values": {"travel": 60, "back": 60}}))
    result = book.supports()
    for i in result.to_move:
        move = result.moves[i]
        allowed = (
            abs(move) <= most + 1e-9
            and (ways != "raise only" or move > 0)
            and (ways != "lower only" or move < 0)
        )
        assert (i in result.broken) != allowed
        assert (i in result.instructions) == allowed


@given(st.integers(0, 10_000), st.sampled_from(["need", "round", "three"]))
def test_every_order_names_each_post_to_move_once(seed, how):
    result = floor(sagged(seed), order=how).supports()
    need = {i for i, v in enumerate(result.verdicts) if v != "in"}
    assert sorted(result.to_move) == sorted(need) and len(set(result.to_move)) == len(result.to_move)
    feet = [i for i in result.to_move if i in result.feet]
    assert result.to_move[: len(feet)] == feet


@given(st.integers(0, 10_000), st.floats(-0.004, 0.004), st.floats(-0.006, 0.006))
def test_a_fall_set_by_hand_is_that_plane_whatever_stands(seed, gradient, lift):
    from vivid_keel.core.moving.plan import TargetChoice

    result = floor(sagged(seed)).supports(target=TargetChoice("fall", gradient=(gradient, 0.0), lift=lift))
    x = np.array([p.x for p in result.book.points])
    assert np.ptp(result.targets - gradient * x) == pytest.approx(0, abs=1e-9)
    assert (result.moves - lift).min() == pytest.approx(
        0, abs=1e-9
    )  # it hangs on the post standing highest against it
