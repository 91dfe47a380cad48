"""The links of a book: one sight more at its end is the same as laying out the longer book."""

from __future__ import annotations

import random

import numpy as np

from vivid_keel.core.booking.layout import BS, FS, IS, ListedMark, extended, lay_out

LISTED = {"gate": ListedMark("gate", 10.0)}


def parts(layout):
    links = (layout.backsight, layout.foresight, layout.source, layout.parent, list(layout.marks))
    return (
        layout.kinds.tolist(),
        layout.setup.tolist(),
        *links,
        np.nan_to_num(layout.start, nan=-1.0).tolist(),
        layout.troubles,
        layout.passed,
    )


def test_whatever_is_asked_between_a_longer_book_is_laid_out_as_anew():
    """A layout keeps the last longer one: asked another thing and the first again, it must not mix them up."""
    dice = random.Random(5)
    for _ in range(60):
        kinds, marks, setup = [BS], ["gate"], [0]
        layout = lay_out(kinds, marks, setup, LISTED)
        for _ in range(12):
            asked = [
                (
                    dice.choice([BS, IS, FS]),
                    dice.choice(["gate", "a", "b"]),
                    setup[-1] + dice.choice([0, 0, 1]),
                )
                for _ in range(3)
            ]
            for kind, mark, s in [*asked, asked[1], asked[1]]:
                anew = lay_out([*kinds, kind], [*marks, mark], [*setup, s], LISTED)
                assert parts(extended(layout, kind, mark, s)) == parts(anew)
            kind, mark, s = dice.choice(asked)
            layout = extended(layout, kind, mark, s)
            kinds, marks, setup = [*kinds, kind], [*marks, mark], [*setup, s]
