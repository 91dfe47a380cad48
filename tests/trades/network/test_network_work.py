"""A network of a job's runs: legs, loose pieces, clashes, weights."""

from __future__ import annotations

import math

import numpy as np
import pytest

from tests.saying import what_is_said
from vivid_keel.core.quantities import LengthStyle
from vivid_keel.trades.network.book import NetworkBook, NetworkLine, Weights, weigh
from vivid_keel.trades.network.result import Adjusted, network_state, work_out_network


def book(lines, known=None, **more):
    made = [
        NetworkLine(a, b, rise, 0.001, length, run, k) for k, (a, b, rise, length, run) in enumerate(lines)
    ]
    whole = {"clashes": [], "left_out": {}, "weights": Weights(), **more}
    known = {"BM": (50.0, 0.0)} if known is None else known
    return NetworkBook(
        9,
        "net",
        LengthStyle(),
        made,
        known,
        whole["clashes"],
        {1: "first", 2: "second"},
        whole["left_out"],
        whole["weights"],
    )


LOOP = [
    ("BM", "a", 1.0, 40.0, 1),
    ("a", "b", 0.5, 40.0, 1),
    ("b", "c", -0.2, 40.0, 1),
    ("BM", "c", 1.303, 160.0, 2),
    ("c", "d", 0.4, 40.0, 2),
]


def test_lines_that_follow_each_other_are_one_leg_with_their_correction_and_share():
    result = work_out_network(book(LOOP))
    legs = {(leg.start, leg.to): leg for leg in result.legs}
    assert set(legs) == {("BM", "c"), ("c", "d")} or len(result.legs) == 3
    long = next(leg for leg in result.legs if len(leg.lines) == 3)
    assert long.rise == pytest.approx(1.3)
    assert long.correction == pytest.approx(0.003 * 3 / 4)
    assert long.redundancy == pytest.approx(0.75)
    assert long.sigma == pytest.approx(0.001 * math.sqrt(3))
    side = next(leg for leg in result.legs if leg.to == "d")
    assert side.redundancy < 1e-9
    assert math.isinf(side.smallest)
    assert sum(len(leg.lines) for leg in result.legs) == len(LOOP)


def test_a_slip_makes_its_leg_doubtful_and_says_so():
    lines = [
        ("BM", "a", 1.0, 40.0, 1),
        ("a", "b", 0.5, 40.0, 1),
        ("BM", "b", 1.5, 40.0, 2),
        ("a", "c", 0.1, 9.0, 2),
        ("c", "b", 0.4, 9.0, 2),
        ("BM", "c", 1.15, 9.0, 1),
    ]
    result = work_out_network(book(lines))
    assert result.suspicious
    worst = result.worst_leg
    assert {worst.start, worst.to} == {"BM", "c"}
    found = [f.title for f in what_is_said("network", Adjusted(result.book, result))]
    assert any(t.startswith("Doubtful: ") for t in found)
    assert network_state(Adjusted(result.book, result))[0] == "out"


def test_pieces_that_hang_on_nothing_are_named_and_the_rest_is_served():
    result = work_out_network(book([*LOOP, ("weir", "race", -2.0, 20.0, 2)]))
    assert result.loose == [["weir", "race"]]
    assert result.net is not None
    titles = [f.title for f in what_is_said("network", Adjusted(result.book, result))]
    assert titles[0] == "Hangs on nothing: weir"
    alone = work_out_network(book([("weir", "race", -2.0, 20.0, 2)]))
    assert alone.net is None
    assert network_state(Adjusted(alone.book, alone)) == ("todo", "no lines yet")


def test_a_mark_with_two_heights_is_refused():
    result = work_out_network(book(LOOP, clashes=["BM is listed with two heights; strike the wrong one"]))
    assert result.net is None
    assert network_state(Adjusted(result.book, result))[0] == "out"
    assert "two heights" in what_is_said("network", Adjusted(result.book, result))[0].text


def test_nothing_to_spare_is_said():
    result = work_out_network(book(LOOP[:2]))
    assert what_is_said("network", Adjusted(result.book, result))[0].title == "Nothing checks it"
    assert network_state(Adjusted(None)) == ("todo", "being worked out")


@pytest.mark.parametrize(
    ("weights", "sigma"),
    [
        (Weights(), 0.001),
        (Weights("setup", 0.002), 0.002 / math.sqrt(2)),
        (Weights("km", 0.005), 0.005 * math.sqrt(0.04)),
    ],
)
def test_what_a_line_is_worth(weights, sigma):
    line = NetworkLine("a", "b", 1.0, 0.001, 40.0, 1, 0)
    assert weigh(line, weights) == pytest.approx(sigma)
    assert weigh(NetworkLine("a", "b", 1.0, 0.001, math.nan, 1, 0), Weights("km", 0.005)) == 0.001


def test_known_marks_weighted_by_their_own_uncertainty_give_way():
    held = work_out_network(book(LOOP[:3], {"BM": (50.0, 0.0), "c": (51.31, 0.0)}))
    soft = work_out_network(book(LOOP[:3], {"BM": (50.0, 0.0), "c": (51.31, 0.005)}))
    at = held.net.names.index("c")
    assert held.net.heights[at] == pytest.approx(51.31)
    assert soft.net.heights[at] == pytest.approx(51.31 - 0.01 * 25 / 28)
    assert soft.why_height(at).formula.startswith("least")


def test_a_leg_adds_up_to_its_lines_for_any_ring():
    rng = np.random.default_rng(4)
    names = [f"m{i}" for i in range(30)]
    lines = [
        (names[i], names[(i + 1) % 30], float(rng.normal(0, 0.001)), 20.0, 1 + (i > 14)) for i in range(30)
    ]
    lines += [(names[3], names[20], 0.0, 20.0, 2), (names[8], names[25], 0.0, 20.0, 2)]
    result = work_out_network(book(lines, {"m0": (10.0, 0.0)}))
    net = result.net
    for leg in result.legs:
        ends = net.heights[net.names.index(leg.to)] - net.heights[net.names.index(leg.start)]
        assert ends == pytest.approx(leg.rise + leg.correction, abs=1e-12)
    assert sum(leg.redundancy for leg in result.legs) == pytest.approx(net.freedom)
