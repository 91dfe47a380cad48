"""The practice yard on the desk: which exercise, the exercise itself, what came of it, and what the learner slips at."""

from __future__ import annotations

import time
from collections.abc import Callable, Sequence
from pathlib import Path

from vivid_keel.core.kinds import Finding
from vivid_keel.core.quantities import LengthStyle, show_amount
from vivid_keel.desk.base import Desk, Next, StageTab
from vivid_keel.desk.record_stage import LogSheet
from vivid_keel.desk.sheet import Goto, Sheet
from vivid_keel.desk.stage import Writer
from vivid_keel.exchange.csv_lines import written
from vivid_keel.figures.display import Picture
from vivid_keel.figures.report import Heading, Pages
from vivid_keel.figures.small import in_room
from vivid_keel.yard.attempt import HINT, KINDS
from vivid_keel.yard.entries import YARD_KINDS
from vivid_keel.yard.figure import over_time, record, through, told
from vivid_keel.yard.learner import EXERCISES, debrief, habit
from vivid_keel.yard.rounds import ASKS, TURNS, Hand, Rounds
from vivid_keel.yard.scenes import NOTCHES, scene, slides
from vivid_keel.yard.sheets import BookSheet, ExercisesSheet, HandsSheet, ReadSheet, SkillsSheet, StepsSheet
from vivid_keel.yard.site import SitePractising
from vivid_keel.yard.staff import READINGS
from vivid_keel.yard.telescope import TelescopeExercise
from vivid_keel.yard.whole import WholeExercise

QUESTIONS = {
    "Exercises": (
        "Exercises: what do you want to get right before it costs something?",
        "The one proposed shows what you slip at most, or what was not done for long. Nothing here is ever a real reading.",
    ),
    "Practise": (
        "Practise: do it as on site. The clock doesn't press, and it can be left in the middle.",
        "What is off is told when all is done; a hint may be asked for, and is counted.",
    ),
    "Debrief": (
        "Debrief: what was done, step by step, and what each slip was.",
        "A slip is laid to a kind only where that kind makes just that error.",
    ),
    "Record": (
        "Record: which kinds of mistake you make, how often, and how well that is known.",
        "What was done lately counts more. The record is yours; it lies in a file beside the kit.",
    ),
}


class YardDesk(SitePractising):
    """A learner in the practice yard."""

    type = "learner"
    handbook = "yard/help.md"
    stage_names = ("Exercises", "Practise", "Debrief", "Record")

    may_move = True
    turning = 0.0
    """How far the hand in use is on the picture, not recorded yet [in what is asked of it]."""

    @property
    def _slid(self) -> Hand | None:
        """The hand in use, where it is slid on the picture."""
        exercise = self.exercise
        if not isinstance(exercise, Rounds) or not 0 <= self.focus < len(exercise.hands):
            return None
        hand = exercise.hands[self.focus]
        return hand if slides(hand) else None

    @property
    def step(self) -> float:
        hand = self._slid
        return 1 / 16 if hand is None or hand.asks == TURNS else NOTCHES[hand.asks][0] / 8

    def drag(self, value: float, *, done: bool) -> None:
        """Slide the hand in use on the picture: what it moves follows; `done` records it once."""
        hand = self._slid
        if hand is None:
            return
        most, fine = min(ASKS[hand.asks][1], 180.0), 64 if hand.asks == TURNS else 4
        by = round(max(-most, min(most, value)) * fine) / fine
        if not done:
            self.turning = by
            return
        self.turning = 0.0
        if by:
            text = f"{by:+.3f}".rstrip("0").rstrip(".")
            self.record(*self.act(hand.key, text, by))

    @property
    def moving(self) -> bool:
        return self.moves_at("Practise", 0)

    def moves_at(self, stage: str, view: int) -> bool:
        if stage != "Practise" or self.now is None or not isinstance(self.exercise, TelescopeExercise):
            return False
        telescope = self.exercise.thing(self.now).telescope
        return telescope.swims + telescope.shimmers > 0

    def question(self, stage: str) -> tuple[str, ...]:
        return QUESTIONS[stage]

    def state(self) -> tuple[str, str]:
        done = sum(one.ended for one in self.attempts)
        named = habit(self.skills)
        if named:
            return "open", f"{KINDS[named][0]}"
        return (
            "in" if done else "todo"
        ), f"{done} exercise{'s' if done != 1 else ''} done" if done else "nothing done yet"

    def tabs(self) -> list[StageTab]:
        done = sum(one.ended for one in self.attempts)
        part = 0.0
        if self.now is not None:
            part = 0.5 if self.now.done else 0.1
        return [
            StageTab("Exercises", 1.0 if done else 0.0, str(done) if done else ""),
            StageTab("Practise", part),
            StageTab("Debrief", 1.0 if self.last is not None else 0.0),
            StageTab("Record", min(1.0, len(self.skills) / len(KINDS))),
        ]

    def sheets(self, stage: str) -> list[Sheet]:
        if stage == "Practise" and self.now is not None:
            if isinstance(self.exercise, WholeExercise):
                return [HandsSheet(self), BookSheet(self, self.exercise.thing(self.now))]
            return [HandsSheet(self) if isinstance(self.exercise, Rounds) else ReadSheet(self)]
        if stage == "Debrief":
            return [StepsSheet(self)]
        if stage == "Record":
            return [SkillsSheet(self), LogSheet(self, YARD_KINDS)]
        return [ExercisesSheet(self)]

    def picture(self, stage: str, view: int, width: float, height: float) -> Picture:
        return in_room(lambda desk, w, h: desk._drawn(stage, view, w, h), self, width, height)

    def _drawn(self, stage: str, view: int, width: float, height: float) -> Picture:
        now, exercise = self.now, self.exercise
        if stage == "Practise" and now is not None:
            if isinstance(exercise, Rounds):
                return scene(exercise, now, width, height, self.focus, self.turning, time.monotonic())
            if exercise is not None:
                k = len(now.done)
                return through(exercise.view(now, k), k + 1, READINGS, width, height)
        if stage == "Debrief" and self.debrief is not None:
            return told(self.debrief, width, height)
        if stage == "Record" and view == 1:
            return over_time(self.course, width, height)
        return record(self.skills, width, height)

    def views(self, stage: str) -> list[str]:
        return ["What you slip at", "Over time"] if stage == "Record" else []

    @property
    def course(self) -> list[tuple[str, str, float]]:
        """Every exercise that was done: the day, its title, how much of it went without a slip."""
        out = []
        for one in self.attempts:
            told_of = debrief(one)
            if one.ended and told_of.steps:
                good = sum(step.good for step in told_of.steps) / len(told_of.steps)
                out.append((one.day, EXERCISES[one.exercise].title, good))
        return out

    def findings(self, stage: str) -> list[Finding]:
        out = [
            Finding(
                "note",
                "Practice only",
                "What is read here is never a job's reading, and no instrument of the kit is touched.",
            )
        ]
        if stage == "Practise" and self.now is not None and self.exercise is not None:
            asked = bool(self.now.acts) and self.now.acts[-1].what == HINT
            words = self.exercise.hint(self.now) if asked else "It is counted, and costs nothing else."
            out.insert(
                0,
                Finding(
                    "note", "A hint", words, action="" if asked else "hint", action_label="Ask for a hint"
                ),
            )
        named = habit(self.skills)
        if named:
            out.insert(0, Finding("open", f"A habit: {KINDS[named][0]}", KINDS[named][1]))
        if stage == "Debrief" and self.debrief is not None and self.last is not None:
            found = self.debrief
            good = sum(step.good for step in found.steps)
            exercise = EXERCISES[self.last.exercise]
            far = exercise.over_what if isinstance(exercise, Rounds) else ""
            costs = f"At worst it would have cost {show_amount(found.costs, LengthStyle())} on a job{far}."
            hints = (
                f" {self.last.hints} hint{'s' if self.last.hints != 1 else ''} asked."
                if self.last.hints
                else ""
            )
            minutes = max(1, round(self.last.took / 60))
            took = (
                f" It took {minutes} minute{'s' if minutes != 1 else ''}; nobody presses."
                if self.last.took
                else ""
            )
            verdict = "in" if good == len(found.steps) else "open"
            out.insert(
                0, Finding(verdict, f"{found.summary[:1].upper()}{found.summary[1:]}", costs + hints + took)
            )
        return out

    def next(self, stage: str) -> Next:
        if self.now is not None and stage != "Practise":
            return Next(f"Go on: {EXERCISES[self.now.exercise].title.lower()}", "left in the middle", "on")
        if self.now is not None:
            return Next("Leave it", "it can be taken up again where it is", "exercises")
        return Next(f"Next: {EXERCISES[self.proposed].title.lower()}", EXERCISES[self.proposed].goal, "begin")

    def go(self, key: str) -> Goto | None:
        if key == "begin":
            self.record(*self.begin_drafts(self.proposed))
            return Goto("Practise")
        if key == "hint" and self.now is not None:
            self.record(*self.act(HINT, "asked", 0.0))
            return Goto("Practise")
        return {"on": Goto("Practise"), "exercises": Goto("Exercises")}.get(key)

    def report(self) -> Callable[[], list[Picture]]:
        return training_pages(self)

    def writers(self) -> Sequence[Writer[YardDesk]]:
        return (
            Writer("training", "Write the training record (PDF)", ", training.pdf", pages=training_pages),
            Writer("training-csv", "Write the training record (CSV)", ", training.csv", _write_csv),
        )


def training_pages(desk: YardDesk) -> Callable[[], list[Picture]]:
    """Return what makes the pages of a training record: every attempt, and what is slipped at."""
    name, attempts = desk.file.journal.name_of(desk.work), list(desk.attempts)
    found, person = dict(desk.skills), name
    written_at = f"{desk.file.now():%Y-%m-%d}"

    def made() -> list[Picture]:
        pages = Pages(Heading("Practice yard", name, "training record", written_at, person, practice=True))
        pages.title(f"Training record of {name}")
        pages.line("Exercises on simulated instruments. Nothing here was read on site.", ink="muted")
        pages.figure(record(found, 760, 380))
        pages.title("Exercises", 12, 40)
        rows = []
        for one in attempts:
            if one.ended:
                told_of = debrief(one)
                rows.append(
                    [one.day, EXERCISES[one.exercise].title, str(one.level), told_of.summary, str(one.hints)]
                )
        pages.table(
            [
                ("Day", 70, False),
                ("Exercise", 150, False),
                ("Level", 40, True),
                ("What came of it", 210, False),
                ("Hints", 40, True),
            ],
            rows,
        )
        return pages.done()

    return made


def _write_csv(desk: Desk, path: Path) -> None:
    assert isinstance(desk, YardDesk)
    lines: list[list[object]] = [
        ["day", "exercise", "level", "ended", "hints", "steps", "good", "worst_m", "kind", "could", "made"]
    ]
    for one in desk.attempts:
        told_of = debrief(one)
        good = sum(step.good for step in told_of.steps)
        for kind, (could, made) in told_of.slips.items():
            lines.append(
                [
                    one.day,
                    one.exercise,
                    one.level,
                    int(one.ended),
                    one.hints,
                    len(told_of.steps),
                    good,
                    f"{told_of.costs:.4f}",
                    kind,
                    could,
                    made,
                ]
            )
    path.write_text(written(lines), encoding="utf-8", newline="")
