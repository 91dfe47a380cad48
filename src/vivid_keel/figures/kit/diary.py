"""The diary drawn: the weeks ahead with what falls due in each."""

from __future__ import annotations

from datetime import datetime, timedelta

from vivid_keel.core.record.diary import DiaryLine
from vivid_keel.figures import symbols
from vivid_keel.figures.display import Picture
from vivid_keel.figures.measure import smaller, text_width

AHEAD = 60
"""Days the diary shows."""


def calendar(due: list[DiaryLine], now: datetime, width: float, height: float) -> Picture:
    """Return the weeks ahead with what falls due in each, overdue ones at the left."""
    picture = Picture(width, height)
    picture.text(14, 24, "What falls due, by the day", "ink", 15, bold=True)
    if not due:
        picture.text(
            width / 2, height / 2, "Nothing is kept up yet: add an instrument.", "muted", 15, align="centre"
        )
        return picture
    x0, x1, base = 220.0, width - 40.0, height - 44.0
    today = now.date()
    late = [duty for duty in due if duty.day <= today]
    picture.box(14, 38, x0 - 40, base - 32, "caution", "")
    picture.text(24, 57, "due now" if late else "nothing due now", "caution-ink", 14, bold=True)
    step = min(38.0, (base - 96) / max(len(late) - 1, 1)) if late else 38.0  # the last one has two lines, too
    for k, duty in enumerate(late):
        y = 80 + k * step
        symbols.verdict(picture, 30, y - 4, "open" if duty.after_knock else "todo")
        short = duty.title.split(",")[-1].strip().lower() if step < 30 else ""
        named = duty.name + (f": {short}" if short else "")
        picture.text(44, y, named, "caution-ink", smaller(named, x0 - 78, 13, 6, bold=True), bold=True)
        if step >= 30:
            picture.text(44, y + 15, duty.title.lower(), "caution-ink", smaller(duty.title, x0 - 78, 13, 6))
    picture.line(x0, base, x1, base, "ink", 1.2)
    for week in range(AHEAD // 7 + 1):
        day = today + timedelta(days=7 * week)
        x = x0 + (x1 - x0) * 7 * week / AHEAD
        picture.line(x, base - 4, x, base + 4, "ink")
        picture.text(x, base + 20, f"{day:%-d %b}", "muted", 13, align="centre")
    taken: list[float] = []  # how far each row is filled
    for duty in due:
        ahead = (duty.day - today).days
        if not 0 < ahead <= AHEAD:
            continue
        title = f"{duty.title.lower()}, {duty.day:%-d %b}"
        x, wide = (
            x0 + (x1 - x0) * ahead / AHEAD,
            max(text_width(duty.name, 13, bold=True), text_width(title, 13)) + 24,
        )
        right = x + wide > x1 + 20
        left = x - wide if right else x - 8
        row = next((r for r, end in enumerate(taken) if end < left), len(taken))
        if row == len(taken):
            taken.append(0.0)
        taken[row] = x + (8 if right else wide)
        y = 62 + row * 42
        if y > base - 20:
            continue
        picture.line(x, y + 4, x, base, "rule", 1.0)
        picture.disc(x, y, 4.5, "paper", "ink", 1.6)
        side = "right" if right else "left"
        picture.text(
            x + (-9 if right else 9), y + 4, duty.name, "ink", 13, bold=True, align=side, ground=True
        )
        picture.text(x + (-9 if right else 9), y + 20, title, "muted", 13, align=side, ground=True)
    picture.caption = f"{len(late)} things due now"
    return picture
