"""What a body read by a level comes to, as rows that outlive the program. Source: the fit of `core.body.model`, U = 2u."""

from __future__ import annotations

from collections.abc import Iterator, Sequence

from vivid_keel.core.body.model import Adjusted
from vivid_keel.core.record.told import Told


def body_told(body: Adjusted | None, names: Sequence[str], phase: str) -> Iterator[Told]:
    """Tell how a body stood: heights against the first of its `names`, [m], its tilt and the level's own error [rad]; U = 2u.

    Nothing of a body that isn't known. `phase`: "found" or "left".
    """
    if body is None:
        return
    how = "v = (h_to − h_from)/d + way·zero − tilt;  Σ(v/u)² least"
    for name, height, u in zip(names, body.heights.tolist(), body.u.tolist(), strict=False):
        yield Told(name, f"height as {phase}, against {names[0]}", height, "m", 2 * u, how)
    if body.gradient is not None and body.u_gradient is not None:
        for name, tilt, u in zip(("along", "across"), body.gradient, body.u_gradient, strict=True):
            yield Told(
                "all of it", f"tilt as {phase}, {name}", tilt, "rad", 2 * u, "the plane that fits best"
            )
    for name, zero in body.zeros.items():
        yield Told(name, f"own error as {phase}", zero, "rad", 2 * body.u_zeros[name], how)
