"""Problems of the trades: marks carried to columns, a trailer levelled on its ramps."""

from __future__ import annotations

from vivid_keel.core.problems.fields import Fields, Solved, filled, names_once
from vivid_keel.trades.marks.carry import CHAIN, STAR, Measured, carry


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
        columns.append(
            Measured(g.text("name"), offset, g.maybe("to_slab_m"), g.maybe("design_m"), g.maybe("top_m"))
        )
        g.done()
    names_once([column.name for column in columns], "/problem/columns")
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
