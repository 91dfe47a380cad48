"""Sheets of a stretch of track: its sleepers as they are read, and the work sheet in order of walking."""

from __future__ import annotations

import numpy as np

from vivid_keel.core.errors import KeelError
from vivid_keel.core.kinds import Finding
from vivid_keel.core.moving.listing import DONE, TO_DO, MoveLine
from vivid_keel.core.moving.plan import FOUND, LEFT
from vivid_keel.core.quantities import parse_length
from vivid_keel.core.quantities.number import parse_number
from vivid_keel.core.record.entries import Draft
from vivid_keel.core.working import Working
from vivid_keel.desk.sheet import Cell, Column, Goto, Place, Sheet, Taken
from vivid_keel.desk.work import WorkDesk
from vivid_keel.trades.track.book import CROSS, ROUND, SIGHT, STAFF, VOID_LEFT, VOID_RIGHT, WIRE
from vivid_keel.trades.track.lifts import in_words, quarters
from vivid_keel.trades.track.result import TrackResult

DEEPEST = 40.0
"""No dip or hollow is as deep [measures]; more is millimetres typed for measures."""
LONGEST = {STAFF: ("m", 6.0), WIRE: ("mm", 1.0)}
"""How a rail top read down is typed, and how far down it is at most [m]."""
STEEPEST = 0.3
"""No rail lies so much above the other [m]."""


class TrackDesk(WorkDesk):
    """A stretch of track."""

    result: TrackResult

    def begin(self) -> None:
        self.focus = 0

    @property
    def cautions_first(self) -> bool:
        return not self.book.cautions_read

    @property
    def refused(self) -> bool:
        """Whether nothing is to be packed here."""
        return bool(self.book.facts.texts["ballast"] == ROUND) or self.cautions_first

    def moves(self) -> list[MoveLine]:
        """Return the cans of every sleeper, rail and round, in order of walking."""
        result, measure = self.result, self.book.facts.values["measure"]
        packed = set(self.book.dips(LEFT))
        lines = [
            MoveLine(
                f"sleeper {k + 1}, {rail}",
                k + 1,
                stage,
                float(cans[k]) * measure,
                state=DONE if (stage == 1 and k in packed) or stage in self.book.packed else TO_DO,
                why=f"{in_words(float(cans[k]))} cans",
            )
            for stage, rails in enumerate(result.rounds, 1)
            for k in range(self.book.sleepers)
            for rail, cans in zip(("left rail", "right rail"), rails, strict=True)
            if cans[k] > 0
        ]
        return [] if self.refused else lines

    # A stand-in

    def practise(self) -> Goto | None:
        """Make a practice copy over a track that nobody has sighted."""
        from vivid_keel.stands.ground import hide_track

        journal = self.file.journal
        facts = [Draft(-1, "track-fact", dict(e.body)) for e in journal.standing(self.work, "track-fact")]
        tight = Draft(-1, "track-fact", {"fact": "tight", "text": "yes", "value": 1.0})
        hidden = {"hidden": hide_track(1000 + len(journal.entries))}
        made = self.practice_file.record(
            [self.begin_practice(), *facts, tight, Draft(-1, "stand-in", hidden)]
        )
        return Goto("Readings", 0, None, 0, made[0].id)

    def answer(self) -> None:
        """Let the simulated track be read as it lies; or be packed as planned, a wagon pass, and be sighted again."""
        from vivid_keel.stands.ground import hollows, rails

        hidden, book = self.hidden, self.book
        if hidden is None:
            raise KeelError(
                "bad-value", "a real track answers by being read; practise on a copy of it (menu)"
            )
        n, measure = book.sleepers, book.facts.values["measure"]
        dips = rails(hidden, n)
        if self.result.to_sight:
            levels = {k: round(float(dips[0][k - 1] - dips[1][k - 1]) * 2000) / 2000 for k in book.sighted}
            self.record(*(self._seen(CROSS, k, FOUND, f"{v * 1000:g}", v) for k, v in levels.items()))
            dip = dips[1] if self.result.datum_right else dips[0]
            made = [self._rail_top(k, FOUND, float(dip[k - 1]) / measure) for k in book.sighted]
            for what, hangs in zip((VOID_LEFT, VOID_RIGHT), hollows(hidden, n), strict=True):
                made += [self._quarter(what, k + 1, FOUND, hollow) for k, hollow in hangs.items()]
            self.record(*made)
            return
        datum = 1 if self.result.datum_right else 0
        up = {
            k: hidden.get(f"up{k}", 0.0) + hidden["share"] * float(self.result.at_rest[datum][k - 1])
            for k in book.sighted
        }
        more = {f"up{k}": value for k, value in up.items()}
        left = {k: max(0.0, float(dips[datum][k - 1]) / measure - up[k]) for k in book.sighted}
        again = [self._rail_top(k, LEFT, value) for k, value in left.items()]
        self.record(Draft(self.work, "stand-in", {"hidden": hidden | more}), *again)

    def _rail_top(self, sleeper: int, phase: str, measures: float) -> Draft:
        """A dip as it is read here: in measures, or down from the line of sight or the wire to the half millimetre."""
        book = self.book
        if book.rail_top == SIGHT:
            return self._quarter(SIGHT, sleeper, phase, measures)
        down = 1.2 if book.rail_top == STAFF else 0.12
        down += measures * book.facts.values["measure"] - book.sag(sleeper - 1, 0, book.sleepers - 1)
        down = round(down * 2000) / 2000
        text = f"{down:.4f}" if book.rail_top == STAFF else f"{down * 1000:.1f}"
        return self._seen(book.rail_top, sleeper, phase, text, down)

    def _quarter(self, what: str, sleeper: int, phase: str, measures: float) -> Draft:
        value = float(quarters(np.array([measures]))[0])
        return self._seen(what, sleeper, phase, f"{value:g}", value)

    def _seen(self, what: str, sleeper: int, phase: str, text: str, value: float) -> Draft:
        body = {"what": what, "sleeper": sleeper, "phase": phase, "text": text, "value": value}
        return Draft(self.work, "track-reading", body)

    def own_findings(self, stage: str) -> list[Finding]:
        found = super().own_findings(stage)
        if self.hidden is not None:
            begun = bool(self.book.dips(LEFT)) or (self.refused and not self.result.to_sight)
            label = "Let it be read" if self.result.to_sight else "Pack, let a wagon pass, sight it again"
            words = "For practice: a dip, sleepers that hang, and chips that bed in. Nothing here was read on a line."
            found.append(
                Finding("note", "A stand-in", words, action="" if begun else "answer", action_label=label)
            )
        return found


class SleepersSheet(Sheet):
    """What was read at each sleeper, and what goes under it."""

    def __init__(self, desk: TrackDesk, phase: str) -> None:
        self.desk, self.phase, self.result = desk, phase, desk.result
        self.name = "Sleepers" if phase == FOUND else "After traffic"
        self.read = desk.book.read[phase]
        self.sighted = set(desk.book.sighted)
        top = desk.book.rail_top
        self.asked = (top, CROSS, VOID_LEFT, VOID_RIGHT)
        self.hint = (
            f"{'Sights and hollows' if top == SIGHT else 'Hollows'} in measures · cross level + where the right rail is high · "
            f"empty takes one out · F4 why"
        )
        self.columns = (
            Column("Sleeper", 80, True),
            Column({SIGHT: "Sighted", STAFF: "Staff, m"}.get(top, "Wire, mm"), 90, True),
            Column("Cross level, mm", 130, True),
            Column("Hollow left", 100, True),
            Column("Hollow right", 100, True),
            Column("Cans left", 90, True),
            Column("Cans right", 0, True),
        )

    @property
    def count(self) -> int:
        return int(self.desk.book.sleepers)

    def first(self) -> Place:
        wanted = self.result.to_sight if self.phase == FOUND else self.result.to_sight_again
        return (wanted[0] - 1 if wanted else 0, 1)

    def cell(self, row: int, column: int) -> Cell:
        if column == 0:
            return Cell(str(row + 1), bold=row + 1 in self.sighted)
        if column < 5:
            one = self.read.get((self.asked[column - 1], row + 1))
            hint = "sight" if column == 1 and one is None and row + 1 in self.sighted else ""
            return Cell("" if one is None else one.text, bold=True, editable=True, hint=hint)
        cans = float(self.result.cans[column - 5][row])
        return Cell(
            in_words(cans) if cans and self.phase == FOUND and not self.desk.refused else "",
            ink="raise",
            bold=True,
        )

    def accept(self, row: int, column: int, text: str) -> Taken:
        what, clean = self.asked[column - 1], text.strip()
        old = self.read.get((what, row + 1))
        if not clean:
            made = [Draft(self.desk.work, "strike", {"reason": "taken out"}, strikes=old.id)] if old else []
            return Taken(made, self._next(row, column))
        value = self._value(what, clean)
        body = {"what": what, "sleeper": row + 1, "phase": self.phase, "text": clean, "value": value}
        made = [Draft(self.desk.work, "track-reading", body, strikes=old.id if old else None)]
        return Taken(made, self._next(row, column))

    def _value(self, what: str, text: str) -> float:
        mark = self.desk.decimal_mark
        if what == CROSS:
            level = parse_length(text, "mm", mark).value
            if abs(level) > STEEPEST:
                raise KeelError(
                    "bad-value", f"{text}: no rail lies so far above the other; was another unit meant?"
                )
            return float(level)
        if what in LONGEST:
            unit, longest = LONGEST[what]
            down = parse_length(text, unit, mark).value
            if not 0 <= down <= longest:
                raise KeelError(
                    "bad-value",
                    f"{text}: read down to the rail top, at most {longest:g} m; was another unit meant?",
                )
            return float(down)
        value, _ = parse_number(text.replace("½", ".5").replace("¼", ".25").replace("¾", ".75"), mark)
        if value < 0:
            raise KeelError(
                "bad-value", f"{text}: a sleeper is lifted, never lowered; a high one ends the stretch"
            )
        if value > DEEPEST:
            raise KeelError(
                "bad-value",
                f"{text}: so many measures are a hole; were millimetres meant? One measure lifts {self.desk.book.facts.values['measure'] * 1000:g} mm",
            )
        return float(value)

    def _next(self, row: int, column: int) -> Place:
        """The next sleeper that is sighted, else the next one."""
        if column == 1:
            after = next((k for k in self.desk.book.sighted if k > row + 1), row + 1)
            return (after - 1, 1)
        return (min(row + 1, self.count - 1), column)

    def strike(self, row: int) -> tuple[str, int] | None:
        found = next(
            (self.read[(what, row + 1)] for what in self.asked if (what, row + 1) in self.read), None
        )
        return None if found is None else (f"the reading {found.text} at sleeper {row + 1}", found.id)

    def why(self, row: int) -> Working | None:
        return self.result.why(row) if self.desk.book.dips(FOUND) else None

    def picked(self, row: int) -> int:
        return row

    def row_of(self, picked: int) -> int:
        return picked if 0 <= picked < self.count else -1


class CansSheet(Sheet):
    """The work sheet: sleeper after sleeper, so many cans under each rail, round by round."""

    hint = "In order of walking · the left rail is at your left hand as the sleepers count up · F4 why"

    def __init__(self, desk: TrackDesk, number: int) -> None:
        self.desk, self.round = desk, number
        self.name = "Cans" if len(desk.result.rounds) == 1 else f"Round {number + 1}"
        left, right = desk.result.rounds[number]
        self.rows = [] if desk.refused else [k for k in range(desk.book.sleepers) if left[k] or right[k]]
        self.columns = (
            Column("Sleeper", 90, True),
            Column("Left rail, cans", 140, True),
            Column("Right rail, cans", 140, True),
            Column("Of which hollow", 160, True),
            Column("Cross level then, mm", 0, True),
        )

    @property
    def count(self) -> int:
        return max(len(self.rows), 1)

    def cell(self, row: int, column: int) -> Cell:
        if not self.rows:
            words = "read the cautions first" if self.desk.cautions_first else "nothing is packed here"
            return Cell(words if column == 1 else "", ink="muted")
        k, result = self.rows[row], self.desk.result
        left, right = result.rounds[self.round]
        hollow = [float(v[k]) for v in result.voids]
        words = " / ".join(in_words(v) if v else "–" for v in hollow) if any(hollow) else ""
        level, style = result.levels[k], self.desk.book.style
        then = "not read"
        if level:
            U = style.amount(2 * float(result.u_predicted[k]), up=True)
            then = f"{style.amount(float(result.predicted[k]), signed=True)} ± {U}"
        cans = [in_words(float(c[k])) if c[k] else "–" for c in (left, right)]
        last = self.round == len(result.rounds) - 1
        return Cell(
            (str(k + 1), *cans, words, then if last else "")[column],
            ink="muted" if column == 4 and not level else "ink",
            bold=column < 3,
            sign=level if column == 4 and last else "",
        )

    def why(self, row: int) -> Working | None:
        return self.desk.result.why(self.rows[row]) if self.rows else None

    def picked(self, row: int) -> int:
        return self.rows[row] if self.rows else -1

    def row_of(self, picked: int) -> int:
        return self.rows.index(picked) if picked in self.rows else -1

    def footer(self) -> list[tuple[str, str]]:
        if not self.rows:
            return []
        left, right = self.desk.result.rounds[self.round]
        return [(f"{in_words(float(left.sum() + right.sum()))} cans in this round", "")]
