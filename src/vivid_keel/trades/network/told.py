"""What a network comes to, as rows that outlive the program."""

from __future__ import annotations

from collections.abc import Iterator

from vivid_keel.core.record.journal import Journal
from vivid_keel.core.record.told import Tables, Told, told_rows
from vivid_keel.trades.network.result import Adjusted


def told(adjusted: Adjusted, journal: Journal) -> Tables:
    """Return every mark's adjusted height and every line's correction."""
    return Tables(told_rows(_told(adjusted)))


def _told(adjusted: Adjusted) -> Iterator[Told]:
    result = adjusted.net_result
    net = None if result is None else result.net
    if result is None or net is None:
        return
    for i in result.marks:
        yield Told(
            net.names[i],
            "height",
            float(net.heights[i]),
            "m",
            2 * float(net.u[i]),
            "least squares, weights 1/σ²",
        )
    for (a, b), v in zip(net.ends.tolist(), net.residuals.tolist(), strict=True):
        yield Told(
            f"{net.names[a]} to {net.names[b]}",
            "correction of the rise",
            float(v),
            formula="adjusted − observed",
        )
