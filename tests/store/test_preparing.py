"""What an entry writes: the quick encoder says what the standard one says, and refuses what it refuses."""

from __future__ import annotations

import json
import math

import pytest
from hypothesis import given
from hypothesis import strategies as st

from vivid_keel.store.preparing import _written

TEXT = st.text(st.characters(exclude_categories=["Cs"]))
VALUES = st.recursive(
    st.none() | st.booleans() | st.integers() | st.floats(allow_nan=False, allow_infinity=False) | TEXT,
    lambda inner: st.lists(inner, max_size=4) | st.dictionaries(TEXT, inner, max_size=4),
)


@given(st.dictionaries(TEXT, VALUES, max_size=6))
def test_whatever_is_written_comes_back(body):
    back = json.loads(_written(body))
    assert back == body
    assert repr(back) == repr(json.loads(json.dumps(body)))  # 0.0 and -0.0, 1 and 1.0, too


@pytest.mark.parametrize("number", [math.nan, math.inf, -math.inf])
def test_what_is_no_number_is_refused_however_deep(number):
    with pytest.raises(ValueError, match="Out of range float"):
        _written({"hidden": {"spring": [1.0, number]}})


def test_a_number_of_any_size_stays_itself():
    assert json.loads(_written({"n": 2**70})) == {"n": 2**70}
