"""A certificate: when it was issued, until when it stands, and what it states against what is allowed."""

from __future__ import annotations

from datetime import date, timedelta

from vivid_keel.core.instruments.outcome import Step
from vivid_keel.core.instruments.procedures import CERTIFICATE
from vivid_keel.core.instruments.tool import CheckRun
from vivid_keel.figures.display import Picture


def certificate(picture: Picture, run: CheckRun, active: Step | None, typed: float | None) -> None:
    """Draw its days on a line, and each error that it states with its U between the limits."""
    left, right = 60.0, picture.width - 60.0
    day = CERTIFICATE.issued(run.seen)
    if day is None and active is not None and active.key == "issued" and typed is not None:
        day = date.fromordinal(int(typed))
    picture.text(14, 24, "What it states, and until when it stands", "ink", 15, bold=True)
    y = 74.0
    picture.line(left, y, right, y, "ink", 2.0)
    if day is not None:
        days = CERTIFICATE.good_for(run.seen)
        until = day + timedelta(days=days)
        for x, said, align in (
            (left, f"issued {day:%-d %b %Y}", "left"),
            (right, f"to {until:%-d %b %Y}", "right"),
        ):
            picture.line(x, y - 8, x, y + 8, "keel", 2.4)
            picture.text(x, y + 28, said, "ink", 14, align=align)
    else:
        picture.text((left + right) / 2, y + 28, "the day on it comes first", "muted", 14, align="centre")
    found = run.outcome.found
    middle, reach = (left + right) / 2, (right - left) / 2
    room = max(44.0, (picture.height - 150) / max(len(found), 1))
    for k, f in enumerate(found):
        row = 150 + k * room
        most = max(1.25 * f.limit, abs(f.value) + f.U, 1e-12)
        one = reach / most
        picture.text(left, row - 14, f"{f.name}: {f.show_with_u()}", "ink", 14)
        picture.box(middle - f.limit * one, row - 6, 2 * f.limit * one, 20, "glass", "rule", 1.0)
        picture.line(middle, row - 8, middle, row + 16, "muted", 1.0, dash=True)
        at_x, half = middle + f.value * one, f.U * one
        picture.line(at_x - half, row + 4, at_x + half, row + 4, "ink", 2.0)
        picture.disc(at_x, row + 4, 4.0, "keel", "keel")
    picture.caption = "A laboratory's certificate"
