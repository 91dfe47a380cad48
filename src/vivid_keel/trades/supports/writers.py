"""Supports for other programs: a line per support as CSV; plan and elevations as DXF by layer."""

from __future__ import annotations

import io

import numpy as np

from vivid_keel.core.proof import VERDICT_WORDS
from vivid_keel.core.quantities import is_missing, show_length
from vivid_keel.exchange.csv_lines import written
from vivid_keel.trades.supports.result import SupportsResult

HEADER = (
    "post",
    "row",
    "along m",
    "across m",
    "scale",
    "as found",
    "move mm",
    "packing mm or by hand",
    "jack to",
    "finish at",
    "order",
    "as left",
    "off mm",
    "U mm",
    "verdict",
)


def supports_csv(result: SupportsResult) -> str:
    """Return the supports as CSV: as read, moves, packing, as left; decimal points, millimetres where said."""
    rounds = [
        f"round {n} {what}"
        for n in range(1, len(result.book.passes) + 1)
        for what in ("put in mm", "read after")
    ]
    rows: list[list[object]] = [[*HEADER, *rounds]]
    style = result.book.style
    order = {i: n for n, i in enumerate(result.to_move, 1)}
    for i, point in enumerate(result.book.points):
        first = result.first_to(i)
        left = point.left is not None and not is_missing(result.left[i])
        rows.append(
            [
                point.name,
                point.row,
                f"{point.x:g}",
                f"{point.y:g}",
                point.sense,
                point.first.text if point.first else "",
                _mm(float(result.moves[i])) if i in order else "0" if point.found else "",
                result.in_words(i) if i in order else "",
                show_length(first, style).replace("−", "-") if not is_missing(first) else "",
                show_length(result.stop_at(i), style).replace("−", "-")
                if point.found and result.trouble is None
                else "",
                order.get(i, ""),
                point.left.text if point.left else "",
                _mm(result.deviation_left(i)) if left else "",
                _mm(2 * float(result.u_left[i])) if left else "",
                VERDICT_WORDS.get(result.left_verdicts[i], ""),
                *_rounds(result, point.id),
            ]
        )
    return written(rows)


def _rounds(result: SupportsResult, point: int) -> list[str]:
    """What each finished round put in at a point, and what was read after it."""
    out = []
    for done in result.book.passes:
        after = done.after.get(point)
        out += [_mm(done.put.get(point, 0.0)), after.text if after else ""]
    return out


def _mm(value: float) -> str:
    return "" if is_missing(value) else f"{value * 1000:.2f}"


SWELL = 100.0
"""Deviations of the elevations are drawn so many times larger; the layer's name says so."""


def supports_dxf(result: SupportsResult) -> str:
    """Return plan and elevations as DXF: metres, layers by what they show."""
    import ezdxf

    drawing = ezdxf.new("R2010", units=6)  # type: ignore[attr-defined]
    space = drawing.modelspace()
    for name, colour in (
        ("PLAN", 7),
        ("NAMES", 7),
        ("MOVES-MM", 5),
        ("ORDER", 3),
        ("TARGET", 6),
        (f"ELEVATION-X{SWELL:.0f}", 4),
    ):
        drawing.layers.add(name, color=colour)
    points = result.book.points
    order = {i: n for n, i in enumerate(result.to_move, 1)}
    for i, point in enumerate(points):
        space.add_lwpolyline(
            [
                (point.x - 0.15, point.y - 0.15),
                (point.x + 0.15, point.y - 0.15),
                (point.x + 0.15, point.y + 0.15),
                (point.x - 0.15, point.y + 0.15),
            ],
            close=True,
            dxfattribs={"layer": "PLAN"},
        )
        space.add_text(point.name, height=0.18, dxfattribs={"layer": "NAMES"}).set_placement(
            (point.x + 0.2, point.y + 0.2)
        )
        if i in order:
            space.add_text(
                f"{float(result.moves[i]) * 1000:+.1f}", height=0.14, dxfattribs={"layer": "MOVES-MM"}
            ).set_placement((point.x + 0.2, point.y - 0.3))
            space.add_text(str(order[i]), height=0.14, dxfattribs={"layer": "ORDER"}).set_placement(
                (point.x - 0.08, point.y - 0.07)
            )
    base = min((point.y for point in points), default=0.0) - 3.0
    for number, row in enumerate(result.book.rows):
        members = sorted(
            (i for i, point in enumerate(points) if point.row == row and not np.isnan(result.moves[i])),
            key=lambda i: points[i].x,
        )
        y0 = base - 3.0 * number
        space.add_text(row, height=0.2, dxfattribs={"layer": "NAMES"}).set_placement(
            (min((points[i].x for i in members), default=0.0) - 1.5, y0)
        )
        if len(members) > 1:
            space.add_lwpolyline([(points[i].x, y0) for i in members], dxfattribs={"layer": "TARGET"})
            space.add_lwpolyline(
                [(points[i].x, y0 - float(result.moves[i]) * SWELL) for i in members],
                dxfattribs={"layer": f"ELEVATION-X{SWELL:.0f}"},
            )
    out = io.StringIO()
    drawing.write(out)
    return out.getvalue()
