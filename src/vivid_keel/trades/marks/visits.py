"""The visits of carried marks: how far each slab stood under its mark, and what it did in between."""

from __future__ import annotations

import math
from datetime import datetime

from vivid_keel.core.record.visits import Drift, Visit, drifts
from vivid_keel.trades.marks.book import MarksBook

U_TAPE = 0.0005
"""Standard uncertainty of one steel tape down from a mark [m]."""


def labels(book: MarksBook) -> list[str]:
    """Return what the visits at which something was taped are called: their months, oldest first."""
    return [f"{datetime.fromisoformat(one.began):%b %Y}" for one in book.taped]


def visits_of(book: MarksBook) -> list[Visit]:
    """Return the visits at which something was taped: slabs against their own marks, down − [m]."""
    return [
        Visit(
            label,
            datetime.fromisoformat(one.began),
            datetime.fromisoformat(one.ended),
            {name: -down for name, down in one.to_slab.items()},
            {},
            max(U_TAPE, book.style.step / math.sqrt(12)),
        )
        for label, one in zip(labels(book), book.taped, strict=True)
    ]


def drifts_of(book: MarksBook) -> dict[str, Drift]:
    """Return what every slab did between the visits; there is no tolerance that it could leave."""
    return drifts(visits_of(book), {}, math.inf)
