"""An instrument of the kit, folded from its entries: what it is, what happened to it, every check of it.

Source: a check stands till what happened to the instrument since takes it away (practice of instruments).
"""

from __future__ import annotations

import math
from collections.abc import Collection
from datetime import date, datetime, time, timedelta
from functools import cached_property

import numpy as np
from msgspec import Struct

from vivid_keel.core.facts import parse_fact, with_stated
from vivid_keel.core.instruments.drift import Drift, fit_drift
from vivid_keel.core.instruments.kinds import KIND, Kind
from vivid_keel.core.instruments.outcome import (
    ADJUST,
    ALLOW,
    CORRECT,
    OUT_OF_USE,
    SETTLE,
    Found,
    Outcome,
    Procedure,
    Seen,
    Step,
    Traits,
)
from vivid_keel.core.instruments.procedures import CERTIFICATE, PROCEDURES
from vivid_keel.core.proof import PROVEN_OUT
from vivid_keel.core.record.diary import DiaryLine
from vivid_keel.core.record.entries import KIT
from vivid_keel.core.record.journal import Journal

HAPPENINGS = {
    "knocked": "knocked or dropped",
    "transport": "carried a long way",
    "heat": "temperature shock",
    "adjusted": "adjusted",
    "repaired": "repaired",
}
"""What may happen to an instrument; each begins a new line in its drift and makes its checks due."""
SHORT = {
    "knocked": "knocked",
    "transport": "carried far",
    "heat": "heat or cold",
    "adjusted": "adjusted",
    "repaired": "repaired",
}


class Happening(Struct, frozen=True):
    """Something that happened: its entry, when, what (a key of HAPPENINGS), and a note."""

    id: int
    time: datetime
    what: str
    note: str


class CheckRun(Struct, frozen=True, dict=True):
    """A check as booked so far.

    Attributes
    ----------
    id : int
        Its entry.
    time : datetime
        When it was begun; `ended` when something was last booked.
    decided : str
        What its owner decided, "" while open.
    """

    id: int
    procedure: Procedure
    way: str
    time: datetime
    ended: datetime
    person: str
    seen: dict[str, Seen]
    struck: list[tuple[str, str]]
    decided: str
    traits: Traits

    @cached_property
    def outcome(self) -> Outcome:
        """What it gives so far."""
        return self.procedure.outcome(self.traits, self.way, self.seen)

    @cached_property
    def steps(self) -> list[Step]:
        """Its steps, in order; once it is decided only those that were booked."""
        steps = self.procedure.steps(self.traits, self.way, self.seen)
        return [step for step in steps if step.key in self.seen] if self.decided else steps

    @property
    def booked(self) -> int:
        return len(self.seen)

    def same_as(self, other: CheckRun) -> bool:
        """Whether the same was booked and decided."""
        mine = (self.seen, self.struck, self.decided, self.ended)
        return mine == (other.seen, other.struck, other.decided, other.ended)

    def next_step(self, passed: Collection[str] = ()) -> Step | None:
        """The step that is booked next: the one behind the last that was booked, unless one that must be was left out before it.

        Parameters
        ----------
        passed : collection of str
            Steps that may be left out and were.
        """
        last = max((i for i, step in enumerate(self.steps) if step.key in self.seen), default=-1)
        missing = [i for i, step in enumerate(self.steps) if step.key not in self.seen]
        must = [i for i in missing if not self.steps[i].optional]
        wanted = [i for i in missing if i > last and self.steps[i].key not in passed]
        if must and (not wanted or must[0] < wanted[0]):
            return self.steps[must[0]]
        if not wanted:
            return None
        # Behind all that must be booked a second look is offered no more; a further cycle is.
        first = next((i for i in wanted if must or i == last + 1 or "'" not in self.steps[i].key), None)
        return None if first is None else self.steps[first]

    @property
    def taken_out(self) -> bool:
        """Whether jobs take something off that it found, and every error beyond its limit."""
        found = self.outcome.found
        beyond = [item for item in found if item.verdict == PROVEN_OUT]
        return any(item.taken_out for item in found) and all(item.taken_out for item in beyond)

    @property
    def enough(self) -> bool:
        """Whether something can be decided."""
        return bool(self.outcome.found) and self.outcome.trouble is None


class HistoryPoint(Struct, frozen=True):
    """An error at a time: value and U in its own unit, and the check it came from."""

    time: datetime
    value: float
    U: float
    check: int
    found: Found


class Due(Struct, frozen=True):
    """A check that falls due: on which day, and why."""

    tool: int
    procedure: str
    day: date
    why: str


class ToolState(Struct, frozen=True):
    """What an instrument is worth on a day.

    `key` is "trusted", "corrected", "allow", "unchecked", "due", "knocked" or "out"; `words` say it; `verdict` is its shape.
    """

    key: str
    verdict: str
    words: str


class Tool(Struct, frozen=True):
    """An instrument of the kit.

    Attributes
    ----------
    id : int
    name : str
    kind : Kind
    traits : Traits
    texts : dict of str
        Traits as they were typed; `stated` says which the owner has given.
    checks, happenings : list
        Oldest first; struck and undone ones left out.
    hidden : dict or None
        The truth of a simulated stand-in, None for a real instrument.
    """

    id: int
    name: str
    kind: Kind
    traits: Traits
    texts: dict[str, str]
    stated: frozenset[str]
    trait_ids: dict[str, int]
    checks: list[CheckRun]
    happenings: list[Happening]
    hidden: dict[str, float] | None = None

    @property
    def open_check(self) -> CheckRun | None:
        """The check last begun and not decided."""
        found = [check for check in self.checks if not check.decided]
        return found[-1] if found else None

    def open_of(self, procedure: str, way: str) -> CheckRun | None:
        """The check of a kind that was begun last and not decided: to go on with."""
        found = [
            check
            for check in self.checks
            if not check.decided and (check.procedure.key, check.way) == (procedure, way)
        ]
        return found[-1] if found else None

    @property
    def every(self) -> float:
        """Days between checks [d]."""
        return self.traits.number("every", 30.0)

    def decided(self) -> list[CheckRun]:
        return [check for check in self.checks if check.decided and check.outcome.found]

    def history(self) -> dict[str, list[HistoryPoint]]:
        """Return every error over time, from decided checks, oldest first."""
        out: dict[str, list[HistoryPoint]] = {}
        for check in self.decided():
            for f in check.outcome.found:
                out.setdefault(f.key, []).append(HistoryPoint(check.ended, f.value, f.U, check.id, f))
        return out

    def last_break(self, now: datetime) -> Happening | None:
        found = [h for h in self.happenings if h.time <= now]
        return found[-1] if found else None

    def since_break(self, key: str, now: datetime) -> list[HistoryPoint]:
        """Return an error's history since the last knock, adjustment or repair: never through one."""
        broken = self.last_break(now)
        return [point for point in self.history().get(key, []) if broken is None or point.time > broken.time]

    def drift(self, key: str, now: datetime) -> Drift | None:
        """Return the line fitted since the last break, days counted from now; None for too few."""
        points = self.since_break(key, now)
        days = np.array([(point.time - now).total_seconds() / 86400 for point in points])
        return (
            fit_drift(
                days, np.array([point.value for point in points]), np.array([point.U / 2 for point in points])
            )
            if points
            else None
        )

    def last(self, procedure: str) -> CheckRun | None:
        found = [check for check in self.decided() if check.procedure.key == procedure]
        return found[-1] if found else None

    def worth(self, key: str, now: datetime) -> HistoryPoint | None:
        """Return the latest error known since the last break, None where it isn't."""
        points = [point for point in self.since_break(key, now) if point.time <= now]
        return points[-1] if points else None

    def wanted_checks(self) -> list[str]:
        """Checks that are kept up: the usual one of the kind, and every other that was ever done."""
        done = {c.procedure.key for c in self.decided()}
        also = {"plumb"} if self.kind.key == "spirit" else set()
        return [
            check
            for i, check in enumerate(self.kind.checks)
            if i == 0 or ((check in done or check in also) and check != CERTIFICATE.key)
        ]

    def due(self, now: datetime) -> list[Due]:
        """Return when each check that is kept up falls due."""
        out = []
        broken = self.last_break(now)
        for key in self.wanted_checks():
            check = self._stands(key)
            if broken is not None and (check is None or check.ended < broken.time):
                out.append(
                    Due(self.id, key, broken.time.date(), f"{HAPPENINGS.get(broken.what, broken.what)} since")
                )
            elif check is None:
                out.append(Due(self.id, key, now.date(), "never checked"))
            elif check.decided == ADJUST:
                out.append(Due(self.id, key, check.ended.date(), "to be adjusted, then checked again"))
            else:
                day = (check.ended + timedelta(days=self.every)).date()
                out.append(Due(self.id, key, day, f"every {self.every:g} days"))
        paper = self.last(CERTIFICATE.key)
        if paper is not None:
            day = (paper.ended + timedelta(days=CERTIFICATE.good_for(paper.seen))).date()
            out.append(Due(self.id, CERTIFICATE.key, day, f"that of {paper.ended:%-d %b %Y} runs out"))
        return out

    def _stands(self, procedure: str) -> CheckRun | None:
        """Return what stands for a check that is kept up: the last of it, or for the usual one a later certificate."""
        usual = procedure == self.kind.checks[0]
        found = [self.last(procedure), self.last(CERTIFICATE.key) if usual else None]
        return max((c for c in found if c is not None), key=lambda c: c.ended, default=None)

    def diary(self, now: datetime) -> list[DiaryLine]:
        """Return its checks as lines of the diary."""
        return [
            DiaryLine(
                duty.day,
                self.name,
                PROCEDURES[duty.procedure].title,
                f"{PROCEDURES[duty.procedure].purpose} Due: {duty.why}.",
                f"{self.id}-{duty.procedure}-{duty.day:%Y%m%d}",
                "since" in duty.why,
                f"tool:{self.id}:{duty.procedure}",
            )
            for duty in self.due(now)
        ]

    def state(self, now: datetime) -> ToolState:
        """Return what it is worth on a day, the gravest first."""
        latest = [c for key in self.wanted_checks() if (c := self._stands(key)) is not None]
        broken = self.last_break(now)
        fresh = [check for check in latest if broken is None or check.ended > broken.time]
        if any(check.decided == OUT_OF_USE for check in fresh):
            return ToolState("out", "out", "out of use")
        if any(check.decided == ADJUST for check in fresh):
            return ToolState("adjust", "out", "adjust, then check")
        if broken is not None and len(fresh) < len(self.wanted_checks()):
            left = [
                PROCEDURES[k].title.rpartition(", ")[2].lower()
                for k in self.wanted_checks()
                if self._stands(k) not in fresh
            ]
            what = f"{' and '.join(left)} to check" if fresh else "check it"
            return ToolState("knocked", "open", f"{SHORT.get(broken.what, broken.what)}: {what}")
        if not latest:
            return ToolState("unchecked", "todo", "never checked")
        over = [duty for duty in self.due(now) if duty.day < now.date()]
        if over:
            return ToolState("due", "open", f"check due since {short_day(over[0].day, now.date())}")
        said = f"checked {ago(latest[-1].ended, now)}"
        if any(check.decided == SETTLE for check in fresh):
            return ToolState("unsettled", "open", f"in use with its ±, {said}")
        corrected = [check for check in fresh if check.decided == CORRECT]
        if any(check.decided == ALLOW for check in fresh) or not all(check.taken_out for check in corrected):
            return ToolState("allow", "open", f"own error known, {ago(latest[-1].ended, now)}: allow for it")
        if corrected:
            return ToolState("corrected", "in", f"corrected, {ago(latest[-1].ended, now)}")
        return ToolState("trusted", "in", said)


def _day(text: str) -> date | None:
    """A day as it is recorded; None where it is none, in a file made elsewhere."""
    try:
        return date.fromisoformat(text)
    except ValueError:
        return None


def short_day(day: date, today: date) -> str:
    """Return a day as short as it is told apart: 23 Nov of this year, Nov 2025 of another."""
    return f"{day:%-d %b}" if day.year == today.year else f"{day:%b %Y}"


def ago(then: datetime, now: datetime) -> str:
    """Return how long ago, as people say it."""
    days = (now.date() - then.date()).days
    return "today" if days <= 0 else "yesterday" if days == 1 else f"{days} days ago"


def kind_of(type: str) -> Kind | None:
    """Return the kind that a work's type names, None for a work that is no instrument."""
    return KIND.get(type.partition(":")[2]) if type.startswith(KIT + ":") else None


def fold_tool(journal: Journal, work: int) -> Tool:
    """Return an instrument from its entries in the kit; one that has not changed is remembered."""
    return journal.remembered(work, lambda before: _fold(journal, work, before))


def _fold(journal: Journal, work: int, before: Tool | None) -> Tool:
    kind = kind_of(str(journal.entries[work].body["type"]))
    assert kind is not None
    stated = with_stated(kind.traits, _said(journal, work))
    texts, ids = stated.texts, stated.ids
    numbers = {trait.key: stated.values[trait.key] for trait in kind.traits if trait.unit != "text"}
    known = {trait.key: trait for trait in kind.traits}
    for key in ids:
        if key in numbers and math.isnan(numbers[key]):
            numbers[key] = parse_fact(known[key], texts[key]).value
    traits = Traits(kind, numbers, texts)
    runs = {e.id: e for e in journal.standing(work, "check") if str(e.body["procedure"]) in PROCEDURES}
    seen: dict[int, dict[str, Seen]] = {id: {} for id in runs}
    struck: dict[int, list[tuple[str, str]]] = {id: [] for id in runs}
    ended = {id: at(e.time) for id, e in runs.items()}
    for id in journal.order[work]:
        entry = journal.entries[id]
        if entry.kind != "seen" or entry.body["check"] not in runs or journal.undone(id):
            continue
        check, step = int(entry.body["check"]), str(entry.body["step"])
        if not journal.stands(id):
            struck[check].append((step, str(entry.body["text"])))
            continue
        when = at(entry.time)
        seen[check][step] = Seen(
            id,
            str(entry.body["text"]),
            float(entry.body.get("value", math.nan)),
            float(entry.body["step_size"]),
            when.timestamp(),
        )
        ended[check] = max(ended[check], when)
    for id, booked in seen.items():
        issued = CERTIFICATE.issued(booked)
        if issued is not None:
            ended[id] = min(datetime.combine(issued, time(12), at(runs[id].time).tzinfo), ended[id])
    for e in journal.standing(work, "dated"):
        # A certificate from last spring is entered as of last spring: noon of its day, wherever the day was typed.
        day = _day(str(e.body["day"]))
        if day is not None and int(e.body["check"]) in ended:
            then = at(runs[int(e.body["check"])].time)
            ended[int(e.body["check"])] = datetime.combine(day, time(12), then.tzinfo)
    decided = {int(e.body["check"]): str(e.body["decision"]) for e in journal.standing(work, "decided")}
    checks = [
        CheckRun(
            id,
            PROCEDURES[str(e.body["procedure"])],
            str(e.body["way"]),
            at(e.time),
            ended[id],
            e.person,
            seen[id],
            struck[id],
            decided.get(id, ""),
            traits,
        )
        for id, e in runs.items()
    ]
    if before is not None and before.traits.same_as(traits):
        old = {c.id: c for c in before.checks}
        # A check that has not changed keeps what was worked out for it.
        checks = [old[c.id] if c.id in old and old[c.id].same_as(c) else c for c in checks]
    happenings = [
        Happening(e.id, at(e.time), str(e.body["what"]), str(e.body.get("note", "")))
        for e in journal.standing(work, "happened")
    ]
    stand_in = journal.latest(work, "stand-in")
    hidden = {str(k): float(v) for k, v in stand_in.body["hidden"].items()} if stand_in else None
    return Tool(
        work,
        journal.name_of(work),
        kind,
        traits,
        texts,
        frozenset(ids),
        ids,
        sorted(checks, key=lambda c: c.ended),
        sorted(happenings, key=lambda h: h.time),
        hidden,
    )


def _said(journal: Journal, work: int) -> list[tuple[str, str, float | None, int]]:
    """What was said of an instrument, in the order of its entries."""
    return [
        (str(entry.body["name"]), str(entry.body["text"]), entry.body.get("value"), entry.id)
        for entry in journal.standing(work, "trait")
    ]


def at(iso: str) -> datetime:
    """Return a recorded time."""
    return datetime.fromisoformat(iso)


def fold_kit(journal: Journal) -> list[Tool]:
    """Return every instrument of a kit."""
    return [fold_tool(journal, w.id) for w in journal.works() if kind_of(str(w.body["type"])) is not None]
