"""Where the points of a piece of ground lie, told by two distances or by a walk round that is closed and squared up."""

from __future__ import annotations

import math

import pytest

from tests.saying import take
from tests.trades.ground.test_ground import KEY
from vivid_keel.core.errors import KeelError
from vivid_keel.core.record.entries import Draft
from vivid_keel.files import JobFile
from vivid_keel.trades.registry import desk_for


@pytest.fixture
def desk(tmp_path):
    with JobFile.create(tmp_path / "job.keel", "Mill", "Ada", decimal_mark=".") as file:
        (work,) = file.record([Draft(0, "work", {"name": "Yard", "type": KEY, "unit": "m"})])
        yard = desk_for(file, work.id)
        for row, name in enumerate(("pump", "gate", "well", "shed")):
            take(yard.sheets("Readings")[0], row, 0, name)
            take(yard.sheets("Readings")[0], row, 3, "0.5")
        yield yard


def sides(desk):
    sheet = desk.sheets("Readings")[-1]
    assert sheet.name == "Sides"
    return sheet


def test_a_place_is_typed_by_two_distances_with_its_side(desk):
    points = lambda: desk.sheets("Readings")[0]  # noqa: E731
    take(points(), 1, 1, "5")
    with pytest.raises(KeelError, match="on which side of the way from pump to gate"):
        points().accept(2, 1, "3 from pump, 4 from gate")
    with pytest.raises(KeelError, match="there is no other point gatepost"):
        points().accept(2, 1, "3 from pump, 4 from gatepost, left")
    assert take(points(), 2, 1, "3 from pump, 4 from Gate, left") == (2, 3)
    well = desk.book.points[2]
    assert (well.x, well.y) == (pytest.approx(1.8), pytest.approx(2.4))
    assert desk.file.journal.entries[well.id].body["tie"] == "3 from pump, 4 from Gate, left"
    take(points(), 2, 1, "1.9")  # typed otherwise, it is tied no more
    assert "tie" not in desk.file.journal.entries[desk.book.points[2].id].body


def test_a_yard_paced_round_is_squared_up_and_its_places_taken(desk):
    for row, long in enumerate(("8.1", "5.0", "7.9", "5.1")):
        assert take(sides(desk), row, 2, long) == (row, 3)
        assert take(sides(desk), row, 3, "sq" if row else "square") == ((row + 1) % 4, 2)
    walk = desk.result.walk
    assert walk.missed == pytest.approx(math.hypot(0.2, 0.1))
    # Both long sides become one, each weighed by its own hundredth: (8.1/8.1² + 7.9/7.9²)/(1/8.1² + 1/7.9²) = 7.9975.
    assert sides(desk).cell(0, 4).text == "7.998" and sides(desk).cell(0, 5).text == "−102"
    said = {f.title: f for f in desk.findings("Readings")}
    assert "misses its beginning by 0.224 m" in said["The edge was walked round"].text
    there = desk.go("places")
    assert there.stage == "Readings" and desk.result.tin is not None
    (x, y) = desk.book.xy[2]
    assert (x, y) == (pytest.approx(8.0, abs=0.002), pytest.approx(5.05, abs=0.002))
    assert desk.result.book.points[0].read == 0.5  # what was read stays
    assert "The edge was walked round" not in {f.title for f in desk.findings("Readings")}


def test_a_walk_that_comes_back_to_nothing_is_told(desk):
    for row, (long, corner) in enumerate(
        (("8", "square"), ("5", "square"), ("8", "square right"), ("5", "90"))
    ):
        take(sides(desk), row, 2, long)
        take(sides(desk), row, 3, corner)
    said = {f.title: f.text for f in desk.findings("Readings")}
    assert "It turns by 180° in all" in said["The sides are no walk round"]
    assert [sides(desk).cell(row, 3).text for row in (2, 3)] == ["square right", "90°"]


@pytest.mark.parametrize(
    ("column", "text", "says"),
    [
        (2, "0", "above 0"),
        (2, "abc", "not a length"),
        (3, "squarish", "not a number"),
        (3, "270", "by so much"),
        (3, "square up", "expected square"),
    ],
)
def test_what_is_no_side_is_refused_in_its_cell(desk, column, text, says):
    with pytest.raises(KeelError, match=says):
        sides(desk).accept(0, column, text)


@pytest.mark.parametrize("form", ["landxml", "geojson"])
def test_a_surface_written_is_brought_in_again_and_kept_to_the_byte(desk, form):
    from vivid_keel.exchange.surface_out import surface_geojson, surface_landxml
    from vivid_keel.trades.ground.face import drawn

    for row, (x, y) in enumerate(((0, 0), (8, 0), (8, 5), (0, 5))):
        take(desk.sheets("Readings")[0], row, 1, str(x))
        take(desk.sheets("Readings")[0], row, 2, str(y))
    raw = {"landxml": surface_landxml, "geojson": surface_geojson}[form](drawn(desk)).encode()
    (work,) = desk.file.record([Draft(0, "work", {"name": "Again", "type": KEY, "unit": "m"})])
    again = desk_for(desk.file, work.id)
    again.record(*again.brought("Readings", f"yard.{form}", raw))
    assert sorted(map(tuple, again.book.cloud.tolist())) == sorted(
        (*p, -0.5) for p in ((0, 0), (8, 0), (8, 5), (0, 5))
    )
    assert desk.file.source_of(again.book.clouds[0][0]) == raw


def test_coordinate_points_in_feet_are_metres_here():
    from vivid_keel.core.record.bulk import describe, read_columns
    from vivid_keel.exchange.point_list import mapping_of

    raw = (
        b'<?xml version="1.0"?><LandXML><Units><Imperial linearUnit="foot"/></Units>'
        b'<CgPoints><CgPoint name="1">10 20 3</CgPoint><CgPoint>1 2</CgPoint></CgPoints></LandXML>'
    )
    columns = read_columns(raw, mapping_of(raw))
    assert [float(columns[key][0]) for key in "xyz"] == pytest.approx([6.096, 3.048, 0.9144])
    assert describe(raw, mapping_of(raw))["bytes"] == len(raw)


@pytest.mark.parametrize(
    ("raw", "says"),
    [
        (b"<LandXML><P>1 2 3</LandXML>", "no well-formed landxml"),
        (b"<LandXML><Q>1 2 3</Q></LandXML>", "no point with a height"),
        (b"<LandXML><P>1 2 high</P></LandXML>", "something else than three numbers"),
        (b'{"type": "FeatureCollection"}', "something else than three numbers"),
        (b'{"type": "FeatureCollection", "features": [', "no well-formed geojson"),
        (
            b'{"type": "Feature", "geometry": {"type": "Point", "coordinates": [1, 2]}}',
            "no point with a height",
        ),
        (
            b'{"type": "Feature", "geometry": {"type": "Point", "coordinates": [1, 2, 1e999]}}',
            "something else than three numbers",
        ),
        (
            b'{"type": "Feature", "geometry": {"type": "Point", "coordinates": [8.1, 47.2, 3]}}',
            "are they degrees",
        ),
        (
            b'{"type": "Feature", "geometry": {"type": "Point", "coordinates": [1, 2, %s]}}' % (b"9" * 400),
            "something else than three numbers",
        ),
        (
            b'<?xml version="1.0" encoding="klingon-1"?><LandXML><P>1 2 3</P></LandXML>',
            "no well-formed landxml",
        ),
    ],
)
def test_what_holds_no_points_is_refused(desk, raw, says):
    with pytest.raises(KeelError, match=says):
        desk.brought("Readings", "x", raw)


@pytest.mark.parametrize("apart", ["1e-320", "1e-200", "1e-5"])
def test_points_that_all_lie_in_one_place_are_refused_and_some_among_others_are_one(desk, apart):
    near = "".join(f"{i * float(apart):.400g} {j * float(apart):.400g} 1.0\n" for i in (0, 1) for j in (0, 1))
    with pytest.raises(KeelError, match="within a millimetre"):
        desk.brought("Readings", "x.xyz", near.encode())
    more = near + "8 0 1.1\n8 5 1.2\n0 5 1.1\n"
    desk.record(*desk.brought("Readings", "x.xyz", more.encode()))
    assert len(desk.book.cloud) == (4 if float(apart) < 1e-6 else 7)
    assert all(desk.findings(stage) is not None for stage in desk.stage_names)


def test_no_name_is_run_by_a_spreadsheet(desk):
    from vivid_keel.exchange.csv_lines import parted
    from vivid_keel.trades.ground.face import ground_csv

    take(desk.sheets("Readings")[0], 0, 0, "=1+1")
    line = ground_csv(desk.result).splitlines()[1]
    assert line.startswith("'=1+1,") and parted(line, ",")[0] == "=1+1"


def test_points_without_places_are_asked_for_them_and_a_walk_offers_its_own(desk):
    assert desk.next("Readings").title == "Next: where does gate lie?"
    for row, long in enumerate(("8", "5", "8", "5")):
        take(sides(desk), row, 2, long)
        take(sides(desk), row, 3, "square")
    assert desk.next("Readings").key == "places"
    desk.go("places")
    assert desk.next("Readings").key == "plane" and desk.result.unplaced == []
