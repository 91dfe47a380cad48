"""Benchmarks over the years: who moved, what the rest did, against closed forms and levelling simulated here."""

from __future__ import annotations

import math

import numpy as np
import pytest

from vivid_keel.core.booking.network import LevelledLine
from vivid_keel.core.booking.network.free import free_pieces
from vivid_keel.core.record.stood import ONCE, STEADY, STEP, Part, lay_together
from vivid_keel.core.record.visits import rate_of

U = 0.0005


def part(occasion, heights, u=U):
    names = list(heights)
    return Part(occasion, names, np.array([heights[n] for n in names]), np.eye(len(names)) * u * u)


def test_one_benchmark_carries_the_datum_and_nothing_checks_it():
    frame = lay_together([part(0, {"A": 10.0, "p": 9.0}), part(1, {"A": 3.0, "p": 1.998})], ["A"], [0, 1])
    assert (frame.stood, frame.freedom, frame.moved) == (["A"], 0, [])
    change, u = frame.series("p").change(0, 1)
    assert change == pytest.approx(-0.002)
    assert u == pytest.approx(2 * U)  # two readings on either occasion
    assert math.isinf(frame.smallest["A"])


def test_several_benchmarks_share_the_datum_by_their_weight():
    first = {"A": 0.0, "B": 1.0, "C": 2.0, "p": 5.0}
    later = {"A": 0.0006, "B": 1.0, "C": 2.0, "p": 5.0}
    frame = lay_together([part(0, first), part(1, later)], ["A", "B", "C"], [0, 1])
    assert frame.moved == [] and frame.stood == ["A", "B", "C"] and frame.freedom == 2
    change, u = frame.series("p").change(0, 1)
    assert change == pytest.approx(-0.0002)  # the benchmarks rose by a third of 0.6 mm on the whole
    assert u == pytest.approx(math.sqrt(2) * U * math.sqrt(1 + 1 / 3))
    # A benchmark is told against the other two.
    change, u = frame.series("A").change(0, 1)
    assert change == pytest.approx(0.0006) and u == pytest.approx(math.sqrt(2) * U * math.sqrt(1.5))
    assert frame.sum_squares == pytest.approx((0.4**2 + 0.2**2 + 0.2**2) / 2 / 0.5**2)


def test_the_one_that_moved_is_named_and_carries_nothing_any_more():
    first = {"A": 0.0, "B": 1.0, "C": 2.0, "p": 5.0}
    later = {"A": -0.006, "B": 1.0, "C": 2.0, "p": 5.0}
    frame = lay_together([part(0, first), part(1, later)], ["A", "B", "C"], [0, 1])
    (moved,) = frame.moved
    assert (moved.name, moved.how, moved.occasion, moved.rivals) == ("A", STEP, 1, ())
    assert moved.by == pytest.approx(-0.006) and moved.u == pytest.approx(math.sqrt(2) * U * math.sqrt(1.5))
    assert frame.stood == ["B", "C"] and frame.series("p").change(0, 1)[0] == pytest.approx(0.0)
    assert frame.series("A").change(0, 1)[0] == pytest.approx(-0.006)


def test_of_two_that_moved_against_one_another_none_is_named_alone():
    frame = lay_together(
        [part(0, {"A": 0.0, "B": 1.0, "p": 5.0}), part(1, {"A": -0.006, "B": 1.0, "p": 5.0})],
        ["A", "B"],
        [0, 1],
    )
    assert frame.undecided and {frame.moved[0].name, *frame.moved[0].rivals} == {"A", "B"}
    assert frame.stood == ["A", "B"]  # both are kept, and that is said


def test_a_slip_at_one_occasion_is_told_from_a_movement_and_that_from_steady_sinking():
    def three(a):
        return [part(k, {"A": a[k], "B": 1.0, "C": 2.0, "D": 3.0}, 0.0002) for k in range(len(a))]

    once = lay_together(three([0.0, 0.01, 0.0, 0.0]), list("ABCD"), [0, 1, 2, 3])
    assert [(m.name, m.how, m.occasion) for m in once.moved] == [("A", ONCE, 1)]
    assert once.stood == list("ABCD")  # it is a benchmark still, but for that reading
    since = lay_together(three([0.0, 0.0, 0.01, 0.01]), list("ABCD"), [0, 1, 2, 3])
    assert [(m.name, m.how, m.occasion) for m in since.moved] == [("A", STEP, 2)]
    sinking = lay_together(three([0.0, -0.004, -0.008, -0.012]), list("ABCD"), [0, 1, 2, 3])
    assert [(m.name, m.how) for m in sinking.moved] == [("A", STEADY)]
    assert sinking.moved[0].by == pytest.approx(-0.012)


def test_what_shares_no_benchmark_hangs_on_nothing_and_is_left_out():
    frame = lay_together(
        [part(0, {"A": 0.0, "p": 1.0}), part(1, {"A": 0.0, "p": 1.0}), part(2, {"Z": 0.0, "p": 1.0})],
        ["A", "Z"],
        [0, 1, 2],
    )
    assert [math.isnan(s) for s in frame.shifts] == [False, False, True]
    assert frame.series("p").occasions.tolist() == [0, 1]


def test_a_held_mark_without_variance_is_a_benchmark_like_others():
    c = np.diag([0.0, U * U, U * U, U * U])
    first, later = np.array([10.0, 11.0, 12.0, 13.0]), np.array([10.0, 11.006, 12.006, 13.006])
    names = ["A", "B", "C", "p"]
    frame = lay_together([Part(0, names, first, c), Part(1, names, later, c)], ["A", "B", "C"], [0, 1])
    assert [(m.name, m.how) for m in frame.moved] == [
        ("A", STEP)
    ]  # by hanging all on it, it seemed to be the rest
    assert frame.moved[0].by == pytest.approx(-0.006)
    assert frame.series("p").change(0, 1)[0] == pytest.approx(0.0, abs=1e-9)


def some_parts(rng):
    names = ["A", "B", "C", "p", "q"]
    out = []
    for k in range(3):
        root = rng.normal(0, 1e-3, (5, 5))
        out.append(Part(k, names, np.arange(5.0) + rng.normal(0, 1e-3, 5) + 10 * k, root @ root.T))
    return out


def held(part, at):
    """The same heights against one of the marks: what the others differ from it by, which then has no variance."""
    t = np.eye(len(part.names))
    t[:, at] -= 1
    return Part(part.occasion, part.names, part.heights - part.heights[at] + 7.0, t @ part.covariance @ t.T)


def test_which_mark_a_levelling_is_held_on_changes_nothing():
    parts = some_parts(np.random.default_rng(5))
    plain = lay_together(parts, ["A", "B", "C"], [0, 1, 2], search=False)
    for at in range(5):
        other = lay_together([held(p, at) for p in parts], ["A", "B", "C"], [0, 1, 2], search=False)
        assert other.sum_squares == pytest.approx(plain.sum_squares, rel=1e-6)
        assert other.smallest == pytest.approx(plain.smallest, rel=1e-6)
        for name in plain.parts[0].names:
            for first, last in ((0, 1), (0, 2), (1, 2)):
                a, b = plain.series(name).change(first, last), other.series(name).change(first, last)
                assert b == pytest.approx(a, rel=1e-5, abs=1e-10), (at, name)


def test_a_marks_heights_are_those_of_all_readings_adjusted_at_once():
    parts = some_parts(np.random.default_rng(6))
    frame = lay_together(parts, ["A", "B", "C"], [0, 1, 2], search=False)
    # Unknown: A, B, C, the shifts of parts 1 and 2, p and q on every occasion; weights as they stand.
    design, weight, read = np.zeros((15, 11)), np.zeros((15, 15)), np.zeros(15)
    for k, one in enumerate(parts):
        weight[5 * k : 5 * k + 5, 5 * k : 5 * k + 5] = np.linalg.inv(one.covariance)
        read[5 * k : 5 * k + 5] = one.heights
        for i in range(5):
            design[5 * k + i, i if i < 3 else 5 + 2 * k + i - 3] = 1
            if k:
                design[5 * k + i, 2 + k] = 1
    inverse = np.linalg.inv(design.T @ weight @ design)
    found = inverse @ design.T @ weight @ read
    for name, at in (("p", [5, 7, 9]), ("q", [6, 8, 10])):
        for first, last in ((0, 1), (0, 2), (1, 2)):
            change, u = frame.series(name).change(first, last)
            a, b = at[first], at[last]
            assert change == pytest.approx(found[b] - found[a], abs=1e-9)
            assert u == pytest.approx(math.sqrt(inverse[a, a] + inverse[b, b] - 2 * inverse[a, b]), rel=1e-6)


def test_heights_of_a_piece_have_the_covariance_that_the_normal_equations_give():
    rng = np.random.default_rng(3)
    names = [f"m{i}" for i in range(6)]
    lines = [
        LevelledLine(names[i], names[j], float(rng.normal()), float(rng.uniform(0.0003, 0.002)))
        for i, j in ((0, 1), (1, 2), (2, 3), (3, 0), (1, 4), (4, 5), (5, 2))
    ]
    (piece,) = free_pieces(lines, {"m3", "m0", "m5"}, {"m3": 7.0})
    assert piece.names[0] == "m3" and piece.heights[0] == 7.0
    a = np.zeros((7, 6))
    for row, line in enumerate(lines):
        a[row, names.index(line.start)], a[row, names.index(line.to)] = -1, 1
    w = np.diag([1 / line.sigma**2 for line in lines])
    keep = [0, 1, 2, 4, 5]
    inverse = np.linalg.inv(a[:, keep].T @ w @ a[:, keep])
    found = inverse @ a[:, keep].T @ w @ np.array([line.rise for line in lines])
    order = [keep.index(int(n[1:])) for n in piece.names[1:]]
    assert piece.heights[1:] == pytest.approx(7.0 + found[order], abs=1e-12)
    assert piece.covariance[1:, 1:] == pytest.approx(inverse[np.ix_(order, order)], rel=1e-9)
    assert piece.freedom == 2


def levelled(rng, truth, sigma):
    """A round trip over all marks and back, two or three of them a set-up; readings to the millimetre's tenth."""
    names = list(truth)
    lines, stand = [], 0
    for way in (names, names[::-1]):
        for k in range(0, len(way) - 1, 2):
            stand += 1
            line_of_sight = rng.uniform(1, 2)
            for name in way[k : k + 3]:
                reading = truth[name] - line_of_sight + rng.normal(0, sigma)
                lines.append(LevelledLine(name, f"stand {stand}", -round(reading, 4), sigma))
    return lines


def occasions(rng, truths, sigma=0.0004):
    out = []
    for k, truth in enumerate(truths):
        shift = rng.uniform(-5, 5)
        (piece,) = free_pieces(levelled(rng, {n: h + shift for n, h in truth.items()}, sigma), set(truth), {})
        out.append(Part(k, piece.names, piece.heights, piece.covariance))
    return out


def test_a_benchmark_that_moved_is_named_nine_times_in_ten_where_it_can_be_told():
    rng = np.random.default_rng(20)
    benchmarks = ["BM 1", "BM 2", "BM 3", "BM 4"]
    named = wrong = tried = accused = 0
    for n in range(200):
        base = {
            name: float(rng.uniform(0, 4))
            for name in ("BM 1", "p", "BM 2", "q", "BM 3", "r", "BM 4", "s", "t")
        }
        truths = [dict(base) for _ in range(3)]
        for name in "pqrst":
            rate = rng.normal(0, 0.002)
            for k in range(3):
                truths[k][name] += rate * k
        still = lay_together(occasions(rng, truths), benchmarks, [0, 1, 2])
        accused += bool(still.moved)
        which, since = benchmarks[n % 4], 1 + n % 2
        by = float(rng.choice([-1, 1])) * still.smallest[which]
        for k in range(since, 3):
            truths[k][which] += by
        frame = lay_together(occasions(rng, truths), benchmarks, [0, 1, 2])
        tried += 1
        first = frame.moved[0] if frame.moved else None
        named += first is not None and first.name == which and not first.rivals
        wrong += first is not None and first.name != which and not first.rivals
    print(named, wrong, accused)
    assert named / tried >= 0.9 - 3 * math.sqrt(0.9 * 0.1 / tried), (named, wrong)
    assert wrong <= 4 and accused <= 8, (wrong, accused)


def test_rates_of_simulated_settling_lie_within_their_U():
    rng = np.random.default_rng(4)
    benchmarks = ["BM 1", "BM 2", "BM 3"]
    inside = told = 0
    for _ in range(120):
        base = {name: float(rng.uniform(0, 4)) for name in ("BM 1", "p", "BM 2", "q", "BM 3", "r", "s")}
        rates = {name: rng.normal(0, 0.002) for name in "pqrs"}
        times = [0.0, 1.1, 2.9]
        truths = [{n: h + rates.get(n, 0.0) * t for n, h in base.items()} for t in times]
        frame = lay_together(occasions(rng, truths), benchmarks, times)
        for name, rate in rates.items():
            series = frame.series(name)
            found, u = rate_of(
                np.array([times[k] for k in series.occasions]), series.heights, series.covariance
            )
            inside += abs(found - rate) <= 2 * u
            told += 1
    assert abs(inside / told - 0.955) < 3 * math.sqrt(0.955 * 0.045 / told) + 0.01


def test_occasions_of_monstrously_unlike_weight_are_told_all_the_same():
    parts = [part(0, {"A": 0.0, "B": 1.0, "p": 2.0}, 1e9), part(1, {"A": 0.0, "B": 1.0, "p": 2.0}, 1e-9)]
    frame = lay_together(parts, ["A", "B"], [0, 1])
    assert len(frame.series("p").occasions) == 2


def test_a_large_piece_is_solved_as_a_small_one_is(monkeypatch):
    from vivid_keel.core.booking.network import free

    rng = np.random.default_rng(8)
    truth = {name: float(rng.uniform(0, 4)) for name in ("BM 1", "p", "BM 2", "q", "BM 3")}
    lines = levelled(rng, truth, 0.0004)
    (small,) = free_pieces(lines, set(truth), {"BM 1": 7.0})
    monkeypatch.setattr(free, "SMALL", 0)
    (large,) = free_pieces(lines, set(truth), {"BM 1": 7.0})
    assert large.heights == pytest.approx(small.heights, abs=1e-12)
    assert large.covariance == pytest.approx(small.covariance, rel=1e-9, abs=1e-18)
    assert large.sum_squares == pytest.approx(small.sum_squares, rel=1e-6)
