"""Job and kit in one window: which of the two files is in hand, and what the kit says at the start."""

from __future__ import annotations

from collections.abc import Callable
from datetime import date
from functools import cached_property
from pathlib import Path
from typing import TYPE_CHECKING, TypeVar

from PyQt6.QtCore import QTimer

from vivid_keel.core.errors import KeelError
from vivid_keel.core.record.diary import DiaryLine
from vivid_keel.core.record.entries import Draft, Entry
from vivid_keel.core.record.lending import Works
from vivid_keel.core.record.works import set_aside
from vivid_keel.desk.base import Desk, Look
from vivid_keel.desk.sheet import Goto
from vivid_keel.files import LEARNER, JobFile, KitFile, YardFile
from vivid_keel.places import kit_path, yard_path
from vivid_keel.trades.registry import desk_for, works_of
from vivid_keel.ui.acts import ActingWindow
from vivid_keel.ui.known import looks_elsewhere, note
from vivid_keel.ui.tone import Tone

if TYPE_CHECKING:
    from vivid_keel.desk.kit.whole import KitDesk
    from vivid_keel.ui.picture_view import PictureView

KIT, DIARY, JOB, YARD = 1, 2, 3, 4
"""Places at the foot of the side."""
FRAME = 60
"""Milliseconds between two pictures of something that moves."""
LISTEN = 14
"""A port is listened at so often [ms]: what comes in is seen within one frame of the screen."""


F = TypeVar("F", bound=JobFile)


class KitWindow(ActingWindow):
    """A window with a job and the kit; one of them is in hand.

    Attributes
    ----------
    job, kit : file or None
        `file` is the one in hand.
    """

    def __init__(self) -> None:
        super().__init__()
        self.job: JobFile | None = None
        self.kit: KitFile | None = None
        self.yard: YardFile | None = None
        self._works: Works | None = None
        self._elsewhere: list[Look] | None = None
        """What other jobs want looked at again: read when it is first asked for after a job was taken or left."""
        self._put_by: dict[int, tuple[dict[int, Desk], Desk | None]] = {}
        self._moving = QTimer(self)
        self._moving.setInterval(FRAME)
        self._moving.timeout.connect(self._move_on)

    @property
    def in_kit(self) -> bool:
        """Whether the kit is in hand."""
        return self.file is not None and self.file is self.kit

    @property
    def in_yard(self) -> bool:
        """Whether the practice yard is in hand."""
        return self.file is not None and self.file is self.yard

    def make_desk(self, work: int) -> Desk:
        """Put a work of the file in hand on a desk of its own."""
        assert self.file is not None
        desk = (
            self._kit_desk(self.file, work)
            if isinstance(self.file, KitFile)
            else self._yard_desk(self.file, work)
            if isinstance(self.file, YardFile)
            else desk_for(self.file, work, self._works_in_hand())
        )
        desk.changed = self.refresh
        desk.kit = self.open_kit
        desk.yard = (lambda: None) if self.file is self.yard else self.open_yard
        desk.spans = self._spans
        desk.looks = self.looks
        desk.open_job = self.open_other
        return desk

    @staticmethod
    def _kit_desk(kit: JobFile, work: int) -> Desk:
        from vivid_keel.desk.kit.tool import ToolDesk
        from vivid_keel.desk.kit.whole import KitDesk
        from vivid_keel.desk.unknown import UnknownDesk

        if work and not kit.knows(str(kit.journal.entries[work].body["type"])):
            return UnknownDesk(kit, work, kit.kinds())
        return ToolDesk(kit, work) if work else KitDesk(kit)

    def _whole_kit(self, kit: KitFile) -> KitDesk:
        """The kit as a whole, what every known job wants looked at again beside it."""
        from vivid_keel.desk.kit.whole import KitDesk

        whole = KitDesk(kit)
        whole.looks, whole.open_job = self.looks, self.open_other
        return whole

    @staticmethod
    def _yard_desk(yard: YardFile, work: int) -> Desk:
        from vivid_keel.demo.pieces import PIECES, practise_on
        from vivid_keel.yard.desk import YardDesk

        type = str(yard.journal.entries[work].body["type"])
        if type == LEARNER:
            desk = YardDesk(yard, work)
            desk.pieces, desk.begin_piece = PIECES, lambda key: practise_on(key, yard)
            return desk
        return KitWindow._kit_desk(yard, work) if KitFile.knows(type) else desk_for(yard, work)

    def _works_in_hand(self) -> Works:
        """The works of the job in hand, worked out together."""
        assert self.file is not None
        if self._works is None or self._works.journal is not self.file.journal:
            self._works = works_of(self.file)
        return self._works

    def _spans(self, sights: bool) -> list[tuple[str, float]]:
        """Lengths the job's works want to be right over."""
        desks = self._put_by.get(id(self.job), ({}, None))[0] if self.file is not self.job else self.desks
        return [s for desk in desks.values() for s in desk.own_spans(sights)][:3]

    def looks(self) -> list[Look]:
        """What the job's works want looked at again, the soonest first."""
        if self._elsewhere is None:
            self._elsewhere = looks_elsewhere(self.job.path if self.job is not None else None)
        return sorted([*self._looks_here(), *self._elsewhere], key=lambda look: look.day)

    def _looks_here(self) -> list[Look]:
        """What the works of the job in hand want looked at again."""
        desks = self._put_by.get(id(self.job), ({}, None))[0] if self.file is not self.job else self.desks
        aside = {work.id for work in set_aside(self.job.journal)} if self.job is not None else set()
        return [look for desk in desks.values() if desk.work not in aside for look in desk.own_looks()]

    def _note_looks(self) -> None:
        """Keep what the job in hand wants looked at again, for when it isn't."""
        job = self.job
        if job is None or job.practice or self._is_demo(job.path):
            return
        shown = {
            desk.work for desk in (*self.desks.values(), *self._put_by.get(id(job), ({}, None))[0].values())
        }
        if {
            work.id for work in job.journal.works()
        } <= shown:  # of a very large job not every work was put on a desk
            note(job.path, job.journal.name_of(0), self._looks_here())

    def _is_demo(self, path: Path) -> bool:
        """Whether a job is a demo, which nobody is to be reminded of."""
        raise NotImplementedError

    def open_other(self, path: str, work: int) -> None:
        """Open another job, at a work of it."""
        raise NotImplementedError

    def open_kit(self, *, make: bool = False) -> KitFile | None:
        """Return the kit, opened when first wanted; None where there is none yet (`make` begins one)."""
        if self.kit is not None:
            return self.kit
        self.kit = self._opened(KitFile, self._kit_path(), "Kit" if make else "")
        return self.kit

    def _kit_path(self) -> Path:
        return kit_path(self.job.path if self.job is not None else None)

    def _opened(self, kind: type[F], path: Path, name: str) -> F | None:
        """Open what lies beside the jobs; begun under a name where there is none yet, unless the name is empty. Says why it can't be."""
        try:
            if path.exists():
                return kind.open(path, self.person)
            if name:
                path.parent.mkdir(parents=True, exist_ok=True)
                return kind.create(path, name, self.person)
        except KeelError as error:
            self.say(error.message[:1].upper() + error.message[1:])
        except OSError as error:
            self.say(f"The {kind.what} file can't be kept at {path}: {error.strerror}.")
        return None

    person = ""

    def show_start(self) -> None:
        """Show the start page."""
        raise NotImplementedError

    def show_new_work(self) -> None:
        """Show the page on which a work is begun."""
        raise NotImplementedError

    def take_kit(self, path: Path) -> bool:
        """Open a kit file by its path, as the kit of this window."""
        try:
            kit = KitFile.open(path, self.person)
        except KeelError as error:
            self.say(error.message[:1].upper() + error.message[1:])
            return False
        if self.kit is not None:
            if self.in_kit:
                self.show_job()
            self._put_by.pop(id(self.kit), None)
            self.kit.close()
        self.kit = kit
        self.show_kit()
        return True

    def show_kit(self, stage: str = "") -> None:
        """Take the kit in hand, at the whole of it."""
        kit = self.open_kit(make=True)
        if kit is None:
            return
        self._switch(kit)
        self.stage = stage or "Instruments"
        self.view_number = 0
        self.open_work(0)
        if kit.read_only:
            self.say(kit.why_read_only())

    def show_diary(self) -> None:
        """Take the kit in hand, at what falls due."""
        self.show_kit("Diary")

    def open_yard(self) -> YardFile | None:
        """Return the practice yard's record, opened or begun when first wanted."""
        if self.yard is None:
            self.yard = self._opened(YardFile, yard_path(self._kit_path()), "Practice yard")
        return self.yard

    def show_yard(self) -> None:
        """Take the practice yard in hand, at the learner who was there last."""
        yard = self.open_yard()
        if yard is None:
            return
        self._switch(yard)
        self.view_number = 0
        if not any(work.body["type"] == LEARNER for work in yard.journal.works()) and not yard.read_only:
            self.add_learner(self.person or "Learner")
            return
        learners = [work.id for work in yard.journal.works() if work.body["type"] == LEARNER]
        if self.desk is not None:
            self.open_work(self.desk.work)
        elif learners:
            self.stage = "Exercises"
            self.open_work(learners[-1])
        if yard.read_only:
            self.say(yard.why_read_only())

    def add_learner(self, name: str) -> None:
        """Add somebody who practises, and take their record in hand."""
        yard, made = self.yard, list[Entry]()
        if yard is None:
            return
        body = {"name": name.strip() or "Learner", "type": LEARNER, "unit": "m"}
        if self.attempt(lambda: made.extend(yard.record([Draft(0, "work", body)]))) and made:
            self.stage = "Exercises"
            self.open_work(made[0].id)

    def practise_at(self, place: Goto) -> None:
        """Go to what was made to practise on: in the yard, or where there is none in the file in hand."""
        if self.yard is not None:
            self._switch(self.yard)
        self.view_number = max(place.view, 0)
        self.stage = place.stage
        self.open_work(place.work)

    def toggle_yard(self) -> None:
        """From the job to the practice yard, and back."""
        self.show_job() if self.in_yard and self.job is not None else self.show_yard()

    def show_job(self) -> None:
        """Take the job in hand again."""
        if self.job is None:
            self.show_start()
            return
        self._switch(self.job)
        self.view_number = 0
        works = self.job.journal.works()
        if self.desk is not None:
            self.open_work(self.desk.work)
        elif works:
            self.open_work(works[0].id)
        else:
            self.show_new_work()

    def toggle_kit(self) -> None:
        """From the job to the kit, and back."""
        self.show_job() if self.in_kit and self.job is not None else self.show_kit()

    def only_in_job(self, what: Callable[[], object], *, also_yard: bool = False) -> None:
        """Do something that belongs to a job, or (`also_yard`) to what is practised on, or say that the kit is in hand."""
        if self.in_kit or (self.in_yard and not also_yard):
            key = "The kit is in hand; Alt+K" if self.in_kit else "The practice yard is in hand; Alt+G"
            self.say(f"{key} goes back to the job.")
            return
        what()

    def _switch(self, file: JobFile) -> None:
        if file is self.file:
            return
        self._keep_half()
        self.sheet.close_editor()
        if self.file is not None:
            self._put_by[id(self.file)] = (self.desks, self.desk)
        self.file = file
        self.desks, self.desk = self._put_by.pop(id(file), ({}, None))
        self.notice.hide()

    def _let_go(self) -> None:
        """Close what is open: desks, job, kit."""
        self.picture.settle()
        self._note_looks()
        self._elsewhere = None
        self.worker.stop()
        self._moving.stop()
        self.sheet.close_editor()
        shelves = [self.desks, *[desks for desks, _ in self._put_by.values()]]
        for desks in shelves:
            for desk in desks.values():
                desk.close()
        self.desks = {}
        self._put_by.clear()
        self._half.clear()
        self.desk = None
        for file in (self.job, self.kit, self.yard):
            if file is not None:
                file.close()
        self.file = self.job = self.kit = self.yard = None

    # What the side says of it

    def _show_places(self) -> None:
        shown = []
        if (self.in_kit or self.in_yard) and self.job is not None:
            shown.append((JOB, self.job.journal.name_of(0), "back to the job", "note"))
        whole = self._whole()
        verdict, words = whole.state() if whole is not None else ("todo", "what you measure with")
        shown.append((KIT, "Kit", words, verdict))
        shown.append((YARD, "Practice yard", "where slips cost nothing", "note"))
        shown.append((DIARY, "Diary", self._diary_words(whole), "note"))
        self.places.show_works(shown, -1)
        self.places.setFixedHeight(54 * len(shown) + 4)

    def _whole(self) -> KitDesk | None:
        if self.kit is None:
            return None
        return self._whole_kit(self.kit)

    def _diary_words(self, whole: KitDesk | None) -> str:
        n = len(self.due_lines())
        if whole is None and not n:
            return "what falls due"
        return f"{n} thing{'s' if n != 1 else ''} due now" if n else "nothing due now"

    def greet(self) -> None:
        """Say at the start what is due: the kit is looked at once the window stands."""
        self.open_kit()
        self._elsewhere = None
        self.show_side()
        self.show_due()

    def show_due(self) -> None:
        """Show on the start page what is due, whichever job it is of."""
        raise NotImplementedError

    def due_lines(self) -> list[DiaryLine]:
        """What is due today or was before, the worst first: knocked instruments, then by day."""
        whole = self._whole()
        if whole is not None:
            lines, today = whole.lines(), whole.now.date()
        else:
            today = date.today()
            lines = [look.line for look in self.looks()]
        due = [line for line in lines if line.day <= today]
        return sorted(due, key=lambda line: (not line.after_knock, line.day, line.name))

    def _go_place(self, place: int) -> None:
        {KIT: self.show_kit, DIARY: self.show_diary, JOB: self.show_job, YARD: self.show_yard}[place]()

    @cached_property
    def tone(self) -> Tone:
        """What leads a hand by ear."""
        return Tone()

    def _lead(self, desk: Desk) -> None:
        silent = self.tone.silent
        self.tone.lead(desk.tone())
        if self.tone.silent and not silent:
            self.say(self.tone.silent[:1].upper() + self.tone.silent[1:])

    def _take_itself(self, desk: Desk) -> None:
        """Take a number that stands, if it ran since the last one, and go on to the next place."""
        said: list[str] = []
        if self.attempt(lambda: said.append(desk.take_live())) and said[0]:
            self.refresh()
            self.say(said[0])

    # Pictures that move

    def refresh(self) -> None:
        super().refresh()
        if self.desk is not None and self.desk.may_move:
            self._moving.start(LISTEN if self.desk.streams() else FRAME)

    def _moves(self) -> PictureView | None:
        """The picture in sight that shows what comes in by itself; None where none does."""
        desk = self.desk
        if desk is None or not desk.may_move or not desk.moves_at(self.stage, self.view_number):
            return None
        return self.picture

    def _move_on(self) -> None:
        desk, picture = self.desk, self._moves()
        if desk is None or picture is None:
            self._moving.stop()
            return
        try:
            desk.listen()
            moving = desk.moving
        except KeelError as error:
            self.say(error.message[:1].upper() + error.message[1:])
            moving = False
        if desk.takes_itself and moving:
            self._take_itself(desk)
        if moving and desk.sounds:
            self._lead(desk)
        picture.redraw()
        if not moving:
            self._moving.stop()
