"""A job file open in this process: entries in, one durable transaction an act."""

from __future__ import annotations

import os
import sqlite3
import zlib
from collections.abc import Callable, Iterable, Iterator, Mapping, Sequence
from contextlib import contextmanager, nullcontext
from datetime import datetime
from pathlib import Path
from typing import Self

from vivid_keel.core.errors import KeelError, Stopped
from vivid_keel.core.kinds import Kinds, numbered
from vivid_keel.core.record.as_written import TAKEN_OVER, mark_of, marked
from vivid_keel.core.record.bulk import check_bytes, unpacked
from vivid_keel.core.record.common import COMMON
from vivid_keel.core.record.entries import Draft, Entry
from vivid_keel.core.record.journal import Journal
from vivid_keel.places import user_name
from vivid_keel.store.chain import Chain
from vivid_keel.store.door import (
    connect,
    look,
    put_right,
)
from vivid_keel.store.lock import Lock
from vivid_keel.store.making import made_aside
from vivid_keel.store.migrations import (
    APPLICATION_ID,
    KIT_APPLICATION_ID,
    KIT_MIGRATIONS,
    MIGRATIONS,
    YARD_APPLICATION_ID,
    YARD_MIGRATIONS,
    Migration,
)
from vivid_keel.store.preparing import (
    AT_ONCE,
    TOGETHER,
    CarryOn,
    go_on,
    insert_rows,
    packed,
    stored_rows,
    unchecked,
)
from vivid_keel.store.reading import read_file
from vivid_keel.store.salvage import (
    SalvageReport,
    unknown_words,
)

Clock = Callable[[], datetime]


def local_now() -> datetime:
    """Return the present time with its offset."""
    return datetime.now().astimezone()


class JobFile:
    """A job file and its journal.

    Attributes
    ----------
    path : Path
    journal : Journal
        Folded from the file; grows with every `record`.
    read_only : bool
    held_by : str
        Who writes in it, when someone else does.
    salvaged : SalvageReport or None
        What was lost, when the file is damaged.
    kept : Path or None
        Where the file as it was is kept, when it was migrated.
    older : bool
        Whether it is from an older version and could not be brought up, so that it is only read.
    unknown : str
        What in it this program doesn't know, in words, so that it is only read; "" where it knows all.
    changed : str
        What isn't as it was written, in words, so that it is only read until a person takes it over: another hand changed it, or it was
        written from such a file, or from a damaged one; "" where all is.
    lost : str
        Why nothing can be written any more, since another wrote in it or it was moved away; "" where all is well.
    """

    what = "job"
    application_id = APPLICATION_ID
    migrations: Sequence[Migration] = MIGRATIONS
    begun_with: Mapping[str, str] = {}
    """What the job entry of a new one says besides."""

    @property
    def practice(self) -> bool:
        """Whether it is for practice only: its job entry says so, and every page and file made of it."""
        job = self.journal.latest(0, "job")
        return job is not None and bool(job.body.get("practice"))

    @classmethod
    def kinds(cls) -> Kinds:
        """Return the kinds of entries that are known: they are handed in, by a subclass."""
        return COMMON

    @classmethod
    def knows(cls, type: str) -> bool:
        """Whether a work of this type is known."""
        return True

    def __init__(
        self, path: Path, db: sqlite3.Connection, journal: Journal, person: str, clock: Clock
    ) -> None:
        self.path, self.journal = path, journal
        self.person, self._clock = person, clock
        self._db = db
        journal.source_of = self.source_of
        self._lock: Lock | None = None
        self.read_only = False
        self.held_by = ""
        self.salvaged: SalvageReport | None = None
        self.kept: Path | None = None
        self.older = False
        self.unknown = ""
        self.changed = ""
        self.lost = ""
        self._chain = Chain()
        self._stored: bytes | None = None
        self._aside = False
        self._next = max(journal.entries, default=0) + 1
        self._act = max((entry.act for entry in journal.entries.values()), default=0) + 1

    @classmethod
    def create(
        cls,
        path: Path,
        name: str,
        person: str = "",
        clock: Clock = local_now,
        *,
        unit: str = "m",
        decimal_mark: str = "",
    ) -> Self:
        """Begin a new job; a file that is there already is never overwritten."""
        body = {"name": name, "unit": unit, **cls.begun_with}
        if decimal_mark:
            body["decimal_mark"] = decimal_mark
        return cls._made(path, person, clock, lambda file: file.record([Draft(0, "job", body)]))

    @classmethod
    def create_from(
        cls,
        path: Path,
        entries: Iterable[Entry],
        person: str = "",
        clock: Clock = local_now,
        sources: Mapping[int, bytes] | None = None,
    ) -> Self:
        """Write a new file with these very entries (an imported job), and the bytes kept beside some of them."""
        entries = list(entries)

        def fill(file: Self) -> None:
            file._insert(entries, sources or {}, new=False)
            for entry in entries:
                file.journal.add(entry)
            file._next = max(file.journal.entries, default=0) + 1
            file._act = max((entry.act for entry in entries), default=0) + 1
            file.changed = mark_of(entries)
            file.read_only = bool(file.changed)

        return cls._made(path, person, clock, fill)

    @classmethod
    def _made(cls, path: Path, person: str, clock: Clock, fill: Callable[[Self], object]) -> Self:
        """Make a file aside and move it into place once it is whole; what is there already is never overwritten."""
        path, person = Path(path), person or user_name()
        with made_aside(path, cls.migrations, clock().isoformat(timespec="seconds")) as db:
            file = cls(path, db, Journal(), person, clock)
            fill(file)
        lock = Lock(path.resolve())
        holder = lock.take(f"{person} (process {os.getpid()})")
        file._db = connect(path, read_only=False)
        file._lock = lock if holder is None else None
        return file

    @classmethod
    def open(
        cls,
        path: Path,
        person: str = "",
        clock: Clock = local_now,
        migrations: Sequence[Migration] | None = None,
    ) -> Self:
        """Open a job.

        A second opener gets it read-only; a damaged file is opened read-only with what can be saved.

        Raises
        ------
        KeelError
            `no-file`, `not-a-job`, `newer-file`, `damaged`, `busy`: nothing was changed.
        """
        path = Path(path)
        person = person or user_name()
        migrations = cls.migrations if migrations is None else migrations
        look(path, cls.what)
        lock = Lock(path.resolve())
        holder = lock.take(f"{person} (process {os.getpid()})")
        read_only = holder is not None or not os.access(path, os.W_OK)
        try:
            file = cls._load(path, person, clock, migrations, read_only)
        except BaseException:
            lock.release()
            raise
        file.read_only = file.read_only or read_only
        file.held_by = holder or ""
        file._lock = lock if holder is None else None
        return file

    @classmethod
    def look_into(cls, path: Path) -> Self:
        """Open a job to read in it and leave it as it is, whoever has it, and of whatever version: nothing is locked, nothing brought up.

        Raises
        ------
        KeelError
            As `open` does.
        """
        path = Path(path)
        look(path, cls.what)
        file = cls._load(path, user_name(), local_now, cls.migrations, True)
        file.read_only = True
        return file

    @classmethod
    def _load(
        cls, path: Path, person: str, clock: Clock, migrations: Sequence[Migration], read_only: bool
    ) -> Self:
        time = clock().isoformat(timespec="seconds")
        found = read_file(path, cls.kinds(), cls.application_id, migrations, time, read_only=read_only)
        file = cls(path, found.db, found.journal, person, clock)
        file.salvaged, file.kept, file.older = found.report, found.kept, found.older
        file._chain, file._stored = found.chain, found.stored
        file.unknown = unknown_words(found.journal, cls.kinds(), cls.knows)
        file.changed = found.changed or mark_of(found.journal.entries.values())
        file.read_only = found.report is not None or found.older or bool(file.unknown or file.changed)
        return file

    def record(self, drafts: Sequence[Draft]) -> list[Entry]:
        """Record what one act of a person made, durably, or nothing of it.

        A negative work, strikes or after means a draft of the same act: −1 the first, −2 the second.

        Raises
        ------
        KeelError
            `read-only`, a body's fault (see `check_body`), or `not-written` when the disk refuses.
        """
        return self.take_in(self.write_aside(drafts))

    def write_aside(self, drafts: Sequence[Draft], carry_on: CarryOn = go_on) -> list[Entry]:
        """Write what one act made durably, on any thread; `take_in` on the thread of the journal makes it part of the job.

        Until then nothing else is recorded: it is refused, and can be entered again.

        Raises
        ------
        KeelError
            As `record`.
        Stopped
            Nothing was written.
        """
        if self.read_only:
            raise KeelError("read-only", self.why_read_only(), str(self.path))
        if self._aside:
            raise KeelError("busy", "a book is being brought in; enter this again when it is there")
        self._aside = True
        try:
            time = self._clock().isoformat(timespec="milliseconds")
            entries: list[Entry] = []
            for k in range(0, len(drafts), AT_ONCE):
                if not carry_on(0.2 * k / len(drafts)):
                    raise Stopped
                some = drafts[k : k + AT_ONCE]
                entries += numbered(
                    self.kinds(), some, self._next + k, self._act, time, self.person, self._next
                )
            self._check_references(entries)
            sources = {
                e.id: draft.source
                for e, draft in zip(entries, drafts, strict=True)
                if draft.source is not None
            }
            self._insert(entries, sources, new=True, carry_on=lambda done: carry_on(0.2 + 0.8 * done))
        except BaseException:
            self._aside = False
            raise
        return entries

    def take_in(self, written: list[Entry]) -> list[Entry]:
        """Make entries that were written part of the journal."""
        try:
            for entry in written:
                self.journal.add(entry)
            self._next += len(written)
            self._act += 1
        finally:
            self._aside = False
        return written

    def undo(self) -> list[Entry] | None:
        """Strike the last act that stands; return its entries, or None where there is nothing to undo."""
        return self._undo(self.journal.next_undo())

    def redo(self) -> list[Entry] | None:
        """Strike the last undo; return the entries that stand again, or None."""
        act = self.journal.next_redo()
        if act is None:
            return None
        undone = int(self.journal.act_entries(act)[0].body["act"])
        self._undo(act)
        return self.journal.act_entries(undone)

    def _undo(self, act: int | None) -> list[Entry] | None:
        if act is None:
            return None
        entries = self.journal.act_entries(act)
        self.record([Draft(entries[0].work if entries[0].kind != "work" else 0, "undo", {"act": act})])
        return entries

    def why_read_only(self) -> str:
        """Return why nothing can be recorded, in a sentence."""
        if self.salvaged:
            return f"{self.salvaged.sentence()} It is open for reading only."
        if self.lost:
            return self.lost
        if self.held_by:
            return f"{self.held_by} has this {self.what} open, so it is open here for reading only."
        if self.unknown:
            return f"{self.unknown} It is open for reading only, and nothing of it is changed."
        if self.changed:
            return f"{self.changed} It is open for reading only; whoever vouches for it may take it over, with a reason (menu, When it breaks)."
        if self.older:
            return f"This {self.what} is from an older version and can't be written here, so it is open for reading only, as it was."
        return "This file may not be written, so it is open for reading only."

    @property
    def next_entry(self) -> int:
        """The number that the next entry will have."""
        return self._next

    def now(self) -> datetime:
        """Return the time an entry would be given now."""
        return self._clock()

    @contextmanager
    def made_at_once(self) -> Iterator[None]:
        """Make what is recorded within durable together, at the end: for a file that is made, not booked into.

        Three hundred entries of a demo, each forced to the disk, took a minute on a slow one.
        """
        self._db.execute("PRAGMA synchronous = OFF")
        try:
            yield
        finally:
            self._db.execute("PRAGMA synchronous = FULL")
            if self._lock is not None:
                self._lock.sync()

    def close(self) -> None:
        """Close the file and give the lock back."""
        self._db.close()
        if self._lock is not None:
            self._lock.release()

    def __enter__(self) -> Self:
        return self

    def __exit__(self, *_: object) -> None:
        self.close()

    def _check_references(self, entries: Sequence[Entry]) -> None:
        aimed = {e.work for e in entries} | {e.strikes for e in entries} | {e.after for e in entries}
        known, new = self.journal.entries, {e.id for e in entries}
        lost = [target for target in aimed if target and target not in known and target not in new]
        if lost:
            raise KeelError("unknown-name", f"entry {min(lost)} is not in this job")

    def source_of(self, entry: int) -> bytes:
        """Return the bytes kept beside an entry, as they were brought in.

        Raises
        ------
        KeelError
            `damaged`: they are not there or can't be unpacked.
        """
        try:
            row = self._db.execute("SELECT packed FROM blobs WHERE entry = ?", (entry,)).fetchone()
            if row is not None:
                return unpacked(row[0])
        except (sqlite3.Error, zlib.error) as error:
            raise KeelError(
                "damaged", f"what was brought in with entry {entry} can't be read: {error}"
            ) from None
        raise KeelError("damaged", f"what was brought in with entry {entry} is not in the file")

    def sources(self) -> dict[int, bytes]:
        """Return the bytes kept beside entries, all that are as they were brought in; the journal notes those that aren't."""
        out, kinds = {}, self.kinds()
        try:
            kept = {id for (id,) in self._db.execute("SELECT entry FROM blobs")}
        except sqlite3.Error:
            kept = set()
        for id, entry in self.journal.entries.items():
            source = kinds[entry.kind].source if entry.kind in kinds else ""
            spoken_of = bool(source) and source in entry.body
            if not spoken_of and id not in kept:
                continue
            try:
                out[id] = self.source_of(id)
                if spoken_of:  # of a kind that isn't known nothing says what they are to be
                    check_bytes(out[id], entry.body[source])
            except KeelError:
                out.pop(id, None)
                self.journal.lost_sources.add(id)
        return out

    @property
    def mark(self) -> str:
        """What of it isn't as it was written, in words that go along wherever it is written to; "" where all is known to be."""
        said = [self.salvaged.sentence() if self.salvaged else "", self.changed]
        lost = sorted(self.journal.lost_sources)
        gone = (
            f"What was brought in with entry {', '.join(map(str, lost))} is damaged or gone." if lost else ""
        )
        if gone not in self.changed:  # as it was said before, in a file that was written from a marked one
            said.append(gone)
        return " ".join(filter(None, said))

    def to_write(self, reason: str = "") -> tuple[list[Entry], dict[int, bytes]]:
        """Return its entries as they go to another file, and the bytes beside them: with the mark that they aren't as they were
        written, where they aren't, and the reason for which a person vouches for them."""
        sources = self.sources()
        time = self._clock().isoformat(timespec="milliseconds")
        return marked(self.journal.entries.values(), self.mark, time, self.person, reason), sources

    def _insert(
        self,
        entries: Sequence[Entry],
        sources: Mapping[int, bytes],
        *,
        new: bool,
        carry_on: CarryOn = go_on,
    ) -> None:
        """Write entries, and the bytes beside some of them, as one transaction."""
        beside = [(id, packed(raw)) for id, raw in sources.items()]
        chain = Chain(self._chain.end)
        try:
            self._db.execute("BEGIN IMMEDIATE")
            try:
                self._check_ours()
                with unchecked(self._db) if len(entries) >= TOGETHER else nullcontext():
                    for k in range(0, len(entries), AT_ONCE):
                        if not carry_on(k / len(entries)):
                            raise Stopped
                        insert_rows(self._db, stored_rows(entries[k : k + AT_ONCE], chain, new=new))
                if beside:
                    self._db.executemany("INSERT INTO blobs VALUES (?, ?)", beside)
                self._db.execute("COMMIT")
            except BaseException:
                if self._db.in_transaction:
                    self._db.execute("ROLLBACK")
                raise
        except sqlite3.Error as error:
            if not self._still_there():
                raise self._gone() from None
            raise KeelError(
                "not-written",
                f"this could not be written to {self.path.name} ({error}); free the disk or the file and enter it again",
                str(self.path),
            ) from None
        self._chain.end = self._stored = chain.end

    def _still_there(self) -> bool:
        """Whether the file still lies where it was opened."""
        return self._lock is None or self._lock.is_at(self.path)

    def _gone(self) -> KeelError:
        self.read_only = True
        self.lost = (
            f"{self.path.name} was renamed, moved or deleted while it was open, so nothing more is written in it. All that was "
            f"entered is still here: write it to another file (menu, Write), or open the file where it lies now."
        )
        return KeelError("moved-away", self.lost, str(self.path))

    def _check_ours(self) -> None:
        """Check, while nobody else can write, that the file is as this process left it.

        Raises
        ------
        KeelError
            `moved-away`, `written-elsewhere`: nothing is written any more, and nothing that was is lost.
        """
        if not self._still_there():
            raise self._gone()
        last = self._db.execute(
            "SELECT id, chain, person, time FROM entries ORDER BY id DESC LIMIT 1"
        ).fetchone()
        if (last[:2] if last else (0, None)) == (self._next - 1, self._stored):
            return
        self.read_only = True
        who = f"{last[2]}, {last[3]}" if last and last[0] >= self._next else "a copy of it, perhaps"
        self.lost = (
            f"{self.path.name} was written by somebody else while it was open ({who}), so nothing more is written in it from "
            f"here. All that was entered is still here: write it to another file (menu, Write), or open the file anew."
        )
        raise KeelError("written-elsewhere", self.lost, str(self.path))

    def is_free(self) -> bool:
        """Whether a file that somebody else had open can be written now: it is then to be opened anew."""
        if not self.held_by:
            return False
        lock = Lock(self.path.resolve())
        free = lock.take(self.person) is None
        lock.release()
        return free

    def take_over(self, reason: str) -> None:
        """Vouch for a file that another hand changed, for a reason, which is recorded; it can be written from then on.

        Raises
        ------
        KeelError
            `missing-field`: no reason; `read-only`: something else is in the way; `not-written`.
        """
        if not reason.strip():
            raise KeelError("missing-field", "say why it can be relied on; that is recorded", str(self.path))
        if not self.changed or self.salvaged or self.held_by or self.unknown or self._lock is None:
            raise KeelError("read-only", self.why_read_only(), str(self.path))
        try:
            put_right(self._db, self.migrations)
        except sqlite3.Error as error:
            raise KeelError(
                "not-written", f"{self.path.name} can't be put right ({error})", str(self.path)
            ) from None
        self.read_only = False
        self.record([Draft(0, TAKEN_OVER, {"reason": reason.strip(), "at": self._chain.broken})])
        self.changed, self._chain.broken = "", 0


class KitFile(JobFile):
    """The kit: the same store and rules as a job, in a file of its own that outlives jobs.

    Its works are the instruments.
    """

    what = "kit"
    application_id = KIT_APPLICATION_ID
    migrations = KIT_MIGRATIONS


class YardFile(JobFile):
    """The record of the practice yard: the same store and rules as a job, in a file of its own beside the kit.

    Its works are the people who practise.
    """

    what = "practice"
    application_id = YARD_APPLICATION_ID
    migrations = YARD_MIGRATIONS
