"""Least squares of levelled lines: against the dense solution, against simulated truth, and its refusals."""

from __future__ import annotations

import itertools

import numpy as np
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

from vivid_keel.core.booking.network import LevelledLine, adjust, pieces
from vivid_keel.core.errors import KeelError, Stopped


def grid(n, m, rng, sigma=0.001):
    steps = [((i, j), (i + 1, j)) for i in range(n - 1) for j in range(m)]
    steps += [((i, j), (i, j + 1)) for i in range(n) for j in range(m - 1)]
    return [LevelledLine(f"{a}", f"{b}", float(rng.normal(0, sigma)), sigma) for a, b in steps]


def dense(known, lines):
    names = list(dict.fromkeys([*known, *(n for line in lines for n in (line.start, line.to))]))
    free = [n for n in names if n not in known or known[n][1] > 0]
    rows, left, sigma = [], [], []
    for line in lines:
        row = np.zeros(len(free))
        y = line.rise
        for name, sign in ((line.start, -1.0), (line.to, 1.0)):
            if name in free:
                row[free.index(name)] += sign
            else:
                y -= sign * known[name][0]
        rows.append(row)
        left.append(y)
        sigma.append(line.sigma)
    for name, (height, u) in known.items():
        if u > 0:
            rows.append(np.eye(len(free))[free.index(name)])
            left.append(height)
            sigma.append(u)
    a, y, w = np.array(rows), np.array(left), 1 / np.array(sigma) ** 2
    q = np.linalg.inv(a.T @ (w[:, None] * a))
    x = q @ a.T @ (w * y)
    v = a @ x - y
    share = 1 - np.einsum("ij,jk,ik->i", a, q, a) * w
    return dict(zip(free, x, strict=True)), dict(zip(free, np.sqrt(np.diag(q)), strict=True)), v, share


networks = st.integers(2, 14).flatmap(
    lambda n: st.tuples(
        st.just(n),
        st.lists(
            st.tuples(
                st.integers(0, n - 1), st.integers(0, n - 1), st.floats(-2, 2), st.floats(0.0005, 0.01)
            ),
            max_size=3 * n,
        ),
        st.lists(st.floats(0, 0.003), min_size=1, max_size=3),
    )
)


@given(networks)
@settings(max_examples=120, deadline=None)
def test_any_network_agrees_with_the_dense_solution(drawn):
    n, extra, tied = drawn
    lines = [LevelledLine("m0", f"m{i}", 0.1 * i, 0.002) for i in range(1, n)]
    lines += [LevelledLine(f"m{a}", f"m{b}", rise, sigma) for a, b, rise, sigma in extra if a != b]
    known = {f"m{i}": (50 + 0.1 * i, u if u > 1e-5 else 0.0) for i, u in enumerate(tied[:n])}
    net = adjust(known, lines)
    heights, u, v, share = dense(known, lines)
    at = {name: i for i, name in enumerate(net.names)}
    for name, height in heights.items():
        assert net.heights[at[name]] == pytest.approx(height, abs=1e-8)
        assert net.u[at[name]] == pytest.approx(u[name], rel=1e-6)
    assert net.residuals == pytest.approx(v[: len(lines)], abs=1e-8)
    assert net.redundancy == pytest.approx(np.maximum(share[: len(lines)], 0), abs=1e-7)
    weighted = sum(share[len(lines) :])
    assert net.redundancy.sum() + weighted == pytest.approx(net.freedom, abs=1e-6)


def test_a_chain_of_ten_thousand_keeps_all_its_digits():
    lines = [LevelledLine(f"m{i}", f"m{i + 1}", 0.001, 0.001) for i in range(10_000)]
    net = adjust({"m0": (50.0, 0.0)}, lines)
    assert net.heights[-1] == pytest.approx(60.0, abs=1e-9)
    assert net.u[-1] == pytest.approx(0.1, rel=1e-9)  # √10 000 mm
    assert net.freedom == 0
    assert net.variance_factor is None
    assert net.limits() is None
    assert net.worst == -1
    assert np.isinf(net.smallest_slip).all()


def test_stated_uncertainty_covers_the_truth_and_the_variance_factor_its_limits():
    rng = np.random.default_rng(5)
    covered, passed, runs = 0, 0, 200
    for _ in range(runs):
        net = adjust({"(0, 0)": (50.0, 0.0)}, grid(4, 5, rng))
        covered += int((np.abs(net.heights - 50.0)[1:] <= 2 * net.u[1:]).sum())
        low, high = net.limits()
        passed += low <= net.variance_factor <= high
    assert 0.93 < covered / (runs * 19) < 0.975
    assert 0.90 < passed / runs < 0.99


def test_a_slip_of_the_smallest_size_that_can_be_found_is_found_four_times_in_five():
    rng = np.random.default_rng(8)
    found = 0
    for _ in range(200):
        lines = grid(4, 4, rng)
        k = int(rng.integers(len(lines)))
        net = adjust({"(0, 0)": (50.0, 0.0)}, lines)
        slip = float(net.smallest_slip[k])
        lines[k] = LevelledLine(lines[k].start, lines[k].to, lines[k].rise + slip, lines[k].sigma)
        net = adjust({"(0, 0)": (50.0, 0.0)}, lines)
        found += float(net.standardised[k]) > 3.29
    assert 0.72 < found / 200 < 0.88


def test_pieces_with_a_known_mark_each_are_served_and_others_refused_by_name():
    two = [LevelledLine("gate", "sill", 0.4, 0.001), LevelledLine("weir", "crest", 1.0, 0.001)]
    net = adjust({"gate": (50.0, 0.0), "weir": (48.0, 0.0)}, two)
    assert dict(zip(net.names, net.heights, strict=True))["crest"] == pytest.approx(49.0)
    with pytest.raises(KeelError, match=r"weir, crest.*list one as known") as refused:
        adjust({"gate": (50.0, 0.0)}, two)
    assert refused.value.code == "disconnected"
    with pytest.raises(KeelError, match="benchmark or datum"):
        adjust({}, two)
    assert pieces(["gate", "sill", "weir", "crest"], two) == [["gate", "sill"], ["weir", "crest"]]


def test_known_marks_alone_check_the_line_between_them():
    net = adjust({"a": (1.0, 0.0), "b": (1.5, 0.0)}, [LevelledLine("a", "b", 0.501, 0.001)])
    assert net.residuals[0] == pytest.approx(-0.001)
    assert (net.freedom, net.redundancy[0]) == (1, 1.0)


def test_a_long_adjustment_tells_how_far_it_is_and_can_be_stopped():
    told = []
    lines = grid(40, 40, np.random.default_rng(1))
    adjust({"(0, 0)": (0.0, 0.0)}, lines, lambda done: told.append(done) or True)
    assert told == sorted(told)
    assert told[-1] == 1.0
    calls = itertools.count()
    with pytest.raises(Stopped):
        adjust({"(0, 0)": (0.0, 0.0)}, lines, lambda done: next(calls) < 1)
