"""The page of the book: a line per mark, the two schools, and the line being entered."""

from __future__ import annotations

from typing import Any

from vivid_keel.core.booking.layout import BS, FS, IS, KINDS
from vivid_keel.core.errors import KeelError
from vivid_keel.core.quantities import Length, parse_length, show_length
from vivid_keel.core.record.entries import Draft
from vivid_keel.core.record.readings import as_read, show
from vivid_keel.core.working import Working
from vivid_keel.desk.sheet import Cell, Column, Place, PutIn, Sheet, Taken
from vivid_keel.trades.run.between import book_sums, put_between
from vivid_keel.trades.run.book import EVENT
from vivid_keel.trades.run.changes import changed_kind, changed_sights
from vivid_keel.trades.run.desk import RunDesk
from vivid_keel.trades.run.typed import TypedSight

EVENT_WORDS = {"moved": "moved", "knocked": "knocked", "taken-in": "taken in", "staff": "new staff"}
MARK, READING, DIST = 0, 1, 4  # columns: mark, BS IS FS from 1, distance


class BookSheet(Sheet):
    """The level book in one of the two schools."""

    hint = "Enter takes it · B I F kind of sight · Ctrl+Enter new set-up · Ins puts one in · Ctrl+D strike · F4 why"

    def __init__(self, desk: RunDesk, school: str) -> None:
        self.desk, self.name = desk, school
        self.by_rise = school == "Rise and fall"
        # Feet, inches and fractions want more room than metres.
        read, high = (78, 92) if desk.book.unit == "ft-in" else (62, 74)
        middle = (
            (Column("Rise", read, True), Column("Fall", read, True))
            if self.by_rise
            else (Column("HC", high, True),)
        )
        self.columns = (
            Column("Mark", 0),
            Column("BS", read, True),
            Column("IS", read, True),
            Column("FS", read, True),
            Column(f"Dist, {desk.book.style.far}", 74, True),
            *middle,
            Column("Height", high, True),
            Column("Corrected", 82, True),
            Column("Remark", 112),
        )
        self.height_column = 7 if self.by_rise else 6

    @property
    def mark(self) -> str:
        """The mark named on the new line, "" while none is."""
        return self.desk.new_mark

    @mark.setter
    def mark(self, name: str) -> None:
        self.desk.new_mark = name

    @property
    def kind(self) -> int | None:
        """The kind of sight said for the new line, None while it is as likely."""
        return self.desk.new_kind

    @kind.setter
    def kind(self, kind: int | None) -> None:
        self.desk.new_kind = kind

    @property
    def remark_column(self) -> int:
        return len(self.columns) - 1

    @property
    def count(self) -> int:
        return len(self.desk.book.lines) + 1

    @property
    def new(self) -> int:
        """The line being entered."""
        return len(self.desk.book.lines)

    def lit(self, row: int) -> bool:
        return row == self.new

    def first(self) -> Place:
        return self.next_place()

    def next_place(self) -> Place:
        """Return the next thing to read: the backsight that a foresight waits for, else the new line."""
        book = self.desk.book
        if book.sights and self.desk.result.layout.closing() is None:
            last = book.sights[-1]
            if book.rows[last].kind == FS and not self.desk.fresh_set_up():
                return (
                    next(i for i in range(len(book.lines) - 1, -1, -1) if book.lines[i][0] == last),
                    READING + BS,
                )
        if not book.sights and self.desk.proposed_mark():
            return (self.new, READING + BS)
        return (self.new, MARK)

    # What stands in a cell

    def cell(self, row: int, column: int) -> Cell:
        if row == self.new:
            return self._new_cell(column)
        desk = self.desk
        main, back = desk.book.lines[row]
        sight = desk.book.rows[main]
        if not sight.stands:
            return self._struck_cell(main, column)
        if column == MARK:
            wrong = main in desk.result.trouble or back in desk.result.trouble
            suspects = desk.suspects()
            sign = "open" if main in suspects or back in suspects else ""
            return Cell(sight.mark, editable=True, wrong=wrong, sign=sign)
        if column == self.remark_column:
            trouble = desk.result.trouble.get(main) or desk.result.trouble.get(back)
            if trouble:
                return Cell(sight.remark or trouble, ink="wrong", editable=True, wrong=True)
            remark = sight.remark or (desk.book.rows[back].remark if back >= 0 else "")
            instrument = desk.book.instruments[sight.instrument]
            doubt = (
                f"{instrument.name}: {instrument.checked or instrument.state}" if instrument.doubtful else ""
            )
            return Cell(remark, ink="muted", editable=True, hint="" if remark else doubt)
        if column == DIST:
            return Cell(self._distances(main, back), ink="muted", editable=True)
        if READING <= column < DIST:
            at = self._row_in(row, column)
            return Cell("" if at < 0 else self._reading(at), editable=True)
        return self._computed(main, back, column)

    def _computed(self, main: int, back: int, column: int) -> Cell:
        shown, style = self.desk.shown, self.desk.shown.book.style
        at, at_back = main, back
        if column == self.height_column:
            return Cell(show(shown.height(at), style), bold=True)
        if column == self.height_column + 1:
            return Cell(show(shown.corrected(at), style) if shown.closure.spread else "")
        if self.by_rise:
            rise, fall = shown.rise_fall(at)
            value = rise if column == 5 else fall
            return Cell(show(value, style) if value > 0 else "")
        typed = self.desk.in_hand
        if typed is not None and typed.row < 0 and typed.kind == BS and main == self.desk.book.sights[-1]:
            return Cell(show(shown.collimation_height(len(shown.book.rows) - 1), style), ink="keel")
        on = at_back if back >= 0 else at if self.desk.book.rows[main].kind == BS else -1
        return Cell(show(shown.collimation_height(on), style) if on >= 0 else "", ink="keel")

    def _new_cell(self, column: int) -> Cell:
        desk = self.desk
        mark = self.mark or ""
        proposed = desk.proposed_mark()
        kind = self._new_kind()
        if column == MARK:
            return Cell(mark, editable=True, hint="" if mark else proposed or "next mark")
        if READING <= column < DIST:
            here = column == READING + kind
            return Cell(editable=True, hint=KINDS[kind] if here and (mark or proposed) else "")
        typed = desk.in_hand
        if typed is not None and typed.row < 0 and column >= self.height_column - (2 if self.by_rise else 1):
            return self._typed_cell(column)
        if column == self.remark_column:
            return Cell("as typed so far" if typed is not None and typed.row < 0 else "", ink="muted")
        return Cell()

    def _typed_cell(self, column: int) -> Cell:
        shown, typed = self.desk.shown, self.desk.in_hand
        assert typed is not None
        row, style = len(shown.book.rows) - 1, shown.book.style
        if column == self.height_column:
            return Cell(show(shown.height(row), style), ink="muted")
        if column == self.height_column + 1:
            return Cell(show(shown.corrected(row), style) if shown.closure.spread else "", ink="muted")
        if column == self.remark_column:
            return Cell("as typed so far", ink="muted")
        if not self.by_rise and typed.kind == BS:
            return Cell(show(shown.collimation_height(row), style), ink="keel")
        return Cell()

    def _struck_cell(self, main: int, column: int) -> Cell:
        sight = self.desk.book.rows[main]
        if sight.kind == EVENT:
            words = (
                EVENT_WORDS[sight.text]
                if column == MARK
                else sight.remark
                if column == self.remark_column
                else ""
            )
            return Cell(words, ink="open", bold=column == MARK)
        if column == MARK:
            return Cell(sight.mark, ink="muted", struck=True)
        if column == READING + sight.kind:
            return Cell(self._reading(main), ink="muted", struck=True)
        if column == self.remark_column:
            return Cell(self.desk.file.journal.reason(sight.id) or "struck", ink="muted")
        return Cell()

    def _reading(self, row: int) -> str:
        return show_length(self.desk.book.rows[row].reading, self.desk.book.style)

    def _distances(self, main: int, back: int) -> str:
        words = [self.desk.distance_words(r) for r in (main, back) if r >= 0]
        return " / ".join(w or "–" for w in words) if any(words) else ""

    def _row_in(self, row: int, column: int) -> int:
        """Row of the book whose reading stands in a reading column, -1 where none does."""
        main, back = self.desk.book.lines[row]
        if self.desk.book.rows[main].kind == column - READING:
            return main
        return back if column == READING + BS else -1

    def _new_kind(self) -> int:
        return (
            self.kind
            if self.kind is not None
            else self.desk.next_kind(self.mark or self.desk.proposed_mark())
        )

    # What typing does

    def start_text(self, row: int, column: int) -> str:
        if row == self.new:
            return ""
        if READING <= column < DIST:
            at = self._row_in(row, column)
            return self.desk.book.rows[at].text if at >= 0 else ""
        if column == self.remark_column:
            return self.desk.book.rows[self.desk.book.lines[row][0]].remark
        return self.cell(row, column).text

    def completions(self, row: int, column: int) -> list[str]:
        return [k.name for k in self.desk.book.known] if column == MARK else []

    def key(self, row: int, column: int, letter: str) -> Place | None:
        kind = {"b": BS, "i": IS, "f": FS}.get(letter.lower())
        if kind is None or row != self.new or not READING <= column < DIST:
            return None
        self.kind = kind
        return (row, READING + kind)

    def typing(self, row: int, column: int, text: str) -> None:
        """Reduce with what is typed so far; what can't be read yet shows the book as it is."""
        desk = self.desk
        if not READING <= column < DIST:
            return
        kind = column - READING
        try:
            length = self.desk.parse_reading(text)
        except KeelError:
            desk.preview(None)
            return
        book = desk.book
        if row == self.new:
            mark = self.mark or desk.proposed_mark()
            desk.preview(TypedSight(-1, mark, kind, length.value, self._new_setup(kind)))
            return
        at = self._row_in(row, column)
        main = book.lines[row][0]
        if at >= 0:
            desk.preview(TypedSight(at, book.rows[at].mark, kind, length.value, book.rows[at].setup))
        elif column == READING + BS and book.rows[main].kind == FS and main == book.sights[-1]:
            desk.preview(TypedSight(-1, book.rows[main].mark, BS, length.value, book.rows[main].setup + 1))
        else:
            desk.preview(None)

    def touched(self, row: int) -> range:
        spread = self.desk.shown.closure.spread or self.desk.result.closure.spread
        typed = self.desk.in_hand
        return range(row, row + 1) if not spread and (typed is None or typed.row < 0) else range(self.count)

    def _new_setup(self, kind: int) -> int:
        book = self.desk.book
        if not book.sights:
            return 0
        last = book.rows[book.sights[-1]].setup
        return last + 1 if self._begins_set_up(kind) or self.desk.fresh_set_up() else last

    def _begins_set_up(self, kind: int) -> bool:
        """Whether a new sight needs a set-up of its own: after a foresight, or a second backsight."""
        book = self.desk.book
        if not book.sights or self.desk.fresh_set_up():
            return False
        has_back, has_fore, _ = book.state_after(book.sights[-1])
        return has_fore or (kind == BS and has_back)

    def accept(self, row: int, column: int, text: str) -> Taken:
        made: list[Draft] = []
        if row == self.new:
            return self._accept_new(column, text)
        main, back = self.desk.book.lines[row]
        if self.desk.book.rows[main].kind == EVENT:
            raise KeelError("bad-value", "this line says what happened; strike it with Ctrl+D if it didn't")
        if not self.desk.book.rows[main].stands:
            raise KeelError("bad-value", "this line is struck; enter the reading again on a line of its own")
        if column == MARK:
            name = text.strip()
            if not name:
                raise KeelError("bad-value", "a sight needs its mark; name it, or strike the line")
            self.desk.ask_near_name(name)
            made += self._correct([r for r in (main, back) if r >= 0], mark=name)
        elif column == self.remark_column:
            made += self._correct([main], remark=text.strip())
        elif column == DIST:
            made += self._set_distances(main, back, text)
        else:
            made += self._accept_reading(row, column, self.desk.take_reading(text))
        return Taken(made, lambda sheet: sheet.next_place())

    def match_place(self, row: int, column: int) -> Place | None:
        if (
            row < self.new
            and READING <= column < DIST
            and self.desk.book.rows[self.desk.book.lines[row][0]].stands
        ):
            return (row, column)
        place = self.next_place()
        if place[0] != self.new:
            return place
        return (self.new, READING + self._new_kind()) if self.mark or self.desk.proposed_mark() else None

    def _accept_new(self, column: int, text: str) -> Taken:
        made: list[Draft] = []
        desk = self.desk
        if column == MARK:
            name = text.strip() or self.mark or desk.proposed_mark()
            if not name:
                raise KeelError("bad-value", "name the mark that the staff stands on")
            desk.ask_near_name(name)
            self.mark = name
            return Taken(made, (self.new, READING + self._new_kind()))
        if READING <= column < DIST:
            mark = self.mark or desk.proposed_mark()
            if not mark:
                raise KeelError("bad-value", "name the mark first, in the column at the left")
            length = self.desk.take_reading(text)
            kind = column - READING
            sight = Draft(
                desk.work, "sight", {"mark": mark, "sight": KINDS[kind], "reading": as_read(length)}
            )
            if self._begins_set_up(kind):
                made += [Draft(desk.work, "setup", {}), sight]
            else:
                made.append(sight)
            return Taken(made, lambda sheet: sheet.next_place())
        raise KeelError(
            "bad-value", "book the reading first; distance and remark go on the line once it stands"
        )

    def _accept_reading(self, row: int, column: int, length: Length) -> list[Draft]:
        made: list[Draft] = []
        desk, kind = self.desk, column - READING
        main, _ = desk.book.lines[row]
        at = self._row_in(row, column)
        if at >= 0:
            read, sought = desk.book.rows[at], desk.suspects() | set(desk.doubted)
            same = read.reading == length.value
            # Read again where the mistake is looked for, and the same: that is a second look, and bears witness.
            said = "look" if same and at in sought else "reading"
            made += self._correct([at], **{said: as_read(length)})
        elif kind == BS and desk.book.rows[main].kind == FS:
            mark = desk.book.rows[main].mark
            sight = {"mark": mark, "sight": "BS", "reading": as_read(length)}
            if desk.fresh_set_up() and main == desk.book.sights[-1]:
                made.append(Draft(desk.work, "sight", sight))
            else:
                after = next(
                    (i for i in range(main + 1, len(desk.book.rows)) if desk.book.rows[i].stands), -1
                )
                made += put_between(self.desk, main, after, sight)
        else:
            made += self._another_kind(main, kind, length)
        return made

    def _another_kind(self, main: int, kind: int, length: Length) -> list[Draft]:
        """A reading typed in the column of another kind: the sight is of that kind, with that reading."""
        made = changed_kind(self.desk, main, kind)
        return [
            d._replace(body={**d.body, "reading": as_read(length)}) if d.kind == "sight" else d for d in made
        ]

    def _set_distances(self, main: int, back: int, text: str) -> list[Draft]:
        parts = [p.strip() for p in text.split("/")]
        if back < 0 and len(parts) > 1:
            raise KeelError("bad-value", "one sight stands on this line; expected one distance")
        rows = [main, back][: len(parts)]
        changes: list[tuple[int, dict[str, Any]]] = []
        for at, part in zip(rows, parts, strict=False):
            if part in {"", "–"}:
                changes.append((at, {"distance": None}))
                continue
            unit = "ft" if self.desk.book.unit in {"ft", "ft-in", "in"} else "m"
            length = parse_length(part, unit, self.desk.decimal_mark)
            if not 0 < length.value <= 500:
                raise KeelError(
                    "bad-value",
                    "the distance of a sight is above 0 and at most 500 m; pace it or read the hairs",
                )
            changes.append((at, {"distance": as_read(length)}))
        return changed_sights(self.desk, changes)

    def _correct(self, rows: list[int], **change: Any) -> list[Draft]:
        return changed_sights(self.desk, [(row, change) for row in rows])

    # What the picture and the pane ask

    def picked(self, row: int) -> int:
        return self.desk.book.lines[row][0] if row < self.new else -1

    def row_of(self, picked: int) -> int:
        lines = self.desk.book.lines
        return next((i for i, (main, back) in enumerate(lines) if picked in (main, back)), -1)

    def why(self, row: int) -> Working | None:
        if row >= self.new:
            return None
        main, back = self.desk.book.lines[row]
        return self.desk.result.why_height(main) or (self.desk.result.why_height(back) if back >= 0 else None)

    def put_in(self, row: int) -> PutIn | None:
        """A forgotten sight, above a line of the book: so a page can be typed in any order."""
        book = self.desk.book
        if not 0 <= row < self.new:
            return None
        name = book.rows[book.lines[row][0]].mark
        asked = (
            (f"Forgotten above {name}: which mark was read?", "its name · Enter goes on, Esc leaves it"),
            (
                "Sight on {0}",
                "the reading · b or f before it: a backsight, a foresight · Enter puts it in, Esc leaves it",
            ),
        )
        return PutIn(asked, lambda answers: self._forgotten(row, *answers))

    def _forgotten(self, row: int, mark: str, text: str) -> list[Draft]:
        if not mark.strip():
            raise KeelError("bad-value", "name the mark that the staff stood on")
        text = text.strip()
        kind = {"b": BS, "i": IS, "f": FS}.get(text[:1].lower())
        length = self.desk.take_reading(text if kind is None else text[1:])
        kind = IS if kind is None else kind
        book = self.desk.book
        main, back = book.lines[row - 1] if row > 0 else (-1, -1)
        return put_between(
            self.desk,
            max(main, back),
            book.lines[row][0],
            {"mark": mark.strip(), "sight": KINDS[kind], "reading": as_read(length)},
        )

    def strike_at(self, row: int, column: int) -> tuple[str, int] | None:
        """The sight whose reading is in hand; elsewhere on the line the one that was booked last."""
        if row >= self.new:
            return None
        main, back = self.desk.book.lines[row]
        here = self._row_in(row, column) if READING <= column < DIST else -1
        at = here if here >= 0 else back if back >= 0 else main
        sight = self.desk.book.rows[at]
        if sight.kind == EVENT:
            return f"“{sight.mark}”", sight.id
        if not sight.stands:
            return None
        return f"{KINDS[sight.kind]} {self._reading(at)} at {sight.mark}", sight.id

    def footer(self) -> list[tuple[str, str]]:
        return book_sums(self.desk, by_rise=self.by_rise)
