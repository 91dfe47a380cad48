"""What is asked in pictures before supports are laid out: how the scale is held, and what stands on them."""

from __future__ import annotations

from vivid_keel.core.moving.plan import ALONE, NOT_KNOWN
from vivid_keel.core.moving.scale import HANGS, STANDS
from vivid_keel.figures.display import Picture
from vivid_keel.figures.staff_face import staff
from vivid_keel.trades.supports.lay_out import CARRIED


def senses(width: float, height: float, chosen: str) -> Picture:
    """Return the two ways a scale is held, side by side, the chosen one lit: mixing them up is the classic slip."""
    picture = Picture(width, height)
    half, base = width / 2, height - 58
    picture.text(
        14, 22, "How is the scale held? Say it below, with rows, posts and spacing.", "ink", 15, bold=True
    )
    for k, sense in enumerate((HANGS, STANDS)):
        x, on = half * (k + 0.5), sense == chosen
        if on:
            picture.box(half * k + 12, 34, half - 24, height - 44, "lit", "")
        hangs = sense == HANGS
        line = base - 24 if hangs else 70.0
        for dx, high in ((-70.0, 0.0), (70.0, 26.0)):  # the right one is the higher point
            top = base - 110 - high if hangs else base - 10 - high
            if hangs:
                picture.box(x + dx - 46, top - 16, 92, 16, "wood", "ink")
                staff(picture, x + dx - 4, top, 8, line + 10 - top)
            else:
                picture.box(x + dx - 30, top, 60, base - top + 4, "stone", "ink")
                staff(picture, x + dx - 4, line - 10, 8, top - line + 10)
            amount = "larger" if (high > 0) == hangs else "smaller"
            picture.text(
                x + dx + 12, (top + line) / 2 + 5, amount, "ink", 14, bold=amount == "larger", ground=True
            )
        picture.line(half * k + 24, line, half * (k + 1) - 24, line, "keel", 2.6)
        words = (
            "hangs (h): a larger reading is a higher point"
            if hangs
            else "stands (s): a larger reading is a lower point"
        )
        picture.text(x, height - 22, words, "ink" if on else "muted", 14, bold=on, align="centre")
    picture.caption = "The two ways a scale is held"
    return picture


def carried(width: float, height: float, chosen: str) -> Picture:
    """Return what may stand on a row of posts, numbered, the chosen one lit: how far neighbours come along follows from it."""
    picture = Picture(width, height)
    picture.text(14, 22, "What stands on the posts? Its number, below.", "ink", 15, bold=True)
    half, deep = width / 2, (height - 40) / 3
    for k, name in enumerate(CARRIED):
        left, top, wide, high = half * (k % 2), 34 + deep * (k // 2), half, deep
        if k == len(CARRIED) - 1 and k % 2 == 0:
            wide = width
        if name == chosen:
            picture.box(left + 8, top, wide - 16, high - 6, "lit", "")
        picture.text(left + 20, top + 22, f"{k + 1}  {name}", "ink", 14, bold=name == chosen)
        beam, ground = top + high * 0.55, top + high - 18
        if name == NOT_KNOWN:
            picture.text(left + 20, beam + 6, "taken to be as stiff as the readings allow", "muted", 14)
            continue
        low, far = left + 30, left + wide - 30
        for post in range(4):
            x = low + (far - low) * (post + 0.5) / 4
            picture.box(x - 5, beam, 10, ground - beam, "stone", "ink")
        picture.line(low - 6, ground, far + 6, ground, "ink", 1.4)
        _beam(picture, name, low, far, beam, max(high * 0.55 - 30, 6.0))
    picture.caption = "What may stand on the posts"
    return picture


def _beam(picture: Picture, name: str, low: float, far: float, on: float, room: float) -> None:
    """What stands on posts whose tops are at `on`: a thin beam, a girder, courses of stone, or a frame for each post."""
    if name == ALONE:
        for post in range(4):
            x = low + (far - low) * (post + 0.5) / 4
            picture.box(x - (far - low) / 10, on - 7, (far - low) / 5, 7, "wood", "ink")
        return
    if name == CARRIED[0]:
        picture.box(low, on - 7, far - low, 7, "wood", "ink")
        return
    if name == CARRIED[1]:
        deep = min(16.0, room)
        picture.box(low, on - 3, far - low, 3, "ink", "ink")
        picture.box(low, on - deep, far - low, 3, "ink", "ink")
        picture.line((low + far) / 2, on - deep, (low + far) / 2, on, "ink", 2)
        picture.box(low, on - deep + 3, far - low, deep - 6, "lit", "")
        return
    course = min(11.0, room / 3)
    for row in range(3):
        for stone in range(7):
            shift = (far - low) / 12 * (row % 2)
            x = low + (far - low) * stone / 6 - shift
            begin, end = max(x, low), min(x + (far - low) / 6, far)
            if end > begin + 1:
                picture.box(begin, on - course * (row + 1), end - begin, course, "stone", "ink")
