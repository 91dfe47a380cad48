"""The change point that a new line proposes."""

from __future__ import annotations

import pytest

from vivid_keel.trades.run.proposing import _next_point


@pytest.mark.parametrize(
    ("marks", "next_one"),
    [
        ([], "CP 1"),
        (["Mill gate", "drain"], "CP 1"),
        (["Mill gate", "CP 1", "drain"], "CP 2"),
        (["CP 41", "drain"], "CP 42"),  # a book taken on at somebody's forty-second
        (["CP 9", "CP 8"], "CP 10"),  # the ninth was read ahead
        (["CP 2", "CP x", "CP ²", "CP "], "CP 3"),
    ],
)
def test_it_goes_on_from_the_last_one(marks, next_one):
    assert _next_point(marks) == next_one
