"""The report's first pages, as they will be printed."""

from __future__ import annotations

from collections.abc import Callable
from datetime import datetime
from typing import TYPE_CHECKING

from vivid_keel.core.record.entries import WORK_TYPES
from vivid_keel.figures.display import Picture, placed
from vivid_keel.figures.report import A4, Heading, run_report
from vivid_keel.figures.report_network import network_report
from vivid_keel.figures.report_supports import supports_report

if TYPE_CHECKING:
    from vivid_keel.ui.desk.base import Desk


def heading_of(desk: Desk, now: datetime | None = None) -> Heading:
    """Return what stands at the head of a work's papers."""
    journal = desk.file.journal
    when = now or datetime.now().astimezone()
    return Heading(
        journal.name_of(0), journal.name_of(desk.work), WORK_TYPES[desk.type], when.strftime("%Y-%m-%d %H:%M"), desk.file.person
    )  # fmt: skip


def pages_of(desk: Desk, now: datetime | None = None) -> Callable[[], list[Picture]]:
    """Return what makes the pages of a work's report, from what stands now."""
    journal, heading = desk.file.journal, heading_of(desk, now)
    result = desk.result  # type: ignore[attr-defined]
    if desk.type == "network":
        return lambda: network_report(result, journal, heading)
    if desk.type == "marks":
        from vivid_keel.figures.report_marks import marks_report

        return lambda: marks_report(result, journal, heading)
    if desk.type == "vehicle":
        from vivid_keel.figures.report_vehicle import vehicle_report

        return lambda: vehicle_report(result, journal, heading)
    make = run_report if desk.type == "run" else supports_report
    return lambda: make(result, journal, heading)


def report_pages(desk: Desk, now: datetime | None = None) -> list[Picture]:
    """Return the pages of a work's report."""
    return pages_of(desk, now)()


def record_picture(desk: Desk, width: float, height: float) -> Picture:
    """Return the report's pages side by side, small."""
    pages = report_pages(desk)
    p = Picture(width, height)
    tall = height - 46
    scale = tall / A4[1]
    wide = A4[0] * scale
    fit = max(1, int((width - 28) // (wide + 18)))
    x = 18.0
    for page in pages[:fit]:
        p.box(x + 3, 33, wide, tall, "rule", "")
        p.box(x, 30, wide, tall, "bright", "rule")
        p.items += placed(page, x, 30, scale)
        x += wide + 18
    n = len(pages)
    p.text(14, 20, f"The report as it will be printed: {n} page{'s' if n > 1 else ''}", "ink", 13, bold=True)
    p.text(width - 14, 20, "Ctrl+P writes the PDF", "muted", 13, align="right")
    p.caption = f"Report of {n} pages"
    return p
