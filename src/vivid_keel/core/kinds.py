"""The words in which trades declare themselves: kinds of entries, findings, and the state of a work."""

from __future__ import annotations

import re
from collections.abc import Callable, Mapping, Sequence
from contextlib import suppress
from dataclasses import dataclass, field
from datetime import datetime
from typing import Any, NamedTuple

from msgspec import Struct

from vivid_keel.core.errors import KeelError
from vivid_keel.core.quantities.length import UNIT_IN_M
from vivid_keel.core.record.entries import Draft, Entry
from vivid_keel.core.working import Working

MUST = "!"
"""Ends the type of a field that must be there."""


LARGEST = 1e15
"""No number that was entered is larger, whatever its unit: such a one leaves the range of computing."""


def _is_number(value: Any) -> bool:
    if type(value) is float:
        return -LARGEST <= value <= LARGEST
    if isinstance(value, bool) or not isinstance(value, int | float):
        return False
    return -LARGEST <= value <= LARGEST


def _is_reading(value: Any) -> bool:
    return (
        (type(value) is dict or isinstance(value, Mapping))
        and len(value) == 4
        and is_text(value.get("text"))
        and _is_unit(value.get("unit"))
        and _is_number(value.get("m"))
        and _is_number(value.get("step_m"))
    )


def is_time(text: str) -> bool:
    """Whether a text is a time with its offset, as entries have it."""
    try:
        return datetime.fromisoformat(text).tzinfo is not None
    except ValueError:
        return False


LONGEST = 20_000
"""No text in an entry is longer [characters]: a name of a million would stop whatever shows it."""


def is_text(value: Any) -> bool:
    """Whether a value is a text that can be kept and shown."""
    if type(value) is not str or len(value) > LONGEST:
        return False
    if value.isascii():
        return True
    try:
        value.encode()
    except UnicodeEncodeError:  # half a character, as only a broken program writes it
        return False
    return True


def _is_unit(value: Any) -> bool:
    return isinstance(value, str) and value in UNIT_IN_M


def _is_whole(value: Any) -> bool:
    return isinstance(value, int) and not isinstance(value, bool) and abs(value) < 1 << 53


def _is_described(value: Any) -> bool:
    from vivid_keel.core.record.bulk import (
        is_described,  # it loads NumPy, which the window's start can do without
    )

    return is_described(value)


def _is_line(value: Any) -> bool:
    return (
        isinstance(value, Sequence)
        and len(value) == 4
        and is_text(value[0])
        and is_text(value[1])
        and _is_number(value[2])
        and _is_number(value[3])
        and value[3] > 0
    )


def _are_plan_lines(value: Any) -> bool:
    from vivid_keel.core.moving.issued import is_lines  # it loads NumPy, too

    return is_lines(value)


PHASES = ("found", "left")
SIGHTS = ("BS", "IS", "FS")
"""The words there are where something is read before or after the work, and for the kinds of sight."""

_FITS: dict[str, Callable[[Any], bool]] = {
    "text": is_text,
    "unit": _is_unit,
    "number": _is_number,
    "whole number": _is_whole,
    "yes or no": lambda v: isinstance(v, bool),
    "phase": lambda v: isinstance(v, str) and v in PHASES,
    "sight": lambda v: isinstance(v, str) and v in SIGHTS,
    "reading": _is_reading,
    "set of numbers": lambda v: (
        isinstance(v, Mapping) and all(isinstance(k, str) and _is_number(n) for k, n in v.items())
    ),
    "object": lambda v: isinstance(v, Mapping) and all(isinstance(k, str) for k in v),
    "source": _is_described,
    "plan lines": _are_plan_lines,
    "lines": lambda v: isinstance(v, Sequence) and not isinstance(v, str) and all(_is_line(one) for one in v),
}
"""Whether a value is of a type."""


Of = Callable[[int], int]
"""The number of an entry, or of a point that is moved, in a copy of its work; raises KeyError where it isn't there."""
Refers = Callable[[Mapping[str, Any], Of, Of], dict[str, Any]]
"""A body told anew: with the numbers of entries, and those of points that are moved, that they have in a copy of the work."""


def naught(body: Mapping[str, Any], of: Of, point: Of) -> dict[str, Any]:
    """Return a body that holds no number of another entry."""
    return dict(body)


def entries_at(*names: str) -> Refers:
    """Return how a body is told anew that holds numbers of entries of its work in some fields."""
    return lambda body, of, point: {**body, **{name: of(int(body[name])) for name in names if name in body}}


def points_at(*names: str, by: Sequence[str] = ()) -> Refers:
    """Return how a body is told anew that holds numbers of points in some fields, or sets `by` them; what is said of no point is left out."""

    def told(body: Mapping[str, Any], of: Of, point: Of) -> dict[str, Any]:
        out = {**body, **{name: point(int(body[name])) for name in names if name in body}}
        for name in by:
            if name in out:
                out[name] = {}
                for number, value in body[name].items():
                    with suppress(KeyError):
                        out[name][str(point(int(number)))] = value
        return out

    return told


@dataclass(frozen=True)
class EntryKind:
    """A kind of entry.

    Attributes
    ----------
    fields : mapping of str to str
        Each field's type ("text", "unit" of a length, "number", "whole number", "yes or no", "phase" and "sight" (words of `PHASES` and `SIGHTS`), "reading", "set of numbers", "object",
        "plan lines" (`moving.issued`), "lines" read between marks: [mark, stand, rise in m, σ in m above 0], or "source": bytes kept beside it), with a "!" behind it where it must be there.
    said : callable
        An entry of the kind in a few words, for the log.
    in_si : callable
        In which unit a number of a body stands whose field doesn't say it ("m", "rad", "1" …).
    refers : callable
        How a body is told anew in a copy of its work, where it holds numbers of other entries.
    """

    fields: Mapping[str, str]
    said: Callable[[Entry], str]
    in_si: Callable[[Mapping[str, Any]], str] = lambda body: ""
    refers: Refers = naught
    fits: Mapping[str, Callable[[Any], bool]] = field(init=False, repr=False, compare=False)
    needed: tuple[str, ...] = field(init=False, repr=False, compare=False)
    source: str = field(init=False, repr=False, compare=False)
    """The field that tells of bytes kept beside the entry, "" where it has none."""

    def __post_init__(self) -> None:
        object.__setattr__(self, "fits", {name: _FITS[self.type_of(name)] for name in self.fields})
        sources = [name for name in self.fields if self.type_of(name) == "source"]
        object.__setattr__(self, "source", sources[0] if sources else "")
        object.__setattr__(
            self, "needed", tuple(name for name, said in self.fields.items() if said.endswith(MUST))
        )

    def type_of(self, name: str) -> str:
        """Return the type of a field."""
        return self.fields[name].rstrip(MUST)


Kinds = Mapping[str, EntryKind]
"""Every kind that may stand in a file, by the name it has there."""


def check_body(kinds: Kinds, kind: str, body: Any, where: str = "") -> None:
    """Check the body of an entry against its kind.

    Parameters
    ----------
    kinds : mapping of str to EntryKind
    kind : str
    body : object
        As parsed from JSON.
    where : str
        JSON pointer of the body, for the error.

    Raises
    ------
    KeelError
        `unknown-kind`, `unknown-field`, `missing-field`, `wrong-type`.
    """
    known = kinds.get(kind)
    if known is None:
        raise KeelError(
            "unknown-kind", f"“{kind}” is no kind of entry; known are {', '.join(sorted(kinds))}", where
        )
    if type(body) is not dict and not isinstance(body, Mapping):
        raise KeelError("wrong-type", f"the body of a {kind} entry must be an object", where)
    for name, value in body.items():
        fits = known.fits.get(name)
        if fits is None:
            raise KeelError("unknown-field", f"a {kind} entry has no field “{name}”", f"{where}/{name}")
        if not fits(value):
            raise KeelError(
                "wrong-type", f"“{name}” of a {kind} entry must be a {known.type_of(name)}", f"{where}/{name}"
            )
    for name in known.needed:
        if name not in body:
            raise KeelError("missing-field", f"a {kind} entry needs “{name}”", f"{where}/{name}")


_CONTROL = re.compile("[\x00-\x08\x0b-\x1f\x7f\x85\u2028\u2029\ufffe\uffff]")


def check_shown(value: Any, where: str = "") -> None:
    """Refuse a text that can't be shown, printed or written as XML, on its way in.

    Raises
    ------
    KeelError
        `bad-value`.
    """
    if isinstance(value, str):
        found = _CONTROL.search(value)
        if found:
            told = f"character {found.start() + 1} of “{_CONTROL.sub('·', value)[:40]}” is no letter or sign (code {ord(found[0])})"
            raise KeelError("bad-value", f"{told}; type it anew", where)
    elif isinstance(value, Mapping):
        for name, inner in value.items():
            check_shown(name, where)
            check_shown(inner, f"{where}/{name}")


def numbered(
    kinds: Kinds,
    drafts: Sequence[Draft],
    first: int,
    act: int,
    time: str,
    person: str,
    act_first: int | None = None,
) -> list[Entry]:
    """Return the entries that drafts of one act become, numbered from `first`, their bodies checked.

    A negative work, strikes or after means a draft of the same act: −1 the first, −2 the second. Where these drafts are
    but a part of it, `act_first` is the number of the act's first entry.
    """
    begin = first if act_first is None else act_first

    def own(id: int | None) -> int | None:
        return begin - 1 - id if id is not None and id < 0 else id

    entries = []
    for id, draft in enumerate(drafts, first):
        work, kind, body, strikes, after, source = draft
        check_body(kinds, kind, body)
        if source is not None or kinds[kind].source:
            _check_source(kinds[kind], draft)
        if kind == "work":
            work = id
        elif work < 0:
            work = begin - 1 - work
        if strikes is not None or after is not None:
            strikes, after = own(strikes), own(after)
        entries.append(Entry(id, work, kind, body, time, person, strikes, after, act))
    return entries


def _check_source(kind: EntryKind, draft: Draft) -> None:
    """Check that the bytes an entry speaks of come with it, and no others."""
    if draft.source is None and not (kind.source and kind.source in draft.body):
        return
    if draft.source is None:
        raise KeelError("missing-field", f"a {draft.kind} entry needs the bytes it speaks of", kind.source)
    if not kind.source or kind.source not in draft.body:
        raise KeelError("unknown-field", f"a {draft.kind} entry keeps no bytes beside it")
    from vivid_keel.core.record.bulk import check_bytes

    check_bytes(draft.source, draft.body[kind.source], kind.source)


class Finding(Struct, frozen=True):
    """One thing the numbers say.

    Attributes
    ----------
    verdict : str
        "in", "out", "open" (as in proof), "todo" or "note".
    title, text : str
    why : Working or None
    action : str
        Key of something the person can do about it, or "".
    action_label : str
    """

    verdict: str
    title: str
    text: str
    why: Working | None = None
    action: str = ""
    action_label: str = ""


ORDER = {"out": 0, "open": 1, "todo": 2, "in": 3, "note": 4}


def worst_first(findings: list[Finding]) -> list[Finding]:
    """Return the findings, worst first, otherwise in the order given."""
    return sorted(findings, key=lambda item: ORDER[item.verdict])


class State(NamedTuple):
    """How a work stands, for the list of works: a verdict and a few words."""

    verdict: str
    words: str
