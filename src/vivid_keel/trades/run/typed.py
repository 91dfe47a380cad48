"""What is being typed into the book, before it is taken."""

from __future__ import annotations

from msgspec import Struct


class TypedSight(Struct, frozen=True):
    """A sight as typed so far: another reading [m] at `row`, or with row -1 a new one at the end."""

    row: int
    mark: str
    kind: int
    reading: float
    setup: int
