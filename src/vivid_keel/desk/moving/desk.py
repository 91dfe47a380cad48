"""A work that brings points level while it is shown: the line in the hand, the leaves being chosen, rounds."""

from __future__ import annotations

from abc import abstractmethod
from typing import Any, ClassVar

import numpy as np
from msgspec.structs import replace

from vivid_keel.core.errors import KeelError
from vivid_keel.core.kinds import Finding
from vivid_keel.core.moving.booking import read_put
from vivid_keel.core.moving.choosing import guard, pack
from vivid_keel.core.moving.drawn import raised, tipped
from vivid_keel.core.moving.engine import bring, thinnest
from vivid_keel.core.moving.holding import before_booking, terms_of
from vivid_keel.core.moving.issued import body_of
from vivid_keel.core.moving.listing import MoveLine, move_lines
from vivid_keel.core.moving.plan import NAN, MovingBook, TargetChoice
from vivid_keel.core.moving.result import Moved, Planned, counted, refuse_broken
from vivid_keel.core.moving.stacks import Packing
from vivid_keel.core.quantities import Length, is_missing, show_amount, show_length
from vivid_keel.core.record.entries import Draft
from vivid_keel.desk.base import LongWork, Look
from vivid_keel.desk.work import WorkDesk


class MovingDesk(WorkDesk):
    """Points that are brought level."""

    result: Moved
    not_offered: ClassVar[frozenset[str]] = frozenset()
    """Targets and limits that mean nothing in a trade, by their keys."""

    def begin(self) -> None:
        self._packings: dict[object, Packing | None] = {}
        self._before: Moved | None = None
        self.dragged: TargetChoice | None = None
        self._so_far: tuple[float, float] | None = None

    @property
    def book(self) -> MovingBook:
        return self.result.book

    @abstractmethod
    def bring(self, choice: TargetChoice) -> Moved:
        """Return what another target would give, of the readings as they stand."""

    @abstractmethod
    def parse_reading(self, text: str) -> Length:
        """Return a reading as typed, or refuse what can't be one."""

    def answer(self) -> None:
        """Let the simulated one answer this round."""
        raise KeelError("bad-value", "nothing simulated stands under this work")

    def take(self, result: Any) -> None:
        self.dragged = None
        self.chosen: Moved = result
        self._work_out()

    def would_be(self, choice: TargetChoice) -> Moved:
        """Return what another target would give."""
        return self.bring(choice)

    def _work_out(self) -> None:
        bare = self.chosen if self.dragged is None else self.bring(self.dragged)
        self._before = None
        if self.dragged is None and bare.to_pack and bare.book.booked and bare.book.plan is None:
            bare = self._with_its_plan(bare)
        packing = None
        if self.dragged is None and self._before is None:
            key = self._key(bare)
            if key not in self._packings and bare.to_pack and all(i in bare.held for i in bare.to_pack):
                self._packings[key] = pack(bare)  # nothing is to be chosen: all of it stands
            packing = self._packings.get(key)
        self.result: Moved = bare if packing is None else replace(bare, packing=packing)

    def _with_its_plan(self, bare: Moved) -> Moved:
        """Return a round that was begun without an issued plan, as older files have it, under the plan from before its first booking."""
        before = bring(type(bare), before_booking(bare.book), bare.task)
        key = self._key(before)
        if before.to_pack and before.book.stock and key not in self._packings:
            self._before = before
            return bare
        planned = replace(before, packing=self._packings.get(key))
        return bring(type(bare), replace(bare.book, plan=planned.to_issue()), bare.task)

    def _key(self, result: Moved) -> object:
        book = result.book
        stock = tuple((leaf.thickness, leaf.count) for leaf in book.stock)
        held = tuple((i, len(lines)) for i, lines in result.held.items())
        lying = tuple((i, result.lying(i)) for i in result.to_pack if result.begun(i) is not None)
        return (
            tuple(np.round(result.wanted, 9).tolist()),
            tuple(result.to_pack),
            stock,
            held,
            lying,
            terms_of(book),
            result.learned.interface,
            guard(result),
        )

    def long_work(self) -> LongWork | None:
        """Return what a worker should choose leaves for, or None where nothing is to be chosen."""
        result = self.result if self._before is None else self._before
        if self.dragged is not None or not result.to_pack or not self.book.stock:
            return None
        key = self._key(result)
        if key in self._packings:
            return None
        return key, lambda seconds_left: pack(result, seconds_left, self._better)

    def _better(self, packing: Packing) -> None:
        """Hear from the worker how near it has come."""
        self._so_far = (packing.greatest_residual, packing.bound)

    @property
    def busy_words(self) -> str:
        if self._so_far is None:
            return "Choosing the leaves"
        return f"Choosing the leaves: within {show_amount(self._so_far[0], self.book.style, 2)} so far, at best {self.book.style.amount(self._so_far[1], 2)}"

    def long_work_done(self, key: object, found: Packing | None) -> None:
        """Take what a worker chose."""
        self._so_far = None
        self._packings[key] = found
        self._work_out()

    @property
    def by_leaves(self) -> bool:
        """Whether anything is packed with leaves from a stock."""
        return self.book.some_leaves

    def own_looks(self) -> list[Look]:
        again = [Look(x.due, self.work, self.book.name, x.note) for x in self.book.looks]
        return [*again, *super().own_looks()]

    def own_findings(self, stage: str) -> list[Finding]:
        found = super().own_findings(stage)
        if self.hidden is not None:
            found = [f for f in found if f.action != "eye"]  # there is nothing to look at
            found.append(
                Finding(
                    "note",
                    *self.simulated,
                    action="answer" if self.result.read_left == 0 else "",
                    action_label="Pack, let it answer",
                )
            )
        if self.long_work() is not None:
            found.append(
                Finding("note", "Choosing the leaves", "For all points together, from the one stock.")
            )
        return found

    @property
    def simulated(self) -> tuple[str, str]:
        """What is said of a work that something simulated answers."""
        return "A stand-in", "For practice: nothing here was read on site."

    @property
    def cautions_first(self) -> bool:
        """Whether a lift is wanted and nobody has read the cautions: none is offered until then."""
        return not self.book.lifting_acknowledged and self.result.lifts_something

    @property
    def step(self) -> float:
        return self.book.style.step

    def another_round(self) -> None:
        """End this round: what was packed is recorded, as booked or else as planned; what was read as left counts as found."""
        put, leaves = self.result.put_in()
        body: dict[str, Any] = {
            "put": {str(k): v for k, v in put.items()},
            "leaves": {str(k): v for k, v in leaves.items()},
        }
        if used := self.result.used():
            body["used"] = used
        if hung := {str(k): done.hung for k, done in self.book.booked.items() if done.hung}:
            body["hung"] = hung
        self.record(*self.fixes_keeper(), Draft(self.work, "pass", body))

    def fixes_keeper(self) -> list[Draft]:
        """Return the entry by which the point that the target goes through stands from the first booking of a move on."""
        to = self.result.aim
        if to.fixed or to.keeper < 0 or not self.book.target.follows or self.book.keeper is not None:
            return []
        point = self.book.points[to.keeper]
        return [Draft(self.work, "keeper", {"point": point.id, "name": point.name})]

    def books(self, i: int, text: str = "") -> list[Draft]:
        """Return the entries that book what was put in at a point: as planned, or what was typed instead.

        Raises
        ------
        KeelError
            `bad-value`: what was typed is no packing, or nothing is planned there.
        """
        result, point = self.result, self.book.points[i]
        begun, step = result.begun(i), result.step(i)
        anew = begun is not None and (begun.whole or step is None)
        before = begun.before if anew and begun is not None else begun
        planned = result.planned_step(step) if step is not None else result.planned(i)
        if text.strip():
            put = read_put(result, i, text, self.decimal_mark, before)
        elif planned is None or anew:
            raise KeelError("bad-value", f"nothing is planned at {point.name}; type what was put in")
        else:
            put = planned
        body = self._put_body(i, put, planned=not text.strip())
        if anew and begun is not None:
            stage, plan = begun.stage, begun.plan
        else:
            stage = step.stage if step is not None and not (step.last and not put.for_now) else 0
            plan = planned.put if planned is not None else NAN
        if stage:
            body["stage"] = stage
        if stage and put.for_now:
            body["for_now"] = counted(put.for_now)
        if not is_missing(plan):
            body["plan_m"] = plan
            more = put.put - plan
            # What fitted beyond what was reckoned, by more than half the thinnest leaf, filled a gap that it hung by.
            if self.book.limits.fits and self.book.by_leaves(point.id) and more > thinnest(self.book) / 2:
                body["hung_m"] = more
        again = (
            Draft(self.work, "strike", {"reason": "booked anew"}, strikes=begun.ids[-1])
            if anew and begun
            else None
        )
        return [*self.issues(), *([again] if again else []), Draft(self.work, "put", body)]

    def issues(self, *, printed: bool = False) -> list[Draft]:
        """Return the entries by which what is planned now stands from here on: the point that the target goes through, and the plan."""
        result = self.result
        known = result.packing is not None or not result.to_pack
        if not result.walk or not known or (result.is_issued and not printed):
            return self.fixes_keeper()
        plan = body_of(result.to_issue(printed=printed))
        return [*self.fixes_keeper(), Draft(self.work, "plan", plan)]

    @property
    def has_sheet(self) -> bool:
        """Whether something is planned that a sheet would tell the hand."""
        known = self.result.packing is not None or not self.result.to_pack
        return bool(self.result.walk) and known and not self.cautions_first

    def moves(self) -> list[MoveLine]:
        return move_lines(self.result) if self.result.read else []

    def puts_on_paper(self) -> str:
        if not self.has_sheet:
            return ""
        if self.file.read_only:
            return "The job is open for reading, so this plan isn't recorded: it may change."
        printed = self.book.printed
        if self.result.is_issued and printed is not None and not self.result.since_printed:
            return ""
        self.record(*self.issues(printed=True))
        return ""

    def _put_body(self, i: int, put: Planned, *, planned: bool) -> dict[str, Any]:
        return {
            "point": self.book.points[i].id,
            "put_m": put.put,
            "leaves": put.leaves,
            "used": put.used,
            "text": put.words or "nothing",
            "planned": planned,
        }

    def booked_as_planned(self, i: int) -> list[Draft]:
        """Return the entries that book all that is planned at a point as done, where anything still is."""
        result = self.result
        plan = result.planned(i) if i in result.places and result.booked(i) is None else None
        if plan is None:
            return []
        return [*self.fixes_keeper(), Draft(self.work, "put", self._put_body(i, plan, planned=True))]

    def own_spans(self, sights: bool) -> list[tuple[str, float]]:
        """Return how far its supports reach: what a tilted tool works over."""
        points = self.book.points
        if sights or len(points) < 2:
            return []
        wide = max(point.x for point in points) - min(point.x for point in points)
        return [
            (
                self.book.name,
                round(max(wide, max(point.y for point in points) - min(point.y for point in points)), 1),
            )
        ]

    def drag(self, value: float, *, done: bool) -> None:
        """Let every move follow the line; letting go records it once, to the step that is read."""
        self._follow(raised(self.result, value), done=done)

    def tilt(self, gradient: float, *, done: bool) -> None:
        """Tip the target about the beginning of the rows; letting go records it once."""
        choice = tipped(self.result, gradient)
        if choice is not None:
            self._follow(choice, done=done)

    def _follow(self, choice: TargetChoice, *, done: bool) -> None:
        """Show what a target would give; `done` records it, unless the limits rule it out."""
        if not done:
            self.dragged = choice
            self._work_out()
            return
        try:
            refuse_broken(self.would_be(choice))
        except KeelError:
            self.refresh()
            raise
        if choice.kind == "fall":
            along, across = choice.gradient
            body: dict[str, Any] = {
                "kind": "fall",
                "gradient_x": along,
                "gradient_y": across,
                "lift_m": choice.lift,
            }
        else:
            text = show_length(choice.reading, self.book.style)
            body = {
                "kind": "height",
                "reading": {"text": text, "unit": self.book.unit, "m": choice.reading, "step_m": self.step},
            }
        self.record(Draft(self.work, "target", body))
