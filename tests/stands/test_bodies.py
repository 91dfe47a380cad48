"""What lies under a body to practise on, where its feet become more or fewer after it was hidden."""

from __future__ import annotations

import numpy as np
import pytest

from vivid_keel.stands.bodies import heights, hide_body


def test_a_foot_that_was_added_later_stands_where_it_was_put():
    hidden = hide_body(3, 4, 0.0001)
    five = heights(hidden, np.eye(5))
    assert five[:4] == pytest.approx(heights(hidden, np.eye(4))) and five[4] == 0.0


def test_a_foot_that_was_taken_away_takes_nothing_with_it():
    hidden = hide_body(3, 4, 0.0001) | {"sprung": 3.0, "turned0": 0.001}
    assert heights(hidden, np.eye(3)) == pytest.approx(heights(hidden, np.eye(4))[:3])
