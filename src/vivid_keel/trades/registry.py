"""The trades there are, a line each; a trade is loaded when a work of it is first wanted."""

from __future__ import annotations

import importlib
import importlib.util
from functools import cache
from pathlib import Path
from typing import TYPE_CHECKING, Any

from msgspec import Struct

from vivid_keel.core.instruments.entries import KIT_KINDS
from vivid_keel.core.kinds import Kinds
from vivid_keel.core.record.common import COMMON
from vivid_keel.core.record.lending import Works
from vivid_keel.desk.base import BringsIn, JobLike

if TYPE_CHECKING:
    from collections.abc import Callable, Mapping
    from datetime import datetime

    from vivid_keel.core.instruments.tool import Tool
    from vivid_keel.core.problems.fields import Solvers
    from vivid_keel.desk.work import WorkDesk
    from vivid_keel.trades.trade import Trade

    Part = Callable[[JobLike, Mapping[str, Tool], datetime], None]
    """Makes a part of the demo: in a job, with the instruments of its kit, at a time."""


class Listed(Struct, frozen=True):
    """A trade as the page on which works are begun shows it: nothing of it is loaded for that."""

    key: str
    module: str
    label: str
    blurb: str

    def resource(self, name: str) -> str:
        """Return a text that lies in its folder, such as its sketch or its handbook page."""
        found = importlib.util.find_spec(self.module)  # finds its folder, and loads nothing of it
        assert found is not None and found.submodule_search_locations
        return (Path(found.submodule_search_locations[0]) / name).read_text(encoding="utf-8")

    def sample(self) -> Mapping[int, Part]:
        """Return its part of the demo, by their place there; the trade itself is not loaded for that."""
        parts: Mapping[int, Part] = importlib.import_module(f"{self.module}.sample").PARTS
        return parts


HERE = "vivid_keel.trades"
LISTED = (
    Listed("run", f"{HERE}.run", "Level run", "heights carried from a benchmark, booked and closed"),
    Listed(
        "supports", f"{HERE}.supports", "Supports", "posts or piers read against one line and packed to it"
    ),
    Listed(
        "marks",
        f"{HERE}.marks",
        "Reference marks",
        "one mark carried to columns; what to measure up, cut or make up",
    ),
    Listed(
        "vehicle",
        f"{HERE}.vehicle",
        "Vehicle",
        "a trailer or van on its wheels: which wheel, which step, the nose",
    ),
    Listed(
        "slab",
        f"{HERE}.slab",
        "Table or machine",
        "a table, slab or machine on feet, read by a level laid between them",
    ),
    Listed(
        "bed",
        f"{HERE}.bed",
        "Bed",
        "a long bed on pairs of feet: its twist by level, plumb frame or test bar",
    ),
    Listed(
        "axis",
        f"{HERE}.axis",
        "Axis",
        "a turning part brought to gravity: one number for every foot and direction",
    ),
    Listed(
        "panels",
        f"{HERE}.panels",
        "Top of panels",
        "panels on a frame: level, and no step at a seam that a finger feels",
    ),
    Listed(
        "groundwork",
        f"{HERE}.ground",
        "Ground",
        "a yard or a pond: how deep at the low corner, boards, litres, cut and fill",
    ),
    Listed(
        "rails",
        f"{HERE}.track",
        "Track",
        "two rails on sleepers: cans of chips under each, at rest and under load",
    ),
    Listed(
        "network",
        f"{HERE}.network",
        "Network",
        "the job's runs adjusted together, every mark with its uncertainty",
    ),
    Listed(
        "over-the-years",
        f"{HERE}.years",
        "Over the years",
        "the same marks levelled again: what moved since, how fast, and which benchmark stood",
    ),
)
"""In the order in which they are offered."""


@cache
def trade(key: str) -> Trade[Any, Any] | None:
    """Return a trade by its key, None where this program doesn't know it."""
    listed = next((one for one in LISTED if one.key == key), None)
    if listed is None:
        return None
    found: Trade[Any, Any] = importlib.import_module(f"{listed.module}.declared").TRADE
    return found


def trades() -> list[Trade[Any, Any]]:
    """Return every trade."""
    return [t for listed in LISTED if (t := trade(listed.key)) is not None]


@cache
def job_kinds() -> Kinds:
    """Return every kind of entry that may stand in a job: of each trade no more than its entries is loaded for that."""
    kinds = dict(COMMON)
    for listed in LISTED:
        own: Kinds = importlib.import_module(f"{listed.module}.entries").KINDS
        for name, kind in own.items():
            if kinds.setdefault(name, kind) is not kind:
                raise AssertionError(f"two trades mean something else by “{name}”")
    return kinds


def is_listed(key: str) -> bool:
    """Whether this program knows a trade by its key."""
    return any(one.key == key for one in LISTED)


@cache
def kit_kinds() -> Kinds:
    """Return every kind of entry that may stand in a kit."""
    return {**COMMON, **KIT_KINDS}


@cache
def problem_kinds() -> Solvers:
    """Return every kind of problem that can be solved."""
    from vivid_keel.core.problems.solving import PROBLEMS

    return {**PROBLEMS, **{kind: solver for one in trades() for kind, solver in one.problems.items()}}


def book_keeper() -> BringsIn:
    """Return how a level book from a file becomes a work: by the first trade that keeps one."""
    return next(t.brings_in for t in trades() if t.brings_in is not None)


def works_of(file: JobLike) -> Works:
    """Return the works of a job, worked out together."""
    return Works(file.journal, trade)


def desk_for(file: JobLike, work: int, works: Works | None = None) -> Any:
    """Put a work on a desk of its own; one of a trade that this program doesn't know can only be looked at."""
    from vivid_keel.desk.unknown import UnknownDesk

    known = trade(str(file.journal.entries[work].body["type"]))
    if known is None:
        return UnknownDesk(file, work, job_kinds())
    desk: type[WorkDesk] = known.face().desk
    return desk(known, file, work, works or works_of(file), job_kinds())
