"""A bed on pairs of feet: facts of the trade, what is refused, and made-up beds whose truth only the simulator knows."""

from __future__ import annotations

import math

import numpy as np
import pytest

from tests.measure_bodies import KINDS, LOAD, some
from tests.saying import take, tries_every_foot, what_is_said
from tests.trades.supports.test_works import Book, titles
from vivid_keel.core.body.facts import ITSELF
from vivid_keel.core.body.shapes import from_plumb_frame, profile, straightness, twist_at_feet
from vivid_keel.core.body.standing import LEVEL
from vivid_keel.core.errors import KeelError
from vivid_keel.core.moving.plan import FOUND, LEFT
from vivid_keel.core.quantities import parse_length, parse_tilt
from vivid_keel.core.record.entries import Draft
from vivid_keel.figures.display import Text
from vivid_keel.figures.report import ROUNDS
from vivid_keel.files import JobFile
from vivid_keel.trades.bed.book import ACROSS, AGAIN, ALONG, BAR, FRAME, Spot, fold_bed
from vivid_keel.trades.bed.result import wanted_next, work_out_bed
from vivid_keel.trades.bed.ways import TEST_BAR
from vivid_keel.trades.registry import desk_for, trade

DIVISION = parse_tilt("0.02 mm/m").value
APART = 0.42


class Bed:
    """A bed as it truly stands: cross tilts at stations, a profile of the front way; its level is out by `zero` divisions."""

    def __init__(self, cross, xs=(0.0, 0.6, 1.2, 1.8), zero=1.5, truth=ITSELF, feet=None, **facts):
        self.book, self.cross, self.xs, self.zero = Book("bed"), list(cross), xs, zero
        book = self.book
        told = {"division": DIVISION, "feet_apart": APART, "base": 0.2, **facts}
        for fact, value in told.items():
            book.add(Draft(book.work, "body-fact", {"fact": fact, "text": f"{value}", "value": value}))
        index = float(truth == ITSELF)
        book.add(Draft(book.work, "body-fact", {"fact": "truth", "text": truth, "value": index}))
        self.ids = [
            book.add(
                Draft(
                    book.work,
                    "bed-station",
                    {"name": f"s{k}", "x_m": x, "feet": feet is None or k in feet},
                )
            )
            for k, x in enumerate(xs)
        ]

    def result(self):
        return work_out_bed(fold_bed(self.book.journal, self.book.work))

    def add(self, sort, at, way, value, text, phase=FOUND, step=0.0):
        body = {
            "sort": sort,
            "at": at,
            "way": way,
            "phase": phase,
            "text": text,
            "value": value,
            "step": step,
        }
        self.book.add(Draft(self.book.work, "bed-reading", body))

    def across(self, k, way=1, phase=FOUND, blocks=0.0):
        d = self.cross[k] / DIVISION + way * self.zero + blocks / DIVISION
        self.add(ACROSS, self.ids[k], way, d * DIVISION, f"{d:.2f}", phase)

    def all_across(self, phase=FOUND, blocks=0.0):
        for k in range(len(self.xs)):
            self.across(k, 1, phase, blocks)
        self.across(0, -1, phase, blocks)
        return self.result()

    def along(self, tilts, phase=FOUND):
        for k, t in enumerate(tilts):
            self.add(ALONG, k, 1, t + self.zero * DIVISION, "along", phase)
        return self.result()


CROSS = (2e-5, 5e-5, -1e-5, 1.2e-4)


def test_the_twist_is_that_of_the_book_and_raises_the_front_where_it_is_low():
    result = Bed(CROSS).all_across()
    t, _ = result.cross(result.body)
    assert (t - t[0]) * APART == pytest.approx(twist_at_feet(CROSS, APART), abs=1e-9)
    assert result.body.zeros[LEVEL] / DIVISION == pytest.approx(1.5)
    shape = result.twist(result.body)
    assert shape.value == pytest.approx(1.3e-4) and shape.where == "from s2 to s3"
    names = [p.name for p in result.book.points]
    moves = {names[i]: result.does(i) for i in result.to_move}
    # Only to itself the head stays; at the tail the front is low by 42 µm, and is raised.
    assert (
        moves["s3 front"] == pytest.approx(1e-4 * APART)
        and "s3 rear" not in moves
        and "s0 front" not in moves
    )


def test_once_every_foot_is_turned_the_bubble_stands_as_at_the_head():
    result = Bed(CROSS).all_across()
    after = list(result.shown_after.values())[-1]
    head = result.would_show(Spot(ACROSS, result.book.stations[0].id))
    assert head / DIVISION == pytest.approx(1.0 + 1.5)
    for shown in after.values():
        assert shown / DIVISION == pytest.approx(head / DIVISION, abs=0.51)  # those within tolerance are left
    tail = Spot(ACROSS, result.book.stations[-1].id)
    assert after[tail] == pytest.approx(head)


def test_true_to_gravity_all_feet_come_level_and_the_bubble_shows_its_own_error_alone():
    bed = Bed((4e-5, 4e-5, 4e-5, 4e-5), truth="true to gravity")
    bed.all_across()
    result = bed.along([1e-4] * 9)
    names = [p.name for p in result.book.points]
    moves = {names[i]: result.does(i) for i in result.to_move}
    assert moves["s0 front"] == pytest.approx(1e-4 * 1.8 + 4e-5 * APART, rel=1e-6)
    assert moves["s3 front"] == pytest.approx(4e-5 * APART, rel=1e-6) and "s3 rear" not in moves
    after = list(result.shown_after.values())[-1]
    assert [shown / DIVISION for shown in after.values()] == pytest.approx([1.5] * len(after), abs=1e-6)


def test_the_profile_and_its_bow_are_those_of_the_book():
    tilts = [3e-5, -2e-5, 5e-5, -4e-5, 0.0, 1e-5, -3e-5, 2e-5, 0.0]
    bed = Bed((0.0,) * 4, truth="true to gravity")
    bed.all_across()
    result = bed.along(tilts)
    true = profile(tilts, 0.2)
    xs, off = result.profile(FOUND)
    assert xs == pytest.approx(np.arange(10) * 0.2)
    assert off == pytest.approx(true - np.linspace(true[0], true[-1], 10), abs=1e-9)
    assert result.bow(FOUND).value == pytest.approx(straightness(true), abs=1e-9)


def test_a_plumb_frame_alone_tells_the_twist_of_the_book():
    bed = Bed(CROSS[:2], xs=(0.0, 1.8), string=1.6, bob=0.0002)
    for k, shift in enumerate((0.0012, 0.0016)):  # the mark itself stands anywhere
        bed.add(FRAME, bed.ids[k], 1, shift, f"{shift * 1000}", step=0.0002)
    result = bed.result()
    book = from_plumb_frame(0.0004, 1.6, APART)
    assert result.twist(result.body).value == pytest.approx(book.twist, rel=1e-4)
    names = [p.name for p in result.book.points]
    assert {names[i] for i in result.to_move} <= {"s1 front"}
    assert -result.moves[2] == pytest.approx(-book.front_foot, rel=1e-4)
    assert bed.result().book.u_frame == pytest.approx(0.0002 / math.sqrt(3) / 1.6)


def test_frame_and_level_agree_and_where_they_dont_that_is_said():
    for shift, says in ((0.00016, False), (0.004, True)):
        bed = Bed((0.0, 1e-4), xs=(0.0, 1.8), string=1.6, bob=0.0002)
        bed.all_across()
        bed.add(FRAME, bed.ids[0], 1, 0.0, "0")
        bed.add(FRAME, bed.ids[1], 1, shift, "shift")
        said = titles(what_is_said("bed", bed.result(), "Readings"))
        assert ("The plumb frame tells another twist" in said) == says


def test_a_test_bar_tells_twist_over_the_beds_length_and_says_when():
    bed = Bed((0.0, 0.0), xs=(0.0, 1.8), bar=0.3, tool=0.25, dial=0.000005)
    bed.add(BAR, 0, 1, 0.040000, "40.000")
    bed.add(BAR, 1, 1, 0.040020, "40.020")
    result = bed.result()
    # (0.02 mm / (2 × 250 mm)) over 300 mm of bar, six times that over the bed: the front at the tail is low.
    assert result.twist(result.body).value == pytest.approx(0.00002 / 0.5 * 6)
    names = [p.name for p in result.book.points]
    assert {names[i] for i in result.to_move} <= {"s1 front"} and result.moves[2] > 0
    assert "The test bar speaks of the head too" in titles(what_is_said("bed", result, "Readings"))
    assert TEST_BAR in result.body.zeros


def test_blocks_of_two_thicknesses_go_out_of_the_tilt_and_into_the_bubble():
    blocks = math.atan((0.0102 - 0.010) / 0.3)
    plain = Bed((4e-5,) * 4, truth="true to gravity").all_across()
    bed = Bed((4e-5,) * 4, truth="true to gravity", ways_apart=0.3, block_front=0.010, block_rear=0.0102)
    result = bed.all_across(blocks=blocks)
    t, _ = result.cross(result.body)
    assert t == pytest.approx([4e-5] * 4, abs=1e-9)
    spot = Spot(ACROSS, result.book.stations[0].id)
    assert result.would_show(spot) - plain.would_show(spot) == pytest.approx(blocks)


def test_not_turned_round_nothing_is_told_and_that_is_what_is_read_next():
    bed = Bed(CROSS, truth="true to gravity")
    for k in range(4):
        bed.across(k)
    result = bed.result()
    assert result.body is None and "the level's own zero" in result.unread.message
    assert wanted_next(result, FOUND) == Spot(ACROSS, bed.ids[0], -1)


def test_what_need_only_be_true_to_itself_asks_for_no_level_turned_round():
    bed = Bed(CROSS)
    for k in range(4):
        bed.across(k)
    result, turned = bed.result(), Bed(CROSS).all_across()
    assert wanted_next(result, FOUND) is None
    bounds = [one.twist(one.body).bounds for one in (result, turned)]
    assert [b.value for b in bounds] == pytest.approx([1.3e-4] * 2, abs=1e-9)
    assert [b.high for b in bounds] == pytest.approx([bounds[0].high] * 2) and bounds[0].low > 0
    assert not [
        t for t in titles(what_is_said("bed", result, "Readings")) if t.startswith("The level is out")
    ]


def test_what_was_read_as_found_is_read_as_left_and_a_round_makes_it_what_is_found():
    bed = Bed(CROSS)
    assert bed.all_across().left_verdicts == [""] * 8
    assert [s.at for s in bed.result().book.wants(LEFT)] == bed.ids
    before = bed.result()
    bed.cross = [CROSS[0]] * 4
    result = bed.all_across(LEFT)
    assert set(result.left_verdicts) == {"in"}
    assert what_is_said("bed", result, "Proof")[0].verdict == "in"
    put, leaves = before.put_in()
    body = {"put": {str(k): v for k, v in put.items()}, "leaves": {str(k): v for k, v in leaves.items()}}
    bed.book.add(Draft(bed.book.work, "pass", body))
    after = bed.result()
    assert after.to_move == [] and not after.book.read[LEFT] and len(after.book.read[FOUND]) == 5


def test_a_base_longer_than_the_ways_is_said():
    bed = Bed((0.0, 0.0), xs=(0.0, 0.3), base=1.0)
    result = bed.all_across()
    assert "The level is longer than the ways" in titles(what_is_said("bed", result, "Readings"))
    assert result.book.steps == 0


def test_a_station_without_feet_is_judged_and_never_turned():
    result = Bed(CROSS, feet={0, 3}).all_across()
    assert len(result.book.points) == 4 and len(result.off_target(FOUND)) == 8
    assert result.twist(result.body).where == "from s2 to s3"
    moved = result.off_target(FOUND, moved=True)
    # Between the pairs the ways follow their feet, in a straight line.
    rise = moved - result.off_target(FOUND)
    assert rise[2] == pytest.approx(rise[6] / 3) and rise[4] == pytest.approx(rise[6] * 2 / 3)


def test_without_a_tolerance_of_its_own_a_pair_may_be_off_by_what_the_twist_allows():
    bed = Bed(CROSS, twist=4e-5)
    assert bed.result().book.limits.tolerance == pytest.approx(4e-5 * APART / 2, rel=1e-3)
    bed.book.tolerance("0.05")
    assert bed.result().book.limits.tolerance == pytest.approx(5e-5)


def test_what_feet_rob_of_one_another_is_learned_from_a_round_and_said():
    """A foot raises its own corner by 0.6 of its turn, and tips the whole by the rest."""
    bed = Bed((0.0, 3e-4), xs=(0.0, 1.8))
    result = bed.all_across()
    (i,) = result.to_move
    told = result.does(i)
    put, leaves = result.put_in()
    # The whole tips alike at both pairs: what is left of the twist is 0.4 of it.
    bed.cross = [-0.1 * told / APART, 3e-4 - 0.7 * told / APART]
    bed.all_across(LEFT)
    body = {"put": {str(k): v for k, v in put.items()}, "leaves": {str(k): v for k, v in leaves.items()}}
    bed.book.add(Draft(bed.book.work, "pass", body))
    after = bed.result()
    left = 0.4 * told
    assert after.does(i) == pytest.approx(left, rel=0.05)
    assert after.lifts[i] == pytest.approx(left / 0.6, rel=0.1)  # more is turned than it is to rise
    said = [t for t in titles(what_is_said("bed", after, "Moves")) if t.endswith("of a turn tips the whole")]
    assert len(said) == 1 and 30 <= int(said[0].split()[1]) <= 45


@pytest.mark.parametrize("kind", ["a bed on 2 pairs", "a bed on 4 pairs", "a table on 4 feet"])
def test_made_up_bodies_are_in_after_two_rounds_and_the_stated_u_covers(kind):
    """`./run measure bodies` has 300 of each; here 16, stiff feet, by the bubble: 95 in 100 less three binomial σ."""
    came = some(kind, "stiff feet", "bubble", 16, 11)
    assert np.mean([c.good for c in came]) >= 0.95 - 3 * math.sqrt(0.95 * 0.05 / 16)
    held, stated = sum(c.held for c in came), sum(c.stated for c in came)
    assert held / stated >= 0.93 - 3 * math.sqrt(0.93 * 0.07 / stated)
    assert np.median([c.turns for c in came]) < np.median([c.hand_turns for c in came]) or kind.startswith(
        "a bed"
    )
    assert kind in KINDS and "stiff feet" in LOAD


# --- at the desk


@pytest.fixture
def desk(tmp_path):
    with JobFile.create(tmp_path / "t.keel", "Mill", "Ada", decimal_mark=".") as file:
        new = Draft(0, "work", {"name": "Lathe bed", "type": "bed", "unit": "m"})
        work = file.record([new, *trade("bed").begins("m")])[0].id
        yield desk_for(file, work)


def begin(desk, *stations):
    for row, (name, x) in enumerate(stations):
        take(desk.sheets("Set-up")[0], row, 0, name)
        take(desk.sheets("Set-up")[0], row, 1, x)


def test_from_stations_to_proof_at_the_desk_by_typing_alone(desk):
    assert desk.next("Instrument").title == "Next: its pairs of feet"
    begin(desk, ("head", "0"), ("tail", "1.8"))
    take(desk.sheets("Instrument")[0], 0, 1, "only")
    tries_every_foot(desk)
    assert desk.next("Readings").title == "Next: read across at head"
    sheet = desk.sheets("Readings")[0]
    take(sheet, *sheet.first(), "2.4")
    assert desk.next("Readings").title == "Next: read across at tail"
    sheet = desk.sheets("Readings")[0]
    take(sheet, *sheet.first(), "7.2")
    desk.acknowledge(desk.cautions("Moves")[0])
    sheet = desk.sheets("Moves")[0]
    rows = [[sheet.cell(row, column).text for column in range(4)] for row in range(2)]
    assert rows[0][0] == "1  tail front ▵" and rows[0][1] == "raise 0.040"
    assert rows[0][2].endswith("clockwise") and rows[0][3] == "across at tail: +2.4 div"
    desk.record(*desk.books(desk.result.to_do[0]))
    (booked,) = desk.file.journal.standing(desk.work, "put")
    assert booked.body["watched"]["from"] == -booked.body["watched"]["to"] > 0
    assert booked.body["watched"]["tilt_rad"] == pytest.approx(2.4 * 2e-5, rel=1e-3)
    assert desk.next("Moves").title == "Next: read across at head, as left"
    for text in ("2.4", "2.4"):
        sheet = desk.sheets("Proof")[0]
        take(sheet, *sheet.first(), text)
    assert desk.state()[0] == "in" and set(desk.result.left_verdicts) == {"in"}


def test_the_report_tells_each_round_as_it_was_and_what_it_did(desk, qapp):
    begin(desk, ("head", "0"), ("tail", "1.8"))
    take(desk.sheets("Instrument")[0], 0, 1, "only")
    for text in ("2.4", "7.2"):
        sheet = desk.sheets("Readings")[0]
        take(sheet, *sheet.first(), text)
    desk.acknowledge(desk.cautions("Moves")[0])
    desk.record(*desk.books(desk.result.to_do[0]))
    for text in ("2.4", "2.6"):
        sheet = desk.sheets("Proof")[0]
        take(sheet, *sheet.first(), text)

    def said():
        return [i.text for page in desk.report()() for i in page.items if isinstance(i, Text)]

    assert ROUNDS not in said()
    put, leaves = desk.result.put_in()
    body = {"put": {str(k): v for k, v in put.items()}, "leaves": {str(k): v for k, v in leaves.items()}}
    desk.record(Draft(desk.work, "pass", body))
    told = said()
    at = told.index(ROUNDS)
    assert told[at + 1 : at + 3] == ["Round", "Foot"]
    assert "tail front" in told[at:]
    assert "+0.0386" in told[at:]  # the bubble went 4.6 divisions of 0.02 mm/m over 0.42 m


@pytest.mark.parametrize(
    ("stage", "sheet", "row", "column", "text", "says"),
    [
        ("Set-up", 0, 0, 0, "tail", "there is a tail already"),
        ("Set-up", 0, 1, 1, "1800", "was another unit meant"),
        ("Set-up", 0, 1, 2, "wheels", "type feet or no feet"),
        ("Set-up", 0, 1, 3, "-2", "packing is 0 or more"),
        ("Readings", 0, 0, 1, "80 mm/m", "steeper than any level"),
        ("Readings", 0, 0, 1, "4 kg", "unit|not a"),
        ("Readings", 1, 0, 1, "160", "no bob hangs so far off"),
        ("Readings", 2, 0, 1, "0", "no diameter"),
        ("Readings", 2, 0, 1, "40 m", "no diameter"),
    ],
)
def test_what_can_not_be_is_refused_in_place(desk, stage, sheet, row, column, text, says):
    begin(desk, ("head", "0"), ("tail", "1.8"))
    before = len(desk.file.journal.entries)
    with pytest.raises(KeelError, match=says):
        desk.sheets(stage)[sheet].accept(row, column, text)
    assert len(desk.file.journal.entries) == before


def test_a_station_renamed_moved_or_struck_keeps_what_was_read_there(desk):
    begin(desk, ("head", "0"), ("1", "0.9"), ("tail", "1.8"))
    for text in ("2.4", "-0.6", "4.0", "7.2"):
        sheet = desk.sheets("Readings")[0]
        take(sheet, *sheet.first(), text)
    take(desk.sheets("Set-up")[0], 1, 0, "middle")
    assert desk.sheets("Readings")[0].cell(1, 0).text == "across at middle"
    assert desk.sheets("Readings")[0].cell(1, 1).text == "4.0"
    take(desk.sheets("Set-up")[0], 1, 2, "")
    assert [p.name for p in desk.book.points] == ["head front", "head rear", "tail front", "tail rear"]
    words, entry = desk.sheets("Set-up")[0].strike(1)
    assert words == "the station middle"
    desk.record(Draft(desk.work, "strike", {}, strikes=entry))
    assert len(desk.book.stations) == 2 and desk.result.body is not None
    for stage in ("Instrument", "Set-up", "Readings", "Target", "Moves", "Proof", "Record"):
        for view in range(max(1, len(desk.views(stage)))):
            assert desk.picture(stage, view, 740, 300).items


def test_a_shift_of_the_bob_in_inches_is_asked_for_in_inches(tmp_path):
    with JobFile.create(tmp_path / "t.keel", "Mill", "Ada", decimal_mark=".") as file:
        work = file.record([Draft(0, "work", {"name": "Bed", "type": "bed", "unit": "ft"})])[0].id
        desk = desk_for(file, work)
        begin(desk, ("head", "0"), ("tail", "6"))
        sheet = desk.sheets("Readings")[1]
        assert sheet.columns[1].title == "Bob at, in"
        take(sheet, 0, 1, "0.02")
        assert desk.book.read[FOUND][sheet.spots[0]].value == pytest.approx(
            parse_length("0.02 in", "in").value
        )


def test_the_picture_follows_the_foot_in_the_eye(desk):
    from vivid_keel.trades.bed.figure import ways_seen

    begin(desk, ("head", "0"), ("1", "0.9"), ("tail", "1.8"))
    take(desk.sheets("Instrument")[0], 0, 1, "only")
    for text in ("2.4", "4.8", "7.2"):
        sheet = desk.sheets("Readings")[0]
        take(sheet, *sheet.first(), text)
    result = desk.result
    first, second = result.to_move
    one, all_ = (ways_seen(result, 740, 300, i, moved=True).texts() for i in (first, second))
    assert any("once tail front is turned" in t for t in one) and any("once all feet" in t for t in all_)
    assert "+4.8" in one and one.count("+2.4") == 2  # the middle still as it was
    assert all_.count("+2.4") == 3
    off = result.off_target(FOUND, moved=True, upto=first)
    assert off[4] == pytest.approx(0.0, abs=1e-9) and abs(off[2]) > 1e-5


def test_the_head_is_come_back_to_last_and_says_whether_the_bed_stood_still():
    bed = Bed(CROSS)
    bed.across(0)
    assert bed.result().book.comes_back(FOUND) == []  # not before the rest is read
    before = bed.all_across()
    (spot,) = before.book.comes_back(FOUND)
    assert spot == Spot(AGAIN, bed.ids[0])
    shown = bed.cross[0] + bed.zero * DIVISION
    bed.add(AGAIN, bed.ids[0], 1, shown, "again")
    after = bed.result()
    assert after.cross(after.body)[0] == pytest.approx(before.cross(before.body)[0], abs=1e-9)
    u = [math.sqrt(c[0, 0] + c[3, 3] - 2 * c[0, 3]) for c in (r.cross(r.body)[1] for r in (before, after))]
    assert u[1] < u[0]  # twist is against the head, and that is known better now
    assert "Come back to the head: nothing moved" in titles(what_is_said("bed", after, "Readings"))
    bed.add(AGAIN, bed.ids[0], 1, shown + 3 * DIVISION, "knocked")
    said = titles(what_is_said("bed", bed.result(), "Readings"))
    assert any(title.startswith("Something moved: the head reads +3.0 divisions") for title in said)


def test_a_base_told_anew_once_the_way_was_read_leaves_what_no_longer_fits_it():
    """Found in a file with a changed byte, and as likely by hand: nine steps of 0.2 m were read, and the base is 0.6."""
    bed = Bed(CROSS)
    bed.all_across()
    before = bed.along([1e-5] * 9)
    assert before.to_move and all(before.stop_words(i) for i in before.to_move)
    bed.book.add(Draft(bed.book.work, "body-fact", {"fact": "base", "text": "0.6", "value": 0.6}))
    result = bed.result()
    assert {spot.at for spot in result.spots if spot.sort == ALONG} == {0, 1, 2}
    assert result.to_move and all(result.stop_words(i) for i in result.to_move)
