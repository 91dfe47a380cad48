"""What is typed in the yard, one reading at a time, in site mode: on the pad, by a finger or the mouse."""

from __future__ import annotations

from vivid_keel.core.record.entries import Draft
from vivid_keel.desk.cell_site import CellBooking, Wanted
from vivid_keel.desk.site import SiteBooking
from vivid_keel.yard.practising import Practising
from vivid_keel.yard.rounds import Rounds
from vivid_keel.yard.scenes import slides
from vivid_keel.yard.sheets import HandsSheet, ReadSheet
from vivid_keel.yard.staff import EIGHTHS, READINGS, StaffExercise


class SitePractising(Practising):
    """The practice of one learner, with what site mode books in."""

    def site_booking(self) -> SiteBooking | None:
        return CellBooking(self, self, "the other way") if self.now is not None else None

    def site_closed(self) -> str:
        return "" if self.now is not None else "it is done: Esc leads back to what came of it"

    def wanted_cells(self) -> list[Wanted]:
        """What is typed: the readings still to be made, or what the hands are asked for, the one in use first."""
        exercise, now = self.exercise, self.now
        if isinstance(exercise, StaffExercise) and now is not None:
            reads, k = ReadSheet(self), len(now.done)
            unit, label = (EIGHTHS, "feet and inches") if exercise.unit == EIGHTHS else ("m", "metres")
            return [
                Wanted(f"reading {n + 1}", "the middle hair", unit, label, "Practise", reads, n, 1)
                for n in range(k, READINGS)
            ]
        if not isinstance(exercise, Rounds) or now is None:
            return []
        sheet = HandsSheet(self)
        rows = [k for k, hand in enumerate(exercise.hands) if hand.asks and not slides(hand)]
        rows.sort(key=lambda k: k != self.focus)
        return [
            Wanted(one.name, one.note or one.name, "m", one.asks, "Practise", sheet, k, 1)
            for k, one in ((k, exercise.hands[k]) for k in rows)
        ]

    def taken_back(self) -> tuple[str, list[Draft]] | None:
        """What was done last is struck; it stays legible."""
        done = self.file.journal.standing(self.work, "yard-act")
        if self.now is None or not self.now.acts or not done:
            return None
        last = max(done, key=lambda entry: entry.id)
        return str(last.body["text"]), [
            Draft(self.work, "strike", {"reason": "struck on site"}, strikes=last.id)
        ]
