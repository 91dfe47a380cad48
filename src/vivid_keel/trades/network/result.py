"""A network adjusted: marks, legs between junctions, and what the numbers say."""

from __future__ import annotations

import math
from functools import cached_property

import numpy as np
from msgspec import Struct

from vivid_keel.core.booking.network import LevelledLine, Network, adjust, pieces
from vivid_keel.core.booking.network.adjust import CRITICAL
from vivid_keel.core.booking.network.inverse import CarryOn
from vivid_keel.core.errors import KeelError
from vivid_keel.core.kinds import Finding, State
from vivid_keel.core.quantities import is_missing, show_amount, show_length, show_move
from vivid_keel.core.working import Working
from vivid_keel.trades.network.book import NetworkBook, weigh


class Leg(Struct, frozen=True):
    """Lines that follow each other through marks nothing else touches: from junction to junction.

    `lines` are indices into the network; rise, σ, correction and smallest slip that would show are
    those of the whole [m], standardised and redundancy too [1].
    """

    start: str
    to: str
    run: int
    lines: tuple[int, ...]
    rise: float
    sigma: float
    correction: float
    redundancy: float
    standardised: float
    smallest: float
    setups: int


class NetworkResult(Struct, frozen=True, dict=True):
    """A network as far as it can be adjusted.

    `loose` are pieces without a known mark, left out by name; `net` is None where nothing is left.
    """

    book: NetworkBook
    net: Network | None
    lines: list[int]
    loose: list[list[str]]
    refused: str = ""

    @cached_property
    def marks(self) -> list[int]:
        """The marks of the network (indices), without the lines of sight."""
        return (
            [] if self.net is None else [i for i, n in enumerate(self.net.names) if n not in self.book.stands]
        )

    @cached_property
    def legs(self) -> list[Leg]:
        """The legs between junctions: known marks, ends, and marks where more than two lines meet."""
        return _legs(self)

    @cached_property
    def worst_leg(self) -> Leg | None:
        """The leg that fits worst, None where nothing checks any."""
        checked = [leg for leg in self.legs if not is_missing(leg.standardised)]
        return max(checked, key=lambda leg: leg.standardised) if checked else None

    @property
    def suspicious(self) -> bool:
        """Whether the worst leg is beyond the critical value."""
        return self.worst_leg is not None and self.worst_leg.standardised > CRITICAL

    def why_height(self, i: int) -> Working:
        """Return the working of a mark's height."""
        assert self.net is not None
        style, name = self.book.style, self.net.names[i]
        touching = [k for k in range(len(self.net.ends)) if i in self.net.ends[k]][:6]
        sources = []
        for k in touching:
            line = self.book.lines[self.lines[k]]
            sources.append(
                f"{line.start} to {line.to}: {show_length(line.rise, style, signed=True)}, "
                f"corrected {show_move(float(self.net.residuals[k]), style)} ({self.book.runs[line.run]})"
            )
        return Working(
            f"Height of {name}",
            "least Σ(v/σ)² over all lines;  u = √(N⁻¹ of the mark)",
            f"H = {show_length(float(self.net.heights[i]), style)};  U = 2·u = {show_amount(2 * float(self.net.u[i]), style, up=True)}",
            tuple(sources),
            "Corrections go to the lines by their σ²; readings stay as they were read.",
        )


def work_out_network(book: NetworkBook, carry_on: CarryOn = lambda done: True) -> NetworkResult:
    """Adjust what hangs on known marks; pieces that hang on nothing are named and left out."""
    lines = [LevelledLine(x.start, x.to, x.rise, weigh(x, book.weights)) for x in book.lines]
    names = list(dict.fromkeys(n for line in lines for n in (line.start, line.to)))
    loose = [piece for piece in pieces(names, lines) if not any(n in book.known for n in piece)]
    aside = {n for p in loose for n in p}
    used = [k for k, line in enumerate(lines) if line.start not in aside]
    if not used or book.clashes:
        return NetworkResult(book, None, [], loose, "; ".join(book.clashes))
    touched = {n for k in used for n in (lines[k].start, lines[k].to)}
    known = {name: value for name, value in book.known.items() if name in touched}
    try:
        net = adjust(known, [lines[k] for k in used], carry_on)
    except KeelError as error:
        return NetworkResult(book, None, [], loose, error.message)
    return NetworkResult(book, net, used, loose)


def _legs(result: NetworkResult) -> list[Leg]:
    net = result.net
    if net is None:
        return []
    beside: list[list[int]] = [[] for _ in net.names]
    for k, (a, b) in enumerate(net.ends.tolist()):
        beside[a].append(k)
        beside[b].append(k)
    known = {i for i, name in enumerate(net.names) if name in result.book.known}
    run_of = [result.book.lines[k].run for k in result.lines]

    def through(i: int) -> bool:
        ks = beside[i]
        return i not in known and len(ks) == 2 and run_of[ks[0]] == run_of[ks[1]]

    taken = [False] * len(net.ends)
    legs = []
    for start in range(len(net.names)):
        if through(start):
            continue
        for first in beside[start]:
            if not taken[first]:
                legs.append(_leg(result, start, first, beside, through, taken))
    for k in range(len(taken)):  # rings that touch no junction
        if not taken[k]:
            legs.append(_leg(result, int(net.ends[k][0]), k, beside, lambda i: False, taken))
    return legs


def _leg(result: NetworkResult, start: int, first: int, beside, through, taken: list[bool]) -> Leg:  # type: ignore[no-untyped-def]
    net = result.net
    assert net is not None
    at, k, lines, ways = start, first, [], []
    while True:
        taken[k] = True
        a, b = (int(x) for x in net.ends[k])
        ways.append(1.0 if a == at else -1.0)
        lines.append(k)
        at = b if a == at else a
        rest = [x for x in beside[at] if not taken[x]]
        if not through(at) or not rest:
            break
        k = rest[0]
    booked = [result.book.lines[result.lines[k]] for k in lines]
    sigma = math.sqrt(sum(float(net.sigma[k]) ** 2 for k in lines))
    share = float(sum(net.redundancy[k] for k in lines))
    standardised = net.standardised[lines]
    return Leg(
        net.names[start],
        net.names[at],
        booked[0].run,
        tuple(lines),
        sum(w * x.rise for w, x in zip(ways, booked, strict=True)),
        sigma,
        float(sum(w * net.residuals[k] for w, k in zip(ways, lines, strict=True))),
        share,
        float(np.nanmax(standardised)) if not np.isnan(standardised).all() else math.nan,
        math.inf if share < 1e-9 else 4.13 * sigma / math.sqrt(share),
        len({(x.run, x.setup) for x in booked}),
    )


class Adjusted(Struct, frozen=True):
    """A network and what it came to: None while it is being worked out, which wants a worker."""

    book: NetworkBook
    net_result: NetworkResult | None = None


def network_state(adjusted: Adjusted) -> State:
    """Return (verdict, words) for the job list."""
    result = adjusted.net_result
    if result is None:
        return State("todo", "being worked out")
    if result.refused:
        return State("out", "can't be adjusted")
    if result.net is None:
        return State("todo", "no lines yet")
    n = len(result.marks)
    if result.suspicious:
        return State("out", f"{n} marks · one line doubtful")
    return State("in" if result.net.freedom > 0 else "open", f"{n} marks, {result.net.freedom} to spare")


def network_findings(adjusted: Adjusted, stage: str = "") -> list[Finding]:
    """Return what a network's numbers say."""
    result = adjusted.net_result
    return [] if result is None else _pieces(result) + _fit(result)


def _pieces(result: NetworkResult) -> list[Finding]:
    out = []
    if result.refused:
        out.append(
            Finding("out", "It can't be adjusted", f"{result.refused[:1].upper()}{result.refused[1:]}.")
        )
    for piece in result.loose[:4]:
        names = ", ".join(piece[:5]) + (f" and {len(piece) - 5} more" if len(piece) > 5 else "")
        out.append(
            Finding(
                "out",
                f"Hangs on nothing: {piece[0]}",
                f"No line joins these to a known mark, so they are left out: {names}. Level a line to them, or list one as known.",
            )
        )
    if result.net is None and not result.refused and not result.loose:
        out.append(
            Finding(
                "todo",
                "No runs to adjust",
                "A network is made of the job's level runs. Book two that meet, then come back.",
            )
        )
    for run, why in result.book.left_out.items():
        out.append(
            Finding("note", f"Left out: {result.book.runs.get(run, 'a run')}", why or "No reason was given.")
        )
    return out


def _fit(result: NetworkResult) -> list[Finding]:
    net, style = result.net, result.book.style
    if net is None:
        return []
    out = []
    factor, limits, worst = net.variance_factor, net.limits(), result.worst_leg
    if factor is None or limits is None:
        return [
            Finding(
                "open",
                "Nothing checks it",
                "Every height stands on one way only. A second way to some mark would show a slip.",
            )
        ]
    low, high = limits
    why = Working(
        "Variance factor",
        "s₀² = Σ(v/σ)² / f;  χ²(f) two-sided, 5 %",
        f"{net.sum_squares:.2f} / {net.freedom} = {factor:.2f};  between {low:.2f} and {high:.2f} it fits the σ stated",
        (f"{len(net.ends)} readings, {net.freedom} more than are needed",),
    )
    if factor > high:
        out.append(
            Finding(
                "out",
                f"It fits worse than stated: {factor:.1f}",
                "Either a line holds a slip, or the readings are "
                "worth less than their σ says. See the worst line first.",
                why,
            )
        )
    elif factor < low:
        out.append(
            Finding(
                "note",
                f"It fits better than stated: {factor:.2f}",
                "The readings are worth more than their σ says; "
                "the uncertainties shown are on the safe side.",
                why,
            )
        )
    else:
        out.append(
            Finding(
                "in",
                f"It fits as stated: {factor:.2f}",
                f"{net.freedom} readings more than are needed, and the corrections "
                "are as large as σ says they should be.",
                why,
            )
        )
    if worst is not None:
        title = f"{worst.start} to {worst.to}"
        v = f"{show_move(worst.correction, style)} over {worst.setups} set-up{'s' if worst.setups > 1 else ''}, {result.book.runs[worst.run]}"
        why = Working(
            f"Worst line: {title}",
            "w = |v|/σ_v, critical 3.29 (one good line in a thousand)",
            f"w = {worst.standardised:.1f};  a slip of {show_amount(worst.smallest, style)} would show here four times in five",
            (v,),
        )
        if result.suspicious:
            out.append(
                Finding(
                    "out",
                    f"Doubtful: {title}",
                    f"{v}: {worst.standardised:.1f} times what noise would do. Look for a slip in that run, "
                    "or leave it out and see whether the rest fits.",
                    why,
                    "worst",
                    "Go to it",
                )
            )
        else:
            out.append(
                Finding(
                    "in",
                    "No line stands out",
                    f"The worst is {title}: {worst.standardised:.1f} times σ, critical 3.29.",
                    why,
                )
            )
    unchecked = sum(leg.redundancy < 1e-9 for leg in result.legs)
    if unchecked:
        out.append(
            Finding(
                "note",
                f"{unchecked} line{'s' if unchecked > 1 else ''} without a check",
                "Nothing but the line itself leads there; a slip in it would not show.",
            )
        )
    i = max(result.marks, key=lambda k: float(net.u[k]))
    U, least = 2 * float(net.u[i]), f"{net.names[i]}, the least certain of {len(result.marks)}"
    if factor > high:
        # A fit that is worse than stated refutes the σ that U is made of.
        out.append(
            Finding(
                "open",
                f"Heights no better than ± {show_amount(U * math.sqrt(factor), style, up=True)}",
                f"As stated U of {least}, would be {show_amount(U, style, up=True)}; but it fits {math.sqrt(factor):.1f} times worse than that. "
                "Once the slip is found, or the σ put right, this falls.",
                result.why_height(i),
            )
        )
    else:
        out.append(
            Finding(
                "note",
                f"Heights good to ± {show_amount(U, style, up=True)}",
                f"That is U (k = 2) of {least}.",
                result.why_height(i),
            )
        )
    return out
