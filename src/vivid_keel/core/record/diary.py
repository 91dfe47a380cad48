"""The diary: what falls due, whatever it is about."""

from __future__ import annotations

from dataclasses import dataclass
from datetime import date


@dataclass(frozen=True, slots=True)
class DiaryLine:
    """Something that falls due.

    Attributes
    ----------
    day : date
    name : str
        The instrument, or the work.
    title, why : str
        What is to be done, and why then.
    uid : str
        Names it among all that ever fall due, the same each time it is written out.
    after_knock : bool
        Whether something happened that makes it due at once.
    key : str
        Where it leads, "" where nowhere.
    """

    day: date
    name: str
    title: str
    why: str
    uid: str
    after_knock: bool = False
    key: str = ""
