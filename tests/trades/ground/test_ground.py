"""A piece of ground: depths, volumes and boards are right and stay so under the hand; what is wrong is said where it is."""

from __future__ import annotations

import math
from datetime import UTC, datetime

import numpy as np
import pytest

from tests import measure_grounds
from tests.saying import take, what_is_said
from tests.trades.supports.test_works import Book, titles
from vivid_keel.core.errors import KeelError
from vivid_keel.core.record.entries import Draft
from vivid_keel.exchange.point_list import mapping_of
from vivid_keel.files import JobFile
from vivid_keel.stands.ground import height
from vivid_keel.trades.ground.book import fold_ground
from vivid_keel.trades.ground.result import work_out_ground
from vivid_keel.trades.registry import desk_for

KEY = "groundwork"


def ground(points, edge=4, plane=None, **facts):
    """A piece of ground: (x, y, height) each, the first so many round the edge; numbers typed as heights."""
    book = Book(KEY)
    said = {"by": ("heights", 1.0), **facts} | ({} if plane is None else {"plane": (str(plane), plane)})
    for fact, (text, value) in said.items():
        book.add(Draft(book.work, "ground-fact", {"fact": fact, "text": text, "value": value}))
    for k, (x, y, z) in enumerate(points):
        body = {"name": f"p{k}", "x_m": float(x), "y_m": float(y), "edge": k < edge}
        book.add(Draft(book.work, "ground-point", {**body, "reading": book.read(f"{z:.4f}", "m")}))
    return work_out_ground(fold_ground(book.journal, book.work))


def test_a_flat_yard_under_water_is_area_times_depth_and_its_boards_are_one_height():
    result = ground([(0, 0, 0), (4, 0, 0), (4, 3, 0), (0, 3, 0), (2, 1, 0)], plane=0.25)
    assert result.found.fill == pytest.approx(3.0) and result.found.below_area == pytest.approx(12.0)
    assert result.deepest[2] == pytest.approx(0.25) and not result.humps
    assert [(s.length, s.first, s.last) for s in result.sides] == [
        pytest.approx((length, 0.3, 0.3)) for length in (4.0, 3.0, 4.0, 3.0)
    ]
    said = {f.title: f for f in what_is_said(KEY, result, "Readings")}
    assert "3.00 m³ of water" in said
    assert "fills it in 4.2 h" in said["3.00 m³ of water"].text  # 3000 litres at 12 a minute


def test_a_cutting_list_packs_the_short_pieces_into_one_board():
    result = ground([(0, 0, 0), (4.4, 0, 0), (4.4, 4.1, 0), (0, 4.1, 0)], plane=0.2)
    whole, cut = result.boards  # four sides of 4.4, 4.1, 4.4, 4.1 out of boards of 3.9
    assert whole == 4 and len(cut) == 1 and sorted(cut[0]) == pytest.approx([0.2, 0.2, 0.5, 0.5])


def test_a_hump_inside_stands_dry_and_one_that_no_point_meets_is_looked_for():
    corners = [(0, 0, 0), (6, 0, 0), (6, 6, 0), (0, 6, 0)]
    result = ground([*corners, (1.0, 1.0, 0.31)], plane=0.25)
    assert [result.book.points[k].name for k in result.humps] == ["p4"]
    said = titles(what_is_said(KEY, result, "Readings"))
    assert "1 hump stands dry" in said and any(t.startswith("Look by p") for t in said)
    x, y, _ = result.looks[0]
    assert math.hypot(x - 1, y - 1) > 2.5 and min(math.hypot(x - a, y - b) for a, b, _ in corners) > 2.0


def test_each_place_to_look_is_far_from_every_point_and_from_the_ones_before():
    rng = np.random.default_rng(3)
    points = [
        (0, 0, 0),
        (20, 0, 0),
        (20, 15, 0),
        (0, 15, 0),
        *((*rng.uniform((1, 1), (8, 14)), 0) for _ in range(20)),
    ]
    looks = ground(points, plane=0.2).looks
    assert len(looks) == 3 and looks[0][0] > 10  # nothing was read in the right half
    for k, (x, y, _) in enumerate(looks):
        grid = [(a, b) for a in np.linspace(0, 20, 41) for b in np.linspace(0, 15, 31)]
        known = [(p[0], p[1]) for p in points] + [(a, b) for a, b, _ in looks[:k]]
        far = max(min(math.hypot(a - p, b - q) for p, q in known) for a, b in grid)
        assert min(math.hypot(x - p, y - q) for p, q in known) >= 0.9 * far - 0.4


def test_earth_that_falls_is_cut_and_filled_and_balances():
    result = ground(
        [(0, 0, 0.2), (10, 0, 0.0), (10, 8, 0.1), (0, 8, 0.3), (5, 4, 0.4)],
        plane=0.2,
        fall=("1", 1.0),
        **{"for": ("earth", 1.0)},
    )
    assert result.plane.gradient == pytest.approx((-0.01, 0.0))
    at = result.at_height(result.balance_height)
    assert at.book.facts.values["fills"] * at.found.cut == pytest.approx(at.found.fill, abs=1e-9)
    said = titles(what_is_said(KEY, result, "Readings"))
    assert any(t.startswith("Cut ") for t in said) and any(t.startswith("It balances at") for t in said)
    # Less earth is moved there than a hand's breadth higher or lower.
    moved = [
        max(r.found.cut * 0.9, r.found.fill)
        for r in (result.at_height(result.balance_height + d) for d in (-0.05, 0.0, 0.05))
    ]
    assert moved[1] == min(moved)


@pytest.mark.parametrize("n", [5, 7, 10])
def test_the_water_on_made_up_ground_lies_within_its_stated_u(n):
    """A seeded sample of `./run measure grounds`: 60 grounds, less three binomial σ."""
    came = [measure_grounds.one(n, 1.0, [5, n, k]) for k in range(60)]
    told, U, true, _, area, U_area, wet = np.array(came).T
    for off, within in ((told - true, U), (area - wet, U_area)):
        assert np.mean(np.abs(off) <= within) >= 0.93 - 3 * math.sqrt(0.93 * 0.07 / 60)


# --- at the desk


@pytest.fixture
def desk(tmp_path):
    with JobFile.create(tmp_path / "t.keel", "Mill", "Ada", decimal_mark=".") as file:
        work = file.record([Draft(0, "work", {"name": "Yard", "type": KEY, "unit": "m"})])[0].id
        yield desk_for(file, work)


def typed(desk, *points):
    for name, x, y, down in points:
        sheet = desk.sheets("Readings")[0]
        row = sheet.count - 1
        for column, text in enumerate((name, x, y, down)):
            take(desk.sheets("Readings")[0], row, column, text)


SQUARE = (
    ("a", "0", "0", "0.300"),
    ("b", "4", "0", "0.400"),
    ("c", "4", "4", "0.500"),
    ("d", "0", "4", "0.400"),
)


def test_from_stakes_to_boards_and_litres_by_typing_alone(desk):
    assert desk.next("Set-up").key == "points"
    typed(desk, *SQUARE)
    sheet = desk.sheets("Readings")[0]
    assert [sheet.cell(row, 4).text for row in range(4)] == ["edge"] * 4
    assert desk.next("Readings").key == "plane"
    assert desk.picture("Target", 0, 740, 300).drag.value == pytest.approx(
        -0.3
    )  # proposed: at the highest stake
    take(desk.sheets("Target")[0], 0, 1, "-0.25")
    assert desk.result.found.fill == pytest.approx(16 * 0.15)
    assert desk.state() == (
        "open",
        "2.40 m³ · 250 mm",
    )  # nothing was read inside: what lies there is in no number
    (water,) = [f for f in desk.findings("Target") if f.title == "2.40 m³ of water"]
    assert "and more: no point inside" in water.text
    assert desk.next("Target").key == "moves" and desk.next("Moves").key == "cautions"
    boards = desk.sheets("Moves")[0]
    assert [boards.cell(2, column).text for column in range(4)] == ["c", "300", "d", "200"]
    assert "1 × 3.900 + 1 cut to 0.100 m" in boards.cell(0, 5).text
    desk.acknowledge(desk.cautions("Moves")[0])
    assert desk.next("Moves").key == "record"
    for stage in desk.stage_names:
        for view in range(max(1, len(desk.views(stage)))):
            assert desk.picture(stage, view, 740, 300).items
    assert desk.report() is not None and desk.report()()


def test_the_plane_is_dragged_and_everything_follows_recorded_once(desk):
    typed(desk, *SQUARE)
    take(desk.sheets("Target")[0], 0, 1, "-0.25")
    before = len(desk.file.journal.entries)
    desk.drag(-0.2, done=False)
    assert desk.result.found.fill == pytest.approx(16 * 0.2) and len(desk.file.journal.entries) == before
    desk.drag(-0.2004, done=True)
    assert (
        desk.book.facts.values["plane"] == pytest.approx(-0.2)
        and len(desk.file.journal.entries) == before + 1
    )
    assert desk.picture("Target", 0, 740, 300).drag.value == pytest.approx(-0.2)


def test_a_place_to_look_gets_its_line(desk):
    typed(desk, *SQUARE)
    take(desk.sheets("Target")[0], 0, 1, "-0.25")
    there = desk.go("look")
    assert (there.stage, there.place) == ("Readings", (4, 3)) and desk.book.points[4].name == "L1"
    assert (desk.book.points[4].x, desk.book.points[4].y) == (2.0, 2.0) and not desk.book.points[4].edge
    assert desk.next("Readings").title == "Next: read L1"


@pytest.mark.parametrize(
    ("row", "column", "text", "says"),
    [
        (4, 0, "A", "names tell points apart"),
        (0, 1, "9000", "no yard reaches"),
        (3, 3, "400", "nothing is read so far down"),
        (0, 4, "rim", "edge or inside"),
        (0, 3, "1.2.3", "1.2.3"),
    ],
)
def test_what_no_ground_says_is_refused_in_its_cell(desk, row, column, text, says):
    typed(desk, *SQUARE)
    before = len(desk.file.journal.entries)
    with pytest.raises(KeelError, match=says):
        desk.sheets("Readings")[0].accept(row, column, text)
    assert len(desk.file.journal.entries) == before


def test_two_heights_at_one_place_are_refused_and_told_from_an_older_file(desk):
    typed(desk, *SQUARE)
    take(desk.sheets("Readings")[0], 4, 0, "wall top")
    take(desk.sheets("Readings")[0], 4, 1, "4")
    with pytest.raises(KeelError, match="c lies there already"):
        desk.sheets("Readings")[0].accept(4, 2, "4")
    said = titles(what_is_said(KEY, ground([(0, 0, 0), (4, 0, 0), (4, 0, 1), (0, 3, 0)]), "Readings"))
    assert "No surface goes through these points" in said


def test_a_string_that_comes_back_higher_is_spread_and_one_that_is_far_off_is_refused(desk):
    typed(desk, *SQUARE)
    facts = desk.sheets("Set-up")[0]
    row = next(k for k, fact in enumerate(facts.facts) if fact.key == "closing")
    take(desk.sheets("Set-up")[0], row, 1, "8")
    # Four sides of 4 m: the string climbed 2 mm on each, so each stake's ground lies higher by what it had climbed.
    assert desk.book.heights == pytest.approx([-0.3, -0.398, -0.496, -0.394])
    assert "The string comes back +8.0 mm" in titles(desk.findings("Readings"))
    take(desk.sheets("Set-up")[0], row, 1, "40")
    assert desk.book.heights == pytest.approx([-0.3, -0.4, -0.5, -0.4])
    (found,) = [f for f in desk.findings("Readings") if f.title.startswith("The string")]
    assert found.verdict == "out" and "nothing is spread" in found.text


def test_a_liquid_level_is_walked_with_drift_a_moved_base_and_a_correction(tmp_path):
    """The clock of the job tells what lay between two looks; a corrected reading stays where it was."""
    clock = [datetime(2026, 11, 27, 8, 0, tzinfo=UTC)]
    with JobFile.create(tmp_path / "h.keel", "Mill", "Ada", decimal_mark=".", clock=lambda: clock[0]) as file:
        work = file.record([Draft(0, "work", {"name": "Yard", "type": KEY, "unit": "m"})])[0].id
        desk = desk_for(file, work)

        def at(minute):
            clock[0] = datetime(2026, 11, 27, 8, minute, tzinfo=UTC)

        for row, text in ((1, "hydrostatic level"), (2, "10")):
            take(desk.sheets("Set-up")[0], row, 1, text)

        def look(text):
            take(desk.sheets("Readings")[1], len(desk.book.looks), 1, text)

        for row, (name, x, y) in enumerate((("a", "0", "0"), ("b", "4", "0"), ("c", "4", "4"))):
            for column, text in enumerate((name, x, y)):
                take(desk.sheets("Readings")[0], row, column, text)
        assert desk.next("Readings").key == "looks"
        look("0.002")
        for minute, row, text in ((10, 0, "0.320"), (20, 1, "-0.210"), (30, 2, "0.115")):
            at(minute)
            take(desk.sheets("Readings")[0], row, 3, text)
        assert desk.next("Readings").title == "Next: look at the benchmark again"
        assert {"3 not checked yet"} <= set(titles(desk.findings("Readings")))
        at(40)
        look("0.010")  # 8 mm in 40 minutes
        assert desk.book.heights == pytest.approx([10.316, 9.784, 10.107], abs=1e-8)
        take(desk.sheets("Readings")[0], 1, 3, "-0.200")  # it was misread, and is corrected at its place
        assert desk.book.heights[1] == pytest.approx(9.794, abs=1e-8)
        at(50)
        look("moved")
        take(desk.sheets("Readings")[0], 3, 0, "d")
        for column, text in ((1, "0"), (2, "4"), (3, "0.300")):
            take(desk.sheets("Readings")[0], 3, column, text)
        at(59)
        look("0.500")
        assert desk.book.hydro.void == ["d"] and math.isnan(desk.book.heights[3])
        assert "1 reading is void" in titles(desk.findings("Readings"))
        for row in range(desk.sheets("Readings")[1].count):
            assert len([desk.sheets("Readings")[1].cell(row, column) for column in range(3)]) == 3


def test_a_year_later_it_is_said_what_moved_and_what_came_and_went(desk):
    typed(desk, *SQUARE, ("m", "2", "2", "0.500"))
    take(desk.sheets("Readings")[0], 4, 4, "inside")
    visits = desk.sheets("Proof")[0]
    desk.record(*visits.enter(visits.count - 1).drafts)
    assert desk.book.missing == ["a", "b", "c", "d", "m"] and len(desk.book.earlier) == 1
    # Renamed at the new visit it isn't read again by that, and what was read before stands under its new name.
    take(desk.sheets("Readings")[0], 0, 0, "gate")
    assert math.isnan(desk.book.points[0].read) and desk.book.earlier[0].points[0].read == 0.3
    for row, text in enumerate(("0.300", "0.400", "0.500", "0.400", "0.350")):
        take(desk.sheets("Readings")[0], row, 3, text)
    # The middle rose by 150 mm: a pyramid over 16 m².
    (found,) = [f for f in desk.findings("Proof") if f.title.startswith("Since")]
    assert "800 litres came, 0 litres went" in found.title and "Moved for certain: m." in found.text
    changed = desk.sheets("Proof")[0]
    row = [changed.cell(4, column).text for column in range(len(changed.columns))]
    assert row[0] == "m" and "+150.0" in row
    desk.file.undo()
    desk.refresh()
    assert math.isnan(desk.book.points[4].read)


@pytest.mark.parametrize("by", ["down from a line", "heights", "hydrostatic level"])
def test_a_stand_in_is_read_wherever_nothing_was_read_and_is_what_it_was_made_of(desk, by):
    with pytest.raises(KeelError, match="real ground answers"):
        desk.answer()
    take(desk.sheets("Set-up")[0], 1, 1, by)
    practice = desk_for(desk.file, desk.practise().work)
    assert practice.next("Readings").key == "answer" and len(practice.book.points) == 6
    practice.go("answer")
    assert not practice.book.missing and practice.result.tin is not None
    true = [height(practice.hidden, p.x, p.y, 9.5) for p in practice.book.points]
    off = practice.book.heights - np.array(true)
    assert np.ptp(off) < 0.02  # to where its line lies, and what reading is worth
    assert not desk.book.points  # the real one stays as it was


def test_a_list_is_pasted_whole_or_not_at_all(desk):
    typed(desk, *SQUARE)
    desk.record(*desk.pasted("Readings", "name\talong\tacross\tread\ne\t1\t1\t0.45\nf\t2\t3\t0.5\n"))
    assert [(p.name, p.edge, p.read) for p in desk.book.points[4:]] == [("e", False, 0.45), ("f", False, 0.5)]
    for text, says in (
        ("g 1 1 0.3", "g lies where e does"),
        ("e 3 3 0.3", "names tell points apart"),
        ("h 3 3 x", "line 1, h"),
    ):
        with pytest.raises(KeelError, match=says):
            desk.pasted("Readings", text)
    assert desk.pasted("Set-up", "k 1 2 3") is None


def test_an_outline_that_crosses_itself_is_said_with_its_sides(desk):
    result = ground([(0, 0, 0), (4, 4, 0), (4, 0, 0), (0, 4, 0)], plane=0.2)
    (found,) = [f for f in what_is_said(KEY, result, "Readings") if f.title.startswith("No surface")]
    assert "crosses itself: its side 1 to 2" in found.text


def scan(n, seed=1):
    rng = np.random.default_rng(seed)
    xy = rng.uniform(0, 40, (n, 2)).round(3)
    z = (np.sin(xy[:, 0] / 7) * 0.3).round(3)
    return (
        xy,
        z,
        (
            "x,y,z\n" + "\n".join(f"{a},{b},{c}" for (a, b), c in zip(xy.tolist(), z.tolist(), strict=True))
        ).encode(),
    )


def test_a_file_of_points_is_kept_to_the_byte_and_lies_inside_what_was_typed(desk):
    xy, _, raw = scan(400)
    desk.record(*desk.brought("Readings", "scan.csv", raw))
    assert desk.brought("Set-up", "scan.csv", raw) is None
    (id, name, count) = desk.book.clouds[0]
    assert (name, count, desk.file.source_of(id)) == ("scan.csv", 400, raw)
    assert "400 points from scan.csv" in titles(desk.findings("Readings"))
    take(desk.sheets("Target")[0], 0, 1, "0.1")
    whole = desk.result.found
    assert whole.below_area > 700 and desk.picture("Readings", 0, 740, 300).items
    # Stakes typed by hand cut it to their outline; where one stands on a point of the file the stake's own height holds.
    take(desk.sheets("Set-up")[0], 1, 1, "heights")
    typed(
        desk,
        ("a", "5", "5", "0"),
        ("b", "35", "5", "0"),
        ("c", "35", "35", "0"),
        ("d", str(xy[0, 0]), str(xy[0, 1]), "9"),
    )
    assert desk.result.all_points == 404 and len(desk.result.tin.xyz) == 403
    assert desk.result.tin.xyz[3, 2] == 9.0


@pytest.mark.parametrize(
    ("raw", "columns", "more"),
    [
        (b"1 2 3\n4 5 6\n", {"x": 0, "y": 1, "z": 2}, {}),
        (b"P1;1,5;2,5;0,25\nP2;4;5;6\n", {"x": 1, "y": 2, "z": 3}, {"delimiter": ";", "decimal_mark": ","}),
        (
            b"point\tnorthing\teasting\televation (m)\nA\t1\t2\t3\n",
            {"x": 2, "y": 1, "z": 3},
            {"delimiter": "\t", "skip": 1},
        ),
        (b"Height,Along [m],Across [m]\n3,1,2\n", {"x": 1, "y": 2, "z": 0}, {"delimiter": ",", "skip": 1}),
        (b"1,5 2,5 3,25\n", {"x": 0, "y": 1, "z": 2}, {"decimal_mark": ","}),
    ],
)
def test_the_columns_of_a_strangers_list_are_told(raw, columns, more):
    found = mapping_of(raw)
    assert found["columns"] == columns and more.items() <= found.items()


@pytest.mark.parametrize(
    ("raw", "says"),
    [
        (b"", "empty"),
        (b"a,b,c\n1,2,3\n", "name those"),
        (b"1 2\n", "expected three"),
        (b"x,y,z\n", "under it"),
        (b"x,y,z\n1,2,high\n", "line 2"),
        (b"x,y,z\n1,2,3\n1,90000,3\n", "another unit"),
    ],
)
def test_a_list_that_can_be_none_is_refused_and_nothing_is_taken(desk, raw, says):
    before = len(desk.file.journal.entries)
    with pytest.raises(KeelError, match=says):
        desk.brought("Readings", "scan.csv", raw)
    assert len(desk.file.journal.entries) == before


def test_of_a_million_points_another_plane_is_a_workers_and_the_surface_stays(desk, monkeypatch):
    monkeypatch.setattr("vivid_keel.trades.ground.desk.HUGE", 5000)
    _, _, raw = scan(21_000)
    desk.record(*desk.brought("Readings", "scan.csv", raw))
    key, operation = desk.long_work()
    desk.long_work_done(key, operation(lambda: 20.0))
    tin, fill = desk.result.tin, desk.result.known
    desk.record(*desk.set_plane(0.1))
    assert desk.result.waits and desk.result.found is None
    key, operation = desk.long_work()
    made = operation(lambda: 20.0)
    assert made.tin is tin and "known_area" in made.__dict__ and made.plane.height == 0.1
    desk.long_work_done(key, made)
    assert desk.result.tin is tin and desk.result.found is made.found and desk.result.known != fill


def test_very_many_points_are_a_workers_and_dragging_the_plane_makes_no_surface_anew(desk):
    _, _, raw = scan(21_000)
    desk.record(*desk.brought("Readings", "scan.csv", raw))
    assert desk.result.waits and desk.result.tin is None and "being worked out" in desk.state()[1]
    assert (
        desk.busy_words.endswith("the surface is being made")
        and desk.picture("Readings", 0, 740, 300).caption
    )
    key, operation = desk.long_work()
    desk.long_work_done(key, None)  # stopped: it is said, and not begun again by itself
    assert desk.long_work() is None and "No surface goes through these points" in titles(
        desk.findings("Readings")
    )
    desk._made = None
    desk.refresh()
    key, operation = desk.long_work()
    desk.long_work_done(key, operation(lambda: 20.0))
    assert not desk.result.waits and desk.long_work() is None
    tin = desk.result.tin
    desk.record(*desk.set_plane(0.1))
    assert desk.result.tin is tin and desk.result.found.fill > 0
    whole = desk.result.found.fill
    desk.drag(0.12, done=False)
    desk.drag(0.1, done=False)  # some of the points follow the hand, and it is said
    assert len(desk.result.tin.xyz) < 0.3 * len(tin.xyz) and desk.result.plane.height == 0.1
    assert desk.result.found.fill == pytest.approx(whole, rel=0.02)
    assert ", about: " in desk.picture("Target", 1, 740, 300).caption
    desk.drag(0.12, done=True)  # let go, all of them
    assert desk.result.tin is tin and desk.result.plane.height == 0.12
    assert ", about: " not in desk.picture("Target", 1, 740, 300).caption
    take(desk.sheets("Readings")[0], 0, 0, "a")
    take(desk.sheets("Readings")[0], 0, 3, "0.3")
    assert desk.result.waits  # a point more is another surface
