"""How the sights of a book hang together: which set-up, which backsight, from which earlier sight.

The layout depends on names and kinds only, not on the readings, so it is made once and the heights
follow each keystroke by arithmetic alone (see reduction).

Source: the rules of the level book, both schools (height of collimation; rise and fall).
"""

from __future__ import annotations

from bisect import bisect_right
from collections.abc import Callable, Mapping, Sequence
from functools import cached_property
from typing import TYPE_CHECKING

import numpy as np
from msgspec import Struct, field

from vivid_keel.core.quantities import is_missing

if TYPE_CHECKING:
    import numpy.typing as npt

    Ints = npt.NDArray[np.intp]


BS, IS, FS = 0, 1, 2
KINDS = ("BS", "IS", "FS")
KIND_NUMBER = {"BS": BS, "IS": IS, "FS": FS}


class ListedMark(Struct, frozen=True):
    """A mark whose height is known before the run [m]; `fixed` ones can close it."""

    name: str
    height: float
    fixed: bool = True
    u: float = 0.0


class Trouble(Struct, frozen=True):
    """Why a sight can't be reduced. `row` indexes the sights in order of observation."""

    row: int
    code: str
    message: str


class Layout(Struct, frozen=True, dict=True):
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
    _longer: list[tuple[tuple[int, str, int], Layout]] = field(default_factory=list)

    @cached_property
    def follows(self) -> npt.NDArray[np.bool_]:
        """Whether each sight but the first stands on the same set-up as the one before it (n − 1,)."""
        return np.asarray(self.setup[1:] == self.setup[:-1])

    @property
    def shorter(self) -> Layout | None:
        """The layout that this one grew from by one sight, None where it was made at once or that is let go."""
        found = self.__dict__.get("shorter")
        return found if isinstance(found, Layout) else None

    @property
    def setups(self) -> int:
        """How many set-ups there are."""
        return len(self.backsight)

    @cached_property
    def chains(self) -> list[tuple[int, int]]:
        """Runs of set-ups (first, end) that hang each on the one before: arithmetic goes along them at once."""
        parent = np.asarray(self.parent, dtype=np.intp)
        begins = np.flatnonzero((self.sources < 0) | (parent != np.arange(-1, len(parent) - 1))).tolist()
        return list(zip(begins, [*begins[1:], len(parent)], strict=True))

    @cached_property
    def heads(self) -> Ints:
        """The set-up with which each set-up's chain begins (m,)."""
        out = np.zeros(self.setups, dtype=np.intp)
        for first, end in self.chains:
            out[first:end] = first
        return out

    @cached_property
    def known_met(self) -> list[int]:
        """The sights by which a known mark was met from another one: each closes the run up to there.

        A mark that isn't fixed is met so by a way that set out from it.
        """
        troubled = {trouble.row for trouble in self.troubles}
        out = []
        listed = self.listed
        for row in [i for i, mark in enumerate(self.marks) if mark in listed]:
            mark = self.marks[row]
            if self.kinds[row] == BS or row in troubled:
                continue
            s = int(self.setup[row])
            if self.backsight[s] < 0 or (self.source[s] < 0 and self.marks[self.backsight[s]] == mark):
                continue  # a look at the mark that the set-up began on
            head = int(self.heads[s])
            while self.parent[head] >= 0:
                head = int(self.heads[self.parent[head]])
            if self.listed[mark].fixed or self.marks[self.backsight[head]] == mark:
                out.append(row)
        return out

    @cached_property
    def sources(self) -> Ints:
        """`source` as an array (m,)."""
        return np.asarray(self.source, dtype=np.intp)

    @cached_property
    def backs(self) -> Ints:
        """`backsight` as an array (m,)."""
        return np.asarray(self.backsight, dtype=np.intp)

    @cached_property
    def fores(self) -> Ints:
        """`foresight` as an array (m,)."""
        return np.asarray(self.foresight, dtype=np.intp)

    @cached_property
    def holds(self) -> dict[str, int]:
        """The row that each mark's height is taken from.

        A mark that a backsight was taken from, and that isn't listed, keeps the height which its last backsight took, that of
        the sight it hangs on: a later look at it is a check. Any other has it from its last intermediate sight or foresight; one read by a listed
        backsight alone from that. What is read from a set-up that hangs on nothing gives no height, and takes none away.
        """
        loose = np.isnan(self.along(np.zeros(self.setups), self.start)).tolist() if self.setups else []
        troubled = {trouble.row for trouble in self.troubles}
        out: dict[str, int] = {}
        carried: set[str] = set()
        for row, (kind, mark) in enumerate(zip(self.kinds.tolist(), self.marks, strict=True)):
            if row in troubled or loose[int(self.setup[row])]:
                continue
            if kind == BS and mark not in self.listed:
                carried.add(mark)
                out[mark] = self.source[int(self.setup[row])]
            elif (kind != BS and mark not in carried) or mark not in out:
                out[mark] = row
        return out

    @cached_property
    def leaving(self) -> Ints:
        """The row by which the way to the last foresight leaves each set-up (m,): the sight that the next one hangs on, which
        after an event may be an intermediate; off the way its foresight, -1 where there is none."""
        out = self.fores.copy()
        way = np.asarray(self.path, dtype=np.intp)
        out[way[:-1]] = self.sources[way[1:]]
        return out

    def along(self, own: npt.NDArray[np.float64], start: Sequence[float]) -> npt.NDArray[np.float64]:
        """Sum what each set-up adds from where its chain begins (m,).

        Parameters
        ----------
        own : float array (m,)
            What a set-up adds to what it hangs on.
        start : sequence of float, length m
            What a set-up that hangs on no other begins from.
        """
        out = own.copy()
        for first, end in self.chains:
            out[first] += start[first] if self.source[first] < 0 else out[self.parent[first]]
            np.cumsum(out[first:end], out=out[first:end])
        return out

    def closing(self) -> tuple[int, str] | None:
        """Return (row, mark) of the foresight that closes the run, or None while it is open.

        A run closes when the last set-up's foresight is on a fixed mark, or on the listed mark the
        run set out from.
        """
        if not self.foresight or self.foresight[-1] < 0 or self.backsight[-1] < 0:
            return None
        row = self.foresight[-1]
        mark = self.marks[row]
        if mark not in self.listed or any(trouble.row == row for trouble in self.troubles):
            return None
        path = self.path
        if not path:
            return None
        if self.listed[mark].fixed or self.marks[self.backsight[path[0]]] == mark:
            return row, mark
        return None

    @cached_property
    def path(self) -> list[int]:
        """The set-ups from a listed start to the last one, in order; empty if it hangs on nothing."""
        parts: list[range] = []
        s = self.setups - 1
        while s >= 0:
            first, _ = self.chains[bisect_right(self.chains, (s, self.setups + 1)) - 1]
            parts.append(range(first, s + 1))
            if self.source[first] < 0:
                known = not is_missing(self.start[first])
                return [s for part in reversed(parts) for s in part] if known else []
            s = self.parent[first]
        return []


def lay_out(
    kinds: Sequence[int], marks: Sequence[str], setup: Sequence[int], listed: Mapping[str, ListedMark]
) -> Layout:
    """Link the sights of a book.

    A backsight's mark has the height just observed when it was the foresight before; else its
    listed height; else the one that its last backsight took (a later look at it is a check); else the height observed last, on
    an earlier set-up. What can't be linked is told in `troubles`, and everything else still is.

    Parameters
    ----------
    kinds, marks, setup : sequences of length n
        In order of observation; set-ups numbered 0, 1, 2 … without a gap.
    listed : mapping of str to ListedMark
    """
    m = (max(setup) + 1) if len(setup) else 0
    links = _Links([-1] * m, [-1] * m, [-1] * m, [-1] * m, [float("nan")] * m, [], [])
    last_seen: dict[str, int] = {}
    earlier: list[int | None] = []

    def seen_before(name: str, s: int) -> int | None:
        row = links.carried.get(name, last_seen.get(name))
        while row is not None and setup[row] == s:
            row = earlier[row]
        return row

    for row, (kind, mark, s) in enumerate(zip(kinds, marks, setup, strict=True)):
        earlier.append(last_seen.get(mark))
        if links.link(row, kind, mark, s, marks, setup, listed, seen_before) and kind != BS:
            last_seen[mark] = row
    return links.layout(np.asarray(kinds, dtype=np.intp), marks, np.asarray(setup, dtype=np.intp), listed)


def extended(layout: Layout, kind: int, mark: str, s: int) -> Layout:
    """Return the layout with one sight more at its end, on the last set-up or on a new one.

    The last one is kept: while a reading is typed, and when it is booked, the links are the same.
    """
    asked = (kind, mark, s)
    if not layout._longer or layout._longer[0][0] != asked:
        longer = _extended(layout, kind, mark, s)
        longer.__dict__["shorter"] = layout
        layout.__dict__.pop("shorter", None)  # one back is enough: a chain of them would keep them all
        layout._longer[:] = [(asked, longer)]
    return layout._longer[0][1]


def _extended(layout: Layout, kind: int, mark: str, s: int) -> Layout:
    row = len(layout.kinds)
    more = [] if s < layout.setups else [-1]
    links = _Links(
        layout.backsight + more,
        layout.foresight + more,
        layout.source + more,
        layout.parent + more,
        layout.start + ([float("nan")] if more else []),
        [trouble for trouble in layout.troubles if trouble.code != "no-backsight"],
        list(layout.passed),
        {
            layout.marks[b]: source
            for b, source in zip(layout.backsight, layout.source, strict=True)
            if source >= 0
        },
    )
    marks = [*layout.marks, mark]
    setup = np.append(layout.setup, s)

    def seen_before(name: str, s: int) -> int | None:
        """Only a backsight that is neither carried nor listed asks, so looking back serves."""
        if name in links.carried and setup[links.carried[name]] != s:
            return links.carried[name]
        wrong = {trouble.row for trouble in links.troubles if trouble.code == "wrong-order"}
        for i in range(row - 1, -1, -1):
            if layout.marks[i] == name and layout.kinds[i] != BS and i not in wrong and layout.setup[i] != s:
                return i
        return None

    links.link(row, kind, mark, s, marks, setup, layout.listed, seen_before)
    return links.layout(np.append(layout.kinds, kind), marks, setup, layout.listed)


class _Links(Struct):
    """The links while they are being made."""

    backsight: list[int]
    foresight: list[int]
    source: list[int]
    parent: list[int]
    start: list[float]
    troubles: list[Trouble]
    passed: list[tuple[int, str]]
    carried: dict[str, int] = field(default_factory=dict)
    """The sight that each mark's last backsight hangs on."""

    def link(
        self,
        row: int,
        kind: int,
        mark: str,
        s: int,
        marks: Sequence[str],
        setup: Sequence[int] | Ints,
        listed: Mapping[str, ListedMark],
        seen_before: Callable[[str, int], int | None],
    ) -> bool:
        """Link one sight; False when it stands where it may not."""
        if self.foresight[s] >= 0:
            said = "a second foresight" if kind == FS else "a sight after the foresight"
            self._trouble(
                row, "wrong-order", f"{said} of its set-up; start a new set-up here, or strike one of them"
            )
            return False
        if kind == BS:
            return self._backsight(row, mark, s, marks, setup, listed, seen_before)
        if kind == FS:
            self.foresight[s] = row
            if mark in listed and listed[mark].fixed:
                self.passed.append((row, mark))
        return True

    def _backsight(
        self,
        row: int,
        mark: str,
        s: int,
        marks: Sequence[str],
        setup: Sequence[int] | Ints,
        listed: Mapping[str, ListedMark],
        seen_before: Callable[[str, int], int | None],
    ) -> bool:
        if self.backsight[s] >= 0:
            said = "a second backsight on one set-up; start a new set-up here, or strike one"
            self._trouble(row, "wrong-order", said)
            return False
        self.backsight[s] = row
        before = self.foresight[s - 1] if s else -1
        seen = None
        if before >= 0 and marks[before] == mark:
            self.source[s], self.parent[s] = before, s - 1
            self.carried[mark] = before
        elif mark in listed:
            self.start[s] = listed[mark].height
        elif (seen := seen_before(mark, s)) is not None:
            self.source[s], self.parent[s] = seen, int(setup[seen])
            self.carried[mark] = seen
        else:
            self._trouble(
                row,
                "unknown-backsight",
                f"nobody knows the height of {mark}: list it as a known mark, "
                "or take the backsight on a mark already read",
            )
        return True

    def _trouble(self, row: int, code: str, message: str) -> None:
        self.troubles.append(Trouble(row, code, message))

    def layout(
        self, kinds: Ints, marks: Sequence[str], setup: Ints, listed: Mapping[str, ListedMark]
    ) -> Layout:
        """Return the finished layout; the first sight of every set-up without a backsight is named."""
        for s, back in enumerate(self.backsight):
            if back < 0:
                first = int(np.searchsorted(setup, s))
                said = "its set-up has no backsight yet, so it waits for its height; book the backsight"
                self._trouble(first, "no-backsight", said)
        self.troubles.sort(key=lambda t: t.row)
        return Layout(
            kinds,
            marks,
            setup,
            self.backsight,
            self.foresight,
            self.source,
            self.parent,
            self.start,
            listed,
            self.troubles,
            self.passed,
        )
