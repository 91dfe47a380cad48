"""A table on feet, read by bubble: facts of the trade, what is refused, and made-up tables whose truth only the simulator knows."""

from __future__ import annotations

import math

import numpy as np
import pytest
from msgspec.structs import replace

from tests.saying import take, tries_every_foot, what_is_said
from tests.trades.supports.test_works import Book, titles
from vivid_keel.core.body.facts import ITSELF
from vivid_keel.core.body.shapes import warp, warp_from_gap
from vivid_keel.core.body.standing import LEVEL
from vivid_keel.core.errors import KeelError
from vivid_keel.core.moving.plan import FOUND, LEFT, Point
from vivid_keel.core.quantities import parse_tilt
from vivid_keel.core.record.entries import Draft
from vivid_keel.files import JobFile
from vivid_keel.trades.registry import desk_for, trade
from vivid_keel.trades.slab.book import AGAIN, fold_slab, l_order, sense, to_be_sure
from vivid_keel.trades.slab.result import fitted, wanted_next, work_out_slab

DIVISION = parse_tilt("0.05 mm/m").value
FEET = {"A": (0.0, 0.0), "B": (1.6, 0.0), "C": (1.6, 0.9), "D": (0.0, 0.9)}


class Table:
    """A table as it truly stands, read by a level with a hidden error, booked as a person would."""

    def __init__(self, heights, zero=1.1, feet=FEET, rng=None, tolerance="0.1 mm"):
        self.book, self.rng, self.zero, self.feet = Book("slab"), rng, zero, feet
        self.heights = dict(zip(feet, heights, strict=True))
        book = self.book
        book.add(Draft(book.work, "limits", {"tolerance": book.read(tolerance, "mm")}))
        book.add(Draft(book.work, "body-fact", {"fact": "division", "text": "0.05", "value": DIVISION}))
        self.ids = {
            n: book.add(Draft(book.work, "foot", {"name": n, "x_m": x, "y_m": y}))
            for n, (x, y) in feet.items()
        }

    def result(self):
        return work_out_slab(fold_slab(self.book.journal, self.book.work))

    def shows(self, place):
        """The bubble at a place, in divisions, read to a fifth; laid anew it shows a little otherwise."""
        names = {id: name for name, id in self.ids.items()}
        a, b = names[place[0]], names[place[1]]
        d = math.hypot(*(p - q for p, q in zip(self.feet[a], self.feet[b], strict=True)))
        true = (self.heights[b] - self.heights[a]) / d / DIVISION + sense(place) * self.zero
        return round((true + (self.rng.normal(0, 0.15) if self.rng else 0.0)) / 0.2) * 0.2

    def lay(self, place, phase=FOUND):
        text = f"{self.shows(place):.1f}"
        tilt = parse_tilt(text, "div", ".", DIVISION)
        body = {"from": place[0], "to": place[1], "way": place[2], "phase": phase, "text": text}
        self.book.add(
            Draft(self.book.work, "laid", {**body, "tilt_rad": tilt.value, "step_rad": tilt.resolution})
        )

    def read(self, phase=FOUND):
        while (place := wanted_next(self.result(), phase)) is not None:
            self.lay(place, phase)
        return self.result()

    def turn(self):
        """Every foot as the sheet says, as far as a hand turns it to the bubble."""
        result = self.result()
        names = [p.name for p in result.book.points]
        for i in result.to_do:
            off = self.rng.normal(0, 0.00001) if self.rng else 0.0
            self.heights[names[i]] += result.does(i) + off


def test_the_order_is_the_long_side_both_ways_round_about_and_a_diagonal():
    points = [Point(k, name, "feet", *xy) for k, (name, xy) in enumerate(FEET.items(), 1)]
    assert l_order(points) == [(1, 2, 1), (1, 2, -1), (2, 3, 1), (3, 4, 1), (4, 1, 1), (1, 3, 1)]
    assert l_order(points[:3]) == [(3, 1, 1), (3, 1, -1), (1, 2, 1), (2, 3, 1)]
    assert l_order(points[:2]) == []


def test_heights_the_levels_error_and_the_twist_come_out_of_six_bubbles():
    table = Table([0.0, 0.0002, 0.00005, 0.00018])
    result = table.read()
    assert result.body.heights == pytest.approx([0.0, 0.0002, 0.00005, 0.00018], abs=1e-5)
    assert result.body.zeros[LEVEL] / DIVISION == pytest.approx(1.1, abs=0.1)
    said = what_is_said("slab", result, "Moves")
    assert {"The level is out by +0.055 mm/m", "Twist 0.33 mm"} <= set(titles(said))
    assert [result.book.points[i].name for i in result.to_move] == ["A", "C"]


def test_the_bubble_is_told_after_each_foot_the_levels_own_error_in_it():
    table = Table([0.0, 0.0002, 0.00005, 0.0002])
    result = table.read()
    side = result.book.places[0]
    first = result.to_move[0]
    table.heights[result.book.points[first].name] += result.does(first)
    told = result.shown_after[first][side] / DIVISION
    assert told == pytest.approx(table.shows(side), abs=0.15)
    assert told == pytest.approx(1.1, abs=0.15)  # level, it stands off the middle by its own error


def test_not_turned_round_nothing_is_told_and_the_next_reading_is_named():
    table = Table([0.0, 0.0002, 0.00005, 0.00018])
    for place in table.result().book.places[:1]:
        table.lay(place)
    result = table.result()
    assert result.body is None and not result.read
    (found,) = [f for f in what_is_said("slab", result, "Readings") if f.title == "Not told yet"]
    assert "the level's own zero" in found.text
    assert wanted_next(result, FOUND)[2] == -1


def test_a_level_that_was_set_today_need_not_be_turned():
    table = Table([0.0, 0.0002, 0.00005, 0.00018], zero=0.0)
    table.book.add(
        Draft(table.book.work, "body-fact", {"fact": "zero", "text": "set to nothing today", "value": 1.0})
    )
    places = [p for p in table.result().book.places if p[2] == 1]
    for place in places[:4]:
        table.lay(place)
    assert table.result().body.heights == pytest.approx([0.0, 0.0002, 0.00005, 0.00018], abs=2e-5)


def test_a_reading_booked_the_wrong_way_round_is_told_by_the_others():
    table = Table([0.0, 0.0002, 0.00005, 0.00018])
    table.read()
    wrong = table.result().book.places[3]
    old = fold_slab(table.book.journal, table.book.work).laid[FOUND][wrong]
    body = dict(table.book.journal.entries[old.id].body) | {"tilt_rad": -old.tilt, "text": "-2.8"}
    table.book.add(Draft(table.book.work, "laid", body, strikes=old.id))
    assert "The readings disagree" in titles(what_is_said("slab", table.result(), "Readings"))


def test_feet_in_a_line_are_said_and_nothing_breaks():
    table = Table([0.0, 0.0, 0.0], feet={"A": (0.0, 0.0), "B": (1.0, 0.0), "C": (2.0, 0.0)})
    for place in table.result().book.places:
        table.lay(place)
    (found,) = [f for f in what_is_said("slab", table.result(), "Readings") if f.title == "Not told yet"]
    assert "in one line" in found.text


def test_a_finished_round_makes_what_was_left_what_is_found():
    table = Table([0.0, 0.0002, 0.00005, 0.0002])
    table.read()
    table.turn()
    table.read(LEFT)
    result = table.result()
    assert result.left_verdicts == ["in"] * 4
    put, leaves = result.put_in()
    body = {"put": {str(k): v for k, v in put.items()}, "leaves": {str(k): v for k, v in leaves.items()}}
    table.book.add(Draft(table.book.work, "pass", body))
    after = table.result()
    assert after.book.laid[LEFT] == {} and len(after.book.laid[FOUND]) == 6
    assert after.to_move == []


@pytest.mark.parametrize("feet", [3, 4, 6])
def test_made_up_tables_are_in_after_two_rounds_and_the_stated_u_covers(feet):
    """Tolerance 4u of one reading over the longest side; truth by the feet's own heights."""
    six = {
        "A": (0.0, 0.0),
        "B": (1.2, 0.0),
        "C": (2.4, 0.0),
        "D": (2.4, 1.0),
        "E": (1.2, 1.0),
        "F": (0.0, 1.0),
    }
    places = {3: dict(list(FEET.items())[:3]), 4: FEET, 6: six}[feet]
    inside, good, n = [], 0, 10
    for seed in range(n):
        rng = np.random.default_rng([feet, seed])
        xy = np.array(list(places.values()))
        centred = xy - xy.mean(axis=0)
        true = centred @ rng.normal(0, 2e-4, 2) + rng.normal(0, 1e-4) * centred[:, 0] * centred[:, 1] * (
            feet > 3
        )
        table = Table(true, rng.normal(0, 2), places, rng, "0.06 mm")
        result = table.read()
        now = np.array(list(table.heights.values()))
        keeper = result.aim.keeper
        off = -result.moves - (now - now[keeper])
        asked = result.u_deviation > 0
        inside += (np.abs(off) <= 2 * result.u_deviation)[asked].tolist()
        for _ in range(2):
            table.turn()
            result = table.read(LEFT)
            put, leaves = result.put_in()
            body = {
                "put": {str(k): v for k, v in put.items()},
                "leaves": {str(k): v for k, v in leaves.items()},
            }
            table.book.add(Draft(table.book.work, "pass", body))
        now = np.array(list(table.heights.values()))
        good += np.ptp(now) <= 0.00012
    assert np.mean(inside) >= 0.93 - 3 * math.sqrt(0.93 * 0.07 / len(inside))
    assert good / n >= 0.95 - 3 * math.sqrt(0.95 * 0.05 / n)


def test_what_a_turned_foot_would_carry_off_is_turned_too():
    """A foot raises its own corner by 0.6 of its turn and tips the whole by the rest; nobody knows that before a round was read."""
    table = Table([0.0, 0.0, 0.0, -0.0008], zero=0.0)
    plane = np.column_stack([np.ones(4), np.array(list(FEET.values()))])
    answer = 0.6 * np.eye(4) + 0.4 * plane @ np.linalg.pinv(plane)
    result = table.read()
    first = result.to_do
    assert [result.book.points[i].name for i in first] == ["D"]
    keeper = result.book.points[result.aim.keeper]
    table.book.add(Draft(table.book.work, "keeper", {"point": keeper.id, "name": keeper.name}))
    put, leaves = result.put_in()
    table.heights = dict(
        zip(
            FEET,
            np.array(list(table.heights.values()))
            + answer @ np.array([put.get(p.id, 0.0) for p in result.book.points]),
            strict=True,
        )
    )
    table.read(LEFT)
    body = {"put": {str(k): v for k, v in put.items()}, "leaves": {str(k): v for k, v in leaves.items()}}
    table.book.add(Draft(table.book.work, "pass", body))
    result = table.result()
    learned = result.learned.response.matrix
    assert 4 - np.trace(learned) == pytest.approx(0.4, abs=0.08)
    assert len(result.to_do) > 1  # the others stand well, and D alone would carry them off
    h = np.array(list(table.heights.values())) + answer @ np.nan_to_num(result.lifts)
    assert np.ptp(h) <= result.book.limits.tolerance


def only_to_itself(table):
    table.book.add(Draft(table.book.work, "body-fact", {"fact": "truth", "text": ITSELF, "value": 1.0}))


def feel(table, a, b, low, high, ends=False, phase=FOUND):
    body = {"from": table.ids[a], "to": table.ids[b], "ends": ends, "phase": phase, "text": f"{low}"}
    table.book.add(Draft(table.book.work, "feelers", {**body, "low_m": low, "high_m": high}))


@pytest.mark.parametrize(
    ("diagonal", "ends", "gap"),
    [("AC", False, 0.0002), ("AC", True, 0.0004), ("BD", False, 0.0002), ("BD", True, 0.0004)],
)
def test_feelers_under_a_straightedge_tell_the_warp_of_the_book(diagonal, ends, gap):
    table = Table([0.0] * 4)
    only_to_itself(table)
    feel(table, *diagonal, gap - 0.00001, gap + 0.00001, ends)
    result = table.result()
    h = dict(zip("ABCD", result.body.heights, strict=False))
    w = warp([h["A"], h["B"], h["C"], h["D"]])
    assert w == pytest.approx(warp_from_gap(diagonal, gap, ends=ends), rel=1e-3)
    # One foot of the low diagonal takes all of it, upward; the other three stay.
    (i,) = result.to_move
    assert result.does(i) == pytest.approx(abs(w), rel=1e-3)
    assert result.book.points[i].name in ("BD" if w > 0 else "AC")


def test_a_gap_between_two_feelers_is_known_to_a_part_of_their_step():
    wide, close = (Table([0.0] * 4) for _ in range(2))
    for table, high in ((wide, 0.0003), (close, 0.00022)):
        only_to_itself(table)
        feel(table, "A", "C", 0.0002, high)
    u_wide, u_close = (t.result().u_deviation.max() for t in (wide, close))
    assert u_wide == pytest.approx(4 * 0.0001 / math.sqrt(12), rel=0.02)
    assert u_close == pytest.approx(4 * 0.00002 / math.sqrt(12), rel=0.02)


def test_straightedge_and_level_agree_and_where_they_dont_that_is_said():
    for gap, says in ((0.00033 / 4, False), (0.0006, True)):
        table = Table([0.0, 0.0002, 0.00005, 0.00018])  # warp −0.33 mm: light under BD
        table.read()
        feel(table, "B", "D", gap - 0.000025, gap + 0.000025)
        said = titles(what_is_said("slab", table.result(), "Readings"))
        assert ("The readings disagree" in said) == says


def test_tilt_and_twist_have_what_is_allowed_each_and_a_verdict():
    table = Table([0.0, 0.0002, 0.00005, 0.00018])
    for fact, value in (("tilt", 0.0001), ("twist", 0.0005)):
        table.book.add(Draft(table.book.work, "body-fact", {"fact": fact, "text": "x", "value": value}))

    def verdicts():
        said = what_is_said("slab", table.result(), "Readings")
        return [
            next(f.verdict for f in said if f.title.startswith(t))
            for t in ("Tilt along", "Tilt across", "Twist")
        ]

    table.read()
    assert verdicts() == ["in", "in", "in"]
    for fact, value in (("tilt", 0.00001), ("twist", 0.0001)):
        table.book.add(Draft(table.book.work, "body-fact", {"fact": fact, "text": "x", "value": value}))
    assert verdicts() == ["out", "open", "out"]
    only_to_itself(table)
    said = titles(what_is_said("slab", table.result(), "Readings"))
    assert not [t for t in said if t.startswith("Tilt")]


def test_only_true_to_itself_one_foot_comes_to_the_plane_of_the_other_three():
    table = Table([0.0, 0.0032, 0.0042, 0.0018])  # steep, and one foot 0.8 mm above the plane of the others
    only_to_itself(table)
    result = table.read()
    w = 0.0 + 0.0042 - 0.0032 - 0.0018
    (i,) = result.to_move
    assert w < 0 and result.book.points[i].name in "AC"
    assert result.does(i) == pytest.approx(-w, abs=2e-5)
    assert len(result.book.laid[FOUND]) == 5  # none turned round


# --- at the desk


@pytest.fixture
def desk(tmp_path):
    with JobFile.create(tmp_path / "t.keel", "Mill", "Ada", decimal_mark=".") as file:
        new = Draft(0, "work", {"name": "Table", "type": "slab", "unit": "m"})
        work = file.record([new, *trade("slab").begins("m")])[0].id
        yield desk_for(file, work)


def test_from_feet_to_proof_at_the_desk_by_typing_alone(desk):
    assert desk.book.limits.tolerance == pytest.approx(0.0001)
    assert desk.next("Instrument").title == "Next: where its feet stand"
    for row, (name, (x, y)) in enumerate(FEET.items()):
        take(desk.sheets("Set-up")[0], row, 0, name)
        take(desk.sheets("Set-up")[0], row, 1, str(x))
        take(desk.sheets("Set-up")[0], row, 2, str(y))
    tries_every_foot(desk)
    assert desk.next("Readings").title == "Next: lay the level A → B"
    for text in ("3.6", "1.4", "-2.2", "2.8", "-2.8", "1.6"):
        sheet = desk.sheets("Readings")[0]
        take(sheet, *sheet.first(), text)
    assert [round(float(h) * 1e5) for h in desk.result.body.heights] == [0, 20, 5, 18]
    assert desk.next("Moves").title == "Read the cautions first"
    (caution,) = desk.cautions("Moves")
    assert caution.title == "Before its feet are moved" and "Power isolated" in caution.sentences[0]
    desk.acknowledge(caution)
    sheet = desk.sheets("Moves")[0]
    assert [sheet.cell(row, 3).text for row in range(2)] == ["A → B: +1.1 div", "B → C: +1.1 div"]
    for i in list(desk.result.to_do):
        desk.record(*desk.books(i))
    assert desk.next("Moves").title == "Next: lay the level A → B, as left"
    for text in ("1.0", "-1.2", "1.2", "1.0", "1.2", "1.2"):
        sheet = desk.sheets("Proof")[0]
        take(sheet, *sheet.first(), text)
    assert desk.result.left_verdicts == ["in"] * 4
    found, left = (desk.sheets(stage)[0].why(2) for stage in ("Readings", "Proof"))  # the side to C
    assert found.title == left.title == "Height of C"
    assert found.sources[0] == "3.6" and left.sources[0] == "1.0" and found.numbers != left.numbers
    assert desk.state()[0] == "in"


@pytest.mark.parametrize(
    ("text", "says"),
    [
        ("80 mm/m", "steeper than any level"),
        ("1.2.3", "not a number"),
        ("", "not a tilt|nothing"),
        ("3 furlong", "not a tilt|unit|furlong"),
    ],
)
def test_what_no_level_shows_is_refused_in_place(desk, text, says):
    for row, (name, (x, y)) in enumerate(FEET.items()):
        take(desk.sheets("Set-up")[0], row, 0, name)
        take(desk.sheets("Set-up")[0], row, 1, str(x))
        take(desk.sheets("Set-up")[0], row, 2, str(y))
    with pytest.raises(KeelError, match=says):
        desk.sheets("Readings")[0].accept(0, 1, text)
    with pytest.raises(KeelError, match="was another unit meant"):
        desk.sheets("Set-up")[0].accept(2, 2, "900")
    with pytest.raises(KeelError, match="there is a B already"):
        desk.sheets("Set-up")[0].accept(0, 0, "B")


def test_a_foot_renamed_keeps_what_was_read_of_it(desk):
    for row, (name, (x, y)) in enumerate(FEET.items()):
        take(desk.sheets("Set-up")[0], row, 0, name)
        take(desk.sheets("Set-up")[0], row, 1, str(x))
        take(desk.sheets("Set-up")[0], row, 2, str(y))
    for text in ("3.6", "1.4", "-2.2", "2.8", "-2.8", "1.6"):
        sheet = desk.sheets("Readings")[0]
        take(sheet, *sheet.first(), text)
    before = desk.result.body.heights
    take(desk.sheets("Set-up")[0], 0, 0, "North-west")
    assert desk.result.body.heights == pytest.approx(before)
    assert desk.sheets("Readings")[0].cell(0, 0).text == "North-west → B"
    assert fitted(replace(desk.book), FOUND)[0] is not None


@pytest.mark.parametrize("gone", [True, False])
def test_a_foot_struck_or_put_upon_another_after_it_was_read_leaves_the_readings_to_be_seen(desk, gone):
    for row, (name, (x, y)) in enumerate(FEET.items()):
        take(desk.sheets("Set-up")[0], row, 0, name)
        take(desk.sheets("Set-up")[0], row, 1, str(x))
        take(desk.sheets("Set-up")[0], row, 2, str(y))
    for text in ("3.6", "1.4", "-2.2", "2.8", "-2.8", "1.6"):
        sheet = desk.sheets("Readings")[0]
        take(sheet, *sheet.first(), text)
    if gone:
        words, entry = desk.sheets("Set-up")[0].strike(3)
        assert words == "the foot D"
        desk.record(Draft(desk.work, "strike", {}, strikes=entry))
    else:
        take(desk.sheets("Set-up")[0], 3, 2, "0")
    sheet = desk.sheets("Readings")[0]
    shown = [[sheet.cell(row, column).text for column in range(4)] for row in range(sheet.count)]
    assert {"3.6", "1.4", "-2.2", "2.8", "-2.8", "1.6"} <= {row[1] for row in shown}


def test_packing_is_asked_for_in_the_unit_it_is_read_in(tmp_path):
    with JobFile.create(tmp_path / "t.keel", "Mill", "Ada", decimal_mark=".") as file:
        work = file.record([Draft(0, "work", {"name": "Table", "type": "slab", "unit": "ft-in"})])[0].id
        desk = desk_for(file, work)
        take(desk.sheets("Set-up")[0], 0, 0, "A")
        assert desk.sheets("Set-up")[0].columns[3].title == "Packing there, in"
        take(desk.sheets("Set-up")[0], 0, 3, "1/4")
        assert desk.book.points[0].stack == pytest.approx(0.00635)


def four(desk):
    for row, (name, (x, y)) in enumerate(FEET.items()):
        take(desk.sheets("Set-up")[0], row, 0, name)
        take(desk.sheets("Set-up")[0], row, 1, str(x))
        take(desk.sheets("Set-up")[0], row, 2, str(y))


def test_by_straightedge_alone_at_the_desk(desk):
    four(desk)
    take(desk.sheets("Instrument")[0], 0, 1, "only")
    take(desk.sheets("Readings")[1], 0, 1, "0.30 0.35")
    assert desk.sheets("Readings")[1].cell(0, 3).text == "0.3 to 0.35 mm"
    assert desk.next("Readings").title == "Next: lay the straightedge B to D"
    take(desk.sheets("Readings")[1], 1, 2, "0.60")
    assert desk.book.feelers[FOUND][desk.book.diagonals[1]].high == pytest.approx(0.00065)
    with pytest.raises(KeelError, match="shows light in the middle there already"):
        desk.sheets("Readings")[1].accept(0, 2, "0.1")
    for text, says in (
        ("0.3 0.2", "first what passes"),
        ("12", "was another unit meant"),
        ("a b c", "type the feeler"),
    ):
        with pytest.raises(KeelError, match=says):
            desk.sheets("Readings")[1].accept(0, 1, text)
    desk.acknowledge(desk.cautions("Moves")[0])
    sheet = desk.sheets("Moves")[0]
    assert sheet.cell(0, 1).text == "raise 1.26" and sheet.cell(0, 3).text == "straightedge: no light"
    desk.record(*desk.books(desk.result.to_do[0]))
    step = desk.next("Moves")
    assert step.title == "Next: lay the straightedge A to C, as left" and desk.go(step.key).sheet == 1
    take(desk.sheets("Proof")[1], 0, 1, "0 0.01")
    take(desk.sheets("Proof")[1], 1, 1, "0 0.01")
    assert set(desk.result.left_verdicts) == {"in"}
    for stage in ("Readings", "Moves", "Proof"):
        for view in range(max(1, len(desk.views(stage)))):
            assert desk.picture(stage, view, 740, 300).items


def test_once_the_order_is_done_the_first_side_is_come_back_to_and_the_other_diagonals_read():
    six = {
        "A": (0.0, 0.0),
        "B": (1.2, 0.0),
        "C": (2.4, 0.0),
        "D": (2.4, 1.0),
        "E": (1.2, 1.0),
        "F": (0.0, 1.0),
    }
    points = [Point(k, name, "feet", *xy) for k, (name, xy) in enumerate(six.items(), 1)]
    assert to_be_sure(points[:3]) == [(*l_order(points[:3])[0][:2], AGAIN)]
    four = [Point(k, name, "feet", *xy) for k, (name, xy) in enumerate(FEET.items(), 1)]
    assert to_be_sure(four) == [(1, 2, AGAIN), (2, 4, 1)]
    across = {frozenset(place[:2]) for place in [*l_order(points), *to_be_sure(points)]}
    assert {
        frozenset({1, 4}),
        frozenset({2, 5}),
        frozenset({3, 6}),
    } <= across  # both diagonals and the middle


def test_come_back_to_the_first_side_tells_whether_something_moved():
    table = Table([0.0, 0.0002, 0.00005, 0.00018])
    table.read()
    first, again = table.result().book.places[0], table.result().book.sure[0]
    assert not any("ome back" in title for title in titles(what_is_said("slab", table.result(), "Readings")))
    table.lay(again)
    stands = what_is_said("slab", table.result(), "Readings")
    assert "Come back to A → B: nothing moved" in titles(stands)
    # Half a division is what laying it down anew makes of it; two of them are a knock.
    old = table.result().book.laid[FOUND][first]
    body = dict(table.book.journal.entries[old.id].body) | {
        "tilt_rad": old.tilt + 2 * DIVISION,
        "text": "knocked",
    }
    table.book.add(Draft(table.book.work, "laid", body, strikes=old.id))
    (said,) = [
        f for f in what_is_said("slab", table.result(), "Readings") if f.title.startswith("Something moved")
    ]
    assert said.verdict == "out" and "-2.0" in said.title.replace("−", "-")


def test_what_is_read_once_more_makes_its_side_surer_and_never_counts_as_turned_round():
    table = Table([0.0, 0.0002, 0.00005, 0.00018])
    before = table.read()
    u = float(before.body.u[1])
    for place in table.result().book.sure:
        table.lay(place)
    after = table.result()
    assert float(after.body.u[1]) < u
    assert after.body.zeros[LEVEL] == pytest.approx(before.body.zeros[LEVEL], abs=0.2 * DIVISION)
    assert after.body.heights == pytest.approx([0.0, 0.0002, 0.00005, 0.00018], abs=1e-5)
