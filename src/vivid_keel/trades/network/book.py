"""What goes into a network: lines from runs, known marks, and what a line is worth."""

from __future__ import annotations

import math

from msgspec import Struct
from msgspec.structs import replace

from vivid_keel.core.quantities import LengthStyle, is_missing
from vivid_keel.core.record.journal import Journal
from vivid_keel.core.record.lending import Works

WAYS = ("instrument", "setup", "km")


class Weights(Struct, frozen=True):
    """What a line is worth: by its run's instrument, or σ for one set-up or one kilometre [m]."""

    way: str = "instrument"
    sigma: float = 0.001


class NetworkLine(Struct, frozen=True):
    """One reading of a run: from, to, rise, σ by the instrument, length [m]; and where it was booked."""

    start: str
    to: str
    rise: float
    sigma: float
    length: float
    run: int
    setup: int


class TakenRun(Struct, frozen=True):
    """A run of the job as the network sees it."""

    id: int
    name: str
    setups: int
    marks: int


class NetworkBook(Struct, frozen=True):
    """Everything a network is worked out from.

    Attributes
    ----------
    lines : list of NetworkLine
        Of the runs taken in.
    known : dict of str to (height, u)
        [m]
    clashes : list of str
        Marks that two runs list with different heights, in words.
    runs : dict of int to str
        Names of the runs taken in.
    left_out : dict of int to str
        Runs that stand aside, and why.
    """

    work: int
    name: str
    style: LengthStyle
    lines: list[NetworkLine]
    known: dict[str, tuple[float, float]]
    clashes: list[str]
    runs: dict[int, str]
    left_out: dict[int, str]
    weights: Weights
    stands: frozenset[str] = frozenset()
    """Names that are no marks but lines of sight."""
    taken: tuple[TakenRun, ...] = ()
    """Every run there is, those left out too."""


def weigh(line: NetworkLine, weights: Weights) -> float:
    """Return σ of a reading [m]; one without a length counts by its instrument where km are wanted.

    A set-up's two readings share its variance.
    """
    if weights.way == "setup":
        return weights.sigma / math.sqrt(2)
    if weights.way == "km" and not is_missing(line.length):
        return weights.sigma * math.sqrt(line.length / 1000)
    return line.sigma


def settings_of(journal: Journal, work: int) -> tuple[Weights, dict[int, str]]:
    """Return the weights chosen and the runs left out, with the reason."""
    entry = journal.latest(work, "weights")
    weights = Weights(str(entry.body["way"]), float(entry.body.get("sigma_m", 0.001))) if entry else Weights()
    out = {int(e.body["run"]): str(e.body.get("reason", "")) for e in journal.standing(work, "left-out")}
    return weights, out


def fold_network(journal: Journal, work: int) -> NetworkBook:
    """Return a network as its own entries say, before it takes the job's runs."""
    weights, left_out = settings_of(journal, work)
    return NetworkBook(work, journal.name_of(work), LengthStyle(), [], {}, [], {}, left_out, weights)


def network_needs(book: NetworkBook, works: Works) -> list[int]:
    """Return the works it takes readings from: all that lend some."""
    return works.lenders()


def take_runs(book: NetworkBook, works: Works) -> NetworkBook:
    """Return a network with the job's runs as lines, and their known marks; a mark listed with two heights is a clash."""
    lines: list[NetworkLine] = []
    known: dict[str, tuple[float, float]] = {}
    clashes: list[str] = []
    names: dict[int, str] = {}
    taken: list[TakenRun] = []
    styles: list[LengthStyle] = []
    for id in works.lenders():
        lent = works.lent(id)
        assert lent is not None
        names[id] = lent.name
        styles.append(lent.style)
        taken.append(TakenRun(id, lent.name, lent.setups, len({x.mark for x in lent.lines})))
        if id in book.left_out:
            continue
        lines += [NetworkLine(x.mark, x.stand, x.rise, x.sigma, x.length, id, x.setup) for x in lent.lines]
        for given in lent.given:
            if given.name in known and abs(known[given.name][0] - given.height) > 1e-9:
                clashes.append(f"{given.mark} is listed with two heights; strike the wrong one")
            known.setdefault(given.name, (given.height, given.u))
    style = min(styles, key=lambda s: s.step) if styles else LengthStyle()
    return replace(
        book,
        style=style,
        lines=lines,
        known=known,
        clashes=list(dict.fromkeys(clashes)),
        runs=names,
        stands=frozenset(line.to for line in lines),
        taken=tuple(taken),
    )
