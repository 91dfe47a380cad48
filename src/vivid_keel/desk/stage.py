"""How a trade says what its stages show, what comes next, and what it writes."""

from __future__ import annotations

from collections.abc import Callable, Mapping
from dataclasses import dataclass, field
from pathlib import Path
from typing import Any, Generic, TypeVar

from msgspec import Struct

from vivid_keel.core.kinds import Finding
from vivid_keel.core.record.journal import Journal
from vivid_keel.core.record.told import Tables
from vivid_keel.desk.base import Desk, Next
from vivid_keel.desk.sheet import Goto, Sheet
from vivid_keel.figures.display import Picture
from vivid_keel.figures.report import Heading

D = TypeVar("D", bound=Desk)
Draw = Callable[[D, float, float], Picture]
"""A picture of a desk for a width and height [px]."""


class Stage(Struct, Generic[D], frozen=True):
    """A stage of a trade.

    Attributes
    ----------
    name : str
    question : tuple of str
        What it answers, in a few lines, for F1.
    full : callable
        How full its bar is (0 … 1), and a count or "".
    sheets : callable
        The sheets, made anew each time.
    pictures : callable
        (name, picture) of each to choose from; one without a choice has the name "".
    """

    name: str
    question: tuple[str, ...]
    full: Callable[[D], tuple[float, str]]
    sheets: Callable[[D], list[Sheet]]
    pictures: Callable[[D], list[tuple[str, Draw[D]]]]


class NextStep(Struct, Generic[D], frozen=True):
    """Something that comes next, and where its key leads; without `says` it is only led to.

    Attributes
    ----------
    key : str
        What stands before the ":" of a key, or the whole of it.
    goes : callable
        Where it leads, given the desk and what stands behind the ":" of the key.
    says : callable, optional
        The step as it is offered at a stage, None where it isn't its turn; the first that has a turn is next.
    """

    key: str
    goes: Callable[[D, str], Goto | None]
    says: Callable[[D, str], Next | None] | None = None


def leads(
    stage: str, sheet: int = 0, place: tuple[int, int] | None = None, view: int = -1
) -> Callable[[Any, str], Goto | None]:
    """Return a step's `goes` that always leads to the same place."""
    return lambda desk, rest: Goto(stage, sheet, place, view)


class Writer(Struct, Generic[D], frozen=True):
    """A file that a trade can write.

    Attributes
    ----------
    key, label : str
        `label` stands in the menu.
    name : str
        What follows the work's name in the file's.
    write : callable, optional
        Writes it to a path.
    pages : callable, optional
        Makes its pages, where it is printed.
    rows : callable, optional
        How long it is, in rows of a book: long ones are written off the window's thread.
    """

    key: str
    label: str
    name: str
    write: Callable[[D, Path], object] | None = None
    pages: Callable[[D], Callable[[], list[Picture]]] | None = None
    rows: Callable[[D], int] = lambda desk: 0


@dataclass(frozen=True)
class Face(Generic[D]):
    """What is seen of a trade: loaded when a work of it is first shown.

    Attributes
    ----------
    desk : type
        What holds its works while they are shown.
    stages, steps, writers : tuples
    report : callable
        The pages of the report, given the result, the journal, the heading and what there is to say.
    told : callable
        What it comes to as tables that outlive the program, given the result and the journal.
    sheets_told : bool
        Whether its report holds what was stated and read as it stands in its sheets, since it has no table of its own for that.
    """

    desk: type[D]
    stages: tuple[Stage[D], ...]
    steps: tuple[NextStep[D], ...]
    report: Callable[[Any, Journal, Heading, list[Finding]], list[Picture]]
    told: Callable[[Any, Journal], Tables]
    writers: tuple[Writer[D], ...] = ()
    sheets_told: bool = False
    keys: Mapping[str, NextStep[D]] = field(init=False)

    def __post_init__(self) -> None:
        object.__setattr__(self, "keys", {step.key: step for step in self.steps})

    def stage(self, name: str) -> Stage[D]:
        """Return a stage by its name."""
        return next(stage for stage in self.stages if stage.name == name)
