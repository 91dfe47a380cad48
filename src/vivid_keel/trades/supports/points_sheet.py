"""Supports laid out and edited: rows, posts, packing already there, how the scale is held."""

from __future__ import annotations

from typing import Any

from vivid_keel.core.errors import KeelError
from vivid_keel.core.moving.means import FILL, JACK, LEAVES, SCREW, TRIM, WEDGE
from vivid_keel.core.moving.plan import NOT_KNOWN
from vivid_keel.core.moving.scale import HANGS, parse_sense
from vivid_keel.core.quantities import is_missing, parse_length
from vivid_keel.core.record.entries import Draft
from vivid_keel.desk.base import whole_number
from vivid_keel.desk.put_above import named_above
from vivid_keel.desk.sheet import Cell, Column, Place, PutIn, Sheet, Taken, in_unit
from vivid_keel.trades.supports.desk import SupportsDesk
from vivid_keel.trades.supports.lay_out import grid_drafts, stands_on

OF_MEANS = {
    LEAVES: "packing",
    SCREW: "screws",
    WEDGE: "wedges",
    JACK: "jack",
    FILL: "fill",
    TRIM: "trim",
}
"""What moves one post, in a word."""


ASKED = 7
"""Among what was typed so far: the line that is asked now."""


class LayOutSheet(Sheet):
    """Rows × posts × spacing, before there are any supports."""

    name = "Lay out"
    columns = (Column("Lay out the supports", 220), Column("", 150), Column("", 0))
    hint = "Enter goes down; the last Enter lays them out · every post can be changed afterwards"

    def __init__(self, desk: SupportsDesk) -> None:
        self.desk = desk
        self.typed = desk.typed("lay-out")
        self.far = desk.book.style.far
        apart = ("2.400 m", "3.000 m") if self.far == "m" else ("8'", "10'")
        for row, usual in enumerate(("A, B", "6", *apart, HANGS, NOT_KNOWN)):
            self.typed.setdefault(row, usual)

    @property
    def count(self) -> int:
        return 7

    def cell(self, row: int, column: int) -> Cell:
        label = (
            "Rows, by name",
            "Posts in each row",
            "Spacing along a row",
            "Between the rows",
            "How the scale is held",
            "What stands on them",
            "Lay them out",
        )[row]
        note = (
            "names with commas between; the first letters name the posts",
            "A1, A2 … B1, B2 …",
            "centre to centre",
            "",
            "h: hangs from the beam · s: stands on the point; see above",
            "1 to 5, as drawn above; Enter where you don't know",
            "",
        )[row]
        if column == 0:
            return Cell(label, bold=row == 6)
        if column == 2:
            return Cell(note, ink="muted")
        return Cell("Enter" if row == 6 else self.typed[row], bold=True, editable=row < 6)

    def first(self) -> Place:
        return (0, 1)

    def accept(self, row: int, column: int, text: str) -> Taken:
        clean = text.strip()
        mark = self.desk.decimal_mark
        if row == 0 and not [r for r in clean.split(",") if r.strip()]:
            raise KeelError("bad-value", "name at least one row, such as Upstream, Downstream")
        if row == 1:
            whole_number(clean, "posts in a row", 1)
        if row in (2, 3) and parse_length(clean, self.far, mark).value <= 0:
            raise KeelError("bad-value", "the spacing is above 0; measure post to post, centre to centre")
        if row == 4:
            clean = parse_sense(clean)
        if row == 5:
            clean = stands_on(clean)
        self.typed[row] = clean
        return self._on(row)

    def _on(self, row: int) -> Taken:
        """Go to the next line; the picture shows what is asked there."""
        self.typed[ASKED] = str(row + 1)
        return Taken((), (row + 1, 1))

    def enter(self, row: int) -> Taken:
        made: list[Draft] = []
        if row < 6:
            return self._on(row)
        t, mark, desk = self.typed, self.desk.decimal_mark, self.desk
        rows = list(dict.fromkeys(r.strip() for r in t[0].split(",") if r.strip()))
        drafts = grid_drafts(
            desk.work,
            rows,
            whole_number(t[1], "posts", 1),
            parse_length(t[2], self.far, mark).value,
            parse_length(t[3], self.far, mark).value,
        )
        said = desk.file.journal.latest(desk.work, "limits")
        limits = Draft(
            desk.work, "limits", {**(said.body if said is not None else {}), "sense": t[4], "beam": t[5]}
        )
        made += [limits, *drafts]
        return Taken(made)


class PointsSheet(Sheet):
    """The supports, each to be changed; a new one on the last line."""

    name = "Supports"
    hint = "Type to change · the last line adds a post · Scale: h or s · Moved by: p, s, w, j, f, t · As drawn: above the rest"

    def __init__(self, desk: SupportsDesk) -> None:
        self.desk = desk
        self.points = desk.book.points
        travels = {self._travels(point.id) for point in self.points}
        there = (
            "Packing, travel, mm"
            if len(travels) > 1
            else "Travel left, mm"
            if True in travels
            else "Packing there, mm"
        )
        self.columns = in_unit(
            (
                Column("Post", 80),
                Column("Row", 0),
                Column(f"Along, {desk.book.style.far}", 84, True),
                Column(f"Across, {desk.book.style.far}", 86, True),
                Column(there, 140, True),
                Column("Scale", 66),
                Column("Moved by", 108),
                Column("As drawn, mm", 118, True),
            ),
            desk.book.style.small,
        )

    def _travels(self, point: int) -> bool:
        return self.desk.book.means_at(point).has_travel

    @property
    def count(self) -> int:
        return len(self.points) + 1

    def cell(self, row: int, column: int) -> Cell:
        if row == len(self.points):
            return Cell(editable=column == 0, hint="another post" if column == 0 else "")
        point = self.points[row]
        travels = self._travels(point.id)
        own = self.desk.book.apart.get(point.id)
        there = point.travel if travels else point.stack
        desk_style = self.desk.book.style
        texts = (
            point.name,
            point.row,
            desk_style.place(point.x),
            desk_style.place(point.y),
            desk_style.thickness(there) if not is_missing(there) and (there or travels) else "",
            point.sense,
            OF_MEANS[own.kind] if own is not None else "",
            desk_style.amount(point.wanted, 1, signed=True) if point.wanted else "",
        )
        hint = "like the rest" if (column == 6 or (column == 4 and travels)) and not texts[column] else ""
        return Cell(texts[column], bold=column == 0, editable=True, hint=hint)

    def put_in(self, row: int) -> PutIn | None:
        """A post that was forgotten: in the row of the one below it, halfway to the one above where that stands in the row, too."""
        if not 0 <= row < len(self.points):
            return None
        below, above = self.points[row], self.points[max(row - 1, 0)]
        x = (above.x + below.x) / 2 if above.row == below.row else below.x
        place = {"row": below.row, "x_m": x, "y_m": below.y}
        standing = self.desk.file.journal.standing(self.desk.work, "point")
        return named_above(self, row, standing, "post", lambda body: {**body, **place})

    def accept(self, row: int, column: int, text: str) -> Taken:
        made: list[Draft] = []
        desk, clean = self.desk, text.strip()
        if row == len(self.points):
            self._free_name(clean)
            last = self.points[-1]
            body: dict[str, Any] = {"name": clean, "row": last.row, "x_m": last.x + 1.0, "y_m": last.y}
            made.append(Draft(desk.work, "point", body))
            return Taken(made, (row, 1))
        point = self.points[row]
        entry = next(
            e
            for e in desk.file.journal.standing(desk.work, "point")
            if desk.file.journal.first_of(e.id) == point.id
        )
        body = dict(entry.body)
        if column == 0:
            if clean != point.name:
                self._free_name(clean)
            body["name"] = clean
        elif column == 1:
            if not clean:
                raise KeelError("bad-value", "a post stands in a row; name it")
            body["row"] = clean
        elif column in (2, 3):
            body["x_m" if column == 2 else "y_m"] = parse_length(
                clean, desk.book.style.far, desk.decimal_mark
            ).value
        elif column == 4:
            value = parse_length(clean, desk.book.style.small, desk.decimal_mark).value if clean else 0.0
            travels = self._travels(point.id)
            if value < 0:
                raise KeelError("bad-value", f"{'travel' if travels else 'packing'} is 0 or more")
            put_in = point.stack - float(entry.body.get("stack_m", 0.0))  # by all rounds of all visits
            if not travels:
                # As it is now: what finished rounds put in stays on their record.
                body["stack_m"] = value - put_in
            elif clean:
                body["travel_m"] = value + put_in
            else:
                body.pop("travel_m", None)
        elif column == 6:
            return Taken(self._moved_by(point.id, clean), (min(row + 1, len(self.points)), column))
        elif column == 7:
            body["wanted_m"] = (
                parse_length(clean, desk.book.style.small, desk.decimal_mark).value if clean else 0.0
            )
        else:
            body["sense"] = parse_sense(clean)
        if body != dict(entry.body):
            made.append(Draft(desk.work, "point", body, strikes=entry.id))
        return Taken(made, (min(row + 1, len(self.points)), column))

    def _moved_by(self, point: int, text: str) -> list[Draft]:
        """Return the entry by which a post is moved by something of its own, or like the rest again."""
        kind = ""
        if text and not "like the rest".startswith(text.lower()):
            found = [key for key, word in OF_MEANS.items() if word.startswith(text.lower())]
            if len(found) != 1:
                raise KeelError(
                    "bad-value",
                    f"“{text}” moves nothing; type {', '.join(OF_MEANS.values())}, or nothing: like the rest",
                )
            kind = found[0]
        own = self.desk.book.apart.get(point)
        if kind == (own.kind if own is not None else ""):
            return []
        return [Draft(self.desk.work, "mover", {"what": kind, "values": {}, "point": point})]

    def _free_name(self, name: str) -> None:
        if not name:
            raise KeelError("bad-value", "name the post, such as C1")
        if any(point.name == name for point in self.points):
            raise KeelError("duplicate-name", f"there is a {name} already; names tell readings apart")

    def picked(self, row: int) -> int:
        return row if row < len(self.points) else -1

    def row_of(self, picked: int) -> int:
        return picked

    def strike(self, row: int) -> tuple[str, int] | None:
        if row >= len(self.points):
            return None
        point = self.points[row]
        entry = next(
            e
            for e in self.desk.file.journal.standing(self.desk.work, "point")
            if self.desk.file.journal.first_of(e.id) == point.id
        )
        return f"support {point.name} and its readings", entry.id
