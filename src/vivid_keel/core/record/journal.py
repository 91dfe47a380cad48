"""The journal: entries in, what stands out. Nothing is ever taken away; strikes only shade."""

from __future__ import annotations

from collections.abc import Callable, Iterable
from typing import TYPE_CHECKING, Any, TypeVar

from vivid_keel.core.errors import KeelError
from vivid_keel.core.record.as_written import NOT_AS_WRITTEN, TAKEN_OVER
from vivid_keel.core.record.entries import Entry

if TYPE_CHECKING:
    from vivid_keel.core.record.bulk import Arrays

T = TypeVar("T")
OF_ITS_OWN = frozenset({"work", "undo", "strike"})
"""Kinds that are no plain entry of a work: they begin one, or bear on others."""
DEEPEST = 50
"""How often an undo may undo an undo [1]."""


def _no_source(entry: int) -> bytes:
    raise KeelError("damaged", f"what was brought in with entry {entry} is not kept here")


class Journal:
    """All entries of a job, which of them stand, and their order in each work.

    Grows by `add` only; folding entry by entry gives the same as folding them all (a test says so).
    An act is void while an undo of it is not void itself (redo is an undo of the undo). An entry
    stands while its act is not void and no entry of an act that isn't void strikes it; so striking a
    correction does not bring the struck reading back, and undoing it does.
    """

    def __init__(self, entries: Iterable[Entry] = ()) -> None:
        self.entries: dict[int, Entry] = {}
        self.order: dict[int, list[int]] = {0: []}
        """Ids of each work in the order of the book, struck ones where they were."""
        self._kinds: dict[tuple[int, str], list[int]] = {}
        self._against: dict[int, int] = {}  # what speaks against an entry: a void act, strikes
        self._struck_by: dict[int, list[int]] = {}
        self._acts: dict[int, list[int]] = {}
        self._undos: dict[int, list[int]] = {}  # act → acts that undo it
        self._void: set[int] = set()
        self.revision = 0
        self._touched: dict[int, int] = {}
        self._all_touched = 0
        self._folded: dict[int, tuple[int, Any]] = {}
        self.source_of: Callable[[int], bytes] = _no_source
        """The bytes kept beside an entry; whoever keeps them puts this here."""
        self._columns: dict[int, Arrays] = {}
        self.lost_sources: set[int] = set()
        """Entries whose bytes were found gone or changed."""
        for entry in entries:
            self.add(entry)

    def columns_of(self, entry: int, field: str) -> Arrays:
        """Return the columns of values brought in with an entry, as its `field` says; read once and then kept.

        Raises
        ------
        KeelError
            `damaged` where the bytes are gone or changed; see `bulk.read_columns` for the rest.
        """
        if entry not in self._columns:
            from vivid_keel.core.record.bulk import check_bytes, read_columns

            described = self.entries[entry].body[field]
            try:
                raw = self.source_of(entry)
                check_bytes(raw, described, f"entry {entry}")
            except KeelError:
                self.lost_sources.add(entry)
                raise
            self._columns[entry] = read_columns(raw, described["mapping"])
        return self._columns[entry]

    def add(self, entry: Entry) -> None:
        """Take one more entry, younger than all before it.

        Raises
        ------
        KeelError
            `bad-value`: out of turn; `unknown-name`: it refers to what is not there.
        """
        if self.entries and entry.id <= next(reversed(self.entries)):
            raise KeelError("bad-value", f"entry {entry.id} comes out of turn")
        id, work, kind, _, _, _, strikes, after, act = entry
        if strikes is None and after is None and work in self.order and kind not in OF_ITS_OWN:
            # As nearly all are: one more at the end, and nothing else is touched by it.
            self.entries[id] = entry
            self._acts.setdefault(act, []).append(id)
            self.order[work].append(id)
            self._kinds.setdefault((work, kind), []).append(id)
            self.revision += 1
            self._touched[work] = self.revision
            return
        for target in (entry.strikes, entry.after, entry.work or None):
            if (
                target is not None
                and target not in self.entries
                and not (target == entry.id and entry.kind == "work")
            ):
                raise KeelError(
                    "unknown-name", f"entry {entry.id} refers to entry {target}, which is not there"
                )
        if entry.kind == "undo":
            self._check_undo(entry)
        self.entries[entry.id] = entry
        self._acts.setdefault(entry.act, []).append(entry.id)
        if entry.kind == "work":
            self.order[entry.id] = []
            self.order[0].append(entry.id)
            self._kinds.setdefault((0, "work"), []).append(entry.id)
        elif entry.kind == "undo":
            self._undos.setdefault(int(entry.body["act"]), []).append(entry.act)
            self._weigh(int(entry.body["act"]))
        elif entry.kind != "strike":
            self._place(entry)
        if entry.strikes is not None:
            self._struck_by.setdefault(entry.strikes, []).append(entry.id)
            self._against[entry.strikes] = self._against.get(entry.strikes, 0) + 1
        self.revision += 1
        self._touched[entry.work] = self.revision
        if entry.kind in {"undo", "strike"}:
            self._all_touched = self.revision  # an act may have touched more than one work

    def _check_undo(self, entry: Entry) -> None:
        act = int(entry.body["act"])
        if act not in self._acts or act == entry.act:
            raise KeelError("unknown-name", f"entry {entry.id} undoes act {act}, which is not there")
        deep = 0
        while deep < DEEPEST and (undo := self.entries[self._acts[act][0]]).kind == "undo":
            act, deep = int(undo.body["act"]), deep + 1
        if deep == DEEPEST:  # a person undoes, and undoes that: no hand makes more of it than a few
            raise KeelError("bad-value", f"entry {entry.id} undoes an undo of an undo, and so on without end")

    def until(self, id: int) -> Journal:
        """Return the journal as it was before an entry, but for what was struck or undone of that since."""
        kept: set[int] = set()
        earlier = Journal()
        for entry in self.entries.values():
            if entry.id >= id:
                if entry.kind == "undo":
                    if self._acts[int(entry.body["act"])][0] not in kept:
                        continue
                elif entry.kind != "strike" or entry.strikes not in kept:
                    continue
            kept.add(entry.id)
            earlier.add(entry)
        earlier.source_of = self.source_of
        return earlier

    def remembered(self, work: int, fold: Callable[[Any], T]) -> T:
        """Return what a work folds to, from memory while nothing of it has changed; `fold` is given what it was before, or None."""
        at = max(self._touched.get(work, 0), self._all_touched)
        known = self._folded.get(work)
        if known is None or known[0] != at:
            known = self._folded[work] = (at, fold(None if known is None else known[1]))
        folded: T = known[1]
        return folded

    def stands(self, id: int) -> bool:
        """Tell whether an entry stands: not struck, not undone."""
        return not self._against.get(id, 0)

    def undone(self, id: int) -> bool:
        """Tell whether the act that made an entry is undone."""
        return self.entries[id].act in self._void

    def standing(self, work: int, *kinds: str) -> list[Entry]:
        """Return the entries of a work that stand, in the order of the book, of these kinds (or all)."""
        against, entries = self._against, self.entries
        if len(kinds) == 1:
            ids = self._kinds.get((work, kinds[0]), [])
        else:
            ids = self.order.get(work, [])
        found = [entries[i] for i in ids if not against.get(i)]
        return [e for e in found if e.kind in kinds] if len(kinds) > 1 else found

    def latest(self, work: int, kind: str) -> Entry | None:
        """Return the youngest standing entry of a kind, by time rather than place."""
        found = self.standing(work, kind)
        return max(found, key=lambda entry: entry.id) if found else None

    def works(self) -> list[Entry]:
        """Return the works that stand, oldest first."""
        return self.standing(0, "work")

    def is_work(self, id: int) -> bool:
        """Tell whether an entry begins a work that stands."""
        entry = self.entries.get(id)
        return entry is not None and entry.kind == "work" and self.stands(id)

    def name_of(self, work: int) -> str:
        """Return the present name of a work, or of the job for 0."""
        renamed = self.latest(work, "rename")
        if renamed:
            return str(renamed.body["name"])
        if work:
            return str(self.entries[work].body["name"])
        job = self.latest(0, "job")
        return str(job.body["name"]) if job else "Job"

    def unit_of(self, work: int) -> str:
        """Return the unit that a work is read in now; every reading stays as it was typed."""
        changed = self.latest(work, "unit")
        return str((changed or self.entries[work]).body["unit"])

    def struck_by(self, id: int) -> Entry | None:
        """Return the entry that strikes this one, its strike or its correction, or None."""
        for striker in reversed(self._struck_by.get(id, [])):
            if self.entries[striker].act not in self._void:
                return self.entries[striker]
        return None

    def reason(self, id: int) -> str:
        """Return the reason given for striking an entry, or ""."""
        for striker in reversed(self._struck_by.get(id, [])):
            entry = self.entries[striker]
            if entry.act not in self._void and entry.body.get("reason"):
                return str(entry.body["reason"])
        return ""

    def next_undo(self) -> int | None:
        """Return the act that undo would strike: the youngest that is neither void nor an undo."""
        for act in reversed(self._acts):
            first = self.entries[self._acts[act][0]]
            if first.kind == "job" and first.id == next(iter(self.entries)):
                return None  # a job is begun once; there is nothing before it to go back to
            if first.kind not in {"undo", NOT_AS_WRITTEN, TAKEN_OVER} and act not in self._void:
                return act
        return None

    def next_redo(self) -> int | None:
        """Return the undo that redo would strike: the youngest not void since the last plain act."""
        for act in reversed(self._acts):
            entry = self.entries[self._acts[act][0]]
            if entry.kind != "undo":
                return None
            undoes = self.entries[self._acts[int(entry.body["act"])][0]]
            if act not in self._void and undoes.kind != "undo":
                return act
        return None

    def first_of(self, id: int) -> int:
        """Return the entry by which something was first booked: corrections take its place, not its number."""
        entry = self.entries[id]
        while entry.strikes is not None and self.entries[entry.strikes].kind == entry.kind:
            entry = self.entries[entry.strikes]
        return entry.id

    def act_entries(self, act: int) -> list[Entry]:
        """Return the entries that one act made."""
        return [self.entries[i] for i in self._acts[act]]

    def _place(self, entry: Entry) -> None:
        behind = entry.strikes if entry.strikes is not None else entry.after
        _put(self.order.setdefault(entry.work, []), entry.id, behind)
        own = self._kinds.setdefault((entry.work, entry.kind), [])
        if not own or own[-1] == behind or self.order[entry.work][-1] == entry.id:
            own.append(entry.id)
        elif behind in own:
            own.insert(own.index(behind) + 1, entry.id)
        else:
            # It stands behind an entry of another kind: its place among its own follows from the book.
            places = {id: n for n, id in enumerate(self.order[entry.work])}
            own.append(entry.id)
            own.sort(key=places.__getitem__)

    def _weigh(self, act: int) -> None:
        """Settle whether an act is void, and what follows from that."""
        void = any(undo not in self._void for undo in self._undos.get(act, []))
        if void == (act in self._void):
            return
        (self._void.add if void else self._void.discard)(act)
        step = 1 if void else -1
        for id in self._acts.get(act, []):
            entry = self.entries[id]
            self._against[id] = self._against.get(id, 0) + step
            if entry.strikes is not None:
                self._against[entry.strikes] = self._against.get(entry.strikes, 0) - step
            if entry.kind == "undo":
                self._weigh(int(entry.body["act"]))


def _put(ids: list[int], id: int, behind: int | None) -> None:
    """Put an id behind another, at the end for None, at the head behind the work's own entry."""
    if behind is None or (ids and ids[-1] == behind):
        ids.append(id)
    elif behind in ids:
        ids.insert(ids.index(behind) + 1, id)
    else:
        ids.insert(0, id)
