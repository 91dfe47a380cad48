"""Problems of the trades: marks carried to columns, a trailer levelled on its ramps."""

from __future__ import annotations

import math

from vivid_keel.core.errors import KeelError
from vivid_keel.core.problems.fields import Fields, Solved, filled, number
from vivid_keel.trades.vehicle.wheels import trailer


def trailer_levelled(f: Fields) -> Solved:
    """Which wheel, which step, and the nose."""
    tilts = []
    for name in ("roll_rad", "pitch_rad"):
        value = f.number(name)
        if abs(value) >= math.pi / 2:
            raise KeelError("bad-value", "a tilt is under a right angle", f"/problem/{name}")
        tilts.append(value)
    track, length = f.number("track_m", above=0.0), f.number("axle_to_coupling_m", above=0.0)
    steps = None
    if f.has("steps_m"):
        steps = [
            number(item, where, above=0.0) for item, where in filled(f.items("steps_m"), "/problem/steps_m")
        ]
    f.done()
    found = trailer(tilts[0], tilts[1], track, length, steps)
    return {
        "wheel": found.wheel,
        "wheel_raise_m": found.wheel_raise,
        "step_m": found.step,
        "nose_raise_m": found.nose_raise,
        "roll_left_rad": found.roll_left,
    }, []
