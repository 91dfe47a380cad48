"""What site mode shows and does: one reading at a time."""

from __future__ import annotations

from collections.abc import Sequence
from typing import Any, Protocol

from msgspec import Struct

from vivid_keel.desk.comma import Comma
from vivid_keel.figures.display import Picture


class SiteFigure(Struct, frozen=True):
    """A figure that the hand needs now: what it is, the figure itself, a few words on it, and its ink."""

    title: str
    text: str
    note: str = ""
    ink: str = "ink"


class SiteBooking(Protocol):
    """One reading at a time: a mark, a kind, and what is typed so far."""

    text: str
    said: str
    wrong: bool

    @property
    def comma(self) -> Comma | None:
        """The door by which what is shown gets decimal commas."""

    @property
    def kind_words(self) -> tuple[str, ...]:
        """Kinds of reading to choose from; empty where there is one only."""

    @property
    def sign_label(self) -> str:
        """What the key says that types ±."""

    @property
    def figures(self) -> Sequence[SiteFigure]:
        """The figures that the hand needs now, instead of a reading to be typed; empty where one is."""

    @property
    def take_label(self) -> str:
        """What the large key says."""

    @property
    def looks(self) -> bool:
        """Whether a second look is booked here."""

    @property
    def stage(self) -> str:
        """Where the table stands that it books in."""

    @property
    def empty(self) -> str:
        """What stands where nothing is typed."""

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


class Typing:
    """What is typed so far at a desk, key by key, and what was said of it last."""

    @property
    def comma(self) -> Comma | None:
        """The door by which what is shown gets decimal commas."""
        comma: Comma | None = self._desk.comma
        return comma

    @property
    def unit(self) -> str:
        """The unit that readings are typed in."""
        return str(self._desk.book.unit)

    @property
    def unit_label(self) -> str:
        """The unit in words."""
        return str(self._desk.book.style.label)

    @property
    def kind_words(self) -> tuple[str, ...]:
        """Kinds of reading to choose from; empty where there is one only."""
        return ()

    @property
    def sign_label(self) -> str:
        """What the key says that types ±."""
        return "overhead"

    @property
    def figures(self) -> Sequence[SiteFigure]:
        """The figures that the hand needs now."""
        return ()

    @property
    def take_label(self) -> str:
        """What the large key says."""
        return "take it"

    @property
    def looks(self) -> bool:
        """Whether a second look is booked here."""
        return bool(self.kind_words)

    @property
    def stage(self) -> str:
        """Where the table stands that it books in."""
        return "Readings"

    @property
    def empty(self) -> str:
        """What stands where nothing is typed."""
        return "–"

    def __init__(self, desk: Any) -> None:
        self._desk = desk
        self.text = ""
        self.said = ""
        self.wrong = False

    def press(self, key: str) -> None:
        """Add what a key types: a digit, a point, a sign, feet, or a fraction of an inch."""
        if key == "±":
            self.text = self.text[1:] if self.text.startswith("-") else f"-{self.text}"
        elif key == "′":
            self.text += "' " if "'" not in self.text else ""
        elif "/" in key:
            whole = self.text.rstrip('"').split(" ")
            if len(whole) > 1 and "/" in whole[-1]:
                whole = whole[:-1]
            self.text = " ".join([*[w for w in whole if w], f'{key}"'])
        elif len(self.text) < 14:
            self.text = self.text.rstrip('"') + key
        self.tell("")
        self.preview()

    def erase(self) -> None:
        """Take the last key back."""
        self.text = self.text.rstrip("'\" ")[:-1] if self.text else ""
        self.tell("")
        self.preview()

    def match(self, text: str) -> None:
        """Take what the picture shows."""
        self.text = text
        self.tell("")
        self.preview()

    def preview(self) -> None:
        """Show what would follow from what is typed."""

    def tell(self, text: str, *, wrong: bool = False) -> None:
        """Say what came of it."""
        self.said, self.wrong = text, wrong
