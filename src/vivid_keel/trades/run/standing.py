"""Planning where to stand for the marks of a run, in words."""

from __future__ import annotations

from msgspec import Struct

from vivid_keel.core.booking.planning import StandingPlan, Waypoint, plan_standing
from vivid_keel.core.errors import KeelError
from vivid_keel.core.kinds import Finding
from vivid_keel.core.quantities import LengthStyle, is_missing, show_length
from vivid_keel.core.working import Working
from vivid_keel.trades.run.book import RunBook


class Standing(Struct, frozen=True):
    """The way to be read, the plan for it (None where there is none yet), and why it was refused."""

    way: list[Waypoint]
    plan: StandingPlan | None
    refused: str = ""


def stand_for(book: RunBook) -> Standing:
    """Return where to stand for the marks a run is planned to read; its benchmark leads them."""
    way = [Waypoint(place.name, place.height, place.along) for place in book.planned]
    if book.known and way and way[0].name != book.known[0].name:
        first = book.known[0]
        way.insert(0, Waypoint(first.name, first.height, way[0].along if is_missing(way[0].along) else 0.0))
    if len(way) < 2:
        return Standing(way, None)
    try:
        return Standing(way, plan_standing(way, book.reach))
    except KeelError as error:
        return Standing(way, None, error.message)


def read_by(plan: StandingPlan, name: str) -> list[int]:
    """Return the set-ups that read a mark."""
    return [n for n, setup in enumerate(plan.setups) if name in (setup.first, setup.last, *setup.reads)]


def leg_words(plan: StandingPlan, setups: list[int], style: LengthStyle) -> str:
    """Return what to do for the last of some set-ups, in a few words."""
    if not setups:
        return "too steep for one set-up"
    setup = plan.setups[setups[-1]]
    words = f"HC {show_length(setup.low, style)} to {show_length(setup.high, style)}"
    return f"{words}, stand at {style.paced(setup.stand)}" if not is_missing(setup.stand) else words


def standing_findings(standing: Standing, book: RunBook) -> list[Finding]:
    """Return what a plan says."""
    if standing.refused:
        return [
            Finding(
                "out", "The way can't be planned", f"{standing.refused[:1].upper()}{standing.refused[1:]}."
            )
        ]
    plan, style = standing.plan, book.style
    if plan is None:
        return []
    out: list[Finding] = []
    if plan.steep:
        out.append(
            Finding(
                "out",
                f"Too steep: {', '.join(plan.steep)}",
                "No line reads both ends with this staff; use a longer staff, a tape hung down, or go round.",
            )
        )
    n = len(plan.setups)
    if n == 1 and not plan.steep:
        setup = plan.setups[0]
        why = Working(
            "One set-up",
            "max H + 0.2 m ≤ HC ≤ min H + staff",
            f"{show_length(setup.low, style)} ≤ HC ≤ {show_length(setup.high, style)};  ground {show_length(setup.ground[0], style)} "
            f"to {show_length(setup.ground[1], style)}",
            ("the rough heights as listed",),
        )
        out.append(
            Finding(
                "in",
                "One set-up reads it all",
                f"A line between {show_length(setup.low, style)} and "
                f"{show_length(setup.high, style)}: stand where the ground lies between {show_length(setup.ground[0], style)} "
                f"and {show_length(setup.ground[1], style)}.",
                why,
            )
        )
    elif n:
        points = [setup for setup in plan.setups[:-1] if setup.last == "change point"]
        where = (
            ", ".join(style.paced(point.end[0]) for point in points)
            if points and not is_missing(points[0].stand)
            else ""
        )
        text = (
            f"Change points near {where} along the way."
            if where
            else "Change points where the list shows two set-ups."
        )
        out.append(Finding("note", f"{n} set-ups for {len(standing.way)} marks", text))
    long = [i + 1 for i, setup in enumerate(plan.setups) if setup.unbalanced]
    if long:
        out.append(
            Finding(
                "open",
                f"Unbalanced: set-up {', '.join(map(str, long))}",
                "Back and fore sights differ by more than a third there; a collimation error goes into the heights.",
            )
        )
    return out
