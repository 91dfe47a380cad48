"""What typing into a cell does: where Enter goes, and what is asked once before it is taken."""

from __future__ import annotations

import numpy as np
import pytest

from tests.saying import take
from tests.trades.supports.test_plan_holds import floor_of
from vivid_keel.core.errors import KeelError
from vivid_keel.trades.supports.desk import SLIPS, odd_by

READ = ("1.2500", "1.2380", "1.2410", "1.2440")


@pytest.fixture
def desk(tmp_path):
    desk = floor_of(tmp_path / "floor.keel", 1, 4, READ, (("5 mm", 9), ("1 mm", 9)))
    yield desk
    desk.file.close()


def sheet_of(desk, stage="Readings"):
    return desk.sheets(stage)[0]


def test_after_the_last_post_enter_goes_on_to_the_watch_mark_and_overwrites_nothing(desk):
    assert take(sheet_of(desk), 3, 2, "1.2441") == (4, 2)
    assert desk.book.points[3].found.text == "1.2441"
    take(sheet_of(desk), 4, 2, "0.8150")
    assert desk.book.reference["found"].text == "0.8150"
    assert [p.found.text for p in desk.book.points] == ["1.2500", "1.2380", "1.2410", "1.2441"]
    assert take(sheet_of(desk), 3, 2, "1.2440") == (3, 2)  # the mark is read: nothing more is asked


@pytest.mark.parametrize("typed", ["2.2440", "0.2440", "1.7440", "1.3440", "1.1440"])
def test_a_reading_a_metre_half_a_metre_or_100_mm_off_is_asked_about_once(desk, typed):
    with pytest.raises(KeelError, match="was 1.2440 meant") as refused:
        take(sheet_of(desk), 3, 2, typed)
    assert refused.value.code == "odd-reading"
    assert desk.book.points[3].found.text == "1.2440"  # nothing is recorded until it is typed again
    take(sheet_of(desk), 3, 2, typed)
    assert desk.book.points[3].found.text == typed


def test_the_watch_marks_reading_typed_at_a_post_is_asked_about(desk):
    with pytest.raises(KeelError, match="is it A4's reading"):
        take(sheet_of(desk), 3, 2, "0.8090")


def test_honest_readings_of_a_crooked_floor_are_not_asked_about():
    rng = np.random.default_rng(7)
    asked = 0
    for _ in range(400):
        floor = 1.25 + rng.uniform(-0.03, 0.03, int(rng.integers(4, 14)))
        asked += odd_by(float(floor[0]), floor[1:].tolist(), SLIPS) != (0.0, 0.0)
    assert asked <= 4  # 1 in 100: some that lie close together and one far off


def test_too_few_readings_are_no_neighbours():
    assert odd_by(2.25, [1.25], SLIPS) == (0.0, 0.0)
