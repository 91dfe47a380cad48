"""Ranking what may have gone wrong by how well it alone explains what doesn't fit.

Source: Bayes' rule over single mistakes; the evidence of a slip of free size integrated over it.
"""

from __future__ import annotations

import math
from collections.abc import Iterator
from typing import TYPE_CHECKING

import numpy as np
from msgspec import Struct

from vivid_keel.core.booking.slips.fit import POINTING, Fit, fit_book
from vivid_keel.core.booking.slips.kinds import KINDS, Hypothesis, hypotheses
from vivid_keel.core.booking.slips.readings import BookReadings

if TYPE_CHECKING:
    import numpy.typing as npt

    Floats = npt.NDArray[np.float64]

NO_SLIP = math.log(1.0)
"""A book without a slip against a book with one, before anything is looked at [1, log odds]."""
NOISE = ((1.0, 0.5), (1.2, 0.3), (1.4, 0.17), (1.8, 0.03))
"""How much noisier than stated a book may be read, and how often it is [1, 1]."""
WILD, TIMES = 0.02, 3.0
"""Share of honest readings that are wild ones, and how many times as wide they are read [1, 1]."""
AT_ONCE = 64
"""Slips that are held against the fit together [1]: more would take room for nothing in a long book."""
ACCUSES = 0.6
"""How sure the search must be that something is wrong before it names anything."""


class Suggestion(Struct, frozen=True):
    """One place to look.

    Attributes
    ----------
    rows : tuple of int
        Sights, the one to read again first.
    kind : str
        The likeliest mistake there, a key of `KINDS`.
    size : float
        What the mistake added to the reading [m].
    would_be : float
        What the first row's reading would have been [m].
    sure : float
        Share of all explanations by which this row's reading is off [1]: a joint not home, or columns exchanged, put out others, too.
    share : float
        Share of those that send a person here first [1]: over all places they sum to one.
    of_kind : float
        Share of those here that are of this kind [1].
    """

    rows: tuple[int, ...]
    kind: str
    size: float
    would_be: float
    sure: float
    share: float
    of_kind: float


class Search(Struct, frozen=True):
    """What a search found.

    Attributes
    ----------
    wrong : float
        How sure it is that there is a slip at all [1].
    suggestions : list of Suggestion
        Likeliest first; empty where nothing is accused.
    kinds : dict of str to float
        Share of each kind over all places [1], likeliest first.
    fit : Fit
    """

    wrong: float
    suggestions: list[Suggestion]
    kinds: dict[str, float]
    fit: Fit

    @property
    def place_known(self) -> bool:
        """Whether three places hold nine tenths of what may have happened."""
        return sum(suggestion.share for suggestion in self.suggestions[:3]) >= 0.9

    @property
    def kind_known(self) -> str:
        """The kind that holds nine tenths of what may have happened, or ""."""
        key = next(iter(self.kinds), "")
        return key if key and self.kinds[key] >= 0.9 else ""


def find_slips(book: BookReadings, *, most: int = 12) -> Search:
    """Return the single mistakes that would explain a book, likeliest first.

    Each hypothesis says what it added to which observations; taking that out of a least-squares fit
    lowers Σ left²·weight by a known amount. Slips of a free size are weighed over the sizes they
    ordinarily have, so that a size that fits anything explains less than a size that had to be
    just so. Within a kind every place is as likely as any other. Wind, shimmer or haste make a book noisier than was
    stated: everything is weighed over how much noisier it may be, with a slip and without one.

    Parameters
    ----------
    book : BookReadings
    most : int
        Suggestions to return.

    References
    ----------
    Bayes' rule over linear models with normal noise; for a slip of size N(m, τ²) along D, with
    g = Dᵀ·P·l and h = Dᵀ·P·R·D: log ratio = m·g − m²·h/2 + (g − m·h)²/(2(h + 1/τ²)) − log(1 + τ²·h)/2.
    """
    fit = fit_book(book)
    found = list(hypotheses(book, fit)) if fit.freedom > 0 else []
    if not found:
        return Search(0.0, [], {}, fit)
    kinds = [h.kind for h in found]
    of_kind = {key: kinds.count(key) for key in set(kinds)}
    total = math.log(sum(KINDS[key].prior for key in of_kind))
    prior = np.array([math.log(KINDS[h.kind].prior / of_kind[h.kind]) - total for h in found])
    # The honest book's own evidence in each noise, one of its readings a wild one or not, and each slip's beside it.
    seen = list(_in_noise(book, fit, found))
    with_noise = [_explained(found, one.g, one.h) for one in seen]
    tame = [one.honest + one.wild for one in seen]
    gain = prior + np.logaddexp.reduce(
        [one.honest + ratio for one, (ratio, _) in zip(seen, with_noise, strict=True)], axis=0
    )
    none = NO_SLIP + float(np.logaddexp.reduce(tame))
    top = max(float(gain.max()), none)
    weight = np.exp(gain - top)
    something = float(weight.sum())
    wrong = something / (something + math.exp(none - top))
    sizes = with_noise[0][1]
    if wrong < ACCUSES:
        return Search(wrong, [], {}, fit)
    share = weight / something
    return Search(wrong, _by_place(book, found, share, sizes, most), _by_kind(kinds, share), fit)


class InNoise(Struct, frozen=True):
    """A book seen in a noise: the honest book's log evidence with its prior, what a wild reading adds to it, and what pulls each slip."""

    honest: float
    wild: float
    g: Floats
    h: Floats


def _in_noise(book: BookReadings, fit: Fit, found: list[Hypothesis]) -> Iterator[InNoise]:
    """See a book in each noise that it may have been read in.

    Bare readings are all alike: everything widens by one factor. Where there are looks or hairs, their own scatter is seen within each sight,
    and what may be wider is the pointing that they share.
    """
    own = _own_scatter(book)
    if own is None:
        g, h = _pulls(fit, found)
        for f, often in NOISE:
            honest = math.log(often) + fit.squares * (1 - f**-2) / 2 - fit.freedom * math.log(f)
            yield InNoise(honest, _one_wild(fit, f), g / f**2, h / f**2)
        return
    for f, often in NOISE:
        aimed = max(f**2 - own, LEAST_SHARED * f**2)
        seen = fit_book(book, own, aimed)
        g, h = _pulls(seen, found)
        yield InNoise(
            math.log(often) - seen.squares / 2 - _width(seen, own, aimed), _one_wild(seen, 1.0), g, h
        )


def _own_scatter(book: BookReadings) -> float | None:
    """The variance with which what is read at one pointing differs, in units of the stated one [1]; None where nothing was read twice.

    From the differences within the sights, the widest tenth left out: a slip among them tells nothing of the rest. With few of them the
    stated one counts, too.
    """
    mean = (book.upper + book.lower) / 2
    apart = np.concatenate(
        [(book.look - book.middle) / math.sqrt(2), (mean - book.middle) / math.sqrt(1.5)]
    ) / np.tile(book.sigma, 2)
    squares = np.sort(apart[~np.isnan(apart)] ** 2)
    if not len(squares):
        return None
    kept = squares[: len(squares) - max(1, len(squares) // 10)]
    seen = float(kept.sum()) / KEPT
    return float(np.clip((STATED + seen) / (STATED + len(kept)), LEAST_SHARED, 4.0))


LEAST_SHARED = 0.05
"""Neither the own scatter nor the pointing is less than so much of a reading's variance [1]."""
STATED = 3.0
"""How many differences the stated scatter is worth beside those that were seen [1]."""
KEPT = 0.62
"""Mean square of a normal deviate whose widest tenth is left out [1]: (0.9 − 2·1.645·φ(1.645))/0.9."""


def _width(fit: Fit, own: float, aimed: float) -> float:
    """Half the log of how wide the sights' means are, as far as the book checks them [1]: what a wide noise costs."""
    seen = np.bincount(np.asarray(fit.sight)[fit.sort != POINTING])
    seen = seen[seen > 0]
    marks_and_lines = fit.unknowns - int((fit.sort == POINTING).sum())
    checked = max(0.0, 1.0 - marks_and_lines / len(seen))
    return float(checked * np.log(own / seen + aimed).sum() / 2)


def _pulls(fit: Fit, found: list[Hypothesis]) -> tuple[Floats, Floats]:
    """g = Dᵀ·P·l [1/m] and h = Dᵀ·P·R·D [1/m²] of each hypothesis, D what a slip of one metre adds."""
    single = np.array([one.touches[0][0] if len(one.touches) == 1 else -1 for one in found], dtype=np.intp)
    g = np.asarray(fit.weight)[single] * np.asarray(fit.left)[single]
    h = np.asarray(fit.weight)[single] * np.asarray(fit.share)[single]
    alike: dict[tuple[tuple[int, float], ...], list[int]] = {}
    for n in np.flatnonzero(single < 0).tolist():
        alike.setdefault(found[n].touches, []).append(n)
    several = list(alike.items())
    for first in range(0, len(several), AT_ONCE):
        part = several[first : first + AT_ONCE]
        along = np.zeros((len(fit.sight), len(part)))
        for column, (touches, _) in enumerate(part):
            for k, much in touches:
                along[k, column] += much
        for (_, members), pulled, stays in zip(part, *fit.pull(along), strict=True):
            g[members], h[members] = pulled, stays
    return g, h


def _one_wild(fit: Fit, noise: float) -> float:
    """Log of how much better an honest book is explained where one of its readings may be a wild one [1]."""
    free = (TIMES**2 - 1) * noise**2 / fit.weight
    g, h = fit.weight * fit.left / noise**2, fit.weight * fit.share / noise**2
    ratio = free * g**2 / (2 * (1 + free * h)) - np.log1p(free * h) / 2
    return float(np.logaddexp(0.0, math.log(WILD) + np.logaddexp.reduce(ratio)))


def _explained(found: list[Hypothesis], g: Floats, h: Floats) -> tuple[Floats, Floats]:
    """Log ratio of each hypothesis to a book without a slip, and the likeliest size of each slip [m]."""
    size = np.array([one.size for one in found])
    free = np.array([one.spread for one in found]) ** 2
    rest = g - size * h
    ratio = size * g - size**2 * h / 2 + free * rest**2 / (2 * (1 + free * h)) - np.log1p(free * h) / 2
    return ratio, size + free * rest / (1 + free * h)


def _by_place(
    book: BookReadings, found: list[Hypothesis], share: Floats, sizes: Floats, most: int
) -> list[Suggestion]:
    at: dict[int, list[int]] = {}
    off: dict[int, float] = {}
    for n, one in enumerate(found):
        if share[n] > 1e-9:
            at.setdefault(one.rows[0], []).append(n)
            for row in _put_off(book, one):
                off[row] = off.get(row, 0.0) + float(share[n])
    out = []
    for row, members in at.items():
        best = max(members, key=lambda n: round(float(share[n]), 9))
        here = float(sum(share[n] for n in members))
        kind = found[best].kind
        of_kind = float(sum(share[n] for n in members if found[n].kind == kind)) / here
        one = found[best]
        size = float(sizes[best])
        out.append(Suggestion(one.rows, kind, size, float(book.middle[row]) - size, off[row], here, of_kind))
    # As sure as one another they stand as in the book, whatever the last bits of a machine say.
    out.sort(key=lambda s: (-round(s.share, 6), s.rows[0]))
    return out[:most]


def _put_off(book: BookReadings, one: Hypothesis) -> tuple[int, ...]:
    """The sights at whose marks a mistake would be seen."""
    if one.kind in {"columns", "nail", "joint"}:
        return one.rows
    if one.kind == "sank":
        return (one.rows[0], book.layout.source[int(book.layout.setup[one.rows[0]])])
    return one.rows[:1]


def _by_kind(kinds: list[str], share: Floats) -> dict[str, float]:
    out: dict[str, float] = {}
    for key, s in zip(kinds, share.tolist(), strict=True):
        out[key] = out.get(key, 0.0) + s
    return dict(sorted(out.items(), key=lambda item: -item[1]))
