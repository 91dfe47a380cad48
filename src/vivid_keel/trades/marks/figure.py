"""Carried marks in elevation and plan: the line, slabs, tops and designs; and the order of carrying."""

from __future__ import annotations

import math

from vivid_keel.core.quantities import LengthStyle, is_missing, show_length, show_piece
from vivid_keel.figures.display import Picture
from vivid_keel.figures.measure import text_width
from vivid_keel.trades.marks.carry import Carried
from vivid_keel.trades.marks.result import MarksResult


def elevation(result: MarksResult, width: float, height: float, focus: int = -1) -> Picture:
    """Return the columns in a row with the carried line, their slabs, tops and designed heights; heights to scale."""
    picture = Picture(width, height)
    b, style = result.book, result.book.style
    if b.reference is None or not result.carried:
        picture.text(
            width / 2,
            height / 2,
            "A mark, its height, and the columns it is carried to: enter them under Set-up.",
            "muted",
            15,
            align="centre",
        )
        return picture
    line = b.reference.height
    tops = [
        column.mark + b.columns[i].value("top")
        for i, column in enumerate(result.carried)
        if not is_missing(b.columns[i].value("top"))
    ]
    designs = [
        b.columns[i].value("design")
        for i in range(len(b.columns))
        if not is_missing(b.columns[i].value("design"))
    ]
    slabs = [h for _, h in result.slabs]
    hi, lo = max([line + 0.4, *tops, *designs]), min([line - 0.8, *slabs])
    n = len(result.carried)
    pitch = (width - 120) / max(n, 1)
    told = [_told(column, style) for column in result.carried]
    one_line = all(text_width(" ".join(words), 14, bold=True) + 8 <= pitch for words in told)
    lines = 1 if one_line else max(map(len, told))
    top, base = 46.0 + 17 * (max(lines, 1) - 1), height - 54.0
    # The slab's unevenness is a few millimetres: drawn larger, and said so.
    mean = result.slab_mean if slabs else lo
    swell = (
        1.0
        if not slabs or is_missing(result.unevenness) or result.unevenness <= 0
        else min(25.0, 0.12 * (hi - lo) / result.unevenness)
    )

    def y(h: float) -> float:
        return base - (h - lo) / (hi - lo) * (base - top)

    ground = [
        (30.0, y(mean)),
        *[
            (
                60 + (i + 0.5) * pitch,
                y(mean + ((column.slab if column.slab is not None else mean) - mean) * swell),
            )
            for i, column in enumerate(result.carried)
        ],
        (width - 30, y(mean)),
    ]
    if 0 <= focus < n:
        picture.box(60 + focus * pitch + 2, top - 20, pitch - 4, height - top, "lit", "")
    picture.poly([*ground, (width - 30, height - 30), (30, height - 30)], "ground", "")
    picture.poly(ground, "", "ink", 1.4, closed=False)
    for i, column in enumerate(result.carried):
        x = 60 + (i + 0.5) * pitch
        row = b.columns[i]
        wide = min(26.0, pitch * 0.4)
        head = y(column.mark + row.value("top")) if not is_missing(row.value("top")) else y(line + 0.25)
        foot = ground[i + 1][1]
        picture.box(x - wide / 2, head, wide, foot - head, "wood", "ink", 1.2)
        design = row.value("design")
        if not is_missing(design):
            picture.line(x - wide, y(design), x + wide, y(design), "keel", 2.0, dash=True)
        if column.cut is not None and column.up is not None:
            over = column.cut > 0
            a, z = sorted((head, y(design)))
            picture.box(
                x - wide / 2,
                a,
                wide,
                max(z - a, 2.0),
                "leaf" if not over else "",
                "raise" if not over else "lower",
                1.4,
            )
            ink = "muted" if not column.sure else "lower" if over else "raise"
            for k, words in enumerate([" ".join(told[i])] if one_line else reversed(told[i])):
                picture.text(
                    x, top - 6 - 17 * k, words, ink, 14, bold=column.sure, align="centre", ground=True
                )
        picture.poly(
            [
                (x - wide / 2 - 9, y(column.mark)),
                (x - wide / 2 - 1, y(column.mark) - 4),
                (x - wide / 2 - 1, y(column.mark) + 4),
            ],
            "keel",
            "ink",
            0.8,
        )
        if column.slab is not None:
            off = column.slab - mean
            picture.text(
                x,
                height - 34,
                style.amount(off, 0, signed=True),
                "muted",
                13,
                align="centre",
                ground=True,
            )
        picture.text(x, height - 14, column.name, "ink", 14, bold=True, align="centre")
        picture.hit(
            x - pitch / 2,
            top,
            pitch,
            base - top,
            f"row:{i}",
            f"{column.name}: mark {show_length(column.mark, style)}",
        )
    for i, column in enumerate(result.carried):  # over the posts that stand beside
        if column.up is not None:
            x, wide = 60 + (i + 0.5) * pitch, min(26.0, pitch * 0.4)
            at = (y(column.mark) + y(b.columns[i].value("design"))) / 2 + 5
            picture.text(x + wide / 2 + 6, at, show_length(column.up, style), "ink", 13, ground=True)
    picture.line(30, y(line), width - 30, y(line), "keel", 2.6)
    picture.text(
        34, y(line) - 7, f"{b.reference.name} {show_length(line, style)}", "keel", 14, bold=True, ground=True
    )
    if slabs:
        picture.text(14, height - 14, f"slab, {style.small}", "muted", 13)
    picture.text(
        14,
        20,
        f"Heights to scale; the slab's unevenness ×{swell:.0f}" if slabs else "Heights to scale",
        "muted",
        13,
    )
    picture.caption = f"{n} columns, mark carried as a {b.order}"
    return picture


def _told(column: Carried, style: LengthStyle) -> list[str]:
    """What is done to a column's top, and by how much."""
    if column.cut is None or column.up is None:
        return []
    if not column.sure:
        return ["fits"]
    return ["cut" if column.cut > 0 else "make up", show_piece(abs(column.cut), style)]


def plan(result: MarksResult, width: float, height: float, focus: int = -1) -> Picture:
    """Return the columns in plan with the order in which the mark is carried and the tube's reach from the first."""
    picture = Picture(width, height)
    placed = [(i, column) for i, column in enumerate(result.book.columns) if column.placed]
    if len(placed) < 2:
        picture.text(
            width / 2,
            height / 2,
            "Give the columns their places in plan (Set-up, Columns), and the tube its reach.",
            "muted",
            15,
            align="centre",
        )
        return picture
    xs, ys = [c.value("x") for _, c in placed], [c.value("y") for _, c in placed]
    span = max(max(xs) - min(xs), (max(ys) - min(ys)) * (width - 160) / (height - 130), 1.0)
    scale = (width - 160) / span
    cx, cy = (max(xs) + min(xs)) / 2, (max(ys) + min(ys)) / 2

    def at(x: float, y: float) -> tuple[float, float]:
        return width / 2 + (x - cx) * scale, (height + 6) / 2 - (y - cy) * scale

    where = {c.name: at(c.value("x"), c.value("y")) for _, c in placed}
    first = placed[0][1].name
    reach = result.book.reach
    if not is_missing(reach):
        x, y = where[first]
        r = reach * scale
        ring = [(x + r * math.cos(k / 60 * math.pi), y + r * math.sin(k / 60 * math.pi)) for k in range(121)]
        for (x1, y1), (x2, y2) in zip(ring, ring[1:], strict=False):
            if 0 < x1 < width and 26 < y1 < height - 26 and 0 < x2 < width:
                picture.line(x1, y1, x2, y2, "rule", 1.2)
        picture.text(14, height - 12, f"ring: what a tube of {reach:g} m reaches from {first}", "muted", 13)
    for k, step in enumerate(result.steps, 1):
        (x1, y1), (x2, y2) = where[step.start], where[step.to]
        length = math.hypot(x2 - x1, y2 - y1) or 1.0
        ux, uy = (x2 - x1) / length, (y2 - y1) / length
        x1, y1, x2, y2 = x1 + ux * 13, y1 + uy * 13, x2 - ux * 15, y2 - uy * 15
        ink = "keel" if step.depth == 1 else "raise"
        picture.line(x1, y1, x2, y2, ink, 2.0, dash=step.depth > 1)
        picture.poly(
            [
                (x2, y2),
                (x2 - ux * 9 - uy * 4, y2 - uy * 9 + ux * 4),
                (x2 - ux * 9 + uy * 4, y2 - uy * 9 - ux * 4),
            ],
            ink,
            ink,
        )
        picture.text(
            (x1 + x2) / 2, (y1 + y2) / 2 + 4, str(k), "ink", 13, bold=True, align="centre", ground=True
        )
    for i, c in placed:
        x, y = where[c.name]
        picture.box(x - 9, y - 9, 18, 18, "lit" if i == focus else "wood", "ink", 1.6)
        picture.text(
            x + 14,
            y - 10,
            c.name,
            "wrong" if c.name in result.out_of_reach else "ink",
            14,
            bold=True,
            ground=True,
        )
        picture.hit(x - 14, y - 14, 28, 28, f"row:{i}", c.name)
    picture.text(
        14, 20, "Order of carrying: solid straight from the first mark, dashed from another", "muted", 13
    )
    picture.caption = f"{len(result.steps)} carryings planned"
    return picture
