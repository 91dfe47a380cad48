"""What heights over the years come to, as rows that outlive the program."""

from __future__ import annotations

from collections.abc import Iterator

from vivid_keel.core.record.journal import Journal
from vivid_keel.core.record.told import Tables, Told, si, told_rows
from vivid_keel.trades.years.result import YearsResult

READ = ["levelling", "from", "read_on", "occasion", "left_out", "mark", "stand", "rise_m", "sigma_m"]


def told(result: YearsResult, journal: Journal) -> Tables:
    """Return what every mark did, and the readings of all levellings that it rests on, those of other jobs too."""
    read = [
        [
            one.name,
            one.file,
            one.when.isoformat(),
            one.occasion,
            "left out" if one.out else "",
            x.mark,
            x.stand,
            si(x.rise),
            si(x.sigma),
        ]
        for one in result.book.levellings
        for x in one.lines
    ]
    return Tables(told_rows(_told(result)), [READ, *read], rule=RULE)


RULE = """as-read.csv has the rise of the line of sight of each set-up over each mark, and its standard deviation. Each occasion is adjusted by itself: heights
of marks and of lines of sight make the sum of ((line - mark - rise) / sigma)^2 least, with a datum of its own. Occasions are then shifted as a
whole, each by one number, until the benchmarks that stood fit best. A change is the height of one occasion less that of another."""


def _told(result: YearsResult) -> Iterator[Told]:
    over = "the benchmarks that stood" if result.tied else "all marks together"
    for one in result.marks:
        for k, height in zip(one.series.occasions.tolist(), one.series.heights.tolist(), strict=True):
            yield Told(
                one.name, f"height, {result.occasions[k].name}", height, formula=f"least squares, over {over}"
            )
        change, U = one.since_first
        yield Told(one.name, "change since first read", change, "m", U, "H(last) − H(first)")
        yield Told(
            one.name, "change since last time", one.drift.change, "m", one.drift.U, "H(last) − H(before)"
        )
        yield Told(
            one.name,
            "change in a year",
            one.drift.rate,
            "m",
            one.drift.U_rate,
            "a straight line through all occasions by least squares",
        )
    for movement in result.frame.moved:
        when = result.occasions[movement.occasion].name
        rivals = "".join(f" or {name}" for name in movement.rivals)
        yield Told(
            movement.name + rivals,
            f"moved, {movement.how}, {when}",
            movement.by,
            "m",
            2 * movement.u,
            "|Δ|/σ beyond 3.29",
        )
