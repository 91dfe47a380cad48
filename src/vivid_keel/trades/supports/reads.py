"""One reading of a support."""

from __future__ import annotations

from msgspec import Struct


class Read(Struct, frozen=True):
    """A reading of a point: its entry, value [m], text, step [m], which of the book's instruments took it, and what its scale adds [m].

    One from another `station` ("" for the first) is kept as the first one's scale would show it; `seen` is what was read [m].
    """

    id: int
    value: float
    text: str
    step: float
    instrument: int = 0
    own: float = 0.0
    station: str = ""
    seen: float = float("nan")

    @property
    def as_read(self) -> float:
        """What the scale showed, wherever it was read from [m]."""
        return self.seen if self.station else self.value
