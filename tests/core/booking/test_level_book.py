"""The level book: facts of the page, laws that hold on every book, and simulated truth."""

from __future__ import annotations

import math

import numpy as np
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

from vivid_keel.core.booking.checks import page_checks
from vivid_keel.core.booking.closing import CLASSES, ToleranceClass, adjusted_heights, close
from vivid_keel.core.booking.hairs import stadia
from vivid_keel.core.booking.layout import BS, FS, IS, ListedMark, lay_out
from vivid_keel.core.booking.reduction import reduce, rise_and_fall_heights
from vivid_keel.core.booking.uncertainty import height_uncertainty, student_k
from vivid_keel.core.errors import KeelError
from vivid_keel.core.quantities import LengthStyle, show_length

GATE = {"gate": ListedMark("gate", 50.0)}
WIDE = ToleranceClass("wide", 1.0, "setup")


def run_of(sights, listed=GATE, distances=None, spread="setups", tolerance=WIDE):
    """(set-up, mark, kind, reading) → reduction and closure."""
    layout = lay_out([s[2] for s in sights], [s[1] for s in sights], [s[0] for s in sights], listed)
    d = np.full(len(sights), np.nan) if distances is None else np.asarray(distances, dtype=float)
    reduction = reduce(layout, np.array([s[3] for s in sights]), d)
    return reduction, close(reduction, d, tolerance, spread)


@st.composite
def books(draw, step):
    """A random book that chains from the gate, in whole steps of the graduation, overhead readings too."""
    sights = []
    mark = "gate"
    for s in range(draw(st.integers(1, 8))):
        sights.append((s, mark, BS, draw(st.integers(1, 4000)) * step))
        for i in range(draw(st.integers(0, 4))):
            sights.append((s, f"i{s}{i}", IS, draw(st.integers(-3000, 4000)) * step))
        mark = f"cp{s}"
        sights.append((s, mark, FS, draw(st.integers(1, 4000)) * step))
    return sights


@pytest.mark.parametrize(
    ("step", "style"), [(0.001, LengthStyle()), (0.0254 / 8, LengthStyle("ft-in", 0, 8))]
)
def test_both_schools_agree_to_the_last_digit_shown(step, style):
    @settings(max_examples=150, deadline=None)
    @given(books(step))
    def law(sights):
        reduction, _ = run_of(sights)
        other = rise_and_fall_heights(reduction)
        for a, b in zip(reduction.heights, other, strict=True):
            assert show_length(a, style) == show_length(b, style)
        checks = page_checks(reduction)
        assert checks.agree
        assert checks.stretches == 1
        last, first = reduction.heights[-1], reduction.heights[0]
        assert reduction.sum_bs - reduction.sum_fs == pytest.approx(last - first, abs=1e-9)

    law()


@settings(max_examples=100, deadline=None)
@given(books(0.001), st.integers(-20, 20))
def test_spreading_brings_the_last_mark_to_its_known_height(sights, slip):
    reduction, _ = run_of(sights)
    known = {**GATE, sights[-1][1]: ListedMark(sights[-1][1], float(reduction.heights[-1]) + slip / 1000)}
    reduction, closure = run_of(sights, known)
    assert closure.misclosure == pytest.approx(-slip / 1000, abs=1e-9)
    heights = adjusted_heights(reduction, closure)
    assert heights[sights[-1][1]] == known[sights[-1][1]].height
    n = len(closure.path)
    for s in range(n):
        assert closure.correction[s] == pytest.approx(slip / 1000 * (s + 1) / n, abs=1e-9)


def test_closes_on_its_own_start():
    reduction, closure = run_of([(0, "gate", BS, 1.35), (0, "sill", IS, 1.498), (0, "gate", FS, 1.352)])
    assert closure.misclosure == pytest.approx(-0.002)
    assert closure.correction[0] == pytest.approx(0.002)
    assert adjusted_heights(reduction, closure)["sill"] == pytest.approx(49.854)


def test_over_the_limit_nothing_is_spread_unless_a_person_says_so():
    sights = [(0, "gate", BS, 1.35), (0, "sill", IS, 1.498), (0, "gate", FS, 1.362)]
    reduction, closure = run_of(sights, tolerance=CLASSES[2])
    assert closure.accepted is False
    assert not closure.spread
    assert adjusted_heights(reduction, closure)["sill"] == pytest.approx(49.852)
    forced = close(reduction, np.full(3, np.nan), CLASSES[2], override=True)
    assert forced.spread
    assert forced.correction[0] == pytest.approx(0.012)


def test_by_length_needs_lengths():
    sights = [(0, "gate", BS, 1.35), (0, "gate", FS, 1.352)]
    reduction, closure = run_of(sights, tolerance=CLASSES[1])
    assert closure.allowed is None
    assert closure.accepted is None
    _, closure = run_of(sights, distances=[20.0, 20.0], tolerance=CLASSES[1])
    assert closure.allowed == pytest.approx(0.012 * math.sqrt(0.04))
    with pytest.raises(KeelError, match="every sight that the way goes by") as refused:
        close(reduction, np.array([20.0, np.nan]), WIDE, "distance")
    assert refused.value.where == "1"


def test_a_bad_row_is_named_and_the_others_stay():
    sights = [
        (0, "gate", BS, 1.5),
        (0, "sill", IS, 1.0),
        (0, "cp", FS, 1.2),
        (1, "nobody", BS, 1.1),
        (1, "step", IS, 1.3),
        (2, "cp", BS, 1.4),
        (2, "drain", IS, 1.9),
    ]
    reduction, _ = run_of(sights)
    assert [t.code for t in reduction.layout.troubles] == ["unknown-backsight"]
    assert np.isnan(reduction.heights[3:5]).all()
    assert reduction.heights[[1, 2, 6]] == pytest.approx([50.5, 50.3, 49.8])


def test_a_sight_after_the_foresight_waits_for_a_set_up():
    reduction, _ = run_of([(0, "gate", BS, 1.5), (0, "cp", FS, 1.2), (0, "late", IS, 1.0)])
    assert reduction.layout.troubles[0].row == 2
    assert np.isnan(reduction.heights[2])
    assert page_checks(reduction).agree


def test_without_a_backsight_readings_wait():
    reduction, _ = run_of([(0, "sill", IS, 1.0), (0, "step", IS, 1.1)])
    assert [t.code for t in reduction.layout.troubles] == ["no-backsight"]
    assert np.isnan(reduction.heights).all()


def test_collimation_cancels_when_sights_are_as_long():
    listed = GATE
    layout = lay_out([BS, FS], ["gate", "cp"], [0, 0], listed)
    readings = np.array([1.5, 1.2])
    even = reduce(layout, readings, np.array([25.0, 25.0]), 1e-4)
    odd = reduce(layout, readings, np.array([5.0, 45.0]), 1e-4)
    assert even.heights[1] == pytest.approx(50.3, abs=1e-12)
    assert odd.heights[1] == pytest.approx(50.3 + 1e-4 * 40, abs=1e-12)
    assert reduce(layout, readings, np.array([np.nan, 45.0]), 1e-4).undistanced.tolist() == [0]


def test_empty_and_one_sight_books():
    reduction, closure = run_of([])
    assert closure.misclosure is None
    assert not page_checks(reduction).computed  # nothing agrees that was never computed
    assert not page_checks(reduction).agree
    assert height_uncertainty(reduction, closure, np.empty(0)).size == 0
    reduction, _ = run_of([(0, "gate", BS, 1.5)])
    assert reduction.collimation_height.tolist() == [51.5]
    assert page_checks(reduction).agree


@pytest.mark.parametrize("closed", [False, True])
@pytest.mark.parametrize("spread", ["setups", "distance"])
def test_stated_uncertainty_is_that_of_simulated_runs(closed, spread):
    rng = np.random.default_rng(20)
    u = 0.0007
    kinds = [BS, IS, FS, BS, IS, FS, BS, IS, FS]
    marks = ["gate", "a", "p", "p", "b", "q", "q", "c", "end"]
    setup = [0, 0, 0, 1, 1, 1, 2, 2, 2]
    distances = np.array([10, 9, 12, 30, 12, 31, 20, 4, 20.0])
    true = {"gate": 50.0, "a": 50.4, "p": 50.2, "b": 49.0, "q": 49.6, "c": 49.9, "end": 49.7}
    instrument = np.array([51.6, 51.6, 51.6, 51.2, 51.2, 51.2, 51.0, 51.0, 51.0])
    exact = instrument - np.array([true[m] for m in marks])
    errors = []
    for _ in range(1500):
        start = 50.0 + rng.normal(0, 0.002)
        listed = {"gate": ListedMark("gate", start, True, 0.002)}
        if closed:
            listed["end"] = ListedMark("end", true["end"] + rng.normal(0, 0.001), True, 0.001)
        layout = lay_out(kinds, marks, setup, listed)
        reduction = reduce(layout, exact + rng.normal(0, u, 9))
        closure = close(reduction, distances, WIDE, spread)
        at = reduction.heights + (closure.correction[layout.setup] if closed else 0)
        errors.append(at - np.array([true[m] for m in marks]))
    stated = height_uncertainty(reduction, closure, np.full(9, u))
    rows = [1, 2, 4, 5, 7] + ([] if closed else [8])
    seen = np.std(np.array(errors), axis=0)
    assert seen[rows] == pytest.approx(stated[rows], rel=0.07)


def test_hairs():
    assert stadia(1.521, 1.634, 1.409).distance == pytest.approx(22.5)
    with pytest.raises(KeelError, match="look again which is which"):
        stadia(1.5, 1.4, None)


def test_student_takes_over_from_two_where_repeats_are_few():
    assert student_k(1) == 2.0
    assert student_k(2) == pytest.approx(12.706, abs=1e-3)
    assert student_k(10) == pytest.approx(2.262, abs=1e-3)


def test_off_the_path_the_uncertainty_after_spreading_is_that_of_simulated_runs():
    """A spur hangs on a mark of the path: what is spread to that mark comes with it, its own readings on top."""
    rng = np.random.default_rng(21)
    u = np.array([0.002, 0.0025, 0.0007, 0.0015, 0.0012, 0.0009, 0.001, 0.0008, 0.0007, 0.003, 0.001, 0.002])
    kinds = [BS, IS, FS, BS, IS, FS, BS, IS, BS, FS, BS, FS]
    marks = ["gate", "a", "p", "a", "spur", "cellar", "cellar", "sump", "p", "q", "q", "end"]
    setup = [0, 0, 0, 1, 1, 1, 2, 2, 3, 3, 4, 4]
    true = {
        "gate": 50.0,
        "a": 50.4,
        "p": 50.2,
        "spur": 49.0,
        "cellar": 48.1,
        "sump": 47.2,
        "q": 49.6,
        "end": 49.7,
    }
    line = np.array([51.6, 51.3, 49.5, 51.2, 51.0])[setup]
    exact = line - np.array([true[m] for m in marks])
    errors = []
    for _ in range(4000):
        listed = {
            "gate": ListedMark("gate", 50.0 + rng.normal(0, 0.002), True, 0.002),
            "end": ListedMark("end", true["end"] + rng.normal(0, 0.001), True, 0.001),
        }
        reduction = reduce(lay_out(kinds, marks, setup, listed), exact + rng.normal(0, u))
        closure = close(reduction, np.full(12, 20.0), WIDE, "setups")
        errors.append(
            reduction.heights + closure.correction[reduction.layout.setup] - [true[m] for m in marks]
        )
    assert closure.path == [0, 3, 4]
    stated = height_uncertainty(reduction, closure, u)
    seen = np.std(np.array(errors), axis=0)
    assert stated[[4, 5, 7]] == pytest.approx(seen[[4, 5, 7]], rel=0.035)


def test_a_sight_after_a_foresight_in_the_very_first_row_waits_for_a_set_up():
    layout = lay_out([FS, IS], ["p", "a"], [0, 0], {})
    assert [(t.row, t.code) for t in layout.troubles if t.code == "wrong-order"] == [(1, "wrong-order")]
    layout = lay_out([BS, FS], ["gate", "p"], [0, 0], {"gate": ListedMark("gate", 50.0)})
    assert not layout.troubles
