"""One number has one U, wherever it stands."""

from __future__ import annotations

import numpy as np
import pytest

from tests.trades.ground.test_ground import ground
from vivid_keel.trades.ground.findings import ground_findings, show_volume
from vivid_keel.trades.ground.told import _told


def rolling(n, plane, seed=3):
    rng = np.random.default_rng(seed)
    xy = [(0, 0), (20, 0), (20, 15), (0, 15), *rng.uniform((1, 1), (19, 14), (n - 4, 2)).tolist()]
    return ground([(x, y, 0.15 * np.sin(x / 3) + 0.1 * np.cos(y / 4)) for x, y in xy], plane=plane)


@pytest.mark.parametrize("plane", [0.05, 0.2])
def test_archive_report_and_screen_say_one_u_of_what_lies_below_and_above_the_plane(plane):
    result = rolling(40, plane)
    kept = {one.quantity: one.U for one in _told(result) if one.of == "ground"}
    assert kept["room below the plane"] == result.known.U > 0
    assert kept["ground above the plane"] == result.known_above.U > 0
    assert kept["area below the plane"] == result.known_area.U > 0
    said = " ".join(f.text for f in ground_findings(result, "Readings"))
    assert f"± {show_volume(result.known.U, result.book.style)}" in said


def test_a_plus_or_minus_as_large_as_the_number_is_said_in_words():
    few = rolling(7, 0.0)
    assert few.found.fill <= few.known.U
    assert any("but between nothing and" in f.title for f in ground_findings(few, "Readings"))
