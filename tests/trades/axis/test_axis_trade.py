"""An axis on feet: what turns along is harmless, one number serves every foot, wobble is nobody's fault, and made-up axes come in."""

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
from vivid_keel.trades.axis.book import BACK, fold_axis
from vivid_keel.trades.axis.result import wanted_azimuths, work_out_axis
from vivid_keel.trades.registry import desk_for, trade

DIVISION = 5e-5
THREE = ((0.9, 0.0), (-0.45, 0.78), (-0.45, -0.78))
FIVE = tuple((0.9 * math.cos(k * 0.4 * math.pi), 0.9 * math.sin(k * 0.4 * math.pi)) for k in range(5))


class Stone:
    """An axis as it truly leans, read by a level whose zero and the stone's skew turn along; its bearing wobbles."""

    def __init__(self, x, y, zero=1.8e-4, wobble=0.0, feet=THREE, azimuths=4, rng=None, eps=0.0, slips=0.0):
        self.book, self.rng = Book("axis"), rng
        self.lean, self.zero, self.wobble, self.slips = np.array([x, y]), zero, wobble, slips
        self.xy = np.array(feet) - np.mean(feet, axis=0)
        plane = np.column_stack([np.ones(len(feet)), self.xy])
        self.answer = (1 - eps) * np.eye(len(feet)) + eps * plane @ np.linalg.pinv(plane)
        book = self.book
        book.add(
            Draft(book.work, "body-fact", {"fact": "round", "text": str(azimuths), "value": float(azimuths)})
        )
        self.ids = [
            book.add(Draft(book.work, "foot", {"name": "FGHIJK"[k], "x_m": a, "y_m": b}))
            for k, (a, b) in enumerate(feet)
        ]

    def result(self):
        return work_out_axis(fold_axis(self.book.journal, self.book.work))

    def read(self, phase=FOUND):
        for azimuth in wanted_azimuths(self.result().book, phase):
            phi = math.radians(azimuth)
            y = self.zero + self.lean @ [math.cos(phi), math.sin(phi)] + self.wobble * math.cos(2 * phi + 0.4)
            y += self.slips * (azimuth == BACK)
            d = y / DIVISION + (self.rng.normal(0, 0.05) if self.rng is not None else 0.0)
            d = round(d / 0.2) * 0.2 if self.rng is not None else d
            body = {"azimuth": azimuth, "phase": phase, "text": f"{d:.2f}", "tilt_rad": d * DIVISION}
            self.book.add(Draft(self.book.work, "turned", {**body, "step_rad": 1e-5}))
        return self.result()

    def move(self, moves):
        self.lean = self.lean + np.linalg.pinv(self.xy) @ (self.answer @ moves)

    def end(self, result):
        put, leaves = result.put_in()
        body = {"put": {str(k): v for k, v in put.items()}, "leaves": {str(k): v for k, v in leaves.items()}}
        self.book.add(Draft(self.book.work, "pass", body))
        return self.result()


def test_the_order_is_opposite_azimuths_after_one_another_and_back_where_it_began():
    assert Stone(0, 0).result().book.azimuths == [0, 180, 90, 270, BACK]
    eight = Stone(0, 0, azimuths=8).result().book.azimuths
    assert sorted(eight[:-1]) == [45.0 * k for k in range(8)] and eight[-1] == BACK
    assert all((b - a) % 360 == 180 for a, b in zip(eight[:-1:2], eight[1:-1:2], strict=True))
    assert Stone(0, 0, azimuths=3).result().book.azimuths == [0, 120, 240, BACK]


def test_the_high_side_goes_down_against_the_rest_and_the_number_is_one_everywhere():
    stone = Stone(2e-4, 0.0)
    result = stone.read()
    names = [result.book.points[i].name for i in result.to_move]
    assert set(names) == {"G", "H"} and result.verdicts[0] == "in"  # the foot at +x is high: the others rise
    assert result.axis.zero == pytest.approx(1.8e-4) and result.axis.tilt == pytest.approx(2e-4)
    last = list(result.shown_after.values())[-1]
    assert list(last.values()) == pytest.approx([1.8e-4] * 3, abs=1e-9)
    stone.move(np.array([result.does(i) if i in result.to_move else 0.0 for i in range(3)]))
    left = stone.read(LEFT)
    assert left.axis_left.tilt < 1e-9 and set(left.left_verdicts) == {"in"}
    said = titles(what_is_said("axis", left, "Proof"))
    assert "The axis leans 0.000 mm/m" in said and "One number everywhere: +3.6 div" in said


def test_the_bearings_wobble_is_told_and_blamed_on_no_foot():
    stone = Stone(0.0, 0.0, wobble=1e-4, azimuths=8)
    result = stone.read()
    assert result.to_move == [] and result.axis.wobble == pytest.approx(1e-4)
    assert "The bearing wobbles by 0.100 mm/m" in titles(what_is_said("axis", result, "Readings"))


def test_a_foot_is_turned_to_the_number_with_the_bearings_part_towards_it():
    stone = Stone(2e-4, 1e-4, wobble=1.5e-4, azimuths=8)
    result = stone.read()
    for i in result.to_move:
        azimuth, to = result.told_at(i)
        phi = math.radians(azimuth)
        stone.move(np.eye(3)[i] * result.does(i))
        y = stone.zero + stone.lean @ [math.cos(phi), math.sin(phi)] + stone.wobble * math.cos(2 * phi + 0.4)
        assert to == pytest.approx(y, abs=1e-9)
    assert np.hypot(*stone.lean) < 1e-9


def test_a_wobble_that_four_azimuths_cant_tell_asks_for_eight():
    says = "Opposite readings disagree about the number"
    for wobble, said in ((0.0, False), (1e-4, True)):
        stone = Stone(2e-4, 1e-4, wobble=wobble)
        assert (says in titles(what_is_said("axis", stone.read(), "Readings"))) == said


def test_a_level_that_moved_on_the_turning_part_is_told_by_the_last_reading():
    for slips, says in ((0.0, False), (8e-5, True)):
        said = titles(what_is_said("axis", Stone(1e-4, 0.0, slips=slips).read(), "Readings"))
        assert ("The level moved on the turning part" in said) == says


def test_a_level_that_moved_in_mid_round_is_told_with_its_place_and_wobble_isnt_taken_for_it():
    for jump_at, wobble in ((None, 0.0), (None, 1.5e-4), (5, 0.0), (3, 1e-4)):
        rng = np.random.default_rng(3)
        stone = Stone(1e-4, -5e-5, wobble=wobble, azimuths=8, rng=rng)
        for k, azimuth in enumerate(wanted_azimuths(stone.result().book, FOUND)):
            if k == jump_at:
                stone.zero += 1e-4
            phi = math.radians(azimuth)
            y = stone.zero + stone.lean @ [math.cos(phi), math.sin(phi)] + wobble * math.cos(2 * phi + 0.4)
            d = round((y / DIVISION + rng.normal(0, 0.05)) / 0.2) * 0.2
            body = {"azimuth": azimuth, "phase": FOUND, "text": "x", "tilt_rad": d * DIVISION}
            stone.book.add(Draft(stone.book.work, "turned", {**body, "step_rad": 1e-5}))
        said = {f.title: f.text for f in what_is_said("axis", stone.result(), "Readings")}
        assert ("The level moved on the turning part" in said) == (jump_at is not None), (jump_at, wobble)
        if jump_at is not None:
            order = stone.result().book.azimuths
            text = said["The level moved on the turning part"]
            assert f"Between at {order[jump_at - 1]:.0f}° and at {order[jump_at]:.0f}°" in text


def test_two_azimuths_more_are_named_where_the_lean_is_not_told_for_certain():
    stone = Stone(4e-5, 0.0)
    u = stone.result().book.u_tilt
    allowed = 4e-5 + 0.5 * u
    stone.book.add(Draft(stone.book.work, "body-fact", {"fact": "tilt", "text": "x", "value": allowed}))
    result = stone.read()
    told, _ = result.more(FOUND)
    assert len(told) == 2 and not set(told) & set(result.book.read[FOUND])
    assert any(t.startswith("Two readings more") for t in titles(what_is_said("axis", result, "Readings")))
    for azimuth in told:
        phi = math.radians(azimuth)
        y = stone.zero + stone.lean @ [math.cos(phi), math.sin(phi)]
        body = {"azimuth": azimuth, "phase": FOUND, "text": "x", "tilt_rad": y, "step_rad": 1e-5}
        stone.book.add(Draft(stone.book.work, "turned", body))
    after = stone.result()
    greatest = [float(np.linalg.eigvalsh(r.axis.covariance[1:3, 1:3]).max()) for r in (result, after)]
    assert greatest[1] < 0.81 * greatest[0]


def test_outriggers_are_brought_up_till_they_bite_and_pulled_down_to_the_one_number():
    stone = Stone(3e-4, 1e-4, feet=FIVE)
    stone.book.add(Draft(stone.book.work, "limits", {"order": "three"}))
    result = stone.read()
    assert len(result.feet) == 3
    for i in result.to_move:
        words = result.stop_words(i)
        assert ("pulled down to" in words) == (i not in result.feet), words


def test_a_level_whose_sign_is_turned_round_is_found_by_the_feet():
    for turned in (False, True):
        stone = Stone(3e-4, 1e-4)
        result = stone.read()
        for i in result.to_move:
            body = {
                "point": result.book.points[i].id,
                "text": "as planned",
                "put_m": float(result.lifts[i]),
                "leaves": 0,
            }
            stone.book.add(Draft(stone.book.work, "put", body))
        stone.move((-1 if turned else 1) * np.nan_to_num(result.lifts))
        said = titles(what_is_said("axis", stone.read(LEFT), "Proof"))
        assert ("Everything answered the other way round" in said) == turned, said


def test_two_azimuths_a_quarter_apart_tell_nothing_and_two_opposite_ones_a_line():
    stone = Stone(2e-4, 1e-4)
    for azimuth in (0.0, 90.0):
        body = {"azimuth": azimuth, "phase": FOUND, "text": "1", "tilt_rad": 1e-4, "step_rad": 1e-5}
        stone.book.add(Draft(stone.book.work, "turned", body))
    (found,) = [f for f in what_is_said("axis", stone.result(), "Readings") if f.title == "Not told yet"]
    assert "turn it by half a turn, or read a third" in found.text
    line = Stone(2e-4, 1e-4, azimuths=2).read()
    assert "Along one line only" in titles(what_is_said("axis", line, "Readings"))
    assert line.axis.tilt == pytest.approx(2e-4)


def test_two_opposite_readings_prove_nothing_across_their_line():
    """Found by walking it: after 0° and 180° as left every foot was said to be proven in."""
    stone = Stone(0.0, 6e-4)  # leans across the line that is read
    full = stone.read()
    assert full.to_move
    for azimuth in (0.0, 180.0):
        body = {"azimuth": azimuth, "phase": LEFT, "text": "x", "tilt_rad": stone.zero, "step_rad": 1e-5}
        stone.book.add(Draft(stone.book.work, "turned", body))
    left = stone.result()
    assert "in" not in left.left_verdicts and trade("axis").state(left).verdict != "in"
    for result in (left, Stone(0.0, 6e-4, azimuths=2).read()):
        found = {f.title: f.verdict for f in what_is_said("axis", result, "Proof")}
        assert "in" not in found.values(), found
        assert found["Along one line only"] == "open"


@pytest.mark.parametrize(("feet", "eps"), [(THREE, 0.0), (FIVE, 0.05), (FIVE, 0.4)])
def test_made_up_axes_are_in_after_two_rounds_and_the_stated_u_covers(feet, eps):
    """Allowed: four u of one reading. 24 axes a case, less three binomial σ; judged by the true lean."""
    good, held, n = 0, 0, 24
    for seed in range(n):
        rng = np.random.default_rng([len(feet), int(eps * 100), seed])
        x, y = rng.normal(0, 3e-4, 2)
        stone = Stone(x, y, rng.normal(0, 2e-4), 2e-5, feet, 8, rng, eps)
        u = stone.result().book.u_tilt
        allowed = 4 * u
        body = {"fact": "tilt", "text": "x", "value": allowed}
        stone.book.add(Draft(stone.book.work, "body-fact", body))
        result = stone.read()
        off = np.array([result.axis.x - x, result.axis.y - y])
        held += (np.abs(off) <= 2 * u * np.sqrt(np.diag(result.axis.covariance)[1:3])).mean()
        keeper = result.book.points[result.aim.keeper]
        stone.book.add(Draft(stone.book.work, "keeper", {"point": keeper.id, "name": keeper.name}))
        for _ in range(2):
            if not result.to_do:
                break
            stone.move(np.nan_to_num(result.lifts) * (1 + rng.normal(0, 0.03, len(feet))))
            result = stone.end(stone.read(LEFT))
        good += float(np.hypot(*stone.lean)) <= allowed
    assert good / n >= 0.95 - 3 * math.sqrt(0.95 * 0.05 / n)
    assert 0.93 - 3 * math.sqrt(0.93 * 0.07 / (2 * n)) <= held / n


# --- at the desk


@pytest.fixture
def desk(tmp_path):
    with JobFile.create(tmp_path / "t.keel", "Mill", "Ada", decimal_mark=".") as file:
        new = Draft(0, "work", {"name": "Spindle", "type": "axis", "unit": "m"})
        work = file.record([new, *trade("axis").begins("m")])[0].id
        yield desk_for(file, work)


def feet(desk):
    for row, (name, (x, y)) in enumerate(zip("FGH", THREE, strict=True)):
        take(desk.sheets("Set-up")[0], row, 0, name)
        take(desk.sheets("Set-up")[0], row, 1, str(x))
        take(desk.sheets("Set-up")[0], row, 2, str(y))


def test_from_feet_to_proof_at_the_desk_by_typing_alone(desk):
    assert desk.next("Instrument").title == "Next: where its feet stand"
    feet(desk)
    assert desk.book.limits.tolerance == pytest.approx(5e-5 * 0.9, rel=0.01)
    assert desk.next("Readings").title == "Next: turn it to 0° and read"
    for text in ("7.6", "-0.4", "3.6", "3.6", "7.6"):
        sheet = desk.sheets("Readings")[0]
        take(sheet, *sheet.first(), text)
    desk.acknowledge(desk.cautions("Moves")[0])
    sheet = desk.sheets("Moves")[0]
    rows = [[sheet.cell(row, column).text for column in range(4)] for row in range(2)]
    assert {row[0].split()[1] for row in rows} == {"G", "H"}
    assert rows[1][3] == "towards it: +3.6 div"
    for i in list(desk.result.to_do):
        desk.record(*desk.books(i))
    assert desk.next("Moves").title == "Next: turn it to 0° and read, as left"
    for text in ("3.6", "3.6", "3.8", "3.6", "3.6"):
        sheet = desk.sheets("Proof")[0]
        take(sheet, *sheet.first(), text)
    assert desk.state()[0] == "in"
    for stage in ("Instrument", "Set-up", "Readings", "Target", "Moves", "Proof", "Record"):
        for view in range(max(1, len(desk.views(stage)))):
            assert desk.picture(stage, view, 740, 300).items
    with pytest.raises(KeelError, match="marked to 20 divisions"):
        desk.sheets("Readings")[0].accept(0, 1, "31")


def test_a_stand_in_of_an_axis_is_read_turned_and_comes_in(desk):
    feet(desk)
    led = desk.practise()
    practice = desk_for(desk.file, led.work)
    practice.go("answer")
    assert practice.result.axis is not None
    practice.acknowledge(practice.cautions("Moves")[0])
    for _ in range(4):
        if not practice.result.to_do:
            break
        practice.go("answer")
        if set(practice.result.left_verdicts) == {"in"}:
            break
        practice.another_round()
    assert practice.state()[0] == "in" or not practice.result.to_do


def test_outriggers_that_stand_furthest_out_are_not_taken_for_the_feet_that_carry(tmp_path):
    """Three feet close by, three outriggers far out: the widest triangle is that of the outriggers."""
    near = [(0.4 * math.cos(a), 0.4 * math.sin(a)) for a in (0.0, 2.1, 4.2)]
    far = [(1.2 * math.cos(a), 1.2 * math.sin(a)) for a in (1.0, 3.1, 5.2)]
    stone = Stone(2e-4, 1e-4, feet=(*near, *far))
    stone.book.add(Draft(stone.book.work, "limits", {"order": "three"}))
    result = stone.read()
    assert set(result.feet) == {3, 4, 5}
    said = titles(what_is_said("axis", result, "Moves"))
    assert "Which feet carry it?" in said
    with JobFile.create(tmp_path / "axis.keel", "Mill", "Ada", decimal_mark=".") as file:
        (work,) = file.record([Draft(0, "work", {"name": "Stone", "type": "axis", "unit": "m"})])
        feet = [
            Draft(work.id, "foot", {"name": f"F{k}", "x_m": x, "y_m": y})
            for k, (x, y) in enumerate((*near, *far))
        ]
        file.record([Draft(work.id, "limits", {"order": "three"}), *feet])
        desk = desk_for(file, work.id)
        place = (0, 4)
        for key in "cccfff":  # one key each
            place = take(desk.sheets("Set-up")[0], *place, key)
        assert desk.result.feet == (0, 1, 2)
        assert [desk.result.outrigger(i) for i in range(6)] == [False] * 3 + [True] * 3
        sheet = desk.sheets("Set-up")[0]
        assert [sheet.cell(k, 4).text for k in (0, 5)] == ["▵ carries", "follows"]
        with pytest.raises(KeelError, match="type c for a foot that carries"):
            sheet.accept(0, 4, "x")
        take(sheet, 0, 4, "")
        assert desk.book.points[0].carries is None


def test_what_closes_between_leaves_is_not_forgotten_once_it_is_booked():
    from vivid_keel.core.body.standing import made_of

    stone = Stone(2e-4, 1e-4)
    book = stone.book
    book.add(Draft(book.work, "mover", {"what": "leaves", "values": {}}))
    book.add(Draft(book.work, "limits", {"interface_m": 0.0001}))
    stone.read()
    body = {"point": stone.ids[0], "put_m": 0.0006, "leaves": 2, "text": "0.3 + 0.3"}
    book.add(Draft(book.work, "put", body))
    assert made_of(stone.result())[0] == pytest.approx(0.0006 - 2 * 0.0001)
