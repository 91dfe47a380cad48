"""The sheets of the supports, stage by stage."""

from __future__ import annotations

from typing import TYPE_CHECKING, Any

import numpy as np

from vivid_keel.core.errors import KeelError
from vivid_keel.core.levelling.proof import VERDICT_WORDS
from vivid_keel.core.levelling.scale import HANGS, STANDS
from vivid_keel.core.quantities import Length, parse_length, show_length, show_number
from vivid_keel.core.record.entries import Draft
from vivid_keel.core.working import Working
from vivid_keel.core.works.common import as_read, show
from vivid_keel.core.works.supports import SupportsResult, TargetChoice, work_out_supports
from vivid_keel.core.works.supports.book import FOUND, LEFT, grid_drafts
from vivid_keel.ui.desk.base import Cell, Column, Place, Sheet, whole_number

if TYPE_CHECKING:
    from vivid_keel.ui.desk.supports import SupportsDesk

LONGEST = 12.0


def parse_reading(desk: SupportsDesk, text: str) -> Length:
    """Return a scale reading as typed: positive, and no longer than a staff."""
    length = parse_length(text, desk.book.unit, desk.decimal_mark)
    if length.value < 0:
        raise KeelError("bad-value", "a support is booked as read, above 0; hanging or standing is said by its scale")
    if length.value > LONGEST:
        shown = show_length(length.value, desk.book.style, unit=True)
        raise KeelError("bad-value", f"{shown} is longer than any staff; was {text.strip()} mm meant?")
    return length


class LayOutSheet(Sheet):
    """Rows × posts × spacing, before there are any supports."""

    name = "Lay out"
    columns = (Column("Lay out the supports", 250), Column("", 250), Column("", 0))
    hint = "Enter goes down; the last Enter lays them out · every post can be changed afterwards"

    def __init__(self, desk: SupportsDesk) -> None:
        self.desk = desk
        self.typed = desk.typed.setdefault("lay-out", {0: "A, B", 1: "6", 2: "2.400 m", 3: "3.000 m", 4: HANGS})

    @property
    def count(self) -> int:
        return 6

    def cell(self, row: int, column: int) -> Cell:
        label = ("Rows, by name", "Posts in each row", "Spacing along a row", "Between the rows", "How the scale is held",
                 "Lay them out")[row]  # fmt: skip
        note = (
            "names with commas between; the first letters name the posts", "A1, A2 … B1, B2 …", "centre to centre", "",
            "h: hangs from the beam, larger is higher · s: stands on the point, larger is lower", "",
        )[row]  # fmt: skip
        if column == 0:
            return Cell(label, bold=row == 5)
        if column == 2:
            return Cell(note, ink="muted")
        return Cell("Enter" if row == 5 else self.typed[row], bold=True, editable=row < 5)

    def first(self) -> Place:
        return (0, 1)

    def accept(self, row: int, column: int, text: str) -> Place | None:
        clean = text.strip()
        mark = self.desk.decimal_mark
        if row == 0 and not [r for r in clean.split(",") if r.strip()]:
            raise KeelError("bad-value", "name at least one row, such as Upstream, Downstream")
        if row == 1:
            whole_number(clean, "posts in a row", 1)
        if row in (2, 3) and parse_length(clean, "m", mark).value <= 0:
            raise KeelError("bad-value", "the spacing is above 0; measure post to post, centre to centre")
        if row == 4:
            clean = {"h": HANGS, "s": STANDS}.get(clean[:1].lower(), "")
            if not clean:
                raise KeelError("bad-value", "h or s: does the scale hang from the point or stand on it?")
        self.typed[row] = clean
        return (row + 1, 1)

    def enter(self, row: int) -> Place | None:
        if row < 5:
            return (row + 1, 1)
        t, mark, desk = self.typed, self.desk.decimal_mark, self.desk
        rows = list(dict.fromkeys(r.strip() for r in t[0].split(",") if r.strip()))
        drafts = grid_drafts(
            desk.work,
            rows,
            whole_number(t[1], "posts", 1),
            parse_length(t[2], "m", mark).value,
            parse_length(t[3], "m", mark).value,
        )
        limits = Draft(desk.work, "limits", {"sense": t[4]})
        desk.record(limits, *drafts)
        return None


class PointsSheet(Sheet):
    """The supports, each to be changed; a new one on the last line."""

    name = "Supports"
    columns = (Column("Post", 90), Column("Row", 0), Column("Along, m", 100, True), Column("Across, m", 100, True),
               Column("Packing there, mm", 140, True), Column("Scale", 130))  # fmt: skip
    hint = "Type to change · the last line adds a post · h or s in Scale: hangs, stands"

    def __init__(self, desk: SupportsDesk) -> None:
        self.desk = desk
        self.points = desk.book.points

    @property
    def count(self) -> int:
        return len(self.points) + 1

    def cell(self, row: int, column: int) -> Cell:
        if row == len(self.points):
            return Cell(editable=column == 0, hint="another post" if column == 0 else "")
        p = self.points[row]
        texts = (p.name, p.row, f"{p.x:.3f}", f"{p.y:.3f}", f"{p.stack * 1000:g}" if p.stack else "", p.sense)
        return Cell(texts[column], bold=column == 0, editable=True)

    def accept(self, row: int, column: int, text: str) -> Place | None:
        desk, clean = self.desk, text.strip()
        if row == len(self.points):
            self._free_name(clean)
            last = self.points[-1]
            body: dict[str, Any] = {"name": clean, "row": last.row, "x_m": last.x + 1.0, "y_m": last.y}
            desk.record(Draft(desk.work, "point", body))
            return (row, 1)
        p = self.points[row]
        entry = next(e for e in desk.file.journal.standing(desk.work, "point") if desk_key(desk, e.id) == p.id)
        body = dict(entry.body)
        if column == 0:
            if clean != p.name:
                self._free_name(clean)
            body["name"] = clean
        elif column == 1:
            if not clean:
                raise KeelError("bad-value", "a post stands in a row; name it")
            body["row"] = clean
        elif column in (2, 3):
            body["x_m" if column == 2 else "y_m"] = parse_length(clean, "m", desk.decimal_mark).value
        elif column == 4:
            value = parse_length(clean, "mm", desk.decimal_mark).value if clean else 0.0
            if value < 0:
                raise KeelError("bad-value", "packing is 0 mm or more")
            body["stack_m"] = value
        else:
            sense = {"h": HANGS, "s": STANDS}.get(clean[:1].lower())
            if sense is None:
                raise KeelError("bad-value", "h or s: does the scale hang from the point or stand on it?")
            body["sense"] = sense
        if body != dict(entry.body):
            desk.record(Draft(desk.work, "point", body, strikes=entry.id))
        return (min(row + 1, len(self.points)), column)

    def _free_name(self, name: str) -> None:
        if not name:
            raise KeelError("bad-value", "name the post, such as C1")
        if any(p.name == name for p in self.points):
            raise KeelError("duplicate-name", f"there is a {name} already; names tell readings apart")

    def picked(self, row: int) -> int:
        return row if row < len(self.points) else -1

    def row_of(self, picked: int) -> int:
        return picked

    def strike(self, row: int) -> tuple[str, int] | None:
        if row >= len(self.points):
            return None
        p = self.points[row]
        entry = next(
            e for e in self.desk.file.journal.standing(self.desk.work, "point") if desk_key(self.desk, e.id) == p.id
        )
        return f"support {p.name} and its readings", entry.id


def desk_key(desk: SupportsDesk, id: int) -> int:
    """Return the id that a point's readings name: that of its first entry."""
    entry = desk.file.journal.entries[id]
    while entry.strikes is not None:
        entry = desk.file.journal.entries[entry.strikes]
    return entry.id


class _ReadingSheet(Sheet):
    """Readings of one phase, a line per support and one for the watch mark."""

    phase = FOUND
    column = 2

    def __init__(self, desk: SupportsDesk) -> None:
        self.desk = desk
        self.points = desk.book.points

    @property
    def count(self) -> int:
        return len(self.points) + 1 if self.points else 0

    def first(self) -> Place:
        return self.next_place(-1)

    def next_place(self, row: int) -> Place:
        """Return the next support without a reading, after this one first."""
        n = len(self.points)
        unread = [i for i, p in enumerate(self.points) if p.read(self.phase) is None]
        after = [i for i in unread if i > row] or unread
        return (after[0] if after else min(max(row, 0), max(n - 1, 0)), self.column)

    def accept(self, row: int, column: int, text: str) -> Place | None:
        desk = self.desk
        length = parse_reading(desk, text)
        if row == len(self.points):
            old = desk.book.reference.get(self.phase)
            body: dict[str, Any] = {"phase": self.phase, "reading": as_read(length), "name": desk.book.reference_name}
            desk.record(Draft(desk.work, "reference", body, strikes=old.id if old else None))
            return (row, self.column)
        p = self.points[row]
        read = p.read(self.phase)
        body = {"point": p.id, "phase": self.phase, "reading": as_read(length)}
        if read is None or read.text != text.strip() or read.value != length.value:
            desk.record(Draft(desk.work, "reading", body, strikes=read.id if read else None))
        return type(self)(desk).next_place(row)

    def watch_cell(self, column: int) -> Cell:
        """The line of the watch mark, off the structure."""
        read = self.desk.book.reference.get(self.phase)
        if column == 0:
            return Cell(self.desk.book.reference_name, ink="muted")
        if column == 1:
            return Cell("off the structure, scale stands", ink="muted")
        if column == self.column:
            return Cell(
                show_length(read.value, self.desk.book.style) if read else "",
                editable=True,
                hint="" if read else "optional",
            )
        return Cell()

    def start_text(self, row: int, column: int) -> str:
        read = (
            self.desk.book.reference.get(self.phase) if row == len(self.points) else self.points[row].read(self.phase)
        )
        return read.text if read else ""

    def picked(self, row: int) -> int:
        return row if row < len(self.points) else -1

    def row_of(self, picked: int) -> int:
        return picked

    def lit(self, row: int) -> bool:
        return row < len(self.points) and self.points[row].read(self.phase) is None and self.next_place(-1)[0] == row

    def strike(self, row: int) -> tuple[str, int] | None:
        if row >= len(self.points):
            read = self.desk.book.reference.get(self.phase)
            return (f"the watch mark's reading {read.text}", read.id) if read else None
        read = self.points[row].read(self.phase)
        return (f"{read.text} at {self.points[row].name}", read.id) if read else None


class FoundSheet(_ReadingSheet):
    """As-found readings."""

    name = "As found"
    columns = (Column("Post", 110), Column("Row", 0), Column("Reading", 110, True), Column("Scale", 110),
               Column("Struck", 170))  # fmt: skip
    hint = "Enter takes it and goes to the next post · Ctrl+D strike · the watch mark ties a later line to this one"

    def cell(self, row: int, column: int) -> Cell:
        if row == len(self.points):
            return self.watch_cell(column)
        p = self.points[row]
        if column == 0:
            return Cell(p.name, bold=True)
        if column == 1:
            return Cell(p.row, ink="muted")
        if column == 2:
            return Cell(show_length(p.found.value, self.desk.book.style) if p.found else "", bold=True, editable=True,
                        hint="" if p.found else "read")  # fmt: skip
        if column == 3:
            return Cell(p.sense, ink="muted")
        return Cell(", ".join(p.struck), ink="muted", struck=True)

    def why(self, row: int) -> Working | None:
        return self.desk.result.why_move(row) if row < len(self.points) else None


class DeviationsSheet(Sheet):
    """Heights on the line, and how far each is from the target."""

    name = "Heights"
    columns = (Column("", 34), Column("Post", 100), Column("Reading", 110, True), Column("Height on the line", 150, True),
               Column("Against target, mm", 150, True), Column("± U, mm", 90, True), Column("", 0))  # fmt: skip
    hint = "F4 shows the working"

    def __init__(self, desk: SupportsDesk) -> None:
        self.desk = desk

    @property
    def count(self) -> int:
        return len(self.desk.book.points)

    def cell(self, row: int, column: int) -> Cell:
        r, p = self.desk.result, self.desk.book.points[row]
        style = self.desk.book.style
        if column == 0:
            return Cell(sign=r.verdicts[row])
        if column == 1:
            return Cell(p.name, bold=True)
        if column == 2:
            return Cell(show_length(p.found.value, style) if p.found else "not read")
        if column == 3:
            return Cell(show(float(r.heights[row]), style))
        if np.isnan(r.moves[row]):
            return Cell()
        if column == 4:
            return Cell(show_number(-float(r.moves[row]) * 1000, 1, signed=True), bold=True)
        if column == 5:
            return Cell(show_number(2000 * float(r.u_deviation[row]), 1), ink="muted")
        return Cell(VERDICT_WORDS.get(r.verdicts[row], ""), ink="muted")

    def picked(self, row: int) -> int:
        return row

    def row_of(self, picked: int) -> int:
        return picked

    def why(self, row: int) -> Working | None:
        return self.desk.result.why_move(row)


CHOICES = (
    ("highest", "raise all to the highest"), ("lowest", "lower all to the lowest"), ("mean", "to the mean"),
    ("keep", "keep one post"), ("height", "a reading set by hand"),
)  # fmt: skip


class TargetsSheet(Sheet):
    """What each target would cost, side by side; Enter takes one."""

    name = "Targets"
    columns = (Column("", 34), Column("Target", 0), Column("", 120), Column("Greatest, mm", 110, True), Column("Sum, mm", 90, True),
               Column("To raise", 80, True), Column("To lower", 80, True))  # fmt: skip
    hint = "Enter takes a target · drag the dashed line, or arrow keys on it · name the keeper or type the reading"

    def __init__(self, desk: SupportsDesk) -> None:
        self.desk = desk
        self._others: dict[str, SupportsResult] = {}

    @property
    def count(self) -> int:
        return len(CHOICES)

    def first(self) -> Place:
        return (next((i for i, c in enumerate(CHOICES) if c[0] == self.desk.book.target.kind), 0), 1)

    def cell(self, row: int, column: int) -> Cell:
        kind, words = CHOICES[row]
        r, book = self.desk.result, self.desk.book
        target = self.desk.dragged or book.target
        chosen = kind == target.kind
        if column == 0:
            return Cell(sign=("in" if book.target_chosen else "todo") if chosen else "")
        if column == 1:
            return Cell(words, bold=chosen)
        if column == 2:
            if kind == "keep":
                name = next((p.name for p in book.points if p.id == target.point), "") if chosen else ""
                return Cell(name, editable=True, hint="" if name else "which post")
            if kind == "height":
                shown = show_length(target.reading, book.style) if chosen else ""
                return Cell(shown, editable=True, hint="" if shown else "reading")
            return Cell()
        would = r if chosen else self._would_be(kind)
        if would is None or would.trouble is not None:
            return Cell()
        moves = would.moves[~np.isnan(would.moves)]
        need = would.moves[would.to_move] if would.to_move else np.zeros(1)
        numbers = (np.abs(moves).max() * 1000, np.abs(moves).sum() * 1000, (need > 0).sum(), (need < 0).sum())
        value = float(numbers[column - 3])
        return Cell(f"{value:.1f}" if column < 5 else f"{value:.0f}", bold=chosen)

    def _would_be(self, kind: str) -> SupportsResult | None:
        """What another target would give, worked out once."""
        if kind in {"keep", "height"}:
            return None
        if kind not in self._others:
            self._others[kind] = work_out_supports(self.desk.book, None, TargetChoice(kind))
        return self._others[kind]

    def enter(self, row: int) -> Place | None:
        kind = CHOICES[row][0]
        if kind in {"keep", "height"}:
            return (row, 2)
        self.desk.record(Draft(self.desk.work, "target", {"kind": kind}))
        return (row, 1)

    def accept(self, row: int, column: int, text: str) -> Place | None:
        desk = self.desk
        if CHOICES[row][0] == "keep":
            point = next((p for p in desk.book.points if p.name.lower() == text.strip().lower()), None)
            if point is None or point.found is None:
                names = ", ".join(p.name for p in desk.book.points if p.found)
                raise KeelError(
                    "unknown-name", f"“{text.strip()}” has no reading here; read are {names or 'none yet'}"
                )
            desk.record(Draft(desk.work, "target", {"kind": "keep", "point": point.id}))
        else:
            desk.record(Draft(desk.work, "target", {"kind": "height", "reading": as_read(parse_reading(desk, text))}))
        return (row, 1)


class StockSheet(Sheet):
    """Leaves in stock."""

    name = "Stock"
    columns = (Column("Leaf", 140, True), Column("How many", 120, True), Column("In use", 100, True), Column("", 0))
    hint = "Thickness, Enter, count, Enter · Ctrl+D strikes a line"

    def __init__(self, desk: SupportsDesk) -> None:
        self.desk = desk
        self.stock = desk.book.stock
        self.typed = desk.typed.setdefault("leaf", {})

    @property
    def count(self) -> int:
        return len(self.stock) + 1

    def lit(self, row: int) -> bool:
        return row == len(self.stock)

    def first(self) -> Place:
        return (len(self.stock), 0)

    def cell(self, row: int, column: int) -> Cell:
        if row == len(self.stock):
            if column > 1:
                return Cell()
            return Cell(
                self.typed.get(column, ""),
                editable=True,
                hint="" if self.typed.get(column) else ("3 mm", "count")[column],
            )
        leaf = self.stock[row]
        if column == 0:
            return Cell(f"{leaf.thickness * 1000:g} mm", bold=True, editable=True)
        if column == 1:
            return Cell(str(leaf.count), editable=True)
        packing = self.desk.result.packing
        if column == 2 and packing is not None:
            used = sum(abs(t - leaf.thickness) < 1e-9 for stack in packing.stacks for t in stack)
            return Cell(str(used), ink="muted")
        return Cell()

    def accept(self, row: int, column: int, text: str) -> Place | None:
        desk = self.desk
        if column == 0:
            length = self._thickness(text, row)
            if row == len(self.stock):
                self.typed[0] = text.strip()
                return (row, 1)
            self._change(row, leaf=as_read(length))
            return (row, 1)
        count = whole_number(text, "how many leaves of this thickness", 1)
        if row < len(self.stock):
            self._change(row, count=count)
            return (len(self.stock), 0)
        if not self.typed.get(0):
            raise KeelError("bad-value", "type the thickness first, at the left")
        leaf = self._thickness(self.typed[0], row)
        self.typed.clear()
        desk.record(Draft(desk.work, "leaf", {"leaf": as_read(leaf), "count": count}))
        return (len(self.stock) + 1, 0)

    def _thickness(self, text: str, row: int) -> Length:
        unit = "in" if self.desk.book.unit in {"ft-in", "in"} else "mm"
        length = parse_length(text, unit, self.desk.decimal_mark)
        if not 0 < length.value <= 0.2:
            raise KeelError("bad-value", "a leaf is above 0 and at most 200 mm thick")
        if any(i != row and abs(leaf.thickness - length.value) < 1e-9 for i, leaf in enumerate(self.stock)):
            raise KeelError(
                "duplicate-name", f"{length.value * 1000:g} mm is in the list already; change its count there"
            )
        return length

    def _change(self, row: int, **change: Any) -> None:
        old = self.desk.file.journal.entries[self.stock[row].id]
        body = {**old.body, **change}
        if body != dict(old.body):
            self.desk.record(Draft(self.desk.work, "leaf", body, strikes=old.id))

    def strike(self, row: int) -> tuple[str, int] | None:
        return (f"{self.stock[row].text} leaves", self.stock[row].id) if row < len(self.stock) else None


class LimitsSheet(Sheet):
    """Tolerance and the rules of packing."""

    name = "Limits"
    columns = (Column("What", 230), Column("Value", 140, True), Column("What it means", 0))
    hint = "Type a value and Enter; each change is recorded"

    def __init__(self, desk: SupportsDesk) -> None:
        self.desk = desk

    @property
    def count(self) -> int:
        return 4

    def first(self) -> Place:
        return (0, 1)

    def cell(self, row: int, column: int) -> Cell:
        limits = self.desk.book.limits
        line = (
            ("Tolerance", limits.tolerance_text, "a support is in when |deviation| + U is within this"),
            ("Most leaves in a stack", str(limits.most_leaves), "thin ones lie between thick ones, bearing in full"),
            ("Each interface closes by", f"{limits.interface * 1000:g} mm", "under load: 0.02 mm flat steel, 0.1 mm hardwood to start with"),
            ("Scale, unless a post says otherwise", limits.sense, "h hangs from the point · s stands on it"),
        )[row]  # fmt: skip
        return Cell(line[column], ink="muted" if column == 2 else "ink", bold=column == 1, editable=column == 1)

    def accept(self, row: int, column: int, text: str) -> Place | None:
        desk = self.desk
        old = desk.file.journal.latest(desk.work, "limits")
        body = dict(old.body) if old else {}
        clean = text.strip()
        if row == 0:
            length = parse_length(clean, "mm", desk.decimal_mark)
            if length.value <= 0:
                raise KeelError("bad-value", "a tolerance is above 0 mm")
            body["tolerance"] = as_read(length)
        elif row == 1:
            body["most_leaves"] = whole_number(clean, "leaves in one stack", 1)
        elif row == 2:
            value = parse_length(clean, "mm", desk.decimal_mark).value
            if not 0 <= value <= 0.002:
                raise KeelError("bad-value", "an interface closes by 0 to 2 mm")
            body["interface_m"] = value
        else:
            sense = {"h": HANGS, "s": STANDS}.get(clean[:1].lower())
            if sense is None:
                raise KeelError("bad-value", "h or s: does the scale hang from the point or stand on it?")
            body["sense"] = sense
        desk.record(Draft(desk.work, "limits", body))
        return (min(row + 1, 3), 1)


class MovesSheet(Sheet):
    """Who is moved, in which order, with which leaves, until the scale shows what."""

    name = "Order of work"
    columns = (Column("Order", 60, True), Column("Post", 80), Column("Scale now", 95, True), Column("Move, mm", 120, True),
               Column("Packing to put in", 0), Column("Stop at", 95, True), Column("Left over, mm", 110, True))  # fmt: skip
    hint = "Stop at: what the scale shows once let down on the packing · F4 why"

    def __init__(self, desk: SupportsDesk) -> None:
        self.desk = desk
        r = desk.result
        rest = [i for i in range(len(desk.book.points)) if i not in r.to_move and not np.isnan(r.moves[i])]
        self.order = [*r.to_move, *rest]

    @property
    def count(self) -> int:
        return len(self.order)

    def cell(self, row: int, column: int) -> Cell:
        i = self.order[row]
        r, book = self.desk.result, self.desk.book
        p, move = book.points[i], float(r.moves[i])
        moved = i in r.to_move
        if column == 0:
            return Cell(str(row + 1) if moved else "–")
        if column == 1:
            return Cell(p.name, bold=True, sign=r.left_verdicts[i])
        if column == 2:
            return Cell(show_length(p.found.value, book.style) if p.found else "")
        if column == 3:
            if not moved:
                keeper = i in r.keepers and abs(move) < 1e-9
                return Cell("keeper" if keeper else "stays", bold=keeper, ink="in")
            word = "raise" if move >= 0 else "lower"
            return Cell(f"{word} {abs(move) * 1000:.1f}", bold=True, ink=word, sign=word)
        if not moved:
            return Cell(show_length(r.stop_at(i), book.style), ink="muted") if column == 5 else Cell()
        stack = r.stack(i)
        if column == 4:
            if stack is None:
                return Cell("no stock yet" if not book.stock else "…", ink="muted")
            leaves = " + ".join(f"{t * 1000:g}" for t in stack) or "none fits better than nothing"
            return Cell(
                f"old packing out, then {leaves}"
                if move < 0 and p.stack
                else leaves
                if move >= 0
                else "trim; no packing to take out"
            )
        if column == 5:
            return Cell(show_length(r.stop_at(i), book.style), bold=True)
        over = r.left_over(i)
        return Cell("" if np.isnan(over) else show_number(over * 1000, 1, signed=True))

    def picked(self, row: int) -> int:
        return self.order[row]

    def row_of(self, picked: int) -> int:
        return self.order.index(picked) if picked in self.order else -1

    def why(self, row: int) -> Working | None:
        i = self.order[row]
        return self.desk.result.why_stack(i) or self.desk.result.why_move(i)

    def footer(self) -> list[tuple[str, str]]:
        packing = self.desk.result.packing
        if packing is None:
            return []
        used: dict[float, int] = {}
        for stack in packing.stacks:
            for t in stack:
                used[t] = used.get(t, 0) + 1
        words = " · ".join(f"{t * 1000:g} mm ×{n}" for t, n in sorted(used.items(), reverse=True))
        return [(f"From stock: {words}", "")] if words else []


class LeftSheet(_ReadingSheet):
    """As-left readings and the verdicts they give."""

    name = "As left"
    phase = LEFT
    columns = (Column("Post", 100), Column("As found", 100, True), Column("As left", 136, True), Column("Against target, mm", 150, True),
               Column("± U, mm", 80, True), Column("", 34), Column("Verdict", 0))  # fmt: skip
    hint = "Read every support again · Enter takes it and goes to the next · F4 why"

    def cell(self, row: int, column: int) -> Cell:
        if row == len(self.points):
            return self.watch_cell(column) if column != 1 else Cell()
        r, p, style = self.desk.result, self.points[row], self.desk.book.style
        if column == 0:
            return Cell(p.name, bold=True)
        if column == 1:
            return Cell(show_length(p.found.value, style) if p.found else "not read", ink="muted")
        if column == 2:
            stop = show_length(r.stop_at(row), style) if p.found and not np.isnan(r.target) else ""
            return Cell(show_length(p.left.value, style) if p.left else "", bold=True, editable=True,
                        hint="" if p.left else f"expect {stop}" if stop else "read")  # fmt: skip
        if p.left is None or np.isnan(r.left[row]) or np.isnan(r.target):
            return Cell()
        if column == 3:
            return Cell(show_number(r.deviation_left(row) * 1000, 1, signed=True), bold=True)
        if column == 4:
            return Cell(show_number(2000 * float(r.u_left[row]), 1), ink="muted")
        if column == 5:
            return Cell(sign=r.left_verdicts[row])
        return Cell(VERDICT_WORDS[r.left_verdicts[row]])

    def why(self, row: int) -> Working | None:
        return self.desk.result.why_left(row) if row < len(self.points) else None
