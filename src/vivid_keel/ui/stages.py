"""The stages of the work in hand: what is shown, and what follows a moment later."""

from __future__ import annotations

import gc
import time
from collections.abc import Callable

from PyQt6.QtCore import QTimer
from PyQt6.QtWidgets import QWidget

from vivid_keel.core.errors import KeelError
from vivid_keel.core.record.works import at_hand, set_aside
from vivid_keel.core.working import Working
from vivid_keel.desk.base import Desk
from vivid_keel.desk.comma import with_comma
from vivid_keel.desk.sheet import Place, Taken
from vivid_keel.files import LEARNER, JobFile, KitFile, YardFile
from vivid_keel.ui.frame import Frame
from vivid_keel.ui.host import Errand
from vivid_keel.ui.worker import Worker

AT_ONCE = 0.02
"""So long works are put on a desk for the list at the side before keys are looked for [s]."""
MANY = 2000
"""A work of so many entries is put on a desk when it is opened."""
SMALL_JOB = 3000
"""Entries up to which works that follow others are kept up with every change."""


class StageWindow(Frame):
    """The frame with a work in it, at one of its stages."""

    errands: Errand

    def __init__(self) -> None:
        super().__init__()
        self.file: JobFile | None = None
        self.desks: dict[int, Desk] = {}
        self.desk: Desk | None = None
        self.stage = "Readings"
        self.sheet_number = 0
        self.view_number = 0
        self._half: dict[tuple[int, str, int], tuple[Place, str]] = {}
        self._working: Working | None = None
        self.sheet.enter_in_record = self._enter_in_record
        self.sheet.show_all = self.refresh
        self.worker = Worker(self)
        self._later = QTimer(self)
        self._later.setSingleShot(True)
        self._later.setInterval(90)
        self._later.timeout.connect(self._show_slow_parts)
        self.ready: Callable[[], bool] = lambda: True
        """Whether what the sums need is loaded: till then only the work in hand is put on a desk."""
        self._more = QTimer(self)
        self._more.setSingleShot(True)
        self._more.setInterval(5)
        self._more.timeout.connect(self._show_more_works)
        self.busy_words = ""
        self._said_busy = ""
        self._busy = QTimer(self)
        self._busy.setInterval(250)
        self._busy.timeout.connect(self.show_busy)

    def show_stage(
        self, stage: str, sheet: int = 0, place: Place | None = None, *, edit: bool = True
    ) -> None:
        """Show a stage of the work; `place` None is where its person would start."""
        if self.desk is None:
            return
        self._keep_half()
        self.sheet.close_editor()
        if stage != self.stage:
            self.notice.hide()
            self.copy_button.hide()
            self._working = None
        self.stage, self.sheet_number = stage, sheet
        views = self.desk.views(stage)
        self.view_number = min(self.view_number, max(0, len(views) - 1))
        self.refresh()
        half = self._half.pop((id(self.desk), stage, self.sheet_number), None)
        if half is not None and place is None:
            self.sheet.go(half[0], edit=False)
            editor = self.sheet.open_editor(half[1], select=False)
            if editor is not None:
                editor.setModified(True)
            return
        self.sheet.go(
            place or self.sheet.sheet.first(), edit=edit and (place is not None or stage == "Readings")
        )

    def _keep_half(self) -> None:
        """Before another page, work or stage is shown: what was nudged counts here, what is half typed waits here."""
        self.picture.settle()
        half = self.sheet.half_typed()
        if half is not None and self.desk is not None and half[1]:
            self._half[(id(self.desk), self.stage, self.sheet_number)] = half

    def _enter_in_record(self, taken: Taken) -> None:
        if self.desk is None:
            raise KeelError("read-only", "no work is open; open one first")
        self.desk.enter_in_record(taken)

    def refresh(self) -> None:
        """Show what stands now."""
        desk = self.desk
        if desk is None:
            return
        self.strip.show_tabs(desk.tabs(), self.stage)
        sheets = desk.sheets(self.stage)
        self.sheet_number = min(self.sheet_number, len(sheets) - 1)
        comma = desk.comma
        # What is half typed when the file is lost stays in its cell, to be copied.
        self.sheet.closed = self.file is not None and self.file.read_only
        self.sheet.show_sheet(sheets[self.sheet_number], comma)
        self.sheets.show_names([sheet.name for sheet in sheets], self.sheet_number)
        views = desk.views(self.stage)
        self.view_number = min(self.view_number, max(0, len(views) - 1))
        self.views.show_names(views, self.view_number)
        desk.on_view(self.stage, self.view_number)
        self.under.show_footer(sheets[self.sheet_number], comma)
        self.picture.step = desk.step
        self.picture.show_picture(
            lambda w, h: with_comma(desk.picture(self.stage, self.view_number, w, h), comma)
        )
        step = desk.next(self.stage)
        self.pane.next.show_step(step if comma is None else comma.of(step))
        self._later.start()

    def _show_slow_parts(self) -> None:
        """What needn't follow every key at once: the pane and the list of works."""
        if self.desk is None:
            return
        comma, findings, working = self.desk.comma, self.desk.findings(self.stage), self._working
        if comma is not None:
            findings, working = [comma.finding(finding) for finding in findings], comma.working(working)
        self.pane.show_all(findings, self.desk.cautions(self.stage), working)
        self.under.show_footer(self.sheet.sheet, comma)
        self.show_side()
        self.errands.compute_later()
        if self.worker.busy:
            self._busy.start()
        for desk in (self.desk, *self.desks.values()):
            desk.past.clear()
        gc.collect(1)  # now, while nobody waits for it: within a key it takes a sixth of a frame

    def show_busy(self) -> None:
        """Say how far long work is; it can be stopped from there."""
        words = (
            (self.busy_words or (self.desk.busy_words if self.desk is not None else ""))
            if self.worker.busy
            else ""
        )
        self.stop_button.setVisible(bool(words))
        if words:
            self.say(words)
            self._said_busy = words
            return
        self._busy.stop()
        if self.notice.text() == self._said_busy:
            self.notice.hide()

    def watch_worker(self) -> None:
        """Say every little while how far long work is."""
        self._busy.start()

    def stop_work(self) -> None:
        """Stop what is being worked out."""
        self.worker.hurry()

    def soon(self) -> None:
        """Show what changed elsewhere, when no key waits."""
        self._later.start()

    def settle(self) -> None:
        """Show at once what would follow shortly: for tests, pictures, and a report of all works."""
        self._later.stop()
        self.ready = lambda: True
        self._show_slow_parts()
        while self._more.isActive():
            self._more.stop()
            self._show_more_works()

    def _show_more_works(self) -> None:
        self.show_side()
        self.errands.compute_later()

    def make_desk(self, work: int) -> Desk:
        """Put a work of the file in hand on a desk of its own."""
        raise NotImplementedError

    def _show_places(self) -> None:
        """Show what stands at the foot of the side."""

    def show_side(self) -> None:
        """Show the works at the left as they stand; those that were never on a desk are put on one by one, so that no key waits."""
        journal = self.file.journal if self.file else None
        self._show_places()
        self.job_button.setText((journal.name_of(0) if journal else "Vivid Keel") + "  ▾")
        self.add_work.setVisible(journal is not None)
        self.works.setVisible(journal is not None)
        if journal is None or self.file is None:
            self.job_state.setText("")
            return
        shown = []
        kit, yard = isinstance(self.file, KitFile), isinstance(self.file, YardFile)
        aside = {work.id for work in set_aside(journal)}
        until, later = time.monotonic() + AT_ONCE if self.ready() else 0.0, False
        for id in ([0] if kit else []) + [w.id for w in (*at_hand(journal), *set_aside(journal))]:
            if id not in self.desks and len(journal.order[id]) < MANY:
                if time.monotonic() < until:
                    self.desks[id] = self.make_desk(id)
                else:
                    later = True
            if id in self.desks and self.desks[id].stale and len(journal.entries) < SMALL_JOB:
                self.desks[id].refresh()  # in a larger job it follows when it is opened
            seen = self.desks[id].state() if id in self.desks else None
            verdict, words = seen or ("todo", "…" if len(journal.order[id]) < MANY else "open it to see")
            if id in aside:
                verdict, words = "note", "set aside"
            shown.append((id, "The whole kit" if kit and not id else journal.name_of(id), words, verdict))
        if later:
            self._more.start()
        what, count = ("instrument", len(shown) - 1) if kit else ("learner" if yard else "work", len(shown))
        if yard:
            count = sum(one.body["type"] == LEARNER for one in journal.works())
        self.job_state.setText(
            "read only" if self.file.read_only else f"{count} {what}{'s' if count != 1 else ''}"
        )
        self.add_work.setText("New instrument" if kit else "New learner" if yard else "New work")
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
        self.picture.settle()
        self.view_number = number
        self.refresh()

    def next_view(self) -> None:
        if self.desk is not None and self.desk.views(self.stage):
            self._choose_view((self.view_number + 1) % len(self.desk.views(self.stage)))

    def next_region(self) -> None:
        regions: list[QWidget] = [self.works, self.picture, self.sheet, self.pane.next]
        at = next(
            (
                i
                for i, region in enumerate(regions)
                if region.hasFocus() or region.isAncestorOf(self.focusWidget() or region)
            ),
            1,
        )
        regions[(at + 1) % len(regions)].setFocus()

    def say(self, text: str) -> None:
        """Say something in the window itself, until the stage is left."""
        if self.desk is not None and self.desk.comma is not None:
            text = self.desk.comma(text)
        if self.stack.currentIndex() == 0:
            self.notice.setText(text)
            self.notice.show()
        else:
            self.job_state.setText(text)

    def attempt(self, what: Callable[[], object]) -> bool:
        """Do something that may be refused; say why if it is."""
        try:
            what()
        except KeelError as error:
            self.say(error.message[:1].upper() + error.message[1:])
            return False
        return True
