"""The diary: what falls due, whatever it is about."""

from __future__ import annotations

from collections.abc import Mapping
from datetime import date, timedelta

from msgspec import Struct
from msgspec.structs import replace

from vivid_keel.core.errors import KeelError
from vivid_keel.core.record.journal import Journal


class DiaryLine(Struct, frozen=True):
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
    put_off: bool = False
    """Whether somebody put it off to its day."""


class PutOff(Struct, frozen=True):
    """Something that was put off: to which day, why, and the entry that says so."""

    until: date
    reason: str
    entry: int


def put_off(journal: Journal) -> dict[str, PutOff]:
    """Return what was put off, by the name it has among all that fall due; a day that is none counts for nothing."""
    out = {}
    for entry in journal.standing(0, "put-off"):
        try:
            until = date.fromisoformat(str(entry.body["until"]))
        except ValueError:
            continue
        out[str(entry.body["uid"])] = PutOff(until, str(entry.body["reason"]), entry.id)
    return out


def with_put_off(line: DiaryLine, known: Mapping[str, PutOff]) -> DiaryLine:
    """Return a line as it stands once it may have been put off: what a knock made due never is, and nothing is brought forward."""
    found = known.get(line.uid)
    if found is None or line.after_knock or found.until <= line.day:
        return line
    return replace(line, day=found.until, why=f"{line.why} Put off: {found.reason}.", put_off=True)


def put_off_until(text: str, today: date) -> tuple[date, str]:
    """Return the day and the reason of what is typed to put something off: a day or so many days, then why.

    Raises
    ------
    KeelError
        `bad-value`.
    """
    first, _, reason = " ".join(text.split()).partition(" ")
    try:
        until = (
            today + timedelta(days=int(first[1:]))
            if first[:1] == "+" and first[1:].isdigit() and len(first) < 6
            else date.fromisoformat(first)
        )
    except ValueError:
        raise KeelError(
            "bad-value", f"“{first}” is no day; type one and why, as 2027-01-15 frozen ground, or +14 rain"
        ) from None
    if until <= today:
        raise KeelError("bad-value", f"{until} is not ahead; what is put off is put off to a day to come")
    if not reason:
        raise KeelError("bad-value", "say why, behind the day: whoever opens the diary then will ask")
    return until, reason
