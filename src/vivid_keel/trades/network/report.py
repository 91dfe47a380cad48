"""The report of a network."""

from __future__ import annotations

import math

from vivid_keel.core.kinds import Finding
from vivid_keel.core.quantities import is_missing, show_amount, show_length, show_move, show_number
from vivid_keel.core.record.journal import Journal
from vivid_keel.figures.display import Picture
from vivid_keel.figures.report import Heading, Pages, tail
from vivid_keel.trades.network.figure import network
from vivid_keel.trades.network.result import Adjusted

WAYS = {"instrument": "by the instrument of each run", "setup": "σ of one set-up", "km": "σ of one kilometre"}


def network_report(
    adjusted: Adjusted, journal: Journal, heading: Heading, said: list[Finding]
) -> list[Picture]:
    """Return the pages of a network's report."""
    pages, result = Pages(heading), adjusted.net_result
    pages.cover()
    if result is None:
        pages.line("Being worked out; write the report again in a moment.")
        return pages.done()
    book, net = result.book, result.net
    w = book.weights
    worth = WAYS[w.way] + ("" if w.way == "instrument" else f" {show_amount(w.sigma, book.style, 2)}")
    taken = [name for id, name in book.runs.items() if id not in book.left_out]
    pages.line(
        f"Least squares of {len(result.lines)} readings of {len(taken)} runs: {', '.join(taken)}. Weighed {worth}."
    )
    for id, why in book.left_out.items():
        pages.line(f"Left out: {book.runs.get(id, '?')}: {why or 'no reason given'}.")
    if net is not None:
        pages.figure(network(result, 760, 380))
    pages.findings(said)
    if net is not None:
        pages.title("Marks", 12, 40)
        pages.table(
            [("Mark", 40, False), ("Height", 18, True), ("± U, mm", 14, True), ("", 12, False)],
            [
                [
                    name,
                    show_length(float(h), book.style, unit=True),
                    show_number(2000 * float(u), 1),
                    "known" if name in book.known else "",
                ]
                for name, h, u in ((net.names[i], net.heights[i], net.u[i]) for i in result.marks)
            ],
        )
        pages.title("Lines between junctions", 12, 40)
        pages.table(
            [
                ("From", 26, False),
                ("To", 26, False),
                ("Run", 22, False),
                ("n", 6, True),
                ("Rise", 14, True),
                ("Corrected", 14, True),
                ("v/σ", 9, True),
                ("Share", 10, True),
                ("Shows from", 14, True),
            ],
            [
                [
                    leg.start,
                    leg.to,
                    book.runs[leg.run],
                    str(leg.setups),
                    show_length(leg.rise, book.style, signed=True),
                    show_move(leg.correction, book.style),
                    "" if is_missing(leg.standardised) else show_number(leg.standardised, 1),
                    f"{leg.redundancy * 100:.0f} %",
                    "never" if math.isinf(leg.smallest) else show_amount(leg.smallest, book.style),
                ]
                for leg in result.legs
            ],
        )
    tail(pages, journal, book.work)
    return pages.done()
