"""A stretch of track: what goes under each rail, what comes of it, and what a measure really gave."""

from __future__ import annotations

import math

import numpy as np
import pytest

from tests.saying import take, what_is_said
from tests.trades.supports.test_works import Book, titles
from vivid_keel.core.errors import KeelError
from vivid_keel.core.moving.plan import FOUND, LEFT
from vivid_keel.core.record.entries import Draft
from vivid_keel.files import JobFile
from vivid_keel.trades.registry import desk_for
from vivid_keel.trades.track.book import (
    BOARDS,
    BY_STAFF,
    BY_WIRE,
    CROSS,
    RAIL_TOP,
    RIGHT_RAIL,
    SIGHT,
    VOID_LEFT,
    VOID_RIGHT,
    WIRE,
    fold_track,
)
from vivid_keel.trades.track.findings import track_findings
from vivid_keel.trades.track.lifts import between, gave, quarters
from vivid_keel.trades.track.result import work_out_track

KEY, MEASURE = "rails", 0.003


def stretch(n=9, sights=None, levels=None, left=None, right=None, again=None, **facts):
    """A stretch by its readings, by sleeper from 1."""
    book = Book(KEY)
    said = {"sleepers": (str(n), float(n)), "tight": ("yes", 1.0), **facts}
    for fact, (text, value) in said.items():
        book.add(Draft(book.work, "track-fact", {"fact": fact, "text": text, "value": value}))
    for what, read, phase in (
        (SIGHT, sights, FOUND),
        (CROSS, levels, FOUND),
        (VOID_LEFT, left, FOUND),
        (VOID_RIGHT, right, FOUND),
        (SIGHT, again, LEFT),
    ):
        for sleeper, value in (read or {}).items():
            body = {
                "what": what,
                "sleeper": sleeper,
                "phase": phase,
                "text": f"{value * 1000:g}" if what == CROSS else f"{value}",
                "value": float(value),
            }
            book.add(Draft(book.work, "track-reading", body))
    return work_out_track(fold_track(book.journal, book.work))


def test_sleepers_between_are_reckoned_and_nothing_beyond_what_was_sighted():
    assert between(9, {0: 0.0, 4: 2.0, 6: 0.0}).tolist() == [0, 0.5, 1, 1.5, 2, 1, 0, 0, 0]
    assert quarters(np.array([0.124, 0.125, 0.375, 1.1249])).tolist() == [0.0, 0.25, 0.5, 1.0]


def test_the_other_rail_rises_to_the_wanted_level_and_never_sinks():
    # The right rail is 6 mm high in the middle: it is sighted, and the left one rises by two measures more there.
    result = stretch(9, {1: 0, 5: 2, 9: 0}, {1: 0.0, 5: 0.006, 9: 0.0})
    assert result.datum_right
    left, right = result.at_rest
    assert right.tolist() == [0, 0.5, 1, 1.5, 2, 1.5, 1, 0.5, 0]
    assert left.tolist() == [0, 1, 2, 3, 4, 3, 2, 1, 0]
    assert result.predicted == pytest.approx(np.zeros(9), abs=MEASURE / 8)
    # Where the other rail is the higher one chips can't lower it: that is said with its sleeper.
    result = stretch(9, {1: 0, 5: 0, 9: 0}, {1: 0.004, 5: -0.006, 9: 0.004}, datum=("right", 1.0))
    assert result.at_rest[0].min() == 0.0
    said = titles(what_is_said(KEY, result, "Readings"))
    assert "Cross level −6.0 mm off at sleeper 5" in said


def test_on_a_curve_the_inner_rail_is_the_datum_and_the_outer_one_gets_its_cant():
    for lies, sign, right in (("curve to the left", 1, False), ("curve to the right", -1, True)):
        result = stretch(5, {1: 1, 5: 1}, {1: 0.0, 5: 0.0}, lies=(lies, 1.0), cant=("30", 0.03))
        assert result.datum_right is right and result.wanted == pytest.approx(sign * 0.03)
        inner, outer = result.at_rest if not right else result.at_rest[::-1]
        assert inner.tolist() == [1.0] * 5 and outer.tolist() == [11.0] * 5
        assert result.predicted == pytest.approx(np.full(5, sign * 0.03))


def test_hollows_go_in_with_the_rest_and_much_is_split_into_two_rounds():
    result = stretch(9, {1: 0, 5: 3, 9: 0}, left={5: 1.4}, right={2: 0.5})
    assert result.cans[0][4] == 4.5 and result.cans[1][1] == 1.25
    (first, second) = result.rounds
    assert first[0][4] == 2.25 and second[0][4] == 2.25 and second[1].max() == 0
    whole = sum(c.sum() for round_ in result.rounds for c in round_)
    assert whole == pytest.approx(result.total)
    said = titles(what_is_said(KEY, result, "Readings"))
    assert "2 sleepers hang" in said and "Two rounds, with traffic between" in said


def test_what_a_measure_gave_is_learned_with_its_u():
    rng = np.random.default_rng(1)
    held, times = 0, 400
    for _ in range(times):
        put = rng.choice([0.5, 1, 1.5, 2, 3], 12)
        share = rng.uniform(0.6, 1.1)
        told, u = gave(put, put - share * put + rng.normal(0, 0.12, 12), put)
        held += abs(told - share) <= 2 * u
    assert 0.92 - 3 * math.sqrt(0.92 * 0.08 / times) <= held / times <= 1.0
    assert all(math.isnan(v) for v in gave(np.array([1.0]), np.array([0.0]), np.array([1.0])))


def rolling(rng, n):
    """How far a rail of n sleepers lies below its ends [m]: a dip, and waves of 12 to 40 sleepers in it."""
    x = np.arange(n)
    ramp = np.minimum(1, np.minimum(x, n - 1 - x) / 6)
    waves = sum(
        a * np.sin(x * 2 * math.pi / w + p)
        for a, w, p in zip(
            rng.normal(0, 0.0015, 3), rng.uniform(12, 40, 3), rng.uniform(0, 6, 3), strict=True
        )
    )
    return ramp * np.maximum(0.005 + waves, 0.0)


def test_the_predicted_cross_level_comes_true_on_made_up_tracks():
    """Sights read to a quarter of a measure, cross level to half a millimetre, every fourth sleeper; packed as told. What comes of it
    is within half a measure of what was predicted, and of level, at 90 of 100 sleepers."""
    near, level, n = [], [], 41
    for seed in range(40):
        rng = np.random.default_rng(seed)
        right, left = -rolling(rng, n), -rolling(rng, n) - 0.002
        every = sorted({*range(0, n, 4), n - 1})
        sights = {k + 1: round(float(-right[k]) / MEASURE * 4) / 4 for k in every}
        levels = {k + 1: round(float(right[k] - left[k]) * 2000) / 2000 for k in every}
        result = stretch(n, sights, levels, datum=("right", 1.0))
        after = (right + result.at_rest[1] * MEASURE) - (left + result.at_rest[0] * MEASURE)
        near.append(np.abs(after - result.predicted) <= MEASURE / 2)
        fits = (
            np.abs(result.predicted) <= 0.0011
        )  # else the other rail was the higher one, which no chips lower
        level.append((np.abs(after) <= MEASURE / 2)[fits])
    assert np.mean(np.concatenate(near)) >= 0.9 and np.mean(np.concatenate(level)) >= 0.9


# --- at the desk


@pytest.fixture
def desk(tmp_path):
    with JobFile.create(tmp_path / "t.keel", "Mill", "Ada", decimal_mark=".") as file:
        work = file.record([Draft(0, "work", {"name": "Tramway", "type": KEY, "unit": "m"})])[0].id
        yield desk_for(file, work)


def test_from_sleepers_to_cans_and_back_by_typing_alone(desk):
    assert desk.next("Set-up").key == "facts"
    take(desk.sheets("Set-up")[0], 0, 1, "9")
    take(desk.sheets("Set-up")[0], 8, 1, "yes")
    assert desk.next("Readings").key == "cautions"
    desk.acknowledge(desk.cautions("Readings")[0])
    assert desk.next("Readings").title == "Next: sight sleeper 1"
    for text in ("0", "2 1/4", "0"):
        sheet = desk.sheets("Readings")[0]
        take(sheet, *sheet.first(), text.replace(" 1/4", "¼"))
    assert not desk.result.to_sight and desk.book.of(FOUND, SIGHT) == {0: 0.0, 4: 2.25, 8: 0.0}
    take(desk.sheets("Readings")[0], 2, 3, "0.5")
    cans = desk.sheets("Moves")[0]
    assert [cans.cell(1, column).text for column in range(4)] == ["3", "1.75", "1.25", "0.5 / –"]
    assert desk.next("Readings").key == "moves" and desk.next("Moves").key == "again"
    for text in ("0", "0.5", "0"):
        sheet = desk.sheets("Proof")[0]
        take(sheet, *sheet.first(), text)
    # One sleeper that got chips tells nothing for certain.
    assert "Too few to learn from" in titles(desk.findings("Proof"))
    take(desk.sheets("Proof")[0], 0, 1, "")
    assert 0 not in desk.book.of(LEFT, SIGHT)
    for stage in desk.stage_names:
        for view in range(max(1, len(desk.views(stage)))):
            assert desk.picture(stage, view, 740, 300).items
    assert desk.report()()


def test_what_was_learned_is_reckoned_with_from_then_on(desk):
    take(desk.sheets("Set-up")[0], 0, 1, "13")
    for phase, texts in (("Readings", ("0", "2", "3", "0")), ("Proof", ("0", "0.5", "0.75", "0"))):
        for text in texts:
            sheet = desk.sheets(phase)[0]
            take(sheet, *sheet.first(), text)
    share, u = desk.result.learned
    assert share == pytest.approx(0.75) and u == pytest.approx(0.0, abs=1e-9)
    desk.go("learn")
    assert desk.book.facts.values["measure"] == pytest.approx(0.75 * MEASURE)


def test_another_round_takes_what_was_left_as_found(desk):
    take(desk.sheets("Set-up")[0], 0, 1, "9")
    for phase, texts in (("Readings", ("0", "2", "0")), ("Proof", ("0", "0.75", "0"))):
        for text in texts:
            sheet = desk.sheets(phase)[0]
            take(sheet, *sheet.first(), text)
    take(desk.sheets("Readings")[0], 2, 3, "1")
    assert desk.state() == ("open", "0.75 left after traffic")
    (found,) = [f for f in desk.findings("Proof") if f.action == "round"]
    assert found.title == "0.75 measures are left at sleeper 5"
    desk.go("round")
    assert desk.book.of(FOUND, SIGHT) == {0: 0.0, 4: 0.75, 8: 0.0} and not desk.book.of(LEFT, SIGHT)
    assert (
        desk.result.total == 2 * 3.25
    )  # 0.25 + 0.5 + 0.5 + 0.75 + 0.5 + 0.5 + 0.25: to the quarter; no hollow is left
    desk.file.undo()
    desk.refresh()
    assert desk.book.of(LEFT, SIGHT)[4] == 0.75 and desk.book.of(FOUND, VOID_LEFT) == {2: 1.0}


def test_a_stand_in_is_read_packed_passed_over_and_comes_level_in_rounds(desk):
    with pytest.raises(KeelError, match="a real track answers"):
        desk.answer()
    practice = desk_for(desk.file, desk.practise().work)
    practice.acknowledge(practice.cautions("Readings")[0])
    assert practice.next("Readings").key == "answer"
    practice.go("answer")
    assert not practice.result.to_sight and practice.next("Moves").key == "answer"
    for _ in range(5):
        practice.go("answer")
        if practice.state()[0] == "in":
            break
        practice.go("round")
    assert practice.state()[0] == "in"
    share, u = practice.result.learned
    if not math.isnan(share) and u > 0:
        assert abs(share - practice.hidden["share"]) < 4 * u + 0.25


def test_nothing_is_offered_before_the_cautions_nor_in_round_gravel(desk):
    take(desk.sheets("Set-up")[0], 0, 1, "9")
    for text in ("0", "2", "0"):
        sheet = desk.sheets("Readings")[0]
        take(sheet, *sheet.first(), text)
    assert desk.sheets("Moves")[0].cell(0, 1).text == "read the cautions first"
    desk.acknowledge(desk.cautions("Moves")[0])
    assert desk.sheets("Moves")[0].cell(0, 0).text == "2"
    take(desk.sheets("Set-up")[0], 6, 1, "round")
    assert desk.sheets("Moves")[0].cell(0, 1).text == "nothing is packed here"
    assert "Not in round gravel or sand" in titles(desk.findings("Moves"))
    assert "Fastenings first" in titles(desk.findings("Moves"))


def test_sleepers_beyond_the_end_are_named_and_count_nowhere():
    result = stretch(9, {1: 0, 5: 2, 9: 0, 14: 3})
    assert result.total == stretch(9, {1: 0, 5: 2, 9: 0}).total
    assert "No sleeper 14 here" in titles(what_is_said(KEY, result, "Readings"))


@pytest.mark.parametrize(
    ("column", "text", "says"),
    [
        (1, "-1", "never lowered"),
        (1, "60", "were millimetres meant"),
        (2, "400", "no rail lies so far"),
        (3, "a bit", "a bit"),
    ],
)
def test_what_no_track_shows_is_refused_in_its_cell(desk, column, text, says):
    before = len(desk.file.journal.entries)
    with pytest.raises(KeelError, match=says):
        desk.sheets("Readings")[0].accept(0, column, text)
    assert len(desk.file.journal.entries) == before


def test_two_thousand_sleepers_are_typed_without_waiting(desk):
    """By counting what is worked out, not by a clock: an Enter reads the sheet once and works nothing out twice."""
    take(desk.sheets("Set-up")[0], 0, 1, "2000")
    sheet = desk.sheets("Readings")[0]
    assert sheet.count == 2000 and sheet.first() == (0, 1)
    taken = sheet.accept(0, 1, "0")
    assert taken.place == (4, 1) and len(taken.drafts) == 1


def rail(way, read, n=9, phase=FOUND, **facts):
    """A stretch whose rail top is read down from a line [m], by sleeper from 1."""
    book = Book(KEY)
    said = {"sleepers": (str(n), float(n)), "tight": ("yes", 1.0), "by": (way, 1.0), **facts}
    for fact, (text, value) in said.items():
        book.add(Draft(book.work, "track-fact", {"fact": fact, "text": text, "value": value}))
    for sleeper, value in read.items():
        body = {"what": RAIL_TOP[way], "sleeper": sleeper, "phase": phase, "text": f"{value}", "value": value}
        book.add(Draft(book.work, "track-reading", body))
    return work_out_track(fold_track(book.journal, book.work))


def test_a_staff_on_the_rail_gives_the_same_sheet_as_boards():
    """A line of sight that falls by 8 mm over the stretch, the rail 6 mm below it in the middle: two measures of three millimetres."""
    fall = {1: 1.200, 3: 1.202, 5: 1.204 + 0.006, 7: 1.206 + 0.003, 9: 1.208}
    by_staff = rail(BY_STAFF, fall)
    by_boards = stretch(sights={1: 0, 3: 0, 5: 2, 7: 1, 9: 0})
    assert by_staff.sighted == pytest.approx(by_boards.sighted)
    assert by_staff.cans[0].tolist() == by_boards.cans[0].tolist()
    assert by_staff.to_sight == by_boards.to_sight == []


def test_a_wire_sags_and_the_rail_under_it_is_not_taken_for_high():
    """Nine sleepers at 2 m, the wire weighs 0.02 N/m and is pulled with 40 N: w·L²/(8T) = 0.02·16²/320 = 16 mm in the middle."""
    facts = {"spacing": ("2", 2.0), "weight": ("0.02", 0.02), "pull": ("40", 40.0)}
    level = rail(BY_WIRE, {1: 0.1, 5: 0.1 - 0.016, 9: 0.1}, **facts)  # a rail that lies on the line
    assert level.sighted == pytest.approx(np.zeros(9), abs=1e-9)
    dip = rail(BY_WIRE, {1: 0.1, 5: 0.1, 9: 0.1}, **facts)
    assert dip.sighted[4] == pytest.approx(0.016 / MEASURE)


def test_a_sleeper_above_the_line_is_lifted_by_nothing_and_ends_the_stretch():
    result = rail(BY_STAFF, {1: 1.2, 5: 1.193, 9: 1.2})
    assert result.sighted.max() == 0
    assert "Sleeper 5 stands 7.0 mm above the line" in titles(what_is_said(KEY, result, "Readings"))


def test_a_rail_top_is_typed_as_it_is_read(desk):
    facts = desk.sheets("Set-up")[0]
    row = next(k for k in range(facts.count) if "rail top" in facts.cell(k, 0).text)
    take(facts, row, 1, BY_WIRE)
    sheet = desk.sheets("Readings")[0]
    assert sheet.columns[1].title == "Wire, mm"
    with pytest.raises(KeelError, match="was another unit meant"):
        sheet.accept(0, 1, "1200")
    taken = take(sheet, 0, 1, "120.5")
    assert taken == (4, 1)
    assert desk.book.of(FOUND, WIRE) == {0: pytest.approx(0.1205)} and desk.book.dips(FOUND) == {}


@pytest.mark.parametrize("way", [BOARDS, BY_STAFF, BY_WIRE])
def test_the_stand_in_answers_whichever_way_it_is_read(desk, way):
    facts = desk.sheets("Set-up")[0]
    row = next(k for k in range(facts.count) if "rail top" in facts.cell(k, 0).text)
    take(facts, row, 1, way)
    goto = desk.practise()
    practice = desk_for(desk.file, goto.work)
    practice.acknowledge(practice.cautions("Readings")[0])
    practice.answer()
    assert practice.result.to_sight == [] and practice.result.total > 0
    practice.answer()
    found, left = (max(practice.book.dips(phase).values()) for phase in (FOUND, LEFT))
    assert left < found


def test_a_stretch_round_the_world_is_refused_before_it_is_laid_out():
    from vivid_keel.core.problems.solving import solve
    from vivid_keel.trades.registry import problem_kinds

    with pytest.raises(KeelError, match="at most 100000 sleepers") as refused:
        solve("track", {"sleepers": 1e9, "sighted": {"0": 1}, "voids": {}}, problem_kinds())
    assert refused.value.where == "/problem/sleepers"


def test_a_second_round_of_cans_that_is_still_to_go_in_is_not_green(tmp_path):
    """All was green with the cans of round 2 outstanding, and Next said: write the report."""
    with JobFile.create(tmp_path / "track.keel", "Mill", "Ada", decimal_mark=".") as file:
        (work,) = file.record([Draft(0, "work", {"name": "Siding", "type": KEY, "unit": "m"})])
        facts = {"sleepers": ("5", 5.0), "tight": ("yes", 1.0), "every": ("2", 2.0), "split": ("2", 2.0)}
        said = [{"fact": k, "text": t, "value": v} for k, (t, v) in facts.items()]
        file.record([Draft(work.id, "track-fact", body) for body in said])
        file.record([Draft(work.id, "caution", {"key": "track"})])
        desk = desk_for(file, work.id)

        def read(what, sleeper, value, phase=FOUND):
            body = {"what": what, "sleeper": sleeper, "phase": phase, "text": f"{value}"}
            desk.record(Draft(work.id, "track-reading", {**body, "value": float(value)}))

        for sleeper in desk.book.sighted:
            read(SIGHT, sleeper, 0)
            read(CROSS, sleeper, 0.0)
        read(VOID_LEFT, 3, 6)  # it hangs, and stands on the line at rest: sights after traffic can't tell
        assert len(desk.result.rounds) == 2
        for sleeper in desk.book.sighted:
            read(SIGHT, sleeper, 0, LEFT)
        assert desk.state().verdict == "open" and "of round 2 to go" in desk.state().words
        assert [f.action for f in desk.findings("Proof") if f.verdict == "out"] == ["packed"]
        assert desk.next("Proof").title == f"Next: round 2, {desk.result.outstanding:g} cans"
        desk.go(desk.next("Moves").key)
        assert desk.result.outstanding == 0.0
        assert desk.next("Proof").title == "Next: sight sleeper 1 again"  # sighted before, it tells nothing
        for sleeper in desk.book.sighted:
            read(SIGHT, sleeper, 0, LEFT)
        assert desk.state().verdict == "in"


def test_one_cross_level_of_many_does_not_come_right():
    sights = dict.fromkeys((1, 4, 7, 9), 1.0)
    said = {f.title: f for f in what_is_said(KEY, stretch(sights=sights, levels={1: 0.0}), "Moves")}
    assert "The cross level comes right" not in said
    (partly,) = [f for title, f in said.items() if title.startswith("Cross level read at 1 of ")]
    assert partly.verdict == "open"


# Cross level once it is packed, with its U


def test_the_cross_level_predicted_is_judged_with_its_u_and_only_where_it_was_read():
    sights = {1: 0.0, 5: 2.0, 9: 0.0}
    result = stretch(9, sights, {1: -0.001, 5: -0.004, 9: 0.001})
    read = [k for k, verdict in enumerate(result.levels) if verdict]
    assert read == [0, 4, 8]
    assert np.isnan(result.u_predicted[[1, 2, 3, 5, 6, 7]]).all()
    quarter, read_to = 0.25 * MEASURE / math.sqrt(12), 0.001 / math.sqrt(12)
    assert result.book.read[FOUND][(CROSS, 5)].step == pytest.approx(0.001)
    assert result.u_predicted[4] == pytest.approx(math.hypot(quarter * math.sqrt(2), read_to))
    hollow = stretch(9, sights, {5: -0.004}, left={5: 1.0}, right={5: 0.5})
    assert hollow.u_predicted[4] == pytest.approx(math.hypot(quarter * 2, read_to))


@pytest.mark.parametrize(
    ("left_low", "verdict", "words"),
    [
        (0.004, "in", "The cross level comes right"),
        (-0.0145, "out", "off at sleeper 5"),
        (-0.011, "open", "Cross level not proven at sleeper 5"),
    ],
)
def test_three_verdicts_on_the_cross_level(left_low, verdict, words):
    """The right rail is the datum and goes up by two measures; the left one can't go down, however high it is."""
    sights = {1: 0.0, 5: 2.0, 9: 0.0}
    levels = {1: 0.0, 5: left_low, 9: 0.0}
    result = stretch(9, sights, levels, datum=(RIGHT_RAIL, 1.0))
    assert result.levels[4] == verdict
    said = [f for f in track_findings(result, "Moves") if "ross level" in f.title]
    assert [f.verdict for f in said] == [verdict] and words in said[0].title
    assert "±" in said[0].text or "U of" in said[0].text


def test_u_of_the_cross_level_covers_what_hands_put_in():
    """Cans filled to a quarter and a level read to the millimetre, by a simulation that knows nothing of how U is reckoned."""
    rng, inside, times = np.random.default_rng(32), 0, 600
    for _ in range(times):
        level = rng.uniform(-0.006, 0.006)
        result = stretch(3, {2: 3.0}, {2: round(level * 1000) / 1000})
        put = [float(rail[1]) + rng.uniform(-0.125, 0.125) for rail in result.at_rest]
        true = level + (put[1] - put[0]) * MEASURE
        inside += abs(float(result.predicted[1]) - true) <= 2 * float(result.u_predicted[1])
    assert inside / times >= 0.93
