"""A surface for other programs: DXF by layers, GeoJSON, LandXML; metres, as it was measured."""

from __future__ import annotations

import io
import json
from collections.abc import Sequence
from typing import TYPE_CHECKING
from xml.etree import ElementTree

import numpy as np
from msgspec import Struct

from vivid_keel.core.errors import KeelError
from vivid_keel.core.surface.contours import Contour
from vivid_keel.core.surface.tin import Tin

if TYPE_CHECKING:
    import numpy.typing as npt

    Floats = npt.NDArray[np.float64]

LANDXML = "http://www.landxml.org/schema/LandXML-1.2"
TALL = 0.2
"""Height of names in a drawing [m]."""


class Drawn(Struct, frozen=True):
    """A surface as it is written: its name, its points' names in order, the surface, its lines of one height, and the lines that it
    keeps, each with its name and its points (m, 3) [m]."""

    name: str
    points: Sequence[str]
    tin: Tin
    contours: Sequence[Contour]
    lines: Sequence[tuple[str, Floats]] = ()

    def __post_init__(self) -> None:
        if len(self.points) != self.tin.given:
            raise KeelError("bad-value", "a surface is written with a name for each of its points")

    @property
    def said(self) -> list[str]:
        """The points' names without what no file of text holds."""
        return [_plain(name) for name in self.points]

    @property
    def places(self) -> Floats:
        """Its points as they were measured (n, 3) [m]."""
        return self.tin.xyz[: self.tin.given]

    @property
    def inside(self) -> tuple[Floats, list[list[int]]]:
        """Corners of the triangles inside its outline (n, 3), and the triangles by number."""
        corners, numbers = np.unique(self.tin.pieces.reshape(-1, 3).round(6), axis=0, return_inverse=True)
        return corners, numbers.reshape(-1, 3).tolist()


def _plain(name: str) -> str:
    return "".join(ch for ch in name if ch.isprintable())


def surface_dxf(drawn: Drawn) -> str:
    """Return a drawing: points with their names, triangles, contours at their height, the outline, the lines it keeps, each on a layer of its own."""
    import ezdxf
    from ezdxf import units

    made = ezdxf.new("R2010", setup=False)  # type: ignore[attr-defined]
    made.units = units.M
    for layer, colour in (
        ("POINTS", 7),
        ("NAMES", 8),
        ("TRIANGLES", 9),
        ("CONTOURS", 30),
        ("OUTLINE", 1),
        ("BREAKLINES", 5),
    ):
        made.layers.add(layer, color=colour)
    space = made.modelspace()
    for name, place in zip(drawn.said, drawn.places.tolist(), strict=True):
        space.add_point(place, dxfattribs={"layer": "POINTS"})
        if not name:
            continue
        space.add_text(f"{name} {place[2]:.3f}", height=TALL, dxfattribs={"layer": "NAMES", "insert": place})
    for piece in drawn.tin.pieces.tolist():
        space.add_3dface([*piece, piece[2]], dxfattribs={"layer": "TRIANGLES"})
    for line in drawn.contours:
        attributes = {"layer": "CONTOURS", "elevation": line.level}
        places = line.xy[:-1] if line.closed else line.xy
        space.add_lwpolyline(places.tolist(), close=line.closed, dxfattribs=attributes)
    if drawn.tin.outline is not None:
        space.add_lwpolyline(drawn.tin.outline.tolist(), close=True, dxfattribs={"layer": "OUTLINE"})
    for hole in drawn.tin.holes:
        space.add_lwpolyline(hole.tolist(), close=True, dxfattribs={"layer": "OUTLINE"})
    for _, places in drawn.lines:
        space.add_polyline3d(places.tolist(), dxfattribs={"layer": "BREAKLINES"})
    out = io.StringIO()
    made.write(out)
    return out.getvalue()


def surface_geojson(drawn: Drawn) -> str:
    """Return a FeatureCollection: points, triangles, contours and the lines it keeps, each told by its `kind`; `frame` says that the plan is the job's own."""
    features = [
        _feature("Point", place, {"kind": "point", "name": name})
        for name, place in zip(drawn.said, drawn.places.round(5).tolist(), strict=True)
    ]
    for piece in drawn.tin.pieces.round(5).tolist():
        features.append(_feature("Polygon", [[*piece, piece[0]]], {"kind": "triangle"}))
    for line in drawn.contours:
        places = np.column_stack([line.xy, np.full(len(line.xy), line.level)]).round(5).tolist()
        features.append(_feature("LineString", places, {"kind": "contour", "height_m": round(line.level, 5)}))
    for name, way in drawn.lines:
        features.append(
            _feature("LineString", way.round(5).tolist(), {"kind": "breakline", "name": _plain(name)})
        )
    whole = {
        "type": "FeatureCollection",
        "name": drawn.name,
        "frame": "local plan of the job, metres",
        "features": features,
    }
    return json.dumps(whole, ensure_ascii=False, allow_nan=False)


def _feature(kind: str, places: object, properties: dict[str, object]) -> dict[str, object]:
    return {"type": "Feature", "geometry": {"type": kind, "coordinates": places}, "properties": properties}


def surface_landxml(drawn: Drawn) -> str:
    """Return a LandXML surface: points as northing, easting, height (across, along, up here), faces by their numbers from 1."""
    ElementTree.register_namespace("", LANDXML)
    root = ElementTree.Element(f"{{{LANDXML}}}LandXML", {"version": "1.2"})
    units = ElementTree.SubElement(root, f"{{{LANDXML}}}Units")
    metric = {"linearUnit": "meter", "areaUnit": "squareMeter", "volumeUnit": "cubicMeter"}
    ElementTree.SubElement(units, f"{{{LANDXML}}}Metric", metric)
    surfaces = ElementTree.SubElement(root, f"{{{LANDXML}}}Surfaces")
    surface = ElementTree.SubElement(surfaces, f"{{{LANDXML}}}Surface", {"name": _plain(drawn.name)})
    if drawn.lines:
        source = ElementTree.SubElement(surface, f"{{{LANDXML}}}SourceData")
        kept = ElementTree.SubElement(source, f"{{{LANDXML}}}Breaklines")
        for name, places in drawn.lines:
            said = {"brkType": "standard", "name": _plain(name)}
            one = ElementTree.SubElement(kept, f"{{{LANDXML}}}Breakline", said)
            words = " ".join(f"{y:.5f} {x:.5f} {z:.5f}" for x, y, z in places.tolist())
            ElementTree.SubElement(one, f"{{{LANDXML}}}PntList3D").text = words
    definition = ElementTree.SubElement(surface, f"{{{LANDXML}}}Definition", {"surfType": "TIN"})
    corners, triangles = drawn.inside
    points = ElementTree.SubElement(definition, f"{{{LANDXML}}}Pnts")
    for k, (x, y, z) in enumerate(corners.tolist(), 1):
        ElementTree.SubElement(points, f"{{{LANDXML}}}P", {"id": str(k)}).text = f"{y:.5f} {x:.5f} {z:.5f}"
    faces = ElementTree.SubElement(definition, f"{{{LANDXML}}}Faces")
    for triangle in triangles:
        ElementTree.SubElement(faces, f"{{{LANDXML}}}F").text = " ".join(str(k + 1) for k in triangle)
    return ElementTree.tostring(root, encoding="unicode", xml_declaration=True)
