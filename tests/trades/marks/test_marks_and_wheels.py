"""Marks carried round, and vehicles: facts of the trade, simulated chains, and what a phone call would ask."""

from __future__ import annotations

import math

import numpy as np
import pytest
from hypothesis import given
from hypothesis import strategies as st

from tests.saying import what_is_said
from vivid_keel.core.kinds import numbered
from vivid_keel.core.quantities import parse_length
from vivid_keel.core.record.entries import Draft
from vivid_keel.core.record.journal import Journal
from vivid_keel.core.record.readings import as_read
from vivid_keel.trades.marks.book import fold_marks
from vivid_keel.trades.marks.carry import CHAIN, Measured, carry, closed_chain_u, order_of_carrying
from vivid_keel.trades.marks.findings import marks_state
from vivid_keel.trades.marks.result import work_out_marks
from vivid_keel.trades.registry import job_kinds
from vivid_keel.trades.vehicle.wheels import at_jockey, board_side, nearest_step, trailer, turned, wheels


def test_a_chain_closed_and_spread_is_as_sure_as_it_says():
    rng = np.random.default_rng(1)
    n, u = 8, 0.001
    climbed = np.cumsum(rng.normal(0, u, (20000, n)), axis=1)
    spread = climbed - climbed[:, -1:] * np.arange(1, n + 1) / n
    for k in range(1, n):
        assert spread[:, k - 1].std() == pytest.approx(closed_chain_u(u, k, n), rel=0.03)
    assert [c.u for c in carry(10, [Measured("a"), Measured("b")], u, CHAIN)] == pytest.approx(
        [u, u * math.sqrt(2)]
    )


def test_most_columns_are_carried_straight_from_the_first():
    places = {f"C{i}": (float(i % 4) * 3, float(i // 4) * 4) for i in range(8)}
    steps = order_of_carrying(places, "C0", 7.5)
    depths = [s.depth for s in steps]
    assert depths == sorted(depths)
    assert {s.to for s in steps} == set(places) - {"C0"}
    assert sum(s.depth == 1 for s in steps) == 5  # within 7.5 m of C0
    assert order_of_carrying({"a": (0, 0), "b": (50, 0)}, "a", 10) == []


def test_slab_and_cut_follow_from_the_tapes():
    (c,) = carry(11.0, [Measured("C1", 0.05, 1.049, 12.75, 1.705)], 0.001)
    assert (c.mark, c.slab, c.up) == pytest.approx((11.05, 10.001, 1.7))
    assert c.cut == pytest.approx(0.005)  # its top is 5 mm too high


class Marks:
    def __init__(self):
        self.journal, self.act = Journal(), 0
        self.add(Draft(0, "job", {"name": "Mill"}))
        self.work = self.add(Draft(0, "work", {"name": "Frame", "type": "marks", "unit": "m"}))

    def add(self, *drafts):
        self.act += 1
        made = numbered(
            job_kinds(),
            drafts,
            len(self.journal.entries) + 1,
            self.act,
            f"2026-05-01T10:{self.act:02}:00+00:00",
            "Ada",
        )
        for entry in made:
            self.journal.add(entry)
        return made[0].id

    def read(self, text, unit="m"):
        return as_read(parse_length(text, unit, "."))

    def result(self):
        return work_out_marks(fold_marks(self.journal, self.work))


@pytest.fixture
def frame():
    marks = Marks()
    marks.add(Draft(marks.work, "mark", {"name": "A", "height": marks.read("10"), "source": "drawing"}))
    for name, down in (("H1", "1.200"), ("H2", "1.206"), ("H3", "1.194")):
        marks.add(
            Draft(
                marks.work,
                "column",
                {
                    "name": name,
                    "to_slab": marks.read(down),
                    "design": marks.read("12"),
                    "top": marks.read("2.004"),
                },
            )
        )
    return marks


def test_the_slab_comes_for_free_and_what_is_within_its_u_is_not_cut(frame):
    frame.add(Draft(frame.work, "carrying", {"order": "star", "u_step": frame.read("1 mm", "mm")}))
    r = frame.result()
    assert [h for _, h in r.slabs] == pytest.approx([8.8, 8.794, 8.806])
    assert r.unevenness == pytest.approx(0.012)
    assert r.carried[0].cut == pytest.approx(0.004)
    (cut,) = [f for f in what_is_said("marks", r) if "to cut" in f.title]
    assert cut.title == "3 to cut, 0 to make up"
    frame.add(Draft(frame.work, "carrying", {"order": "star", "u_step": frame.read("3 mm", "mm")}))
    assert "0 to cut" in next(f.title for f in what_is_said("marks", frame.result()) if "to cut" in f.title)
    assert "up = 12" in r.why(0).numbers


def test_a_chain_is_open_till_it_closes_and_is_spread_only_within_its_limit(frame):
    frame.add(Draft(frame.work, "carrying", {"order": "chain", "u_step": frame.read("1 mm", "mm")}))
    assert marks_state(frame.result()) == ("open", "3 carried · chain open")
    frame.add(Draft(frame.work, "closed", {"found": frame.read("-2 mm", "mm")}))
    r = frame.result()
    assert r.accepted
    # The first mark found low: the carried line had climbed, so the marks stand higher than they were taken for.
    assert [c.mark for c in r.carried] == pytest.approx([10.0005, 10.001, 10.0015])
    assert r.carried[0].cut == pytest.approx(0.0045)
    frame.add(Draft(frame.work, "closed", {"found": frame.read("-9 mm", "mm")}))
    r = frame.result()
    assert r.accepted is False
    assert [c.mark for c in r.carried] == pytest.approx([10.0] * 3)
    assert marks_state(r)[0] == "out"


def test_the_working_of_a_closed_chain_adds_up(frame):
    frame.add(Draft(frame.work, "carrying", {"order": "chain", "u_step": frame.read("1 mm", "mm")}))
    frame.add(Draft(frame.work, "closed", {"found": frame.read("-2 mm", "mm")}))
    r = frame.result()
    said = r.why(1).numbers.split(";")[0]
    assert said == "mark = 10.000 + 0.000 − (−2.0 mm)·2/4 = 10.001"
    assert pytest.approx(r.carried[1].mark) == 10.000 + 0.002 * 2 / 4
    assert "√(2·2/4) steps" in r.why(1).sources[1]


def test_what_the_tube_reaches_only_in_steps_has_them_in_its_U(frame):
    frame.add(
        Draft(
            frame.work,
            "carrying",
            {"order": "star", "u_step": frame.read("1 mm", "mm"), "reach": frame.read("5")},
        )
    )
    for k, entry in enumerate(frame.journal.standing(frame.work, "column")):
        body = {**entry.body, "x": frame.read(f"{4.5 * k}"), "y": frame.read("0")}
        frame.add(Draft(frame.work, "column", body, strikes=entry.id))
    r = frame.result()
    assert [step.depth for step in r.steps] == [1, 2]
    assert [c.u for c in r.carried] == pytest.approx([0.001, 0.001, 0.001 * 2**0.5])
    assert "√2 steps, as they are planned" in r.why(2).sources[1]


def test_a_chain_is_walked_as_it_was_carried_whatever_the_planner_would(frame):
    frame.add(
        Draft(
            frame.work,
            "carrying",
            {"order": "chain", "u_step": frame.read("1 mm", "mm"), "reach": frame.read("9")},
        )
    )
    for name, x in (("H1", "0"), ("H2", "8"), ("H3", "2")):
        entry = next(e for e in frame.journal.standing(frame.work, "column") if e.body["name"] == name)
        frame.add(
            Draft(
                frame.work,
                "column",
                {**entry.body, "x": frame.read(x), "y": frame.read("0")},
                strikes=entry.id,
            )
        )
    r = frame.result()
    assert [step.to for step in r.steps] == ["H3", "H2"]
    assert r.walk == [c.name for c in r.carried]
    star = frame.add(Draft(frame.work, "carrying", {"order": "star", "reach": frame.read("9")}))
    assert star and frame.result().walk == ["H1", "H3", "H2"]


def test_a_tape_put_right_stays_legible(frame):
    book = fold_marks(frame.journal, frame.work)
    old = frame.journal.entries[book.columns[1].id]
    frame.add(Draft(frame.work, "column", {**old.body, "to_slab": frame.read("1.216")}, strikes=old.id))
    book = fold_marks(frame.journal, frame.work)
    assert [c.name for c in book.columns] == ["H1", "H2", "H3"]
    assert book.columns[1].struck == ("1.206",)


# Vehicles

angles = st.floats(-0.15, 0.15)


@given(angles, angles, st.floats(1.5, 2.5), st.floats(2.5, 5.0))
def test_a_trailer_packed_as_said_stands_level(roll, pitch, track, length):
    t = trailer(roll, pitch, track, length)
    # Plumb heights of left and right wheel and coupling, the axle's middle at 0, before and after.
    left = -math.tan(roll) * track / 2 + (t.wheel_raise if t.wheel == "left" else 0)
    right = math.tan(roll) * track / 2 + (t.wheel_raise if t.wheel == "right" else 0)
    assert left == pytest.approx(right, abs=1e-9)
    nose = length * math.tan(pitch) + t.nose_raise
    assert nose == pytest.approx((left + right) / 2, abs=1e-9)


def test_leaving_out_half_the_wheel_is_a_real_fault():
    assert trailer(math.radians(3), 0.0, 2.0, 4.0).nose_raise == pytest.approx(0.052, abs=0.001)
    assert at_jockey(0.1, 4.0, 3.6) == pytest.approx(0.09)
    assert nearest_step(0.06, [0.04, 0.08]) == 0.04  # the lower of two as near


@given(angles, angles, st.floats(-math.pi, math.pi))
def test_turning_trades_roll_for_pitch_and_loses_nothing(roll, pitch, heading):
    r, p = turned(roll, pitch, heading)
    assert math.hypot(math.tan(r), math.tan(p)) == pytest.approx(
        math.hypot(math.tan(roll), math.tan(pitch)), abs=1e-12
    )
    assert turned(r, p, -heading) == pytest.approx((roll, pitch), abs=1e-12)


@given(angles, angles)
def test_four_wheels_go_up_to_the_highest(roll, pitch):
    places = [(1.5, -0.8), (1.5, 0.8), (-1.5, -0.8), (-1.5, 0.8)]
    w = wheels(roll, pitch, places)
    assert min(w.lifts) == pytest.approx(0, abs=1e-12)
    assert (w.roll_left, w.pitch_left) == pytest.approx((0, 0), abs=1e-9)
    stepped = wheels(roll, pitch, places, [0.04, 0.08, 0.12])
    assert set(stepped.steps) <= {0.0, 0.04, 0.08, 0.12}


def test_soft_ground_wants_a_wide_board():
    assert board_side(5000, 50e3) == pytest.approx(math.sqrt(0.1))


@pytest.mark.parametrize(
    ("top", "sure"), [(1.402, False), (1.398, False), (1.403, True), (1.397, True), (1.400, False)]
)
def test_what_is_just_its_uncertainty_fits(top, sure):
    """41.250 + 1.402 − 42.650 is 2 mm with U = 2 mm: digits behind the ninth place decide nothing."""
    (one,) = carry(41.250, [Measured("H8", top=top, design=42.650)], 0.001)
    assert one.sure == sure


def test_a_chain_that_is_out_is_carried_again_before_anything_is_marked(tmp_path):
    from tests.mill import mill
    from vivid_keel.trades.registry import desk_for

    with mill(tmp_path / "Osier Mill.keel") as job:
        work = next(w.id for w in job.journal.works() if w.body["type"] == "marks")
        mm = as_read(parse_length("1", "mm", "."))
        job.record([Draft(work, "carrying", {"order": "chain", "u_step": mm})])
        for entry in job.journal.standing(work, "column"):
            if "to_slab" not in entry.body:
                body = {**entry.body, "to_slab": as_read(parse_length("1.2", "m", "."))}
                job.record([Draft(work, "column", body, strikes=entry.id)])
        job.record([Draft(work, "closed", {"found": as_read(parse_length("-30", "mm", "."))})])
        step = desk_for(job, work).next("Proof")
    assert step.title == "Next: carry it again" and "out by" in step.text


@pytest.mark.parametrize(
    ("text", "names"),
    [
        ("H1-H4", ["H1", "H2", "H3", "H4"]),
        ("H1 to 3", ["H1", "H2", "H3"]),
        ("C08..C10", ["C08", "C09", "C10"]),
        ("H1", []),
        ("north-east", []),
        ("A1-B4", []),
    ],
)
def test_a_range_of_columns_is_made_by_one_line(text, names):
    from vivid_keel.trades.marks.columns_sheet import several

    assert several(text) == names


@pytest.mark.parametrize("text", ["H8-H1", "H1-H1", "H1-H99"])
def test_a_range_that_runs_backwards_or_too_far_is_refused(text):
    from vivid_keel.core.errors import KeelError
    from vivid_keel.trades.marks.columns_sheet import several

    with pytest.raises(KeelError, match="a range runs upward"):
        several(text)


def test_a_range_typed_on_the_last_line_makes_them_all_and_refuses_one_that_is_there(tmp_path):
    from tests.mill import mill
    from tests.saying import take
    from vivid_keel.core.errors import KeelError
    from vivid_keel.trades.registry import desk_for

    with mill(tmp_path / "Osier Mill.keel") as job:
        desk = desk_for(job, next(w.id for w in job.journal.works() if w.body["type"] == "marks"))
        sheet = next(s for s in desk.sheets("Set-up") if s.name == "Columns")
        before = len(desk.result.book.columns)
        with pytest.raises(KeelError, match="H8 already"):
            sheet.accept(before, 0, "H8-H12")
        take(sheet, before, 0, "K1-K5")
        assert [c.name for c in desk.result.book.columns][before:] == ["K1", "K2", "K3", "K4", "K5"]


def test_columns_without_a_first_mark_have_a_report_all_the_same(tmp_path):
    from vivid_keel.files import JobFile
    from vivid_keel.trades.registry import desk_for

    with JobFile.create(tmp_path / "job.keel", "Mill", "Ada") as file:
        (work,) = file.record([Draft(0, "work", {"name": "Frame", "type": "marks", "unit": "m"})])
        file.record([Draft(work.id, "column", {"name": "C1"}), Draft(work.id, "column", {"name": "C2"})])
        desk = desk_for(file, work.id)
        for writer in desk.writers():
            if writer.pages is not None:
                writer.pages(desk)()
        assert desk.report()()
