"""The report of heights over the years: occasions beside one another."""

from __future__ import annotations

from vivid_keel.core.kinds import Finding
from vivid_keel.core.quantities import is_missing, show_amount, show_length
from vivid_keel.core.record.journal import Journal
from vivid_keel.figures.display import Picture
from vivid_keel.figures.report import Heading, Pages, tail
from vivid_keel.trades.years.figure import in_plan, over_years
from vivid_keel.trades.years.result import ANOTHER, MarkOver, YearsResult

LAST = 4
"""So many occasions stand side by side in a table: the first and the last of them."""


def years_report(
    result: YearsResult, journal: Journal, heading: Heading, said: list[Finding]
) -> list[Picture]:
    """Return the pages of the report."""
    pages, book, style = Pages(heading), result.book, result.book.style
    carried = ", ".join(result.frame.stood) if result.tied and result.occasions else ""
    pages.cover(
        f"{len(result.occasions)} occasions; all heights over {carried}, which stood."
        if carried
        else f"{len(result.occasions)} occasions; no benchmark ties them: over the mean of all marks."
    )
    if any(result.book.roles.values()):
        pages.line(
            "What a mark is (benchmark, watched, another) was said by hand for: "
            + ", ".join(book.roles)
            + "."
        )
    if result.marks:
        pages.figure(over_years(result, 760, 360, _worst(result)))
    pages.findings(said)
    pages.title("What was levelled", 12, 40)
    pages.table(
        [
            ("Occasion", 18, False),
            ("Levelling", 30, False),
            ("From", 26, False),
            ("Read on", 16, False),
            ("Readings", 12, True),
            ("", 22, False),
        ],
        [
            [
                one.occasion,
                one.name,
                one.file or "this job",
                one.when.isoformat(),
                str(len(one.lines)),
                f"left out: {one.reason or 'no reason given'}"
                if one.out
                else "closes"
                if one.closed
                else "doesn't close",
            ]
            for one in book.levellings
        ],
    )
    if result.marks:
        shown = list(range(len(result.occasions)))
        shown = shown[:1] + shown[1:][-(LAST - 1) :]
        pages.title("Marks", 12, 40)
        pages.table(
            [
                ("Mark", 34, False),
                *((result.occasions[k].name, 17, True) for k in shown),
                (f"Change, {style.small}", 18, True),
                ("± U", 10, True),
                (f"{style.small} a year", 20, True),
                ("", 16, False),
            ],
            [
                [
                    one.name + (" ▵" if one.name in result.frame.stood else ""),
                    *(_height(result, one, k) for k in shown),
                    style.amount(one.since_first[0], signed=True),
                    style.amount(one.since_first[1]),
                    ""
                    if is_missing(one.drift.rate)
                    else f"{style.amount(one.drift.rate, signed=True)} ± {style.amount(one.drift.U_rate)}",
                    "another mark?" if abs(one.since_first[0]) > ANOTHER else one.verdict.replace("-", " "),
                ]
                for one in result.marks
            ],
        )
        allowed = book.facts.values["allowed"]
        bears = "" if is_missing(allowed) else f"Allowed ± {show_amount(allowed, style)}. "
        pages.line(
            f"▵ carries the datum. Change: since first read, U = 2u. {bears}Moved: by more than U.",
            ink="muted",
        )
    if sum(one.name in book.places for one in result.marks) > 1:
        pages.figure(in_plan(result, 760, 420))
    tail(pages, journal, book.work)
    return pages.done()


def _height(result: YearsResult, one: MarkOver, occasion: int) -> str:
    at = one.series.occasions.tolist()
    return (
        show_length(float(one.series.heights[at.index(occasion)]), result.book.style)
        if occasion in at
        else ""
    )


def _worst(result: YearsResult) -> int:
    """The mark that changed most, for the figure."""
    there = [i for i, one in enumerate(result.marks) if abs(one.since_first[0]) <= ANOTHER]
    return max(there, key=lambda i: abs(result.marks[i].since_first[0]), default=-1)
