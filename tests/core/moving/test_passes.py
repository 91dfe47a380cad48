"""Lifts in stages, passes that learn, and 300 simulated buildings against a worker who goes by hand."""

from __future__ import annotations

import math

import numpy as np
import pytest
from hypothesis import given
from hypothesis import strategies as st

from tests.trades.supports.test_works import Book
from vivid_keel.core.errors import KeelError
from vivid_keel.core.moving.response import (
    LEAST_OWN,
    STIFFNESS,
    Response,
    learned_interface,
    passes_to_go,
    reasons,
    took,
)
from vivid_keel.core.moving.stacks import choose_leaves
from vivid_keel.core.moving.stages import neighbour_limit, order, stage
from vivid_keel.core.record.entries import Draft
from vivid_keel.stands.building import LEAVES, building, by_hand

LIFTS = np.array([0.0042, 0.0, 0.0068, 0.0114, 0.0091, np.nan])


def test_a_lift_in_stages_keeps_neighbours_together():
    rounds = stage(LIFTS, 0.006)
    assert len(rounds) == 2
    assert rounds[0] == pytest.approx([0.0042, 0, 0.006, 0.006, 0.006, 0])
    assert rounds[1] == pytest.approx([0.0042, 0, 0.0068, 0.0114, 0.0091, 0])
    assert len(stage(LIFTS, 0.006, 0.001)) == 3  # the jack's clearance counts
    assert len(stage(LIFTS, None)) == 1
    assert stage(np.zeros(3), 0.006) == []
    with pytest.raises(KeelError, match="uses up"):
        stage(LIFTS, 0.006, 0.006)
    assert neighbour_limit(2.4) == pytest.approx(0.0048)
    assert neighbour_limit(4.0) == 0.006


@given(st.lists(st.floats(-0.03, 0.03), min_size=1, max_size=12), st.floats(0.001, 0.01))
def test_every_stage_goes_on_from_the_last_and_none_by_more_than_the_limit(moves, limit):
    moves = np.array(moves)
    before = np.zeros(len(moves))
    for after in stage(moves, limit):
        assert (np.abs(after - before) <= limit + 1e-12).all()
        assert (np.sign(after) * np.sign(moves) >= 0).all()
        before = after
    if np.abs(moves).max() > 1e-8:
        assert before == pytest.approx(moves)


def test_the_order_is_by_need_or_across_the_diagonal():
    xy = np.array([[0, 0], [1, 0], [1, 1], [0, 1]], dtype=float)
    assert order(np.array([0.001, 0.004, 0.0, 0.003]), xy) == [1, 3, 0]
    across = order(np.full(4, 0.002), xy, "round")
    assert np.hypot(*(xy[across[0]] - xy[across[1]])) == pytest.approx(math.sqrt(2))


def test_how_much_of_a_move_took_and_what_is_to_go():
    assert took(np.array([0.01, 0.0]), np.array([0.008, 0.001])) == pytest.approx(0.8)
    assert math.isnan(took(np.zeros(2), np.zeros(2)))
    assert passes_to_go(0.001, 0.01, 0.0015, 0.0001) == 0
    assert passes_to_go(0.004, 0.01, 0.0015, 0.0001) == 2
    assert passes_to_go(0.01, 0.01, 0.0015, 0.0001) == math.inf


def test_what_goes_wrong_is_named():
    moves = np.array([0.006, 0.004, 0.0, 0.003])
    assert reasons(moves, -moves, 0.0002)[0].kind == "sense"
    swapped = np.array([0.006, 0.0, 0.004, 0.003])
    (found,) = reasons(moves, swapped, 0.0002)
    assert (found.point, found.kind) == (1, "foot") and "point 3" in found.text
    (found,) = reasons(moves, np.array([0.006, 0.004, 0.0, 0.0001]), 0.0002)
    assert (found.point, found.kind) == (3, "hanging")
    (found,) = reasons(moves, np.array([0.006, 0.0055, 0.0, 0.003]), 0.0002, (0.003, 0.0015))
    assert (found.point, found.kind) == (1, "leaf") and "1.5 mm leaf too many" in found.text
    assert reasons(moves, moves, 0.0002) == []
    (found,) = reasons(moves, np.array([0.006, 0.004, -0.005, 0.003]), 0.0002)
    assert (found.point, found.kind) == (2, "sank") and "5.0 mm" in found.text


def test_on_screws_a_turn_is_suspected_and_never_a_leaf():
    moves, leaves = np.array([0.006, 0.004, 0.0, 0.003]), (0.003, 0.0015)
    seen = np.array([0.006, 0.0055, 0.0, 0.003])
    turns = np.array([0.0015, 0.0015, 0.0015, np.nan])
    (found,) = reasons(moves, seen, 0.0002, leaves, turns=turns)
    assert (found.point, found.kind) == (1, "turn") and "a whole turn too many" in found.text
    assert reasons(moves, seen, 0.0002, leaves, turns=np.full(4, 0.003)) == []  # 1.5 mm is no whole turn
    assert reasons(moves, seen, 0.0002, leaves, turns=np.zeros(4)) == []  # wedges have neither
    missing = reasons(moves, 2 * moves - seen, 0.0002, leaves, turns=turns)
    assert "a whole turn missing" in missing[0].text


def test_a_point_that_went_the_other_way_is_said_so():
    moves = np.array([0.006, -0.003, 0.004, 0.003])
    (found,) = reasons(moves, np.array([0.006, 0.002, 0.004, 0.003]), 0.0002)
    assert (found.point, found.kind) == (1, "way") and "went up by 2.0 mm" in found.text


def test_what_went_wrong_is_not_taken_for_the_way_the_structure_answers():
    """A foot turned the wrong way: nobody learns from it that it goes up when it is wound down."""
    floor = Book("supports")
    floor.way(0.0001)
    floor.tolerance("0.5 mm")
    floor.add(Draft(floor.work, "mover", {"what": "screw", "values": {"pitch": 2, "travel": 30, "back": 30}}))
    floor.add(Draft(floor.work, "caution", {"key": "machines"}))
    points = [
        floor.post(f"A{k}", text, x=2.0 * k)
        for k, text in enumerate(("1.2600", "1.2625", "1.2575", "1.2620"))
    ]
    floor.add(Draft(floor.work, "target", {"kind": "height", "reading": floor.read("1.2600")}))
    for point, text in zip(points, ("1.2600", "1.2650", "1.2600", "1.2600"), strict=True):
        floor.add(
            Draft(floor.work, "reading", {"point": point, "phase": "left", "reading": floor.read(text)})
        )
    put, leaves = floor.supports().put_in()
    assert put[points[1]] < 0
    body = {"put": {str(k): v for k, v in put.items()}, "leaves": {str(k): 0 for k in leaves}}
    floor.add(Draft(floor.work, "pass", body))
    result = floor.supports()
    assert [(reason.point, reason.kind) for reason in result.learned.told[-1].reasons] == [(1, "way")]
    assert result.moves[1] == pytest.approx(-0.005)
    assert result.lifts[1] == pytest.approx(-0.005, rel=0.2)  # down, and as far as it is to go


@pytest.mark.parametrize("of_it", [-1.0, -0.3, 0.0])
def test_a_point_never_goes_up_when_its_packing_comes_out(of_it):
    moves = [np.array([0.006, 0.004, 0.005, 0.003])] * 3
    changes = [moves[0] * np.array([1.0, of_it, 1.0, 1.0])] * 3
    learned = Response.rigid(4).learned(moves, changes, 0.0001)
    assert LEAST_OWN <= learned.matrix[1, 1] < 1


@pytest.mark.parametrize("kind", ["hanging", "leaf", "sank", "foot"])
def test_the_right_word_comes_first_where_the_data_can_tell(kind):
    """Twelve posts, fine readings, one slip: named right, and first, four times in five at least."""
    rng, right = np.random.default_rng(6), 0
    for _ in range(100):
        m = np.round(rng.uniform(0.003, 0.012, 12), 4)
        m[rng.choice(12, 4, replace=False)] = 0.0
        i = int(rng.choice(np.flatnonzero(m > 0)))
        d = m * rng.uniform(0.92, 1.0, 12)
        if kind == "hanging":
            d[i] = 0.0
        elif kind == "leaf":
            d[i] += 0.003
        elif kind == "foot":
            j = int(rng.choice(np.flatnonzero(m == 0)))
            d[j], d[i] = d[i], 0.0
        else:
            i = int(rng.choice(np.flatnonzero(m == 0)))
            d[i] = -0.004
        seen = d + rng.normal(0, 0.0002 * 2**0.5, 12)
        said = reasons(m, seen, 0.0002, (0.006, 0.003, 0.0015, 0.0008), expected=0.96 * m)
        right += bool(said) and (said[0].point, said[0].kind) == (i, kind)
    assert right >= 80


def test_work_without_a_slip_is_suspected_at_most_once_in_twenty_rounds():
    """Beams that carry their neighbours along, ground that gives, readings that scatter, and nothing wrong."""
    rng, suspected = np.random.default_rng(7), 0
    second = np.zeros((10, 12))
    for k in range(10):
        second[k, k : k + 3] = (1, -2, 1)
    for _ in range(200):
        answer = np.linalg.inv(np.eye(12) + rng.uniform(0, 0.15) * second.T @ second) * rng.uniform(0.9, 1.0)
        m = rng.uniform(0, 0.010, 12) * (rng.uniform(size=12) < 0.8)
        suspected += bool(
            reasons(m, answer @ m + rng.normal(0, 0.0003, 12), 0.0002, (0.006, 0.003, 0.0015, 0.0008))
        )
    assert suspected <= 10 + 3 * (200 * 0.05 * 0.95) ** 0.5


def test_a_springy_beam_is_learned():
    site = building(np.random.default_rng(3), springy=0.3, u=0.00005)
    apart = np.hypot(*(site.xy[:, None] - site.xy[None]).transpose(2, 0, 1))
    moves = [np.random.default_rng(k).uniform(0, 0.01, site.n) for k in range(6)]
    changes = [site.carry @ (m * (1 - site.sink)) for m in moves]
    truth = site.carry * (1 - site.sink)
    learned = Response.rigid(site.n).learned(moves, changes, site.u, apart)
    assert np.abs(learned.matrix - truth).max() < np.abs(np.eye(site.n) - truth).max()
    new = np.random.default_rng(99).uniform(0, 0.01, site.n)
    assert np.abs(learned.matrix @ new - truth @ new).max() < 0.5 * np.abs(new - truth @ new).max()


def test_the_interface_is_learned_from_what_stacks_did():
    n = [2, 3, 4, 1, 3, 4]
    wanted = np.full(6, 0.010)
    change = wanted - np.array(n) * 0.00006
    assert learned_interface(n, wanted, change, 0.00002, 0.00005) == pytest.approx(0.00006, rel=0.3)
    assert learned_interface([1], wanted[:1], change[:1], 0.00002, 0.0001) == 0.00002


def by_the_program(site, tolerance, most=15):
    """Read all, reckon, pack all in stages, read again, learn: as the sheet of moves has it."""
    response, interface = Response.rigid(site.n), 0.00002
    apart = np.hypot(*(site.xy[:, None] - site.xy[None]).transpose(2, 0, 1))
    rows = [np.flatnonzero(site.xy[:, 1] == y).tolist() for y in np.unique(site.xy[:, 1])]
    made, seen = [], []
    there, before = np.zeros(site.n), [()] * site.n
    read = site.read()
    for number in range(1, most + 1):
        bare = there <= 0
        target = float(read[bare].max() if bare.any() else read.max())  # the highest of what can't come down
        want = target - read
        want[np.abs(want) < 2 * site.u] = 0.0
        moves = response.moves_for(want, raise_only=False, most=there)  # what was put in can come out again
        packing = choose_leaves(there + moves, LEAVES, [99] * len(LEAVES), interface, 4, lambda: 2.0)
        stacks = [
            s if abs(m) > 1e-6 else old for s, m, old in zip(packing.stacks, moves, before, strict=True)
        ]
        site.pack(stacks, before)
        after = site.read()
        put = np.array([sum(s) for s in stacks]) - np.array([sum(s) for s in before])
        counts = [len(s) - len(old) for s, old in zip(stacks, before, strict=True)]
        there, before = there + moves, stacks
        interface = learned_interface(counts, put, after - read, interface, site.u)
        made.append(put - interface * np.array(counts))
        seen.append(after - read)
        response = Response.beams(site.n, rows, made, seen).learned(made, seen, site.u, apart)
        read = after
        if float(np.abs(site.heights - target).max()) <= tolerance:
            return number
    return most + 1


def test_a_hundred_buildings_in_two_passes_against_a_worker_by_hand(capsys):
    tolerance = 0.0015
    ours, theirs = [], []
    for seed in range(100):
        ours.append(by_the_program(building(np.random.default_rng(seed)), tolerance))
        theirs.append(by_hand(building(np.random.default_rng(seed)), tolerance))
    within = sum(p <= 2 for p in ours)
    with capsys.disabled():
        print(
            f"\n100 buildings: in at most 2 passes {within}; median passes {np.median(ours):g}; by hand {sum(p <= 2 for p in theirs)} and {np.median(theirs):g}"
        )
    assert within >= 90 - 3 * 3  # three binomial σ
    assert np.median(ours) <= np.median(theirs)


def test_the_interface_lies_between_what_was_reckoned_and_what_was_seen_by_their_weights():
    """Bayes by hand: n leaves each closing δ, seen with √2·u; δ itself known beforehand to within itself."""
    n, shut, u, start = np.array([1.0, 2.0, 4.0]), np.array([0.00005, 0.00012, 0.00018]), 0.00005, 0.00004
    sure_before, sure_seen = 1 / start**2, (n**2).sum() / (2 * u**2)
    seen = (n * shut).sum() / (n**2).sum()
    wanted = (sure_before * start + sure_seen * seen) / (sure_before + sure_seen)
    found = learned_interface([1, 2, 4], np.full(3, 0.01), 0.01 - shut, start, u)
    assert found == pytest.approx(wanted, rel=1e-9)
    assert start < found < seen
    assert learned_interface([1, 2, 4], np.full(3, 0.01), np.full(3, 0.02), start, u) == 0.0  # never opens
    assert learned_interface([9, 9, 9], np.full(3, 0.01), np.full(3, 0.0), start, 1e-6) == 5 * start
    missing = np.array([0.01, 0.01, np.nan])
    assert learned_interface([1, 2, 4], np.full(3, 0.01), missing, start, u) == start


@pytest.mark.parametrize("stiff", [0.0, 0.03, 0.3])
def test_the_stiffness_of_a_row_is_found_from_what_it_did(stiff):
    """A beam over springs, reckoned here by itself: (I + κ·BᵀB)⁻¹, nine tenths of every move taken."""
    n = 7
    second = np.zeros((n - 2, n))
    for k in range(n - 2):
        second[k, k : k + 3] = (1, -2, 1)
    truth = 0.9 * np.linalg.inv(np.eye(n) + stiff * second.T @ second)
    rng = np.random.default_rng(3)
    moves = [rng.uniform(0, 0.01, n) for _ in range(3)]
    found = Response.beams(n, [range(n)], moves, [truth @ m for m in moves]).matrix
    new = rng.uniform(0, 0.01, n)
    assert np.abs(found @ new - truth @ new).max() < 0.04 * np.abs(new).max()
    if not stiff:
        assert found == pytest.approx(0.9 * np.eye(n))


def test_finished_rounds_are_learned_from_once_and_anew_only_when_they_change():
    from msgspec.structs import replace

    from vivid_keel.core.moving.plan import Limits, MovingBook, Point, TargetChoice
    from vivid_keel.core.moving.rounds import learn
    from vivid_keel.core.quantities import LengthStyle

    points = [Point(k, f"P{k}", "A", 2.4 * k, 0.0) for k in range(6)]
    book = MovingBook(1, "f", "m", LengthStyle(), points, [], TargetChoice(), True, Limits())
    put = np.array([0.004, 0.0, 0.006, 0.003, 0.0, 0.005])
    rounds = [(put, np.ones(6), 0.9 * put)]
    first = learn(book, rounds, 0.0002)
    assert learn(replace(book, name="g"), [tuple(x.copy() for x in rounds[0])], 0.0002) is first
    other = learn(book, [(put, np.ones(6), 0.5 * put)], 0.0002)
    assert other is not first and other.told[0].took < first.told[0].took
    assert learn(replace(book, limits=Limits(interface=0.0001)), rounds, 0.0002) is not first
    assert learn(book, rounds, 0.0004) is not first


def test_a_beam_is_told_from_the_points_that_can_be_learned_from():
    second = np.array([[1.0, -2, 1, 0, 0], [0, 1, -2, 1, 0], [0, 0, 1, -2, 1]])
    answer = np.linalg.inv(np.eye(5) + STIFFNESS[9] * second.T @ second)
    rng = np.random.default_rng(4)
    moves = [rng.uniform(0, 0.01, 5) for _ in range(3)]
    changes = [answer @ m for m in moves]
    changes[1][2] = np.nan
    found = Response.beams(5, [list(range(5))], moves, changes)
    assert found.matrix == pytest.approx(answer, abs=1e-9)
