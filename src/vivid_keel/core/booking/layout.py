"""How the sights of a book hang together: which set-up, which backsight, from which earlier sight.

The layout depends on names and kinds only, not on the readings, so it is made once and the heights
follow each keystroke by arithmetic alone (see reduction).
"""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from dataclasses import dataclass, field

import numpy as np
import numpy.typing as npt

BS, IS, FS = 0, 1, 2
KINDS = ("BS", "IS", "FS")
KIND_NUMBER = {"BS": BS, "IS": IS, "FS": FS}

Ints = npt.NDArray[np.intp]


@dataclass(frozen=True, slots=True)
class ListedMark:
    """A mark whose height is known before the run [m]; `fixed` ones can close it."""

    name: str
    height: float
    fixed: bool = True
    u: float = 0.0


@dataclass(frozen=True, slots=True)
class Trouble:
    """Why a sight can't be reduced. `row` indexes the sights in order of observation."""

    row: int
    code: str
    message: str


@dataclass(frozen=True)
class Layout:
    """The links of a book with n sights on m set-ups.

    Attributes
    ----------
    kinds : intp array (n,)
        BS, IS or FS.
    marks : sequence of str, length n
    setup : intp array (n,)
        Set-up of each sight, counted from 0 in order.
    backsight : list of int, length m
        Row of the set-up's backsight; -1 where there is none yet.
    foresight : list of int, length m
        Row of its foresight; -1 where there is none.
    source : list of int, length m
        Row whose observed height is that of the backsight's mark; -1: the listed height.
    parent : list of int, length m
        Set-up of `source`, -1 at a start.
    start : list of float, length m
        Listed height the set-up starts from [m]; nan where it hangs on another or on nothing.
    listed : mapping of str to ListedMark
    troubles : list of Trouble
        Rows that can't be reduced and why, in order.
    passed : list of (int, str)
        Foresights that meet a fixed mark, as (row, name).
    """

    kinds: Ints
    marks: Sequence[str]
    setup: Ints
    backsight: list[int]
    foresight: list[int]
    source: list[int]
    parent: list[int]
    start: list[float]
    listed: Mapping[str, ListedMark]
    troubles: list[Trouble] = field(default_factory=list)
    passed: list[tuple[int, str]] = field(default_factory=list)

    @property
    def setups(self) -> int:
        """How many set-ups there are."""
        return len(self.backsight)

    def closing(self) -> tuple[int, str] | None:
        """Return (row, mark) of the foresight that closes the run, or None while it is open.

        A run closes when the last set-up's foresight is on a fixed mark, or on the listed mark the
        run set out from.
        """
        if not self.foresight or self.foresight[-1] < 0 or self.backsight[-1] < 0:
            return None
        row = self.foresight[-1]
        mark = self.marks[row]
        if mark not in self.listed or any(t.row == row for t in self.troubles):
            return None
        path = self.path()
        if not path:
            return None
        if self.listed[mark].fixed or self.marks[self.backsight[path[0]]] == mark:
            return row, mark
        return None

    def path(self) -> list[int]:
        """Return the set-ups from a listed start to the last one, in order; empty if it hangs on nothing."""
        s = self.setups - 1
        chain: list[int] = []
        while s >= 0 and self.backsight[s] >= 0:
            chain.append(s)
            if self.source[s] < 0:
                known = self.start[s] == self.start[s]
                return chain[::-1] if known else []
            s = self.parent[s]
        return []


def lay_out(
    kinds: Sequence[int], marks: Sequence[str], setup: Sequence[int], listed: Mapping[str, ListedMark]
) -> Layout:
    """Link the sights of a book.

    A backsight's mark has the height just observed when it was the foresight before; else its
    listed height; else the height observed last. What can't be linked is told in `troubles`, and
    everything else still is.

    Parameters
    ----------
    kinds, marks, setup : sequences of length n
        In order of observation; set-ups numbered 0, 1, 2 … without a gap.
    listed : mapping of str to ListedMark
    """
    m = (max(setup) + 1) if len(setup) else 0
    backsight, foresight, source, parent = [-1] * m, [-1] * m, [-1] * m, [-1] * m
    start = [float("nan")] * m
    troubles: list[Trouble] = []
    passed: list[tuple[int, str]] = []
    last_seen: dict[str, int] = {}
    for row, (kind, mark, s) in enumerate(zip(kinds, marks, setup, strict=True)):
        if foresight[s] >= 0:
            said = "a second foresight" if kind == FS else "a sight after the foresight"
            troubles.append(
                Trouble(row, "wrong-order", f"{said} of its set-up; start a new set-up here, or strike one of them")
            )
            continue
        if kind == BS:
            if backsight[s] >= 0:
                troubles.append(
                    Trouble(
                        row, "wrong-order", "a second backsight on one set-up; start a new set-up here, or strike one"
                    )
                )
                continue
            backsight[s] = row
            before = foresight[s - 1] if s else -1
            if before >= 0 and marks[before] == mark:
                source[s], parent[s] = before, s - 1
            elif mark in listed:
                start[s] = listed[mark].height
            elif mark in last_seen:
                source[s] = last_seen[mark]
                parent[s] = setup[source[s]]
            else:
                troubles.append(
                    Trouble(
                        row,
                        "unknown-backsight",
                        f"nobody knows the height of {mark}: list it as a known mark, "
                        "or take the backsight on a mark already read",
                    )
                )
            continue
        if kind == FS:
            foresight[s] = row
            if mark in listed and listed[mark].fixed:
                passed.append((row, mark))
        last_seen[mark] = row
    _waiting(kinds, setup, backsight, troubles)
    return Layout(
        np.asarray(kinds, dtype=np.intp), marks, np.asarray(setup, dtype=np.intp),
        backsight, foresight, source, parent, start, listed, troubles, passed,
    )  # fmt: skip


def _waiting(kinds: Sequence[int], setup: Sequence[int], backsight: list[int], troubles: list[Trouble]) -> None:
    """Name the first sight of every set-up that has no backsight."""
    if all(b >= 0 for b in backsight):
        return
    named: set[int] = set()
    for row, s in enumerate(setup):
        if backsight[s] < 0 and s not in named:
            named.add(s)
            troubles.append(
                Trouble(
                    row,
                    "no-backsight",
                    "its set-up has no backsight yet, so it waits for its height; book the backsight",
                )
            )
    troubles.sort(key=lambda t: t.row)
