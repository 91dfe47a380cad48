"""A point at the end of a leg is on it, however the leg's length was added up."""

from __future__ import annotations

import pytest

from vivid_keel.core.errors import KeelError
from vivid_keel.core.surface.walks import Between, walk_string


@pytest.mark.parametrize("parts", [3, 7, 9])
def test_a_point_at_the_end_of_a_leg_that_was_summed_in_parts(parts):
    leg = round(20 / 3, 9)
    at = sum([20 / 3 / parts] * parts) + 2e-9
    found = walk_string(10.0, [("a", 0.5), ("b", 0.6)], [leg], between=[Between("end", 0, at, 0.6)])
    assert found.ground["end"] == pytest.approx(found.ground["b"])
    with pytest.raises(KeelError):
        walk_string(10.0, [("a", 0.5), ("b", 0.6)], [leg], between=[Between("end", 0, leg + 0.001, 0.6)])
