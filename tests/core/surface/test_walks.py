"""A string and a hydrostatic level walked over ground that is known."""

from __future__ import annotations

import math

import numpy as np
import pytest

from vivid_keel.core.errors import KeelError
from vivid_keel.core.surface.walks import Between, Look, walk_hydrostatic, walk_string


@pytest.mark.parametrize("seed", range(20))
def test_a_string_that_climbs_evenly_gives_the_ground_it_was_hung_over(seed):
    """Truth: a string that climbs so much a metre, sags as a parabola, over ground of known heights."""
    rng = np.random.default_rng(seed)
    n, climb = 6, float(rng.uniform(-4e-4, 4e-4))
    lengths = rng.uniform(2, 8, n).tolist()
    begin = np.concatenate([[0], np.cumsum(lengths)])
    ground = rng.normal(0, 0.3, n)
    stakes = [(f"s{k}", 1.5 + climb * begin[k] - ground[k]) for k in range(n)]
    w, pull = 0.08, 70.0
    leg, share = int(rng.integers(n)), float(rng.uniform(0.1, 0.9))
    x = share * lengths[leg]
    down = 1.5 + climb * (begin[leg] + x) - w * x * (lengths[leg] - x) / (2 * pull) - 0.123
    found = walk_string(
        1.5,
        stakes,
        lengths,
        closing=climb * begin[-1],
        allowed=0.1,
        weight=w,
        tension=pull,
        between=[Between("mid", leg, x, down)],
    )
    assert found.accepted and [found.ground[f"s{k}"] for k in range(n)] == pytest.approx(ground.tolist())
    assert found.ground["mid"] == pytest.approx(0.123)
    # One that comes back by more than is allowed is spread nowhere: the heights stay as the string gave them.
    refused = walk_string(1.5, stakes, lengths, closing=float(climb * begin[-1]), allowed=0.0)
    assert refused.accepted is (climb == 0) and set(refused.string.values()) == {1.5}


@pytest.mark.parametrize(
    ("change", "code"),
    [
        ({"lengths": [4.0]}, "wrong-legs"),
        ({"closing": 0.004}, "wrong-legs"),
        ({"lengths": [4.0, 5.0, 6.0]}, "wrong-legs"),
        ({"weight": 0.1}, "no-tension"),
        ({"between": [Between("A", 0, 1.0, 0.3)]}, "duplicate-name"),
        ({"between": [Between("m", 2, 1.0, 0.3)]}, "bad-value"),
        ({"between": [Between("m", 1, 5.5, 0.3)]}, "bad-value"),
    ],
)
def test_a_walk_that_can_be_none_is_refused(change, code):
    given = {"lengths": [4.0, 5.0]} | change
    with pytest.raises(KeelError) as refused:
        walk_string(10.0, [("A", 0.4), ("B", 0.5), ("C", 0.6)], **given)
    assert refused.value.code == code


@pytest.mark.parametrize("seed", range(20))
def test_a_drifting_level_gives_the_ground_between_its_looks(seed):
    """Truth: a zero that drifts in straight pieces between looks; the base set down anew once."""
    rng = np.random.default_rng(seed)
    times = np.cumsum(rng.uniform(100, 900, 6))
    zero = np.cumsum(rng.normal(0, 0.004, 6))
    looks = [Look(float(t), float(z)) for t, z in zip(times, zero, strict=True)]
    when = rng.uniform(times[0], times[-1], 12)
    ground = rng.normal(0, 0.3, 12)
    points = [
        Look(float(t), float(h + np.interp(t, times, zero)), f"p{k}")
        for k, (t, h) in enumerate(zip(when, ground, strict=True))
    ]
    rng.shuffle(points)
    found = walk_hydrostatic(10.0, looks, points)
    assert not found.void and not found.unchecked
    assert [found.heights[f"p{k}"] for k in range(12)] == pytest.approx((10.0 + ground).tolist())
    moved = float(rng.uniform(times[2], times[3]))
    found = walk_hydrostatic(10.0, looks, points, [moved])
    assert set(found.void) == {f"p{k}" for k, t in enumerate(when) if times[2] < t < times[3]}
    assert set(found.heights) == {f"p{k}" for k in range(12)} - set(found.void)


def test_before_any_look_and_after_the_last():
    found = walk_hydrostatic(
        2.0, [Look(100, 0.01)], [Look(50, 0.2, "early"), Look(100, 0.31, "at it"), Look(200, 0.41, "late")]
    )
    assert found.void == ["early"] and found.unchecked == ["late"]
    assert found.heights == pytest.approx({"at it": 2.3, "late": 2.4})
    with pytest.raises(KeelError, match="look at the benchmark first"):
        walk_hydrostatic(2.0, [], [Look(50, 0.2, "a")])
    assert math.isfinite(found.heights["late"])
