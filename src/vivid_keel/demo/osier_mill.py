"""The demo job, put together from the trades' own parts."""

from __future__ import annotations

from datetime import datetime, timedelta
from pathlib import Path

from vivid_keel.core.instruments.tool import fold_kit
from vivid_keel.demo.mill_kit import build_kit
from vivid_keel.files import JobFile
from vivid_keel.places import KIT_SUFFIX
from vivid_keel.trades import registry

NEXT_DAY = 20
"""From this part on it is the day after."""


RESTS_ON = {"network": "run", "over-the-years": "run"}
"""Whose works are made of another trade's, and can't be shown without."""


def build(path: Path, now: datetime | None = None, only: str = "") -> JobFile:
    """Make the demo job at a path that doesn't exist yet, its kit beside it, and return the job open.

    With `only`, the key of a trade, it holds no more than that trade's part, and what that rests on.
    """
    now = now or datetime.now().astimezone()
    with build_kit(path.with_suffix(KIT_SUFFIX), now) as kit:
        tools = {t.name: t for t in fold_kit(kit.journal)}
    clock = _Clock((now - timedelta(days=2)).replace(hour=9, minute=4, second=0, microsecond=0))
    file = JobFile.create(path, "Osier Mill", "I. Withy", clock, decimal_mark=".")
    shown = {only, RESTS_ON.get(only, only)}
    parts = {
        place: part
        for listed in registry.LISTED
        if not only or listed.key in shown
        for place, part in listed.sample().items()
    }
    with file.made_at_once():
        for place in sorted(parts):
            if place == NEXT_DAY:
                clock.now += timedelta(hours=18)
            parts[place](file, tools, clock.now)
    file._clock = lambda: datetime.now().astimezone()
    return file


class _Clock:
    """A clock of two made-up working days, a little later at every entry."""

    def __init__(self, start: datetime) -> None:
        self.now = start

    def __call__(self) -> datetime:
        self.now += timedelta(seconds=95)
        return self.now
