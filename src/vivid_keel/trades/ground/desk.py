"""A piece of ground while it is shown: files in, a plane that is dragged, a surface made beside the window, a stand-in."""

from __future__ import annotations

import math
from typing import Any

import numpy as np
from msgspec.structs import replace

from vivid_keel.core.errors import KeelError
from vivid_keel.core.kinds import Finding
from vivid_keel.core.quantities import parse_length, show_length
from vivid_keel.core.record.bulk import GEOJSON, describe, read_columns
from vivid_keel.core.record.entries import Draft
from vivid_keel.core.record.readings import as_read, metres
from vivid_keel.desk.base import LongWork
from vivid_keel.desk.pasted import pasted_points
from vivid_keel.desk.sheet import Goto
from vivid_keel.desk.visits import VisitView
from vivid_keel.desk.work import WorkDesk
from vivid_keel.exchange.point_list import mapping_of
from vivid_keel.trades.ground.book import DOWN, HYDRO, ZERO
from vivid_keel.trades.ground.result import GroundResult
from vivid_keel.trades.ground.visits import drifts_of, labels, visits_of

FARTHEST = 5000.0
"""No yard is larger [m]; more is a unit forgotten."""
NARROWEST = 0.1
"""A yard whose points lie so near one another was told in degrees [m]."""
HUGE = 100_000
"""With more points than that another plane is a worker's, too."""
NEAREST = 0.001
"""Points that all lie within so little of one another are no ground in any unit [m]."""
YARD = (
    ("s1", 0.0, 0.0, True),
    ("s2", 8.0, 0.5, True),
    ("s3", 9.0, 6.0, True),
    ("s4", 4.0, 8.0, True),
    ("s5", -0.5, 5.5, True),
    ("m", 4.5, 3.5, False),
)
"""Stakes to practise on, where none were typed: along, across [m]."""


class GroundDesk(WorkDesk):
    """A piece of ground."""

    result: GroundResult

    def begin(self) -> None:
        self.focus = 0
        self._made: tuple[tuple[object, ...], GroundResult] | None = None
        self.asked_inside = ""
        """The point that followed the edge, lies inside it, and was taken as inside."""

    def leading(self, stage: str) -> list[Finding]:
        """Ask whether a point that follows the edge and lies inside it is meant to be on it."""
        point = next((p for p in self.book.points if p.name == self.asked_inside and not p.edge), None)
        if point is None or stage != "Readings":
            return []
        said = "It was taken as inside, and so is what follows. Does the edge turn in there? Then say edge in its cell."
        return [Finding("open", f"{point.name} lies inside the edge: is it inside?", said)]

    @property
    def line(self) -> int:
        """The line that is looked along: the one in hand, else the first; −1 where there is none."""
        lines, at = self.book.lines, self.focus - len(self.book.points)
        return at if 0 <= at < len(lines) else 0 if lines else -1

    def _key(self, result: GroundResult) -> tuple[object, ...]:
        """What a large surface hangs on: its points and its outline, and what turns the plane; last, what it hangs on besides, how high it lies."""
        book = result.book
        v = book.facts.values
        rest: tuple[object, ...] = (
            tuple(book.edge),
            v["fills"],
            v["lines"],
            v["fall"],
            v["towards"],
            v["good"],
            book.water,
        )
        before = tuple((tuple(one.clouds), one.heights.tobytes()) for one in book.earlier[-1:])
        rest = (*rest, tuple(book.lines), tuple(book.stands_up.items()), before)
        return book.heights.tobytes(), book.xy.tobytes(), tuple(book.clouds), rest, repr(v["plane"])

    def take(self, result: GroundResult) -> None:
        """Take what was worked out; of very many points a worker makes the surface, and until it has, it is waited for."""
        if result.large:
            made, key = self._made, self._key(result)
            if made is not None and made[0] == key:
                result = result.like(made[1], plane=True)
            elif made is not None and made[0][:-1] == key[:-1] and result.all_points <= HUGE:
                result = result.like(made[1])
            else:
                result = replace(result, waits=True)
        super().take(result)

    def long_work(self) -> LongWork | None:
        result = self.result
        if not result.waits:
            return None
        made, key = self._made, self._key(result)
        begun = replace(result, waits=False)
        if (
            made is not None and made[0][:-1] == key[:-1]
        ):  # another plane through the same points: the surface stays
            begun = result.like(made[1])
        return key, lambda clock: begun.settled()

    def long_work_done(self, key: object, found: GroundResult | None) -> None:
        assert isinstance(key, tuple)
        self._made = (key, self.result.given_up() if found is None else found)
        self.refresh()

    @property
    def busy_words(self) -> str:
        return f"{self.result.all_points} points: the surface is being made" if self.result.waits else ""

    def brought(self, stage: str, name: str, raw: bytes) -> list[Draft] | None:
        """Return the entry of a list of points from a file: under Readings they are heights, and lie inside; under Proof the whole ground as it
        was before."""
        if stage not in {"Readings", "Proof"}:
            return None
        mapping = mapping_of(raw)
        columns = read_columns(raw, mapping)
        far = max(float(np.ptp(columns[key])) for key in "xy")
        if far > FARTHEST:
            raise KeelError(
                "bad-value",
                f"its points spread over {far:.0f} m, and no yard reaches {FARTHEST:.0f} m; was another unit meant?",
            )
        if mapping.get("form") == GEOJSON and far < NARROWEST:
            raise KeelError(
                "bad-value",
                "its points lie within a few centimetres of one another; are they degrees? Write them in metres of a local plan",
            )
        if len(columns["x"]) > 1 and far < NEAREST:
            raise KeelError(
                "bad-value", "all its points lie within a millimetre of one another; was another unit meant?"
            )
        body = {"name": name, "points": len(columns["x"]), "source": describe(raw, mapping)}
        kind = "ground-cloud" if stage == "Readings" else "ground-before"
        return [Draft(self.work, kind, body, source=raw)]

    @property
    def cautions_first(self) -> bool:
        return not self.book.cautions_read

    @property
    def step(self) -> float:
        return 0.001

    def set_plane(self, height: float) -> list[Draft]:
        """What is booked when the plane is brought to a height [m], to the millimetre."""
        height = round(height, 3)
        text = show_length(height, self.book.style).replace("−", "-")
        return [Draft(self.work, "ground-fact", {"fact": "plane", "text": text, "value": height})]

    def drag(self, value: float, *, done: bool) -> None:
        """Move the plane to a height [m]: everything follows, on some of very many points; `done` records it once."""
        if done:
            self.record(*self.set_plane(value))
        else:
            whole = self.result
            self.result = (whole.thin if whole.large else whole).at_height(value)

    # A stand-in

    def practise(self) -> Goto | None:
        """Make a practice copy over ground that nobody has seen: the same points, unread, or five stakes round a yard."""
        from vivid_keel.stands.ground import hide_ground

        journal = self.file.journal
        facts = [Draft(-1, "ground-fact", dict(e.body)) for e in journal.standing(self.work, "ground-fact")]
        places = [(p.name, p.x, p.y, p.edge) for p in self.book.points] or list(YARD)
        points = [
            Draft(-1, "ground-point", {"name": name, "x_m": x, "y_m": y, "edge": edge})
            for name, x, y, edge in places
        ]
        hidden = {"hidden": hide_ground(1000 + len(journal.entries))}
        made = self.practice_file.record(
            [self.begin_practice(), *facts, *points, Draft(-1, "stand-in", hidden)]
        )
        return Goto("Readings", 0, None, 0, made[0].id)

    def answer(self) -> None:
        """Let the simulated ground be read wherever nothing was read yet; a liquid level looks at its benchmark before and after."""
        from vivid_keel.stands.ground import height, read_to

        hidden, book = self.hidden, self.book
        if hidden is None:
            raise KeelError("bad-value", "real ground answers by being read; practise on a copy of it (menu)")
        by, v, when = book.facts.texts["by"], book.facts.values, len(self.file.journal.entries)
        size = float(np.ptp(book.xy, axis=0).max()) if len(book.points) else 1.0
        look = (
            [Draft(self.work, "ground-look", {"what": ZERO, "reading": self._reading(0.0)})]
            if by == HYDRO
            else []
        )
        made = []
        for k, point in enumerate(book.points):
            if math.isnan(point.read):
                z = height(hidden, point.x, point.y, size)
                true = {DOWN: v["line"] - z + 1.0, HYDRO: z}.get(by, z)
                read = self._reading(read_to(true, 0.001, v["good"] / 2, hidden, when + k))
                body = {**self.file.journal.entries[point.id].body, "reading": read}
                made.append(Draft(self.work, "ground-point", body, strikes=point.id))
        self.record(*look, *made, *look)

    def _reading(self, value: float) -> dict[str, Any]:
        return as_read(parse_length(f"{value:.3f}", "m", "."))

    def own_findings(self, stage: str) -> list[Finding]:
        found = super().own_findings(stage)
        if self.hidden is not None:
            words = (
                "For practice: it rolls, and has humps that no point may meet. Nothing here was read on site."
            )
            action = "answer" if self.book.missing else ""
            found.append(Finding("note", "A stand-in", words, action=action, action_label="Let it be read"))
        return found

    def visit_view(self) -> VisitView:
        """Return what is shown of its visits."""
        book = self.book
        return VisitView(
            "Point",
            [p.name for p in book.points],
            labels(book),
            book.style.small,
            lambda value, decimals, signed: book.style.amount(value, decimals, signed=signed),
            lambda: (
                visits_of(book),
                drifts_of(book),
                "Over the same line, benchmark or heights at every visit.",
            ),
            bool(self.result.read),
            "read the points",
        )

    def pasted(self, stage: str, text: str) -> list[Draft] | None:
        """Return points pasted under Readings: name, along, across, what was read; they lie inside until somebody says otherwise."""
        if stage != "Readings":
            return None
        style, book = self.book.style, self.book
        found = pasted_points(
            text, (style.far, style.far, book.unit), self.decimal_mark, {p.name for p in book.points}
        )
        made, places = [], {(p.x, p.y): p.name for p in book.points}
        for name, (along, across, read) in found:
            x, y = (0.0 if one is None else metres(one) for one in (along, across))
            place = (x, y)
            if place in places:
                raise KeelError(
                    "bad-value",
                    f"{name} lies where {places[place]} does; two heights at one place are no surface",
                )
            places[place] = name
            body: dict[str, Any] = {"name": name, "x_m": x, "y_m": y, "edge": False}
            made.append(Draft(self.work, "ground-point", body | ({} if read is None else {"reading": read})))
        return made

    def plan_points(self) -> list[tuple[str, float, float, float, dict[str, object]]]:
        return [
            (p.name, p.x, p.y, float(height), {"edge": p.edge})
            for p, height in zip(self.book.points, self.book.heights, strict=True)
        ]

    def take_places(self) -> Goto | None:
        """Lay the walk round the edge on the plan: its first point stays, and the way to its second."""
        if self.result.walk is None:
            return None
        made = []
        for k, (x, y) in zip(self.book.edge, self.result.laid.round(3).tolist(), strict=True):
            entry = self.file.journal.entries[self.book.points[k].id]
            body = {name: value for name, value in entry.body.items() if name != "tie"} | {"x_m": x, "y_m": y}
            if math.isnan(self.book.points[k].read):
                body.pop("reading", None)
            if body != dict(entry.body):
                made.append(Draft(self.work, "ground-point", body, strikes=entry.id))
        if made:
            self.record(*made)
        return Goto("Readings", 0)

    def look_there(self) -> Goto | None:
        """Make the point that would tell most, and go to its line."""
        if not self.result.looks:
            return None
        look = self.result.looks[0]
        taken = {p.name for p in self.book.points}
        name = next(f"L{k}" for k in range(1, 1000) if f"L{k}" not in taken)
        body = {"name": name, "x_m": round(look[0], 3), "y_m": round(look[1], 3), "edge": False}
        self.record(Draft(self.work, "ground-point", body))
        return Goto("Readings", 0, (len(self.book.points) - 1, 3))
