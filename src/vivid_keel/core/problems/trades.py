"""Problems of the trades: marks carried to columns, a trailer levelled on its ramps."""

from __future__ import annotations

import math

from vivid_keel.core.errors import KeelError
from vivid_keel.core.levelling.carried import CHAIN, STAR, Column, carry
from vivid_keel.core.levelling.wheels import trailer
from vivid_keel.core.problems.fields import Fields, Solved, filled, names_once, number


def carried_marks(f: Fields) -> Solved:
    """A mark carried to columns."""
    reference = f.inner("reference")
    assert reference is not None
    reference.text("name")
    height = reference.number("height_m")
    reference.done()
    columns = []
    for item, where in filled(f.items("columns"), "/problem/columns"):
        g = Fields(item, where)
        offset = g.maybe("mark_offset_m", 0.0)
        assert offset is not None
        columns.append(Column(g.text("name"), offset, g.maybe("to_slab_m"), g.maybe("design_m"), g.maybe("top_m")))
        g.done()
    names_once([c.name for c in columns], "/problem/columns")
    order = f.text("order", (STAR, CHAIN), STAR)
    u = f.number("u_step_m", least=0.0)
    f.done()
    found = carry(height, columns, u, order)
    return {
        "mark_height_m": {c.name: c.mark for c in found},
        "slab_m": {c.name: c.slab for c in found if c.slab is not None},
        "up_m": {c.name: c.up for c in found if c.up is not None},
        "cut_m": {c.name: c.cut for c in found if c.cut is not None},
        "u_m": {c.name: c.u for c in found},
    }, []


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
        steps = [number(item, where, above=0.0) for item, where in filled(f.items("steps_m"), "/problem/steps_m")]
    f.done()
    found = trailer(tilts[0], tilts[1], track, length, steps)
    return {
        "wheel": found.wheel,
        "wheel_raise_m": found.wheel_raise,
        "step_m": found.step,
        "nose_raise_m": found.nose_raise,
        "roll_left_rad": found.roll_left,
    }, []
