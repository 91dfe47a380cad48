"""Lines on a piece of ground as they are typed: breaks, walls with tops, houses, and where it is looked along."""

from __future__ import annotations

import pytest

from tests.saying import take
from tests.trades.ground.test_ground import KEY, ground
from vivid_keel.core.errors import KeelError
from vivid_keel.core.record.entries import Draft
from vivid_keel.files import JobFile
from vivid_keel.trades.registry import desk_for

CORNERS = (("a", 0, 0, "0.5"), ("b", 10, 0, "0.5"), ("c", 10, 8, "0.5"), ("d", 0, 8, "0.5"))
FOOT = (("f1", 5, 0.001, "0.5"), ("f2", 5, 4, "0.5"), ("f3", 5, 7.999, "0.5"))
HOUSE = (("h1", 7, 2, "0.5"), ("h2", 9, 2, "0.5"), ("h3", 9, 3, "0.5"), ("h4", 7, 3, "0.5"))


@pytest.fixture
def desk(tmp_path):
    """A level yard read down from a string, 500 mm under it, water 200 mm under it."""
    with JobFile.create(tmp_path / "job.keel", "Mill", "Ada", decimal_mark=".") as file:
        (work,) = file.record([Draft(0, "work", {"name": "Yard", "type": KEY, "unit": "m"})])
        yard = desk_for(file, work.id)
        sheet = yard.sheets("Readings")[0]
        for row, (name, x, y, read) in enumerate((*CORNERS, *FOOT, *HOUSE)):
            for column, text in enumerate((name, str(x), str(y), read)):
                take(yard.sheets("Readings")[0], row, column, text)
            if row >= len(CORNERS):
                take(yard.sheets("Readings")[0], row, 4, "inside")
        assert sheet.name == "Points"
        take(yard.sheets("Target")[0], 0, 1, "-0.2")
        yield yard


def line(desk, row, name, what, through):
    sheet = desk.sheets("Readings")[1]
    assert sheet.name == "Lines"
    for column, text in enumerate((name, what, through)):
        take(desk.sheets("Readings")[1], row, column, text)


def test_a_wall_is_typed_its_tops_read_and_the_water_stands_round_it(desk):
    whole = 80 * 0.3
    assert desk.result.found.fill == pytest.approx(whole)
    line(desk, 0, "wall", "w", "f1, F2; f3")
    assert desk.book.lines[0].what == "wall" and desk.book.lines[0].points == (4, 5, 6)
    assert desk.result.found.fill == pytest.approx(whole)  # no top yet: the level ground only breaks
    assert desk.next("Readings").title == "Next: the wall's top at f1"
    there = desk.go("tops")
    assert (there.stage, there.sheet) == ("Readings", 2)
    for row, top in enumerate(("0.100", "0.100", "0.100")):
        assert take(desk.sheets("Readings")[2], row, 2, top) == (min(row + 1, 2), 2)
    assert desk.sheets("Readings")[2].cell(1, 3).text == "400"
    # It stands out of the water, ten millimetres from foot to top, and slopes away behind to the far side.
    assert desk.result.found.highest == pytest.approx(0.1)
    assert desk.result.kept.names[-3:] == ["f1, top", "f2, top", "f3, top"]
    assert desk.result.kept.xyz[-3:, 0] == pytest.approx([4.99] * 3)  # left of the way along it
    assert desk.picture("Readings", 2, 740, 300).caption.startswith("wall: the ground along it, 7.998 m long")


def test_a_wall_that_stands_free_takes_only_its_own_room_from_the_water(desk):
    """Four metres of wall, 300 mm thick, out of 300 mm of water: 0.36 m³, whatever lies behind it; a terrace took 1.4 m³ for it."""
    for row, (name, y) in enumerate((("g1", 2), ("g2", 4), ("g3", 6)), 11):
        for column, text in enumerate((name, "3", str(y), "0.5")):
            take(desk.sheets("Readings")[0], row, column, text)
        take(desk.sheets("Readings")[0], row, 4, "inside")
    line(desk, 0, "garden wall", "free", "g1, g2, g3")
    assert desk.book.lines[0].thick == pytest.approx(0.24)
    take(desk.sheets("Readings")[1], 0, 3, "300")
    assert desk.next("Readings").title == "Next: the wall's top at g1"
    desk.go("tops")
    sheet = desk.sheets("Readings")[2]
    assert [c.title for c in sheet.columns][3] == "Foot behind" and sheet.cell(0, 3).hint == "as before it"
    for row in range(3):
        take(desk.sheets("Readings")[2], row, 2, "0.100")
    whole, wall = 80 * 0.3, 4 * 0.3 * 0.3
    assert desk.result.found.fill == pytest.approx(whole - wall, abs=0.02)
    assert desk.result.found.highest == pytest.approx(0.1)
    # Behind it the ground lies 100 mm lower: more water there, none of it in the wall.
    for row in range(3):
        assert take(desk.sheets("Readings")[2], row, 3, "0.600") == (min(row + 1, 2), 3)
    lower = desk.result
    assert lower.found.fill > whole - wall + 0.1
    cut = dict(zip(lower.kept.names, lower.kept.xyz[:, 2], strict=True))
    assert cut["g2, behind"] == pytest.approx(-0.6) and cut["g2, top behind"] == pytest.approx(-0.1)
    take(desk.sheets("Readings")[2], 1, 3, "")
    assert desk.book.behind.keys() == {11, 13}


def test_a_wall_read_upside_down_is_told(desk):
    line(desk, 0, "wall", "wall", "f1, f2")
    take(desk.sheets("Readings")[2], 0, 2, "0.620")
    said = {f.title: f.text for f in desk.findings("Readings")}
    assert "At f1" in said["A wall's top lies below its foot"]


def test_a_house_is_left_out_of_area_and_water(desk):
    line(desk, 0, "house", "hole", "h1, h2, h3, h4, h1")  # closed by hand, too
    assert desk.book.lines[0].points == (7, 8, 9, 10)
    assert desk.result.found.area == pytest.approx(78)
    assert desk.result.found.fill == pytest.approx(78 * 0.3)


def test_a_renamed_point_stays_on_its_line_and_a_struck_one_leaves_it(desk):
    line(desk, 0, "kerb", "break", "f1, f2, f3")
    take(desk.sheets("Readings")[0], 5, 0, "lamp")
    assert desk.sheets("Readings")[1].cell(0, 2).text == "f1, lamp, f3"
    name, entry = desk.sheets("Readings")[0].strike(5)
    desk.record(Draft(desk.work, "strike", {"reason": "pulled out"}, strikes=entry))
    assert name == "the point lamp" and desk.sheets("Readings")[1].cell(0, 2).text == "f1, f3"


@pytest.mark.parametrize(
    ("column", "text", "says"),
    [
        (2, "f1, f2x", "no point f2x; did you mean f2"),
        (2, "f1", "two points at least"),
        (2, "f1, f1, f2", "f1 stands there twice running"),
        (1, "fence", "expected break, wall, free wall, hole, look"),
        (0, "  ", "name the line"),
    ],
)
def test_what_is_no_line_is_refused_in_its_cell(desk, column, text, says):
    take(desk.sheets("Readings")[1], 0, 0, "kerb")
    before = len(desk.file.journal.entries)
    with pytest.raises(KeelError, match=says):
        desk.sheets("Readings")[1].accept(0, column, text)
    assert len(desk.file.journal.entries) == before


def test_lines_that_cross_in_the_air_are_told_by_their_names(desk):
    take(desk.sheets("Readings")[0], 6, 3, "0.300")  # f3 stands 200 mm higher
    line(desk, 0, "bank", "break", "f1, f2, f3")
    line(desk, 1, "drive", "break", "d, h4")
    said = {f.title: f.text for f in desk.findings("Readings")}
    told = said["No surface goes through these points"]
    assert "ank, drive cross at" in told and "mm one above the other" in told
    assert desk.result.found is None and desk.sheets("Readings")[1].count == 3  # what stands stays


def test_a_trench_without_a_way_out_holds_rain():
    """A pit two metres square and 300 deep in a level yard: 0.4 m³ by its pyramid, told with its depth."""
    points = [
        (0, 0, 0),
        (6, 0, 0),
        (6, 6, 0),
        (0, 6, 0),
        (2, 2, 0),
        (4, 2, 0),
        (4, 4, 0),
        (2, 4, 0),
        (3, 3, -0.3),
    ]
    (water,) = ground(points).rain
    assert water.volume == pytest.approx(4 * 0.3 / 3) and water.lowest[2] == pytest.approx(0.3)
    shallow = ground([*points[:-1], (3, 3, -0.004)])
    assert shallow.rain == []  # not more than a point's height is good for
