"""What a person does at a stage: the next step, striking, events, asking why, reading by matching."""

from __future__ import annotations

from collections.abc import Callable

from vivid_keel.core.cautions import Caution
from vivid_keel.desk.sheet import Goto, PutIn
from vivid_keel.figures.palette import THEMES
from vivid_keel.ui.chosen import keep
from vivid_keel.ui.stages import StageWindow
from vivid_keel.ui.theme import theme


class ActingWindow(StageWindow):
    """A window in which things are done to the work in hand."""

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
        if key in {"print-sheet", "print-changes"}:
            self.errands.preview_sheet(changes=key == "print-changes")
            return
        if key == "cautions":
            self.settle()
            button = self.pane.first_button("Read by the crew")
            if button is not None:
                button.setFocus()
            return
        desk, found = self.desk, []
        if self.attempt(lambda: found.append(desk.go(key))) and found[0] is not None:
            self._go(found[0])

    def open_work(self, work: int) -> None:
        """Put a work on the desk."""
        raise NotImplementedError

    def show_job(self) -> None:
        """Take the job in hand."""
        raise NotImplementedError

    def _go(self, goto: Goto) -> None:
        if goto.job:
            self.show_job()
        if goto.work >= 0:
            self.open_work(goto.work)
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

    def ask(self, question: str, hint: str, answered: Callable[[str], None], text: str = "") -> None:
        """Ask something in place, under the sheet; `text` stands there already."""
        self.under.ask(question, hint, answered, text)

    def new_set_up(self) -> None:
        desk = self.desk
        if desk is not None and self.stage == "Readings":
            self.sheet.close_editor()
            if self.attempt(desk.new_set_up):
                self.sheet.go(self.sheet.sheet.first())

    def put_in(self) -> None:
        """Put something forgotten in above the line in hand, asked in place."""
        if self.desk is None:
            return
        self.sheet.close_editor()
        row = self.sheet.currentIndex().row()
        found = self.sheet.sheet.put_in(row) if 0 <= row < self.sheet.sheet.count else None
        if found is None:
            self.say("Nothing can be put in above this line.")
            return
        self._ask_to_put_in(found, [], row)

    def _ask_to_put_in(self, found: PutIn, answers: list[str], row: int, refused: str = "") -> None:
        question, hint = found.asked[len(answers)]

        def answered(text: str) -> None:
            if len(answers) + 1 < len(found.asked):
                self._ask_to_put_in(found, [*answers, text], row)
                return
            desk = self.desk
            if desk is None:
                return
            if self.attempt(lambda: desk.record(*found.taken([*answers, text]))):
                self.sheet.go((row, 0), edit=False)
            else:
                self._ask_to_put_in(found, answers, row, text)  # what was typed stays

        for place, answer in enumerate(answers):
            question = question.replace(f"{{{place}}}", answer)
        self.under.ask(question, hint, answered, refused)

    def strike(self) -> None:
        """Offer to strike the line in hand, with a reason."""
        if self.desk is None:
            return
        self.sheet.close_editor()
        row, column = self.sheet.currentIndex().row(), self.sheet.currentIndex().column()
        found = self.sheet.sheet.strike_at(row, column) if 0 <= row < self.sheet.sheet.count else None
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
        desk = self.desk
        if (
            desk is None
            or desk.event_question is None
            or (self.stage != "Readings" and not desk.event_anywhere)
        ):
            return
        self.sheet.close_editor()
        self.under.ask(*desk.event_question, self._event_told)

    def _event_told(self, typed: str) -> None:
        desk = self.desk
        if desk is not None and self.attempt(lambda: desk.happened(typed)):
            self.sheet.go(self.sheet.sheet.first())

    def toggle_why(self) -> None:
        """Show or put away the working of the line in hand."""
        if self.desk is None:
            return
        row = self.sheet.currentIndex().row()
        why = self.sheet.sheet.why(row) if 0 <= row < self.sheet.sheet.count else None
        if why is None:
            self.say("This line has no computed number to explain yet.")
        self._working = None if self._working == why else why
        self.settle()

    def switch_theme(self) -> None:
        names = list(THEMES)
        theme.use(names[(names.index(theme.name) + 1) % len(names)])
        keep(theme=theme.name)
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
        if desk is None:
            return
        if not self.attempt(lambda: desk.drag(value, done=done)):
            self._line_back()
            return
        text = desk.matched()
        if text and self.stage == "Readings" and self.picture.hasFocus():
            if not self.sheet.match(text):
                self.say("Name the mark first, in the sheet; then slide the hair.")
            self.picture.setFocus()
        if text or not done or desk.line_stays:
            self.picture.redraw()
            self.sheet.follow()

    def _tilted(self, gradient: float, done: bool) -> None:
        desk = self.desk
        if desk is None:
            return
        if not self.attempt(lambda: desk.tilt(gradient, done=done)):
            self._line_back()
        elif not done:
            self.picture.redraw()
            self.sheet.follow()

    def _line_back(self) -> None:
        """Show what stands, after a line was refused."""
        self.picture.redraw()
        self.sheet.refresh()

    def _take_matched(self) -> None:
        if self.sheet.editor is not None and self.sheet.half_typed():
            self.sheet.take()

    def match(self) -> None:
        """Read by matching the picture, and back."""
        desk = self.desk
        if desk is not None and desk.matching == "instrument":
            self._match_instrument()
        elif desk is not None and desk.matching == "staff":
            self._match_staff()

    def _match_staff(self) -> None:
        """Read from the drawn staff, or go back to the book."""
        if self.stage == "Readings" and self.view_number > 0:
            self._choose_view(0)
            self.sheet.setFocus()
            return
        if self.stage != "Readings":
            self.show_stage("Readings")
        self._choose_view(1)
        self.picture.setFocus()

    def _match_instrument(self) -> None:
        """Read an instrument from its picture: the bubble by its ends, a streaming one by its number once it stands; while something is
        moved by such a number, say that it came to its mark."""
        desk = self.desk
        assert desk is not None
        if desk.live_view(self.stage) < 0:
            self.show_stage("Readings")
        wanted = desk.live_view(self.stage)
        if wanted >= 0 and self.view_number != wanted:
            self._choose_view(wanted)
            if self.sheet.half_typed() is None:
                self.sheet.close_editor()  # what comes in by itself is shown there
            self.picture.setFocus()
            return
        if not desk.streams():
            self.picture.setFocus()
            return
        if self.stage == "Moves":
            self.picture.setFocus()
            said: list[str] = []
            if self.attempt(lambda: said.append(desk.take_live(told=True))):
                self.refresh()
                self.say(said[0])
            return
        taken: list[str] = []
        if self.attempt(lambda: taken.append(desk.stream_text())) and self.sheet.match(taken[0]):
            self.notice.hide()
            if self.sheet.editor is not None:
                self.sheet.editor.setFocus()  # Enter takes it
