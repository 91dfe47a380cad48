"""A work of a trade that this program doesn't know: what was entered is shown as it is, and nothing can be added."""

from __future__ import annotations

from vivid_keel.core.kinds import Finding, Kinds
from vivid_keel.desk.base import Desk, JobLike, Next, StageTab
from vivid_keel.desk.record_stage import LogSheet
from vivid_keel.desk.sheet import Goto, Sheet
from vivid_keel.figures.display import Picture


class UnknownDesk(Desk):
    """A work that another version of the program began."""

    type = "unknown"
    stage_names = ("Record",)

    def __init__(self, file: JobLike, work: int, kinds: Kinds) -> None:
        super().__init__(file, work)
        self.kinds = kinds

    @property
    def sort(self) -> str:
        """What the file calls it."""
        return str(self.file.journal.entries[self.work].body["type"])

    def refresh(self) -> None:
        """There is nothing to work out."""

    def state(self) -> tuple[str, str]:
        return "todo", "not known here"

    def tabs(self) -> list[StageTab]:
        return [StageTab("Record", 0.0)]

    def sheets(self, stage: str) -> list[Sheet]:
        return [LogSheet(self, self.kinds)]

    def picture(self, stage: str, view: int, width: float, height: float) -> Picture:
        picture = Picture(width, height)
        picture.text(
            width / 2,
            height / 2,
            f"“{self.sort}”: no trade that this program knows",
            "ink",
            18,
            bold=True,
            align="centre",
        )
        picture.text(
            width / 2, height / 2 + 26, "Every entry is below, as it was made.", "muted", 15, align="centre"
        )
        picture.caption = f"A work of an unknown trade, {self.sort}"
        return picture

    def findings(self, stage: str) -> list[Finding]:
        return [
            Finding(
                "open",
                "Open for reading only",
                f"“{self.sort}” is no trade that this program knows; a newer version made it. Nothing of it is changed or lost.",
            )
        ]

    def next(self, stage: str) -> Next:
        return Next("Nothing to do here", "update the program to go on with it", "")

    def go(self, key: str) -> Goto | None:
        return None
