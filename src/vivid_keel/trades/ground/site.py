"""A piece of ground one point at a time, in site mode."""

from __future__ import annotations

import math

from vivid_keel.core.record.entries import Draft
from vivid_keel.desk.cell_site import CellBooking, Wanted
from vivid_keel.desk.site import SiteBooking
from vivid_keel.trades.ground.book import DOWN, HYDRO
from vivid_keel.trades.ground.desk import GroundDesk
from vivid_keel.trades.ground.line_sheets import TopsSheet
from vivid_keel.trades.ground.sheets import LooksSheet, PointsSheet


class GroundSiteDesk(GroundDesk):
    """A piece of ground with what site mode books in."""

    def site_booking(self) -> SiteBooking | None:
        return CellBooking(self, self, "high (−)") if self.book.points else None

    def site_closed(self) -> str:
        return "read the cautions first, at the table" if self.cautions_first else ""

    def wanted_cells(self) -> list[Wanted]:
        """The benchmark first where a liquid level is read, then every point, the tops of walls, and the benchmark last."""
        book, style = self.book, self.book.style
        by = book.facts.texts["by"]
        words = {DOWN: "down from the line", HYDRO: "what the liquid level reads"}.get(by, "its height")
        label = str(style.label)
        points = PointsSheet(self)
        out = [
            Wanted(
                p.name,
                f"{words}, at {style.place(p.x)} along, {style.place(p.y)} across; {'edge' if p.edge else 'inside'}",
                book.unit,
                label,
                "Readings",
                points,
                k,
                3,
            )
            for k, p in enumerate(book.points)
            if math.isnan(p.read)
        ]
        tops = TopsSheet(self)
        out += [
            Wanted(
                f"{book.points[k].name}, top",
                f"{words}, on top of the wall",
                book.unit,
                label,
                "Readings",
                tops,
                row,
                2,
            )
            for row, k in enumerate(tops.feet)
            if k not in book.tops
        ]
        walk = book.hydro
        if by == HYDRO and (walk is None or (walk.unchecked and not out)):
            first = walk is None
            look = Wanted(
                "benchmark",
                "the liquid level at its benchmark, before the first point"
                if first
                else "the liquid level at its benchmark, last of all",
                book.unit,
                label,
                "Readings",
                LooksSheet(self),
                len(book.looks),
                1,
            )
            out = [look, *out]
        return out

    def taken_back(self) -> tuple[str, list[Draft]] | None:
        """A point is as it was before it was read; a look or a wall's top is struck."""
        journal = self.file.journal
        read = [
            e
            for e in journal.standing(self.work, "ground-point", "ground-look", "ground-top", "ground-behind")
            if "reading" in e.body
        ]
        if not read:
            return None
        last = max(read, key=lambda e: e.id)
        said = str(last.body["reading"]["text"])
        if last.kind == "ground-point":
            with_it = len(journal.act_entries(last.act)) - 1
            more = f" and {with_it} more, read at once" if with_it else ""
            return f"{last.body['name']} {said}{more}", [Draft(self.work, "undo", {"act": last.act})]
        return said, [Draft(self.work, "strike", {"reason": "struck on site"}, strikes=last.id)]
