"""The works of the job in hand kept in order: levelled again, copied, set aside, moved in the list; and the job itself told otherwise."""

from __future__ import annotations

from collections.abc import Callable

from PyQt6.QtWidgets import QApplication

from vivid_keel.core.errors import KeelError
from vivid_keel.core.record.entries import Draft
from vivid_keel.core.record.paper import paper_in_hand
from vivid_keel.core.record.works import is_aside, job_told, moved
from vivid_keel.desk.base import Desk
from vivid_keel.desk.sheet import as_table
from vivid_keel.exchange.csv_lines import harmless
from vivid_keel.ui.host import Host
from vivid_keel.ui.pages import UNITS

MARKS = {"point": ".", "comma": ",", "": ""}
"""How a decimal mark is typed."""


MOST = 20_000
"""So many lines go to the clipboard at the most."""


class Housekeeping:
    """Keeps a window's works."""

    def __init__(self, window: Host) -> None:
        self.window = window

    def again(self) -> None:
        """Begin the next visit of the work in hand, or a work like it in which nothing is read yet."""
        self._begin(lambda desk: desk.again(), "; nothing is read in it yet.")

    def copy(self) -> None:
        """Copy the work in hand with its readings, to try something on."""
        self._begin(lambda desk: desk.copy(read=True), ", and its readings.")

    def copy_bare(self) -> None:
        """Copy the work in hand with nothing read in it: another of the same make."""
        self._begin(lambda desk: desk.copy(read=False), "; nothing is read in it yet.")

    def _begin(self, drafted: Callable[[Desk], list[Draft]], came: str) -> None:
        window, desk = self.window, self._desk()
        if desk is None or window.file is None:
            return
        made: list[int] = []
        file = window.file

        def begun() -> None:
            drafts = drafted(desk)
            entries = file.record(drafts)
            made.append(entries[0].work)
            if drafts[0].kind == "visit":
                desk.follow(entries)

        if not window.attempt(begun):
            return
        work = made[0]
        window.stage = "Readings"
        window.open_work(work)
        if work == desk.work:
            window.say("A new visit: what is read from here on stands beside the one before.")
        else:
            window.say(
                f"{file.journal.name_of(work)}: what was said of {file.journal.name_of(desk.work)} came along{came}"
            )

    def set_aside(self) -> None:
        """Set the work in hand aside, or bring it back."""
        window, desk = self.window, self._desk()
        if desk is None or window.file is None:
            return
        journal, now = window.file.journal, is_aside(window.file.journal, desk.work)
        if window.attempt(lambda: desk.record(Draft(desk.work, "set-aside", {"aside": not now}))):
            window.show_side()
            name = journal.name_of(desk.work)
            window.say(
                f"{name} is at hand again."
                if now
                else f"{name} is set aside: it stands last in the list, falls due no more and is in no report of the whole job. The same again brings it back."
            )

    def move_up(self) -> None:
        """Move the work in hand up in the list."""
        self._move(-1)

    def move_down(self) -> None:
        """Move the work in hand down in the list."""
        self._move(1)

    def _move(self, step: int) -> None:
        window, desk = self.window, self._desk()
        if desk is None or window.file is None:
            return
        file = window.file
        draft = moved(file.journal, desk.work, step)
        if draft is None:
            window.say(
                "It stands there already."
                if not is_aside(file.journal, desk.work)
                else "It is set aside; bring it back first."
            )
        elif window.attempt(lambda: file.record([draft])):
            window.show_side()

    def from_paper(self) -> None:
        """Ask from which page the readings of the work in hand are typed in from now on, and when they were read."""
        window, desk = self.window, self._desk()
        if desk is None or window.file is None:
            return
        now = paper_in_hand(window.file.journal, desk.work)

        def begun(page: str, read_at: str) -> None:
            body = {"page": page.strip()} | ({"read_at": read_at.strip()} if read_at.strip() else {})
            if window.attempt(lambda: desk.record(Draft(desk.work, "paper", body))):
                window.refresh()
                window.say(
                    f"What is typed now stands on page {page.strip()}; the same again ends it."
                    if page.strip()
                    else "What is typed now is no longer from paper."
                )

        def page_told(page: str) -> None:
            if not page.strip():
                begun("", "")
                return
            window.ask(
                f"Page {page.strip()} was read",
                "day and time as they are noted there, such as 2026-05-04 14:20; or nothing",
                lambda read_at: begun(page, read_at),
                now.read_at if now is not None else "",
            )

        window.ask(
            "Typed in from page",
            "its number or name; nothing: no longer from paper",
            page_told,
            now.page if now is not None else "",
        )

    def copy_sheet(self) -> None:
        """Put the sheet in hand on the clipboard, to be pasted in a spreadsheet: as it is shown, with its titles."""
        window, desk = self.window, self._desk()
        clipboard = QApplication.clipboard()
        if desk is None or clipboard is None:
            return
        sheets = desk.sheets(window.stage)
        sheet = sheets[min(window.sheet_number, len(sheets) - 1)]
        lines = as_table(sheet, MOST)
        comma = desk.comma or str
        clipboard.setText(
            "\n".join(
                "\t".join(str(harmless(" ".join(comma(text).split()))) for text in line) for line in lines
            )
        )
        left = sheet.count - (len(lines) - 1)
        window.say(
            f"{sheet.name or window.stage}: {len(lines) - 1} lines are on the clipboard"
            + (f"; {left} more were left out." if left > 0 else ".")
        )

    def tell_job(self) -> None:
        """Ask what the job is called, where it lies, its units and decimal mark: one after another."""
        window = self.window
        job = window.file.journal.latest(0, "job") if window.file is not None else None
        if window.file is None or job is None or window.stack.currentIndex() != 0:
            window.say(
                "Open a work of a job first; what it is called and where it lies is asked under the sheet."
            )
            return
        units = ", ".join(key for key, _ in UNITS)
        asked = [
            ("name", "The job is called", "a name", window.file.journal.name_of(0)),
            ("place", "It lies at", "a place, or nothing", str(job.body.get("place", ""))),
            ("unit", "New works are in", units, str(job.body.get("unit", "m"))),
            (
                "decimal_mark",
                "Decimals are typed and shown with a",
                "point, or comma; what was typed stays as it was typed",
                {".": "point", ",": "comma"}.get(str(job.body.get("decimal_mark", "")), ""),
            ),
        ]
        self._ask(asked, {})

    def _ask(self, asked: list[tuple[str, str, str, str]], told: dict[str, str]) -> None:
        field, question, hint, now = asked[0]

        def answered(text: str) -> None:
            try:
                value = _checked(field, text)
            except KeelError as error:
                self.window.say(f"{error.message[:1].upper()}{error.message[1:]}.")
                self._ask([(field, question, hint, text), *asked[1:]], told)
                return
            if len(asked) > 1:
                self._ask(asked[1:], told | {field: value})
                return
            self._take(told | {field: value})

        self.window.ask(question, f"{hint} · Enter goes on, Esc leaves all as it is", answered, now)

    def _take(self, told: dict[str, str]) -> None:
        window, file = self.window, self.window.file
        if file is None:
            return
        draft = job_told(file.journal, **told)
        now = file.journal.latest(0, "job")
        renamed = file.journal.latest(0, "rename")
        drafts = [draft] + ([Draft(0, "rename", {"name": told["name"]})] if renamed is not None else [])
        if now is not None and {k: v for k, v in draft.body.items() if v} == {
            k: v for k, v in now.body.items() if v
        }:
            return

        def tell() -> None:
            file.record(drafts)
            for desk in window.desks.values():
                desk.refresh()

        if window.attempt(tell):
            window.refresh()
            window.show_side()
            window.say(
                "Changed. Works already begun keep their unit, and every reading stays as it was typed."
            )

    def _desk(self) -> Desk | None:
        window = self.window
        if window.desk is None or window.stack.currentIndex() != 0:
            window.say("Open a work first; it is the work in hand that this is done with.")
            return None
        return window.desk


def _checked(field: str, text: str) -> str:
    text = " ".join(text.split())
    if field == "name" and not text:
        raise KeelError("bad-value", "a job has a name; type one")
    if field == "unit":
        known = [key for key, _ in UNITS]
        if text not in known:
            raise KeelError(
                "bad-value", f"“{text}” is no unit that a work can be in; expected {', '.join(known)}"
            )
    if field == "decimal_mark":
        words = {**MARKS, ".": ".", ",": ","}
        if text.lower() not in words:
            raise KeelError("bad-value", f"“{text}”: expected point or comma")
        return words[text.lower()]
    return text
