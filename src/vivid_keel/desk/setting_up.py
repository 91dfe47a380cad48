"""Setting up, in order: a short list that may be ticked, a key a line, with its figure; recorded with the work."""

from __future__ import annotations

from vivid_keel.core.instruments.setting_up import (
    FOUR_SCREWS,
    LASER,
    LIQUID,
    ORDERS,
    PRECISION,
    TUBE,
    Ticked,
    order_for,
    ticked,
)
from vivid_keel.core.record.entries import Draft
from vivid_keel.desk.base import Desk
from vivid_keel.desk.sheet import Cell, Column, Place, Sheet, Taken
from vivid_keel.figures.display import Picture
from vivid_keel.figures.words import legend, title


def in_hand(desk: Desk, order: str = "") -> Ticked:
    """Return the list for the instrument that a work reads with; `order` where it can only be one."""
    if order:
        return ticked(desk.file.journal, desk.work, order)
    instrument = desk.result.book.instrument  # type: ignore[attr-defined]
    kit, kind, fixed, four = desk.kit(), "", False, False
    if kit is not None and instrument.tool and kit.journal.is_work(instrument.tool):
        from vivid_keel.core.instruments.tool import fold_tool

        tool = fold_tool(kit.journal, instrument.tool)
        kind = tool.kind.key
        fixed = tool.texts.get("sort", "").startswith("fix")
        four = tool.traits.number("screws", 3.0) >= 4
    return ticked(desk.file.journal, desk.work, order_for(instrument.way, kind=kind, fixed=fixed, four=four))


class SettingUpSheet(Sheet):
    """The order of setting up; Enter ticks a step, or all of them."""

    name = "Setting up"
    columns = (Column("", 40), Column("In order", 380), Column("Why", 0))
    hint = "Enter ticks a step, or takes the tick away · what is ticked is recorded and printed; nothing waits for it"

    def __init__(self, desk: Desk, order: str = "") -> None:
        self.desk, self.list = desk, in_hand(desk, order)

    @property
    def count(self) -> int:
        return len(self.list.steps) + 1

    def first(self) -> Place:
        return (next((k for k, step in enumerate(self.list.steps) if step.key not in self.list.done), 0), 1)

    def cell(self, row: int, column: int) -> Cell:
        steps = self.list.steps
        if row == len(steps):
            whole = len(self.list.done) == len(steps)
            return (
                Cell(),
                Cell("All of it, as it stands here", bold=True),
                Cell("ticked" if whole else "", ink="muted"),
            )[column]
        step = steps[row]
        done = step.key in self.list.done
        if column == 0:
            return Cell(sign="in") if done else Cell(str(row + 1), ink="muted")
        return Cell(step.does, bold=done) if column == 1 else Cell(step.why, ink="muted")

    def enter(self, row: int) -> Taken:
        steps, done = self.list.steps, set(self.list.done)
        if row == len(steps):
            done = set() if len(done) == len(steps) else {step.key for step in steps}
        else:
            done ^= {steps[row].key}
        words = " ".join(step.key for step in steps if step.key in done)
        draft = Draft(
            self.desk.work,
            "set-up-order",
            {"order": self.list.order, "done": words},
            strikes=self.list.entry or None,
        )
        return Taken([draft], (min(row + 1, len(steps)), 1))


def setting_up(desk: Desk, width: float, height: float, order: str = "") -> Picture:
    """Return the instrument as it is to stand, each step's number where it is done; filled ones are ticked."""
    found, picture = in_hand(desk, order), Picture(width, height)
    x0, ground, top = width * 0.5, height - 44.0, 62.0
    picture.box(0, ground, width, 20, "ground", "")
    picture.line(0, ground, width, ground, "ink", 1.4)
    places = {TUBE: _tube, LIQUID: _tube, PRECISION: _block}.get(found.order, _tripod)(
        picture, x0, top, ground, width
    )
    if found.order == LASER:
        picture.line(20, top + 18, width - 20, top + 18, "keel", 2.2, dash=True)
    if found.order == FOUR_SCREWS:
        picture.text(x0 + 34, top + 62, "four screws", "muted", 13)
    for k, step in enumerate(ORDERS[found.order]):
        x, y = places[k % len(places)]
        done = step.key in found.done
        picture.disc(x, y, 11, "in" if done else "paper", "ink", 1.4)
        picture.text(x, y + 4.5, str(k + 1), "paper" if done else "ink", 13, bold=True, align="centre")
    title(
        picture,
        f"Set up: {len(found.done)} of {len(found.steps)} steps ticked"
        if found.entry
        else "In this order it stands; ticking is up to you",
    )
    legend(picture, "the numbers are those of the list · filled: ticked")
    picture.caption = f"Setting up, {len(found.done)} of {len(found.steps)}"
    return picture


Spots = list[tuple[float, float]]


def _tripod(picture: Picture, x: float, top: float, ground: float, width: float) -> Spots:
    """A tripod with one leg towards the work on the left, an instrument on it, a staff, and the line of sight."""
    head = top + 52
    for foot in (x - 0.20 * width, x + 0.05 * width, x + 0.13 * width):
        picture.line(x, head + 8, foot, ground, "wood", 6.0)
    picture.box(x - 26, head, 52, 9, "wood", "ink", 1.2)
    picture.box(x - 30, head - 34, 60, 24, "stone", "ink", 1.4)
    picture.box(x - 42, head - 28, 12, 12, "ink", "")
    staff = x - 0.38 * width
    picture.box(staff - 7, top - 6, 14, ground - top + 6, "bright", "ink", 1.2)
    picture.line(x - 42, head - 22, staff, head - 22, "keel", 1.6, dash=True)
    return [
        (x - 0.14 * width, ground - 40),
        (x - 0.20 * width, ground - 12),
        (x + 48, head + 6),
        (x + 20, head + 24),
        (x + 52, head - 16),
        (x, head - 50),
        (x + 86, head - 34),
        (x + 112, head - 12),
        (x - 66, head - 42),
        (staff + 26, head - 22),
    ]


def _tube(picture: Picture, x: float, top: float, ground: float, width: float) -> Spots:
    """Two legs of a tube with water in them, lying along the ground between."""
    for side in (-1, 1):
        leg = x + side * 0.26 * width
        picture.line(leg, top + 8, leg, ground - 8, "leaf", 7.0)
        picture.line(leg - 12, top + 40, leg + 12, top + 40, "keel", 2.2)
    picture.line(x - 0.26 * width, ground - 8, x + 0.26 * width, ground - 8, "leaf", 7.0)
    return [
        (x, ground - 30),
        (x - 0.26 * width - 30, top + 40),
        (x - 0.26 * width, top - 10),
        (x + 0.26 * width + 30, top + 40),
        (x + 0.26 * width, top - 10),
    ]


def _block(picture: Picture, x: float, top: float, ground: float, width: float) -> Spots:
    """A block level on a clean surface, hands off."""
    picture.box(x - 0.30 * width, ground - 60, 0.6 * width, 60, "stone", "ink", 1.4)
    picture.box(x - 90, ground - 104, 180, 44, "wood", "ink", 1.6)
    picture.box(x - 46, ground - 98, 92, 16, "glass", "ink", 1.2)
    picture.disc(x + 8, ground - 90, 8, "bright", "ink", 1.2)
    return [
        (x - 0.24 * width, ground - 76),
        (x - 110, ground - 92),
        (x + 8, ground - 122),
        (x + 0.24 * width, ground - 76),
        (x + 62, ground - 114),
    ]
