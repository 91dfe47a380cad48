"""The words between a desk and the window: sheets of cells, stages, the next step."""

from __future__ import annotations

from abc import ABC, abstractmethod
from collections.abc import Callable, Collection, Sequence
from datetime import date, datetime
from hashlib import sha256
from itertools import islice
from pathlib import Path
from typing import TYPE_CHECKING, Any, Protocol

from msgspec import Struct

from vivid_keel.core.booking.from_file import BookFile
from vivid_keel.core.cautions import Caution
from vivid_keel.core.errors import KeelError
from vivid_keel.core.kinds import Finding
from vivid_keel.core.record.diary import DiaryLine
from vivid_keel.core.record.entries import Draft, Entry
from vivid_keel.core.record.journal import Journal
from vivid_keel.core.record.lending import Lent
from vivid_keel.desk.comma import Comma, names_in
from vivid_keel.desk.sheet import Goto, Sheet, Taken
from vivid_keel.desk.site import SiteBooking
from vivid_keel.figures.display import Picture

if TYPE_CHECKING:
    from vivid_keel.core.moving.listing import MoveLine

LongWork = tuple[object, Callable[[Callable[[], float]], Any]]
"""What a worker should do: a key that says for which state of the work, and the operation, given a clock."""


class StageTab(Struct, frozen=True):
    """A stage's tab: how full its bar is (0 … 1) and a count, or ""."""

    name: str
    full: float
    count: str = ""


class Next(Struct, frozen=True):
    """The one obvious next step: a title, a line under it, and the key `Desk.go` understands."""

    title: str
    text: str
    key: str


class Look(Struct, frozen=True):
    """Something to be looked at again: its day, the work, what and why; of a job that isn't in hand its path; `matter`: something open that
    is to be seen to."""

    day: date
    work: int
    name: str
    why: str
    job: str = ""
    matter: bool = False

    @property
    def title(self) -> str:
        """What is to be done."""
        return "see to it" if self.matter else "look again"

    @property
    def key(self) -> str:
        """Where it leads: to a work of the job in hand, or to another job."""
        if self.job:
            return f"job:{self.work}:{self.job}"
        return f"{'matter' if self.matter else 'work'}:{self.work}"

    @property
    def line(self) -> DiaryLine:
        """It as a line of the diary, named the same each time it is written out."""
        uid = f"look-{self.work}-{self.day:%Y%m%d}"
        for more in (self.why if self.matter else "", self.job):
            uid += f"-{sha256(more.encode()).hexdigest()[:12]}" if more else ""
        return DiaryLine(self.day, self.name, self.title, self.why, uid, False, self.key)


class WriterLike(Protocol):
    """A file that can be written of a work; see `desk.stage.Writer`."""

    @property
    def key(self) -> str: ...
    @property
    def label(self) -> str: ...
    @property
    def name(self) -> str: ...
    @property
    def write(self) -> Callable[[Any, Path], object] | None: ...
    @property
    def pages(self) -> Callable[[Any], Callable[[], list[Picture]]] | None: ...
    @property
    def rows(self) -> Callable[[Any], int]: ...


class BringsIn(Protocol):
    """How a level book from a file becomes entries."""

    def work(self, book: BookFile, name: str) -> list[Draft]:
        """Return the entries of one act that make it a new work."""

    def more(self, book: BookFile, work: int, listed: Collection[str]) -> list[Draft]:
        """Return the entries that put its sights at the end of a work, where marks `listed` are known already."""

    def known(self, desk: Any) -> list[str]:
        """Return the names of the marks known in a work."""


class JobLike(Protocol):
    """What a desk has to know of an open file."""

    read_only: bool
    person: str

    @property
    def practice(self) -> bool: ...
    @property
    def mark(self) -> str: ...
    @property
    def next_entry(self) -> int: ...
    @property
    def journal(self) -> Journal: ...
    def record(self, drafts: Sequence[Draft]) -> list[Entry]: ...
    def now(self) -> datetime: ...
    def why_read_only(self) -> str: ...


class Desk(ABC):
    """A work on the desk. Subclasses say what its stages show."""

    type = ""
    stage_names: tuple[str, ...] = ()
    event_question: tuple[str, str] | None = None
    """What is asked where something happened, and its hint; None where the work keeps no book of such things."""
    event_anywhere = False
    """Whether that may be asked at every stage, not under Readings alone."""
    matching = ""
    """What is matched by F8: "staff", "instrument", or nothing."""
    may_move = False
    """Whether its picture may change by itself."""
    line_stays = False
    """Whether a line that is let go stays where it was put, to be drawn again."""
    handbook = ""
    """Its page of the handbook, as a file of the package."""
    takes_jobs = False
    """Whether other jobs' files may lend it their levellings."""
    brings_in: BringsIn | None = None
    """How a level book from a file becomes entries of such a work, where it keeps one."""

    def pasted(self, stage: str, text: str) -> list[Draft] | None:
        """Return the entries that a clipboard's text makes at a stage; None where nothing can be pasted."""
        return None

    def brought(self, stage: str, name: str, raw: bytes) -> list[Draft] | None:
        """Return the entries that a file makes at a stage; None where the work takes none there."""
        return None

    def again(self) -> list[Draft]:
        """Return what begins the next visit of this work."""
        raise KeelError("bad-value", "this can't be looked at again as a visit")

    def copy(self, *, read: bool) -> list[Draft]:
        """Return a work like this one, with all that was read or with nothing."""
        raise KeelError("bad-value", "this can't be copied")

    def lent_by(self, file: str, job: str, levellings: Sequence[tuple[Lent, date]]) -> list[Draft]:
        """Return the entries that lay the levellings of another job's `file` beside this work's; each with the day it was read on."""
        raise KeelError("bad-value", "this work takes nothing of another job")

    def __init__(self, file: JobLike, work: int) -> None:
        self.file, self.work = file, work
        self.changed: Callable[[], None] = lambda: None
        self.kit: Callable[[], JobLike | None] = lambda: None
        """The kit at hand, if there is one."""
        self.yard: Callable[[], JobLike | None] = lambda: None
        """The practice yard's file, where copies to practise on go; None: into the file in hand."""
        self.spans: Callable[[bool], list[tuple[str, float]]] = lambda sights: []
        """Lengths that the job in hand is about, or by which its sights are unequal: (name, metres)."""
        self.looks: Callable[[], list[Look]] = lambda: []
        """What the job in hand wants looked at again."""
        self.open_job: Callable[[str, int], None] = lambda path, work: None
        """Opens another job, at a work."""
        self.focus = -1
        self.past: list[object] = []
        """What stood before: thrown away when the window comes to rest, for with a long book that takes its time."""
        self._comma: tuple[int, Comma] | None = None

    @property
    def reads_by_hand(self) -> bool:
        """Whether something is read in such a work, rather than taken from others."""
        return False

    @property
    def stale(self) -> bool:
        """Whether what this work follows in another may have changed since it was worked out."""
        return False

    @property
    def decimal_mark(self) -> str | None:
        """The job's decimal mark, None while it is unset."""
        job = self.file.journal.latest(0, "job")
        mark = str(job.body.get("decimal_mark", "")) if job else ""
        return mark or None

    @property
    def comma(self) -> Comma | None:
        """The door by which what is shown gets decimal commas; None where the job's mark is a point."""
        if self.decimal_mark != ",":
            return None
        journal = self.file.journal
        known, comma = self._comma or (0, Comma([]))
        if known != len(journal.entries):
            new = islice(journal.entries.values(), known, None)
            comma = comma.with_names(names_in(entry.body for entry in new))
            self._comma = (len(journal.entries), comma)
        return comma

    def enter_in_record(self, taken: Taken) -> None:
        """Record what was typed, as one act, and let it follow; whoever asked for it shows what stands then."""
        if taken.drafts:
            self.follow(self.file.record(taken.drafts))
        if taken.clears is not None:
            taken.clears.clear()

    def record(self, *drafts: Draft) -> None:
        """Record what one act made and let the window know."""
        self.follow(self.file.record(drafts))
        self.changed()

    def follow(self, entries: list[Entry]) -> None:
        """Compute what new entries of this work change; anew, unless a desk knows a shorter way."""
        self.refresh()

    @abstractmethod
    def refresh(self) -> None:
        """Compute anew from the journal."""

    @abstractmethod
    def state(self) -> tuple[str, str]:
        """Return (verdict, words) for the job list."""

    @abstractmethod
    def tabs(self) -> list[StageTab]:
        """Return the stages with how full each is."""

    @abstractmethod
    def sheets(self, stage: str) -> list[Sheet]:
        """Return the sheets of a stage."""

    def views(self, stage: str) -> list[str]:
        """Return the names of the pictures to choose from, [] where there is one."""
        return []

    @abstractmethod
    def picture(self, stage: str, view: int, width: float, height: float) -> Picture:
        """Return one of a stage's pictures for a size [px]."""

    @abstractmethod
    def findings(self, stage: str) -> list[Finding]:
        """Return what the numbers say at a stage, worst first."""

    def question(self, stage: str) -> tuple[str, ...]:
        """Return what a stage answers, in a few lines, for F1."""
        return ()

    def cautions(self, stage: str) -> list[Caution]:
        """Return the cautions that apply here and are not yet acknowledged."""
        return []

    def acknowledge(self, caution: Caution) -> None:
        """Record that a caution was read."""
        self.record(Draft(self.work, "caution", {"key": caution.key}))

    @abstractmethod
    def next(self, stage: str) -> Next:
        """Return the one obvious next step, seen from a stage."""

    @abstractmethod
    def go(self, key: str) -> Goto | None:
        """Return where a finding's or the next step's key leads."""

    @property
    def step(self) -> float:
        """The smallest difference this work shows [m]: what an arrow key moves the keel line by."""
        return 0.001

    def drag(self, value: float, *, done: bool) -> None:
        """Move the keel line to a height [m]; `done` records it once."""

    def tilt(self, gradient: float, *, done: bool) -> None:
        """Tip the keel line to what it gains per metre along the row in sight; `done` records it once."""

    def matched(self) -> str:
        """Return the reading that the picture's hair shows, as it would be typed; "" where there is no hair."""
        return ""

    def own_looks(self) -> list[Look]:
        """Return what of this work is to be looked at again, and when."""
        return []

    def own_spans(self, sights: bool) -> list[tuple[str, float]]:
        """Return the lengths over which this work wants to be right, or by which its sights are unequal: (name, metres)."""
        return []

    @property
    def moving(self) -> bool:
        """Whether its picture changes by itself, as a bubble does that still runs."""
        return False

    def streams(self) -> bool:
        """Whether its numbers come in by themselves."""
        return False

    def moves_at(self, stage: str, view: int) -> bool:
        """Whether a picture shows what comes in by itself."""
        return stage == "Readings" and view == 1

    def live_view(self, stage: str) -> int:
        """Which of a stage's pictures F8 reads from, by its number; −1: none."""
        return 1 if stage == "Readings" and len(self.views(stage)) > 1 else -1

    takes_itself = False
    """Whether a number that stands is taken without a key."""
    sounds = False
    """Whether a tone is wanted while something is moved."""

    def take_live(self, *, told: bool = False) -> str:
        """Book what stands on a stream; return what was booked in words, "" for nothing."""
        return ""

    def tone(self) -> tuple[float, float] | None:
        """Pitch [Hz] and pause [s] of the tone that leads the hand; None: silence."""
        return None

    def listen(self) -> None:
        """Take in what a device has sent; called by the window's clock, never while painting. Refused with the reason."""

    def stream_text(self) -> str:
        """Return the number that stands still on a stream, as it would be typed; refused while it runs."""
        return ""

    def site_booking(self) -> SiteBooking | None:
        """Return what books one reading at a time in site mode, None where the work has no such thing."""
        return None

    def writers(self) -> Sequence[WriterLike]:
        """Return the files that can be written of it, beside the report."""
        return ()

    def report(self) -> Callable[[], list[Picture]] | None:
        """Return what makes the pages of its report, None where it has none."""
        return None

    def work_sheet(self, *, changes: bool = False) -> Callable[[], list[Picture]] | None:
        """Return what makes the pages of the sheet for the hand, of the `changes` since it was printed last alone; None where
        nothing is planned."""
        return None

    def moves(self) -> list[MoveLine] | None:
        """Return what is to be moved in it, a line a point and stage; None where nothing is moved in such a work."""
        return None

    def puts_on_paper(self) -> str:
        """Let what is printed or written for the hand stand from here on; return what is to be said of that, "" for nothing."""
        return ""

    @property
    def practice_file(self) -> JobLike:
        """Where a copy to practise on is made: never beside what was really read."""
        return self.yard() or self.file

    def practise(self) -> Goto | None:
        """Begin practising on a stand-in, in the practice yard; return where to go there."""
        raise KeelError("bad-value", "this work has no stand-in to practise on")

    def on_view(self, stage: str, view: int) -> None:
        """Know which picture the window shows."""

    def close(self) -> None:
        """Let go of whatever it holds open."""

    def new_set_up(self) -> None:
        """Begin a new set-up, where the work has them."""

    def long_work(self) -> LongWork | None:
        """Return what a worker should compute off the window's thread, or None where nothing waits."""
        return None

    def plan_points(self) -> list[tuple[str, float, float, float, dict[str, object]]]:
        """Return the marks that have a place in plan: name, x, y, height (nan: not known) [m], and more."""
        return []

    @property
    def busy_words(self) -> str:
        """What is being worked out and how far it is, "" where it is not worth saying."""
        return ""

    def long_work_done(self, key: object, found: Any) -> None:
        """Take what a worker computed; None where it failed."""

    def happened(self, typed: str) -> None:
        """Record something that happened, where the work has a book of such things."""
        raise KeelError("bad-value", "this work keeps no book of events; note it under Record")

    def strike(self, entry: int, reason: str) -> None:
        """Strike an entry; it stays legible."""
        body = {"reason": reason} if reason else {}
        self.record(Draft(self.work, "strike", body, strikes=entry))


def whole_number(text: str, what: str, least: int = 0) -> int:
    """Return a typed whole number, or refuse it."""
    clean = text.strip()
    if not clean.isdigit() or int(clean) < least or len(clean) > 6:
        raise KeelError("bad-value", f"“{clean}” is no count; {what}, {least} or more")
    return int(clean)
