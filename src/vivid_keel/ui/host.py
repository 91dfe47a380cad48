"""What is known of one another by the window and those who run its errands."""

from __future__ import annotations

from collections.abc import Callable
from pathlib import Path
from typing import TYPE_CHECKING, Protocol

from PyQt6.QtWidgets import QStackedWidget

from vivid_keel.desk.base import Desk, Look
from vivid_keel.desk.sheet import Goto
from vivid_keel.files import JobFile

if TYPE_CHECKING:
    from vivid_keel.ui.map_page import MapPage
    from vivid_keel.ui.worker import Worker


class Errand(Protocol):
    """What is asked for from within the window."""

    def compute_later(self) -> None:
        """Have what waits computed off the window's thread."""

    def write_report(self) -> None:
        """Write the report of the work in hand."""

    def preview_sheet(self, *, changes: bool = False) -> None:
        """Show the sheet for the hand as it will be printed."""

    def write_file(self, name: str, write: Callable[[Path], object], *, aside: bool = True) -> None:
        """Write a file beside the one in hand, and say so."""


class Host(Protocol):
    """A window that errands are run for."""

    stack: QStackedWidget
    worker: Worker
    file: JobFile | None
    job: JobFile | None
    desk: Desk | None
    desks: dict[int, Desk]
    stage: str
    sheet_number: int
    person: str
    busy_words: str

    @property
    def errands(self) -> Errand: ...
    @property
    def map_page(self) -> MapPage: ...
    def close(self) -> bool: ...
    def say(self, text: str) -> None: ...
    def attempt(self, what: Callable[[], object]) -> bool: ...
    def ask(self, question: str, hint: str, answered: Callable[[str], None], text: str = "") -> None: ...
    def show_side(self) -> None: ...
    def looks(self) -> list[Look]: ...
    def open_kit(self, *, make: bool = False) -> JobFile | None: ...
    def open_path(self, path: Path) -> bool: ...
    def open_work(self, work: int) -> None: ...
    def practise_at(self, place: Goto) -> None: ...
    def take(self, file: JobFile) -> None: ...
    def refresh(self) -> None: ...
    def settle(self) -> None: ...
    def soon(self) -> None: ...
    def show_busy(self) -> None: ...
    def watch_worker(self) -> None: ...
