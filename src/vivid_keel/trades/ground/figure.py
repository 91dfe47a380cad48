"""A piece of ground from above, with the plane on it; and its edge unrolled, with ground, plane and boards."""

from __future__ import annotations

import math
from typing import TYPE_CHECKING

import numpy as np
from msgspec import Struct

from vivid_keel.core.quantities import is_missing, show_amount, show_length
from vivid_keel.core.surface.contours import Contour
from vivid_keel.figures.display import Dots, Drag, Picture, Trace
from vivid_keel.figures.labels import places
from vivid_keel.figures.measure import text_width, wrapped
from vivid_keel.figures.words import EDGE, legend, title
from vivid_keel.trades.ground.breaks import BREAK, HOLE, STANDING
from vivid_keel.trades.ground.findings import show_volume
from vivid_keel.trades.ground.result import GroundResult

if TYPE_CHECKING:
    from collections.abc import Sequence

    import numpy.typing as npt

    from vivid_keel.figures.labels import Box

    Floats = npt.NDArray[np.float64]


class At(Struct, frozen=True):
    """From the plan [m] to the picture [px]."""

    x0: float
    y0: float
    scale: float

    def __call__(self, x: float, y: float) -> tuple[float, float]:
        return self.x0 + x * self.scale, self.y0 - y * self.scale

    def all(self, xy: Floats) -> tuple[Floats, Floats]:
        """Return many places at once."""
        return self.x0 + xy[:, 0] * self.scale, self.y0 - xy[:, 1] * self.scale


MOST_PIECES = 3000
"""More triangles than this are shaded by their contours alone."""
MOST_NAMES, NARROW = 60, 420.0
"""With more points than this, or in a picture that is narrower [px], only the one in hand is named."""
MOST_DOTS = 8000
MANY_CORNERS = 20_000
"""Of lines with more corners than that those are drawn that lie apart."""
SPECK, MOST_LINES = 6.0, 1500
"""A line of one height that is shorter all round than that [px] is left out, and of more than so many the shorter ones: noise makes thousands."""
MOST_FIGURES, SHORTEST, CLEAR = 10, 60.0, 34.0
"""So many contours are told their height, none shorter than this, and none where a name stands nearer [px]."""
SHADES = ("lit", "leaf2", "leaf")
"""From shallow to deep."""


def scaled(result: GroundResult, width: float, height: float, under: float = 0.0) -> At:
    """How the ground lies in a picture; `under`: what is wanted at its foot beside one line of words [px]."""
    height -= under
    low, high = result.box
    wide = np.maximum(high - low, 1e-3)
    beside = 120 if width >= NARROW else 48
    scale = min((width - beside) / wide[0], (height - 96) / wide[1])
    x0 = (width - wide[0] * scale) / 2 - low[0] * scale
    y0 = height - 34 - (height - 82 - wide[1] * scale) / 2 + low[1] * scale
    return At(x0, y0, scale)


def plan(result: GroundResult, width: float, height: float, focus: int = -1) -> Picture:
    """Return the ground from above: how deep, its contours, where the plane meets it, what stands dry, what is to be read next."""
    picture, book = Picture(width, height), result.book
    if not book.points and not book.clouds:
        picture.text(
            width / 2,
            height / 2,
            "Name the points round the edge first: where each lies, and what is read there.",
            "muted",
            14,
            align="centre",
        )
        picture.caption = "No points yet"
        return picture
    words = _signs(result)
    at = scaled(result, width, height, 17.0 * (len(wrapped(words, width - 2 * EDGE, 13)) - 1))
    names = _named(result, at, focus, (width, height))
    _shade(picture, result, at)
    _cloud(picture, result, at)
    contoured(picture, result, at)
    _through(picture, result.water_line, result.water_lengths, at, "keel", 2.2)
    figures_of_contours(picture, result, at, names=[box for _, _, box in names])
    outlined(picture, result, at)
    _points(picture, result, at, focus)
    for k, said, box in names:
        picture.text(box[0] + 2, box[3] - 3, said, "ink", 13, bold=k == focus, ground=True)
    _look(picture, result, at)
    title(picture, _title(result))
    legend(picture, words, 12)
    picture.caption = _title(result)
    return picture


def _signs(result: GroundResult) -> str:
    """What the signs of the plan mean."""
    words = f"Contours every {show_amount(result.book.facts.values['lines'], result.book.style, 0)}"
    if result.plane is not None:
        words += " · thick: the plane meets the ground"
        words += " · deeper is darker" if result.book.water else ""
    return words + (" · 1? 2? 3?: look there" if result.looks else "")


def contoured(picture: Picture, result: GroundResult, at: At) -> None:
    """Draw the lines of one height that are longer than a speck."""
    _through(picture, result.contours, result.contour_lengths, at, "muted", 0.8)


def outlined(picture: Picture, result: GroundResult, at: At) -> None:
    """Draw where the ground ends, what is not ground, and the lines on it."""
    book = result.book
    edge = result.read_edge
    if len(edge) > 2:
        picture.poly([at(*book.xy[k]) for k in edge], "", "ink", 1.8)
    for line in book.lines:
        places = [at(*book.xy[k]) for k in line.way]
        if line.what == HOLE and len(places) > 3:
            picture.poly(places, "paper", "ink", 1.4)
        elif len(places) > 1:
            width, dash = {BREAK: (1.8, False), **dict.fromkeys(STANDING, (4.0, False))}.get(
                line.what, (1.4, True)
            )
            for (x1, y1), (x2, y2) in zip(places, places[1:], strict=False):
                picture.line(x1, y1, x2, y2, "wood" if line.what in STANDING else "ink", width, dash=dash)


def _title(result: GroundResult) -> str:
    book, found = result.book, result.found
    if result.waits:
        return f"{result.all_points} points: the surface is being made"
    if found is None and book.clouds:
        return f"From above: {result.all_points} points"
    if found is None:
        return f"From above: {len(result.read)} of {len(book.points)} points read"
    height = show_length(book.facts.values["plane"], book.style) + (", about" if result.rough else "")
    if book.water:
        return f"Water at {height}: {show_volume(found.fill, book.style)}, {show_amount(max(0.0, result.deepest[2]), book.style, 0)} at the deepest"
    return f"Earth at {height}: cut {show_volume(found.cut, book.style)}, fill {show_volume(found.fill, book.style)}"


def _shade(picture: Picture, result: GroundResult, at: At) -> None:
    tin, plane = result.tin, result.plane
    if tin is None or plane is None or not 0 < len(tin.pieces) <= MOST_PIECES:
        return
    deep = (plane.at(tin.pieces[:, :, :2]) - tin.pieces[:, :, 2]).mean(axis=1)
    most = max(float(np.abs(deep).max()), 1e-9)
    for piece, d in zip(tin.pieces, deep.tolist(), strict=True):
        shade = SHADES[min(2, int(3 * d / most))] if d > 0 else "ground" if result.book.water else "wood"
        picture.poly([at(x, y) for x, y in piece[:, :2].tolist()], shade, shade, 0.6)


def _through(
    picture: Picture, every: Sequence[Contour], lengths: Floats, at: At, ink: str, width: float
) -> None:
    """All lines but specks in one go, parted by nothing."""
    least = np.sort(lengths)[-MOST_LINES] if len(lengths) > MOST_LINES else 0.0
    lines = [every[k] for k in np.flatnonzero(lengths >= max(least, SPECK / at.scale)).tolist()]
    if not lines:
        return
    gap = np.full((1, 2), np.nan)
    x, y = at.all(np.concatenate([part for line in lines for part in (line.xy, gap)]))
    if len(x) > MANY_CORNERS:  # what lies within two pixels of the corner before can't be told from it
        moved = (np.diff(x // 2, prepend=np.nan) != 0) | (np.diff(y // 2, prepend=np.nan) != 0)
        x, y = x[moved], y[moved]
    picture.items.append(Trace(x, y, ink, width))


def figures_of_contours(
    picture: Picture, result: GroundResult, at: At, size: float = 11, names: Sequence[Box] = ()
) -> None:
    """Write the heights of the longest contours, each where its line is farthest from points, names and other figures."""
    long = result.contour_lengths * at.scale
    taken = [
        *(at(p.x, p.y) for p in result.book.points[:MOST_NAMES]),
        *(at(x, y) for x, y, _ in result.looks),
    ]
    boxes = list(names)
    for k in np.argsort(-long)[:MOST_FIGURES].tolist():
        line = np.column_stack(at.all(result.contours[k].xy))
        could = np.concatenate([line, (line[1:] + line[:-1]) / 2])[:400]
        far = (
            np.min([np.hypot(*(could - place).T) for place in taken], axis=0)
            if taken
            else np.full(len(could), np.inf)
        )
        for left, top, right, bottom in boxes:
            aside = np.maximum(np.maximum(left - could[:, 0], could[:, 0] - right), 0.0)
            above = np.maximum(np.maximum(top - could[:, 1], could[:, 1] - bottom), 0.0)
            far = np.minimum(far, np.hypot(aside, above) + CLEAR / 4)
        best = int(far.argmax())
        if long[k] > SHORTEST and far[best] > CLEAR:
            x, y = could[best].tolist()
            words = show_length(result.contours[k].level, result.book.style)
            half = text_width(words, size) / 2
            boxes.append((x - half, y - size, x + half, y + 4))
            picture.text(x, y + 4, words, "muted", size, align="centre", ground=True)


def _cloud(picture: Picture, result: GroundResult, at: At) -> None:
    """Points without names: all of them, or of very many every so manieth."""
    cloud = result.book.cloud
    some = cloud[:: max(1, -(-len(cloud) // MOST_DOTS))]
    if len(some):
        x, y = at.all(some)
        picture.items.append(Dots(x, y, ("muted",), None, 1.0))


def _points(picture: Picture, result: GroundResult, at: At, focus: int) -> None:
    book, many = result.book, len(result.book.points) > MOST_NAMES
    for k, p in enumerate(book.points):
        x, y = at(p.x, p.y)
        below = float(result.below[k])
        dry = not math.isnan(below) and below < 0 and not p.edge
        fill = "keel" if k == focus else "row" if is_missing(p.read) else "out" if dry else "paper"
        picture.disc(x, y, 3.0 if many else 5.0, fill, "keel" if is_missing(p.read) else "ink", 1.4)
        picture.hit(x - 9, y - 9, 18, 18, str(k), p.name)


def _named(result: GroundResult, at: At, focus: int, size: tuple[float, float]) -> list[tuple[int, str, Box]]:
    """Which points are named, with what, and where that stands clear of all else."""
    book, (width, height) = result.book, size
    few = len(book.points) <= MOST_NAMES and width >= NARROW
    shown = [k for k in range(len(book.points)) if few or k == focus]
    if not shown:
        return []
    middle = at(*book.xy.mean(axis=0))
    said, could = [], []
    for k in shown:
        (x, y), below = at(*book.xy[k]), float(result.below[k])
        name = book.points[k].name
        said.append(name if math.isnan(below) else f"{name} {book.style.amount(below, 0)}")
        wide = text_width(said[-1], 13, bold=k == focus) + 4
        out, away = (x >= middle[0]), (y > middle[1])
        beside = [x + 7, x - 7 - wide] if out else [x - 7 - wide, x + 7]
        level = [y, y - 17] if away else [y - 16, y]
        could.append(
            [
                (left, top, left + wide, top + 16)
                for left in (*beside, x - wide / 2)
                for top in (*level, y - 8, y + 7, y - 23)
                if left != x - wide / 2 or top in (y + 7, y - 23)
            ]
        )
    dots = [(x - 6, y - 6, x + 6, y + 6) for x, y in (at(p.x, p.y) for p in book.points[:MOST_NAMES])]
    asked = [(x - 8, y - 8, x + 8, y + 8) for x, y in (at(a, b) for a, b, _ in result.looks)]
    page = (4.0, 32.0, width - 4.0, height - 26.0)
    stand = places([each[0] for each in could], could.__getitem__, [*dots, *asked], page)
    return list(zip(shown, said, stand, strict=True))


def _look(picture: Picture, result: GroundResult, at: At) -> None:
    for k, (along, across, _) in enumerate(result.looks, 1):
        x, y = at(along, across)
        picture.disc(x, y, 7, "paper", "open", 1.6)
        picture.text(x, y + 4, f"{k}?", "open", 11, bold=True, align="centre")


def edge(
    result: GroundResult, width: float, height: float, focus: int = -1, *, paper: bool = False
) -> Picture:
    """Return the edge unrolled from stake to stake: the ground, the plane, and the boards that stand on it; the plane can be dragged, but on paper."""
    set_yet = result.plane is not None
    if not set_yet and (round_it := result.read_edge):
        result = result.at_height(float(result.book.heights[round_it].max()))  # proposed, to be dragged
    picture, book = Picture(width, height), result.book
    if result.plane is None or not result.sides:
        words = "Say how high the plane lies, and go round the edge: then its sides stand here."
        picture.text(width / 2, height / 2, words, "muted", 14, align="centre")
        picture.caption = words
        return picture
    sides = result.sides
    far = np.concatenate([[0.0], np.cumsum([s.length for s in sides])])
    stakes = [*(s.begin for s in sides), sides[0].begin]
    ground, plane = book.heights[stakes], result.plane.at(book.xy[stakes])
    deepest = float((plane - ground).max())
    low = min(float(ground.min()), float(plane.min()), float(plane.mean()) - max(0.0, result.deepest[2]))
    above = book.facts.values["above"] if book.water else 0.0
    high = max(float(ground.max()), float(plane.max()) + above)
    tall = max(high - low, 0.02)
    left, right, top, bottom = 70.0, width - 30.0, 52.0, height - 56.0
    across, up = (right - left) / far[-1], (bottom - top) / tall
    x, y = left + far * across, bottom - (np.stack([ground, plane, plane + above]) - low) * up
    if book.water:
        for k in range(len(sides)):
            if sides[k].first > 0 or sides[k].last > 0:
                corners = [
                    (x[k], y[2, k]),
                    (x[k + 1], y[2, k + 1]),
                    (x[k + 1], max(y[0, k + 1], y[2, k + 1])),
                    (x[k], max(y[0, k], y[2, k])),
                ]
                picture.poly([(float(a), float(b)) for a, b in corners], "wood", "ink", 1.0)
    soil = [
        *((float(a), float(b)) for a, b in zip(x, y[0], strict=True)),
        (right, bottom + 14),
        (left, bottom + 14),
    ]
    picture.poly(soil, "ground", "ink", 1.4)
    for k in range(len(sides)):
        picture.line(float(x[k]), float(y[1, k]), float(x[k + 1]), float(y[1, k + 1]), "keel", 2.2, dash=True)
    for k, point in enumerate(stakes):
        picture.line(
            float(x[k]),
            float(min(y[0, k], y[2, k])) - 8,
            float(x[k]),
            float(y[0, k]) + 10,
            "ink",
            2.4 if point == focus else 1.4,
        )
        picture.text(
            float(x[k]), bottom + 30, book.points[point].name, "ink", 12, bold=point == focus, align="centre"
        )
        depth = float(plane[k] - ground[k])
        picture.text(
            float(x[k]),
            top - 8,
            book.style.amount(depth, 0, signed=True),
            "raise" if depth > 0 else "lower",
            12,
            bold=True,
            align="centre",
        )
    value = book.facts.values["plane"]
    picture.drag = Drag(float(y[1].mean()), 1 / up, value)
    title(
        picture,
        f"Round the edge: the {'water' if book.water else 'plane'} against the ground, {book.style.small}"
        if set_yet
        else "Not said yet: drag the line to where it is to lie, or type its height",
    )
    legend(
        picture,
        f"heights × {up / across:.0f}"
        + ("" if paper else " · drag the line, or arrow keys")
        + (f" · boards stand {show_amount(above, book.style, 0)} above the water" if book.water else ""),
        8,
    )
    picture.caption = f"The edge unrolled, {show_amount(max(deepest, 0.0), book.style)} at its lowest corner"
    return picture
