"""Within which limits supports are moved, in which order, and by what."""

from __future__ import annotations

from collections.abc import Callable
from typing import Any

from vivid_keel.core.errors import KeelError
from vivid_keel.core.facts import Fact, parse_fact
from vivid_keel.core.moving.findings_proof import some
from vivid_keel.core.moving.means import KIND, KINDS, Means
from vivid_keel.core.moving.plan import BEAMS, WAYS
from vivid_keel.core.moving.rounds import clearance_of, limit_of
from vivid_keel.core.moving.scale import parse_sense
from vivid_keel.core.moving.stages import ORDERS
from vivid_keel.core.quantities import parse_length, show_amount, show_thickness
from vivid_keel.core.quantities.number import parse_number
from vivid_keel.core.record.entries import Draft
from vivid_keel.core.record.readings import as_read
from vivid_keel.desk.base import whole_number
from vivid_keel.desk.moving.desk import MovingDesk
from vivid_keel.desk.sheet import Cell, Column, Place, Sheet, Taken

Line = tuple[str, str, str, str]
"""Key, what, value, what it means."""


class LimitsSheet(Sheet):
    """Tolerance, what may be moved how far, the order, and how far neighbours may differ within a stage."""

    name = "Limits and order"
    columns = (Column("What", 216), Column("Value", 250, True), Column("What it means", 0))
    hint = "Type a value and Enter · Enter on a word changes it · each change is recorded"

    def __init__(self, desk: MovingDesk) -> None:
        self.desk = desk
        self.lines = [line for line in self._lines() if line[0] not in desk.not_offered]

    def _lines(self) -> list[Line]:
        book = self.desk.book
        limits, together, style = book.limits, limit_of(book), book.style
        far = limits.most
        lines = [
            ("tolerance", "Tolerance", book.tolerance_words, "in: |deviation| + U is within this"),
            ("ways", "Which way they may go", limits.ways, "others are refused, saying where"),
            (
                "most",
                "Largest move",
                "free" if far == float("inf") else f"{show_thickness(far, self.desk.book.style)}",
                "targets that want more are refused",
            ),
            (
                "share",
                "How much of the way",
                f"{limits.share * 100:g} %",
                "an old sag may keep some of itself",
            ),
            ("order", "Order of work", ORDERS[limits.order], "inside a round"),
            (
                "beam",
                "What stands on a row",
                limits.beam or "not said",
                "how far neighbours come along, to begin with",
            ),
        ]
        if limits.order == "three":
            lines.append(
                (
                    "feet",
                    "The three may move by",
                    f"{show_thickness(limits.feet, self.desk.book.style)}",
                    "while the other feet take load",
                )
            )
        if book.some_leaves:
            lines += [
                (
                    "most_leaves",
                    "Most leaves in a stack",
                    str(limits.most_leaves),
                    "thin ones lie between thick ones",
                ),
                (
                    "interface",
                    "Each interface closes by",
                    f"{show_thickness(limits.interface, self.desk.book.style)}",
                    f"{show_amount(0.00002, style, 2)} flat steel, {show_amount(0.0001, style, 2)} hardwood",
                ),
                (
                    "fits",
                    "What goes in",
                    "what fits" if limits.fits else "as reckoned",
                    "what fits: raise to Jack to, fill the gap, book it",
                ),
                (
                    "finest",
                    "Leaves are chosen for",
                    "the smallest gaps" if limits.finest else "the fewest leaves",
                    "fewest: every gap so small that it can be proved within tolerance",
                ),
                (
                    "leaf_size",
                    "Leaves are cut to",
                    limits.leaf_size or "",
                    "for the work sheet: " + ("2½ × 3 in" if style.small == "in" else "60 × 80 mm"),
                ),
            ]
        lines += [
            (
                "sense",
                "Scale, unless a post differs",
                limits.sense,
                "h: hangs from the post · s: stands on it",
            ),
            (
                "neighbours",
                "Neighbours in a stage within",
                "free" if together is None else f"{show_amount(together, self.desk.book.style)}",
                "or “free”: a frame standing alone",
            ),
            (
                "clearance",
                "Jack goes above the leaf by",
                f"{show_thickness(clearance_of(book), self.desk.book.style)}",
                "to slip it in; counts in the stage",
            ),
        ]
        return lines

    @property
    def count(self) -> int:
        return len(self.lines)

    def first(self) -> Place:
        return (0, 1)

    def cell(self, row: int, column: int) -> Cell:
        key, *line = self.lines[row]
        typed = key not in {"ways", "order", "beam", "fits", "finest"}
        hint = "not said" if column == 1 and not line[1] else ""
        return Cell(
            line[column],
            ink="muted" if column == 2 else "ink",
            bold=column == 1,
            editable=column == 1 and typed,
            hint=hint,
        )

    def enter(self, row: int) -> Taken:
        made: list[Draft] = []
        key = self.lines[row][0]
        limits = self.desk.book.limits
        if key == "ways":
            made += self._record(ways=_after(WAYS, limits.ways))
        elif key == "order":
            made += self._record(order=_after(tuple(ORDERS), limits.order))
        elif key == "fits":
            made += self._record(fits=not limits.fits)
        elif key == "finest":
            made += self._record(finest=not limits.finest)
        elif key == "beam":
            made += self._record(beam=_after(tuple(BEAMS), limits.beam))
        return Taken(made, (row, 1))

    def accept(self, row: int, column: int, text: str) -> Taken:
        key, clean = self.lines[row][0], text.strip()
        take: dict[str, Callable[[str], dict[str, Any]]] = {
            "tolerance": self._tolerance,
            "most": self._most,
            "share": self._share,
            "feet": self._feet,
            "most_leaves": lambda t: {"most_leaves": whole_number(t, "leaves in one stack", 1)},
            "interface": self._interface,
            "leaf_size": lambda t: {"leaf_size": t},
            "sense": lambda t: {"sense": parse_sense(t)},
            "neighbours": lambda t: self._together("neighbours", t),
            "clearance": lambda t: self._together("clearance", t),
        }
        return Taken(self._record(**take[key](clean)), (min(row + 1, self.count - 1), 1))

    def _record(self, **change: Any) -> list[Draft]:
        made: list[Draft] = []
        desk = self.desk
        old = desk.file.journal.latest(desk.work, "limits")
        body = {**(dict(old.body) if old else {}), **change}
        body = {k: v for k, v in body.items() if v is not None}
        if old is None or body != dict(old.body):
            made.append(Draft(desk.work, "limits", body))
        return made

    def _mm(self, text: str) -> float:
        return parse_length(text, self.desk.book.style.small, self.desk.decimal_mark).value

    def _tolerance(self, text: str) -> dict[str, Any]:
        length = parse_length(text, self.desk.book.style.small, self.desk.decimal_mark)
        if length.value <= 0:
            raise KeelError("bad-value", "a tolerance is above 0")
        return {"tolerance": as_read(length)}

    def _most(self, text: str) -> dict[str, Any]:
        if text.lower().startswith("f"):
            return {"most_m": None}
        value = self._mm(text)
        if value <= 0:
            raise KeelError("bad-value", "the largest move is above 0; or “free”")
        return {"most_m": value}

    def _share(self, text: str) -> dict[str, Any]:
        value = parse_number(text.replace("%", ""), self.desk.decimal_mark)[0]
        if not 5 <= value <= 100:
            raise KeelError("bad-value", "expected 5 to 100 (per cent of the way to the target)")
        return {"share": value / 100}

    def _feet(self, text: str) -> dict[str, Any]:
        value = self._mm(text)
        if not 0 < value <= 0.002:
            raise KeelError("bad-value", "expected above 0 and at most 2 mm")
        return {"feet_m": value}

    def _interface(self, text: str) -> dict[str, Any]:
        value = self._mm(text)
        if not 0 <= value <= 0.002:
            raise KeelError("bad-value", "an interface closes by 0 to 2 mm")
        return {"interface_m": value}

    def _together(self, what: str, text: str) -> dict[str, Any]:
        """Take how far neighbours may differ, or the jack's clearance; one may not use up the other."""
        mine = what == "neighbours"
        free = mine and text.lower().startswith("f")
        value = 0.0 if free else self._mm(text)
        if not 0 <= value <= 0.05 or (mine and value == 0 and not free):
            raise KeelError(
                "bad-value",
                "expected millimetres, above 0 and at most 50; or “free” where nothing hangs together",
            )
        limits = self.desk.book.limits
        together = (None if free else value) if mine else limit_of(self.desk.book)
        clearance = (
            clearance_of(self.desk.book) if mine and limits.clearance is not None else 0.0 if mine else value
        )
        if together is not None and clearance >= together:
            raise KeelError(
                "bad-value",
                f"a clearance of {show_thickness(clearance, self.desk.book.style)} uses up the {show_thickness(together, self.desk.book.style)} that neighbours may differ",
            )
        return {f"{what}_m": value}


def _after(words: tuple[str, ...], word: str) -> str:
    """Return the word that comes after one, round about."""
    return words[(words.index(word) + 1) % len(words)]


class MeansSheet(Sheet):
    """What moves the posts, and what has to be known of it; of what moves only some, too."""

    name = "Moved by"
    columns = (Column("What", 216), Column("Value", 220, True), Column("What it means", 0))
    hint = "Enter on a word changes it · type a number and Enter · one by something else: say it under Set-up"

    def __init__(self, desk: MovingDesk) -> None:
        self.desk = desk
        own = desk.book.means
        others = [means for means in desk.book.all_means if means.kind != own.kind]
        self.rows: list[tuple[Means, Fact | None]] = []
        for means in (own, *others):
            self.rows += [(means, None), *((means, asked) for asked in KIND[means.kind].asked)]

    @property
    def count(self) -> int:
        return len(self.rows)

    def first(self) -> Place:
        return (0, 1)

    def cell(self, row: int, column: int) -> Cell:
        means, asked = self.rows[row]
        if asked is None:
            names = [
                point.name for point in self.desk.book.points if self.desk.book.apart.get(point.id) == means
            ]
            texts = (
                ("They are moved by", KIND[means.kind].label, "Enter goes round what there is")
                if row == 0
                else ("Some are moved by", KIND[means.kind].label, some(names))
            )
            return Cell(texts[column], bold=column == 1, ink="muted" if column == 2 else "ink")
        if column == 1:
            if asked.choices:
                return Cell(means.choice(asked.key), bold=True)
            said = asked.key in (means.values or {})
            return Cell(
                f"{means.shown(asked):g} {asked.unit}".strip(),
                bold=said,
                ink="ink" if said else "muted",
                editable=True,
            )
        return Cell((asked.label, "", asked.note)[column], ink="muted" if column == 2 else "ink")

    def enter(self, row: int) -> Taken:
        means, asked = self.rows[row]
        if row == 0:
            kinds = tuple(k.key for k in KINDS)
            kind = _after(kinds, means.kind)
            return Taken([Draft(self.desk.work, "mover", {"what": kind, "values": {}})], (row, 1))
        if asked is not None and asked.choices:
            following = (int(means.shown(asked)) + 1) % len(asked.choices)
            return Taken(self._record(means, {asked.key: float(following)}), (row, 1))
        return Taken((), (row, 1))

    def accept(self, row: int, column: int, text: str) -> Taken:
        means, asked = self.rows[row]
        if asked is None:
            return Taken()
        value = parse_fact(asked, text, self.desk.decimal_mark).value / asked.scale
        return Taken(self._record(means, {asked.key: round(value, 9)}), (min(row + 1, self.count - 1), 1))

    def _record(self, means: Means, change: dict[str, float]) -> list[Draft]:
        body: dict[str, Any] = {"what": means.kind, "values": {**(means.values or {}), **change}}
        if means.kind != self.desk.book.means.kind:
            body["point"] = 0  # the numbers of what moves some, without making it what moves the rest
        return [Draft(self.desk.work, "mover", body)]
