"""Problems of the level book: the book itself, one sight, a network, two epochs."""

from __future__ import annotations

import math

from vivid_keel.core.booking.network import LevelledLine, adjust
from vivid_keel.core.errors import KeelError
from vivid_keel.core.problems.fields import Fields, Solved
from vivid_keel.core.quantities import is_missing


def network(f: Fields) -> Solved:
    """Least squares of lines between marks."""
    known = f.mapping("known")
    unit = f.number("sigma_unit_m", above=0.0)
    lines: list[LevelledLine] = []
    for item, where in f.items("lines"):
        g = Fields(item, where)
        start, to, rise = g.text("from"), g.text("to"), g.number("rise_m")
        setups, km, own = (
            g.maybe("setups", above=0.0),
            g.maybe("length_km", above=0.0),
            g.maybe("sigma_m", above=0.0),
        )
        g.done()
        if setups is not None and setups != math.floor(setups):
            raise KeelError("bad-value", "a number of set-ups is a whole number", f"{where}/setups")
        if start == to:
            raise KeelError("bad-value", f"a line from {start} to itself says nothing", f"{where}/to")
        root = math.sqrt(setups) if setups is not None else math.sqrt(km) if km is not None else 1.0
        lines.append(LevelledLine(start, to, rise, own if own is not None else unit * root))
    f.done()
    try:
        net = adjust({name: (height, 0.0) for name, height in known.items()}, lines)
    except KeelError as error:
        raise error.at("/problem/known" if error.code == "no-known-mark" else "/problem/lines") from None
    warnings = []
    if net.suspicious:
        line = lines[net.worst]
        warnings.append(
            f"the line {line.start} to {line.to} fits worst: {net.standardised[net.worst]:.1f} times its σ; "
            "look there for a slip"
        )
    return {
        "heights": dict(zip(net.names, net.heights.tolist(), strict=True)),
        "u_m": dict(zip(net.names, net.u.tolist(), strict=True)),
        "residuals_m": net.residuals.tolist(),
        "standardised": [None if is_missing(s) else s for s in net.standardised.tolist()],
        "redundancy": net.redundancy.tolist(),
        "degrees_of_freedom": net.freedom,
        "variance_factor": net.variance_factor,
    }, warnings
