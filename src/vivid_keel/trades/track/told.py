"""What a stretch of track comes to, as rows that outlive the program."""

from __future__ import annotations

from collections.abc import Iterator

from vivid_keel.core.record.journal import Journal
from vivid_keel.core.record.told import Tables, Told, told_rows
from vivid_keel.trades.track.result import TrackResult


def told(result: TrackResult, journal: Journal) -> Tables:
    """Return what goes under every sleeper, and how it lies before and after."""
    return Tables(told_rows(_told(result)), rule=RULE)


RULE = """What was sighted, a hollow or a cross level stands in as-read.csv by its sleeper; where the dip was read off a staff it is what the rail lies below
the straight line from the first such reading to the last. Between two sleepers that were read it goes straight; a dip is 0 outside them, a
cross level as at the nearest. Lift of the rail that was sighted ("sights along" in results.csv: 1 the right, -1 the left) = the dip. Of the
other = dip + sights along * (cross level - cross level wanted) / one measure, 0 where that is less. Both to the nearest quarter, half a
quarter up, as hollows are. To go under = lift + hollow. Cross level once packed = found + (lift right - lift left) * one measure."""


def _told(result: TrackResult) -> Iterator[Told]:
    lift = "sighted part to the quarter; the other rail by the cross level"
    for k in range(result.book.sleepers):
        of = f"sleeper {k + 1}"
        for rail, at_rest, void, cans in zip(
            ("left", "right"), result.at_rest, result.voids, result.cans, strict=True
        ):
            yield Told(of, f"lift at rest, {rail} rail", float(at_rest[k]), "measures", formula=lift)
            yield Told(
                of,
                f"hollow under load, {rail} rail",
                float(void[k]),
                "measures",
                formula="as felt, to the quarter",
            )
            yield Told(of, f"to go under, {rail} rail", float(cans[k]), "measures", formula="lift + hollow")
        yield Told(
            of,
            "cross level as found, + right high",
            float(result.cross[k]),
            formula="straight between what was read",
        )
        if result.levels[k]:
            yield Told(
                of,
                "cross level once packed, + right high",
                float(result.predicted[k]),
                "m",
                2 * float(result.u_predicted[k]),
                "found + lifts",
            )
    yield Told("stretch", "one measure lifts", result.book.facts.values["measure"])
    yield Told("stretch", "cross level wanted, + right high", result.wanted)
    yield Told("stretch", "sights along", 1.0 if result.datum_right else -1.0, "1")
    given, u = result.learned
    yield Told("stretch", "a measure really gave", given, "measures", 2 * u, "after traffic / put in")
