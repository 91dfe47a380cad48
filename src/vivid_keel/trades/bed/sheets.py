"""Sheets of a bed: its stations, what was read across and along, by plumb frame and test bar."""

from __future__ import annotations

import math
from typing import Any

from vivid_keel.core.body.standing import LEVEL
from vivid_keel.core.errors import KeelError
from vivid_keel.core.facts import Stated
from vivid_keel.core.moving.plan import FOUND, LEFT
from vivid_keel.core.quantities import parse_length, show_number
from vivid_keel.core.record.entries import Draft, Entry
from vivid_keel.core.working import Working
from vivid_keel.desk.bubble import BubbleDesk
from vivid_keel.desk.sheet import Cell, Column, Place, Sheet, Taken
from vivid_keel.trades.bed import book as _book
from vivid_keel.trades.bed.book import ACROSS, AGAIN, ALONG, BAR, FRAME, Spot
from vivid_keel.trades.bed.result import BedResult, wanted_next
from vivid_keel.trades.bed.ways import BOB

FAR_SHIFT = 0.1
"""No bob stands further off its mark than this [m]; more is a unit forgotten."""
THICK_BAR = 1.0
"""No test bar is thicker than this [m]."""
WITH_FEET, WITHOUT = "feet", "no feet"


class BedDesk(BubbleDesk):
    """A bed while it is shown."""

    result: BedResult
    not_offered = BubbleDesk.not_offered | {"feet"}  # said in divisions, under Instrument

    @property
    def book(self) -> _book.BedBook:
        return self.result.book

    @property
    def facts(self) -> Stated:
        return self.book.facts

    def wanted(self, phase: str) -> list[Spot]:
        return [spot for spot in self.book.wants(phase) if spot not in self.book.read[phase]]

    def tilt_row(self, place: Spot) -> Any:
        return self.result.row_of(place)

    def in_it(self, place: Spot, zero: float) -> float:
        return place.way * zero + (self.book.blocks if place.sort == ACROSS else 0.0)

    def reading_draft(self, place: Spot, phase: str, text: str, tilt: float) -> Draft:
        body = {"sort": place.sort, "at": place.at, "way": place.way, "phase": phase, "text": text}
        step = self.book.division * self.book.facts.values["read"]
        if place.sort == FRAME:
            shift = math.tan(tilt) * self.book.facts.values["string"]
            body["text"], tilt, step = f"{shift * 1000:.1f} mm", round(shift, 4), 0.0001
        return Draft(self.work, "bed-reading", {**body, "value": tilt, "step": step})

    def told(self, i: int) -> tuple[Spot, float] | None:
        return self.result.told_at(i)

    def place_words(self, place: Spot) -> str:
        return self.result.where(place)

    def bring(self, choice: Any) -> BedResult:
        from vivid_keel.trades.bed.result import work_out_bed

        return work_out_bed(self.chosen.book, None, choice)  # type: ignore[arg-type]

    def stop_words(self, i: int) -> str:
        return self.result.stop_words(i)

    def watched(self, i: int) -> tuple[int, int, float] | None:
        told, body = self.result.told_at(i), self.result.body
        if told is None or body is None:
            return None
        spot, shown = told
        level, blocks = (BOB, 0.0) if spot.sort == FRAME else (LEVEL, self.book.blocks)
        return spot.at, -spot.at, shown - body.zeros[level] - blocks

    def read_next(self, phase: str) -> str:
        spot = wanted_next(self.result, phase)
        if spot is None:
            return ""
        return f"read {self.result.where(spot)}{', turned round' if spot.way < 0 else ''}"

    @property
    def left_begun(self) -> bool:
        return bool(self.book.read[LEFT])


class StationsSheet(Sheet):
    """Where the level lies across, and where there is a pair of feet; a new one on the last line."""

    name = "Stations"
    hint = "From the head to the tail · Enter on feet changes it · the last line adds one"

    def __init__(self, desk: BedDesk) -> None:
        self.desk, self.stations = desk, list(desk.book.stations)
        style = desk.book.style
        self.columns = (
            Column("Station", 120),
            Column(f"Along, {style.far}", 110, True),
            Column("Under it", 110),
            Column(f"Packing, front, {style.small}", 150, True),
            Column(f"rear, {style.small}", 90, True),
            Column("", 0),
        )

    @property
    def count(self) -> int:
        return len(self.stations) + 1

    def first(self) -> Place:
        return (len(self.stations), 0)

    def cell(self, row: int, column: int) -> Cell:
        if row == len(self.stations):
            return Cell(editable=column == 0, hint="another one" if column == 0 else "")
        s, style = self.stations[row], self.desk.book.style
        text = (
            s.name,
            style.place(s.x),
            WITH_FEET if s.feet else WITHOUT,
            style.thickness(s.front) if s.front else "",
            style.thickness(s.rear) if s.rear else "",
            "",
        )[column]
        return Cell(text, bold=column == 0, editable=column < 3 or (column < 5 and s.feet))

    def accept(self, row: int, column: int, text: str) -> Taken:
        desk, clean = self.desk, text.strip()
        if row == len(self.stations) or column == 0:
            if not clean:
                raise KeelError("bad-value", "name the station, such as head or 1")
            if any(s.name == clean for k, s in enumerate(self.stations) if k != row):
                raise KeelError("duplicate-name", f"there is a {clean} already; names tell stations apart")
        if row == len(self.stations):
            last = self.stations[-1].x if self.stations else 0.0
            body: dict[str, Any] = {"name": clean, "x_m": last, "feet": True}
            return Taken([Draft(desk.work, "bed-station", body)], (row, 1))
        entry = self._entry(row)
        body = dict(entry.body)
        if column == 0:
            body["name"] = clean
        elif column == 1:
            body["x_m"] = desk.parse_place(clean)
        elif column == 2:
            if clean and clean not in {WITH_FEET, WITHOUT}:
                raise KeelError("bad-value", f"type {WITH_FEET} or {WITHOUT}; Enter alone changes it")
            body["feet"] = clean == WITH_FEET if clean else not body["feet"]
        else:
            thick = parse_length(clean, desk.book.style.small, desk.decimal_mark).value if clean else 0.0
            if thick < 0:
                raise KeelError("bad-value", "packing is 0 or more")
            body["stack_front_m" if column == 3 else "stack_rear_m"] = thick
        made = [Draft(desk.work, "bed-station", body, strikes=entry.id)] if body != dict(entry.body) else []
        return Taken(made, lambda sheet: (sheet.count - 1, 0) if column == 1 else (row, column))

    def _entry(self, row: int) -> Entry:
        name = self.stations[row].name
        return next(
            e
            for e in self.desk.file.journal.standing(self.desk.work, "bed-station")
            if e.body["name"] == name
        )

    def strike(self, row: int) -> tuple[str, int] | None:
        if row >= len(self.stations):
            return None
        return f"the station {self.stations[row].name}", self._entry(row).id


class _ReadSheet(Sheet):
    """What was read of one sort."""

    desk: BedDesk
    phase: str
    spots: list[Spot]

    @property
    def count(self) -> int:
        return len(self.spots)

    def take(self, spot: Spot, text: str, value: float, step: float) -> Draft:
        """The entry of a reading, in place of the one before."""
        old = self.desk.book.read[self.phase].get(spot)
        body = {"sort": spot.sort, "at": spot.at, "way": spot.way, "phase": self.phase, "text": text.strip()}
        return Draft(
            self.desk.work,
            "bed-reading",
            {**body, "value": value, "step": step},
            strikes=old.id if old is not None else None,
        )

    def why(self, row: int) -> Working | None:
        at = self.spots[row].at
        i = next((k for k, p in enumerate(self.desk.book.points) if p.id == at), None)
        return None if i is None else self.desk.result.why_move(i, self.phase)


class BubbleSheet(_ReadSheet):
    """The level across at each station and stepped along, once, and turned round where that is wanted."""

    columns = (
        Column("The level lies", 210),
        Column("Bubble", 100, True),
        Column("Turned round", 120, True),
        Column("Tilt, mm/m", 110, True),
        Column("Fits to, div", 110, True),
        Column("", 0),
    )
    hint = "Divisions, or 0.06 mm/m, 12″ · + the rear or the tail end high, whichever way it lies"

    def __init__(self, desk: BedDesk, phase: str) -> None:
        self.desk, self.phase = desk, phase
        self.name = "By level" if phase == FOUND else "As left"
        self.read = desk.book.read[phase]
        book = desk.book
        self.spots = [Spot(ACROSS, s.id) for s in book.stations]
        if not book.only_itself or any(s.sort == ALONG for s in self.read):
            self.spots += [Spot(ALONG, k) for k in range(book.steps)]
        self.spots += book.comes_back(phase)

    def _at(self, row: int, column: int) -> Spot:
        spot = self.spots[row]
        return Spot(spot.sort, spot.at, 1 if column == 1 else -1)

    def first(self) -> Place:
        wanted = wanted_next(self.desk.result, self.phase)
        if wanted is None:
            wanted = next((s for s in self.desk.book.comes_back(self.phase) if s not in self.read), None)
        at = next(
            (k for k, s in enumerate(self.spots) if wanted and (s.sort, s.at) == (wanted.sort, wanted.at)), 0
        )
        return (at, 2 if wanted is not None and wanted.way < 0 else 1)

    def cell(self, row: int, column: int) -> Cell:
        if row >= self.count:
            return Cell()
        spot = self.spots[row]
        if column == 0:
            return Cell(self.desk.result.where(spot), bold=True)
        if column in {1, 2}:
            one = self.read.get(self._at(row, column))
            asked = column == 1 or not (row or self.desk.book.only_itself)
            hint = "" if one else "div" if asked else "·"
            return Cell(one.text if one else "", bold=True, editable=True, hint=hint)
        both = [(way, one) for way in (1, -1) if (one := self.read.get(Spot(spot.sort, spot.at, way)))]
        if column == 5 and not row and len(both) < 2 and not self.desk.book.only_itself:
            return Cell("turned round here once: it frees all of the level's own error", ink="muted")
        if column == 5 and spot.sort == AGAIN and not both:
            return Cell("come back last: did anything move?", ink="muted")
        if not both or column == 5:
            return Cell()
        if column == 3:
            mean = sum(one.value for _, one in both) / len(both)
            return Cell(show_number(math.tan(mean) * 1000, 3, signed=True), ink="muted")
        way, one = both[0]
        off = self.desk.result.would_show(Spot(spot.sort, spot.at, way), self.phase) - one.value
        text = "" if math.isnan(off) else show_number(off / self.desk.division, 1, signed=True)
        return Cell(text, ink="muted")

    def accept(self, row: int, column: int, text: str) -> Taken:
        tilt = self.desk.parse_bubble(text)
        return Taken(
            [self.take(self._at(row, column), text, tilt.value, tilt.resolution)],
            lambda sheet: sheet.first(),
        )

    def match_place(self, row: int, column: int) -> Place | None:
        return (row, column if column in {1, 2} else 1) if 0 <= row < self.count else self.first()

    def strike(self, row: int) -> tuple[str, int] | None:
        for way in (-1, 1):
            one = self.read.get(Spot(self.spots[row].sort, self.spots[row].at, way))
            if one is not None:
                return f"the reading {one.text}", one.id
        return None


class FrameSheet(_ReadSheet):
    """Where the bob of a plumb frame hangs at each station."""

    hint = "The bob's mark on the frame's scale, + towards the operator; wait until it hangs still"

    def __init__(self, desk: BedDesk, phase: str) -> None:
        self.desk, self.phase = desk, phase
        self.name = "Plumb frame" if phase == FOUND else "Frame, as left"
        self.columns = (
            Column("The frame stands", 190),
            Column(f"Bob at, {desk.book.style.small}", 120, True),
            Column("Twist, mm/m", 120, True),
            Column("", 0),
        )
        self.read = desk.book.read[phase]
        self.spots = [Spot(FRAME, s.id) for s in desk.book.stations]

    def first(self) -> Place:
        return (next((k for k, s in enumerate(self.spots) if s not in self.read), 0), 1)

    def cell(self, row: int, column: int) -> Cell:
        if row >= self.count:
            return Cell()
        spot = self.spots[row]
        one, head = self.read.get(spot), self.read.get(self.spots[0])
        if column == 0:
            return Cell(self.desk.result.where(spot), bold=True)
        if column == 1:
            hint = "" if one else self.desk.book.style.small
            return Cell(one.text if one else "", bold=True, editable=True, hint=hint)
        if column == 2 and one and head:
            leans = (one.value - head.value) / self.desk.book.facts.values["string"]
            return Cell(show_number(leans * 1000, 3, signed=True), ink="muted")
        return Cell()

    def accept(self, row: int, column: int, text: str) -> Taken:
        desk = self.desk
        length = parse_length(text, desk.book.style.small, desk.decimal_mark)
        if abs(length.value) > FAR_SHIFT:
            raise KeelError(
                "bad-value", f"{text.strip()}: no bob hangs so far off its mark; was another unit meant?"
            )
        made = self.take(self.spots[row], text, length.value, length.resolution)
        return Taken([made], (min(row + 1, self.count - 1), 1))

    def strike(self, row: int) -> tuple[str, int] | None:
        one = self.read.get(self.spots[row])
        return None if one is None else (f"the bob at {one.text}", one.id)


class BarSheet(_ReadSheet):
    """The diameters that a cut left on a test bar."""

    hint = "A light cut over a stout bar, not supported at its end; the diameter near the chuck and at the free end"

    def __init__(self, desk: BedDesk, phase: str) -> None:
        self.desk, self.phase = desk, phase
        self.name = "Test bar" if phase == FOUND else "Bar, as left"
        self.columns = (
            Column("Measured", 190),
            Column(f"Diameter, {desk.book.style.small}", 150, True),
            Column("", 0),
        )
        self.read = desk.book.read[phase]
        self.spots = [Spot(BAR, 0), Spot(BAR, 1)]

    def first(self) -> Place:
        return (next((k for k, s in enumerate(self.spots) if s not in self.read), 0), 1)

    def cell(self, row: int, column: int) -> Cell:
        if row >= self.count:
            return Cell()
        one = self.read.get(self.spots[row])
        if column == 0:
            return Cell(self.desk.result.where(self.spots[row]), bold=True)
        if column == 1:
            hint = "" if one else self.desk.book.style.small
            return Cell(one.text if one else "", bold=True, editable=True, hint=hint)
        head, tail = (self.read.get(spot) for spot in self.spots)
        if not row or head is None or tail is None:
            return Cell()
        front = "front at the tail is low" if tail.value > head.value else "rear at the tail is low"
        return Cell("" if tail.value == head.value else f"the {front}", ink="muted")

    def accept(self, row: int, column: int, text: str) -> Taken:
        desk = self.desk
        length = parse_length(text, desk.book.style.small, desk.decimal_mark)
        if not 0 < length.value < THICK_BAR:
            raise KeelError("bad-value", f"{text.strip()} is no diameter of a bar; was another unit meant?")
        made = self.take(self.spots[row], text, length.value, length.resolution)
        return Taken([made], (min(row + 1, 1), 1))

    def strike(self, row: int) -> tuple[str, int] | None:
        one = self.read.get(self.spots[row])
        return None if one is None else (f"the diameter {one.text}", one.id)


def read_sheets(desk: BedDesk, phase: str) -> list[Sheet]:
    """Return what can be read in a phase: as left, what was read as found."""
    sorts = {spot.sort for spot in desk.book.read[FOUND]}
    if phase == FOUND or not sorts:
        return [BubbleSheet(desk, phase), FrameSheet(desk, phase), BarSheet(desk, phase)]
    made: list[Sheet] = [BubbleSheet(desk, phase)] if sorts & {ACROSS, ALONG} else []
    if FRAME in sorts:
        made.append(FrameSheet(desk, phase))
    return [*made, *([BarSheet(desk, phase)] if BAR in sorts else [])]
