"""What a network comes to, as rows that outlive the program."""

from __future__ import annotations

from collections.abc import Iterator

from vivid_keel.core.record.journal import Journal
from vivid_keel.core.record.told import Tables, Told, si, told_rows
from vivid_keel.trades.network.result import Adjusted


def told(adjusted: Adjusted, journal: Journal) -> Tables:
    """Return every mark's adjusted height and every line's correction."""
    result = adjusted.net_result
    net = None if result is None else result.net
    if net is None:
        return Tables(told_rows(_told(adjusted)), rule=RULE)
    rises = [
        [
            net.names[a],
            net.names[b],
            si(float(net.heights[b] - net.heights[a] - v)),
            si(float(sigma)),
        ]
        for (a, b), v, sigma in zip(net.ends.tolist(), net.residuals, net.sigma, strict=True)
    ]
    return Tables(told_rows(_told(adjusted)), [["from", "to", "rise_m", "sigma_m"], *rises], rule=RULE)


RULE = """as-read.csv has the observed rise of each line, from one end to the other, and its standard deviation. Heights H make the sum of
((H_to - H_from - rise) / sigma)^2 least; marks with a U of 0 are held. Correction of a rise = H_to - H_from - rise."""


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
