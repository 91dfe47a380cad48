"""Two-peg: layouts with their distances, the collimation error, and what to adjust to.

Source: the two-peg test and its variants by lever arm; a cone by near and far marks.
"""

from __future__ import annotations

import math
from collections.abc import Mapping

from msgspec import Struct

from vivid_keel.core.booking.reduction import curvature_at
from vivid_keel.core.errors import KeelError
from vivid_keel.core.instruments.checks.two_peg import SHORTEST, PegSetUp, TwoPeg, two_peg
from vivid_keel.core.instruments.outcome import (
    Found,
    Outcome,
    Procedure,
    Seen,
    Step,
    Traits,
    cycles_of,
    open_cycle,
    resolution,
    show_in,
    typed_to,
    value,
)
from vivid_keel.core.instruments.repeats import of_repeats
from vivid_keel.core.quantities import show_number
from vivid_keel.core.working import Working


class PegLayout(Struct, frozen=True):
    """Where the instrument stands over pegs A and B at 0 and `pegs` [m]: positions along the line [m]."""

    key: str
    label: str
    pegs: float
    first: float
    second: float

    @property
    def distances(self) -> tuple[float, float, float, float]:
        """D₁A, D₁B, D₂A, D₂B [m]."""
        return abs(self.first), abs(self.first - self.pegs), abs(self.second), abs(self.second - self.pegs)

    @property
    def lever(self) -> float:
        """What the difference of the sights gains from the first set-up to the second [m]."""
        a1, b1, a2, b2 = self.distances
        return (a2 - b2) - (a1 - b1)


LAYOUTS = (
    PegLayout("near", "midway, then just beyond one peg", 40.0, 20.0, 43.0),
    PegLayout("outside", "midway, then 20 m outside", 20.0, 10.0, 40.0),
    PegLayout("thirds", "at thirds inside the line", 45.0, 15.0, 30.0),
    PegLayout("both", "both outside, one beyond each peg", 30.0, -5.0, 35.0),
)
LAYOUT = {layout.key: layout for layout in LAYOUTS}
READINGS = ("a1", "b1", "a2", "b2")
STAFF, SIGHT = 5.1, 150.0
"""No staff is longer, no sight of such a check [m]."""
PACED, TAPED = 0.03, 0.002
"""Distances are paced, or taped, to so much of themselves: standard uncertainty [1]."""
_D = ("d1a", "d1b", "d2a", "d2b")


class TwoPegCheck(Procedure):
    """Equal distances hide a collimation error, unequal ones show it."""

    key, title = "two-peg", "Two-peg"
    purpose = "Does the line of sight rise or fall? The pegs' own difference need not be known."
    ways = tuple((layout.key, layout.label) for layout in LAYOUTS)
    name = "collimation"
    marks = ("peg A", "peg B", "Staff on")

    def plan(self, way: str) -> tuple[float, float, float, float]:
        """Return the planned distances D₁A, D₁B, D₂A, D₂B [m]."""
        return LAYOUT[way].distances

    def steps(self, tool: Traits, way: str, seen: Mapping[str, Seen]) -> list[Step]:
        out = []
        for key, d in zip(_D, self.plan(way), strict=True):
            mark = self.marks[0 if key[2] == "a" else 1]
            out.append(
                Step(
                    key,
                    f"Set-up {key[1]} to {mark}",
                    "As paced or taped; Enter takes the plan's.",
                    "distance",
                    0,
                    False,
                    (),
                    f"{d:g}",
                )
            )
        out.append(
            Step(
                "distances",
                "Distances were",
                "paced or taped; paced ones are good to 3 %, and pass it on.",
                "words",
                0,
                True,
                ("paced", "taped"),
                "paced",
            )
        )
        out.append(
            Step(
                "curvature",
                "Take out curvature and refraction",
                "yes or no; 0.7 mm at 100 m, next to nothing at 40 m.",
                "words",
                0,
                True,
                ("yes", "no"),
                "yes",
            )
        )
        for n in range(1, open_cycle(seen, READINGS) + 1):
            for key in READINGS:
                mark = self.marks[0 if key[0] == "a" else 1]
                text = (
                    "Bubble in the middle; read twice before the staff moves."
                    if key == "a1"
                    else "Read, look again, then the staff moves."
                )
                if key == "a2":
                    text = "Carry the instrument to the second set-up; level it anew; read."
                out.append(
                    Step(f"{key}/{n}", f"Set-up {key[1]}: {self.marks[2]} {mark}", text, "m", n, n > 1)
                )
                out.append(
                    Step(
                        f"{key}'/{n}",
                        "second look",
                        "The same staff, the same place; within the last digit or read again.",
                        "m",
                        n,
                        True,
                    )
                )
        return out

    def accepts(self, tool: Traits, way: str, step: Step, value: float, seen: Mapping[str, Seen]) -> None:
        if step.unit == "distance":
            if value <= 0:
                raise KeelError("bad-value", "a distance is above 0 m; pace it, or Enter takes the plan's")
            self._can_lie_so(step.key, value, seen)
        if step.unit == "m" and not -STAFF <= value <= STAFF:
            raise KeelError(
                "bad-value", f"no staff is {value:g} m long; they end at {STAFF:g} m. Was another unit meant?"
            )
        key, _, cycle = step.key.partition("/")
        other = seen.get(f"{key[:-1]}/{cycle}" if key.endswith("'") else f"{key}'/{cycle}")
        if (
            other is not None
            and step.unit == "m"
            and abs(other.value - value) > max(other.step, 0.001) + 1e-9
        ):
            raise KeelError(
                "looks-differ",
                f"the two looks differ by {abs(other.value - value) * 1000:.1f} mm, more than the last digit; "
                "read again and type over the one that was wrong",
            )

    def _can_lie_so(self, key: str, distance: float, seen: Mapping[str, Seen]) -> None:
        """Refuse a sight that nobody can read, and pegs and set-ups that can't lie so; distance [m]."""
        if distance > SIGHT:
            raise KeelError(
                "bad-value",
                f"a staff can't be read over {distance:g} m; sights here end at {SIGHT:g} m. Was another unit meant?",
            )
        d = {k: distance if k == key else value(seen, k) for k in _D}
        near = max(
            (abs(d[a] - d[b]) for a, b in (_D[:2], _D[2:]) if not math.isnan(d[a] - d[b])), default=0.0
        )
        far = min((d[a] + d[b] for a, b in (_D[:2], _D[2:]) if not math.isnan(d[a] + d[b])), default=math.inf)
        if near > far + PACED * (near + far):
            raise KeelError(
                "impossible-layout",
                f"{self.marks[0]} and {self.marks[1]} would be at least {near:g} m apart by one set-up and at most {far:g} m by the "
                "other. Pace them again; one of the four distances is wrong",
                key,
            )

    def outcome(self, tool: Traits, way: str, seen: Mapping[str, Seen]) -> Outcome:
        plan = self.plan(way)
        d = [value(seen, key) for key in _D]
        missing = [key for key, v in zip(_D, d, strict=True) if math.isnan(v)]
        n = cycles_of(seen, READINGS)
        trouble = None
        if missing and n:
            trouble = KeelError(
                "distances-missing",
                "a distance is missing; pace it or take the plan's with Enter",
                missing[0],
            )
        d = [p if math.isnan(v) else v for p, v in zip(plan, d, strict=True)]
        lever = (d[2] - d[3]) - (d[0] - d[1])
        if abs(lever) < SHORTEST - 1e-9:
            return Outcome(
                trouble=KeelError(
                    "layout-too-short",
                    f"the two set-ups differ by {abs(lever):.1f} m only, which shows nothing; "
                    f"move the second {SHORTEST - abs(lever):.1f} m or more towards one peg and pace its distances anew",
                    "d2a",
                ),
                shown=dict(zip(_D, d, strict=True)),
            )
        # √ of the sum of the four sights' variances, over two: with sights alike it is u of one reading.
        u = math.sqrt(sum(self._u(tool, length) ** 2 for length in d)) / 2
        shown = {**dict(zip(_D, d, strict=True)), "lever": lever, "resolves": 4 * u / abs(lever)}
        if not n:
            return Outcome(
                shown=shown,
                lines=[
                    (
                        "What this layout resolves",
                        show_in(4 * u / abs(lever), "tilt", 4 * u / abs(lever), signed=False),
                        "U of one round, k = 2",
                    ),
                    ("Its lever", f"{abs(lever):.1f} m", "the longer, the surer"),
                ],
            )
        curved = "curvature" not in seen or seen["curvature"].text.strip().lower() in {"yes", "y"}
        rounds = [self._round(seen, k, d, curved, u) for k in n]
        floor = 2 * resolution(seen, READINGS) / math.sqrt(12) / abs(lever)
        repeats = of_repeats([trial.collimation for trial in rounds], 2 * u / abs(lever), floor)
        # What the distances are out by is the same in every round: repeats do not average it away.
        known = TAPED if "distances" in seen and seen["distances"].text.strip().lower() == "taped" else PACED
        by_distances = abs(repeats.mean) * known * math.sqrt(sum(length**2 for length in d)) / abs(lever)
        U = math.hypot(repeats.U, 2 * by_distances)
        last = rounds[-1]
        at_a, at_b = (
            last_reading(seen, key, n[-1]) - repeats.mean * dist for key, dist in (("a2", d[2]), ("b2", d[3]))
        )
        digits = 4 if typed_to(seen, READINGS) < 0.00099 else 3
        far, far_d, near, near_d = (at_a, "A", at_b, "B") if d[2] >= d[3] else (at_b, "B", at_a, "A")
        found = Found(
            self.name,
            "line of sight" if self.name == "collimation" else "cone of the beam",
            "tilt",
            repeats.mean,
            U,
            tool.number("limit"),
            repeats.n,
            True,
            f"from set-up 2 to read {show_number(far, digits)} m on {far_d}; then {near_d} reads {show_number(near, digits)} m",
        )
        lines = [
            ("Line of sight", found.show(found.value), "rises away" if repeats.mean >= 0 else "falls away"),
            (
                f"± ({repeats.n} round{'s' if repeats.n > 1 else ''})",
                found.show(found.U, signed=False),
                f"lever {abs(lever):.1f} m",
            ),
            (
                "As an angle",
                f"{show_number(repeats.mean * 206264.806, 1, signed=True)}″",
                f"{show_number(repeats.mean * 10000, 1, signed=True)} mm in 10 m",
            ),
            ("B above A", show_in(last.difference, "length", 2 * u), "freed of it"),
            (
                "Adjust to",
                f"A {show_number(at_a, digits)}  B {show_number(at_b, digits)}",
                "from set-up 2, curvature left in",
            ),
        ]
        # What c is worked out from: the working adds up by hand.
        a1, b1, a2, b2 = (
            show_number(
                last_reading(seen, key, n[-1]) - (curvature_at(distance) if curved else 0.0),
                5 if curved else 4,
            )
            for key, distance in zip(READINGS, d, strict=True)
        )
        a = f"({a2} − {b2}) − ({a1} − {b1})"
        why = Working(
            "Slope of the line of sight",
            "c = [(a₂ − b₂) − (a₁ − b₁)] / [(D₂A − D₂B) − (D₁A − D₁B)];  adjust to a₂ − c·D₂A",
            f"c = [{a}] / [({d[2]:g} − {d[3]:g}) − ({d[0]:g} − {d[1]:g})] = {last.collimation * 1000:.3f} mm/m;  "
            f"mean of {repeats.n}: {repeats.mean * 1000:.3f}, U = {repeats.k:.2f} × {repeats.u * 1000:.4f}",
            tuple(f"round {k}: " + ", ".join(seen[f"{key}/{k}"].text for key in READINGS) for k in n),
            " ".join(
                (
                    *(
                        ["Curvature and refraction are out of the readings before c is worked out."]
                        if curved
                        else []
                    ),
                    f"Distances good to {100 * known:g} % add {2000 * by_distances:.4f} mm/m in quadrature.",
                )
            ),
        )
        return Outcome(
            [found], lines, [], trouble, why, {**shown, "adjust_a": at_a, "adjust_b": at_b, "c": repeats.mean}
        )

    def _u(self, tool: Traits, length: float) -> float:
        return tool.number("u") + tool.number("grows", 0.0) * max(length - tool.number("from", 0.0), 0.0)

    def _round(self, seen: Mapping[str, Seen], k: int, d: list[float], curved: bool, u: float) -> TwoPeg:
        a1, b1, a2, b2 = (last_reading(seen, key, k) for key in READINGS)
        return two_peg(
            PegSetUp(d[0], d[1], a1, b1), PegSetUp(d[2], d[3], a2, b2), curvature=curved, u_reading=u
        )


def last_reading(seen: Mapping[str, Seen], key: str, cycle: int) -> float:
    """Return a reading of a round, averaged with its second look where there is one [m]."""
    first, look = value(seen, f"{key}/{cycle}"), value(seen, f"{key}'/{cycle}")
    return first if math.isnan(look) else (first + look) / 2


class Cone(TwoPegCheck):
    """A laser between two walls, marking both: the walls are the pegs."""

    key, title = "cone", "Cone between two walls"
    purpose = (
        "Does the turning beam sweep a plane or a cone? Keep the same side of the laser to the same wall."
    )
    ways = (("near", "near one wall, then near the other"),)
    name = "cone"
    marks = ("wall A", "wall B", "beam on")

    def steps(self, tool: Traits, way: str, seen: Mapping[str, Seen]) -> list[Step]:
        out = []
        for step in super().steps(tool, way, seen):
            if step.key == "curvature" or "'" in step.key:
                continue
            text = (
                "Same side of the laser to the same wall, both times; always the same edge of the beam."
                if step.unit == "m"
                else step.text
            )
            out.append(
                Step(step.key, step.title, text, step.unit, step.cycle, step.optional, step.words, step.usual)
            )
        return out

    def plan(self, way: str) -> tuple[float, float, float, float]:
        """Return the distances of the near and the far mark in both set-ups [m]."""
        return 1.0, 19.0, 19.0, 1.0

    def outcome(self, tool: Traits, way: str, seen: Mapping[str, Seen]) -> Outcome:
        found = super().outcome(tool, way, seen)
        if not found.found:
            return found
        # Marks on a wall: heights of the beam, so nothing is adjusted by a reading from set-up 2.
        (f,) = found.found
        lines = [
            (("Beam", *line[1:]) if line[0] == "Line of sight" else line)
            for line in found.lines
            if line[0] not in {"Adjust to", "B above A"}
        ]
        bare = Found(f.key, f.name, f.unit, f.value, f.U, f.limit, f.cycles, True, "")
        return Outcome([bare], lines, found.notes, found.trouble, found.why, found.shown)


def ideal_reading(height: float, c: float, distance: float) -> float:
    """Return what a line of slope c [1] reads at a distance [m] on a mark that a level one reads as `height` [m], curvature put in."""
    return height + c * distance + curvature_at(distance)
