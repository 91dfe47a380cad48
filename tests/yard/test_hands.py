"""The exercises that are done with the hands: a perfect hand, a random one, each slip told as what it is, hints, the whole run and its book."""

from __future__ import annotations

import math
import re
import time

import numpy as np
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

from tests import measure_yard
from vivid_keel.core.booking.layout import BS, FS, IS, ListedMark, lay_out
from vivid_keel.core.booking.reduction import reduce
from vivid_keel.core.errors import KeelError
from vivid_keel.core.quantities import show_length
from vivid_keel.figures.display import Disc
from vivid_keel.stands.heads import Head
from vivid_keel.stands.pegs import FARTHEST, STAFF, Slope
from vivid_keel.yard.attempt import KINDS, Attempt
from vivid_keel.yard.holder import SIGNALS
from vivid_keel.yard.learner import EXERCISES
from vivid_keel.yard.rounds import ASKS, TURNS, Rounds, parse_asked
from vivid_keel.yard.scenes import scene
from vivid_keel.yard.scenes_staff import ARMS
from vivid_keel.yard.scenes_stand import head as draw_head
from vivid_keel.yard.screws import RING
from vivid_keel.yard.whole import PEGS

ROUNDS = {key: one for key, one in EXERCISES.items() if isinstance(one, Rounds)}
OWN = ("tripod", "telescope", "held", "signals", "vial", "lines", "whole")
seeds, levels = st.integers(0, 9999), st.integers(1, 3)


def done(key, slips=lambda kind: False, seed=3, level=2, rng=6):
    exercise = EXERCISES[key]
    attempt = Attempt(1, key, level, seed)
    return measure_yard.DOES[key](exercise, attempt, slips, np.random.default_rng(rng))


@pytest.mark.parametrize("key", OWN)
@given(seed=st.integers(0, 400), level=levels)
@settings(max_examples=8)
def test_a_good_hand_is_told_of_nothing(key, seed, level):
    exercise = EXERCISES[key]
    attempt = done(key, seed=seed, level=level, rng=seed)
    found = exercise.debrief(attempt)
    assert exercise.over(attempt) and not any(made for _, made in found.slips.values())
    assert all(could >= 10 for could, _ in found.slips.values())
    assert all(step.good for step in found.steps) or key == "whole"  # where pegs lie unequal, sights are


@pytest.mark.parametrize(("key", "kind"), [(key, kind) for key in OWN for kind in EXERCISES[key].shows])
def test_each_slip_made_each_time_is_told_as_that_one_and_costs(key, kind):
    exercise = EXERCISES[key]
    found = exercise.debrief(done(key, lambda one: one == kind))
    could, made = found.slips[kind]
    assert made >= 0.7 * could > 0 and KINDS[kind]
    others = sum(n for one, (_, n) in found.slips.items() if one != kind)
    # Who reads an edge of what still swings may take the one for the other; nobody else is accused.
    assert others <= (2 if kind == "ran" else 0)
    assert sum(bool(step.said) for step in found.steps) >= made


@pytest.mark.parametrize("key", [key for key in OWN if key not in {"whole", "signals"}])
def test_a_random_hand_doesnt_reach_it(key):
    exercise, rng = ROUNDS[key], np.random.default_rng(5)
    right = total = 0
    for seed in range(4):
        attempt = Attempt(1, key, 2, seed)
        for _ in range(exercise.count):
            for hand in rng.permutation(np.array([one.key for one in exercise.hands])).tolist():
                if hand != exercise.last:
                    attempt = attempt.with_act(hand, "", float(rng.normal(0, 5)))
            attempt = attempt.with_act(exercise.last, "", float(rng.uniform(0, 4)))
        steps = exercise.debrief(attempt).steps
        last = [
            step for step in steps if step.good and re.search(r"said it stands|\bread |right end", step.words)
        ]
        right, total = right + len(last), total + exercise.count
    assert right <= 0.35 * total


@pytest.mark.parametrize("key", ROUNDS)
def test_a_teacher_has_a_word_at_every_moment_and_every_moment_has_its_picture(key):
    exercise, attempt = ROUNDS[key], Attempt(1, key, 2, 3)
    for act in done(key).acts[:40]:
        if not exercise.over(attempt):
            assert exercise.hint(attempt)
        hand = next(k for k, one in enumerate(exercise.hands) if one.key == act.what)
        picture = scene(exercise, attempt, 760, 330, hand, 0.5)
        assert picture.caption and picture.height == 330 and len(picture.items) >= 3
        assert (picture.drag is not None) == (
            exercise.hands[hand].asks in {"turns", "cm"} or act.what == "turn"
        )
        attempt = attempt.with_act(act.what, act.text, act.value)


@pytest.mark.parametrize("key", ROUNDS)
def test_a_picture_follows_the_hand_that_slides_and_takes_no_longer_than_a_frame_beside_a_plain_sum(key):
    """As a ratio: a slid picture late in an attempt takes at most fifty times one hundred thousand additions."""
    exercise = ROUNDS[key]
    attempt = done(key)
    attempt = Attempt(1, key, 2, 3, attempt.acts[: len(attempt.acts) * 3 // 4])

    def best(what):
        took = []
        for _ in range(5):
            begin = time.perf_counter()
            what()
            took.append(time.perf_counter() - begin)
        return min(took)

    ratio = best(lambda: scene(exercise, attempt, 760, 330, 0, 0.25)) / best(lambda: sum(range(100_000)))
    assert ratio < 50


def test_a_tripod_stood_with_one_slip_is_told_where():
    exercise = EXERCISES["tripod"]
    attempt = Attempt(1, "tripod", 1, 3).with_act("stands", "done", 0.0)
    said = exercise.debrief(attempt).steps[0].said
    assert "a leg stands where you stand" in said and "creep" in said and "one side only" in said


def test_the_image_is_sharp_and_yet_there_is_parallax_where_the_hairs_came_last():
    exercise = EXERCISES["telescope"]
    attempt = Attempt(1, "telescope", 1, 8).with_act("cap", "", 0.0)
    one = exercise.thing(attempt).telescope
    attempt = attempt.with_act("focus", "", one.eyepiece - one.image)
    after = exercise.thing(attempt).telescope
    assert after.staff_soft == 0 and abs(after.moves) > 0.0015
    here = exercise.thing(attempt).seen.hair
    moved = exercise.thing(attempt.with_act("eye", "", 0.0)).seen.hair
    assert here != moved  # that is how it is found out
    attempt = attempt.with_act("eyepiece", "", -after.eyepiece).with_act("focus", "", -after.image)
    assert exercise.thing(attempt).telescope.moves == pytest.approx(0)


@given(text=st.text(max_size=12), asks=st.sampled_from(sorted(ASKS)))
def test_what_is_typed_is_a_number_in_bounds_or_refused(text, asks):
    try:
        value = parse_asked(asks, text)
    except KeelError as error:
        told = error.code, bool(error.message)
    else:
        assert math.isfinite(value) and abs(value) <= max(ASKS[asks][1], 360)
        return
    assert told == ("bad-value", True)


@pytest.mark.parametrize(
    ("text", "mark", "value"),
    [("1,5", ",", 1.5), ("2 1/2", ".", 2.5), ("−0.25", ".", -0.25), ("+3", ".", 3.0)],
)
def test_numbers_are_typed_as_hands_say_them(text, mark, value):
    assert parse_asked(TURNS, text, mark) == pytest.approx(value)


# The whole run


def test_what_is_read_down_a_slope_is_the_line_less_the_peg_and_what_the_line_is_out():
    slope = Slope((0.0, 20.0), (1.0, -0.5), 1e-4, "beside", 2, 0.05)
    assert slope.ground(5.0) == pytest.approx(0.625)
    assert slope.reads(5.0, 1) == pytest.approx(0.625 + 1.5 + 0.5 + 15e-4)
    assert math.isnan(slope.reads(19.0, 1)) and math.isnan(slope.reads(0.5 - FARTHEST - 1, 0))
    assert math.isnan(Slope((0.0, 9.0), (0.0, -STAFF), 0.0, "", 2, 0.0).reads(0.0, 1))


@given(seed=seeds)
@settings(max_examples=25)
def test_the_run_misses_by_what_the_holder_did_and_only_his_set_up_differs_when_read_again(seed):
    walk = EXERCISES["whole"].thing(done("whole", seed=seed, rng=seed))
    assert walk.setup >= 3 and walk.closed and walk.named == walk.slope.at
    off = [walk.read_again(n) - rise for n, rise in enumerate(walk.rises, 1)]
    for n, one in enumerate(off, 1):
        assert one == pytest.approx(-walk.slope.by if n == walk.slope.at else 0.0, abs=0.006)
    sights = sum(
        abs(walk.slope.along[s.peg] - walk.stands[s.setup - 1]) * (1 if first else -1)
        for n in range(1, walk.setup + 1)
        for first, s in zip((True, False), _ends(walk, n), strict=True)
    )
    assert walk.misses == pytest.approx(walk.slope.by + walk.slope.out * sights, abs=0.012)


def _ends(walk, n):
    mine = [s for s in walk.sights if s.setup == n]
    return mine[0], mine[-1]


@given(seed=seeds)
@settings(max_examples=25)
def test_its_book_gives_the_heights_that_the_level_book_gives(seed):
    walk = EXERCISES["whole"].thing(done("whole", seed=seed, rng=seed))
    kinds, marks = [], []
    for k, sight in enumerate(walk.sights):
        first = k == 0 or walk.sights[k - 1].setup != sight.setup
        last = k == len(walk.sights) - 1 or walk.sights[k + 1].setup != sight.setup
        kinds.append(BS if first else FS if last else IS)
        marks.append(f"peg {sight.peg}")
    layout = lay_out(kinds, marks, [s.setup - 1 for s in walk.sights], {"peg 0": ListedMark("peg 0", 50.0)})
    found = reduce(layout, np.array([s.value for s in walk.sights]))
    for k, height in enumerate(found.heights):
        if not math.isnan(height):
            assert walk.heights[k] == pytest.approx(height, abs=1e-9)


def test_what_cant_be_done_is_said_why(tmp_path):
    exercise, attempt = EXERCISES["whole"], Attempt(1, "whole", 1, 3)
    assert "nothing is to be seen" in exercise.refused(attempt, "read", 1.0)
    assert "isn't closed" in exercise.refused(attempt, "found", 1.0)
    attempt = attempt.with_act("stand", "10", 10.0).with_act("read", "1", 1.0).with_act("on", "", 0.0)
    assert exercise.thing(attempt).peg == 1
    attempt = attempt.with_act("stand", "20", 20.0)
    assert exercise.thing(attempt).peg == 0  # unread there: the staff goes back to the peg that was read last
    assert "first the backsight" in exercise.refused(attempt, "on", 0.0)
    whole = done("whole")
    n = exercise.thing(whole).setup
    before = Attempt(1, "whole", 2, 3, whole.acts[:-1])
    assert exercise.refused(before, "found", n + 1.0) == f"there are {n} set-ups"
    assert exercise.refused(before, "found", 2.0) == ""
    for text in ("0", "1.5", "x", ""):
        with pytest.raises(KeelError):
            exercise.parse("found", text)


def test_a_tenth_misread_is_told_apart_from_what_the_holder_did():
    found = EXERCISES["whole"].debrief(done("whole", lambda kind: kind == "tenth", rng=2))
    assert found.slips["tenth"][1] > 0 and found.slips["ten"][1] == 0
    assert any("a tenth off" in step.said for step in found.steps)
    assert PEGS == 9 and show_length(1.482, exercise_style()) == "1.482"


def exercise_style():
    return EXERCISES["staff"].view(Attempt(1, "staff", 1, 3), 0).style


def test_every_signal_is_given_twice_and_none_is_drawn_like_another():
    exercise = EXERCISES["signals"]
    asked = [exercise.begins(Attempt(1, "signals", 1, 5), k) for k in range(exercise.count)]
    assert sorted(one.what for one in asked) == sorted([*SIGNALS] * 2)
    assert len(set(ARMS.values())) == len(ARMS) == len(SIGNALS) == len(exercise.hands)
    assert {exercise.hint(done("signals", seed=s)) for s in range(3)}


def test_a_dome_head_is_floated_and_a_flat_one_is_not():
    exercise = EXERCISES["three"]
    seed = next(s for s in range(9) if exercise.on_dome(Attempt(1, "three", 1, s), 0))
    attempt = Attempt(1, "three", 1, seed)
    assert exercise.refused(attempt, "float-right", 1.0) == ""
    before = exercise.thing(attempt)
    after = exercise.thing(attempt.with_act("float-right", "1", 1.0).with_act("float-away", "-2", -2.0))
    moved = [b - a for a, b in zip(before.shown, after.shown, strict=True)]
    assert moved == pytest.approx([-2 * RING, RING])
    assert exercise.debrief(attempt.with_act("float-right", "-9", -9.0)).slips["way"] == (0, 0)
    assert "flat" in exercise.refused(Attempt(1, "three", 1, seed + 1), "float-away", 1.0)


def test_in_a_mirror_near_and_far_change_places_and_left_and_right_dont():
    head = Head((0.0,) * 3, (0.3 * RING, 0.6 * RING), (0.0, 0.0))
    plain, mirrored = (draw_head(head, "x", 760, 330, mirror=one) for one in (False, True))

    def bubble(picture):
        middle, last = (
            [item for item in picture.items if isinstance(item, Disc)][-3],
            [item for item in picture.items if isinstance(item, Disc)][-1],
        )
        return last.x - middle.x, last.y - middle.y

    (x1, y1), (x2, y2) = bubble(plain), bubble(mirrored)
    assert x1 == pytest.approx(x2) and x1 > 0 and y1 == pytest.approx(-y2) and y1 < 0
    exercise = EXERCISES["three"]
    shown = [exercise.in_mirror(Attempt(1, "three", level, 3), k) for level in (1, 2) for k in range(6)]
    assert not any(shown[:6]) and any(shown[6:]) and not all(shown[6:])
