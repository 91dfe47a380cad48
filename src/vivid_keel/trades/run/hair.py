"""Reading by matching: the hair slid on the drawn staff to what is seen."""

from __future__ import annotations

from vivid_keel.core.quantities import show_length, style_for
from vivid_keel.desk.work import WorkDesk
from vivid_keel.figures.display import Picture
from vivid_keel.figures.staff_face import hair_step, staff_face
from vivid_keel.trades.run.book import RunBook, SightRow
from vivid_keel.trades.run.typed import TypedSight

START = 1.5
"""Where the hair lies before anything is read [m]."""


class HairDesk(WorkDesk):
    """A desk on which a staff is read; the book and what is being typed come from the run's own."""

    in_hand: TypedSight | None

    def begin(self) -> None:
        self.hair: float | None = None
        self._centre = START

    @property
    def book(self) -> RunBook:
        return self.result.book  # type: ignore[no-any-return]

    def staff(
        self, width: float, height: float, *, upside_down: bool = False, look: SightRow | None = None
    ) -> Picture:
        """Return the staff with the hair where it was slid, where a reading is typed, or where the last one was."""
        hair = self.hair_at()
        if self.hair is None:
            self._centre = hair
        title = self.named_mark()
        others = ((abs(look.reading), "first look"),) if look is not None else ()
        return staff_face(
            self.book.style,
            hair,
            self._centre,
            width,
            height,
            upside_down=upside_down,
            title=title,
            others=others,
        )

    def hair_at(self) -> float:
        """Where the hair lies [m]."""
        if self.hair is not None:
            return self.hair
        if self.in_hand is not None:
            return abs(self.in_hand.reading)
        return abs(self.book.rows[self.book.sights[-1]].reading) if self.book.sights else START

    def drag(self, value: float, *, done: bool) -> None:
        step = hair_step(self.book.style)
        self.hair = max(0.0, round(value / step) * step)
        if done or abs(self.hair - self._centre) > 0.05:
            self._centre = self.hair

    def matched(self) -> str:
        if self.hair is None:
            return ""
        style = style_for(self.book.unit, hair_step(self.book.style))
        return show_length(self.hair, style).replace("−", "-").replace("′", "'").replace("″", '"')

    @property
    def step(self) -> float:
        return hair_step(self.book.style)

    def named_mark(self) -> str:
        """The mark that is read now."""
        return ""
