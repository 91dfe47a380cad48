"""What the window brings in: level books from files and the clipboard, whole jobs."""

from __future__ import annotations

import gc
import os
from collections.abc import Callable, Iterator, Sequence
from contextlib import contextmanager
from pathlib import Path
from typing import TYPE_CHECKING, Any, NamedTuple, cast

from PyQt6.QtWidgets import QApplication, QFileDialog, QWidget

from vivid_keel.core.errors import KeelError, Stopped
from vivid_keel.core.record.entries import Draft
from vivid_keel.core.record.lending import read_on
from vivid_keel.desk.base import Desk
from vivid_keel.files import JobFile
from vivid_keel.places import JOB_SUFFIX
from vivid_keel.trades.registry import book_keeper, job_kinds, works_of
from vivid_keel.ui.host import Host
from vivid_keel.whole import read_file

if TYPE_CHECKING:
    from vivid_keel.core.booking.from_file import BookFile
    from vivid_keel.core.record.entries import Entry
    from vivid_keel.exchange.level_columns import Columns
    from vivid_keel.store.preparing import CarryOn
    from vivid_keel.ui.map_page import Said

    Brought = tuple[BookFile, list[Entry], str]

LARGE_BOOK = 1_000_000
"""A file of more bytes is read off the window's thread."""


class Paper(NamedTuple):
    """What a book's text was taken from: the sheets of a spreadsheet, the one in hand, its file's name and its own bytes."""

    sheets: tuple[str, ...] = ()
    sheet: str = ""
    name: str = ""
    kept: bytes | None = None


NO_PAPER = Paper()


@contextmanager
def not_collecting() -> Iterator[None]:
    """Make a great many things that all stay, without looking again and again for some that don't."""
    on = gc.isenabled()
    gc.disable()
    try:
        yield
    finally:
        if on:
            gc.enable()


class Bringing:
    """Files in, for a window."""

    def __init__(self, window: Host) -> None:
        self.window = window
        self._turn: Callable[[str], None] = lambda sheet: None
        self._asked: Callable[[Columns], None] = lambda columns: None

    def _choose(self, title: str, pattern: str) -> Path | None:
        name, _ = QFileDialog.getOpenFileName(
            cast(QWidget, self.window),
            title,
            str(self._folder()),
            pattern,
            options=QFileDialog.Option.DontUseNativeDialog,
        )
        return Path(name) if name else None

    def _folder(self) -> Path:
        return self.window.file.path.parent if self.window.file else Path.home()

    def choose_book(self) -> None:
        if self.window.file is None:
            self.window.say("Begin or open a job first; the book becomes a work in it.")
            return
        jobs = "Another year's job (*.keel);;" if self.window.desk and self.window.desk.takes_jobs else ""
        path = self._choose(
            "Bring in another year's job, or a level book"
            if jobs
            else "Bring in a level book, or points of the ground",
            f"{jobs}Lists (*.csv *.txt *.tsv *.xlsx *.ods *.xls *.xyz *.xml *.geojson *.json);;All files (*)",
        )
        if path is not None:
            self.bring_in_book(path)

    def _lend(self, desk: Desk, path: Path) -> None:
        """Lay the levellings of another job's file beside those of the work in hand; that file stays as it is."""
        window = self.window
        assert window.file is not None
        if path.exists() and path.samefile(window.file.path):
            # It is open here, and closing it a second time would let go of its lock.
            window.say("That is this very job; its levellings lie here already.")
            return
        try:
            with JobFile.look_into(path) as other:
                if other.salvaged is not None or other.changed:
                    window.say(f"Nothing of {path.name} was brought in: {other.why_read_only()}")
                    return
                works, journal = works_of(other), other.journal
                told = [
                    (lent, read_on(journal, id))
                    for id in works.lenders()
                    if (lent := works.lent(id)) is not None
                ]
                drafts = desk.lent_by(path.name, journal.name_of(0), told)
        except KeelError as error:
            window.say(f"Nothing of {path.name} was brought in: {error.message}.")
            return
        if window.attempt(lambda: desk.record(*drafts)):
            window.say(
                f"{path.name} lends {len(drafts)} levelling{'s' if len(drafts) > 1 else ''}; the file stays as it is."
            )

    def bring_in_book(self, path: Path) -> None:
        """Make a CSV level book a new work, whole or not at all; another job's file lends its levellings where the work in hand takes them."""
        held = self.window.desk
        if held is not None and held.takes_jobs and path.suffix == JOB_SUFFIX:
            self._lend(held, path)
            return
        try:
            raw = read_file(path)
        except KeelError as error:
            self.window.say(f"{error.message}.")
            return
        desk = self.window.desk
        try:
            taken = None if desk is None else desk.brought(self.window.stage, path.name, raw)
        except KeelError as error:
            self.window.say(
                f"Nothing of {path.name} was brought in. {error.message[:1].upper()}{error.message[1:]}."
            )
            return
        if desk is not None and taken is not None:
            if self.window.attempt(lambda: desk.record(*taken)):
                self.window.say(f"{path.name} is brought in.")
            return
        self._take_book(raw, path)

    def _take_book(self, raw: bytes, path: Path, sheet: str | None = None) -> None:
        """Read a file as a level book; of a spreadsheet the sheet that is one, and its own bytes are kept."""
        from vivid_keel.exchange.spreadsheet import book_sheet, is_spreadsheet, sheets_of

        sheets: tuple[str, ...] = ()
        text, name, kept = raw, path.name, None
        if is_spreadsheet(raw):
            try:
                found = sheets_of(raw)
                sheet, text = book_sheet(found, sheet)
            except KeelError as error:
                self.window.say(f"Nothing of {path.name} was brought in: {error.message}.")
                return
            sheets, name, kept = tuple(found), f"{path.name}, {sheet}", raw
        self._turn = lambda other: self._take_book(raw, path, other)
        self._take_in(
            text,
            name,
            lambda book: (book_keeper().work(book, path.stem), "brought in"),
            paper=Paper(sheets, sheet or "", path.name, kept),
        )

    def turn(self, sheet: str) -> None:
        """Show another sheet of the spreadsheet that is being brought in."""
        self._turn(sheet)

    def paste(self) -> None:
        """Put points from a spreadsheet into the work in hand, or sights at the end of its book, or make those a new one."""
        window = self.window
        clipboard = QApplication.clipboard()
        text = clipboard.text() if clipboard is not None else ""
        if window.file is None or not text.strip():
            window.say(
                "There is nothing to paste; copy the book's rows in the spreadsheet first, with their header."
            )
            return
        desk = window.desk
        try:
            points = None if desk is None else desk.pasted(window.stage, text)
        except KeelError as error:
            window.say(f"Nothing was pasted. {error.message[:1].upper()}{error.message[1:]}.")
            return
        if desk is not None and points is not None:
            if window.attempt(lambda: desk.record(*points)):
                window.say(f"{len(points)} pasted.")
            return
        if desk is not None and desk.brings_in is not None and window.stage == "Readings":
            keeper, work, listed = desk.brings_in, desk.work, set(desk.brings_in.known(desk))
            self._take_in(
                text.encode(), "The clipboard", lambda book: (keeper.more(book, work, listed), "pasted")
            )
        else:
            self._take_in(
                text.encode(),
                "The clipboard",
                lambda book: (book_keeper().work(book, "Pasted run"), "pasted"),
            )

    def _take_in(
        self,
        raw: bytes,
        name: str,
        drafts: Callable[[BookFile], tuple[list[Draft], str]],
        columns: Columns | None = None,
        paper: Paper = NO_PAPER,
    ) -> None:
        """Read a book and record it as one act; a stranger's columns are asked for, and whatever isn't understood is shown at its line."""
        from vivid_keel.exchange.level_columns import BookRefused, text_of
        from vivid_keel.exchange.level_csv import read_book
        from vivid_keel.ui.map_page import remembered

        window = self.window
        assert window.file is not None
        lines = text_of(raw).split("\n")

        def ask(known: Columns, why: Sequence[KeelError] = (), before: Said | None = None) -> None:
            self._asked = lambda found: self._take_in(raw, name, drafts, found, paper)
            window.map_page.ask(
                name, known, lines, why=why, before=before, sheets=paper.sheets, sheet=paper.sheet
            )
            window.stack.setCurrentWidget(window.map_page)

        plain, guess = self._plain(lines)
        guess = columns or guess
        if columns is None and (before := remembered(guess)) is not None:
            ask(guess, before=before)
            return
        if columns is None and not plain and len(guess.header) > 2:
            ask(guess)
            return

        def failed(error: Exception) -> None:
            window.busy_words = ""
            if isinstance(error, BookRefused):
                ask(guess, error.problems)
            elif isinstance(error, Stopped):
                window.say(f"{name} was stopped; nothing was brought in.")
            else:
                window.say(
                    error.message if isinstance(error, KeelError) else f"{name} could not be read: {error}"
                )

        file = window.file

        def read(carry_on: CarryOn) -> tuple[BookFile, list[Draft], str]:
            book = read_book(raw, name, columns, carry_on)
            made, what = drafts(book)
            if paper.kept is not None:
                from vivid_keel.core.record.bulk import describe

                held = describe(paper.kept, {"columns": dict(guess.at) or {"mark": 0}})
                body = {"name": paper.name, "sheet": paper.sheet, "source": held}
                made = [*made, Draft(made[0].work or -1, "file", body, source=paper.kept)]
            return book, made, what

        if len(raw) > LARGE_BOOK:

            def written(carry_on: CarryOn) -> Brought:
                with not_collecting():
                    book, made, what = read(lambda done: carry_on(0.5 * done))
                    return book, file.write_aside(made, lambda done: carry_on(0.5 + 0.5 * done)), what

            def taken(found: Brought) -> None:
                window.busy_words = ""
                book, act, what = found
                window.attempt(lambda: self._show(name, file, book, file.take_in(act), what))

            self._read_aside(name, written, taken, failed)
            return
        try:
            book, made, what = read(lambda _: True)
        except KeelError as error:
            failed(error)
        else:
            window.attempt(lambda: self._show(name, file, book, file.record(made), what))

    def _read_aside(
        self,
        name: str,
        read: Callable[[CarryOn], Any],
        done: Callable[[Any], None],
        failed: Callable[[Exception], None],
    ) -> None:
        """Read a large file and write what it becomes off the window's thread, saying how far it is, to be stopped."""
        window = self.window

        def operation(seconds_left: Callable[[], float]) -> object:
            def carry_on(part: float) -> bool:
                window.busy_words = f"Bringing in {name}: {part * 100:.0f} %"
                return seconds_left() > 0

            return read(carry_on)

        window.busy_words = f"Bringing in {name}"
        window.worker.start(operation, done, failed, seconds=600.0)
        window.watch_worker()

    def _show(self, name: str, file: JobFile, book: BookFile, entries: list[Entry], what: str) -> None:
        """Show a book that was brought in, in the job it went into."""
        window = self.window
        said = f"{name}: {len(book.sights)} sights {what}; " + "; ".join(book.notes) + "."
        if window.file is file:
            work = entries[0].id if entries[0].kind == "work" else entries[0].work
            if work in window.desks:
                window.desks[work].refresh()
            window.stage = "Readings"
            window.open_work(work)
        window.say(said)

    def columns_told(self, columns: Columns) -> None:
        """Go on with a file whose columns a person has named."""
        self.window.stack.setCurrentIndex(0)
        self._asked(columns)

    @staticmethod
    def _plain(lines: list[str]) -> tuple[bool, Columns]:
        """Whether the header says by itself what its columns are; and they, or what can be made of them."""
        from vivid_keel.exchange.level_columns import BookRefused, find_columns, guess_columns

        try:
            found = find_columns(lines)
        except BookRefused as refused:
            return refused.problems[0].code == "two-columns", guess_columns(lines)
        return found.enough, found if found.enough else guess_columns(lines)

    def choose_json(self) -> None:
        path = self._choose("Bring in a whole job", "Jobs as JSON (*.json);;All files (*)")
        if path is not None:
            self.bring_in_json(path)

    def choose_archive(self) -> None:
        """Make the job of an archive folder, and open it."""
        folder = QFileDialog.getExistingDirectory(
            cast(QWidget, self.window),
            "Bring in an archive",
            str(self._folder()),
            QFileDialog.Option.ShowDirsOnly | QFileDialog.Option.DontUseNativeDialog,
        )
        if folder:
            self.bring_in_archive(Path(folder))

    def bring_in_archive(self, folder: Path) -> None:
        """Make the job of an archive beside it and open that; one that doesn't match is told, and nothing is made."""
        from vivid_keel.archive.reading import job_from

        path, window = free_path(folder.with_suffix(JOB_SUFFIX)), self.window

        def done(made: tuple[int, list[str], str]) -> None:
            window.busy_words = ""
            count, wrong, _ = made
            if count:
                window.open_path(path)
                return
            told = "; ".join(wrong[:3])
            more = f"; and {len(wrong) - 3} more" if len(wrong) > 3 else ""
            window.say(
                f"{folder.name} doesn't match what it says of itself: {told}{more}. Nothing was made; “vivid-keel from-archive --even-so” makes a job for reading of it."
            )

        def failed(error: Exception) -> None:
            window.busy_words = ""
            said = error.message if isinstance(error, KeelError) else str(error)
            window.say(f"{folder.name} was refused: {said}.")

        window.busy_words = f"Checking {folder.name}"
        window.worker.start(lambda _: job_from(folder, path), done, failed, seconds=600.0)
        window.watch_worker()

    def bring_in_json(self, path: Path) -> None:
        """Make a JSON job a job file beside it and open that."""
        from vivid_keel.exchange.job_json import read_job

        try:
            entries, sources = read_job(read_file(path), job_kinds())
            file = JobFile.create_from(
                free_path(path.with_suffix(JOB_SUFFIX)), entries, self.window.person, sources=sources
            )
        except KeelError as error:
            self.window.say(f"{path.name} was refused at {error.where or 'its beginning'}: {error.message}.")
            return
        self.window.take(file)


def free_path(path: Path) -> Path:
    """Return a path that nothing is overwritten at."""
    candidate, n = path, 2
    while os.path.lexists(candidate):
        candidate, n = path.with_stem(f"{path.stem} {n}"), n + 1
    return candidate
