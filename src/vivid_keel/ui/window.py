"""The window: the job at the left, its stages across the top, picture, sheet, verdict, one next step."""

from __future__ import annotations

import gc
from functools import cached_property
from pathlib import Path
from typing import TYPE_CHECKING

from PyQt6.QtCore import Qt, pyqtSignal
from PyQt6.QtGui import QCloseEvent, QKeyEvent
from PyQt6.QtWidgets import QApplication

from vivid_keel.core.errors import KeelError
from vivid_keel.core.record.entries import Draft
from vivid_keel.core.record.works import at_hand
from vivid_keel.desk.finding import where_shown
from vivid_keel.desk.sheet import Goto
from vivid_keel.files import JobFile
from vivid_keel.places import KIT_SUFFIX
from vivid_keel.trades.registry import trade
from vivid_keel.ui.errands import Errands
from vivid_keel.ui.housekeeping import Housekeeping
from vivid_keel.ui.keeping import Keeping
from vivid_keel.ui.keys import add_actions
from vivid_keel.ui.kit_room import LISTEN, KitWindow
from vivid_keel.ui.pages import NewJobPage, NewWorkPage
from vivid_keel.ui.recent import recent_jobs, remember
from vivid_keel.whole import clear_leftovers

if TYPE_CHECKING:
    from vivid_keel.core.record.search import Hit
    from vivid_keel.ui.find_page import FindPage
    from vivid_keel.ui.handbook_page import HandbookPage
    from vivid_keel.ui.map_page import MapPage
    from vivid_keel.ui.picture_view import PictureView
    from vivid_keel.ui.site import SiteMode


class Window(KitWindow):
    """One job in one window."""

    errands: Errands
    keeping: Keeping
    failed = pyqtSignal(str)
    """Something failed that nobody caught, said in a sentence; from any thread."""

    def __init__(self, person: str = "") -> None:
        super().__init__()
        self.person = person
        self.errands = Errands(self)
        self.keeping = Keeping(self)
        self.house = Housekeeping(self)
        self._looked_at: list[tuple[Path, int]] = []
        self._wire()
        add_actions(self)
        self.stack.currentChanged.connect(self._fill_screen)
        self.show_start()

    def _wire(self) -> None:
        self.start.new_job.connect(self.show_new_job)
        self.start.open_job.connect(self.errands.choose_job)
        self.start.demo.connect(self.errands.open_demo)
        self.start.recent.connect(lambda path: self.open_path(Path(path)))
        self.start.due.connect(self._go_due)
        self.job_button.clicked.connect(self.open_menu)
        self.works.opened.connect(self.open_work)
        self.add_work.clicked.connect(self.show_new_work)
        self.places.opened.connect(self._go_place)
        self.strip.chosen.connect(self.show_stage)
        self.views.chosen.connect(self._choose_view)
        self.sheets.chosen.connect(self._choose_sheet)
        self.picture.picked.connect(self._picked)
        self.picture.dragged.connect(self._dragged)
        self.picture.tilted.connect(self._tilted)
        self.picture.taken.connect(self._take_matched)
        self.sheet.moved.connect(self._row_moved)
        self.sheet.previewed.connect(self._previewed)
        self.sheet.asked.connect(self._go)
        self.sheet.shut.connect(lambda: self.say(self.file.why_read_only() if self.file is not None else ""))
        self.under.left.connect(self.sheet.setFocus)
        self.stop_button.clicked.connect(self.stop_work)
        self.copy_button.clicked.connect(self._copied)
        self.failed.connect(self._show_fault)
        self.pane.acted.connect(self._act)
        self.pane.acknowledged.connect(self._acknowledge)
        self.pane.next_pressed.connect(self.do_next)

    # The pages below are made when they are first wanted: the window stands sooner without them.

    @cached_property
    def new_job(self) -> NewJobPage:
        """The page on which a job is begun."""
        page = NewJobPage()
        page.made.connect(self._make_job)
        page.left.connect(self.show_start)
        self.stack.addWidget(page)
        return page

    @cached_property
    def new_work(self) -> NewWorkPage:
        """The page on which a work is begun."""
        page = NewWorkPage()
        page.made.connect(self._make_work)
        self.stack.addWidget(page)
        return page

    @cached_property
    def map_page(self) -> MapPage:
        """Which column of a stranger's file is which."""
        from vivid_keel.ui.map_page import MapPage

        page = MapPage()
        page.mapped.connect(self.errands.columns_told)
        page.turned.connect(self.errands.turn)
        page.left.connect(self._back_to_work)
        self.stack.addWidget(page)
        return page

    @cached_property
    def site(self) -> SiteMode:
        """One reading at a time, the whole screen for it."""
        from vivid_keel.ui.site import SiteMode

        page = SiteMode()
        page.left.connect(self.leave_site)
        self.stack.addWidget(page)
        return page

    @cached_property
    def handbook(self) -> HandbookPage:
        """The handbook, contents and search beside it."""
        from vivid_keel.ui.handbook_page import HandbookPage

        page = HandbookPage()
        page.left.connect(self._back_to_work)
        page.to_stage.connect(self._to_stage)
        page.to_demo.connect(lambda only: self.errands.open_demo(only))
        self.stack.addWidget(page)
        return page

    @cached_property
    def finder(self) -> FindPage:
        """Where something of the job is found."""
        from vivid_keel.ui.find_page import FindPage

        page = FindPage()
        page.left.connect(self._back_to_work)
        page.chosen.connect(self._go_to_hit)
        self.stack.addWidget(page)
        return page

    def find_in_job(self) -> None:
        """Find a work, a mark, a remark, a matter in the file in hand."""
        from msgspec.structs import replace

        from vivid_keel.core.record.search import search

        file = self.file
        if file is None:
            self.say("Open a job first; what is found is found in a job.")
            return
        if self.on_site:
            self.leave_site()
        self._keep_half()
        job = self.job if self.job is not file else None

        def found(words: str) -> list[Hit]:
            here = search(file.journal, file.kinds(), words)
            there = [] if job is None else search(job.journal, job.kinds(), words)
            return [*here, *(replace(hit, elsewhere=True) for hit in there)]

        def name(hit: Hit) -> str:
            source = job if hit.elsewhere and job is not None else file
            return source.journal.name_of(hit.work)

        where = (
            file.journal.name_of(0)
            if job is None
            else f"{self.job_button.text().rstrip('▾ ')}, and in {job.journal.name_of(0)}"
        )
        self.finder.open(found, name, where)
        self.stack.setCurrentWidget(self.finder)
        self.finder.words.setFocus()

    def rename(self) -> None:
        """Ask what the work in hand is to be called from now on."""
        desk = self.desk
        if desk is None or self.stack.currentIndex() != 0:
            self.say("Open a work first; it is the work in hand that is named anew.")
            return
        self.sheet.close_editor()
        old = desk.file.journal.name_of(desk.work)
        self.ask(f"“{old}” is to be called", "a name · Enter takes it, Esc leaves it", self._renamed)

    def _renamed(self, name: str) -> None:
        desk, new = self.desk, " ".join(name.split())
        if desk is None or not new or new == desk.file.journal.name_of(desk.work):
            return
        others = [work.id for work in desk.file.journal.works() if work.id != desk.work]
        if any(desk.file.journal.name_of(other) == new for other in others):
            self.say(f"Another is called “{new}” already; two of one name are told apart by nobody.")
            return
        if self.attempt(lambda: desk.record(Draft(desk.work, "rename", {"name": new}))):
            self.show_side()

    def _go_to_hit(self, hit: Hit) -> None:
        """Go to what was found: its work, and the first cell there that shows its text."""
        if hit.elsewhere:
            self.show_job()
        self.open_work(hit.work)
        desk = self.desk
        if desk is None or hit.entry == hit.work:
            return
        place = where_shown(desk, hit.text)
        if place is not None:
            self._go(place)

    @property
    def in_handbook(self) -> bool:
        """Whether the handbook is shown."""
        return "handbook" in self.__dict__ and self.stack.currentWidget() is self.handbook

    def toggle_help(self) -> None:
        """Open the handbook at what is in hand, or go back from it."""
        if self.in_handbook:
            self._back_to_work()
            return
        if self.on_site:
            self.leave_site()
        self._keep_half()
        desk = self.desk if self.stack.currentIndex() == 0 else None
        path = desk.handbook if desk is not None else ""
        self.handbook.open(path, desk.question(self.stage) if desk else (), desk.stage_names if desk else ())
        self.stack.setCurrentWidget(self.handbook)

    def _to_stage(self, name: str) -> None:
        self._back_to_work()
        if self.desk is not None and name in self.desk.stage_names:
            self.show_stage(name)

    def _show_fault(self, said: str) -> None:
        self.say(said)
        self.copy_button.show()

    def _copied(self) -> None:
        self.errands.copy_report()
        self.copy_button.hide()

    def site_mode(self) -> None:
        """Book one reading at a time, or go back to the table."""
        desk = self.desk
        if self.on_site:
            self.leave_site()
            return
        booking = desk.site_booking() if desk is not None and self.stack.currentIndex() == 0 else None
        if booking is None:
            self.say(
                "Site mode books readings and moves one at a time; open a level run, supports, a table or a bed at the left."
            )
            return
        if self.file is not None and self.file.read_only:
            self.say(self.file.why_read_only())
            return
        self._keep_half()
        self.sheet.close_editor()
        self.side.hide()
        self.stack.setCurrentWidget(self.site)
        self.site.open(booking)
        if self._moves() is not None:
            self._moving.start(LISTEN)

    @property
    def on_site(self) -> bool:
        """Whether site mode is shown."""
        return "site" in self.__dict__ and self.stack.currentWidget() is self.site

    def _moves(self) -> PictureView | None:
        if not self.on_site:
            return super()._moves()
        return self.site.picture if self.desk is not None and self.desk.streams() else None

    def refresh(self) -> None:
        """Show what stands now, in site mode too."""
        super().refresh()
        if self.on_site:
            self.site.refresh()

    _before_site: Qt.WindowState | None = None

    def _fill_screen(self) -> None:
        """Take the whole screen for site mode, and give it back however that is left."""
        if self.on_site and self._before_site is None and QApplication.platformName() != "offscreen":
            self._before_site = self.windowState()
            self.showFullScreen()
        elif not self.on_site and self._before_site is not None:
            self.setWindowState(self._before_site)
            self._before_site = None

    def leave_site(self) -> None:
        """Back to the table, at the book."""
        self.side.show()
        self.stack.setCurrentIndex(0)
        booking = self.site.booking
        self.show_stage(booking.stage if booking is not None else "Readings")

    reopen: Path | None = None
    """The job to be opened again, where the window is to come back in another size of type."""

    def larger_type(self) -> None:
        """Come back with larger type, or with the usual after the largest: on the same job, where all is recorded."""
        from vivid_keel.ui.chosen import AGAIN, keep, next_size

        self._keep_half()
        keep(type=next_size())
        self.reopen = self.job.path if self.job is not None else None
        if self.reopen is not None:
            self.errands.keep_demo(self.reopen)
        self.close()
        QApplication.exit(AGAIN)

    # Jobs and works

    def open_path(self, path: Path) -> bool:
        """Open a job file; say in a sentence why not, and keep what is open."""
        if path.suffix == KIT_SUFFIX:
            return self.take_kit(path)
        if self.job is not None and path.exists() and path.samefile(self.job.path):
            self.show_job()
            return True
        try:
            file = JobFile.open(path, self.person)
        except KeelError as error:
            self.say(error.message[:1].upper() + error.message[1:])
            return False
        self.take(file)
        return True

    def take(self, file: JobFile) -> None:
        """Show a job that has been opened."""
        self._let_go()
        self.file = self.job = file
        remember(file.path)
        clear_leftovers(file.path.parent)
        self.setWindowTitle(f"{file.journal.name_of(0)} — Vivid Keel")
        works = at_hand(file.journal) or file.journal.works()
        if works:
            self.open_work(works[0].id)
        elif file.read_only:
            self.show_start()
        else:
            self.show_new_work()
        gc.freeze()  # a job and its book live as long as it is open: collecting need not visit them at each key
        self.keeping.watch()
        if file.read_only:
            self.say(file.why_read_only())
        elif file.kept:
            self.say(
                f"This job was brought up from an older version; the file as it was is kept as {file.kept.name}."
            )

    def closeEvent(self, a0: QCloseEvent | None) -> None:
        if a0 is not None and self.errands.keeps_open():
            a0.ignore()
            return
        if self.job is not None:
            clear_leftovers(self.job.path.parent)
        self._let_go()
        self.errands.clear_demos()
        super().closeEvent(a0)

    def _make_job(self, path: str, name: str, unit: str, mark: str) -> None:
        try:
            file = JobFile.create(Path(path), name, self.person, unit=unit, decimal_mark=mark)
        except KeelError as error:
            self.new_job.refuse(error.message[:1].upper() + error.message[1:])
            return
        self.take(file)

    def _make_work(self, type: str, name: str) -> None:
        if self.file is None:
            return
        job = self.file.journal.latest(0, "job")
        unit = str(job.body.get("unit", "m")) if job else "m"
        try:
            own = known.begins(unit) if (known := trade(type)) is not None else []
            entry = self.file.record([Draft(0, "work", {"name": name, "type": type, "unit": unit}), *own])[0]
        except KeelError as error:
            self.say(error.message)
            return
        self.new_work.name.clear()
        self.open_work(entry.id)
        self.do_next()

    def open_work(self, work: int) -> None:
        """Put a work on the desk, at the stage where its next step is."""
        assert self.file is not None
        if not (self.in_kit and work == 0) and not self.file.journal.is_work(work):
            self.show_side()  # the list at the side was that of the file in hand before
            return
        self._keep_half()
        here = (self.file.path, work)
        self._looked_at = [one for one in self._looked_at if one != here] + [here]
        if work not in self.desks:
            self.desks[work] = self.make_desk(work)
        self.desk = self.desks[work]
        if self.desk.stale:
            self.desk.refresh()
        self.stack.setCurrentIndex(0)
        self._working = None
        if self.stage not in self.desk.stage_names:
            self.stage = "Readings" if "Readings" in self.desk.stage_names else self.desk.stage_names[0]
        self.show_stage(self.stage)

    def step_work(self, step: int) -> None:
        if self.file is None or self.desk is None:
            return
        ids = ([0] if self.in_kit else []) + [w.id for w in at_hand(self.file.journal)]
        if ids:
            at = ids.index(self.desk.work) if self.desk.work in ids else 0
            self.open_work(ids[(at + step) % len(ids)])

    def _is_demo(self, path: Path) -> bool:
        return self.errands.is_demo(path)

    def open_other(self, path: str, work: int) -> None:
        """Open another job, at a work of it."""
        if self.open_path(Path(path)) and self.job is not None and self.job.journal.is_work(work):
            self.open_work(work)

    def show_due(self) -> None:
        """Show on the start page what is due."""
        self.start.show_due(self.due_lines() if self.job is None else [])

    def _go_due(self, key: str) -> None:
        """Go where something that is due leads: to the kit, or to another job."""
        what, _, rest = key.partition(":")
        if what == "job":
            work, _, path = rest.partition(":")
            self.open_other(path, int(work))
            return
        self.show_diary()
        place = self.desk.go(key) if self.desk is not None else None
        if place is not None:
            self._go(place)

    def show_start(self) -> None:
        self.start.show_recent(recent_jobs())
        self.show_due()
        self.stack.setCurrentWidget(self.start)
        self.show_side()
        self.start.cards[0].setFocus()

    def show_new_job(self) -> None:
        self._keep_half()
        self.stack.setCurrentWidget(self.new_job)
        self.new_job.name.setFocus()
        self.new_job.name.selectAll()

    def show_new_work(self) -> None:
        if self.file is None:
            return
        if self.file.read_only:
            self.say(self.file.why_read_only())
            return
        if self.in_kit:
            self.open_work(0)
            self._go(Goto("Instruments", 1))
            return
        if self.in_yard:
            self.ask("Who practises?", "a name · Enter adds it, Esc leaves it", self.add_learner)
            return
        self._keep_half()
        self.stack.setCurrentWidget(self.new_work)
        self.show_side()
        self.new_work.name.setFocus()

    def keyPressEvent(self, a0: QKeyEvent | None) -> None:
        """Esc leads back to the work in hand from every page."""
        if (
            a0 is not None
            and a0.key() == Qt.Key.Key_Escape
            and self.stack.currentIndex() != 0
            and not self.on_site
        ):
            self._back_to_work()
            return
        super().keyPressEvent(a0)

    def stage_by_number(self, number: int) -> None:
        """Show a stage by its number, from any page."""
        if self.desk is not None and self.stack.currentIndex() != 0 and number <= len(self.desk.stage_names):
            self.side.show()
            self.open_work(self.desk.work)
        super().stage_by_number(number)

    def _back_to_work(self) -> None:
        if self.desk is not None:
            self.open_work(self.desk.work)
        elif self.in_kit:
            self.open_work(0)
        else:
            self.show_start()

    # What was done and undone

    def undo(self) -> None:
        self._step_back(True)

    def redo(self) -> None:
        self._step_back(False)

    def _step_back(self, back: bool) -> None:
        if self.file is None:
            return
        self.picture.settle()
        self.sheet.close_editor()
        file = self.file
        acted: list[object] = []
        if not self.attempt(lambda: acted.extend((file.undo() if back else file.redo()) or [])):
            return
        if not acted:
            self.say("There is nothing to undo." if back else "There is nothing to redo.")
            return
        self.notice.hide()  # it told of what may not stand any more
        there = {w.id for w in file.journal.works()} | ({0} if self.in_kit else set())
        self.desks = {id: desk for id, desk in self.desks.items() if id in there}
        for desk in self.desks.values():
            desk.refresh()
        if self.desk is not None and self.desk.work not in self.desks:
            self.desk = None
            looked_at = [id for path, id in reversed(self._looked_at) if path == file.path and id in there]
            left = [*looked_at, *(w.id for w in at_hand(file.journal)), *there]
            if left:
                self.open_work(left[0])
            else:
                self.show_new_work()
            return
        self.refresh()
        if self.on_site:
            self.site.setFocus()
            return
        self.sheet.go(self.sheet.sheet.first(), edit=self.stage == "Readings")

    def open_menu(self) -> None:
        self.menu.popup(self.job_button.mapToGlobal(self.job_button.rect().bottomLeft()))
