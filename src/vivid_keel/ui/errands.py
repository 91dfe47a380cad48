"""What the window does with files and with long work: opening, bringing in, writing, computing."""

from __future__ import annotations

import os
import tempfile
from collections.abc import Callable
from pathlib import Path
from typing import TYPE_CHECKING

from PyQt6.QtWidgets import QFileDialog

from vivid_keel.core.errors import KeelError
from vivid_keel.store import JobFile

if TYPE_CHECKING:
    from vivid_keel.ui.window import Window


class Errands:
    """Files in and out for a window."""

    def __init__(self, window: Window) -> None:
        self.window = window
        self._computing: object = None

    def _choose(self, title: str, pattern: str) -> Path | None:
        name, _ = QFileDialog.getOpenFileName(
            self.window, title, str(self._folder()), pattern, options=QFileDialog.Option.DontUseNativeDialog
        )
        return Path(name) if name else None

    def _folder(self) -> Path:
        return self.window.file.path.parent if self.window.file else Path.home()

    def choose_job(self) -> None:
        path = self._choose("Open a job", "Jobs (*.keel);;All files (*)")
        if path is not None:
            self.window.open_path(path)

    def open_demo(self) -> None:
        """Open a fresh copy of the demo job."""
        from vivid_keel.demo import build

        self.window.take(build(Path(tempfile.mkdtemp(prefix="vivid-keel-demo-")) / "Osier Mill.keel"))

    # Bringing in

    def choose_book(self) -> None:
        if self.window.file is None:
            self.window.say("Begin or open a job first; the book becomes a work in it.")
            return
        path = self._choose("Bring in a level book", "Level books (*.csv *.txt *.tsv);;All files (*)")
        if path is not None:
            self.bring_in_book(path)

    def bring_in_book(self, path: Path) -> None:
        """Make a CSV level book a new run, whole or not at all."""
        from vivid_keel.exchange.level_csv import BookRefused, book_drafts, read_book

        window = self.window
        assert window.file is not None
        try:
            book = read_book(path.read_bytes(), path.name)
            entries = window.file.record(book_drafts(book, path.stem))
        except OSError as error:
            window.say(f"{path.name} can't be read: {error.strerror}.")
            return
        except BookRefused as refused:
            window.refused.show_refusal(path.name, refused.problems)
            window.stack.setCurrentWidget(window.refused)
            return
        except KeelError as error:
            window.say(error.message)
            return
        window.stage = "Readings"
        window.open_work(entries[0].id)
        window.say(f"{path.name}: {len(book.sights)} sights brought in; " + "; ".join(book.notes) + ".")

    def choose_json(self) -> None:
        path = self._choose("Bring in a whole job", "Jobs as JSON (*.json);;All files (*)")
        if path is not None:
            self.bring_in_json(path)

    def bring_in_json(self, path: Path) -> None:
        """Make a JSON job a job file beside it and open that."""
        from vivid_keel.exchange.job_json import read_job

        try:
            entries = read_job(path.read_bytes())
            file = JobFile.create_from(_free(path.with_suffix(".keel")), entries, self.window.person)
        except OSError as error:
            self.window.say(f"{path.name} can't be read: {error.strerror}.")
            return
        except KeelError as error:
            self.window.say(f"{path.name} was refused at {error.where or 'its beginning'}: {error.message}.")
            return
        self.window.take(file)

    # Writing

    def write_book(self, form: str) -> None:
        from vivid_keel.exchange.level_csv_out import write_marks, write_sights
        from vivid_keel.ui.desk.run import RunDesk

        desk = self.window.desk
        if not isinstance(desk, RunDesk):
            self.window.say("Only a level run has a book; open one at the left.")
            return
        text = write_sights(desk.result, desk.file.journal) if form == "sights" else write_marks(desk.result)
        self._write(
            f"{desk.file.journal.name_of(desk.work)}, {form}.csv",
            lambda path: path.write_text("\ufeff" + text, newline=""),
        )

    def write_job(self) -> None:
        from vivid_keel.exchange.job_json import write_job

        file = self.window.file
        if file is not None:
            text = write_job(file.journal.entries.values())
            self._write(f"{file.path.stem}.json", lambda path: path.write_text(text))

    def write_report(self) -> None:
        """Write the report of the work beside the job file."""
        from vivid_keel.exchange.report_pdf import write_pdf
        from vivid_keel.ui.desk.report_preview import report_pages

        desk = self.window.desk
        if desk is None:
            self.window.say("Open a work first; the report is of one work.")
            return
        name = desk.file.journal.name_of(desk.work)
        self._write(f"{name}, report.pdf", lambda path: write_pdf(report_pages(desk), path, name))

    def _write(self, name: str, write: Callable[[Path], object]) -> None:
        safe = "".join("-" if c in '/\\:*?"<>|' else c for c in name)
        path = _free(self._folder() / safe)
        try:
            write(path)
        except OSError as error:
            self.window.say(f"{path} can't be written: {error.strerror}.")
        except KeelError as error:
            self.window.say(error.message)
        else:
            self.window.say(f"Written: {path}")

    # Long work

    def compute_later(self) -> None:
        """Have what the desk waits for computed off the window's thread."""
        window = self.window
        desk = window.desk
        wanted = desk.long_work() if desk is not None else None
        if desk is None or wanted is None or wanted[0] == self._computing:
            return
        key, operation = wanted
        self._computing = key

        def done(found: object) -> None:
            self._computing = None
            desk.long_work_done(key, found)
            if window.desk is desk:
                window.refresh()

        def failed(error: Exception) -> None:
            done(None)
            window.say(f"It could not be worked out: {error}")

        window.worker.start(operation, done, failed)


def _free(path: Path) -> Path:
    """Return a path that nothing is overwritten at."""
    candidate, n = path, 2
    while os.path.lexists(candidate):
        candidate, n = path.with_stem(f"{path.stem} {n}"), n + 1
    return candidate
