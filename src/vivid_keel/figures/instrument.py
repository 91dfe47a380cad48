"""What a reading is worth: its U against the length of the sight."""

from __future__ import annotations

import math

import numpy as np

from vivid_keel.core.instruments.defaults import reading_uncertainty
from vivid_keel.core.instruments.used import Instrument
from vivid_keel.core.quantities import LengthStyle, is_missing, show_amount
from vivid_keel.figures.display import Picture

TICKS = 14
"""So many distances stand under the axis at the most."""


def worth(
    instrument: Instrument, distances: list[float], width: float, height: float, style: LengthStyle
) -> Picture:
    """Return U of one reading against distance, with the sights booked under it.

    Parameters
    ----------
    instrument : Instrument
    distances : list of float
        Sights booked so far [m]; nan where not known.
    """
    picture = Picture(width, height)
    known = [distance for distance in distances if not is_missing(distance)]
    far = max([60.0 if instrument.from_distance >= 20 else 30.0, *known]) * 1.05
    d = np.linspace(0, far, 80)
    U = 2 * reading_uncertainty(
        instrument.base, instrument.per_metre, instrument.from_distance, instrument.reach, d
    )
    x0, x1, top, base = 70.0, width - 40.0, 62.0, height - 62.0
    peak = float(U.max()) * 1.3

    def x(v: float) -> float:
        return x0 + v / far * (x1 - x0)

    def y(v: float) -> float:
        return base - v / peak * (base - top)

    curve = [(x(float(a)), y(float(b))) for a, b in zip(d, U, strict=True)]
    picture.poly([(x0, base), *curve, (x1, base)], "lit", "")
    picture.poly(curve, "", "raise", 2.4, closed=False)
    picture.line(x0, base, x1, base, "ink", 1.2)
    picture.line(x0, top, x0, base, "ink", 1.2)
    every = 10.0 if style.far == "m" else 15.24
    if far > TICKS * every:  # a stranger's sight may be longer than the earth
        ten = 10.0 ** math.floor(math.log10(far / every / TICKS) + 1)
        every *= next(step for step in (ten / 5, ten / 2, ten) if far <= TICKS * every * step)
    for k in range(int(far / every) + 1):
        tick = k * every
        picture.line(x(tick), base, x(tick), base + 5, "ink")
        picture.text(x(tick), base + 20, style.distance(tick), "muted", 13, align="centre")
    picture.text(x1, base + 38, f"length of the sight, {style.far}", "muted", 13, align="right")
    for share in (0.5, 1.0):
        value = float(U.max()) * share
        picture.line(x0 - 5, y(value), x0, y(value), "ink")
        picture.text(x0 - 10, y(value) + 5, style.amount(value), "muted", 13, align="right")
    for v in known:
        picture.line(x(v), base - 9, x(v), base, "ink", 1.4)
    picture.text(14, 26, f"U of one reading (k = 2), {style.small}", "ink", 14, bold=True)
    title = instrument.name if instrument.stated else f"{instrument.name}: taken until you say otherwise"
    picture.text(width - 40, 26, title, "ink", 14, align="right")
    unknown = len(distances) - len(known)
    if distances:
        said = f"{len(known)} sights with their distance stand on the axis"
        if unknown:
            said += f"; {unknown} without are taken as {style.distance(instrument.reach)} {style.far}"
        picture.text(x0, base + 38, said, "muted", 13)
    picture.caption = f"U of one reading: {show_amount(float(U[0]), style)} close by"
    return picture
