"""Every reading of a work as it was read, in one table for any trade."""

from __future__ import annotations

from collections.abc import Iterator, Mapping
from typing import Any

from vivid_keel.core.errors import KeelError
from vivid_keel.core.kinds import EntryKind, Kinds
from vivid_keel.core.record.entries import Entry
from vivid_keel.core.record.journal import Journal
from vivid_keel.core.record.paper import paper_of, papers
from vivid_keel.core.record.told import plain_number, si

HEAD = [
    "order",
    "entry",
    "what",
    "reading_text",
    "reading_unit",
    "value",
    "value_unit",
    "step",
    "time",
    "person",
    "instrument",
    "struck",
    "reason",
    "page",
    "read_at",
]
FACTS = "fact"
"""A field by which a kind tells what something is; that is no reading."""


def as_read(journal: Journal, work: int, kinds: Kinds) -> Iterator[tuple[object, ...]]:
    """Tell every reading of a work, oldest first: as it was typed, in SI, when, by whom, with what, whether it was struck and why, and from which page it was typed in.

    A reading is a length that was typed, or a text with the number that was made of it; values brought in many at once stand a line a point.
    """
    yield tuple(HEAD)
    order, instrument, known = 0, "", papers(journal, work)
    for entry in journal.entries.values():
        if entry.work != work:
            continue
        if entry.kind == "instrument" and journal.stands(entry.id):
            instrument = str(entry.body.get("name", ""))
        kind = kinds.get(entry.kind)
        if kind is None or FACTS in kind.fields:
            continue
        struck = "" if journal.stands(entry.id) else "undone" if journal.undone(entry.id) else "struck"
        page = paper_of(known, entry.id)
        whose = (
            *(entry.time, entry.person, instrument, struck, journal.reason(entry.id) if struck else ""),
            *((page.page, page.read_at) if page is not None else ("", "")),
        )
        for what, text, unit, value, value_unit, step in (
            *_read(journal, entry, kind),
            *_many(journal, entry, kind),
        ):
            order += 1
            yield (order, entry.id, what, text, unit, value, value_unit, step, *whose)


def _read(journal: Journal, entry: Entry, kind: EntryKind) -> Iterator[tuple[str, str, str, str, str, str]]:
    """What was read in an entry: of what, as typed, in which unit, the value, its unit, its step."""
    body = entry.body
    for field in kind.fields:
        if kind.type_of(field) == "reading" and field in body:
            read = body[field]
            of = _of(journal, entry, kind, {field})
            yield (
                of if field in {"reading", "height"} else f"{of}, {field}",
                str(read["text"]),
                str(read["unit"]),
                si(float(read["m"])),
                "m",
                si(float(read["step_m"])),
            )
    texts = [field for field in kind.fields if field == "text" or field.endswith("_text")]
    read = {
        field
        for text in texts
        for field in kind.fields
        if _is_read(field, text.removesuffix("text").rstrip("_"), kind)
    }
    for text in texts:
        named = text.removesuffix("text").rstrip("_")
        numbers = [field for field in kind.fields if field in body and _is_read(field, named, kind)]
        if text not in body:
            continue
        for number in numbers:
            of = _of(journal, entry, kind, {*texts, *read})
            step = next((si(float(body[f])) for f in ("step_rad", "step_m", "step") if f in body), "")
            yield (
                of if len(numbers) == 1 and len(texts) == 1 else f"{of}, {number}",
                str(body[text]),
                "",
                si(float(body[number])),
                _unit(number, kind, body),
                step,
            )


def _is_read(field: str, named: str, kind: EntryKind) -> bool:
    """Whether a field holds the number that was made of a text: what its name begins with is in `named`, "" for a plain text."""
    if kind.type_of(field) != "number" or field.startswith(("step", "x_", "y_")):
        return False
    return field == named if named else field == "value" or field.endswith(("_rad", "_m"))


def _unit(field: str, kind: EntryKind, body: Mapping[str, Any]) -> str:
    for end in ("m", "rad"):
        if field.endswith(f"_{end}"):
            return end
    return kind.in_si(body)


def _of(journal: Journal, entry: Entry, kind: EntryKind, without: set[str]) -> str:
    """What an entry is about: its other words and numbers; what it is of by its name."""

    def name(number: int) -> Any:
        of = journal.entries.get(number)
        return number if of is None else of.body.get("name", number)

    about = [
        f"{field} {plain_number(value, 6) if isinstance(value, float) else value}"
        for field, value in kind.refers(entry.body, name, name).items()
        if field not in without
        and not isinstance(value, Mapping)
        and not field.startswith("step")
        and value != ""
    ]
    return ", ".join([entry.kind, *about])


def _many(journal: Journal, entry: Entry, kind: EntryKind) -> Iterator[tuple[str, str, str, str, str, str]]:
    """What was brought in many at once: a line for each value of each point; as it was read it is in the kept bytes."""
    if not kind.source or kind.source not in entry.body:
        return
    try:
        columns = journal.columns_of(entry.id, kind.source)
    except KeelError:
        yield f"{entry.kind} {entry.body.get('name', '')}, damaged", "", "", "", "", ""
        return
    for n, row in enumerate(zip(*(column.tolist() for column in columns.values()), strict=True), 1):
        for name, value in zip(columns, row, strict=True):
            yield (
                f"{entry.kind} {entry.body.get('name', '')}, point {n}, {name}",
                "",
                "",
                si(float(value)),
                "m",
                "",
            )
