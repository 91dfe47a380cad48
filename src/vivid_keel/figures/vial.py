"""A level as it lies on a body in plan: its vial along a line, the bubble so many divisions towards the end that is high."""

from __future__ import annotations

import math

import numpy as np

from vivid_keel.figures.display import Picture

VIAL, HALF = 84.0, 11.0
"""Length of a drawn vial and half its height [px]."""
SCALE_MOST = 5.0
"""A bubble is drawn at most so many divisions off the middle [1]."""


def vial(picture: Picture, a: tuple[float, float], b: tuple[float, float], divisions: float) -> None:
    """Draw one in the middle between two places [px]; nan: without a bubble."""
    x, y = (a[0] + b[0]) / 2, (a[1] + b[1]) / 2
    long = math.hypot(b[0] - a[0], b[1] - a[1]) or 1.0
    along = np.array([(b[0] - a[0]) / long, (b[1] - a[1]) / long])
    across = np.array([-along[1], along[0]])

    def at(s: float, t: float) -> tuple[float, float]:
        q = np.array([x, y]) + s * along + t * across
        return float(q[0]), float(q[1])

    half = min(VIAL / 2, long / 2 - 14)
    if half < 16:
        return
    picture.poly([at(-half, -HALF), at(half, -HALF), at(half, HALF), at(-half, HALF)], "glass", "ink", 1.2)
    for mark in (-1, 1):
        (x1, y1), (x2, y2) = at(mark * 9, -HALF), at(mark * 9, HALF)
        picture.line(x1, y1, x2, y2, "ink", 1.2)
    if math.isnan(divisions):
        return
    shift = max(min(divisions, SCALE_MOST), -SCALE_MOST) / SCALE_MOST * (half - 9)
    bx, by = at(shift, 0)
    picture.disc(bx, by, 7, "paper", "keel" if abs(divisions) < 0.25 else "ink", 1.8)
    picture.poly([at(half + 14, 0), at(half + 4, -5), at(half + 4, 5)], "ink", "ink", 1.0)  # where + is high
    out = HALF + 14 + 10 * abs(float(across[0]))
    tx, ty = at(0, out if across[1] > 0 or (across[1] == 0 and across[0] > 0) else -out)
    picture.text(tx, ty + 5, f"{divisions:+.1f}".replace("-", "−"), "muted", 13, align="centre", ground=True)
