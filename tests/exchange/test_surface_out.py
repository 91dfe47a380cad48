"""A surface that is written is read back by packages that know nothing of this program: every point, triangle and contour."""

from __future__ import annotations

import io

import ezdxf
import geojson
import numpy as np
import pytest
from lxml import etree

from vivid_keel.core.errors import KeelError
from vivid_keel.core.surface.against import areas
from vivid_keel.core.surface.contours import contours
from vivid_keel.core.surface.tin import surface
from vivid_keel.exchange.surface_out import LANDXML, Drawn, surface_dxf, surface_geojson, surface_landxml

LINES = [[0, 4, 2], [5, 6]]


@pytest.fixture(params=["whole", "outlined", "kept"])
def drawn(request):
    rng = np.random.default_rng(7)
    edge = [(0, 0, 1.0), (9, 1, 1.2), (8, 7, 0.9), (3, 3, 1.1)]
    xyz = np.array([*edge, *np.column_stack([rng.uniform(-1, 10, (30, 2)), rng.normal(1, 0.2, 30)])])
    if request.param == "kept":  # along lines on a slope, round a well
        xyz[:, 2] = 1 + 0.02 * xyz[:, 0]
        xyz = np.concatenate([xyz, [[*p, 1 + 0.02 * p[0]] for p in ((5, 3), (6, 3), (6, 4))]])
        tin = surface(xyz, [0, 1, 2, 3], LINES, [[34, 35, 36]])
    else:
        tin = surface(xyz, None if request.param == "whole" else [0, 1, 2, 3])
    lines = [("a bank <1>", tin.xyz[line]) for line in LINES] if request.param == "kept" else []
    names = [f"p {k} <&> ⅜" for k in range(len(xyz))]
    return Drawn(
        "Drying yard & <pond>\x07", names, tin, contours(tin.xyz, tin.triangles, [0.9, 1.0, 1.1]), lines
    )


def test_the_drawing_is_sound_and_holds_it_all_by_layers(drawn):
    read = ezdxf.read(io.StringIO(surface_dxf(drawn)))
    assert not read.audit().has_errors and read.units == 6
    space = read.modelspace()
    faces = np.array([[list(v) for v in f.wcs_vertices()][:3] for f in space.query("3DFACE")])
    assert areas(faces).sum() == pytest.approx(areas(drawn.tin.pieces).sum())
    places = np.array([list(p.dxf.location) for p in space.query("POINT")])
    assert places == pytest.approx(drawn.tin.xyz[: len(drawn.points)])
    kept = [[list(v.dxf.location) for v in p.vertices] for p in space.query('POLYLINE[layer=="BREAKLINES"]')]
    assert len(kept) == len(drawn.lines)
    assert all(
        got == pytest.approx(way) for got, (_, way) in zip(map(np.array, kept), drawn.lines, strict=True)
    )
    lines = space.query('LWPOLYLINE[layer=="CONTOURS"]')
    assert [line.dxf.elevation for line in lines] == [c.level for c in drawn.contours]
    assert [line.closed for line in lines] == [c.closed for c in drawn.contours]
    assert len(space.query('LWPOLYLINE[layer=="OUTLINE"]')) == (drawn.tin.outline is not None) + len(
        drawn.tin.holes
    )
    assert space.query("TEXT")[0].dxf.text.startswith("p 0 <&> ⅜ 1.000")


def test_the_geojson_is_valid_and_its_triangles_have_the_area(drawn):
    read = geojson.loads(surface_geojson(drawn))
    assert read.is_valid, read.errors()
    kinds = [one["properties"]["kind"] for one in read["features"]]
    assert kinds.count("point") == len(drawn.points) and kinds.count("contour") == len(drawn.contours)
    kept = [one for one in read["features"] if one["properties"]["kind"] == "breakline"]
    assert [one["geometry"]["coordinates"] for one in kept] == [
        way.round(5).tolist() for _, way in drawn.lines
    ]
    rings = [
        one["geometry"]["coordinates"][0]
        for one in read["features"]
        if one["properties"]["kind"] == "triangle"
    ]
    assert all(ring[0] == ring[-1] for ring in rings)
    assert areas(np.array([ring[:3] for ring in rings])).sum() == pytest.approx(
        areas(drawn.tin.pieces).sum(), rel=1e-5
    )


def test_the_landxml_is_well_formed_and_its_faces_carry_the_surface(drawn):
    root = etree.fromstring(surface_landxml(drawn).encode())
    ns = {"x": LANDXML}
    assert root.find(".//x:Surface", ns).get("name") == "Drying yard & <pond>"
    points = {p.get("id"): [float(v) for v in p.text.split()] for p in root.findall(".//x:P", ns)}
    kept = root.findall(".//x:Breakline/x:PntList3D", ns)
    ways = [np.array([float(v) for v in one.text.split()]).reshape(-1, 3)[:, [1, 0, 2]] for one in kept]
    assert len(ways) == len(drawn.lines)
    assert all(got == pytest.approx(way, abs=1e-5) for got, (_, way) in zip(ways, drawn.lines, strict=True))
    faces = [[points[k] for k in f.text.split()] for f in root.findall(".//x:F", ns)]
    pieces = np.array(faces)[:, :, [1, 0, 2]]  # northing and easting, the other way about
    assert areas(pieces).sum() == pytest.approx(areas(drawn.tin.pieces).sum(), rel=1e-5)
    volume = (areas(pieces) * pieces[:, :, 2].mean(axis=1)).sum()
    assert volume == pytest.approx(
        (areas(drawn.tin.pieces) * drawn.tin.pieces[:, :, 2].mean(axis=1)).sum(), rel=1e-5
    )


def test_names_that_are_wanting_are_refused(drawn):
    with pytest.raises(KeelError, match="a name for each"):
        Drawn(drawn.name, drawn.points[1:], drawn.tin, [])
