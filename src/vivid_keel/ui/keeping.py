"""What becomes of a file that can't be written: waited for, taken over with a reason, or written elsewhere."""

from __future__ import annotations

from typing import cast

from PyQt6.QtCore import Qt, QTimer
from PyQt6.QtWidgets import QMessageBox, QWidget

from vivid_keel.core.errors import KeelError
from vivid_keel.store import Patience
from vivid_keel.ui.host import Host

LOOK_AGAIN = 2000
"""How often it is looked whether whoever has a file open has gone [ms]."""


class Keeping:
    """Looks after the files of a window that another has open or has changed."""

    def __init__(self, window: Host) -> None:
        self.window = window
        Patience.waits = self.waits
        self._timer = QTimer()
        self._timer.setInterval(LOOK_AGAIN)
        self._timer.timeout.connect(self.look_again)

    def watch(self) -> None:
        """Wait for whoever has the job in hand open, if somebody has."""
        file = self.window.file
        if file is not None and file.held_by:
            self._timer.start()
        else:
            self._timer.stop()

    def look_again(self) -> None:
        """Take the job in hand for writing once the other has gone, where one stands in it."""
        window = self.window
        file = window.file
        if file is None or not file.held_by or window.job is not file:
            self._timer.stop()
            return
        if not file.is_free():
            return
        who, desk, stage = file.held_by, window.desk, window.stage
        try:
            again = type(file).open(file.path, window.person)
        except KeelError:
            return  # another was quicker, or is writing: it is looked at again
        if again.read_only:
            again.close()
            return
        self._timer.stop()
        work = desk.work if desk is not None else 0
        window.take(again)
        if work in again.journal.entries:
            window.stage = stage
            window.open_work(work)
        window.say(f"{who} has gone: you can write here now. What was entered meanwhile is shown.")

    def waits(self) -> bool:
        """Ask whether to wait on for a file that takes long to look through; nothing else can be done meanwhile."""
        box = QMessageBox(cast(QWidget, self.window))
        box.setWindowTitle("Vivid Keel")
        box.setTextFormat(Qt.TextFormat.PlainText)
        box.setText("Looking through this file takes long. Nothing is wrong with it so far.")
        wait = box.addButton("Wait", QMessageBox.ButtonRole.AcceptRole)
        box.addButton("Leave it as it is", QMessageBox.ButtonRole.RejectRole)
        box.setDefaultButton(wait)
        box.exec()
        return box.clickedButton() is wait

    def take_over(self) -> None:
        """Ask, in place, why a file that another hand changed can be relied on, and take it over."""
        file = self.window.file
        if file is None or not file.changed:
            self.window.say("Nothing is to be taken over: no other hand has changed this file.")
            return
        self.window.ask(
            "Take this file over as it stands?",
            "why it can be relied on: it is recorded · Esc leaves it",
            lambda why: self._taken_over(why),
        )

    def _taken_over(self, why: str) -> None:
        window = self.window
        file = window.file
        if file is not None and window.attempt(lambda: file.take_over(why)):
            window.refresh()
            window.settle()
            window.say("Taken over, and recorded. It can be written from here on.")

    def write_copy(self) -> None:
        """Write all that is in memory of the file in hand to another file, whatever became of its own."""
        file = self.window.file
        if file is None:
            self.window.say("Begin or open a job first.")
            return
        kept, person = file, self.window.person

        def write(reason: str = "") -> None:
            entries, sources = kept.to_write(reason)
            self.window.errands.write_file(
                f"{kept.path.stem} copy{kept.path.suffix}",
                lambda path: type(kept).create_from(path, entries, person, sources=sources).close(),
                aside=False,
            )

        kept.sources()
        if not kept.mark:
            write()
            return
        self.window.say(f"{kept.mark} The copy will say so, too.")
        self.window.ask(
            "Can the copy be relied on?",
            "why; recorded in it · Enter alone: only for reading · Esc leaves it",
            write,
        )
