"""Before booking: the marks to be read with their rough heights, and where to stand for them."""

from __future__ import annotations

from vivid_keel.core.errors import KeelError
from vivid_keel.core.quantities import is_missing, parse_length, show_length
from vivid_keel.core.record.entries import Draft
from vivid_keel.core.record.readings import as_read
from vivid_keel.desk.sheet import Cell, Column, Place, Sheet, Taken
from vivid_keel.trades.run.desk import RunDesk
from vivid_keel.trades.run.standing import leg_words, read_by


class StandingSheet(Sheet):
    """Marks in order of walking: name, rough height, how far along; and which set-up reads each."""

    name = "Where to stand"
    columns = (
        Column("Mark, in order of walking", 0),
        Column("Rough height", 112, True),
        Column("Along, m", 80, True),
        Column("Set-up", 66, True),
        Column("", 282),
    )
    hint = "Name, rough height, metres along the way (leave empty if not known): Enter goes on · Ctrl+D takes one out"

    def __init__(self, desk: RunDesk) -> None:
        self.desk = desk
        self.way = desk.standing.way
        self.own = desk.book.planned
        self.first_own = len(self.way) - len(self.own)
        self.typed = desk.typed("plan")

    @property
    def count(self) -> int:
        return len(self.way) + 1

    def lit(self, row: int) -> bool:
        return row == len(self.way)

    def first(self) -> Place:
        return (len(self.way), 0)

    def cell(self, row: int, column: int) -> Cell:
        style = self.desk.book.style
        if row == len(self.way):
            hint = ("next mark", show_length(50.0, style), "25", "", "")[column]
            typed = self.typed.get(column, "")
            return Cell(typed, editable=column < 3, hint="" if typed else hint)
        w = self.way[row]
        own = row >= self.first_own
        if column == 0:
            return Cell(w.name, editable=own, bold=not own)
        if column == 1:
            return Cell(show_length(w.height, style), editable=own)
        if column == 2:
            return Cell("" if is_missing(w.along) else f"{w.along:g}", editable=own)
        plan = self.desk.standing.plan
        if plan is None:
            return Cell()
        reading = read_by(plan, w.name)
        if column == 3:
            return Cell(", ".join(str(n + 1) for n in reading), bold=True)
        return Cell(
            leg_words(plan, reading, style) if row == 0 or reading != self._before(row) else "", ink="muted"
        )

    def _before(self, row: int) -> list[int]:
        plan = self.desk.standing.plan
        return read_by(plan, self.way[row - 1].name) if plan else []

    def start_text(self, row: int, column: int) -> str:
        return self.cell(row, column).text

    def accept(self, row: int, column: int, text: str) -> Taken:
        made: list[Draft] = []
        desk, clean = self.desk, text.strip()
        self._check(row, column, clean)
        if row < len(self.way):
            entry = desk.file.journal.entries[self.own[row - self.first_own].id]
            body = dict(entry.body)
            field = ("name", "height", "along")[column]
            value = clean if column == 0 else self._length(column, clean) if clean else None
            body = (
                {**body, field: value} if value is not None else {k: v for k, v in body.items() if k != field}
            )
            if body != entry.body:
                made.append(Draft(desk.work, "planned", body, strikes=entry.id))
            return Taken(made, (row, min(column + 1, 2)))
        self.typed[column] = clean
        if column < 2:
            return Taken(made, (row, column + 1))
        missing = next((c for c in (0, 1) if not self.typed.get(c)), None)
        if missing is not None:
            return Taken(made, (row, missing))
        body = {"name": self.typed[0], "height": self._length(1, self.typed[1])}
        if self.typed.get(2):
            body["along"] = self._length(2, self.typed[2])
        made.append(Draft(desk.work, "planned", body))
        return Taken(made, lambda sheet: sheet.first(), self.typed)

    def _length(self, column: int, text: str) -> dict[str, object]:
        unit = self.desk.book.unit if column == 1 else "m"
        return as_read(parse_length(text, unit, self.desk.decimal_mark))

    def _check(self, row: int, column: int, text: str) -> None:
        if column == 0:
            if not text:
                raise KeelError("bad-value", "name the mark that is to be read")
            if any(w.name == text for i, w in enumerate(self.way) if i != row):
                raise KeelError("bad-value", f"{text} is on the list already")
        elif column == 1 or text:
            self._length(column, text)

    def picked(self, row: int) -> int:
        return row

    def row_of(self, picked: int) -> int:
        return picked

    def strike(self, row: int) -> tuple[str, int] | None:
        if not self.first_own <= row < len(self.way):
            return None
        one = self.own[row - self.first_own]
        return f"{one.name} from the list", one.id


class ReachSheet(Sheet):
    """Staff, eye height and longest sight: what the planning reckons with."""

    name = "Staff and eye"
    columns = (Column("What", 210), Column("Value", 130), Column("", 0))
    hint = "Type a value and Enter; the plan follows"
    FIELDS = ("staff", "eye", "longest")
    WITHIN = ((0.1, 20.0), (0.1, 10.0), (1.0, 1000.0))
    """The least and the most that may be said of each [m]."""

    def __init__(self, desk: RunDesk) -> None:
        self.desk, self.style = desk, desk.book.style
        m = desk.book.reach
        self.lines = (
            ("length of the staff", m.staff, "no line can be read above it"),
            (
                "eye height",
                m.eye,
                "of the shortest person who will read; the line stands no higher over the ground",
            ),
            (
                "longest sight",
                m.longest,
                f"{'100 to 160 ft' if desk.book.style.far == 'ft' else '30 to 50 m'}: beyond it a reading is worth less",
            ),
        )

    @property
    def count(self) -> int:
        return len(self.lines)

    def first(self) -> Place:
        return (0, 1)

    def cell(self, row: int, column: int) -> Cell:
        what, value, why = self.lines[row]
        return (
            Cell(what),
            Cell(f"{self.style.distance(value)} {self.style.far}", bold=True, editable=True),
            Cell(why, ink="muted"),
        )[column]

    def accept(self, row: int, column: int, text: str) -> Taken:
        length = parse_length(text, self.style.far, self.desk.decimal_mark)
        least, most = self.WITHIN[row]
        if not least <= length.value <= most:
            far, distance = self.style.far, self.style.distance
            raise KeelError(
                "bad-value",
                f"the {self.lines[row][0]} lies between {distance(least)} and {distance(most)} {far}; "
                f"{text.strip()} is {distance(length.value)} {far}. Was another unit meant?",
            )
        latest = self.desk.file.journal.latest(self.desk.work, "means")
        body = {**(latest.body if latest else {}), self.FIELDS[row]: as_read(length)}
        return Taken([Draft(self.desk.work, "means", body)], (min(row + 1, 2), 1))
