"""A stretch of track one sleeper at a time, in site mode."""

from __future__ import annotations

from vivid_keel.core.moving.plan import FOUND, LEFT
from vivid_keel.core.record.entries import Draft
from vivid_keel.desk.cell_site import CellBooking, Wanted
from vivid_keel.desk.site import SiteBooking
from vivid_keel.trades.track.book import CROSS, SIGHT, STAFF
from vivid_keel.trades.track.lifts import in_words
from vivid_keel.trades.track.sheets import SleepersSheet, TrackDesk


class TrackSiteDesk(TrackDesk):
    """A stretch of track with what site mode books in."""

    def site_booking(self) -> SiteBooking | None:
        return CellBooking(self, self, "left high (−)")

    def site_closed(self) -> str:
        return "read the cautions first, at the table" if self.cautions_first else ""

    def wanted_cells(self) -> list[Wanted]:
        """The rail top as found, then the cross level, and after traffic the rail top again."""
        book, result = self.book, self.result
        top = book.rail_top
        words = {SIGHT: "sight it: measures, to the quarter", STAFF: "the staff on the rail"}.get(
            top, "down from the wire to the rail"
        )
        unit, label = {SIGHT: ("m", "measures"), STAFF: ("m", "metres")}.get(top, ("mm", "millimetres"))
        sheet = SleepersSheet(self, FOUND)
        out = [
            Wanted(f"sleeper {k}", words, unit, label, "Readings", sheet, k - 1, 1) for k in result.to_sight
        ]
        levels = book.of(FOUND, CROSS)
        level = "cross level, + where the right rail is high"
        out += [
            Wanted(f"sleeper {k}, level", level, "mm", "millimetres", "Readings", sheet, k - 1, 2)
            for k in book.sighted
            if k - 1 not in levels
        ]
        if not out and result.total > 0 and not self.refused:
            again = SleepersSheet(self, LEFT)
            packed = f"once {in_words(result.total)} cans lie under and traffic has passed: {words}"
            out = [
                Wanted(f"sleeper {k} again", packed, unit, label, "Proof", again, k - 1, 1)
                for k in result.to_sight_again
            ]
        return out

    def taken_back(self) -> tuple[str, list[Draft]] | None:
        """What was read last is struck."""
        read = self.file.journal.standing(self.work, "track-reading")
        if not read:
            return None
        last = max(read, key=lambda e: e.id)
        said = f"{last.body['text']} at sleeper {last.body['sleeper']}"
        return said, [Draft(self.work, "strike", {"reason": "struck on site"}, strikes=last.id)]
