"""What a piece of ground comes to, as rows that outlive the program."""

from __future__ import annotations

from collections.abc import Iterator

import numpy as np

from vivid_keel.core.quantities import is_missing
from vivid_keel.core.record.journal import Journal
from vivid_keel.core.record.told import Rows, Tables, Told, si, told_rows
from vivid_keel.core.surface.between import heights_at
from vivid_keel.trades.ground.book import DOWN
from vivid_keel.trades.ground.result import GroundResult


def told(result: GroundResult, journal: Journal) -> Tables:
    """Return every point's height, how far it lies below the plane, and the volumes and areas."""
    more: dict[str, Rows] = {}
    if result.tin is not None and 0 < len(result.tin.pieces) <= MOST_TRIANGLES:
        corners = result.tin.pieces.reshape(len(result.tin.pieces), 9).tolist()
        head = [f"{axis}{corner}_m" for corner in (1, 2, 3) for axis in ("x", "y", "z")]
        more["triangles.csv"] = [head, *([si(value) for value in row] for row in corners)]
    return Tables(told_rows(_told(result)), more=more, rule=RULE)


MOST_TRIANGLES = 100_000
"""A surface of more triangles is told by its points alone."""
RULE = """Height of a point = height of the line above it - its reading, where it was read down from a string, a beam or a light plane. A string that was
walked round the edge and came back higher by so much lies higher by its share at each point: closing * way gone / way round, along the straight
legs between the points of the edge. Of heights the reading is the height. Plane at x, y = height at 0, 0 + along * x + across * y. Below the
plane = plane - height. triangles.csv holds the surface, three corners a line, cut off where the ground ends; a wall that stands is a step in
it. A triangle of plan area A with its corners d1, d2, d3 below the plane, those above it taken as negative: all three below hold
A (d1 + d2 + d3) / 3; where one alone is, d1, A d1 * d1 * d1 / (3 (d1 - d2) (d1 - d3)); where one alone is above, the whole (which may be
negative) less what that one is above, by the same formula. Volumes and areas are the sums; deepest is the greatest d of all corners."""


def _told(result: GroundResult) -> Iterator[Told]:
    book, good = result.book, result.book.facts.values["good"]
    for k, point in enumerate(book.points):
        yield Told(point.name, "along", point.x)
        yield Told(point.name, "across", point.y)
        if book.facts.texts["by"] == DOWN and book.was_read:
            line = float(book.heights[k]) + point.read
            yield Told(point.name, "line above it", line, formula="start + closing · way gone / way round")
        how = "line − reading" if book.facts.texts["by"] == DOWN else "as it was read"
        yield Told(point.name, "height", float(book.heights[k]), "m", good, how)
        yield Told(point.name, "below the plane", float(result.below[k]), "m", good, "plane − height")
    for (x, y, _), U in zip(result.looks, result.looks_known, strict=False):
        if result.tin is not None and not is_missing(U):
            yield Told(
                f"{x:.3f} / {y:.3f}",
                "height between the points",
                float(heights_at(result.tin, np.array([[x, y]]))[0]),
                "m",
                U,
                "triangles between the points",
            )
    if result.since is not None:
        how = f"both surfaces, cut where they cross; since {result.since.before}"
        yield Told("ground", "came since", result.since.came, "m³", result.since.U, how)
        yield Told("ground", "went since", result.since.went, "m³", result.since.U, how)
    plane, found = result.plane, result.found
    if plane is None or found is None:
        return
    yield Told("plane", "height at 0, 0", plane.height)
    yield Told("plane", "rises along", plane.gradient[0], "1")
    yield Told("plane", "rises across", plane.gradient[1], "1")
    yield Told("ground", "area in plan", found.area, "m²", formula="triangles between the points")
    below, above, area = result.known, result.known_above, result.known_area
    prisms = "prisms under the triangles, cut by the plane"
    yield Told("ground", "room below the plane", found.fill, "m³", below.U, prisms)
    yield Told("ground", "ground above the plane", found.cut, "m³", above.U, prisms)
    yield Told("ground", "area below the plane", found.below_area, "m²", area.U, prisms)
    yield Told(
        "ground", "deepest below the plane", result.deepest[2], "m", formula="at a corner of a triangle"
    )
