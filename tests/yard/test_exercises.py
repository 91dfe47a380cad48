"""Exercises of the practice yard: what a slip is laid to, what a perfect hand needs, what is refused, what the record says."""

from __future__ import annotations

import math

import numpy as np
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

from tests import measure_yard
from vivid_keel.core.errors import KeelError
from vivid_keel.core.quantities import show_length
from vivid_keel.core.record.entries import Draft
from vivid_keel.files import YardFile
from vivid_keel.stands.heads import Head, turns_for
from vivid_keel.yard.attempt import HINT, KINDS, Act, Attempt
from vivid_keel.yard.desk import YardDesk
from vivid_keel.yard.learner import EXERCISES, OFTEN, habit, level_of, next_exercise, skill, skills
from vivid_keel.yard.screws import LEVEL, LEVELLED, LOOK, RING, SEEN, ScrewsExercise
from vivid_keel.yard.staff import READINGS, StaffExercise, View, kind_of, mirrored

STAVES = [one for one in EXERCISES.values() if isinstance(one, StaffExercise)]
SCREWS = [one for one in EXERCISES.values() if isinstance(one, ScrewsExercise)]
seeds = st.integers(0, 9999)
levels = st.integers(1, 3)


@pytest.mark.parametrize("exercise", STAVES, ids=lambda one: one.key)
@given(seed=seeds, level=levels, k=st.integers(0, READINGS - 1), to=st.sampled_from([-1, 1]))
def test_every_slip_is_laid_to_its_kind_and_a_good_reading_to_none(exercise, seed, level, k, to):
    seen = exercise.view(Attempt(1, exercise.key, level, seed), k)
    assert kind_of(seen, seen.hair, show_length(seen.hair, seen.style)) == ""
    assert kind_of(seen, seen.hair + to * 0.9 * seen.close, "") == ""
    sizes = {"ten": 0.01, "fifty": 0.05, "tenth": 0.1, "metre": 1.0, "hair": seen.half}
    if seen.unit != "m":
        sizes = {"inch": 0.0254 / 8, "tenth": 0.0254, "metre": 12 * 0.0254, "hair": seen.half}
    for kind, size in sizes.items():
        if kind in exercise.shows:
            found = kind_of(seen, seen.hair + to * size, "")
            # Upside down a slip may be just what reading the wrong way up would make.
            assert found == kind or (seen.upside_down and found == "upside")
    if seen.upside_down:
        assert kind_of(seen, mirrored(seen), "") == "upside"


@pytest.mark.parametrize(
    ("hair", "text", "kind"),
    [
        (1.482, "1.482", ""),
        (1.482, "1.484", ""),
        (1.482, "1.492", "ten"),
        (1.482, "1.432", "fifty"),
        (1.482, "1.582", "tenth"),
        (1.482, "2.482", "metre"),
        (1.482, "1.412", "hair"),
        (1.482, "1.428", "swap"),
        (1.482, "4.182", "swap"),
        (1.482, "1.7", "?"),
        (1.482, "1.4820", ""),
    ],
)
def test_the_usual_slips_at_one_reading(hair, text, kind):
    assert kind_of(View("m", hair, 0.07, False, False), float(text), text) == kind


def test_upside_down_the_figure_is_taken_from_the_wrong_side():
    seen = View("m", 1.482, 0.07, True, False)
    assert mirrored(seen) == pytest.approx(1.418)
    assert kind_of(seen, 1.418, "1.418") == "upside"


def steady(exercise, attempt):
    """A perfect hand that sees the axis: the least turns, half a circle, and the word."""
    for _ in range(exercise.count):
        head = exercise.thing(attempt)
        for screw, turn in enumerate(turns_for(head)):
            if exercise.screws == 3:
                key = ("far", "right", "left")[screw]
            else:
                key = ("right", "near", "left", "far")[screw]
            attempt = attempt.with_act(key, f"{turn}", turn)
        for pair, names in zip(
            exercise.thing(attempt).snug, (("right", "left"), ("near", "far")), strict=False
        ):
            for name in names:
                attempt = attempt.with_act(name, "", -pair / 2)
        attempt = attempt.with_act(LOOK, "180", 180.0).with_act(LEVELLED, "level", 0.0)
    return attempt


@pytest.mark.parametrize("exercise", SCREWS, ids=lambda one: one.key)
@settings(max_examples=30)
@given(seed=seeds)
def test_a_perfect_hand_needs_the_least_turns_and_stands_all_upright(exercise, seed):
    attempt = steady(exercise, Attempt(1, exercise.key, 1, seed))
    found = exercise.debrief(attempt)
    assert exercise.over(attempt) and found.costs < 1e-6
    assert found.summary.startswith(f"{exercise.count} of {exercise.count} stand upright")
    turned, least = (float(word.split()[0]) for word in found.summary.split("; ")[1].split(", "))
    assert turned == pytest.approx(least, abs=0.011)
    assert found.slips["reversal"] == (exercise.count, 0)


@pytest.mark.parametrize("exercise", SCREWS, ids=lambda one: one.key)
def test_a_random_hand_doesnt_reach_it(exercise):
    rng = np.random.default_rng(4)
    upright = 0
    for seed in range(8):
        attempt = Attempt(1, exercise.key, 2, seed)
        for _ in range(exercise.count):
            for _ in range(6):
                control = exercise.controls[int(rng.integers(len(exercise.controls)))]
                attempt = attempt.with_act(control.key, "", float(rng.normal(0, 1)))
            attempt = attempt.with_act(LEVELLED, "level", 0.0)
        upright += sum(heads[-1].lean <= LEVEL for _, heads in exercise.rounds(attempt))
    assert upright <= 0.1 * 8 * exercise.count


def test_a_bubble_in_its_ring_is_not_level_and_half_is_told_from_all():
    (exercise,) = (one for one in SCREWS if one.screws == 3)
    seed = next(
        s for s in range(200) if math.hypot(*exercise.begins(Attempt(1, "three", 2, s), 0).error) > RING
    )
    attempt = Attempt(1, "three", 2, seed)
    head = exercise.thing(attempt)
    own = head.error  # centred at first: the axis leans by just what the bubble lies
    plain = turns_for(type(head)(head.turns, (head.tilt[0] + own[1], head.tilt[1] + own[0]), (0.0, 0.0)))
    for key, turn in zip(("far", "right", "left"), plain, strict=True):
        attempt = attempt.with_act(key, "", turn)
    assert math.hypot(*exercise.thing(attempt).shown) < SEEN
    said = exercise.debrief(attempt.with_act(LEVELLED, "level", 0.0)).steps[-1]
    assert not said.good and "never turned round" in said.said
    attempt = attempt.with_act(LOOK, "180", 180.0)
    assert math.hypot(*exercise.thing(attempt).shown) == pytest.approx(2 * math.hypot(*own))
    ends = {}
    for share in (0.5, 1.0):
        now = exercise.thing(attempt)
        along, right = (share * value for value in now.shown)
        # Looking towards the observer, along is towards them and right is left.
        gone = turns_for(type(now)((0.0,) * 3, (-right, -along), (0.0, 0.0)))
        end = attempt
        for key, turn in zip(("far", "right", "left"), gone, strict=True):
            end = end.with_act(key, "", turn)
        found = exercise.debrief(end.with_act(LEVELLED, "level", 0.0))
        ends[share] = (found.slips["half"], found.steps[-1].good)
    assert ends == {0.5: ((1, 0), True), 1.0: ((1, 1), False)}


@pytest.mark.parametrize(
    ("text", "turns"), [("1/4", 0.25), ("-1/2", -0.5), ("−1 1/8", -1.125), ("2", 2.0), ("0.5", 0.5)]
)
def test_turns_are_typed_as_a_hand_says_them(text, turns):
    assert SCREWS[0].parse("far", text) == pytest.approx(turns)


@pytest.mark.parametrize("text", ["", "x", "1/0", "99", "1/2/3", "nan", "1 x"])
def test_what_is_no_turn_is_refused_with_an_example(text):
    with pytest.raises(KeelError, match=r"1/4|180"):
        SCREWS[0].parse("far", text)


def test_degrees_go_round():
    assert SCREWS[0].parse(LOOK, "-90") == 270 and SCREWS[0].parse(LOOK, "540") == 180


@pytest.mark.parametrize("key", EXERCISES)
def test_each_exercise_offers_ten_openings_for_what_it_shows_and_hints_are_counted(key):
    """At each of the two ways of leading; `half` only where the bubble moved at all."""
    rng = np.random.default_rng(6)
    exercise = EXERCISES[key]
    attempt = Attempt(1, key, 2, 3, (Act(HINT, "asked", 0.0),))
    assert exercise.hint(attempt) and attempt.hints == 1
    found = exercise.debrief(measure_yard.DOES[key](exercise, attempt, lambda kind: False, rng)).slips
    assert set(found) == set(exercise.shows)
    least = {kind: (6 if kind == "half" else 10) for kind in found}
    assert all(could >= least[kind] for kind, (could, _) in found.items())
    assert sum(made for _, made in found.values()) <= 1


def test_a_habit_takes_evidence_and_is_forgotten_when_it_is_gone():
    assert not skill(10, 1).habit and not skill(0, 0).habit and skill(30, 9).habit
    assert skill(30, 9).rate > OFTEN > skill(30, 0).high
    assert not skill(200, 10).habit  # once in twenty is nobody's habit


def test_the_next_exercise_is_where_it_is_likeliest_to_slip_and_grows_harder_only_when_done_well():
    rng = np.random.default_rng(2)
    exercise = EXERCISES["eighths"]
    bad = measure_yard.staff(exercise, Attempt(1, "eighths", 1, 5), lambda kind: kind == "inch", rng)
    assert next_exercise([bad]) == "eighths" and level_of([bad], "eighths") == 1
    good = measure_yard.staff(exercise, Attempt(2, "eighths", 1, 6), lambda kind: False, rng)
    assert level_of([good], "eighths") == 2 and habit(skills([good])) == ""
    assert next_exercise([good]) != "eighths"


@pytest.mark.parametrize("kind", ["ten", "upside", "reversal"])
def test_a_habit_is_the_first_that_is_named_within_twelve_exercises(kind):
    """`./run measure yard` has 100 of each kind; here 5: ninety in a hundred less three binomial σ."""
    came = [measure_yard.learner(kind, [41, list(KINDS).index(kind), k], by_record=True) for k in range(5)]
    assert np.mean([n > 0 for n in came]) >= 0.9 - 3 * math.sqrt(0.9 * 0.1 / 5)
    assert not any(n < 0 for n in came)


def test_a_good_learner_is_accused_of_nothing():
    came = [measure_yard.learner("", [42, k], by_record=True) for k in range(4)]
    assert not any(came)


@pytest.mark.parametrize("exercise", SCREWS, ids=lambda one: one.key)
def test_the_bubble_follows_the_left_thumb_and_goes_where_a_screw_goes_up(exercise):
    """Both thumbs in: the left one moves to the right, and so does the bubble; a screw that goes up draws it towards itself."""
    level = Head((0.0,) * exercise.screws, (0.0, 0.0), (0.0, 0.0))
    for control in exercise.controls:
        along, right = level.turned(control.by).shown
        if control.key in {"left-right", "across", "right"}:
            assert right > 0
        elif control.key == "left":
            assert right < 0
        else:
            assert (along > 0) == (control.key in {"far", "along"}) and abs(along) > abs(right)


@pytest.mark.parametrize(
    ("begin", "acts"),
    [
        ({"level": -5, "seed": -1}, [("far", 0.5)]),
        ({"level": 10**9, "seed": 2**50}, [("look", 1e14), ("far", 1e14), ("level", 0.0)]),
        ({"level": 1, "seed": 3}, [("no such screw", 1.0), ("read", 1.0), ("level", 0.0)] * 15),
        ({"level": 2, "seed": 3, "exercise": "none such"}, [("read", 1.0)]),
        ({"level": 2, "seed": 3, "exercise": "staff"}, [("far", 1e14), ("level", -1e14)] * 12),
    ],
)
def test_a_strangers_record_is_shown_as_far_as_it_makes_sense(begin, acts, tmp_path):
    """A file that was mailed: levels, seeds and controls that no yard booked end no window."""
    with YardFile.create(tmp_path / "yard.keelyard", "Practice yard", "Ada") as file:
        (work,) = file.record([Draft(0, "work", {"name": "Ada", "type": "learner", "unit": "m"})])
        file.record([Draft(work.id, "yard-begin", {"exercise": "three", **begin})])
        for what, value in acts:
            file.record([Draft(work.id, "yard-act", {"what": what, "text": "x", "value": value})])
        desk = YardDesk(file, work.id)
        for stage in desk.stage_names:
            assert desk.picture(stage, 0, 760, 300).caption and desk.tabs() and desk.next(stage).title
            desk.findings(stage)
            for sheet in desk.sheets(stage):
                assert all(
                    sheet.cell(r, c) is not None
                    for r in range(sheet.count)
                    for c in range(len(sheet.columns))
                )
        file.record([Draft(work.id, "yard-end", {"why": "done"})])
        desk.refresh()
        assert desk.findings("Debrief") and desk.picture("Debrief", 0, 380, 200).caption
