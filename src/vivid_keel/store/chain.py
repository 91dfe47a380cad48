"""The chain: each entry carries a hash over itself and the entry before, so that a changed value is noticed.

Source: a hash chain, hᵢ = SHA-256(hᵢ₋₁ ‖ row i). It runs over all rows of a file. Rows that an older version wrote carry none;
the first that carries one seals them all. It tells of accidents and of careless hands; whoever can rewrite a whole file can
rewrite its chain, and only a copy kept elsewhere tells of that.
"""

from __future__ import annotations

from collections.abc import Iterable, Iterator
from hashlib import sha256
from typing import Any

from msgspec import Struct

from vivid_keel.core.record.as_written import TAKEN_OVER

BEGIN = b"\0" * 32
"""What the first row of a file follows."""


def row_text(row: tuple[Any, ...]) -> bytes:
    """Return a row (id, work, kind, body, time, person, strikes, after, act) in bytes, no two rows alike."""
    id, work, kind, body, time, person, strikes, after, act = row
    text = f"{id} {work} {act} {strikes} {after} {len(kind)} {len(time)} {len(person)} {kind}{time}{person}{body}"
    return text.encode("utf-8", "surrogatepass")


def link(before: bytes, row: tuple[Any, ...]) -> bytes:
    """Return the hash of a row that follows one with the hash `before` (32 bytes)."""
    return sha256(before + row_text(row)).digest()


class Chain(Struct):
    """The chain of a file as far as it was followed: the hash to go on from, and where it first broke.

    Attributes
    ----------
    end : bytes
        What the next row follows.
    broken : int
        The first entry that doesn't follow what stands before it; 0 where all do.
    begun : bool
        Whether an entry without a hash is one too few: the file was made with them, or one before it carries one.
    """

    end: bytes = BEGIN
    broken: int = 0
    begun: bool = False

    def add(self, row: tuple[Any, ...]) -> bytes:
        """Go one row on that is not stored yet; return its hash."""
        self.end = link(self.end, row)
        return self.end

    def follow(self, row: tuple[Any, ...], stored: bytes | None) -> None:
        """Go one row on, by what is stored with it (None: nothing is)."""
        self.add(row)
        if stored is None and not self.begun:
            return  # written by an older version: sealed by the first that carries a hash
        self.begun = True
        if stored == self.end:
            if row[2] == TAKEN_OVER:
                self.broken = 0
        elif not self.broken:
            self.broken = int(row[0])

    def followed(self, rows: Iterable[tuple[Any, ...]]) -> Iterator[tuple[Any, ...]]:
        """Yield rows without what is stored last in them, following them."""
        for row in rows:
            own = row[:-1]
            self.follow(own, row[-1])
            yield own
