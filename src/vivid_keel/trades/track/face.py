"""What is seen of a stretch of track: its stages, what comes next, its papers."""

from __future__ import annotations

from typing import Any

from vivid_keel.core.kinds import Finding
from vivid_keel.core.moving.plan import FOUND, LEFT
from vivid_keel.core.quantities import is_missing, show_number
from vivid_keel.core.record.entries import Draft
from vivid_keel.core.record.journal import Journal
from vivid_keel.desk.base import Next
from vivid_keel.desk.facts_sheet import FactsSheet
from vivid_keel.desk.record_stage import record_stage
from vivid_keel.desk.sheet import Goto, Sheet
from vivid_keel.desk.stage import Draw, Face, NextStep, Stage, leads
from vivid_keel.figures.display import Picture
from vivid_keel.figures.report import Heading, Pages, tail
from vivid_keel.trades.track.book import FACTS, SIGHT
from vivid_keel.trades.track.figure import cans_plan, cross_level, rail_top
from vivid_keel.trades.track.lifts import in_words
from vivid_keel.trades.track.result import TrackResult
from vivid_keel.trades.track.sheets import CansSheet, SleepersSheet, TrackDesk
from vivid_keel.trades.track.site import TrackSiteDesk
from vivid_keel.trades.track.told import told

MOST_ROWS = 400
"""A paper has so many lines of sleepers at most; those without a can have none."""


def _pictures(desk: TrackDesk) -> list[tuple[str, Draw[TrackDesk]]]:
    return [
        ("From the side", lambda d, w, h: rail_top(d.result, w, h, d.focus)),
        ("From above", lambda d, w, h: cans_plan(d.result, w, h, d.focus)),
        ("Cross level", lambda d, w, h: cross_level(d.result, w, h, d.focus)),
    ]


def _cans(desk: TrackDesk) -> list[Sheet]:
    return [CansSheet(desk, k) for k in range(len(desk.result.rounds))]


def _share(desk: TrackDesk, left: list[int]) -> float:
    return 1 - len(left) / max(1, len(desk.book.sighted))


STAGES: tuple[Stage[TrackDesk], ...] = (
    Stage(
        "Set-up",
        (
            "Set-up: how many sleepers between two high spots, what one measure lifts, straight or curved?",
            "Every fastening walked over first: a loose one shows as a void that no chip cures. Chips hold in broken stone only.",
        ),
        lambda desk: (min(1.0, len(desk.book.facts.ids) / 4), ""),
        lambda desk: [FactsSheet(desk, "The stretch", FACTS, desk.book.facts, ("track-fact", "fact"))],
        lambda desk: [("", lambda d, w, h: cans_plan(d.result, w, h, d.focus))],
    ),
    Stage(
        "Readings",
        (
            "Readings: sights along the datum rail, cross level, and what hangs hollow.",
            "Sights every few sleepers, those between are reckoned. Hanging ones are found by their sound; a gauge with two pointers shows the hollow once a wagon has passed.",
        ),
        lambda desk: (_share(desk, desk.result.to_sight), str(len(desk.book.read[FOUND]) or "")),
        lambda desk: [SleepersSheet(desk, FOUND)],
        _pictures,
    ),
    Stage(
        "Moves",
        (
            "Moves: cans of chips, sleeper after sleeper, in order of walking.",
            "More than is lifted at once goes in in two rounds, with traffic between. The cross level that comes of it stands beside.",
        ),
        lambda desk: (
            1.0 if desk.book.dips(LEFT) else 0.5 * desk.book.cautions_read,
            in_words(desk.result.total) if desk.result.total else "",
        ),
        _cans,
        lambda desk: [_pictures(desk)[1], _pictures(desk)[2], _pictures(desk)[0]],
    ),
    Stage(
        "Proof",
        (
            "Proof: after traffic, sight it again.",
            "What each measure really gave corrects the next stretch.",
        ),
        lambda desk: (_share(desk, desk.result.to_sight_again), ""),
        lambda desk: [SleepersSheet(desk, LEFT)],
        _pictures,
    ),
    record_stage(lambda desk: _share(desk, desk.result.to_sight_again)),
)


def _facts_first(desk: TrackDesk, stage: str) -> Next | None:
    if desk.book.facts.ids:
        return None
    return Next("Next: how many sleepers?", "between two high spots; and what one measure lifts", "facts")


def _cautions_first(desk: TrackDesk, stage: str) -> Next | None:
    if desk.book.cautions_read or stage == "Set-up":
        return None
    return Next("Read the cautions first", "then they are recorded as read by the crew", "cautions")


def _sight(desk: TrackDesk, stage: str) -> Next | None:
    left = desk.result.to_sight
    if not left:
        return None
    return Next(
        f"Next: sight sleeper {left[0]}",
        f"{len(left)} still to sight"
        + (
            "; in measures, to the quarter"
            if desk.book.rail_top == SIGHT
            else ", the first and the last for the line"
        ),
        "read",
    )


def _pack(desk: TrackDesk, stage: str) -> Next | None:
    if desk.book.dips(LEFT) or stage == "Proof":
        return None
    if stage != "Moves":
        return Next(
            "Next: cans of chips", f"{in_words(desk.result.total)} in all, in order of walking", "moves"
        )
    return Next("Next: traffic, then sight it again", "what a measure really gave is learned", "again")


def _second(desk: TrackDesk, stage: str) -> Next | None:
    if not desk.result.outstanding:
        return None
    cans = in_words(desk.result.outstanding)
    if stage != "Moves":
        return Next(f"Next: round 2, {cans} cans", "traffic has passed over the first", "second")
    return Next("Next: round 2 is in", f"{cans} cans; then traffic, and sight it again", "packed")


def _packed(desk: TrackDesk, rest: str) -> Goto | None:
    """Book that the second round of cans is in."""
    if desk.result.outstanding:
        desk.record(Draft(desk.work, "cans-in", {"round": 2}))
    return Goto("Proof", 0)


def _again(desk: TrackDesk, stage: str) -> Next | None:
    left = desk.result.to_sight_again
    if not left:
        return None
    return Next(f"Next: sight sleeper {left[0]} again", f"{len(left)} still to sight after traffic", "again")


def _learn(desk: TrackDesk, rest: str) -> Goto | None:
    """Reckon with what a measure really gave, where that is known, and go where it stands."""
    share, _ = desk.result.learned
    if not is_missing(share) and share > 0:
        measure = round(share * desk.book.facts.values["measure"], 5)
        body: dict[str, Any] = {"fact": "measure", "text": show_number(measure * 1000, 2), "value": measure}
        desk.record(Draft(desk.work, "track-fact", body))
    return Goto("Set-up", 0, ([fact.key for fact in FACTS].index("measure"), 1))


def _round(desk: TrackDesk, rest: str) -> Goto | None:
    """Begin another round, where something was sighted after traffic."""
    if desk.book.dips(LEFT):
        desk.record(Draft(desk.work, "visit", {}))
    return Goto("Readings")


def _let_answer(desk: TrackDesk, stage: str) -> Next | None:
    if desk.hidden is None or desk.book.dips(LEFT):
        return None
    if desk.result.to_sight:
        return Next(
            "Next: let it be read",
            "the stand-in: sights, cross level, hollows; or type what you like",
            "answer",
        )
    if stage != "Moves" or desk.refused:
        return None
    return Next("Next: pack, let a wagon pass", "all as planned, then sighted again", "answer")


def _answer(desk: TrackDesk, rest: str) -> Goto | None:
    """Let the stand-in answer, and go where that is seen."""
    stage = "Readings" if desk.result.to_sight else "Proof"
    desk.answer()
    return Goto(stage)


STEPS: tuple[NextStep[TrackDesk], ...] = (
    NextStep("facts", leads("Set-up", 0, (0, 1)), _facts_first),
    NextStep("cautions", leads("Readings"), _cautions_first),
    NextStep("answer", _answer, _let_answer),
    NextStep("read", leads("Readings", 0), _sight),
    NextStep("moves", leads("Moves", 0, None, 0), _pack),
    NextStep("second", leads("Moves", 1), _second),
    NextStep("packed", _packed),
    NextStep("again", leads("Proof", 0), _again),
    NextStep("round", _round),
    NextStep("learn", _learn),
)


def _rounds(pages: Pages, result: TrackResult) -> None:
    """Set what goes under each sleeper, a table for every round."""
    for number, (left, right) in enumerate(result.rounds):
        pages.title(
            "Cans, in order of walking"
            if len(result.rounds) == 1
            else f"Round {number + 1}, in order of walking",
            12,
            40,
        )
        rows = [
            [
                str(k + 1),
                in_words(float(left[k])),
                in_words(float(right[k])),
                result.book.style.amount(float(result.predicted[k]), signed=True),
                "☐",
            ]
            for k in range(result.book.sleepers)
            if left[k] or right[k]
        ]
        pages.table(
            [
                ("Sleeper", 70, True),
                ("Left, cans", 90, True),
                ("Right, cans", 90, True),
                ("Cross level then", 120, True),
                ("done", 50, False),
            ],
            rows[:MOST_ROWS],
        )
        if len(rows) > MOST_ROWS:
            pages.line(f"and {len(rows) - MOST_ROWS} sleepers more, in the program")


def track_report(
    result: TrackResult, journal: Journal, heading: Heading, said: list[Finding]
) -> list[Picture]:
    """Return the pages of a stretch: rail top, cans from above, the work sheet, cross level."""
    pages = Pages(heading)
    pages.cover()
    pages.figure(rail_top(result, 760, 300))
    if result.rounds and result.book.cautions_read:
        pages.figure(cans_plan(result, 760, 220))
    pages.figure(cross_level(result, 760, 240))
    pages.findings(said)
    if result.book.cautions_read:
        _rounds(pages, result)
    elif result.rounds:
        pages.line("Read the cautions first: nothing is packed before.", bold=True)
    pages.readings()
    tail(pages, journal, result.book.work)
    return pages.done()


FACE = Face(TrackSiteDesk, STAGES, STEPS, track_report, told, sheets_told=True)
