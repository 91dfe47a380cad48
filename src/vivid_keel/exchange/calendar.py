"""The diary as a calendar file (iCalendar, RFC 5545)."""

from __future__ import annotations

from collections.abc import Sequence
from datetime import datetime, timedelta

from icalendar import Alarm, Calendar, Event

from vivid_keel.core.record.diary import DiaryLine


def write_calendar(due: Sequence[DiaryLine], now: datetime) -> bytes:
    """Return a calendar with an all-day event for everything that falls due, what is late on today's day."""
    calendar = Calendar()
    calendar.add("prodid", "-//Vivid Keel//diary//EN")
    calendar.add("version", "2.0")
    for line in due:
        event = Event()
        summary = f"{line.name}: {line.title.lower()}"
        event.add("uid", f"{line.uid}@vivid-keel.invalid")
        event.add("dtstamp", now)
        day = max(line.day, now.date())
        event.add("dtstart", day)
        event.add("dtend", day + timedelta(days=1))
        event.add("summary", summary)
        event.add("description", line.why)
        alarm = Alarm()
        alarm.add("action", "DISPLAY")
        alarm.add("description", summary)
        alarm.add("trigger", timedelta(hours=7))
        event.add_component(alarm)
        calendar.add_component(event)
    return bytes(calendar.to_ical())
