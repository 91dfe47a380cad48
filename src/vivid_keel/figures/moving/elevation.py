"""Points in elevation, with the gap to the line and the very leaves that will fill it."""

from __future__ import annotations

from bisect import bisect
from itertools import pairwise

import numpy as np
from msgspec import Struct

from vivid_keel.core.moving.result import Moved, target_words
from vivid_keel.core.quantities import LengthStyle, show_amount, show_length
from vivid_keel.figures import symbols
from vivid_keel.figures.display import Blocks, Drag, Picture
from vivid_keel.figures.measure import text_width
from vivid_keel.figures.staff_face import staff


def elevation(
    result: Moved, row: str, width: float, height: float, focus: int = -1, label: str = "moves"
) -> Picture:
    """Return a row of supports in elevation, deviations exaggerated.

    Parameters
    ----------
    result : Moved
    row : str
    width, height : float
        [px]
    focus : int
        Point to light.
    label : {"moves", "readings", "heights", "target"}
    """
    picture = Picture(width, height)
    book = result.book
    members = [i for i, point in enumerate(book.points) if point.row == row]
    if not members:
        picture.text(width / 2, height / 2, "Nothing stands in this row yet.", "muted", 15, align="centre")
        picture.caption = "An empty row"
        return picture
    members.sort(key=lambda i: book.points[i].x)
    xs = _columns(result, members, width)
    heights = result.heights[members]
    known = heights[~np.isnan(heights)]
    level = result.target if not np.isnan(result.target) else (float(known.max()) if len(known) else 0.0)
    frame = frame_of(height)
    exaggerate, line_y = _scale(result, level, frame, width, label == "target")
    beam = {i: line_y + (level - result.heights[i]) * exaggerate for i in members}
    floor, s = frame.floor, frame.size
    pitch = (xs[-1] - xs[0]) / (len(xs) - 1) if len(xs) > 1 else ROOMY
    thin = min(1.0, pitch / ROOMY)
    room = 0.8 * ROOMY
    if label == "readings":
        some = members[:: len(members) // 40 + 1]  # of thousands a few tell how wide they are
        shown = [show_length(result.task.shows.read(i), book.style) for i in some if not np.isnan(beam[i])]
        room = max([room, *(text_width(words, 15, bold=True) + 6 for words in shown)])
    said = _said(result, members, xs, focus, room)
    if focus in members:
        picture.box(
            xs[members.index(focus)] - 34 * thin, frame.top - 26, 68 * thin, floor + 30 - frame.top, "lit", ""
        )
    if thin < 0.5:
        _row_of_posts(picture, members, xs, beam, frame, thin)
    else:
        _posts(picture, members, xs, beam, frame, focus, thin, said)
    _beam(
        picture,
        [(x, beam[i]) for i, x in zip(members, xs, strict=True) if not np.isnan(beam[i])],
        width,
        BEAM * s,
    )
    if label == "readings":
        _line_of_sight(picture, result, members, xs, beam, frame, said)
    elif label == "heights":
        _deviations(picture, result, members, xs, beam, line_y, exaggerate, said, frame)
    else:
        _to_target(picture, result, members, xs, beam, line_y, exaggerate, said, thin, frame)
    for i, x in zip(members, xs, strict=True):
        if i in said:
            picture.text(x, frame.names, book.points[i].name, "ink", 14, bold=True, align="centre")
        picture.hit(
            x - 34 * thin, frame.top - 30, 68 * thin, height + 10 - frame.top, f"point:{i}", tip(result, i)
        )
    if not frame.small:
        times = _times(exaggerate * _metres_per_pixel(result, width)) if len(known) else ""
        picture.text(14, height - 10, f"{row} row in elevation{times}", "muted", 13)
    picture.caption = f"{row} row, {len(members)} supports"
    if label == "target" and not np.isnan(result.target) and book.target.kind != "given":
        _grips(picture, result, members, xs, line_y, exaggerate)
    return picture


class Frame(Struct, frozen=True):
    """How a picture's height is used [px]: what stays free above, where the posts stand and their names, how large things are drawn
    against their usual `size` [1], and whether it is too `small` for ornaments."""

    top: float
    floor: float
    names: float
    size: float
    room: float
    small: bool


POST, BEAM = 90.0, 14.0
"""A post below the lowest beam, and a beam, as drawn where there is room [px]."""
LOW, ROOM_FOR_ALL = 218.0, 278.0
"""A lower picture drops its ornaments; from the second on everything has its usual size [px]."""
LEAST_SIZE, MOST_TIMES = 0.28, 1000.0
"""Nothing is drawn smaller than that [1], and no height larger against the spacing [1]."""


def frame_of(height: float) -> Frame:
    """Return how a `height` [px] is used: ornaments go first, then sizes shrink; the room for heights stays above 0."""
    size = min(max((height - 90.0) / (ROOM_FOR_ALL - 90.0), LEAST_SIZE), 1.0)
    small = height < LOW
    top, foot = (34.0, 26.0) if small else (70.0, 58.0)
    room = max(height - foot - top - POST * size, 0.1 * height)
    return Frame(top, height - foot, height - (10.0 if small else 34.0), size, room, small)


def _metres_per_pixel(result: Moved, width: float) -> float:
    """What a pixel along the longest row is worth [m]; nan where none is longer than a post."""
    points = result.book.points
    spans = [
        max(xs) - min(xs)
        for row in result.book.rows
        for xs in ([point.x for point in points if point.row == row],)
    ]
    longest = max(spans, default=0.0)
    return longest / (width - sum(_margins(width))) if longest > 0 else float("nan")


def _times(times: float) -> str:
    """How much larger heights are drawn, in words; "" where that says nothing."""
    if np.isnan(times) or times < 1.5:
        return ""
    two = float(f"{times:.2g}")
    return f" · heights ×{two:.0f} against the spacing"


ROOMY = 66.0
"""Pixels between two posts that leave room for all that is said of each."""


def _said(result: Moved, members: list[int], xs: list[float], focus: int, room: float) -> set[int]:
    """Return the posts whose names and numbers there is room for: the one in hand, and of neighbours the one that goes furthest."""
    need = np.nan_to_num(np.abs(result.moves[members]))
    if focus in members:
        need[members.index(focus)] = np.inf
    said: set[int] = set()
    taken: list[float] = []
    for k in np.argsort(-need, kind="stable").tolist():
        if all(b - a < 2 * room for a, b in pairwise([xs[0] - room, *taken, xs[-1] + room])):
            break  # nobody else has room
        at = bisect(taken, xs[k])
        if all(abs(near - xs[k]) >= room for near in taken[max(at - 1, 0) : at + 1]):
            taken.insert(at, xs[k])
            said.add(members[k])
    return said


GRIP = 30.0
"""How far from the right edge the keel line is tipped by [px]."""


def _grips(
    picture: Picture, result: Moved, members: list[int], xs: list[float], line_y: float, exaggerate: float
) -> None:
    """Where the target is taken hold of: the line itself, and its end, which tips it about the rows' beginning."""
    points = result.book.points
    slope = metres = 0.0
    span = points[members[-1]].x - points[members[0]].x
    if span > 0:
        metres = span / (xs[-1] - xs[0])
    first, last = (float(result.targets[i]) for i in (members[0], members[-1]))
    if result.book.target.plane and span > 0:
        slope = (first - last) * exaggerate / (xs[-1] - xs[0])
    at0 = (
        line_y + (result.target - first) * exaggerate - slope * xs[0] if result.book.target.plane else line_y
    )
    if np.isnan(at0):
        return
    picture.drag = Drag(at0, 1.0 / exaggerate, result.target, slope=slope)
    read = [point.x for point, h in zip(points, result.heights, strict=True) if not np.isnan(h)]
    end = picture.width - GRIP
    reach = (end - xs[0]) * metres + points[members[0]].x - min(read)
    if metres <= 0 or reach <= 0:
        return
    y = picture.drag.at(end)
    picture.disc(end, y, 8.0, "paper", "keel", 2.2)
    picture.line(end, y - 4, end, y + 4, "keel", 2.0)
    picture.tilt = Drag(
        y,
        1.0 / exaggerate / reach,
        -slope / exaggerate / metres if slope else 0.0,
        grip=11.0,
        span=(end - 14, end + 14),
    )


def _columns(result: Moved, members: list[int], width: float) -> list[float]:
    points = result.book.points
    x = np.array([points[i].x for i in members])
    span = float(x[-1] - x[0])
    left, right = _margins(width)
    if span <= 0:
        return (
            [float(v) for v in np.linspace(left + 10, width - right, len(members))]
            if len(members) > 1
            else [width / 2]
        )
    return [float(v) for v in left + (x - x[0]) / span * (width - left - right)]


def _margins(width: float) -> tuple[float, float]:
    """What stays free at the left and at the right [px]."""
    share = min(1.0, width / 560.0)
    return 80.0 * share, 150.0 * share


def _scale(result: Moved, level: float, frame: Frame, width: float, dragged: bool) -> tuple[float, float]:
    """Pixels per metre of height, and where the target line lies; the same for every row of the work.

    Where the line can be dragged the frame hangs on the heights alone, so that it stays put under the hand.
    """
    known = result.heights[~np.isnan(result.heights)]
    if not len(known):
        return 8000.0, frame.top + frame.room / 3
    low, high = float(known.min()), float(known.max())
    metres = _metres_per_pixel(result, width)
    most = 26000.0 if np.isnan(metres) else min(26000.0, MOST_TIMES / metres)
    if dragged:
        span = max(high - low, 0.001)
        exaggerate = min(frame.room * 0.86 / (1.7 * span), most)
        return exaggerate, frame.top - 20 * frame.size + (high + 0.35 * span - level) * exaggerate
    below, above = max(level - low, 0.0005), max(high - level, 0.0)
    exaggerate = min(frame.room * 0.62 / (below + above), most)
    return exaggerate, frame.top - 4 + above * exaggerate


def _posts(
    picture: Picture,
    members: list[int],
    xs: list[float],
    beam: dict[int, float],
    frame: Frame,
    focus: int,
    thin: float,
    said: set[int],
) -> None:
    """Posts with room to be drawn as such: the one in hand before those it stands close to, and words over all of them."""
    places = sorted(zip(members, xs, strict=True), key=lambda place: place[0] == focus)
    for i, x in places:
        _post(picture, x, beam[i], frame, thin)
    for i, x in places:
        if np.isnan(beam[i]) and i in said:
            picture.text(
                x, frame.floor - 114 * frame.size, "not read", "muted", 13, align="centre", ground=True
            )


def _post(picture: Picture, x: float, beam_y: float, frame: Frame, thin: float) -> None:
    hollow, floor, s = np.isnan(beam_y), frame.floor, frame.size
    top = (floor - 120 * s if hollow else beam_y) + BEAM * s
    picture.box(x - 24 * thin, floor - 12 * s, 48 * thin, 12 * s, "stone", "ink")
    picture.box(x - 17 * thin, floor - 56 * s, 34 * thin, 44 * s, "stone", "ink")
    picture.box(
        x - 10 * thin,
        top,
        20 * thin,
        max(floor - 56 * s - top, 0.0),
        "" if hollow else "wood",
        "muted" if hollow else "ink",
    )


def _row_of_posts(
    picture: Picture,
    members: list[int],
    xs: list[float],
    beam: dict[int, float],
    frame: Frame,
    thin: float,
) -> None:
    """Posts that stand so close that each is a mere stroke."""
    wide, floor, s = max(20 * thin, 1.5), frame.floor, frame.size
    there = [(x, beam[i] + BEAM * s) for i, x in zip(members, xs, strict=True) if not np.isnan(beam[i])]
    picture.items.append(
        Blocks(tuple((x - 17 * thin, floor - 56 * s, 34 * thin, 56 * s) for x in xs), "stone")
    )
    picture.items.append(
        Blocks(tuple((x - wide / 2, top, wide, max(floor - 56 * s - top, 0.0)) for x, top in there), "wood")
    )


def _beam(picture: Picture, top: list[tuple[float, float]], width: float, thick: float) -> None:
    if not top:
        return
    ends = [(max(top[0][0] - 44, 8), top[0][1]), *top, (min(top[-1][0] + 44, width - 8), top[-1][1])]
    picture.poly([*ends, *[(x, y + thick) for x, y in reversed(ends)]], "wood", "ink", 1.0)


def _line_of_sight(
    picture: Picture,
    result: Moved,
    members: list[int],
    xs: list[float],
    beam: dict[int, float],
    frame: Frame,
    said: set[int],
) -> None:
    """The scale at every point, hanging down to the line or standing up to it."""
    book, s = result.book, frame.size
    lines = set()
    for i, x in zip(members, xs, strict=True):
        hangs = result.task.shows.hangs(i)
        line_y = frame.floor - 74 * s if hangs else frame.top - 36 * s
        lines.add(line_y)
        if np.isnan(beam[i]) or i not in said:
            continue
        start = beam[i] + BEAM * s if hangs else beam[i]
        low, high = (start, line_y + 12 * s) if hangs else (line_y - 12 * s, start)
        staff(picture, x + 16, low, 7, max(high - low, 1.0))
        picture.text(
            x + 29,
            line_y - 8 if hangs else line_y + 20,
            show_length(result.task.shows.read(i), book.style),
            "ink",
            15,
            bold=True,
            ground=True,
        )
    for line_y in lines:
        picture.line(0, line_y, picture.width, line_y, "keel", 2.6)
        picture.text(
            picture.width - 12,
            line_y + (20 if line_y > 100 else -10),
            "line of sight",
            "keel",
            13,
            bold=True,
            align="right",
        )


def _deviations(
    picture: Picture,
    result: Moved,
    members: list[int],
    xs: list[float],
    beam: dict[int, float],
    line_y: float,
    exaggerate: float,
    said: set[int],
    frame: Frame,
) -> None:
    """Heights against the target, each with its U."""
    if np.isnan(result.target):
        return
    _target_line(picture, result, members, xs, line_y, exaggerate)
    picture.text(
        picture.width - 12,
        16 if frame.small else 30,
        f"height against the target, {result.book.style.small}",
        "keel",
        13,
        bold=True,
        align="right",
    )
    for i, x in zip(members, xs, strict=True):
        if np.isnan(beam[i]) or i not in said:
            continue
        deviation = -float(result.moves[i])
        U = result.book.style.amount(2 * float(result.u_deviation[i]), up=True)
        picture.text(
            x + 15,
            beam[i] + BEAM * frame.size + 22,
            result.book.style.amount(deviation, 1, signed=True),
            "ink",
            15,
            bold=True,
        )
        if not frame.small:
            picture.text(x + 15, beam[i] + BEAM * frame.size + 40, f"± {U}", "muted", 13)


def _to_target(
    picture: Picture,
    result: Moved,
    members: list[int],
    xs: list[float],
    beam: dict[int, float],
    line_y: float,
    scale: float,
    said: set[int],
    thin: float,
    frame: Frame,
) -> None:
    """The dashed target, each gap to it, and the leaves to scale."""
    if np.isnan(result.target):
        return
    book, moved = result.book, set(result.to_move)
    _target_line(picture, result, members, xs, line_y, scale)
    picture.text(
        picture.width - 12,
        16 if frame.small else 30,
        target_words(book, result)
        if book.target.plane
        else f"target {show_length(result.task.shows.nominal(members[0], result.target), book.style)} on the scale",
        "keel",
        13,
        bold=True,
        align="right",
    )
    for i, x in zip(members, xs, strict=True):
        if np.isnan(beam[i]):
            continue
        if i not in moved:
            if i not in said:
                continue
            keeper = i in result.keepers and abs(float(result.moves[i])) < 1e-9
            at = line_y + (result.target - float(result.targets[i])) * scale
            symbols.verdict(picture, x - 30, at + 18, "in")
            picture.text(x - 20, at + 23, "keeper" if keeper else "stays", "in", 13, ground=True)
            continue
        move = float(result.moves[i])
        if i in said:
            does = result.does(i)
            symbols.move(
                picture,
                x - 28 * thin,
                beam[i] + BEAM * frame.size + 34 * max(frame.size, 0.8),
                does,
                result.book.style.amount(abs(does)),
            )
        stack = result.whole_stack(i)
        if stack is not None and move > 0:
            _leaves(picture, x + 8 * thin, beam[i], stack, scale, thin, result.book.style)


def _target_line(
    picture: Picture, result: Moved, members: list[int], xs: list[float], line_y: float, exaggerate: float
) -> None:
    """The dashed target: level across the picture, or, of a plane, from post to post."""
    if not result.book.target.plane:
        picture.line(0, line_y, picture.width, line_y, "keel", 2.6, dash=True)
        if result.book.limits.share < 1:  # each post goes its own part of the way
            for i, x in zip(members, xs, strict=True):
                if not np.isnan(result.targets[i]):
                    y = line_y + (result.target - float(result.targets[i])) * exaggerate
                    picture.line(x - 22, y, x + 22, y, "keel", 2.6, dash=True)
        return
    at = [
        (x, line_y + (result.target - float(result.targets[i])) * exaggerate)
        for i, x in zip(members, xs, strict=True)
        if not np.isnan(result.targets[i])
    ]
    if not at:
        return
    # A plane goes on as it comes; heights from a drawing end with the last post.
    slope = (
        (at[-1][1] - at[0][1]) / (at[-1][0] - at[0][0])
        if at[-1][0] > at[0][0] and result.book.target.kind != "given"
        else 0.0
    )
    first, last = (
        (0.0, at[0][1] - slope * at[0][0]),
        (picture.width, at[-1][1] + slope * (picture.width - at[-1][0])),
    )
    for (x1, y1), (x2, y2) in zip([first, *at], [*at, last], strict=True):
        picture.line(x1, y1, x2, y2, "keel", 2.6, dash=True)


def _leaves(
    picture: Picture,
    x: float,
    foot: float,
    stack: tuple[float, ...],
    scale: float,
    thin: float,
    style: LengthStyle,
) -> None:
    y = foot
    for k, leaf in enumerate(stack):
        tall = leaf * scale
        y -= tall
        picture.box(x, y, 32 * thin, tall, "leaf" if k % 2 == 0 else "leaf2", "raise")
        if tall >= 14 and thin == 1:
            picture.text(x + 16, y + tall / 2 + 5, style.thickness(leaf), "ink", 13, align="centre")


def tip(result: Moved, i: int) -> str:
    point = result.book.points[i]
    if np.isnan(result.moves[i]):
        return f"{point.name}: not read"
    move = float(result.moves[i])
    return f"{point.name}: {'raise' if move >= 0 else 'lower'} {show_amount(abs(move), result.book.style)}"
