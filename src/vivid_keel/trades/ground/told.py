"""What a piece of ground comes to, as rows that outlive the program."""

from __future__ import annotations

from collections.abc import Iterator

import numpy as np

from vivid_keel.core.quantities import is_missing
from vivid_keel.core.record.journal import Journal
from vivid_keel.core.record.told import Tables, Told, told_rows
from vivid_keel.core.surface.between import heights_at
from vivid_keel.trades.ground.result import GroundResult


def told(result: GroundResult, journal: Journal) -> Tables:
    """Return every point's height, how far it lies below the plane, and the volumes and areas."""
    return Tables(told_rows(_told(result)))


def _told(result: GroundResult) -> Iterator[Told]:
    book, good = result.book, result.book.facts.values["good"]
    for k, point in enumerate(book.points):
        yield Told(point.name, "along", point.x)
        yield Told(point.name, "across", point.y)
        yield Told(point.name, "height", float(book.heights[k]), "m", good, "line − reading")
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
    yield Told("ground", "area in plan", found.area, "m²", formula="triangles between the points")
    below, above, area = result.known, result.known_above, result.known_area
    prisms = "prisms under the triangles, cut by the plane"
    yield Told("ground", "room below the plane", found.fill, "m³", below.U, prisms)
    yield Told("ground", "ground above the plane", found.cut, "m³", above.U, prisms)
    yield Told("ground", "area below the plane", found.below_area, "m²", area.U, prisms)
    yield Told(
        "ground", "deepest below the plane", result.deepest[2], "m", formula="at a corner of a triangle"
    )
