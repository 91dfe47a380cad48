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


@pytest.mark.parametrize(
    ("kind", "body"),
    [
        ("sight", {"sight": "1,5"}),
        ("sight", {"reading": {"text": "1", "unit": "m", "m": 1e300, "step_m": 0.001}}),
        ("reading", {"point": 1, "phase": "later"}),
    ],
)
def test_words_and_numbers_that_nobody_enters_are_refused_at_the_door(kind, body):
    from vivid_keel.core.kinds import check_body
    from vivid_keel.trades.registry import job_kinds

    whole = {
        "sight": {"mark": "A", "sight": "BS", "reading": {"text": "1", "unit": "m", "m": 1.0, "step_m": 0.1}},
        "reading": {
            "point": 1,
            "phase": "found",
            "reading": {"text": "1", "unit": "m", "m": 1.0, "step_m": 0.1},
        },
    }[kind]
    check_body(job_kinds(), kind, whole)
    with pytest.raises(KeelError) as refused:
        check_body(job_kinds(), kind, whole | body)
    assert refused.value.code == "wrong-type"


@pytest.mark.parametrize("time", ["2026-11" + 30 * "9" + "-26T05:10:40+00:00", "", "2026-11-26T05:10:40"])
def test_a_job_whose_entry_has_no_time_is_refused_with_its_place(time):
    import json

    from vivid_keel.exchange.job_json import read_job, write_job
    from vivid_keel.trades.registry import job_kinds

    told = json.loads(write_job([_job()]))
    assert read_job(json.dumps(told).encode(), job_kinds())
    told["entries"][0]["time"] = time
    with pytest.raises(KeelError) as refused:
        read_job(json.dumps(told).encode(), job_kinds())
    assert refused.value.where == "/entries/0/time"


def _job():
    from vivid_keel.core.record.entries import Entry

    return Entry(1, 0, "job", {"name": "Mill"}, "2026-11-26T05:10:40+00:00", "Ada", None, None, 1)


def test_a_step_of_nothing_is_shown_as_usual():
    from vivid_keel.core.quantities import style_for

    assert style_for("m", 0.0) == style_for("m", -1.0) == style_for("m")
