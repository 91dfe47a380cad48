"""What the window does with files and with long work: opening, bringing in, writing, computing."""

from __future__ import annotations

import contextlib
import json
import sys
from collections.abc import Callable
from pathlib import Path
from typing import TYPE_CHECKING, cast

from PyQt6.QtCore import QProcess
from PyQt6.QtGui import QAction
from PyQt6.QtWidgets import QApplication, QMenu, QWidget

from vivid_keel import trouble
from vivid_keel.core.errors import KeelError
from vivid_keel.core.record.as_written import WARNING
from vivid_keel.places import file_name
from vivid_keel.ui.bringing import Bringing, free_path
from vivid_keel.ui.host import Host
from vivid_keel.whole import whole

if TYPE_CHECKING:
    from vivid_keel.desk.base import Desk
    from vivid_keel.figures.display import Picture

LONG_BOOK = 1500
"""Rows from which a PDF is written off the window's thread."""


class Errands(Bringing):
    """Files in and out for a window."""

    def __init__(self, window: Host) -> None:
        super().__init__(window)
        self._computing: object = None
        self._demos: dict[Path, dict[str, int]] = {}
        self._offered: list[QAction] = []
        self._archiving: QProcess | None = None
        self._ended: QProcess | None = None
        self._closing = False

    def choose_job(self) -> None:
        path = self._choose("Open a job", "Jobs (*.keel);;All files (*)")
        if path is not None:
            self.window.open_path(path)

    def open_demo(self, only: str = "") -> None:
        """Open a fresh copy of the demo job; with `only`, of a trade's part of it, at its work: the sum of its handbook page."""
        import tempfile

        from vivid_keel.demo import build

        folder = Path(tempfile.mkdtemp(prefix="vivid-keel-demo-"))
        file = build(folder / "Osier Mill.keel", only=only)
        self._demos[folder] = _as_it_lies(folder)
        self.window.take(file)
        if only:
            self.window.open_work(next(w.id for w in file.journal.works() if w.body["type"] == only))

    def is_demo(self, path: Path) -> bool:
        """Whether a job is a demo of this window."""
        return path.parent in self._demos

    def keep_demo(self, path: Path) -> None:
        """Leave a demo where it lies, for it is opened again."""
        self._demos.pop(path.parent, None)

    def clear_demos(self) -> None:
        """Take away the demos of this window that nobody entered anything in, or wrote anything beside; the others are kept."""
        import shutil

        for folder, before in self._demos.items():
            with contextlib.suppress(OSError):
                if _as_it_lies(folder) == before:
                    shutil.rmtree(folder)
        self._demos.clear()

    # Writing

    def offer(self, menu: QMenu) -> None:
        """Put what can be written of the work in hand at the top of a menu."""
        for action in self._offered:
            menu.removeAction(action)
        first = menu.actions()[0] if menu.actions() else None
        writers = self.window.desk.writers() if self.window.desk is not None else ()
        self._offered = []
        for writer in writers:
            action = QAction(writer.label, menu)
            action.triggered.connect(lambda _=False, key=writer.key: self.write(key))
            menu.insertAction(first, action)
            self._offered.append(action)

    def write(self, key: str) -> None:
        """Write one of the files that can be written of the work in hand."""
        desk = self.window.desk
        writer = next((w for w in (desk.writers() if desk is not None else ()) if w.key == key), None)
        if desk is None or writer is None:
            self.window.say("This work has no such file; open one that has at the left.")
            return
        name = desk.file.journal.name_of(desk.work)
        if writer.pages is not None:
            self._write_pages(f"{name}{writer.name}", name, writer.pages(desk), writer.rows(desk))
        elif writer.write is not None:
            write = writer.write
            self.write_file(f"{name}{writer.name}", lambda path: write(desk, path))

    def write_blank_forms(self) -> None:
        """Write blank booking pages for both schools, in the job's unit and the others in use."""
        from vivid_keel.figures.blank_forms import blank_forms

        file = self.window.file
        if file is None:
            self.window.say("Begin or open a job first; the forms carry its name.")
            return
        job = file.journal.latest(0, "job")
        own = str(job.body.get("unit", "m")) if job else "m"
        units = list(dict.fromkeys([own, "m", "ft", "ft-in"]))
        name = file.journal.name_of(0)
        self._write_pages("Blank level book.pdf", "Blank level book", lambda: blank_forms(units, name), 0)

    def write_blank_work(self) -> None:
        """Write the blank form of the work in hand: what is to be read in it, to be written on by hand."""
        from vivid_keel.desk.blank import blank_pages

        desk = self.window.desk
        if desk is None:
            self.window.say("Open a work first; its form has its own places to be read.")
            return
        name = desk.file.journal.name_of(desk.work)
        instrument = getattr(getattr(getattr(desk, "book", None), "instrument", None), "name", "")
        pages = blank_pages(desk, instrument)
        if not pages:
            self.window.say("Nothing is read in this work by hand, so there is no form of it.")
            return
        self._write_pages(f"{name}, blank form.pdf", f"{name}, blank form", lambda: pages, 0)

    def write_geojson(self) -> None:
        """Write the marks of the work that have a place in plan."""
        from vivid_keel.exchange.geo_json import write_points

        desk = self.window.desk
        if desk is None:
            self.window.say("Open a work first; its marks are written.")
            return
        name = desk.file.journal.name_of(desk.work)
        self.write_file(
            f"{name}.geojson", lambda path: path.write_text(write_points(name, desk.plan_points()))
        )

    def write_diary(self) -> None:
        """Write what falls due as a calendar file."""
        from vivid_keel.desk.kit.whole import KitDesk
        from vivid_keel.exchange.calendar import write_calendar

        kit = self.window.open_kit()
        if kit is None:
            self.window.say("There is no kit yet; Alt+K begins one.")
            return
        whole = KitDesk(kit)
        whole.looks = self.window.looks
        due = whole.lines()
        self.write_file("Diary.ics", lambda path: path.write_bytes(write_calendar(due, kit.now())))

    def make_stand_in(self) -> None:
        """Practise on a stand-in of what is in hand."""
        window = self.window
        desk, led = window.desk, []
        if desk is None:
            window.say(
                "Open a work, or an instrument of the kit (Alt+K); add one of its kind to practise on."
            )
        elif window.attempt(lambda: led.append(desk.practise())) and led[0] is not None:
            window.practise_at(led[0])

    def write_job(self) -> None:
        from vivid_keel.exchange.job_json import write_job

        file = self.window.file
        if file is not None:
            text = write_job(*file.to_write())
            self.write_file(f"{file.path.stem}.json", lambda path: path.write_text(text))

    def write_whole_report(self) -> None:
        """Write the report of the whole job beside it: contents, and every work."""
        from vivid_keel.archive.whole_report import whole_report

        job, window = self.window.job, self.window
        if job is None or window.file is not job:
            window.say("Open a job first; this report is of a whole job.")
            return
        window.settle()  # every work is in it
        desks, name = list(window.desks.values()), job.journal.name_of(0)
        comma = desks[0].comma if desks else None

        def pages() -> list[Picture]:
            made = whole_report(job, desks)
            return made if comma is None else [comma.picture(page) for page in made]

        self._write_pages(f"{name}, whole job.pdf", name, pages, len(job.journal.entries))

    def preview_report(self) -> None:
        """Show the report of the work as it will be printed, and print it from there."""
        desk = self.window.desk
        made = desk.report() if desk is not None else None
        if desk is None or made is None:
            self.window.say("Open a work first; the report is of one work.")
            return
        self._preview(desk, made(), desk.file.journal.name_of(desk.work))

    def _preview(self, desk: Desk, pages: list[Picture], title: str) -> None:
        """Show pages as they will be printed; once they are, the plan on them stands."""
        from vivid_keel.ui.preview import preview

        if desk.comma is not None:
            pages = [desk.comma.picture(page) for page in pages]
        shown = preview(cast(QWidget, self.window), pages, title)
        shown.accepted.connect(lambda: self._on_paper(desk))

    def _on_paper(self, desk: Desk) -> None:
        """Record that what stands on paper now is what is worked from."""
        said: list[str] = []
        if self.window.attempt(lambda: said.append(desk.puts_on_paper())) and said[0]:
            self.window.say(said[0])

    def preview_sheet(self, *, changes: bool = False) -> None:
        """Show the sheet for the hand as it will be printed, or the changes since it was printed last."""
        desk = self.window.desk
        pages = desk.work_sheet(changes=changes) if desk is not None else None
        if desk is None or pages is None:
            self.window.say("There is no work sheet yet: first the readings, the stock and the cautions.")
            return
        self._preview(desk, pages(), f"{desk.file.journal.name_of(desk.work)}, work sheet")

    def write_sheet(self) -> None:
        """Write the sheet for the hand beside the job file."""
        desk = self.window.desk
        if desk is None or desk.work_sheet() is None:
            self.window.say("There is no work sheet yet: first the readings, the stock and the cautions.")
            return
        self._on_paper(desk)
        name, comma, made = desk.file.journal.name_of(desk.work), desk.comma, desk.work_sheet()
        assert made is not None
        self._write_pages(
            f"{name}, work sheet.pdf",
            f"{name}, work sheet",
            lambda: [comma.picture(page) for page in made()] if comma is not None else made(),
            0,
        )

    def write_report(self) -> None:
        """Write the report of the work beside the job file."""
        desk = self.window.desk
        pages = desk.report() if desk is not None else None
        if desk is None or pages is None:
            self.window.say("Open a work first; the report is of one work.")
            return
        self._on_paper(desk)
        pages = desk.report() or pages
        name, comma, made = desk.file.journal.name_of(desk.work), desk.comma, pages
        if comma is not None:
            pages = lambda: [comma.picture(page) for page in made()]  # noqa: E731
        self._write_pages(f"{name}, report.pdf", name, pages, len(desk.file.journal.order[desk.work]))

    def _write_pages(self, name: str, title: str, make: Callable[[], list[Picture]], rows: int) -> None:
        """Write a PDF; a long one off the window's thread, saying how far it is, to be stopped."""
        from vivid_keel.exchange.report_pdf import write_pdf

        if rows < LONG_BOOK:
            self.write_file(name, lambda path: write_pdf(make(), path, title))
            return
        window = self.window
        path = self._path(self._marked(name))

        def operation(seconds_left: Callable[[], float]) -> bool:
            def carry_on(done: float) -> bool:
                window.busy_words = f"Writing {path.name}: {done * 100:.0f} %"
                return seconds_left() > 0

            window.busy_words = f"Writing {path.name}"
            return write_pdf(make(), path, title, carry_on)

        def done(written: object) -> None:
            window.busy_words = ""
            window.say(f"Written: {path}" if written else f"{path.name} was stopped; nothing was written.")

        def failed(error: Exception) -> None:
            window.busy_words = ""
            window.say(
                error.message
                if isinstance(error, KeelError)
                else f"{path.name} could not be written: {error}"
            )

        window.worker.start(operation, done, failed, seconds=600.0)
        window.watch_worker()

    def write_archive(self) -> None:
        """Write the job's archive folder beside it: by a program of its own, for painting it all takes a while."""
        from vivid_keel.archive.writing import archive_path

        job, window = self.window.job, self.window
        if job is None:
            window.say("Open a job first; the archive is of a whole job.")
            return
        if self._archiving is not None:
            window.say("An archive is being written; one at a time.")
            return
        folder = free_path(archive_path(job.path))
        made = self._archiving = QProcess()
        made.finished.connect(lambda code: self._archived(code, folder))
        made.errorOccurred.connect(lambda _: self._archived(-1, folder))
        made.start(sys.executable, ["-P", "-m", "vivid_keel", "archive", str(job.path), str(folder)])
        window.say(f"Writing {folder.name}; you can go on meanwhile.")

    def _archived(self, code: int, folder: Path) -> None:
        made, self._archiving = self._archiving, None
        if made is None:
            return
        self._ended = made  # kept till the next: here it is still saying that it ended
        if self._closing and code == 0:
            self.window.close()
            return
        self._closing = False
        if code == 0:
            self.window.say(f"Written: {folder}")
            return
        said = made.readAllStandardError().data().decode(errors="replace").strip().splitlines()
        if code == 1 and said and said[-1].startswith(WARNING) and folder.is_dir():
            self.window.say(f"Written: {folder}. Not as it was entered: {said[-1].removeprefix(WARNING)}")
            return
        try:
            why = str(json.loads(said[-1])["error"]["message"])
        except (IndexError, ValueError, KeyError, TypeError):
            why = said[-1] if said else made.errorString()
        self.window.say(f"{folder.name} was not written: {why}")

    def keeps_open(self) -> bool:
        """Whether the window is to stay till an archive is written, then to close by itself; asked again, the archive is stopped."""
        made = self._archiving
        if made is None:
            return False
        if self._closing:
            self._archiving = None
            made.kill()
            made.waitForFinished()
            return False
        self._closing = True
        self.window.say(
            "The archive is still being written; the window closes when it is done. Close it again to stop that: nothing of it is kept."
        )
        return True

    def write_file(self, name: str, write: Callable[[Path], object], *, aside: bool = True) -> None:
        """Write a file beside the one in hand, and say so; without `aside` what writes it sees to it that it is whole."""
        name = self._marked(name)
        path = self._path(name)
        try:
            with whole(path) if aside else contextlib.nullcontext(path) as at:
                write(at)
        except OSError as error:
            self.window.say(f"{path} can't be written: {error.strerror}.")
        except KeelError as error:
            self.window.say(error.message)
        else:
            short = (
                ""
                if path.name[:40] == name[:40] and len(path.name) >= len(name)
                else " (under a shorter name)"
            )
            mark = self.window.file.mark if self.window.file is not None else ""
            self.window.say(f"Written: {path}{short}{f'. Not as it was entered: {mark}' if mark else ''}")

    def _marked(self, name: str) -> str:
        """A file's name, marked where what it is made of is for practice only."""
        file = self.window.file
        return f"For practice, {name}" if file is not None and file.practice else name

    def _path(self, name: str) -> Path:
        return free_path(self._folder() / file_name(name))

    # When it breaks

    def copy_report(self) -> None:
        """Put on the clipboard what to send with a fault; no readings."""
        self._copy(trouble.report())

    def copy_report_with_readings(self) -> None:
        """The same, with what was entered in the work in hand."""
        window = self.window
        if window.file is None or window.desk is None:
            self.copy_report()
            return
        work = window.desk.work
        entries = [
            entry for entry in window.file.journal.entries.values() if entry.work == work or entry.id == work
        ]
        self._copy(
            trouble.report(
                "\n".join(
                    json.dumps([entry.id, entry.kind, entry.body], ensure_ascii=False) for entry in entries
                )
            )
        )

    def _copy(self, text: str) -> None:
        clipboard = QApplication.clipboard()
        if clipboard is not None:
            clipboard.setText(text)
        self.window.say(
            "Copied: paste it where you tell of the fault. It holds versions and the end of the log."
        )

    # Long work

    def compute_later(self) -> None:
        """Have what the desk waits for computed off the window's thread."""
        window = self.window
        waiting = [] if window.desk is None else [window.desk]
        if window.file is not None and len(window.file.journal.entries) < 3000:
            waiting += [
                d for d in window.desks.values() if d is not window.desk
            ]  # the list of works shows their state
        desk, wanted = next(((d, w) for d in waiting if (w := d.long_work()) is not None), (None, None))
        if desk is None or wanted is None or wanted[0] == self._computing:
            return
        key, operation = wanted
        self._computing = key

        def done(found: object) -> None:
            self._computing = None
            desk.long_work_done(key, found)
            window.show_busy()
            if window.desk is desk:
                window.refresh()
            else:
                window.soon()

        def failed(error: Exception) -> None:
            from vivid_keel.core.errors import Stopped

            done(None)
            said = (
                "Stopped; open the work again to work it out."
                if isinstance(error, Stopped)
                else f"It could not be worked out: {error}"
            )
            window.say(said)

        window.worker.start(operation, done, failed)


def _as_it_lies(folder: Path) -> dict[str, int]:
    """What lies in a folder, and when each was written last; locks are none of it."""
    return {p.name: p.stat().st_mtime_ns for p in folder.iterdir() if not p.name.endswith(".keel-lock")}
