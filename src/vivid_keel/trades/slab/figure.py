"""A table from above: its feet with how far each is off, and the level on every side with its bubble where it stands."""

from __future__ import annotations

import math

from vivid_keel.figures.display import Picture
from vivid_keel.figures.vial import vial
from vivid_keel.trades.slab.book import Place
from vivid_keel.trades.slab.result import SlabResult


def seen_from_above(
    result: SlabResult,
    width: float,
    height: float,
    focus: int = -1,
    *,
    left: bool = False,
    moved: bool = False,
) -> Picture:
    """Return the plan; with `left` as it was left, with `moved` each bubble where it stands once all feet are turned."""
    picture, book = Picture(width, height), result.book
    points = book.points
    picture.caption = f"A body on {len(points)} feet, from above"
    if len(points) < 3:
        picture.text(
            width / 2,
            height / 2,
            "Say where its feet stand: three at least, not in a line.",
            "muted",
            15,
            align="centre",
        )
        return picture
    xs, ys = [p.x for p in points], [p.y for p in points]
    wide, deep = max(max(xs) - min(xs), 1e-6), max(max(ys) - min(ys), 1e-6)
    scale = min((width - 260) / wide, (height - 130) / deep)
    x0, y0 = (width - scale * wide) / 2, (height + scale * deep) / 2 - 6

    def at(p: object) -> tuple[float, float]:
        return x0 + (p.x - min(xs)) * scale, y0 - (p.y - min(ys)) * scale  # type: ignore[attr-defined]

    places = {p.id: at(p) for p in points}
    mid = (sum(x for x, _ in places.values()) / len(points), sum(y for _, y in places.values()) / len(points))
    round_about = sorted(places.values(), key=lambda q: math.atan2(q[1] - mid[1], q[0] - mid[0]))
    picture.poly(round_about, "lit", "ink", 1.6)
    body = result.body_left if left else result.body
    for k, p in enumerate(points):
        x, y = places[p.id]
        picture.disc(x, y, 9, "wood" if p.id != focus and k != focus else "keel", "ink", 1.4)
        out = -18 if y < mid[1] else 30
        picture.text(x, y + out, p.name, "ink", 14, bold=True, align="centre")
        if body is not None:
            off = result.deviation_left(k) if left else -float(result.moves[k])
            if not math.isnan(off):
                said = f"{book.style.amount(off, 1, signed=True)} {book.style.small}"
                picture.text(
                    x + (16 if x >= mid[0] else -16),
                    y + 5,
                    said,
                    "muted",
                    13,
                    align="left" if x >= mid[0] else "right",
                )
        picture.hit(x - 20, y - 20, 40, 40, f"point:{k}", p.name)
    steps = result.shown_after if moved else {}
    after = steps.get(focus, list(steps.values())[-1] if steps else {})
    for place in book.places:
        if place[2] != 1:
            continue
        tilt = after.get(place, math.nan) if moved else _shows(result, place, left=left)
        vial(
            picture,
            places[place[0]],
            places[place[1]],
            tilt / book.division if not math.isnan(tilt) else math.nan,
        )
    last = focus not in steps or focus == list(steps)[-1]
    turned = "once all feet are turned" if last else f"once {points[focus].name} is turned"
    words = turned if moved else "as left" if left else "as found"
    picture.text(14, 24, f"From above; the level as it stands on each side, {words}", "ink", 14, bold=True)
    return picture


def _shows(result: SlabResult, place: Place, *, left: bool) -> float:
    """What the level showed at a place [rad]; what it would, where it was not laid there."""
    one = result.book.laid["left" if left else "found"].get(place)
    return one.tilt if one is not None else math.nan if left else result.would_show(place)
