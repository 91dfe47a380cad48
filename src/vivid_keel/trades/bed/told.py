"""What a bed comes to, as rows that outlive the program."""

from __future__ import annotations

from collections.abc import Iterator

from vivid_keel.core.body.told import body_told
from vivid_keel.core.moving.plan import FOUND, LEFT
from vivid_keel.core.moving.told import RULE, moved_told
from vivid_keel.core.record.journal import Journal
from vivid_keel.core.record.told import Tables, Told, bounds_told, told_rows
from vivid_keel.trades.bed.result import BedResult


def told(result: BedResult, journal: Journal) -> Tables:
    """Return twist, tilt and straightness as found and as left, and its feet."""
    return Tables(told_rows([*_shape(result), *moved_told(result)]), rule=RULE)


def _shape(result: BedResult) -> Iterator[Told]:
    for phase in (FOUND, LEFT):
        body = result.of(phase)
        if body is None:
            continue
        yield from body_told(body, (), phase)
        one = result.twist(body)
        yield Told(
            "bed", f"twist as {phase}, {one.where}", one.value, "rad", formula="cross tilt − cross tilt"
        )
        yield from bounds_told("bed", f"greatest twist as {phase}", one.bounds, "rad")
        for one in result.tilt(body):
            yield Told(
                "bed", f"tilt as {phase}, {one.where}", one.value, "rad", one.U, "least squares over the ways"
            )
        bow = result.bow(phase)
        if bow is not None:
            yield Told(
                "bed", f"straightness as {phase}", bow.value, "m", formula="highest − lowest off the chord"
            )
            yield from bounds_told("bed", f"straightness as {phase}", bow.bounds, "m")
