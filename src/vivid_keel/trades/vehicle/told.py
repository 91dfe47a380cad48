"""What a vehicle comes to, as rows that outlive the program."""

from __future__ import annotations

from collections.abc import Iterator

from vivid_keel.core.record.journal import Journal
from vivid_keel.core.record.told import Tables, Told, told_rows
from vivid_keel.trades.vehicle.result import VehicleResult


def told(result: VehicleResult, journal: Journal) -> Tables:
    """Return its tilts as found and as left, and what is put under or wound."""
    return Tables(told_rows(_told(result)), rule=RULE)


RULE = """On two wheels: the low one is lifted by track * tan(roll), without its sign; the nearest step there is is taken. The nose then wants step / 2 - length *
tan(pitch), and a jockey wheel that stands so far from the axle jockey / length of that. Roll that stays = arctan(tan(roll) - step / track). On
four: the height of a wheel is x * tan(pitch) + y * tan(roll), and it is lifted by how much lower it stands than the highest."""


def _told(result: VehicleResult) -> Iterator[Told]:
    book = result.book
    for phase, tilts in (("found", book.found), ("left", book.left)):
        if tilts is not None:
            yield Told(
                "body",
                f"roll as {phase}, + right side high",
                tilts.roll,
                "rad",
                formula="as read − the level's own",
            )
            yield Told(
                "body",
                f"pitch as {phase}, + nose high",
                tilts.pitch,
                "rad",
                formula="as read − the level's own",
            )
    u = 2 * result.budget().u if book.found is not None else float("nan")
    for one in result.instructions:
        yield Told(one.where, "lift wanted", one.lift, "m", u, "track·tan roll; length·tan pitch")
        if one.step is not None:
            yield Told(one.where, "step taken", one.step, "m", formula="the nearest step there is")
    if book.found is not None:
        yield Told("body", "roll that stays once that is done", result.roll_left, "rad")
        yield Told("body", "pitch that stays once that is done", result.pitch_left, "rad")
