"""A picture in little room: drawn where everything has its place, then brought down whole, so that nothing is turned over or cut."""

from __future__ import annotations

from collections.abc import Callable
from typing import Generic, TypeVar

from msgspec import Struct
from msgspec.structs import replace

from vivid_keel.figures.display import Drag, Picture, Text, placed

LEAST = (300.0, 270.0)
"""With less room than this a picture is drawn for that and brought down [px]."""
READABLE, ORNAMENT = 12.0, 9.5
"""Plain words that are set at least so large, and would become smaller than the second, are left out [px]."""
D = TypeVar("D")


class FitsAnySize(Struct, Generic[D], frozen=True):
    """A picture that has a form of its own for little room: it is never brought down."""

    draw: Callable[[D, float, float], Picture]

    def __call__(self, desk: D, width: float, height: float) -> Picture:
        return self.draw(desk, width, height)


def in_room(draw: Callable[[D, float, float], Picture], desk: D, width: float, height: float) -> Picture:
    """Return a picture for a width and height [px], whatever room that is."""
    scale = min(width / LEAST[0], height / LEAST[1], 1.0)
    if scale >= 1.0 or isinstance(draw, FitsAnySize):
        return draw(desk, width, height)
    return brought_down(draw(desk, width / scale, height / scale), scale)


def brought_down(picture: Picture, scale: float) -> Picture:
    """Return a picture made smaller as a whole by a scale [1]: words that can't be read any more are left out, no sign is."""
    items = [item for item in placed(picture, 0.0, 0.0, scale) if not _is_lost(item, scale)]
    hits = [
        replace(hit, x=hit.x * scale, y=hit.y * scale, width=hit.width * scale, height=hit.height * scale)
        for hit in picture.hits
    ]
    return replace(
        picture,
        width=picture.width * scale,
        height=picture.height * scale,
        items=items,
        hits=hits,
        drag=_drag(picture.drag, scale),
        tilt=_drag(picture.tilt, scale),
    )


def _is_lost(item: object, scale: float) -> bool:
    """Whether something is a plain word that nobody could read any more."""
    return isinstance(item, Text) and item.size < ORNAMENT and item.size / scale >= READABLE and not item.bold


def _drag(drag: Drag | None, scale: float) -> Drag | None:
    if drag is None:
        return None
    span = (drag.span[0] * scale, drag.span[1] * scale)
    return replace(drag, y=drag.y * scale, metres_per_pixel=drag.metres_per_pixel / scale, span=span)
