"""Entries: what a job file holds."""

from __future__ import annotations

from collections.abc import Mapping
from typing import Any, NamedTuple


class Entry(NamedTuple):
    """One entry of the record: a tuple, for two hundred thousand of them are made at once.

    Attributes
    ----------
    id : int
        Ascending in time.
    work : int
        Id of the entry that began the work; 0 for the job as a whole.
    kind : str
        One of the kinds that the file knows.
    body : mapping
        JSON values; valid against the kind's schema.
    time : str
        ISO 8601 with offset.
    person : str
    strikes : int or None
        The entry this one strikes (and, unless it is a plain strike, takes the place of).
    after : int or None
        The entry it stands behind; None: behind the last of its work.
    act : int
        What one act of the person made together.
    """

    id: int
    work: int
    kind: str
    body: Mapping[str, Any]
    time: str
    person: str
    strikes: int | None
    after: int | None
    act: int


class Draft(NamedTuple):
    """An entry about to be recorded: the store gives it id, time, person and act.

    `source` are the bytes that many values at once were brought in as (see `bulk`), kept beside the entry.
    """

    work: int
    kind: str
    body: Mapping[str, Any]
    strikes: int | None = None
    after: int | None = None
    source: bytes | None = None


KIT = "kit"
"""Type of the entry that begins an instrument in a kit: "kit:" and its kind."""
