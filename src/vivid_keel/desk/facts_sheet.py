"""A sheet of facts: what something is, each to be changed; grey ones are taken until somebody says."""

from __future__ import annotations

import math
from collections.abc import Sequence
from typing import Any

from vivid_keel.core.facts import Fact, Stated, parse_fact
from vivid_keel.core.record.entries import Draft
from vivid_keel.desk.base import Desk
from vivid_keel.desk.sheet import Cell, Column, Place, Sheet, Taken


class FactsSheet(Sheet):
    """Facts of a work, a line each.

    Parameters
    ----------
    desk : Desk
    name : str
        Of the sheet.
    facts : sequence of Fact
    stated : Stated
        As they stand.
    booked : (kind, field)
        Kind of the entry that states one, and the field of it that holds the key.
    """

    columns = (Column("What", 320), Column("", 150), Column("", 62), Column("", 0))
    hint = "Type a value and Enter; grey ones are taken until you say"

    def __init__(
        self, desk: Desk, name: str, facts: Sequence[Fact], stated: Stated, booked: tuple[str, str]
    ) -> None:
        self.desk, self.name, self.facts, self.stated, self.booked = desk, name, facts, stated, booked

    @property
    def count(self) -> int:
        return len(self.facts)

    def first(self) -> Place:
        return (next((i for i, fact in enumerate(self.facts) if fact.key not in self.stated.ids), 0), 1)

    def cell(self, row: int, column: int) -> Cell:
        fact = self.facts[row]
        if column == 1:
            said, text = fact.key in self.stated.ids, self.stated.texts[fact.key]
            return Cell(text if said else "", bold=said, editable=True, hint="" if said else text)
        return Cell(
            (fact.label, "", fact.shown_unit, fact.note)[column], ink="ink" if column == 0 else "muted"
        )

    def start_text(self, row: int, column: int) -> str:
        return self.stated.texts[self.facts[row].key]

    def accept(self, row: int, column: int, text: str) -> Taken:
        fact, (kind, field) = self.facts[row], self.booked
        found = parse_fact(fact, text, self.desk.decimal_mark)
        body: dict[str, Any] = {field: fact.key, "text": found.text}
        if not math.isnan(found.value):
            body["value"] = found.value
        return Taken(
            [Draft(self.desk.work, kind, body, strikes=self.stated.ids.get(fact.key))],
            (min(row + 1, self.count - 1), 1),
        )
