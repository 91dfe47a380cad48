"""Numbers that only a stranger's file holds: the pictures and stages stay bounded, whatever stands in it."""

from __future__ import annotations

import numpy as np
import pytest

from vivid_keel.core.errors import KeelError
from vivid_keel.core.instruments.used import Instrument, instrument_of
from vivid_keel.core.moving.stages import MOST_STAGES, stage
from vivid_keel.core.quantities import LengthStyle
from vivid_keel.core.record.entries import Draft
from vivid_keel.core.record.journal import Journal
from vivid_keel.figures.instrument import TICKS, worth


@pytest.fixture
def level():
    from tests.trades.supports.test_works import Book

    book = Book("run")
    found: Instrument = instrument_of(book.journal, book.work, "m")
    return found


@pytest.mark.parametrize("far", [12.0, 75.0, 480.0, 1e6, 1e18, 1e300])
@pytest.mark.parametrize("unit", ["m", "ft"])
def test_an_axis_has_a_handful_of_distances_however_long_a_sight(level, far, unit):
    texts = worth(level, [24.0, far], 700, 300, LengthStyle(unit)).texts()
    under = [text for text in texts if text.replace(".", "").replace("e+", "").isdigit()]
    assert 3 <= len(under) <= TICKS + 4  # and the two figures of the other axis


def test_nothing_is_lifted_in_more_stages_than_anybody_takes():
    assert len(stage(np.array([0.0, 0.05]), 0.006)) == 9
    with pytest.raises(KeelError, match="off by a thousand"):
        stage(np.array([0.0, MOST_STAGES * 0.006 * 1.01]), 0.006)


def test_leaves_without_number_are_a_strangers(tmp_path):
    from tests.trades.supports.test_works import Book

    book = Book("supports")
    point = book.post("A1", "1.260")
    book.post("A2", "1.264", x=2.4)
    body = {"point": point, "put_m": 0.004, "leaves": 1, "text": "4 mm", "for_now": {"4000": 1e15}}
    book.add(Draft(book.work, "put", body))
    assert isinstance(book.journal, Journal) and book.supports().read == 2
