"""Sheets of a top made of panels: the panels, the frame, what level and finger told."""

from __future__ import annotations

import math
import re
from typing import Any

from vivid_keel.core.errors import KeelError
from vivid_keel.core.facts import Stated
from vivid_keel.core.moving.plan import FOUND, LEFT
from vivid_keel.core.quantities import parse_length, parse_tilt, show_amount, show_number
from vivid_keel.core.record.entries import Draft, Entry
from vivid_keel.core.working import Working
from vivid_keel.desk.bubble import BubbleDesk
from vivid_keel.desk.put_above import named_above
from vivid_keel.desk.sheet import Cell, Column, Place, PutIn, Sheet, Taken
from vivid_keel.trades.panels import book as _book
from vivid_keel.trades.panels.book import ALONG, OVER, ROCKS, SEAM
from vivid_keel.trades.panels.frame import ALONG as LENGTHWISE
from vivid_keel.trades.panels.result import PanelsResult, wanted_places, work_out_panels

FELT = {"flush": 0.0, "0": 0.0, "high": 1.0, "low": -1.0}
"""What a finger says of a step, in fingernails."""
STEPS = 0.02
"""No seam steps by more than this [m]; more is a unit forgotten."""
STEEP = 0.1
"""No frame lies steeper [rad]."""
LARGEST = 20.0
"""No panel is longer than this [m]."""
GRID = re.compile(r"(\d+)\s*[x×*by ]+\s*(\d+)", re.IGNORECASE)


class PanelsDesk(BubbleDesk):
    """A top while it is shown."""

    result: PanelsResult
    not_offered = BubbleDesk.not_offered | {"order", "feet"}

    @property
    def book(self) -> _book.PanelsBook:
        return self.result.book

    @property
    def facts(self) -> Stated:
        return self.book.facts

    def bring(self, choice: Any) -> PanelsResult:
        return work_out_panels(self.chosen.book, None, choice)  # type: ignore[arg-type]

    def wanted(self, phase: str) -> list[_book.Place]:
        return wanted_places(self.book, phase)

    def lies_at(self) -> Any:
        place = super().lies_at()
        return None if place is not None and place[0] == SEAM else place  # a seam is felt: no level tells it

    def tilt_row(self, place: _book.Place) -> Any:
        return self.result.row_of(place)

    def in_it(self, place: _book.Place, zero: float) -> float:
        return 0.0 if place[0] == SEAM else (-zero if place[2] < 0 else zero)

    def reading_draft(self, place: _book.Place, phase: str, text: str, tilt: float) -> Draft:
        return self._draft(place, phase, text, tilt, self.book.u_tilt)

    def _draft(self, place: _book.Place, phase: str, text: str, value: float, u: float) -> Draft:
        what, panel, which = place
        body = {"what": what, "panel": panel, "which": which, "phase": phase, "text": text.strip()}
        return Draft(self.work, "panel-reading", {**body, "value": value, "u": u})

    def draft_at(self, place: _book.Place, phase: str, typed: str) -> Draft:
        """Return the entry of what was typed: a tilt, a step felt or measured, or that a panel rocks."""
        if typed.strip().lower() == ROCKS:
            if place[0] in {SEAM, OVER}:
                raise KeelError("bad-value", "a panel rocks, no seam does: say it where that panel is read")
            return self._draft((ROCKS, place[1], 0), phase, typed, 0.0, 0.0)
        if place[0] != SEAM:
            tilt = self.parse_bubble(typed)
            return self._draft(place, phase, typed, tilt.value, self.book.u_tilt)
        nail, felt = self.book.nail, FELT.get(typed.strip().lower())
        if felt is not None:
            return self._draft(place, phase, typed, felt * nail, nail / math.sqrt(3))
        step = parse_length(typed, self.book.style.small, self.decimal_mark)
        if abs(step.value) > STEPS:
            raise KeelError(
                "bad-value", f"{typed.strip()} is no step between panels; was another unit meant?"
            )
        return self._draft(
            place,
            phase,
            typed,
            step.value,
            max(step.resolution, self.facts.values["feeler"]) / math.sqrt(12),
        )

    def seen_of(self, place: _book.Place, phase: str, true: float, when: int) -> Draft:
        if place[0] != SEAM:
            return super().seen_of(place, phase, true, when)
        nails = round(true / self.book.nail)
        if abs(nails) <= 1:
            return self.draft_at(place, phase, next(word for word, n in FELT.items() if n == nails))
        text = show_number(nails * self.book.nail * 1000, 2, signed=True).replace("−", "-")
        return self.draft_at(place, phase, f"{text} mm")

    def told(self, i: int) -> tuple[_book.Place, float] | None:
        return self.result.told_at(i)

    def place_words(self, place: _book.Place) -> str:
        return self.result.where(place)

    def asked_at(self, place: _book.Place) -> str:
        if place[0] != SEAM:
            return super().asked_at(place)
        return "by touch: flush, high or low (the panel behind the seam); or a step by feelers, such as 0.15"

    def stop_words(self, i: int) -> str:
        return self.result.stop_words(i)

    def watched(self, i: int) -> tuple[int, int, float] | None:
        return None  # a panel goes as a whole: no two of its points have the level between them

    def read_next(self, phase: str) -> str:
        wanted = self.wanted(phase)
        if not wanted:
            return ""
        where = self.result.where(wanted[0])
        return f"feel the {where}" if wanted[0][0] == SEAM else f"lay the level: {where}"

    @property
    def left_begun(self) -> bool:
        return bool(self.book.read[LEFT])


class PanelSheet(Sheet):
    """The panels in a row, a line each; a new one on the last line."""

    name = "Panels"
    hint = "In a row, from the left · fixed at: so many along × across, wedge and screw at each · the last line adds a panel"

    def __init__(self, desk: PanelsDesk) -> None:
        self.desk, self.panels = desk, desk.book.panels
        far = desk.book.style.far
        self.columns = (
            Column("Panel", 120),
            Column(f"Long, {far}", 120, True),
            Column(f"Wide, {far}", 120, True),
            Column("Fixed at", 120, True),
            Column("", 0),
        )

    @property
    def count(self) -> int:
        return len(self.panels) + 1

    def first(self) -> Place:
        return (len(self.panels), 0)

    def cell(self, row: int, column: int) -> Cell:
        if row >= len(self.panels):
            return Cell(editable=column == 0, hint="another panel" if column == 0 else "")
        one, style = self.panels[row], self.desk.book.style
        if column == 4:
            names = [p.name for p in self.desk.book.points if p.row == one.name]
            return Cell(f"{names[0]} to {names[-1]}, the near row first", ink="muted")
        text = (one.name, style.place(one.long), style.place(one.wide), f"{one.along} × {one.across}")[column]
        return Cell(text, bold=column == 0, editable=True)

    def put_in(self, row: int) -> PutIn | None:
        standing = self.desk.file.journal.standing(self.desk.work, "panel")
        return named_above(self, row, standing, "panel")

    def accept(self, row: int, column: int, text: str) -> Taken:
        desk, clean = self.desk, text.strip()
        if column == 0:
            if not clean:
                raise KeelError("bad-value", "a panel needs a name")
            if any(one.name.casefold() == clean.casefold() for k, one in enumerate(self.panels) if k != row):
                raise KeelError("duplicate-name", f"there is a {clean} already; names tell panels apart")
        if row >= len(self.panels):
            last = self.panels[-1] if self.panels else None
            size = {"long_m": last.long if last else 1.0, "wide_m": last.wide if last else 0.8}
            grid = {"along": last.along if last else 2, "across": last.across if last else 2}
            return Taken([Draft(desk.work, "panel", {"name": clean, **size, **grid})], (row, 1))
        entry = self._entry(row)
        body = dict(entry.body)
        if column == 0:
            body["name"] = clean
        elif column < 3:
            length = desk.parse_place(clean)
            if not 0.02 <= length <= LARGEST:
                raise KeelError(
                    "bad-value", f"{clean}: a panel is from 20 mm to {LARGEST:.0f} m; was another unit meant?"
                )
            body["long_m" if column == 1 else "wide_m"] = length
        else:
            found = GRID.fullmatch(clean)
            if found is None or not all(2 <= int(n) <= _book.GRID for n in found.groups()):
                raise KeelError(
                    "bad-value", f"so many along × across, such as 2 × 2 or 3x2; each from 2 to {_book.GRID}"
                )
            body["along"], body["across"] = int(found[1]), int(found[2])
        made = [Draft(desk.work, "panel", body, strikes=entry.id)] if body != dict(entry.body) else []
        return Taken(made, (row, column + 1) if column < 3 else (row + 1, 0))

    def _entry(self, row: int) -> Entry:
        return self.desk.file.journal.standing(self.desk.work, "panel")[row]

    def strike(self, row: int) -> tuple[str, int] | None:
        if row >= len(self.panels):
            return None
        return f"the panel {self.panels[row].name}", self._entry(row).id


class PanelReadSheet(Sheet):
    """What level and finger told, in the order of work."""

    columns = (
        Column("Where", 220),
        Column("Seen", 130, True),
        Column("That is", 130, True),
        Column("Fits to", 100, True),
        Column("", 0),
    )
    hint = "Level: divisions, + the arrow's end high (along: right, across: far) · seam: flush, high, low, or a step · rocks: it does"

    def __init__(self, desk: PanelsDesk, phase: str) -> None:
        self.desk, self.phase = desk, phase
        self.name = "As found" if phase == FOUND else "As left"
        self.read = {p: s for p, s in desk.book.read[phase].items() if p[0] != ROCKS}
        known = desk.book.facts.values["zero"] > 0.5
        ids = {one.id for one in desk.book.panels}
        self.places = [p for p in desk.book.places if p in self.read or not (known and p[2] < 0)]
        self.places += [p for p in self.read if p not in desk.book.places and p[1] in ids]
        self.places += [p for p in desk.result.more(phase)[0] if p not in self.places]
        self.rocking = {one.id for one in desk.book.rocking}

    @property
    def count(self) -> int:
        return len(self.places)

    def first(self) -> Place:
        return (next((k for k, p in enumerate(self.places) if p not in self.read), 0), 1)

    def cell(self, row: int, column: int) -> Cell:
        if row >= self.count:
            return Cell()
        place = self.places[row]
        one, style = self.read.get(place), self.desk.book.style
        seam = place[0] == SEAM
        if column == 0:
            return Cell(self.desk.result.where(place), bold=True)
        if column == 1:
            hint = "" if one else ("touch" if seam else "div")
            return Cell(one.text if one else "", bold=True, editable=True, hint=hint)
        if column == 4 and place[1] in self.rocking and place[0] in {ALONG, _book.ACROSS}:
            return Cell("it rocks: nothing read on it holds", ink="open")
        if one is None or column == 4:
            words = "the same place once more: it frees all of the level's own error" if place[2] < 0 else ""
            return Cell(words if column == 4 and one is None else "", ink="muted")
        if column == 2:
            said = (
                f"{show_amount(one.value, style, signed=True)}"
                if seam
                else f"{show_number(math.tan(one.value) * 1000, 3, signed=True)} mm/m"
            )
            return Cell(said, ink="muted")
        off = self.desk.result.would_show(place, self.phase) - one.value
        if math.isnan(off):
            return Cell()
        return Cell(
            show_amount(off, style, 1, signed=True)
            if seam
            else f"{show_number(off / self.desk.division, 1, signed=True)} div",
            ink="muted",
        )

    def accept(self, row: int, column: int, text: str) -> Taken:
        place, old = self.places[row], self.read.get(self.places[row])
        made = self.desk.draft_at(place, self.phase, text)
        if old is not None and made.body["what"] != ROCKS:
            made = Draft(made.work, made.kind, made.body, strikes=old.id)
        return Taken(
            [made], lambda sheet: sheet.first() if old is None else (min(row + 1, self.count - 1), 1)
        )

    def match_place(self, row: int, column: int) -> Place | None:
        return (row, 1) if 0 <= row < self.count else self.first()

    def strike(self, row: int) -> tuple[str, int] | None:
        one = self.read.get(self.places[row]) if row < self.count else None
        return None if one is None else (f"the reading {one.text}", one.id)

    def why(self, row: int) -> Working | None:
        return self.desk.result.why_move(self.picked(row), self.phase) if row < self.count else None

    def picked(self, row: int) -> int:
        """The first fixing point of the panel that a line reads."""
        if row >= self.count:
            return -1
        names = {one.id: one.name for one in self.desk.book.panels}
        return next(
            (k for k, p in enumerate(self.desk.book.points) if p.row == names[self.places[row][1]]), -1
        )


class FrameSheet(Sheet):
    """The frame under the panels: long level lengthwise, short one across, before and after its legs were packed."""

    name = "Frame"
    columns = (
        Column("Where", 220),
        Column("As found, mm/m", 140, True),
        Column("Packed, mm/m", 140, True),
        Column("", 0),
    )
    hint = "mm/m, or any tilt with its unit; + the next pair high, or the far leg · Legs says what goes under each"

    def __init__(self, desk: PanelsDesk) -> None:
        self.desk = desk
        assert desk.book.frame is not None
        self.frame = desk.book.frame

    @property
    def count(self) -> int:
        return len(self.frame.places)

    def first(self) -> Place:
        for column, phase in ((1, FOUND), (2, LEFT)):
            for row, place in enumerate(self.frame.places):
                if place not in self.frame.read[phase]:
                    return (row, column)
        return (0, 1)

    def cell(self, row: int, column: int) -> Cell:
        if row >= self.count or column == 3:
            return Cell()
        what, k = self.frame.places[row]
        if column == 0:
            return Cell(
                f"pair {k + 1} → {k + 2}" if what == LENGTHWISE else f"across at pair {k + 1}", bold=True
            )
        one = self.frame.read[FOUND if column == 1 else LEFT].get((what, k))
        return Cell(one.text if one else "", bold=True, editable=True)

    def accept(self, row: int, column: int, text: str) -> Taken:
        what, k = self.frame.places[row]
        phase = FOUND if column == 1 else LEFT
        tilt, old = parse_tilt(text, "mm/m", self.desk.decimal_mark), self.frame.read[phase].get((what, k))
        if abs(tilt.value) > STEEP:
            raise KeelError("bad-value", f"{text.strip()}: no frame lies so steep; was another unit meant?")
        body = {"what": what, "at": k, "phase": phase, "text": text.strip(), "tilt_rad": tilt.value}
        made = Draft(self.desk.work, "frame-reading", body, strikes=old.id if old else None)
        return Taken([made], (row + 1, column) if row + 1 < self.count else (0, min(column + 1, 2)))

    def strike(self, row: int) -> tuple[str, int] | None:
        if row >= self.count:
            return None
        for phase in (LEFT, FOUND):
            one = self.frame.read[phase].get(self.frame.places[row])
            if one is not None:
                return f"the reading {one.text}", one.id
        return None


class LegsSheet(Sheet):
    """What goes under each leg of the frame, to bring it to its highest."""

    name = "Legs"
    hint = "To the frame's highest leg; it need be no truer than what the fixing points take up"

    def __init__(self, desk: PanelsDesk) -> None:
        assert desk.book.frame is not None
        self.frame, small = desk.book.frame, desk.book.style.small
        left = self.frame.packing(LEFT)
        self.packing = left if left is not None else self.frame.packing(FOUND)
        self.columns = (
            Column("Pair", 120),
            Column(f"Near leg, {small}", 140, True),
            Column(f"Far leg, {small}", 140, True),
            Column("", 0),
        )

    @property
    def count(self) -> int:
        return self.frame.pairs

    def cell(self, row: int, column: int) -> Cell:
        if row >= self.count or column == 3:
            return Cell()
        if column == 0:
            return Cell(f"pair {row + 1}", bold=True)
        if self.packing is None:
            return Cell()
        up = float(self.packing[row, column - 1])
        return Cell(
            "stays" if up < self.frame.facts.values["long_read"] * 0.1 else self.frame.style.amount(up, 1)
        )
