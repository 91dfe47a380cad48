"""A work on the desk: its trade's declaration made into what the window shows."""

from __future__ import annotations

from collections.abc import Callable, Collection, Mapping
from datetime import date, datetime
from typing import Any, Protocol

from msgspec.structs import replace

from vivid_keel.core.cautions import Caution
from vivid_keel.core.errors import KeelError
from vivid_keel.core.instruments.used import Use, use_findings
from vivid_keel.core.kinds import Finding, Kinds, Of, State, worst_first
from vivid_keel.core.record.agree import Otherwise, agree_findings, told_otherwise
from vivid_keel.core.record.copying import copied, name_for_copy
from vivid_keel.core.record.entries import Draft, Entry
from vivid_keel.core.record.journal import Journal
from vivid_keel.core.record.lending import Follows, Works
from vivid_keel.core.record.matters import acknowledged, lost_findings, matter_findings, matters
from vivid_keel.core.record.paper import paper_in_hand
from vivid_keel.core.record.works import begin_visit
from vivid_keel.desk.base import BringsIn, Desk, JobLike, Look, Next, StageTab
from vivid_keel.desk.on_paper import entered, stated, tables_read
from vivid_keel.desk.sheet import Goto, Sheet
from vivid_keel.desk.stage import Face, Writer
from vivid_keel.figures.display import Picture
from vivid_keel.figures.report import Enough, Heading
from vivid_keel.figures.small import in_room


class TradeLike(Follows, Protocol):
    """What a desk has to know of a trade."""

    @property
    def key(self) -> str: ...
    @property
    def label(self) -> str: ...
    @property
    def kinds(self) -> Kinds: ...
    @property
    def follow(self) -> Callable[[Any, Journal, list[Entry]], Any] | None: ...
    @property
    def state(self) -> Callable[[Any], State]: ...
    @property
    def findings(self) -> Callable[[Any, str], list[Finding]]: ...
    @property
    def uses(self) -> Callable[[Any], list[Use]]: ...
    @property
    def cautions(self) -> Callable[[Any, str], tuple[Caution, ...]]: ...
    @property
    def brings_in(self) -> BringsIn | None: ...
    @property
    def copies(self) -> Collection[str]: ...
    @property
    def bare(self) -> Callable[[str, Mapping[str, Any]], Mapping[str, Any]]: ...
    @property
    def by_time(self) -> Collection[str]: ...
    @property
    def point_of(self) -> Callable[[int, Of], int]: ...
    @property
    def plans(self) -> Callable[[Any], list[Draft]]: ...
    @property
    def handbook(self) -> str: ...
    def face(self) -> Face[Any]: ...


class WorkDesk(Desk):
    """A work of any trade. Subclasses hold what their trade keeps while it is shown.

    Attributes
    ----------
    result : object
        The work worked out; its book is `result.book`.
    half : dict
        What is half typed, by a name for the sheet: the one place for it.
    """

    result: Any

    def __init__(self, trade: TradeLike, file: JobLike, work: int, works: Works, kinds: Kinds) -> None:
        super().__init__(file, work)
        self.trade, self.works, self.kinds = trade, works, kinds
        self.type = trade.key
        self.brings_in, self.handbook = trade.brings_in, trade.handbook
        self.face: Face[Any] = trade.face()
        self._agreed: tuple[int, list[Otherwise]] = (0, [])
        self.stage_names = tuple(stage.name for stage in self.face.stages)
        self.half: dict[str, dict[Any, str]] = {}
        self.seen = -1
        self.result = None
        self.begin()
        self.refresh()

    def begin(self) -> None:
        """Make what a subclass holds, before anything is worked out."""

    @property
    def reads_by_hand(self) -> bool:
        """Whether something is read in it: such a work has visits, or can be copied to be read again."""
        return bool(self.trade.copies) or "visit" in self.trade.kinds

    @property
    def book(self) -> Any:
        """What was booked."""
        return self.result.book

    @property
    def hidden(self) -> dict[str, float] | None:
        """The hidden numbers of what is simulated under a practice work; None where something real stands."""
        entry = self.file.journal.latest(self.work, "stand-in")
        return {str(k): float(v) for k, v in entry.body["hidden"].items()} if entry is not None else None

    @property
    def cautions_first(self) -> bool:
        """Whether cautions are to be read before anything is moved."""
        return False

    def begin_practice(self) -> Draft:
        """Return the entry of a work like this one, to practise on."""
        name = self.file.journal.name_of(self.work)
        if self.file.practice:  # a copy of a copy is one of the first
            name = name.partition(": ")[2] or name
        works = self.practice_file.journal.works()
        before = sum(str(one.body["name"]).endswith(f": {name}") for one in works)
        called = f"Practice{f' {before + 1}' if before else ''}: {name}"
        unit = self.file.journal.unit_of(self.work)
        return Draft(0, "work", {"name": called, "type": self.trade.key, "unit": unit})

    def again(self) -> list[Draft]:
        """Return what begins the next visit: of the same work where its trade has visits, else a work like it in which nothing is read yet.

        Raises
        ------
        KeelError
            `bad-value` where it can't be read again.
        """
        if "visit" in self.trade.kinds:
            return [begin_visit(self.file.journal, self.work)]
        return self.copy(read=False) + self.trade.plans(self.result)

    def copy(self, *, read: bool) -> list[Draft]:
        """Return a work like this one, the new work's entry first: with all that was read, to try something on, or with nothing read yet.

        Raises
        ------
        KeelError
            `bad-value` where a copy would say something else.
        """
        journal, trade = self.file.journal, self.trade
        if not read and not trade.copies:
            why = "can't be copied without what was read: all its numbers come from other works; copy those"
            raise KeelError("bad-value", f"{trade.label} {why}")
        if read and any(journal.latest(self.work, kind) is not None for kind in trade.by_time):
            why = "can't be copied with what was read: when it was read is part of it. Begin a new visit (Alt+V)"
            raise KeelError("bad-value", f"{journal.name_of(self.work)} {why}")
        wanted = trade.kinds.keys() | {"instrument", "staff"} if read else trade.copies
        return copied(
            journal,
            self.work,
            self.kinds,
            wanted,
            name_for_copy(journal, self.work, self.file.now().date()),
            self.file.next_entry,
            trade.point_of,
            (lambda kind, body: body) if read else trade.bare,
        )

    def typed(self, sheet: str) -> dict[Any, str]:
        """Return what is half typed on a sheet, by cell."""
        return self.half.setdefault(sheet, {})

    # Working out

    def refresh(self) -> None:
        self.seen = self.file.journal.revision
        self.take(self.works.result(self.work))

    def follow(self, entries: list[Entry]) -> None:
        """Let new entries follow by the trade's shorter way, where it has one for them."""
        grown = (
            self.trade.follow(self.result, self.file.journal, entries)
            if self.trade.follow is not None
            else None
        )
        if grown is None:
            self.refresh()
        else:
            self.seen = self.file.journal.revision
            self.take(grown)

    def take(self, result: Any) -> None:
        """Take what was worked out."""
        self.past.append(self.result)
        self.result = result

    @property
    def stale(self) -> bool:
        if self.seen == self.file.journal.revision or self.trade.needs is None:
            return False
        return bool(self.trade.needs(self.book, self.works))

    # What is shown

    def state(self) -> tuple[str, str]:
        if lost_findings(self.file.journal, self.work):
            return State("open", "a file in it is damaged")
        return self.trade.state(self.result)

    def tabs(self) -> list[StageTab]:
        return [StageTab(stage.name, *stage.full(self)) for stage in self.face.stages]

    def sheets(self, stage: str) -> list[Sheet]:
        return self.face.stage(stage).sheets(self)

    def views(self, stage: str) -> list[str]:
        names = [name for name, _ in self.face.stage(stage).pictures(self)]
        return names if names != [""] else []

    def picture(self, stage: str, view: int, width: float, height: float) -> Picture:
        pictures = self.face.stage(stage).pictures(self)
        return in_room(pictures[min(max(view, 0), len(pictures) - 1)][1], self, width, height)

    def question(self, stage: str) -> tuple[str, ...]:
        return self.face.stage(stage).question

    def own_findings(self, stage: str) -> list[Finding]:
        """Return what the trade itself has to say at a stage."""
        return self.trade.findings(self.result, stage)

    def leading(self, stage: str) -> list[Finding]:
        """Return what answers a stage's own question, before all else."""
        return []

    def findings(self, stage: str) -> list[Finding]:
        """Return what there is to say: the trade's own, of its instruments, and open matters."""
        uses = use_findings(self.trade.uses(self.result))
        journal = self.file.journal
        rest = [
            *lost_findings(journal, self.work),
            *self.own_findings(stage),
            *uses,
            *matter_findings(journal, self.work),
        ]
        page = paper_in_hand(journal, self.work)
        if page is not None:
            rest.append(
                Finding(
                    "note",
                    f"From paper: page {page.page}",
                    f"What is typed now stands there{f', read {page.read_at}' if page.read_at else ''}. The menu ends it.",
                )
            )
        if stage == self.stage_names[-1]:
            rest += agree_findings(self._otherwise())
        return [*self.leading(stage), *worst_first(rest)]

    def _otherwise(self) -> list[Otherwise]:
        """Readings whose text and value differ; what was looked at once isn't looked at again, for no entry changes."""
        journal, (last, found) = self.file.journal, self._agreed
        if journal.entries:
            found = [*found, *told_otherwise(journal, self.work, last)]
            self._agreed = (next(reversed(journal.entries)), found)
        return [one for one in found if journal.stands(one.entry)]

    def cautions(self, stage: str) -> list[Caution]:
        given = self.trade.cautions(self.result, stage)
        return [c for c in given if acknowledged(self.file.journal, self.work, c.key) is None]

    def next(self, stage: str) -> Next:
        for step in self.face.steps:
            said = step.says(self, stage) if step.says is not None else None
            if said is not None:
                return said
        if stage != self.stage_names[-1]:
            cure = self.to_cure(stage)
            if cure is not None:
                return cure
            return Next("Next: write the report", "as found, moves, as left", "record")
        return Next("Write the report", "a PDF that keeps, beside the job file", "report")

    def to_cure(self, stage: str) -> Next | None:
        """Return the first thing that is out, or still asked for, and can be seen to: no report is proposed before."""
        for finding in self.findings(stage):
            if finding.verdict in {"out", "todo"} and finding.action not in {"", "record"}:
                label = finding.action_label or finding.title
                return Next(f"Next: {label[:1].lower()}{label[1:]}", finding.title, finding.action)
        return None

    def go(self, key: str) -> Goto | None:
        name, _, rest = key.partition(":")
        step = self.face.keys.get(name)
        if step is not None:
            return step.goes(self, rest)
        return Goto(self.stage_names[-1]) if name == "record" else None

    # Papers

    def heading(self, now: datetime | None = None) -> Heading:
        """Return what stands at the head of this work's papers."""
        journal = self.file.journal
        written = (now or datetime.now().astimezone()).strftime("%Y-%m-%d %H:%M")
        return Heading(
            journal.name_of(0),
            journal.name_of(self.work),
            self.trade.label.lower(),
            written,
            self.file.person,
            self.file.practice,
            self.file.mark,
            entered(journal, self.work),
        )

    def report(self, now: datetime | None = None, *, most: int = 0) -> Callable[[], list[Picture]]:
        """Return what makes the pages of the report, from what stands now; with `most` it may end in `Enough`."""
        result, journal = self.result, self.file.journal
        heading = replace(self.heading(now), most=most)
        if self.face.sheets_told:
            heading = replace(heading, stated=stated(self), read=tables_read(self))
        said = [finding for finding in self.findings("Proof") if finding.verdict != "todo"]
        return lambda: self.face.report(result, journal, heading, said)

    def first_pages(self, most: int) -> tuple[list[Picture], bool]:
        """Return the report's first pages, `most` of them at the most, and whether there are more."""
        try:
            return self.report(most=most)(), False
        except Enough as enough:
            return enough.pages, True

    def writers(self) -> tuple[Writer[Any], ...]:
        return self.face.writers

    def own_looks(self) -> list[Look]:
        """What is still open in it, since the day that it was written down."""
        found = matters(self.file.journal, self.work)
        name = self.file.journal.name_of(self.work)
        return [
            Look(date.fromisoformat(one.time[:10]), self.work, name, f"still open: {one.text}", matter=True)
            for one in found
            if one.settled is None
        ]

    @property
    def open_matters(self) -> int:
        """How many matters are open."""
        return sum(m.settled is None for m in matters(self.file.journal, self.work))
