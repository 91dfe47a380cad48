"""The section of a run as DXF: metres across, metres up, by layer."""

from __future__ import annotations

import io
import math

from vivid_keel.core.booking.layout import BS, FS
from vivid_keel.core.quantities import is_missing, show_length
from vivid_keel.trades.run.result import RunResult

STEP = 15.0
"""Sight taken where no distance was booked [m]."""
LAYERS = (("GROUND", 8), ("STAFFS", 7), ("SIGHT_LINES", 6), ("SETUPS", 5), ("MARKS", 3))


def section_dxf(result: RunResult) -> str:
    """Return the section as the text of a DXF file (R2010).

    x runs in order of walking, by the lengths of the sights where they were booked and by 15 m where
    not; y is the height as corrected. Layers: GROUND, STAFFS, SIGHT_LINES, SETUPS, MARKS.
    """
    import ezdxf
    from ezdxf import units

    made = ezdxf.new("R2010", setup=False)  # type: ignore[attr-defined]
    made.units = units.M
    space = made.modelspace()
    for name, colour in LAYERS:
        made.layers.add(name, color=colour)
    places = stations(result)
    ground = [(x, result.corrected(row)) for row, x in places.items() if result.book.rows[row].reading >= 0]
    ground = [(x, h) for x, h in ground if not is_missing(h)]
    if len(ground) > 1:
        space.add_lwpolyline(ground, dxfattribs={"layer": "GROUND"})
    layout, said = result.layout, set()
    for s in range(layout.setups):
        rows = [
            row
            for row in places
            if result.book.rows[row].setup == s and not is_missing(result.corrected(row))
        ]
        if not rows:
            continue
        line = result.corrected(rows[0]) + float(result.reduction.readings[result.at[rows[0]]])
        xs = [places[row] for row in rows]
        space.add_line((min(xs), line), (max(xs), line), dxfattribs={"layer": "SIGHT_LINES"})
        space.add_point(((min(xs) + max(xs)) / 2, line), dxfattribs={"layer": "SETUPS"})
        for row in rows:
            height = result.corrected(row)
            mark = result.book.rows[row].mark
            space.add_line((places[row], height), (places[row], line), dxfattribs={"layer": "STAFFS"})
            if (mark, round(places[row], 3)) not in said:
                said.add((mark, round(places[row], 3)))
                words = f"{mark} {show_length(height, result.book.style).replace('−', '-')}"
                space.add_text(words, height=0.12, dxfattribs={"layer": "MARKS"}).set_placement(
                    (places[row], height - 0.2)
                )
    out = io.StringIO()
    made.write(out)
    return out.getvalue()


def stations(result: RunResult) -> dict[int, float]:
    """Return where each sight stands along the way [m], by row of the book."""
    book, layout, d = result.book, result.layout, result.distances
    out: dict[int, float] = {}
    at = 0.0
    for s in range(layout.setups):
        sights = [i for i in range(len(layout.kinds)) if layout.setup[i] == s]
        back = next((i for i in sights if layout.kinds[i] == BS), -1)
        fore = next((i for i in sights if layout.kinds[i] == FS), -1)
        behind = _length(d, back)
        ahead = _length(d, fore)
        n = len(sights)
        for k, i in enumerate(sights):
            share = k / (n - 1) if n > 1 else 0.0
            out[book.sights[i]] = at + share * (behind + ahead)
        at += behind + ahead
    return out


def _length(d, i: int) -> float:  # type: ignore[no-untyped-def]
    value = float(d[i]) if i >= 0 else math.nan
    return STEP if is_missing(value) else value
