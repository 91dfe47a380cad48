"""The window: the job at the left, its stages across the top, picture, sheet, verdict, one next step."""

from __future__ import annotations

import gc
from functools import cached_property
from pathlib import Path
from typing import TYPE_CHECKING

from PyQt6.QtCore import QTimer
from PyQt6.QtGui import QCloseEvent
from PyQt6.QtWidgets import QWidget

from vivid_keel.core.cautions import Caution
from vivid_keel.core.errors import KeelError
from vivid_keel.core.record.entries import Draft
from vivid_keel.core.working import Working
from vivid_keel.store import JobFile
from vivid_keel.ui.desk.base import Desk, Goto, Place
from vivid_keel.ui.errands import Errands
from vivid_keel.ui.frame import Frame
from vivid_keel.ui.help import HELP
from vivid_keel.ui.keys import add_actions
from vivid_keel.ui.pages import NewJobPage, NewWorkPage, RefusedPage
from vivid_keel.ui.recent import recent_jobs, remember
from vivid_keel.ui.theme import theme
from vivid_keel.ui.worker import Worker

if TYPE_CHECKING:
    from vivid_keel.ui.map_page import MapPage
    from vivid_keel.ui.site import SiteMode


def desk_for(file: JobFile, work: int) -> Desk:
    """Put a work on a desk of its own; the trades are fetched when they are first wanted."""
    type = file.journal.entries[work].body["type"]
    if type == "run":
        from vivid_keel.ui.desk.run import RunDesk

        return RunDesk(file, work)
    if type == "network":
        from vivid_keel.ui.desk.network import NetworkDesk

        return NetworkDesk(file, work)
    from vivid_keel.ui.desk.supports import SupportsDesk

    return SupportsDesk(file, work)


class Window(Frame):
    """One job in one window."""

    def __init__(self, person: str = "") -> None:
        super().__init__()
        self.person = person
        self.file: JobFile | None = None
        self.desks: dict[int, Desk] = {}
        self.desk: Desk | None = None
        self.stage = "Readings"
        self.sheet_number = 0
        self.view_number = 0
        self._half: dict[tuple[int, str, int], tuple[Place, str]] = {}
        self._working: Working | None = None
        self._help = False
        self.worker = Worker(self)
        self.errands = Errands(self)
        self._later = QTimer(self)
        self._later.setSingleShot(True)
        self._later.setInterval(90)
        self._later.timeout.connect(self._show_slow_parts)
        self.busy_words = ""
        self._busy = QTimer(self)
        self._busy.setInterval(250)
        self._busy.timeout.connect(self._show_busy)
        self._wire()
        add_actions(self)
        self.show_start()

    def _wire(self) -> None:
        self.start.new_job.connect(self.show_new_job)
        self.start.open_job.connect(self.errands.choose_job)
        self.start.demo.connect(self.errands.open_demo)
        self.start.recent.connect(lambda path: self.open_path(Path(path)))
        self.job_button.clicked.connect(self.open_menu)
        self.works.opened.connect(self.open_work)
        self.add_work.clicked.connect(self.show_new_work)
        self.strip.chosen.connect(self.show_stage)
        self.views.chosen.connect(self._choose_view)
        self.sheets.chosen.connect(self._choose_sheet)
        self.picture.picked.connect(self._picked)
        self.picture.dragged.connect(self._dragged)
        self.picture.taken.connect(self._take_matched)
        self.sheet.moved.connect(self._row_moved)
        self.sheet.previewed.connect(self._previewed)
        self.sheet.asked.connect(self._go)
        self.under.left.connect(self.sheet.setFocus)
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

    def site_mode(self) -> None:
        """Book one reading at a time, or go back to the table."""
        desk = self.desk
        if self.stack.currentWidget() is self.__dict__.get("site"):
            self.leave_site()
            return
        if desk is None or desk.type != "run" or self.stack.currentIndex() != 0:
            self.say("Site mode books a level run; open one at the left.")
            return
        if self.file is not None and self.file.read_only:
            self.say(self.file.why_read_only())
            return
        self._keep_half()
        self.sheet.close_editor()
        self.side.hide()
        self.stack.setCurrentWidget(self.site)
        self.site.open(desk)  # type: ignore[arg-type]

    def leave_site(self) -> None:
        """Back to the table, at the book."""
        self.side.show()
        self.stack.setCurrentIndex(0)
        self.show_stage("Readings")

    @cached_property
    def refused(self) -> RefusedPage:
        """The page that says why a file was not taken."""
        page = RefusedPage()
        page.left.connect(self._back_to_work)
        self.stack.addWidget(page)
        return page

    # Jobs and works

    def open_path(self, path: Path) -> bool:
        """Open a job file; say in a sentence why not, and keep what is open."""
        if self.file is not None and path.exists() and path.samefile(self.file.path):
            self._back_to_work()
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
        self.file = file
        remember(file.path)
        self.setWindowTitle(f"{file.journal.name_of(0)} — Vivid Keel")
        works = file.journal.works()
        if works:
            self.open_work(works[0].id)
        elif file.read_only:
            self.show_start()
        else:
            self.show_new_work()
        gc.freeze()  # a job and its book live as long as it is open: collecting need not visit them at each key
        if file.read_only:
            self.say(file.why_read_only())
        elif file.kept:
            self.say(
                f"This job was brought up from an older version; the file as it was is kept as {file.kept.name}."
            )

    def _let_go(self) -> None:
        self.worker.stop()
        self.desks.clear()
        self._half.clear()
        self.desk = None
        if self.file is not None:
            self.file.close()
            self.file = None

    def closeEvent(self, a0: QCloseEvent | None) -> None:
        self._let_go()
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
            (entry,) = self.file.record([Draft(0, "work", {"name": name, "type": type, "unit": unit})])
        except KeelError as error:
            self.say(error.message)
            return
        self.new_work.name.clear()
        self.open_work(entry.id)
        self.do_next()

    def open_work(self, work: int) -> None:
        """Put a work on the desk, at the stage where its next step is."""
        assert self.file is not None
        self._keep_half()
        if work not in self.desks:
            desk = desk_for(self.file, work)
            desk.changed = self.refresh
            self.desks[work] = desk
        self.desk = self.desks[work]
        if self.desk.stale:
            self.desk.refresh()
        self.stack.setCurrentIndex(0)
        self._working = None
        if self.stage not in self.desk.stage_names:
            self.stage = "Readings"
        self.show_stage(self.stage)

    def step_work(self, step: int) -> None:
        if self.file is None or self.desk is None:
            return
        ids = [w.id for w in self.file.journal.works()]
        if ids:
            at = ids.index(self.desk.work) if self.desk.work in ids else 0
            self.open_work(ids[(at + step) % len(ids)])

    def show_start(self) -> None:
        self.start.show_recent(recent_jobs())
        self.stack.setCurrentWidget(self.start)
        self._show_side()
        self.start.cards[0].setFocus()

    def show_new_job(self) -> None:
        self._keep_half()
        self.stack.setCurrentWidget(self.new_job)
        self.new_job.name.setFocus()
        self.new_job.name.selectAll()

    def show_new_work(self) -> None:
        if self.file is None or self.file.read_only:
            return
        self._keep_half()
        self.stack.setCurrentWidget(self.new_work)
        self._show_side()
        self.new_work.name.setFocus()

    def _back_to_work(self) -> None:
        if self.desk is not None:
            self.open_work(self.desk.work)
        else:
            self.show_start()

    # Stages

    def show_stage(self, stage: str, sheet: int = 0, place: Place | None = None, *, edit: bool = True) -> None:
        """Show a stage of the work; `place` None is where its person would start."""
        if self.desk is None:
            return
        self._keep_half()
        self.sheet.close_editor()
        if stage != self.stage:
            self.notice.hide()
            self._working = None
        self.stage, self.sheet_number = stage, sheet
        views = self.desk.views(stage)
        self.view_number = min(self.view_number, max(0, len(views) - 1))
        self.refresh()
        half = self._half.pop((self.desk.work, stage, self.sheet_number), None)
        if half is not None and place is None:
            self.sheet.go(half[0], edit=False)
            editor = self.sheet.open_editor(half[1], select=False)
            if editor is not None:
                editor.setModified(True)
            return
        self.sheet.go(place or self.sheet.sheet.first(), edit=edit and (place is not None or stage == "Readings"))

    def _keep_half(self) -> None:
        half = self.sheet.half_typed()
        if half is not None and self.desk is not None and half[1]:
            self._half[(self.desk.work, self.stage, self.sheet_number)] = half

    def refresh(self) -> None:
        """Show what stands now."""
        desk = self.desk
        if desk is None:
            return
        self.strip.show_tabs(desk.tabs(), self.stage)
        sheets = desk.sheets(self.stage)
        self.sheet_number = min(self.sheet_number, len(sheets) - 1)
        self.sheet.show_sheet(sheets[self.sheet_number])
        self.sheets.show_names([s.name for s in sheets], self.sheet_number)
        self.views.show_names(desk.views(self.stage), self.view_number)
        self.under.show_footer(sheets[self.sheet_number])
        self.picture.step = desk.step
        self.picture.show_picture(lambda w, h: desk.picture(self.stage, self.view_number, w, h))
        self.pane.next.show_step(desk.next(self.stage))
        self._later.start()

    def _show_slow_parts(self) -> None:
        """What needn't follow every key at once: the pane and the list of works."""
        if self.desk is None:
            return
        lines = HELP.get((self.desk.type, self.stage), []) if self._help else []
        self.pane.show_all(self.desk.findings(self.stage), self.desk.cautions(self.stage), self._working, lines)
        self.under.show_footer(self.sheet.sheet)
        self._show_side()
        self.errands.compute_later()
        if self.worker.busy:
            self._busy.start()

    def _show_busy(self) -> None:
        """Say how far long work is; it can be stopped from there."""
        words = (
            (self.busy_words or (self.desk.busy_words if self.desk is not None else "")) if self.worker.busy else ""
        )
        if words:
            self.say(f"{words} · Ctrl+Backspace stops it")
        else:
            self._busy.stop()
            if "Ctrl+Backspace stops it" in self.notice.text():
                self.notice.hide()

    def watch_worker(self) -> None:
        """Say every little while how far long work is."""
        self._busy.start()

    def stop_work(self) -> None:
        """Stop what is being worked out."""
        self.worker.hurry()

    def settle(self) -> None:
        """Show at once what would follow shortly (for tests and pictures)."""
        self._later.stop()
        self._show_slow_parts()

    def _show_side(self) -> None:
        journal = self.file.journal if self.file else None
        self.job_button.setText((journal.name_of(0) if journal else "Vivid Keel") + "  ▾")
        self.add_work.setVisible(journal is not None)
        self.works.setVisible(journal is not None)
        if journal is None or self.file is None:
            self.job_state.setText("")
            return
        shown = []
        for work in journal.works():
            if work.id not in self.desks and len(journal.order[work.id]) < 2000:
                desk = desk_for(self.file, work.id)
                desk.changed = self.refresh
                self.desks[work.id] = desk
            if work.id in self.desks and self.desks[work.id].stale:
                self.desks[work.id].refresh()
            verdict, words = self.desks[work.id].state() if work.id in self.desks else ("todo", "open it to see")
            shown.append((work.id, journal.name_of(work.id), words, verdict))
        self.job_state.setText(
            "read only" if self.file.read_only else f"{len(shown)} work{'s' if len(shown) != 1 else ''}"
        )
        current = self.desk.work if self.desk and self.stack.currentIndex() == 0 else -1
        self.works.show_works(shown, current)

    def stage_by_number(self, number: int) -> None:
        if self.desk is not None and self.stack.currentIndex() == 0 and number <= len(self.desk.stage_names):
            self.show_stage(self.desk.stage_names[number - 1])

    def _choose_sheet(self, number: int) -> None:
        self.show_stage(self.stage, number)

    def next_sheet(self) -> None:
        if self.desk is not None:
            self._choose_sheet((self.sheet_number + 1) % len(self.desk.sheets(self.stage)))

    def _choose_view(self, number: int) -> None:
        self.view_number = number
        self.refresh()

    def next_view(self) -> None:
        if self.desk is not None and self.desk.views(self.stage):
            self._choose_view((self.view_number + 1) % len(self.desk.views(self.stage)))

    def next_region(self) -> None:
        regions: list[QWidget] = [self.works, self.picture, self.sheet, self.pane.next]
        at = next((i for i, r in enumerate(regions) if r.hasFocus() or r.isAncestorOf(self.focusWidget() or r)), 1)
        regions[(at + 1) % len(regions)].setFocus()

    # What a person does

    def do_next(self) -> None:
        """Go to the next step; a half-typed value is never taken by it."""
        if self.desk is None or self.stack.currentIndex() != 0:
            return
        if self.sheet.editor is not None and self.sheet.half_typed() and self.sheet.editor.text().strip():
            self.sheet.editor.setFocus()
            self.sheet.refuse("Enter takes this value, Esc leaves it; then go on")
            return
        self._act(self.desk.next(self.stage).key)

    def _act(self, key: str) -> None:
        assert self.desk is not None
        if key == "report":
            self.errands.write_report()
            return
        if key == "cautions":
            self.settle()
            button = self.pane.first_button("Read by the crew")
            if button is not None:
                button.setFocus()
            return
        goto = self.desk.go(key)
        if goto is not None:
            self._go(goto)

    def _go(self, goto: Goto) -> None:
        if goto.view >= 0:
            self.view_number = goto.view
        self.show_stage(goto.stage, goto.sheet, goto.place)
        if goto.place is None:
            self.sheet.go(self.sheet.sheet.first())

    def _acknowledge(self, caution: object) -> None:
        desk = self.desk
        if desk is not None and isinstance(caution, Caution):
            self.attempt(lambda: desk.acknowledge(caution))
            self.pane.next.setFocus()

    def attempt(self, what) -> bool:  # type: ignore[no-untyped-def]
        """Do something that may be refused; say why if it is."""
        try:
            what()
        except KeelError as error:
            self.say(error.message[:1].upper() + error.message[1:])
            return False
        return True

    def undo(self) -> None:
        self._step_back(True)

    def redo(self) -> None:
        self._step_back(False)

    def _step_back(self, back: bool) -> None:
        if self.file is None:
            return
        self.sheet.close_editor()
        file = self.file
        acted: list[object] = []
        if not self.attempt(lambda: acted.extend((file.undo() if back else file.redo()) or [])):
            return
        if not acted:
            self.say("There is nothing to undo." if back else "There is nothing to redo.")
            return
        self.desks = {w.id: self.desks[w.id] for w in file.journal.works() if w.id in self.desks}
        for desk in self.desks.values():
            desk.refresh()
        if self.desk is not None and self.desk.work not in self.desks:
            self.desk = None
            works = file.journal.works()
            self.open_work(works[0].id) if works else self.show_new_work()
            return
        self.refresh()
        self.sheet.go(self.sheet.sheet.first(), edit=self.stage == "Readings")

    def new_set_up(self) -> None:
        desk = self.desk
        if desk is not None and self.stage == "Readings":
            self.sheet.close_editor()
            if self.attempt(desk.new_set_up):
                self.sheet.go(self.sheet.sheet.first())

    def strike(self) -> None:
        """Offer to strike the line in hand, with a reason."""
        if self.desk is None:
            return
        self.sheet.close_editor()
        found = self.sheet.sheet.strike(self.sheet.currentIndex().row())
        if found is None:
            self.say("There is nothing to strike on this line.")
            return
        entry = found[1]
        self.under.ask(
            f"Strike {found[0]}?",
            "reason, if you like · Enter strikes, Esc leaves it",
            lambda why: self._struck(entry, why),
        )

    def _struck(self, entry: int, reason: str) -> None:
        desk = self.desk
        if desk is not None and self.attempt(lambda: desk.strike(entry, reason)):
            self.sheet.go(self.sheet.sheet.first())

    def tell_event(self) -> None:
        """Ask what happened, in place."""
        if self.desk is not None and self.stage == "Readings":
            self.sheet.close_editor()
            self.under.ask(
                "What happened?", "M moved · K knocked · T taken in · S staff changed; then a note", self._event_told
            )

    def _event_told(self, typed: str) -> None:
        desk = self.desk
        if desk is not None and self.attempt(lambda: desk.happened(typed)):
            self.sheet.go(self.sheet.sheet.first())

    def toggle_why(self) -> None:
        """Show or put away the working of the line in hand."""
        if self.desk is None:
            return
        row = self.sheet.currentIndex().row()
        why = self.sheet.sheet.why(row) if row >= 0 else None
        if why is None:
            self.say("This line has no computed number to explain yet.")
        self._working = None if self._working == why else why
        self.settle()

    def toggle_help(self) -> None:
        self._help = not self._help
        self.settle()

    def switch_theme(self) -> None:
        theme.use("Lamp" if theme.name == "Daylight" else "Daylight")
        self.refresh()
        self.settle()
        self.update()

    def _row_moved(self, row: int) -> None:
        if self.desk is None or row < 0:
            return
        self.desk.focus = self.sheet.sheet.picked(row)
        self.picture.redraw()
        if self._working is not None:
            self._working = self.sheet.sheet.why(row)
            self._later.start()

    def _previewed(self) -> None:
        if self.desk is not None:
            self.picture.redraw()
            self.under.show_footer(self.sheet.sheet)

    def _picked(self, key: str) -> None:
        kind, _, number = key.partition(":")
        if self.desk is None or kind not in {"row", "point"}:
            return
        row = self.sheet.sheet.row_of(int(number))
        if row >= 0:
            self.sheet.go((row, max(self.sheet.currentIndex().column(), 0)), edit=False)

    def _dragged(self, value: float, done: bool) -> None:
        desk = self.desk
        if desk is None or not self.attempt(lambda: desk.drag(value, done=done)):
            return
        text = desk.matched()
        if text and self.stage == "Readings":
            if not self.sheet.match(text):
                self.say("Name the mark first, in the sheet; then slide the hair.")
            self.picture.setFocus()
        if text or not done:
            self.picture.redraw()
            self.sheet.refresh()

    def _take_matched(self) -> None:
        if self.sheet.editor is not None and self.sheet.half_typed():
            self.sheet.take()

    def match(self) -> None:
        """Read by matching: the drawn staff, and back."""
        if self.desk is None or self.desk.type != "run":
            return
        if self.stage == "Readings" and self.view_number > 0:
            self._choose_view(0)
            self.sheet.setFocus()
            return
        if self.stage != "Readings":
            self.show_stage("Readings")
        self._choose_view(1)
        self.picture.setFocus()

    def say(self, text: str) -> None:
        """Say something in the window itself, until the stage is left."""
        if self.stack.currentIndex() == 0:
            self.notice.setText(text)
            self.notice.show()
        else:
            self.job_state.setText(text)

    def open_menu(self) -> None:
        self.menu.popup(self.job_button.mapToGlobal(self.job_button.rect().bottomLeft()))
