"""The other sheets of a run: known marks, set-ups, heights, checks, and the closing class."""

from __future__ import annotations

import math
from collections import Counter
from collections.abc import Sequence
from typing import Any

from vivid_keel.core.errors import KeelError
from vivid_keel.core.quantities import is_missing, parse_length, show_length
from vivid_keel.core.quantities.length import UNIT_IN_M
from vivid_keel.core.record.entries import Draft
from vivid_keel.core.record.readings import as_read, metres, show
from vivid_keel.core.working import Working
from vivid_keel.desk.sheet import Cell, Column, Place, Sheet, Taken, far_in_unit, in_unit
from vivid_keel.trades.run.desk import RunDesk
from vivid_keel.trades.run.register import FoundMark, follow_body, given_elsewhere, register


class KnownSheet(Sheet):
    """Known marks: name, height, where it comes from, how sure it is."""

    name = "Known marks"
    columns: Sequence[Column] = (
        Column("Mark", 200),
        Column("Height", 110, True),
        Column("± U, mm", 90, True),
        Column("Where it comes from", 0),
    )
    hint = "Name, height, where from: Enter goes on · a mark found in another run of the job follows it"

    def __init__(self, desk: RunDesk) -> None:
        self.desk = desk
        self.columns = in_unit(type(self).columns, desk.book.style.small)
        self.known = desk.book.known
        self.typed = desk.typed("known")
        self.given = given_elsewhere(desk.file.journal, desk.work, {k.name for k in self.known})

    @property
    def count(self) -> int:
        return len(self.known) + 1

    def lit(self, row: int) -> bool:
        return row == len(self.known)

    def first(self) -> Place:
        return (len(self.known), 0)

    def cell(self, row: int, column: int) -> Cell:
        if row == len(self.known):
            hint = self._hints()[column]
            return Cell(
                self.typed.get(column, ""), editable=True, hint="" if self.typed.get(column) else hint
            )
        k = self.known[row]
        text = (
            k.name,
            show_length(k.height, self.desk.book.style),
            self.desk.book.style.amount(2 * k.u, 1, up=True) if k.u else "",
            k.source,
        )[column]
        return Cell(text, bold=column == 1, editable=True)

    def _hints(self) -> tuple[str, ...]:
        """What is proposed in the new line: the benchmark that another run of the job was given, before the first is listed."""
        style = self.desk.book.style
        if not self.given or self.known or any(self.typed.values()):
            return (
                "benchmark or datum",
                show_length(50.0, style),
                "",
                "published, site datum, earlier run",
            )
        body = self.given[0]
        u = float(body.get("u_m", 0.0))
        return (
            body["name"],
            show_length(metres(body["height"]), style),
            style.amount(2 * u, 1, up=True) if u else "",
            body["source"],
        )

    def _taken_from_another(self, name: str) -> dict[str, Any] | None:
        """The known mark of another run that is taken by its name, or by Enter while it is proposed."""
        proposed = (
            self.given[0]["name"] if self.given and not self.known and not any(self.typed.values()) else ""
        )
        return next((body for body in self.given if body["name"] == (name or proposed)), None)

    def accept(self, row: int, column: int, text: str) -> Taken:
        made: list[Draft] = []
        desk, mark = self.desk, self.desk.decimal_mark
        clean = text.strip()
        if row == len(self.known):
            given = self._taken_from_another(clean) if column == 0 else None
            if given is not None:
                made.append(Draft(desk.work, "mark", given))
                return Taken(made, (row + 1, 0), self.typed)
            self._check(column, clean)
            found = self._found(clean) if column == 0 else None
            if found is not None:
                made.append(Draft(desk.work, "mark", follow_body(found, desk.book.style)))
                return Taken(made, (row + 1, 0), self.typed)
            self.typed[column] = clean
            if column < 3:
                return Taken(made, (row, (1, 3, 3)[column]))
            missing = next((c for c in (0, 1) if not self.typed.get(c)), None)
            if missing is not None:
                return Taken(made, (row, missing))
            body = self._body(self.typed)
            made.append(Draft(desk.work, "mark", body))
            return Taken(made, (row + 1, 0), self.typed)
        k = self.known[row]
        if k.from_work and column in (1, 2):
            raise KeelError(
                "bad-value",
                f"this height {k.source}; change it there, or strike this line and list the mark anew",
            )
        self._check(column, clean, but=k.name)
        old = desk.file.journal.entries[k.id]
        body = dict(old.body)
        if column == 0:
            body["name"] = clean
        elif column == 1:
            body["height"] = as_read(parse_length(clean, desk.book.unit, mark))
        elif column == 2:
            body["u_m"] = parse_length(clean, desk.book.style.small, mark).value / 2 if clean else 0.0
        else:
            body["source"] = clean
        if body != dict(old.body):
            made.append(Draft(desk.work, "mark", body, strikes=k.id))
        return Taken(made, (row, min(column + 1, 3)))

    def _found(self, name: str) -> FoundMark | None:
        """The mark of another run that goes by this name; the youngest that closes, else the youngest."""
        found = [m for m in register(self.desk.works, but=self.desk.work) if m.name == name]
        return max(found, key=lambda m: (m.closed, m.work)) if found else None

    def completions(self, row: int, column: int) -> list[str]:
        if column or row < len(self.known):
            return []
        return [m.name for m in register(self.desk.works, but=self.desk.work)] + [
            body["name"] for body in self.given
        ]

    def _check(self, column: int, text: str, but: str = "") -> None:
        if column == 0:
            if not text:
                raise KeelError("bad-value", "name the mark; a height without a mark can't be found again")
            if text != but and any(k.name == text for k in self.known):
                raise KeelError(
                    "two-heights", f"{text} is listed already; change its height there, a mark has one height"
                )
        elif column == 1:
            parse_length(text, self.desk.book.unit, self.desk.decimal_mark)
        elif (
            column == 2
            and text
            and parse_length(text, self.desk.book.style.small, self.desk.decimal_mark).value < 0
        ):
            raise KeelError("bad-value", "U is 0 or more")
        elif column == 3 and not text:
            raise KeelError("bad-value", "say where the height comes from; the source is part of the record")

    def _body(self, typed: dict[int, str]) -> dict[str, Any]:
        mark = self.desk.decimal_mark
        body: dict[str, Any] = {
            "name": typed[0],
            "height": as_read(parse_length(typed[1], self.desk.book.unit, mark)),
            "source": typed[3],
        }
        if typed.get(2):
            body["u_m"] = parse_length(typed[2], self.desk.book.style.small, mark).value / 2
        return body

    def strike(self, row: int) -> tuple[str, int] | None:
        return (
            (f"the known mark {self.known[row].name}", self.known[row].id) if row < len(self.known) else None
        )


class SetUpsSheet(Sheet):
    """Each set-up: what it hangs on, its line, which sights hang on it, and whether it is the one alive."""

    name = "Set-ups"
    columns: Sequence[Column] = (
        Column("No.", 46, True),
        Column("Backsight on", 170),
        Column("at", 90, True),
        Column("HC", 90, True),
        Column("Sights", 66, True),
        Column("Back / fore, m", 120, True),
        Column("", 0),
    )
    hint = "A line is dead once the instrument has moved: Ctrl+Enter begins the next set-up"

    def __init__(self, desk: RunDesk) -> None:
        self.desk = desk
        self.columns = far_in_unit(type(self).columns, desk.book.style.far)

    @property
    def count(self) -> int:
        return self.desk.result.layout.setups

    def cell(self, row: int, column: int) -> Cell:
        result, style = self.desk.result, self.desk.book.style
        layout = result.layout
        back, fore = layout.backsight[row], layout.foresight[row]
        if column == 0:
            return Cell(str(row + 1))
        if column == 1:
            return Cell(layout.marks[back] if back >= 0 else "none yet", ink="ink" if back >= 0 else "wrong")
        if column == 2:
            return Cell(show(float(result.reduction.heights[back]), style) if back >= 0 else "")
        if column == 3:
            return Cell(show(float(result.reduction.collimation_height[row]), style), ink="keel", bold=True)
        if column == 4:
            return Cell(str(int((layout.setup == row).sum())))
        if column == 5:
            d = [result.distances[i] if i >= 0 else math.nan for i in (back, fore)]
            return Cell(" / ".join("–" if math.isnan(v) else self.desk.book.style.distance(v) for v in d))
        alive = row == layout.setups - 1 and fore < 0 and not self.desk.fresh_set_up()
        return Cell("alive: sights may still be taken" if alive else "left", ink="in" if alive else "muted")

    def picked(self, row: int) -> int:
        back = self.desk.result.layout.backsight[row]
        return self.desk.book.sights[back] if back >= 0 else -1

    def why(self, row: int) -> Working | None:
        at = self.picked(row)
        return self.desk.result.why_height(at) if at >= 0 else None


class HeightsSheet(Sheet):
    """Every mark with its height as observed last, as corrected, and how sure it is."""

    name = "Marks"
    columns: Sequence[Column] = (
        Column("Mark", 0),
        Column("Seen", 48, True),
        Column("Set-up", 58, True),
        Column("As observed", 96, True),
        Column("Corr., mm", 82, True),
        Column("Height", 90, True),
        Column("± U, mm", 74, True),
        Column("Place: x, m", 90, True),
        Column("y, m", 78, True),
    )
    hint = "F4 shows the working of a height · x and y place a mark in plan, for GeoJSON"

    def __init__(self, desk: RunDesk) -> None:
        self.desk = desk
        result = desk.result
        self.u = result.u_heights()
        far = desk.book.style.far
        self.columns = (
            *in_unit(type(self).columns, desk.book.style.small)[:7],
            Column(f"Place: x, {far}", 90, True),
            Column(f"y, {far}", 78, True),
        )
        self.seen = Counter(result.layout.marks)
        holds = result.layout.holds
        self.marks = [(mark, holds[mark]) for mark in dict.fromkeys(result.layout.marks) if mark in holds]

    @property
    def count(self) -> int:
        return len(self.marks)

    def cell(self, row: int, column: int) -> Cell:
        mark, i = self.marks[row]
        result, style = self.desk.result, self.desk.book.style
        at = self.desk.book.sights[i]
        height, corrected = result.height(at), result.corrected(at)
        known = result.layout.listed.get(mark)
        if column >= 7:
            place = self.desk.book.places.get(mark)
            typed = self.desk.typed("place").get(mark, "") if column == 7 else ""
            return Cell(
                f"{place[column - 7] / UNIT_IN_M[style.far]:.6g}" if place else typed,
                ink="muted",
                editable=True,
            )
        if column == 0:
            return Cell(mark, sign="in" if known and known.fixed else "")
        if column == 1:
            return Cell(str(self.seen[mark]), ink="muted")
        if column == 2:
            return Cell(str(int(result.layout.setup[i]) + 1), ink="muted")
        if column == 3:
            return Cell(show(height, style))
        if column == 4:
            return Cell(
                style.amount(corrected - height, 1, signed=True)
                if result.closure.spread and not is_missing(height)
                else ""
            )
        if known is not None and known.fixed:
            return (
                Cell(show_length(known.height, style), bold=True)
                if column == 5
                else Cell(style.amount(2 * known.u, 1, up=True), ink="muted")
            )
        if column == 5:
            return Cell(show(corrected, style), bold=True)
        u = float(self.u[i])
        return Cell(style.amount(2 * u, 1, up=True) if not is_missing(u) else "", ink="muted")

    def accept(self, row: int, column: int, text: str) -> Taken:
        made: list[Draft] = []
        mark, desk = self.marks[row][0], self.desk
        far = desk.book.style.far
        length = as_read(parse_length(text, far, desk.decimal_mark))
        old = next(
            (entry for entry in desk.file.journal.standing(desk.work, "place") if entry.body["mark"] == mark),
            None,
        )
        if old is not None:
            made.append(Draft(desk.work, "place", {**old.body, "xy"[column - 7]: length}, strikes=old.id))
        elif column == 7:
            desk.typed("place")[mark] = text.strip()
            return Taken(made, (row, 8))
        elif mark in desk.typed("place"):
            x = as_read(parse_length(desk.typed("place").pop(mark), far, desk.decimal_mark))
            made.append(Draft(desk.work, "place", {"mark": mark, "x": x, "y": length}))
        else:
            raise KeelError("bad-value", "type x first, in the column before")
        return Taken(made, (min(row + 1, self.count - 1), 7) if column == 8 else (row, 8))

    def picked(self, row: int) -> int:
        return self.desk.book.sights[self.marks[row][1]]

    def row_of(self, picked: int) -> int:
        mark = self.desk.book.rows[picked].mark
        return next((k for k, (name, _) in enumerate(self.marks) if name == mark), -1)

    def why(self, row: int) -> Working | None:
        return self.desk.result.why_height(self.picked(row))

    def footer(self) -> list[tuple[str, str]]:
        if self.desk.result.closure.misclosure is None and self.marks:
            return [("The run is open: these heights have no check", "open")]
        return []
