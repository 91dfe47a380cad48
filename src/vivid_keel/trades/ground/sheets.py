"""Sheets of a piece of ground: its points, what the plane leaves at each, the boards along its sides."""

from __future__ import annotations

import math
import re
from typing import Any

import numpy as np

from vivid_keel.core.errors import KeelError
from vivid_keel.core.quantities import parse_length, show_amount, show_length, show_piece
from vivid_keel.core.record.entries import Draft, Entry
from vivid_keel.core.record.readings import as_read
from vivid_keel.core.surface.outline import inside
from vivid_keel.core.surface.squared import tied
from vivid_keel.core.working import Working
from vivid_keel.desk.put_above import named_above
from vivid_keel.desk.sheet import Cell, Column, Place, PutIn, Sheet, Taken
from vivid_keel.trades.ground.book import DOWN, HYDRO, MOVED, RUNS, ZERO
from vivid_keel.trades.ground.desk import FARTHEST, GroundDesk
from vivid_keel.trades.ground.findings import why_volume
from vivid_keel.trades.ground.laid import FEWEST

LONGEST = 12.0
"""No staff, rule or tape hangs down so far [m]."""
EDGE, INSIDE = "edge", "inside"
TIE = re.compile(
    r"(\S.*?)\s+from\s+(\S.*?)\s*[,;]\s*(\S.*?)\s+from\s+(\S.*?)(?:\s*[,;]\s*(l(?:eft?)?|le|r(?:ight?)?|ri|rig))?",
    re.IGNORECASE,
)
"""A place by two distances: 3.20 from pump, 4.10 from well, left."""


class PointsSheet(Sheet):
    """The points: where they lie, what was read, whether the outline goes through them; a new one on the last line."""

    name = "Points"
    hint = "Round the edge first, in order; then what lies inside: humps, hollows, tops and bottoms · Ctrl+Shift+V pastes a list"

    def __init__(self, desk: GroundDesk) -> None:
        self.desk, self.points, self.result = desk, desk.book.points, desk.result
        far, small = desk.book.style.far, desk.book.style.small
        by = desk.book.facts.texts["by"]
        read = {DOWN: "Down from the line", HYDRO: "It reads", RUNS: "Height"}.get(by, "Height as read")
        below = "Depth" if desk.book.water else "Below the plane"
        self.columns = (
            Column("Point", 132),
            Column(f"Along, {far}", 95, True),
            Column(f"Across, {far}", 95, True),
            Column(read, 150, True),
            Column("Edge", 70),
            Column("Height", 90, True),
            Column(f"{below}, {small}", 0, True),
        )

    @property
    def count(self) -> int:
        return len(self.points) + 1

    def first(self) -> Place:
        unread = next((k for k, p in enumerate(self.points) if math.isnan(p.read)), None)
        return (len(self.points), 0) if unread is None else (unread, 3)

    def cell(self, row: int, column: int) -> Cell:
        if row == len(self.points):
            return Cell(editable=column == 0, hint="another point" if column == 0 else "")
        p, style = self.points[row], self.desk.book.style
        if column < 5:
            text = (p.name, style.place(p.x), style.place(p.y), p.text, EDGE if p.edge else INSIDE)[column]
            hint = (f"as {p.source}" if p.source else "read it") if column == 3 and not p.text else ""
            return Cell(
                text, bold=column in (0, 3), editable=True, hint=hint, ink="ink" if column < 4 else "muted"
            )
        height = float(self.desk.book.heights[row])
        if column == 5:
            return Cell("" if math.isnan(height) else show_length(height, style))
        below = float(self.result.below[row])
        if math.isnan(below):
            return Cell()
        dry = below < 0
        return Cell(
            style.amount(below, 0, signed=not self.desk.book.water),
            ink="lower" if dry else "raise",
            bold=True,
        )

    def put_in(self, row: int) -> PutIn | None:
        standing = self.desk.file.journal.standing(self.desk.work, "ground-point")
        return named_above(self, row, standing, "point")

    def accept(self, row: int, column: int, text: str) -> Taken:
        desk, clean = self.desk, text.strip()
        if row == len(self.points) or column == 0:
            if not clean:
                raise KeelError("bad-value", "name the point, such as 1 or gatepost")
            if any(p.name.casefold() == clean.casefold() for k, p in enumerate(self.points) if k != row):
                raise KeelError("duplicate-name", f"there is a {clean} already; names tell points apart")
        if row == len(self.points):
            edge = self.points[-1].edge if self.points else True
            body: dict[str, Any] = {"name": clean, "x_m": 0.0, "y_m": 0.0, "edge": edge}
            return Taken([Draft(desk.work, "ground-point", body)], (row, 1))
        entry = self._entry(row)
        changed = self._changed(row, column, clean)
        body = {**entry.body, **changed}
        if changed.keys() & {"x_m", "y_m"} and "tie" not in changed:
            body.pop("tie", None)
        if column != 3 and math.isnan(self.points[row].read):
            body.pop("reading", None)  # it was read at a visit before, and is not read again by being renamed
        made = (
            [Draft(desk.work, "ground-point", body, strikes=entry.id)]
            if body != dict(entry.body) or (column == 3 and math.isnan(self.points[row].read))
            else []
        )
        return Taken(
            made,
            (row, 3 if "tie" in changed else column + 1)
            if column < 3
            else (row + 1, 0 if row + 1 == len(self.points) else 3),
        )

    def _changed(self, row: int, column: int, text: str) -> dict[str, Any]:
        """What of a point is otherwise."""
        desk = self.desk
        if column == 0:
            return {"name": text}
        if column == 1 and (found := TIE.fullmatch(text)):
            return self._tied(row, text, found)
        if column < 3:
            place = parse_length(text, desk.book.style.far, desk.decimal_mark).value
            if abs(place) > FARTHEST:
                raise KeelError(
                    "bad-value",
                    f"{text}: no yard reaches {FARTHEST:.0f} m; was another unit meant? Type it too: 4500 mm, 14 ft 9 in",
                )
            other = float(self._entry(row).body["y_m" if column == 1 else "x_m"])
            for k, p in enumerate(self.points):
                # A point that nobody placed yet lies at 0, 0: that is no other height there.
                if k != row and column == 2 and (p.x, p.y) == (other, place) != (0.0, 0.0):
                    raise KeelError(
                        "bad-value",
                        f"{p.name} lies there already; two heights at one place are no surface. A wall's top and bottom lie a hand apart",
                    )
            if column == 2 and self.points[row].edge and self._within(row, other, place):
                return {"y_m": place, "edge": False}
            return {"x_m" if column == 1 else "y_m": place}
        if column == 3:
            reading = parse_length(text, desk.book.unit, desk.decimal_mark)
            if desk.book.facts.texts["by"] == DOWN and not -LONGEST <= reading.value <= LONGEST:
                raise KeelError(
                    "bad-value",
                    f"{text}: nothing is read so far down; was another unit meant, such as {text} mm?",
                )
            return {"reading": as_read(reading)}
        word = text.casefold()
        for meant, edge in ((EDGE, True), (INSIDE, False)):
            if word and meant.startswith(word):
                return {"edge": edge}
        raise KeelError("bad-value", f"“{text}”: expected edge or inside")

    def _within(self, row: int, x: float, y: float) -> bool:
        """Whether a point that follows the edge lies inside it, so that the outline would fold: it is taken as inside, and asked about."""
        edge = np.array([(p.x, p.y) for p in self.points[:row] if p.edge])
        last = all(not p.edge for p in self.points[row + 1 :])
        if not last or len(edge) < FEWEST or not inside(edge, np.array([[x, y]]))[0]:
            return False
        self.desk.asked_inside = self.points[row].name
        return True

    def _tied(self, row: int, text: str, found: re.Match[str]) -> dict[str, Any]:
        """A place by its distances from two points, and on which side of the way from the first to the second it lies."""
        desk, by_name = self.desk, {p.name.casefold(): p for k, p in enumerate(self.points) if k != row}
        ends, fars = [], []
        for far, name in ((found[1], found[2]), (found[3], found[4])):
            if name.casefold() not in by_name:
                raise KeelError(
                    "unknown-name",
                    f"there is no other point {name}; a tie is 3.20 from pump, 4.10 from well, left",
                )
            ends.append(by_name[name.casefold()])
            fars.append(parse_length(far, desk.book.style.far, desk.decimal_mark).value)
        if not found[5]:
            raise KeelError(
                "bad-value",
                f"on which side of the way from {ends[0].name} to {ends[1].name}? Type left or right behind it: {text}, left",
            )
        a, b = (np.array([p.x, p.y]) for p in ends)
        x, y = tied(a, b, *fars, left="left".startswith(found[5].casefold())).round(3).tolist()
        return {"x_m": x, "y_m": y, "tie": text}

    def _entry(self, row: int) -> Entry:
        return self.desk.file.journal.entries[self.points[row].id]

    def strike(self, row: int) -> tuple[str, int] | None:
        return (
            None if row >= len(self.points) else (f"the point {self.points[row].name}", self.points[row].id)
        )

    def picked(self, row: int) -> int:
        return row if row < len(self.points) else -1

    def row_of(self, picked: int) -> int:
        return picked if 0 <= picked < len(self.points) else -1


class LooksSheet(Sheet):
    """Looks of a liquid level at its benchmark, and when its base was moved."""

    name = "Benchmark"
    hint = "Look at the benchmark first, now and then, and last · what lies between two looks is freed of drift · “moved”: the base was moved"

    def __init__(self, desk: GroundDesk) -> None:
        self.desk, self.looks = desk, desk.book.looks
        self.columns = (Column("When", 140), Column("It reads", 160, True), Column("", 0))

    @property
    def count(self) -> int:
        return len(self.looks) + 1

    def first(self) -> Place:
        return (len(self.looks), 1)

    def cell(self, row: int, column: int) -> Cell:
        if row == len(self.looks):
            hint = "look again" if self.looks else "first look"
            return Cell(
                "now" if column == 0 else "",
                editable=column == 1,
                hint=hint if column == 1 else "",
                ink="muted",
            )
        id, what, look = self.looks[row]
        entry = self.desk.file.journal.entries[id]
        said = "moved" if what == MOVED else str(entry.body["reading"]["text"])
        before = next((one.reading for _, sort, one in reversed(self.looks[:row]) if sort == ZERO), None)
        drift = (
            ""
            if what == MOVED or before is None
            else f"drift {self.desk.book.style.amount(look.reading - before, signed=True)} {self.desk.book.style.small}"
        )
        words = "readings between the looks about it are void" if what == MOVED else drift
        return Cell(
            (entry.time[11:19], said, words)[column], bold=column == 1, ink="ink" if column == 1 else "muted"
        )

    def accept(self, row: int, column: int, text: str) -> Taken:
        desk, clean = self.desk, text.strip()
        body: dict[str, Any] = {"what": MOVED}
        if clean.casefold() != MOVED:
            body = {"what": ZERO, "reading": as_read(parse_length(clean, desk.book.unit, desk.decimal_mark))}
        return Taken([Draft(desk.work, "ground-look", body)], (row + 1, 1))

    def strike(self, row: int) -> tuple[str, int] | None:
        return None if row >= len(self.looks) else ("the look at the benchmark", self.looks[row][0])


class BoardsSheet(Sheet):
    """The boards along the sides, or the stakes' cut and fill."""

    name = "Boards along the edge"
    hint = "A stake at each corner: how high its board stands above the ground there · which of the boards in stock · F4 why"

    def __init__(self, desk: GroundDesk) -> None:
        self.desk, self.sides = desk, desk.result.sides
        far, small = desk.book.style.far, desk.book.style.small
        self.columns = (
            Column("From stake", 110),
            Column(f"high, {small}", 80, True),
            Column("To stake", 110),
            Column(f"high, {small}", 80, True),
            Column(f"Long, {far}", 90, True),
            Column("Boards", 0),
        )

    @property
    def count(self) -> int:
        return len(self.sides)

    def cell(self, row: int, column: int) -> Cell:
        side, book = self.sides[row], self.desk.book
        names = (book.points[side.begin].name, book.points[side.end].name)
        return Cell(
            (
                names[0],
                book.style.amount(side.first, 0),
                names[1],
                book.style.amount(side.last, 0),
                book.style.place(side.length),
                self.boards(side.length)
                if side.first > 0 or side.last > 0
                else "none: the ground stands higher",
            )[column],
            bold=column in (1, 3),
            ink="muted" if column == 5 and side.first <= 0 and side.last <= 0 else "ink",
        )

    def boards(self, length: float) -> str:
        """Which boards a side is made of, with a support under each joint."""
        stock, style = self.desk.book.facts.values["stock"], self.desk.book.style
        whole = int(length / stock + 1e-9)
        rest = length - whole * stock
        parts = ([f"{whole} × {style.place(stock)}"] if whole else []) + (
            [f"1 cut to {style.place(rest)}"] if rest > 0.01 else []
        )
        joints = whole + (rest > 0.01) - 1
        held = f"; {joints} joint{'s' if joints > 1 else ''}, a peg behind each" if joints > 0 else ""
        return " + ".join(parts) + f" {style.far}" + held

    def why(self, row: int) -> Working | None:
        return why_volume(self.desk.result) if self.desk.result.found is not None else None

    def footer(self) -> list[tuple[str, str]]:
        found, style = self.desk.result.found, self.desk.book.style
        if found is None or not self.sides:
            return []
        stock, (whole, cut) = self.desk.book.facts.values["stock"], self.desk.result.boards
        highest = max((max(s.first, s.last) for s in self.sides), default=0.0)
        pieces = "; ".join(" + ".join(style.place(piece) for piece in board) for board in cut)
        boards = f"{whole + len(cut)} boards of {style.place(stock)} {style.far}" + (
            f", {len(cut)} cut: {pieces}" if cut else ""
        )
        return [(f"{boards}; {show_piece(highest, style)} high at most", "")]


class StakesSheet(Sheet):
    """How much is cut or filled at each stake."""

    name = "Cut and fill"
    hint = "At each point: down to the plane, or up to it · F4 why"

    def __init__(self, desk: GroundDesk) -> None:
        self.desk = desk
        self.columns = (
            Column("Point", 140),
            Column("Height", 100, True),
            Column("Plane", 100, True),
            Column("", 26),
            Column("Do", 0),
        )

    @property
    def count(self) -> int:
        return len(self.desk.result.read) if self.desk.result.plane is not None else 0

    def cell(self, row: int, column: int) -> Cell:
        k, style = self.desk.result.read[row], self.desk.book.style
        below = float(self.desk.result.below[k])
        height = float(self.desk.book.heights[k])
        word = (
            "leave"
            if abs(below) < 0.0005
            else f"fill {show_amount(below, style, 0)}"
            if below > 0
            else f"cut {show_amount(-below, style, 0)}"
        )
        return Cell(
            (
                self.desk.book.points[k].name,
                show_length(height, style),
                show_length(height + below, style),
                "",
                word,
            )[column],
            bold=column in (0, 4),
            sign=("raise" if below > 0 else "lower") if column == 3 and abs(below) >= 0.0005 else "",
        )

    def why(self, row: int) -> Working | None:
        return why_volume(self.desk.result) if self.desk.result.found is not None else None
