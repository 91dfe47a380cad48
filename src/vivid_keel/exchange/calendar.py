"""The diary as a calendar file (iCalendar, RFC 5545)."""

from __future__ import annotations

from collections.abc import Sequence
from datetime import datetime, timedelta

from icalendar import Alarm, Calendar, Event

from vivid_keel.core.instruments.procedures import PROCEDURES
from vivid_keel.core.instruments.tool import Due, Tool


def write_calendar(due: Sequence[tuple[Tool, Due]], now: datetime) -> bytes:
    """Return a calendar with an all-day event for every check that falls due, what is late on today's day."""
    calendar = Calendar()
    calendar.add("prodid", "-//Vivid Keel//kit diary//EN")
    calendar.add("version", "2.0")
    for tool, d in due:
        event = Event()
        title = PROCEDURES[d.procedure].title
        event.add("uid", f"{tool.id}-{d.procedure}-{d.day:%Y%m%d}@vivid-keel.invalid")
        event.add("dtstamp", now)
        day = max(d.day, now.date())
        event.add("dtstart", day)
        event.add("dtend", day + timedelta(days=1))
        event.add("summary", f"{tool.name}: {title.lower()}")
        event.add("description", f"{PROCEDURES[d.procedure].purpose} Due: {d.why}.")
        alarm = Alarm()
        alarm.add("action", "DISPLAY")
        alarm.add("description", f"{tool.name}: {title.lower()}")
        alarm.add("trigger", timedelta(hours=7))
        event.add_component(alarm)
        calendar.add_component(event)
    return bytes(calendar.to_ical())
