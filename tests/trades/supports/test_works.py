"""The two works as their entries stand: folds, results, findings, workings."""

from __future__ import annotations

import numpy as np
import pytest

from tests.saying import what_is_said
from vivid_keel.core.errors import KeelError
from vivid_keel.core.instruments.used import instrument_from_way, instrument_of
from vivid_keel.core.kinds import numbered
from vivid_keel.core.moving.choosing import guard, pack
from vivid_keel.core.moving.plan import TargetChoice
from vivid_keel.core.proof import NOT_PROVEN, PROVEN_IN, PROVEN_OUT
from vivid_keel.core.quantities import parse_length
from vivid_keel.core.quantities.letters import letters
from vivid_keel.core.record.entries import Draft
from vivid_keel.core.record.journal import Journal
from vivid_keel.core.record.matters import matters
from vivid_keel.core.record.readings import as_read
from vivid_keel.trades.registry import job_kinds
from vivid_keel.trades.run.book import fold_run
from vivid_keel.trades.run.findings import run_state
from vivid_keel.trades.run.result import work_out_run
from vivid_keel.trades.supports.findings import supports_state
from vivid_keel.trades.supports.fold import fold_supports
from vivid_keel.trades.supports.lay_out import grid_drafts
from vivid_keel.trades.supports.measure import work_out_supports


class Book:
    """A journal that is written into act by act, without a file."""

    def __init__(self, type, unit="m"):
        self.journal = Journal()
        self.acts = 0
        self.add(Draft(0, "job", {"name": "Osier Mill"}))
        self.work = self.add(Draft(0, "work", {"name": "w", "type": type, "unit": unit}))
        self.unit = unit

    time = "2026-11-24T10:00:00+00:00"

    def add(self, *drafts):
        self.acts += 1
        first = max(self.journal.entries, default=0) + 1
        for entry in numbered(job_kinds(), drafts, first, self.acts, self.time, "Ada"):
            self.journal.add(entry)
        return first

    def read(self, text, unit=None):
        return as_read(parse_length(text, unit or self.unit))

    def known(self, name, height, u=0.0):
        body = {"name": name, "height": self.read(height), "source": "site datum", "u_m": u}
        return self.add(Draft(self.work, "mark", body))

    def sight(self, kind, mark, reading, distance=None, new=False, **how):
        body = {"mark": mark, "sight": kind, "reading": self.read(reading)}
        if distance is not None:
            body["distance"] = self.read(str(distance), "m")
        drafts = [Draft(self.work, "setup", {})] if new else []
        return self.add(*drafts, Draft(self.work, "sight", body, **how))

    def way(self, u):
        body = {
            "name": "Amber",
            "way": "optical-fine",
            "u_m": u,
            "per_metre": 0.0,
            "from_m": 30.0,
            "reach_m": 10.0,
        }
        old = self.journal.latest(self.work, "instrument")
        return self.add(Draft(self.work, "instrument", body, strikes=old.id if old else None))

    def post(self, name, found=None, left=None, x=0.0, stack=0.0, row="A", sense="hangs"):
        body = {"name": name, "row": row, "x_m": x, "y_m": 0.0, "stack_m": stack, "sense": sense}
        point = self.add(Draft(self.work, "point", body))
        for phase, text in (("found", found), ("left", left)):
            if text is not None:
                body = {"point": point, "phase": phase, "reading": self.read(text)}
                self.add(Draft(self.work, "reading", body))
        return point

    def stock(self, *leaves):
        for text, count in leaves:
            self.add(Draft(self.work, "leaf", {"leaf": self.read(text, "mm"), "count": count}))

    def tolerance(self, text):
        self.add(Draft(self.work, "limits", {"tolerance": self.read(text, "mm"), "interface_m": 0.0}))

    def run(self):
        return work_out_run(fold_run(self.journal, self.work))

    def supports(self, **how):
        return work_out_supports(fold_supports(self.journal, self.work), **how)


def titles(findings):
    return [f.title for f in findings]


@pytest.fixture
def run():
    book = Book("run")
    book.known("BM", "50", u=0.002)
    book.sight("BS", "BM", "1.500", 20)
    book.sight("IS", "sill", "1.200", 10)
    book.sight("FS", "CP 1", "1.400", 22)
    book.sight("BS", "CP 1", "1.100", 18, new=True)
    return book


# A level run


def test_a_run_as_it_is_booked(run):
    result = run.run()
    assert result.layout.setups == 2
    assert result.height(1) == pytest.approx(50.3)
    assert result.height(2) == pytest.approx(50.1)
    assert result.collimation_height(3) == pytest.approx(51.2)
    assert result.rise_fall(1) == pytest.approx((0.3, 0.0))
    assert result.rise_fall(2) == pytest.approx((0.0, 0.2))
    assert np.isnan(result.rise_fall(0)).all()
    assert run_state(result) == ("open", "4 read · open")
    assert "The run is open" in titles(what_is_said("run", result))


def test_closing_turns_open_into_a_verdict(run):
    run.sight("FS", "BM", "1.203", 20)
    result = run.run()
    assert result.closure.misclosure == pytest.approx(-0.003)
    assert run_state(result) == ("in", "closes −3 mm")
    found = what_is_said("run", result)
    assert "Closes to −3 mm; 7.1 mm allowed" in titles(found)
    assert result.corrected(1) == pytest.approx(50.3015)
    why = result.why_height(1)
    assert why.formula.startswith("H = HC − IS")
    assert "51.500 − 1.200 = 50.300" in why.numbers
    assert any("read 1.200" in s for s in why.sources)
    assert result.why_height(0).numbers == "50.000 + 1.500 = 51.500"


def test_out_over_the_limit_comes_first(run):
    run.sight("FS", "BM", "1.240", 20)
    result = run.run()
    assert run_state(result)[0] == "out"
    found = what_is_said("run", result)
    assert found[0].verdict == "out"
    assert found[0].title.startswith("Out by −40 mm")
    assert found[0].why.numbers.startswith("w = 49.960 − 50.000 = −40.0 mm")


def test_unbalanced_sights_and_missing_distances_are_said():
    book = Book("run")
    book.known("BM", "50")
    book.sight("BS", "BM", "1.5", 10)
    book.sight("FS", "a", "1.4", 45)
    assert "Set-up 1 is unbalanced by 35 m" in titles(what_is_said("run", book.run()))
    other = Book("run")
    other.known("BM", "50")
    other.sight("BS", "BM", "1.5")
    other.sight("FS", "a", "1.4")
    assert "1 of 1 set-ups without distances" in titles(what_is_said("run", other.run()))


def test_a_row_that_can_not_be_reduced_is_said_with_what_to_do(run):
    run.sight("FS", "CP 2", "1.3")
    run.sight("BS", "nowhere", "1.1", new=True)
    result = run.run()
    assert run_state(result) == ("out", "1 row can't be reduced")
    first = what_is_said("run", result)[0]
    assert first.title == "nowhere can't be reduced"
    assert "list it as a known mark" in first.text
    assert first.action == "row:5"


def test_passing_a_benchmark_is_reported_and_closes_nothing(run):
    run.known("BM 2", "49.9")
    run.sight("FS", "BM 2", "1.302", 18)
    run.sight("BS", "BM 2", "1.4", 20, new=True)
    result = run.run()
    assert result.closure.misclosure is None
    assert "Passed BM 2: −2.0 mm" in titles(what_is_said("run", result))


def test_a_class_by_length_needs_lengths(run):
    run.sight("FS", "BM", "1.203")
    body = {"class": "ordinary site works", "coefficient_m": 0.012, "per": "km", "spread": "setups"}
    run.add(Draft(run.work, "closing", body))
    result = run.run()
    assert result.closure.allowed is None
    assert run_state(result) == ("open", "closes −3 mm · no limit")
    assert "Closes to −3 mm; no limit yet" in titles(what_is_said("run", result))


def test_spreading_by_distance_without_distances_names_the_row(run):
    run.sight("FS", "BM", "1.203")
    run.add(Draft(run.work, "closing", {"spread": "distance"}))
    result = run.run()
    assert "needs the distance of every sight" in next(iter(result.trouble.values()))
    assert not result.closure.spread
    assert result.height(1) == pytest.approx(50.3)


def test_collimation_is_taken_out_only_when_asked_for(run):
    body = {
        "name": "x",
        "way": "optical",
        "u_m": 0.0007,
        "per_metre": 0.0,
        "from_m": 30.0,
        "reach_m": 30.0,
        "collimation_rad": 1e-4,
    }
    run.add(Draft(run.work, "instrument", body))
    assert run.run().height(1) == pytest.approx(50.3)
    run.add(Draft(run.work, "closing", {"use_collimation": True}))
    assert run.run().height(1) == pytest.approx(50.3 - 1e-4 * 20 + 1e-4 * 10)


def test_struck_rows_stay_on_the_page_and_out_of_the_sums(run):
    old = run.sight("IS", "step", "1.9")
    run.sight("IS", "step", "1.8", strikes=old)
    result = run.run()
    assert [(r.text, r.stands) for r in result.book.rows if r.mark == "step"] == [
        ("1.9", False),
        ("1.8", True),
    ]
    assert result.reduction.sum_is == pytest.approx(1.2 + 1.8)
    assert "1 reading struck" in titles(what_is_said("run", result))


def test_the_finest_reading_sets_the_digits_shown(run):
    assert run.run().book.style.decimals == 3
    run.sight("IS", "plate", "1.2345")
    assert run.run().book.style.decimals == 4


def test_a_book_in_eighths_says_its_misclosure_in_eighths():
    book = Book("run", "ft-in")
    book.known("stud", "100'")
    book.sight("BS", "stud", "5' 7 3/8\"")
    book.sight("FS", "stud", "5' 7 1/4\"")
    result = book.run()
    assert run_state(result)[1] == "closes +⅛″"
    assert any("in allowed" in t for t in titles(what_is_said("run", result)))


def test_the_default_instrument_follows_the_unit_and_says_it_is_a_default():
    assert instrument_of(Book("run").journal, 2, "m").way == "optical"
    eighths = instrument_of(Book("run", "ft-in").journal, 2, "ft-in")
    assert (eighths.way, eighths.stated) == ("optical-eighths", False)


def test_matters_are_settled_by_another_entry(run):
    id = run.add(Draft(run.work, "matter", {"text": "look under the slab"}))
    assert matters(run.journal, run.work)[0].settled is None
    assert "Open matter" in titles(what_is_said("run", run.run(), job=run.journal))
    run.add(Draft(run.work, "settled", {"matter": id}))
    assert matters(run.journal, run.work)[0].settled is not None
    assert "Open matter" not in titles(what_is_said("run", run.run(), job=run.journal))


# Supports


@pytest.fixture
def floor():
    book = Book("supports")
    book.way(0.0002)
    book.tolerance("1.5 mm")
    for name, text, x in (
        ("A1", "1.2598", 0.0),
        ("A2", "1.2640", 2.4),
        ("A3", "1.2526", 4.8),
        ("A4", "1.2637", 7.2),
    ):
        book.post(name, text, x=x)
    return book


def test_moves_stop_readings_and_order(floor):
    result = floor.supports()
    assert result.moves == pytest.approx([0.0042, 0.0, 0.0114, 0.0003])
    assert [result.book.points[i].name for i in result.to_move] == ["A3", "A1"]
    assert result.verdicts == [PROVEN_OUT, PROVEN_IN, PROVEN_OUT, PROVEN_IN]
    assert result.stop_at(0) == pytest.approx(1.2640)
    assert result.stop_at(3) == pytest.approx(1.2637)  # left alone: it stays where it is
    assert result.keepers == [1]
    assert supports_state(result) == ("open", "4 read · 2 to move")


def test_uncertainty_of_a_deviation_is_two_readings_and_the_keeper_has_none(floor):
    result = floor.supports()
    two = 0.0002 * 2**0.5
    assert result.u_deviation[[0, 1, 2]] == pytest.approx([two, 0.0, two], rel=0.01)
    # A4 might be the highest as well: where it would have been picked, its own error is the target's.
    assert 0.6 * two < result.u_deviation[3] < two
    mean = floor.supports(target=TargetChoice("mean"))
    assert mean.u_deviation == pytest.approx([0.0002 * (1 - 1 / 4) ** 0.5] * 4)


def test_simulated_floors_are_as_uncertain_as_stated(floor):
    rng = np.random.default_rng(3)
    result = floor.supports(target=TargetChoice("mean"))
    truth = np.array([0.0042, 0.0, 0.0114, 0.0003])
    read = rng.normal(0, 0.0002, (4000, 4)) - truth
    seen = (read - read.mean(axis=1, keepdims=True)).std(axis=0)
    assert seen == pytest.approx(result.u_deviation, rel=0.05)


def test_standing_scales_turn_the_sense_round():
    book = Book("supports")
    book.way(0.0002)
    book.post("A1", "1.250", sense="stands")
    book.post("A2", "1.240", sense="stands")
    result = book.supports()
    assert result.moves == pytest.approx([0.010, 0.0])  # the larger reading is the lower point
    assert result.stop_at(0) == pytest.approx(1.240)


def test_a_coarse_instrument_can_not_prove_a_fine_tolerance(floor):
    floor.way(0.0007)
    found = what_is_said("supports", floor.supports(), "Moves")
    assert "This method can't prove 1.5 mm" in titles(found)
    assert floor.supports().verdicts[3] == NOT_PROVEN


def test_the_leaves_reach_the_target(floor):
    floor.stock(("6 mm", 2), ("3 mm", 2), ("1.5", 2), ("0.8", 2), ("0.4", 2), ("0.2", 2))
    bare = floor.supports()
    packing = pack(bare)
    result = floor.supports(packing=packing)
    assert abs(result.left_over(2)) <= guard(result)
    assert sum(result.stack(2)) == pytest.approx(0.0114 + result.left_over(2))
    assert result.stop_at(2) == pytest.approx(1.2640 + result.left_over(2))
    assert any(t.startswith("Stock is enough") for t in titles(what_is_said("supports", result, "Moves")))
    assert "Σ leaves" in result.why_stack(2).formula
    assert result.stack(1) is None


def test_without_stock_it_is_asked_for(floor):
    assert "No packing in stock yet" in titles(what_is_said("supports", floor.supports(), "Moves"))


def test_downward_moves_take_packing_out_or_say_that_there_is_none(floor):
    floor.post("A5", "1.2700", x=9.6, stack=0.012)
    keep = floor.journal.standing(floor.work, "point")[1].id
    result = floor.supports(target=TargetChoice("keep", point=keep))
    i = next(i for i, p in enumerate(result.book.points) if p.name == "A5")
    assert result.moves[i] == pytest.approx(-0.006)
    assert result.wanted[result.to_move.index(i)] == pytest.approx(0.006)
    floor.post("A6", "1.2720", x=12.0)
    found = what_is_said("supports", floor.supports(target=TargetChoice("keep", point=keep)), "Moves")
    assert "Nothing to take out at A6" in titles(found)


def test_a_support_without_a_reading_is_left_out_and_named(floor):
    floor.post("A9", x=20.0)
    result = floor.supports()
    assert np.isnan(result.moves[4])
    assert result.verdicts[4] == ""
    assert "1 not read: A9" in titles(what_is_said("supports", result, "Moves"))


def test_proof_is_three_valued():
    book = Book("supports")
    book.way(0.0002)
    book.tolerance("1 mm")
    for name, found, left in (
        ("A1", "1.2640", "1.2640"),
        ("A2", "1.2500", "1.2637"),
        ("A3", "1.2500", "1.2632"),
        ("A4", "1.2500", "1.2600"),
    ):
        book.post(name, found, left)
    result = book.supports()
    assert result.left_verdicts == [PROVEN_IN, PROVEN_IN, NOT_PROVEN, PROVEN_OUT]
    assert supports_state(result) == ("out", "4 read again · 1 out")
    said = titles(what_is_said("supports", result, "Proof"))
    assert said[:2] == ["Proven out: A4", "Not proven: A3"]
    assert "Taken as read on the same line" in said
    assert result.why_left(3).numbers.startswith("d = 1.2600 − (1.2640) = −4.00 mm")


def test_the_watch_mark_takes_a_moved_instrument_out(floor):
    for phase, text in (("found", "0.8415"), ("left", "0.8915")):
        floor.add(Draft(floor.work, "reference", {"phase": phase, "reading": floor.read(text)}))
    ids = {p.name: p.id for p in floor.supports().book.points}
    # The line stands 50 mm higher: a scale hung from the beam reads 50 mm less.
    floor.add(
        Draft(floor.work, "reading", {"point": ids["A1"], "phase": "left", "reading": floor.read("1.2140")})
    )
    result = floor.supports()
    assert result.deviation_left(0) == pytest.approx(0.0, abs=1e-12)
    assert result.u_left[0] == pytest.approx(0.0002 * 2.0, rel=0.01)
    assert any(t.startswith("Line tied by") for t in titles(what_is_said("supports", result, "Proof")))


def test_a_fixed_reading_is_a_target_too(floor):
    result = floor.supports(target=TargetChoice("height", reading=1.2700))
    assert result.target_reading("hangs") == pytest.approx(1.2700)
    assert result.moves.min() > 0
    assert result.u_deviation == pytest.approx([0.0002] * 4)  # nothing was read at the target


def test_a_corrected_point_keeps_its_readings(floor):
    old = floor.journal.standing(floor.work, "point")[0]
    floor.add(Draft(floor.work, "point", {**old.body, "name": "North-west"}, strikes=old.id))
    again = floor.journal.standing(floor.work, "point")[0]
    floor.add(Draft(floor.work, "point", {**again.body, "row": "B"}, strikes=again.id))
    point = floor.supports().book.points[0]
    assert (point.name, point.row, point.found.text) == ("North-west", "B", "1.2598")


def test_struck_readings_of_a_point_are_kept(floor):
    reading = floor.journal.standing(floor.work, "reading")[0]
    floor.add(Draft(floor.work, "strike", {"reason": "scale slipped"}, strikes=reading.id))
    point = floor.supports().book.points[0]
    assert point.found is None
    assert point.struck == ("1.2598",)
    assert floor.journal.reason(reading.id) == "scale slipped"


def test_no_points_and_no_readings_are_no_error():
    book = Book("supports")
    assert supports_state(book.supports()) == ("todo", "no supports yet")
    book.post("A1")
    assert supports_state(book.supports()) == ("todo", "1 supports · none read")
    assert what_is_said("supports", book.supports(), "Moves") == []


@pytest.mark.parametrize(("number", "letter"), [(0, "A"), (25, "Z"), (26, "AA"), (701, "ZZ"), (702, "AAA")])
def test_rows_are_lettered(number, letter):
    assert letters(number) == letter


def test_laying_out():
    made = grid_drafts(7, ["North", "Nave"], 2, 2.0, 3.0)
    assert [(d.body["name"], d.body["x_m"], d.body["y_m"]) for d in made] == [
        ("No1", 0.0, 0.0),
        ("No2", 2.0, 0.0),
        ("Na1", 0.0, 3.0),
        ("Na2", 2.0, 3.0),
    ]
    with pytest.raises(KeelError, match="at least one row"):
        grid_drafts(7, [], 2, 2.0, 3.0)
    with pytest.raises(KeelError, match="spacing must be above 0"):
        grid_drafts(7, ["A"], 2, 0.0, 3.0)
    with pytest.raises(KeelError, match="there is a A1 already"):
        grid_drafts(7, ["A"], 2, 1.0, 3.0, taken=["A1"])


def test_an_instrument_from_its_way():
    from vivid_keel.core.instruments.defaults import WAY, reading_uncertainty

    made = instrument_from_way(WAY["optical"])
    u = reading_uncertainty(
        made.base, made.per_metre, made.from_distance, made.reach, np.array([10.0, 40.0, np.nan])
    )
    assert u == pytest.approx([0.0007, 0.0010, 0.0007])


def test_a_post_read_as_left_has_no_working_where_its_target_is_unknown():
    book = Book("supports")
    for name, x in (("A1", 0.0), ("A2", 2.4), ("A3", 4.8)):
        book.post(name, "1.2500", "1.2510", x=x)
    book.add(Draft(book.work, "target", {"kind": "best-fit"}))
    result = book.supports()
    assert result.aim.trouble is not None  # in one row no plane is told
    assert [result.why_left(i) for i in range(3)] == [None] * 3


@pytest.mark.parametrize(("count", "moved"), [(1, []), (20, ["A2"])])
def test_no_stack_is_taken_out_for_a_thinner_one_that_isnt_in_the_store(count, moved):
    """Found by practising on a short store: 9.8 mm came out, nothing went in, and the post hung 6 mm low from then on."""
    book = Book("supports")
    book.way(0.0001)
    book.tolerance("1 mm")
    book.post("A1", "1.2570", x=0.0)
    book.post("A2", "1.2600", x=2.4, stack=0.010)
    book.add(Draft(book.work, "target", {"kind": "lowest"}))
    book.stock(("2 mm", count), ("1 mm", 2))
    result = book.supports()
    names = [result.book.points[i].name for i in result.to_move]
    assert names == moved
    found = pack(result)
    if moved:
        assert sum(found.stacks[0]) == pytest.approx(0.007)
    said = [f.title for f in what_is_said("supports", result, "Moves")]
    assert ("A2 stays: no thinner packing in the store" in said) == (not moved)
    assert "Every support is proven in" not in said
