"""Honest checks of good instruments: nothing is thrown away for want of proof, a second round never looks worse than one, and U
covers what hands really book: half divisions typed as 0.5, a few wild looks."""

from __future__ import annotations

import math

import numpy as np
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

from vivid_keel.core.errors import KeelError
from vivid_keel.core.facts import usual_facts
from vivid_keel.core.instruments.kinds import KIND, KINDS
from vivid_keel.core.instruments.outcome import OUT_OF_USE, SETTLE, Seen, Traits
from vivid_keel.core.instruments.procedures import PROCEDURES
from vivid_keel.core.instruments.repeats import of_repeats
from vivid_keel.core.proof import NOT_PROVEN, PROVEN_OUT
from vivid_keel.stands.instruments import Hidden, carry_out, hide, plan, truth_of

EVERY = [(kind, key, way) for kind in KINDS for key in kind.checks for way, _ in PROCEDURES[key].ways]


def traits_of(kind):
    usual = usual_facts(kind.traits)
    return Traits(kind, usual.values, usual.texts)


def three_sigma(share, n):
    return 3 * math.sqrt(share * (1 - share) / n)


@pytest.mark.parametrize(("kind", "key", "way"), EVERY, ids=lambda x: getattr(x, "key", x))
def test_no_perfect_instrument_is_taken_out_of_use_for_want_of_proof(kind, key, way):
    procedure, traits = PROCEDURES[key], traits_of(kind)
    for seed in range(12):
        rng = np.random.default_rng(seed)
        # What is no error stays as it was hidden: how hard the string is pulled.
        perfect: Hidden = {k: v if k == "pull" else 0.0 for k, v in hide(traits, rng).items()}
        for cycles in (1, 2):
            steps = plan(procedure, way, traits, cycles)
            seen = carry_out(procedure, way, traits, perfect, steps, rng)
            outcome = procedure.outcome(traits, way, seen)
            for item in outcome.found:
                assert item.decision != OUT_OF_USE or item.verdict == PROVEN_OUT
                if item.verdict == NOT_PROVEN:
                    assert item.decision == SETTLE and item.settling()


@pytest.mark.parametrize("n", [2, 3, 5, 8])
def test_u_of_repeats_covers_where_the_kind_is_what_it_is_stated_to_be(n):
    rng, runs = np.random.default_rng(n), 4000
    values = rng.normal(0, 1, (runs, n)) * np.where(rng.random((runs, n)) < 0.02, 3.0, 1.0)
    inside = np.mean([abs(r.mean) <= r.U for r in (of_repeats(v.tolist(), 1.0, 0.0) for v in values)])
    assert 0.93 - three_sigma(0.93, runs) <= inside <= 0.985 + three_sigma(0.985, runs)


def test_a_second_round_hardly_ever_looks_worse_than_one_did():
    rng, runs = np.random.default_rng(3), 3000
    one = of_repeats([0.0], 1.0, 0.1).U
    worse = np.mean([one + 1e-12 < of_repeats(rng.normal(0, 1, 2).tolist(), 1.0, 0.1).U for _ in range(runs)])
    assert worse <= 0.012 + three_sigma(
        0.012, runs
    )  # only where they scatter as chance does once in a hundred


def test_repeats_of_an_unknown_kind_still_go_by_student():
    assert of_repeats([0.0, 1.0], 0.0, 0.0).k > 10


def reversal(rng, step, error, slope, cycles, way="divisions"):
    """A reversal by hand: bubble places read to a step [div], booked as people type halves."""
    seen = {}
    for k in range(1, cycles + 1):
        for key, sign in (("a1", 1), ("a2", -1)):
            wild = 3.0 if rng.random() < 0.02 else 1.0
            shown = slope + sign * error + rng.normal(0, 0.15) * wild
            value = round(shown / step) * step
            typed = 0.1 if step < 1 else 1.0
            seen[f"{key}/{k}"] = Seen(len(seen) + 1, f"{value:g}", value, typed)
    return seen


@pytest.mark.parametrize("step", [0.5, 0.2, 0.1])
@pytest.mark.parametrize("cycles", [1, 2, 3])
def test_u_of_a_reversal_covers_whatever_part_of_a_division_was_read(step, cycles):
    traits, procedure = traits_of(KIND["precision"]), PROCEDURES["reversal"]
    rng, inside, accused, runs = np.random.default_rng(17), [], 0, 600
    for _ in range(runs):
        error, slope = rng.uniform(-1.5, 1.5), rng.uniform(-2, 2)
        outcome = procedure.outcome(traits, "divisions", reversal(rng, step, error, slope, cycles))
        accused += outcome.trouble is not None
        (found,) = outcome.found
        inside.append(abs(found.value - error * traits.division) <= found.U)
    # Half divisions are rounded more coarsely than the spread of a look: U then rests on that bound and covers more.
    assert np.mean(inside) >= 0.93 - three_sigma(0.93, runs)
    assert accused / runs <= 0.005 + three_sigma(0.005, runs)


def test_ends_that_were_really_exchanged_are_still_told():
    traits, procedure = traits_of(KIND["precision"]), PROCEDURES["reversal"]
    rng, told = np.random.default_rng(4), 0
    for _ in range(200):
        seen = reversal(rng, 0.1, 1.6, rng.uniform(-1, 1), 3)
        seen["a1/3"], seen["a2/3"] = seen["a2/3"], seen["a1/3"]
        told += procedure.outcome(traits, "divisions", seen).trouble is not None
    assert told >= 190


def test_what_its_owner_says_it_is_read_to_goes_before_what_the_readings_look_like():
    kind = KIND["precision"]
    usual = usual_facts(kind.traits)
    said = Traits(kind, {**usual.values, "step": 0.1}, usual.texts)
    seen = reversal(np.random.default_rng(1), 0.5, 1.0, 0.5, 1)
    procedure = PROCEDURES["reversal"]
    by_looks = procedure.outcome(traits_of(kind), "divisions", seen).found[0].U
    assert by_looks > procedure.outcome(said, "divisions", seen).found[0].U


# What can't be


def two_peg_seen(**values):
    return {key: Seen(k + 1, f"{v:g}", v, 0.001) for k, (key, v) in enumerate(values.items())}


def asked(key):
    procedure = PROCEDURES["two-peg"]
    return next(s for s in procedure.steps(traits_of(KIND["optical"]), "near", {}) if s.key == key)


@pytest.mark.parametrize(
    ("key", "value", "seen", "said"),
    [
        (
            "d2b",
            2.0,
            {"d1a": 30.0, "d1b": 30.0, "d2a": 70.0},
            "at least 68 m apart by one set-up and at most 60 m",
        ),
        ("d1a", 300.0, {}, "can't be read over 300 m"),
        ("a1/1", 6.1, {}, "no staff is 6.1 m long"),
        ("d1a", 0.0, {}, "above 0 m"),
    ],
)
def test_what_can_not_be_is_refused_with_what_could(key, value, seen, said):
    procedure = PROCEDURES["two-peg"]
    with pytest.raises(KeelError, match=said):
        procedure.accepts(traits_of(KIND["optical"]), "near", asked(key), value, two_peg_seen(**seen))


@pytest.mark.parametrize(
    ("d1a", "d1b", "d2a", "d2b"),
    [(20, 20, 2, 42), (20, 20, 20, 60), (30, 30, 61, 1), (10, 30, 30, 10), (21, 20, 41.5, 1)],
)
def test_layouts_that_can_be_walked_are_taken(d1a, d1b, d2a, d2b):
    """The pegs lie on one line with both set-ups in each of them; the last is paced a little askew."""
    procedure, traits = PROCEDURES["two-peg"], traits_of(KIND["optical"])
    seen = {}
    for key, value in (("d1a", d1a), ("d1b", d1b), ("d2a", d2a), ("d2b", d2b)):
        procedure.accepts(traits, "near", asked(key), float(value), two_peg_seen(**seen))
        seen[key] = float(value)


# How finely it was read, and what a look more may do


COARSE = [
    (kind, key, way)
    for kind, key, way in EVERY
    if key in {"two-peg", "axes", "cone", "line", "line-plumb"}  # a plumb frame reads little more than nought
]


@pytest.mark.parametrize(("kind", "check", "way"), COARSE)
@pytest.mark.parametrize("cycles", [1, 2, 4])
def test_u_holds_a_grid_of_5_mm_that_was_typed_in_millimetres(kind, check, way, cycles):
    """Read to the next 5 mm and typed to the millimetre: the grid of the readings tells, not their noughts."""
    procedure, traits = PROCEDURES[check], traits_of(kind)
    steps = plan(procedure, way, traits, cycles)
    lengths = {s.key for s in steps if s.unit in {"m", "mm"}}
    covered = total = 0
    for n in range(120):
        rng = np.random.default_rng([33, n])
        hidden = hide(traits, rng)
        seen = carry_out(procedure, way, traits, hidden, steps, rng)
        seen = {
            k: Seen(s.id, s.text, round(s.value / 0.005) * 0.005, 0.001) if k in lengths else s
            for k, s in seen.items()
        }
        for f in procedure.outcome(traits, way, seen).found[:2]:
            truth = truth_of(procedure, f.key, hidden, traits)
            total, covered = total + 1, covered + (abs(f.value - truth) <= f.U)
    assert total >= 100
    assert covered / total >= 0.93 - three_sigma(0.93, total), covered / total


@given(st.lists(st.floats(-4, 4), min_size=1, max_size=14), st.floats(-1, 1), st.sampled_from([0.0, 0.3]))
@settings(max_examples=400)
def test_a_look_within_its_u_of_the_others_never_makes_u_larger(looks, off, floor):
    before = of_repeats(looks, 1.0, floor)
    after = of_repeats([*looks, sum(looks) / len(looks) + off], 1.0, floor)
    assert after.U <= before.U * (1 + 1e-9)


@given(st.lists(st.floats(-4, 4), min_size=2, max_size=9), st.floats(-1, 1), st.floats(0.1, 5))
@settings(max_examples=200)
def test_a_quiet_look_more_at_the_benchmark_never_makes_the_drift_less_sure(looks, off, hours):
    traits = traits_of(KIND["hydrostatic"])
    u, times = 1.0371 * traits.number("u"), [8 + 0.5 * k for k in range(len(looks))]

    def drift(times, looks):
        seen = {}
        for k, (t, z) in enumerate(zip(times, looks, strict=True), 1):
            seen[f"t/{k}"], seen[f"z/{k}"] = Seen(2 * k, f"{t}", t, 0.01), Seen(2 * k + 1, f"{z}", z, 0.0001)
        return PROCEDURES["hydrostatic"].outcome(traits, "", seen).found[0]

    before = drift(times, [u * z for z in looks])
    later = times[-1] + hours
    on_line = u * sum(looks) / len(looks) + before.value * (later - sum(times) / len(times))
    after = drift([*times, later], [*(u * z for z in looks), on_line + off * u / 1.0371])
    assert after.U <= before.U * (1 + 1e-9)


def test_a_round_near_the_limit_is_not_asked_for_what_nobody_reads():
    from vivid_keel.core.instruments.outcome import Found

    near = Found("x", "axis", "tilt", 1e-4 * (1 - 0.06), 1.8e-4, 1e-4)
    assert near.verdict == NOT_PROVEN
    assert "at the limit itself" in near.settling()


def test_a_level_that_awaits_adjustment_is_due():
    from tests.core.instruments.test_kit import Kit
    from vivid_keel.core.instruments.tool import fold_tool

    kit = Kit()
    level = kit.tool()
    kit.check(level, "adjust", a1_1=0.9, a2_1=0.2)
    due = fold_tool(kit.journal, level).due(kit.now)
    assert any(d.why.startswith("to be adjusted") and d.day <= kit.now.date() for d in due)
