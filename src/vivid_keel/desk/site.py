"""What site mode shows and does: one reading at a time."""

from __future__ import annotations

from typing import Protocol

from vivid_keel.figures.display import Picture


class SiteBooking(Protocol):
    """One reading at a time: a mark, a kind, and what is typed so far."""

    text: str
    said: str
    wrong: bool

    @property
    def unit(self) -> str:
        """The unit that readings are typed in; feet and inches want fractions on the pad."""

    @property
    def unit_label(self) -> str:
        """The unit in words."""

    @property
    def mark(self) -> str:
        """What is read now."""

    @property
    def kind(self) -> int:
        """Which kind of reading it is."""

    @property
    def step(self) -> float:
        """The smallest difference that the picture's hair goes by [m]."""

    def picture(self, width: float, height: float) -> Picture:
        """Return what is seen there."""

    def drag(self, value: float, *, done: bool) -> None:
        """Slide the hair to a reading [m], and take it as typed."""

    def head(self) -> str:
        """Return the line at the top."""

    def ask(self) -> str:
        """Return what to do now."""

    def names(self) -> list[str]:
        """Return what to choose from with one touch."""

    def set_mark(self, name: str) -> None:
        """Say what is read."""

    def set_kind(self, kind: int) -> None:
        """Say which kind of reading it is."""

    def press(self, key: str) -> None:
        """Add what a key types."""

    def erase(self) -> None:
        """Take the last key back."""

    def match(self, text: str) -> None:
        """Take a reading as typed."""

    def take(self) -> bool:
        """Take the reading; a refused one stays, with the reason."""

    def look_again(self) -> None:
        """Turn to a second look, or back."""

    def strike_last(self) -> None:
        """Strike the reading taken last; it stays legible."""
