"""A top of panels: one plane a panel, steps between them, the frame first; made-up tops come in without a step that a finger feels."""

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
from vivid_keel.trades.panels.book import ACROSS, ALONG, MANY, OVER, ROCKS, SEAM, fold_panels
from vivid_keel.trades.panels.result import wanted_places, work_out_panels
from vivid_keel.trades.registry import desk_for, trade

DIVISION, NAIL = 5e-5, 5e-5
LONG, WIDE, IN = 1.2, 0.9, 0.1


class Table:
    """Panels as they truly lie, each by the height of its near left corner and two gradients; wedges move their corners.

    Nothing of it is the program's: a panel is the plane through what its four corners stand on, by normal equations.
    """

    def __init__(self, planes, zero=4e-5, rng=None, nail=NAIL, names="ABC"):
        self.book, self.rng, self.zero, self.nail = Book("panels"), rng, zero, nail
        self.h, self.names = [np.array(p, dtype=float) for p in planes], names
        size = {"long_m": LONG, "wide_m": WIDE, "along": 2, "across": 2}
        self.ids = [
            self.book.add(Draft(self.book.work, "panel", {"name": names[k], **size}))
            for k in range(len(planes))
        ]

    def result(self):
        return work_out_panels(fold_panels(self.book.journal, self.book.work))

    def at(self, k, x, y):
        return float(self.h[k] @ [1.0, x, y])

    def true(self, place):
        what, id, which = place
        k = self.ids.index(id)
        if what == ALONG:
            return self.h[k][1] + (-self.zero if which < 0 else self.zero)
        if what == ACROSS:
            return self.h[k][2] + self.zero
        if what == OVER:
            return (self.at(k + 1, LONG / 2, WIDE / 2) - self.at(k, LONG / 2, WIDE / 2)) / LONG + self.zero
        y = WIDE if which else 0.0
        return self.at(k + 1, 0.0, y) - self.at(k, LONG, y)

    def see(self, place, phase, by=0.0):
        value = self.true(place) + by
        if place[0] == SEAM:
            u = self.nail / math.sqrt(3)
            if self.rng is not None:
                value = round((value + self.rng.uniform(-0.4, 0.4) * self.nail) / self.nail) * self.nail
        else:
            u = DIVISION * math.hypot(0.2 / math.sqrt(12), 0.15)
            if self.rng is not None:
                value = round((value / DIVISION + self.rng.normal(0, 0.15)) / 0.2) * 0.2 * DIVISION
        what, panel, which = place
        body = {"what": what, "panel": panel, "which": which, "phase": phase, "text": f"{value:.6f}"}
        self.book.add(Draft(self.book.work, "panel-reading", {**body, "value": value, "u": u}))

    def read(self, phase=FOUND, wrong=None):
        for place in wanted_places(self.result().book, phase):
            self.see(place, phase, 0.0 if wrong is None or place != wrong[0] else wrong[1])
        return self.result()

    def move(self, result, error=0.0):
        corners = [(IN, IN), (LONG - IN, IN), (IN, WIDE - IN), (LONG - IN, WIDE - IN)]
        plane = np.array([[1.0, x, y] for x, y in corners])
        made = np.zeros(len(result.book.points))
        for i in result.to_do:
            made[i] = float(result.lifts[i])
        if self.rng is not None:
            made += (made != 0) * self.rng.normal(0, error, len(made))
        for k in range(len(self.h)):
            self.h[k] = self.h[k] + np.linalg.solve(plane.T @ plane, plane.T @ made[4 * k : 4 * k + 4])

    def end(self):
        result = self.result()
        put, leaves = result.put_in()
        body = {"put": {str(k): v for k, v in put.items()}, "leaves": {str(k): v for k, v in leaves.items()}}
        self.book.add(Draft(self.book.work, "pass", body))
        return self.result()

    def truth(self):
        """The worst step, and how far the corners are from one level."""
        steps = [abs(self.true((SEAM, id, end))) for id in self.ids[:-1] for end in (0, 1)]
        h = [self.at(k, x, y) for k in range(len(self.h)) for x in (IN, LONG - IN) for y in (IN, WIDE - IN)]
        return max(steps), np.array(h)


CROOKED = ((0.0, 2.5e-4, -1e-4), (-1e-4, -2e-4, 0.0), (1e-4, 1e-4, 2e-4))


def test_heights_of_all_points_come_out_of_tilts_and_steps_to_the_last_digit():
    table = Table(CROOKED)
    result = table.read()
    h = result.body.heights[np.array(result.top.feet)]
    expected = [
        table.at(k, x, y)
        for k in range(3)
        for x, y in ((IN, IN), (LONG - IN, IN), (IN, WIDE - IN), (LONG - IN, WIDE - IN))
    ]
    assert h - h[0] == pytest.approx(np.array(expected) - expected[0], abs=1e-12)
    assert result.body.zeros["the level"] == pytest.approx(4e-5)


def test_the_highest_end_stays_and_the_order_walks_away_from_it():
    result = Table(CROOKED).read()
    stays = [result.book.points[i].name for i in result.keepers]
    assert stays == ["C 4"]  # its far right corner is the highest of all
    names = [result.book.points[i].name for i in result.to_move]
    assert [n[0] for n in names] == sorted((n[0] for n in names), reverse=True)
    # Its own panel along (the far edge), then across; the next one at the seam first, the keeper's edge before the other.
    assert names[:3] == ["C 3", "C 2", "C 1"] and names[3:] == [
        "B 4",
        "B 2",
        "B 3",
        "B 1",
        "A 4",
        "A 2",
        "A 3",
        "A 1",
    ]
    assert all(result.lifts[i] > 0 for i in result.to_move)


def test_each_line_says_a_hair_high_and_drawn_down_and_the_last_of_a_panel_is_the_target_itself():
    table = Table(CROOKED)
    result = table.read()
    high, down = result.shown_after[result.to_move[0]]
    assert result.instructions[result.to_move[0]].then == "draw it down"
    # C 3 is the far left corner: a hair (0.1 mm) more there raises the tilt across by half a hair over the span of the points.
    assert result.watched_at[result.to_move[0]][0] == ACROSS
    assert high - down == pytest.approx(1e-4 / 2 / (WIDE - 2 * IN))
    # Once a panel's last point is drawn down its tilt is level: the level shows its own error.
    last = {result.book.points[i].row: i for i in result.to_move}
    for i in last.values():
        assert result.shown_after[i][1] == pytest.approx(4e-5, abs=2e-9)
    table.move(result)
    worst, h = table.truth()
    assert worst < 1e-9 and np.ptp(h) < 1e-9


def test_a_panel_that_was_not_read_is_named_and_no_number_is_given():
    table = Table(CROOKED)
    for place in wanted_places(table.result().book, FOUND)[:6]:
        table.see(place, FOUND)
    result = table.result()
    assert result.body is None and "how C lies" in result.unread.message


def test_a_reading_that_contradicts_all_others_is_named_with_its_place():
    for wrong in ((SEAM, 0, 1), (ALONG, 0, 1), (OVER, 1, 1)):
        table = Table(CROOKED)
        place = (wrong[0], table.ids[wrong[1]], wrong[2])
        by = 4e-4 if wrong[0] == SEAM else 3e-4
        result = table.read(wrong=(place, by))
        said = titles(what_is_said("panels", result, "Readings"))
        (named,) = [title for title in said if "contradicts the rest" in title]
        assert result.where(place) in named, (wrong, said)
        # What nothing else bears witness of is named with what it might as well be.
        assert named.startswith("It contradicts") == (wrong[0] == SEAM), named
    said = titles(what_is_said("panels", Table(CROOKED).read(), "Readings"))
    assert not [t for t in said if "contradicts the rest" in t]


def test_a_panel_that_rocks_holds_nothing_until_it_is_read_again():
    table = Table(CROOKED)
    table.read()
    body = {"what": ROCKS, "panel": table.ids[1], "which": 0, "phase": FOUND, "text": "rocks"}
    table.book.add(Draft(table.book.work, "panel-reading", {**body, "value": 0.0, "u": 0.0}))
    assert "B rocks" in titles(what_is_said("panels", table.result(), "Readings"))
    for place in (
        (ALONG, table.ids[1], 1),
        (ACROSS, table.ids[1], 1),
        (OVER, table.ids[1], 1),
        (SEAM, table.ids[1], 0),
        (SEAM, table.ids[1], 1),
    ):
        table.see(place, FOUND)
    assert "B rocks" not in titles(what_is_said("panels", table.result(), "Readings"))


def test_later_it_is_told_whether_frame_or_panel_moved():
    for what, says in (
        ("frame", "The frame moved, and the panels with it"),
        ("panel", "A panel moved on the frame: seam A – B"),
        ("", "Nothing moved since the visit before"),
    ):
        table = Table(((0, 0, 0), (0, 0, 0), (0, 0, 0)))
        table.read()
        table.book.add(Draft(table.book.work, "visit", {}))
        if what == "frame":  # it bends at the seams, where the panels stay together
            table.h = [
                np.array([0.0, 3e-4, 0.0]),
                np.array([3.6e-4, 0.0, 0.0]),
                np.array([3.6e-4, -3e-4, 0.0]),
            ]
        elif what == "panel":
            table.h[0] = np.array([0.0, -3e-4, 0.0])
        said = titles(what_is_said("panels", table.read(), "Readings"))
        assert says in said, (what, said)


def test_a_frame_is_packed_to_its_highest_leg_and_only_so_finely_as_is_needed():
    table = Table(CROOKED)
    book = table.book
    for fact, value in (("legs", 3.0), ("legs_span", 1.5), ("legs_apart", 0.8)):
        book.add(Draft(book.work, "body-fact", {"fact": fact, "text": str(value), "value": value}))
    for (what, k), tilt in zip(table.result().book.frame.places, (2e-3, -4e-3, 1e-3, 0.0, 0.0), strict=True):
        body = {"what": what, "at": k, "phase": FOUND, "text": "x", "tilt_rad": tilt}
        book.add(Draft(book.work, "frame-reading", body))
    result = table.result()
    frame = result.book.frame
    assert frame.heights(FOUND) == pytest.approx(np.array([[0, 0.8e-3], [3e-3, 3e-3], [-3e-3, -3e-3]]))
    assert frame.packing(FOUND)[2] == pytest.approx([6e-3, 6e-3])
    said = {f.title: f for f in what_is_said("panels", result, "Set-up")}
    assert said["The frame is within 6.0 mm"].verdict == "open"  # 6 mm against 5 that can be taken up, ± 2
    assert "The frame has a belly of 4.3 mm, up" in said


@pytest.mark.parametrize("panels", [2, 3, 4])
def test_made_up_tops_come_in_without_a_step_and_the_stated_u_covers(panels):
    """Four u of one reading over the panel is allowed, or the nail. 10 tops a case, less three binomial σ; judged by how they truly lie."""
    good, held, seen, stepless, proven, n = 0, 0, 0, 0, 0, 10
    for seed in range(n):
        rng = np.random.default_rng([panels, seed])
        planes = [(rng.normal(0, 1.5e-4), *rng.normal(0, 2e-4, 2)) for _ in range(panels)]
        table = Table(planes, float(rng.normal(0, 5e-5)), rng, names="ABCD")
        result = table.read()
        feet, c = np.array(result.top.feet), result.body.covariance
        _, true = table.truth()
        order = [table.at(k, x, y) for k in range(panels) for y in (IN, WIDE - IN) for x in (IN, LONG - IN)]
        h, true = result.body.heights[feet], np.array(order)
        i = len(h) - 1
        U = 2 * math.sqrt(c[feet[i], feet[i]] + c[feet[0], feet[0]] - 2 * c[feet[i], feet[0]])
        held, seen = held + (abs((h[i] - h[0]) - (true[i] - true[0])) <= U), seen + 1
        keeper = result.book.points[result.aim.keeper]
        table.book.add(Draft(table.book.work, "keeper", {"point": keeper.id, "name": keeper.name}))
        for _ in range(2):
            if not result.to_do:
                break
            table.move(result, 1e-5)
            table.read(LEFT)
            result = table.end()
        worst, h = table.truth()
        k = next(k for k, p in enumerate(result.book.points) if p.id == keeper.id)
        row = [table.at(m, x, y) for m in range(panels) for y in (IN, WIDE - IN) for x in (IN, LONG - IN)]
        allowed = max(4 * result.book.u_tilt * LONG * math.sqrt(panels), NAIL)
        good += float(np.abs(np.array(row) - row[k]).max()) <= allowed
        if all(seam.verdict == "in" for seam in result.seams(FOUND)):
            proven += 1
            stepless += worst <= 2 * NAIL
    print(panels, good, held, seen, stepless, proven)
    assert good / n >= 0.95 - 3 * math.sqrt(0.95 * 0.05 / n)
    assert held / seen >= 0.93 - 3 * math.sqrt(0.93 * 0.07 / seen)
    assert proven >= 0.6 * n and stepless >= proven - 1


# --- at the desk


@pytest.fixture
def desk(tmp_path):
    with JobFile.create(tmp_path / "t.keel", "Mill", "Ada", decimal_mark=".") as file:
        new = Draft(0, "work", {"name": "Table", "type": "panels", "unit": "m"})
        work = file.record([new, *trade("panels").begins("m")])[0].id
        yield desk_for(file, work)


def panels(desk, names="AB"):
    for row, name in enumerate(names):
        take(desk.sheets("Set-up")[0], row, 0, name)
        if not row:
            take(desk.sheets("Set-up")[0], row, 1, "1.2")
            take(desk.sheets("Set-up")[0], row, 2, "0.9")


def test_from_panels_to_proof_at_the_desk_by_typing_alone(desk):
    assert desk.next("Instrument").title == "Next: which panels it is made of"
    panels(desk)
    assert [p.name for p in desk.book.points] == [f"{n} {k}" for n in "AB" for k in (1, 2, 3, 4)]
    assert desk.book.points[0].id == desk.book.panels[0].id * MANY + 1
    assert desk.next("Readings").title == "Next: lay the level: A along"
    # A lies level; B falls away to the right by 0.2 mm/m, flush at the seam.
    for text in ("0", "0", "0", "flush", "flush", "-4", "0", "-2"):
        sheet = desk.sheets("Readings")[0]
        take(sheet, *sheet.first(), text)
    assert desk.result.gradient(desk.book.panels[1], FOUND) == pytest.approx((-2e-4, 0.0), abs=1e-6)
    desk.acknowledge(desk.cautions("Moves")[0])
    sheet = desk.sheets("Moves")[0]
    rows = [sheet.cell(row, 0).text.split(" ", 1)[1] for row in range(len(desk.result.to_move))]
    assert [row.strip() for row in rows] == ["B 2", "B 4"]  # those at the seam stand as A does
    stops = [sheet.cell(row, 3).text for row in range(2)]
    assert [stop.split(":")[0] for stop in stops] == ["B across", "B along"]
    assert all(", then" in stop for stop in stops)
    while desk.result.to_do:
        desk.record(*desk.books(desk.result.to_do[0]))
    assert desk.next("Moves").title == "Next: lay the level: A along, as left"
    for text in ("0", "0", "0", "flush", "flush", "0", "0", "0"):
        sheet = desk.sheets("Proof")[0]
        take(sheet, *sheet.first(), text)
    assert desk.state() == ("in", "8 fixing points · all proven in") or desk.state()[0] == "in"
    for stage in ("Instrument", "Set-up", "Readings", "Target", "Moves", "Proof", "Record"):
        for view in range(max(1, len(desk.views(stage)))):
            assert desk.picture(stage, view, 740, 300).items


def test_a_seam_that_steps_keeps_a_top_from_being_proven_in(desk):
    panels(desk)
    for phase in (FOUND, LEFT):
        for text in ("0", "0", "0", "0.15", "0.15", "0", "0", "2.5"):
            sheet = desk.sheets("Readings" if phase == FOUND else "Proof")[0]
            take(sheet, *sheet.first(), text)
        if phase == FOUND:
            wide = {"text": "0.5", "unit": "mm", "m": 5e-4, "step_m": 1e-4}
            desk.record(Draft(desk.work, "limits", {"tolerance": wide}))
    assert desk.state()[0] != "in"
    assert [s.verdict for s in desk.result.seams(LEFT)] == ["out"]


@pytest.mark.parametrize(
    ("row", "text", "says"),
    [
        (0, "31", "marked to 20 divisions"),
        (3, "40 mm", "no step between panels"),
        (3, "rocks", "no seam does"),
        (0, "0.5 mm", "tilt"),
    ],
)
def test_what_no_level_and_no_finger_says_is_refused_in_its_cell(desk, row, text, says):
    panels(desk)
    before = len(desk.file.journal.entries)
    with pytest.raises(KeelError, match=says):
        desk.sheets("Readings")[0].accept(row, 1, text)
    assert len(desk.file.journal.entries) == before


def test_a_name_twice_a_size_of_no_panel_and_a_grid_of_one_are_refused(desk):
    panels(desk)
    sheet = desk.sheets("Set-up")[0]
    for place, text in (((1, 0), "a"), ((0, 1), "1200"), ((0, 3), "1 x 2"), ((0, 3), "many")):
        with pytest.raises(KeelError):
            sheet.accept(*place, text)
    take(sheet, 0, 3, "3x2")
    assert len([p for p in desk.book.points if p.row == "A"]) == 6


def test_a_stand_in_of_a_top_is_read_driven_and_comes_in(desk):
    panels(desk, "ABC")
    practice = desk_for(desk.file, desk.practise().work)
    practice.go("answer")
    assert practice.result.body is not None
    practice.acknowledge(practice.cautions("Moves")[0])
    for _ in range(5):
        if not practice.result.to_do:
            break
        practice.go("answer")
        if set(practice.result.left_verdicts) == {"in"}:
            break
        practice.another_round()
    assert practice.state()[0] == "in" or not practice.result.to_do
