"""The sheet on which a surface is read, and the map of it."""

from __future__ import annotations

import math

import numpy as np

from vivid_keel.core.quantities import show_number
from vivid_keel.core.record.entries import Draft
from vivid_keel.desk.sheet import Cell, Column, Place, Sheet, Taken
from vivid_keel.figures.contours import contours
from vivid_keel.figures.display import Picture
from vivid_keel.trades.slab.sheets import SlabDesk
from vivid_keel.trades.slab.surface import Surface


class SurfaceSheet(Sheet):
    """A level stepped along eight lines; Enter goes on to the next place."""

    name = "Surface"
    columns = (
        Column("The level stands on", 230),
        Column("Bubble", 110, True),
        Column("Tilt, mm/m", 110, True),
        Column("Fits to, div", 110, True),
        Column("", 0),
    )
    hint = "Divisions, + the end it goes to high; a line from its first letter to its second"

    def __init__(self, desk: SlabDesk) -> None:
        self.desk = desk
        assert desk.book.surface is not None
        self.surface: Surface = desk.book.surface
        self.places = self.surface.wanted
        body = self.surface.body
        self.fits = (
            dict(zip(self.surface.laid, body.residuals.tolist(), strict=True)) if body is not None else {}
        )

    @property
    def count(self) -> int:
        return len(self.places)

    def first(self) -> Place:
        return (next((k for k, s in enumerate(self.places) if s not in self.surface.read), 0), 1)

    def cell(self, row: int, column: int) -> Cell:
        if row >= self.count:
            return Cell()
        at = self.places[row]
        one = self.surface.read.get(at)
        if column == 0:
            return Cell(self.surface.where(at), bold=True)
        if column == 1:
            return Cell(one.text if one else "", bold=True, editable=True, hint="" if one else "div")
        if one is None or column == 4:
            return Cell()
        if column == 2:
            return Cell(show_number(math.tan(one.tilt) * 1000, 3, signed=True), ink="muted")
        off = self.fits.get(at)
        text = "" if off is None else show_number(off / self.desk.division, 1, signed=True)
        return Cell(text, ink="muted")

    def accept(self, row: int, column: int, text: str) -> Taken:
        tilt, at = self.desk.parse_bubble(text), self.places[row]
        old = self.surface.read.get(at)
        body = {"line": at.line, "step": at.step, "way": at.way, "text": text.strip()}
        made = Draft(
            self.desk.work,
            "surface",
            {**body, "tilt_rad": tilt.value, "step_rad": tilt.resolution},
            strikes=old.id if old else None,
        )
        return Taken(
            [made], lambda sheet: sheet.first() if old is None else (min(row + 1, self.count - 1), 1)
        )

    def match_place(self, row: int, column: int) -> Place | None:
        return (row, 1) if 0 <= row < self.count else self.first()

    def strike(self, row: int) -> tuple[str, int] | None:
        one = self.surface.read.get(self.places[row]) if row < self.count else None
        return None if one is None else (f"the reading {one.text}", one.id)


def surface_map(surface: Surface | None, width: float, height: float) -> Picture:
    """Return the surface as lines of one height off its flattest plane; the pattern while it isn't all read."""
    if surface is None or not surface.measured:
        picture = Picture(width, height)
        picture.text(
            width / 2,
            height / 2,
            "Say under Instrument how long and wide the surface is.",
            "muted",
            15,
            align="centre",
        )
        return picture
    places, at = surface.nodes
    off = surface.off if surface.body is not None else np.full(len(places), np.nan)
    read = [(places[at[s.line, s.step]], places[at[s.line, s.step + 1]]) for s in surface.laid]
    lines = [(a, b) for a, b in surface.ends]
    return contours(places, off, lines, read, surface.style, width, height)
