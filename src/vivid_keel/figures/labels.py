"""Where words stand so that they cover neither one another nor what is drawn."""

from __future__ import annotations

from collections.abc import Callable, Sequence

import numpy as np
import numpy.typing as npt

Box = tuple[float, float, float, float]
"""Left, top, right, bottom [px]."""
TOUCH = 1.0
"""So little covered is nothing [px²]."""
SWEEPS = 4
"""How often each is looked at again after all have a place."""
LATER = 3.0
"""What each later place is worse than the one before it [px²]: words stay near what they are of."""
OUTSIDE = 4.0
"""How much worse a word is beyond the edge of the picture than over another."""


def places(
    first: Sequence[Box], could: Callable[[int], Sequence[Box]], taken: Sequence[Box], page: Box
) -> list[Box]:
    """Return where each word stands: at its first box, or at that of the boxes it could have where it covers least, the earlier the
    better where several are as good.

    first : the box each wants; could : all it may have, that one before others; taken : what is covered already; page : the picture [px].
    Each takes its best place in turn; then each looks again, now that the others stand.
    """
    stand = list(first)
    if not stand:
        return stand
    fixed = np.asarray(taken, dtype=np.float64).reshape(-1, 4)
    wanted = np.asarray(stand)
    # Most stand well at once: only those that don't are tried elsewhere, and all of them where that isn't enough.
    own = (wanted[:, 2] - wanted[:, 0]) * (wanted[:, 3] - wanted[:, 1])
    clash = _cover(wanted, wanted) - own + _cover(wanted, fixed) + _outside(wanted, page) > TOUCH
    for some in (clash, np.ones(len(stand), dtype=bool)):
        if not some.any():
            break
        at = np.flatnonzero(some).tolist()
        found, over = _search([could(k) for k in at], np.concatenate([fixed, wanted[~some]]), page)
        for k, box in zip(at, found, strict=True):
            stand[k] = box
        if over <= TOUCH:
            break
    return stand


def _search(
    could: Sequence[Sequence[Box]], fixed: npt.NDArray[np.float64], page: Box
) -> tuple[list[Box], float]:
    """Return where each word covers least, one after the other and again, and how much of others they all cover there [px²]."""
    boxes = np.concatenate([np.asarray(each, dtype=np.float64) for each in could])
    ends = np.cumsum([len(each) for each in could])
    begins = ends - [len(each) for each in could]
    apart = _covers(boxes, boxes)
    alone = _cover(boxes, fixed) + OUTSIDE * _outside(boxes, page)
    later = LATER * np.concatenate([np.arange(len(each)) for each in could])
    chosen: dict[int, int] = {}
    for sweep in range(SWEEPS):
        before = dict(chosen)
        for k, (begin, end) in enumerate(zip(begins.tolist(), ends.tolist(), strict=True)):
            others = [at for j, at in chosen.items() if j != k]
            cost = alone[begin:end] + later[begin:end] + apart[begin:end, others].sum(axis=1)
            chosen[k] = begin + int(np.argmin(cost))
        if sweep and chosen == before:
            break
    at = [chosen[k] for k in range(len(could))]
    among = apart[np.ix_(at, at)]
    over = float(alone[at].sum() + (among.sum() - np.trace(among)) / 2)
    return [each[k - begin] for each, k, begin in zip(could, at, begins.tolist(), strict=True)], over


def _cover(boxes: npt.NDArray[np.float64], others: npt.NDArray[np.float64]) -> npt.NDArray[np.float64]:
    """How much of others each box covers (n,) [px²]."""
    return np.asarray(_covers(boxes, others).sum(axis=1))


def _covers(boxes: npt.NDArray[np.float64], others: npt.NDArray[np.float64]) -> npt.NDArray[np.float64]:
    """How much of each of m others each of n boxes covers (n, m) [px²]."""
    wide = np.minimum(boxes[:, None, 2], others[:, 2]) - np.maximum(boxes[:, None, 0], others[:, 0])
    tall = np.minimum(boxes[:, None, 3], others[:, 3]) - np.maximum(boxes[:, None, 1], others[:, 1])
    return np.asarray(np.maximum(wide, 0.0) * np.maximum(tall, 0.0))


def _outside(boxes: npt.NDArray[np.float64], page: Box) -> npt.NDArray[np.float64]:
    """How much of each box lies outside the page (n,) [px²]."""
    whole = (boxes[:, 2] - boxes[:, 0]) * (boxes[:, 3] - boxes[:, 1])
    return whole - _cover(boxes, np.asarray([page]))
