"""What a picture is made of. Positions in pixels (or points on paper), y down; inks are roles, not colours."""

from __future__ import annotations

from collections.abc import Callable
from typing import TYPE_CHECKING

from msgspec import Struct, field
from msgspec.structs import replace

if TYPE_CHECKING:
    import numpy as np
    import numpy.typing as npt

Ruler = Callable[[float], float]
"""Metres to a position on the picture."""


class Line(Struct, frozen=True):
    """A straight line; `ink` is a role of the palette."""

    x1: float
    y1: float
    x2: float
    y2: float
    ink: str = "ink"
    width: float = 1.0
    dash: bool = False


class Poly(Struct, frozen=True):
    """A polygon (or, open, a polyline) with fill and outline roles; "" for none."""

    points: tuple[tuple[float, float], ...]
    fill: str = ""
    ink: str = "ink"
    width: float = 1.0
    closed: bool = True


class Box(Struct, frozen=True):
    """An upright rectangle: what most of a picture is made of, and the quickest to paint."""

    x: float
    y: float
    width_: float
    height: float
    fill: str = ""
    ink: str = "ink"
    width: float = 1.0


class Blocks(Struct, frozen=True):
    """Rectangles (x, y, width, height) of one fill, painted in one go: the face of a staff."""

    boxes: tuple[tuple[float, float, float, float], ...]
    fill: str


class Dots(Struct, frozen=True, eq=False):
    """Many dots, as arrays: where they lie (n,) [px], and each one's ink as a number into `inks` (n,), None for the first."""

    x: npt.NDArray[np.float64]
    y: npt.NDArray[np.float64]
    inks: tuple[str, ...] = ("ink",)
    shade: npt.NDArray[np.intp] | None = None
    size: float = 1.5


class Trace(Struct, frozen=True, eq=False):
    """A line through many points, as arrays (n,) [px]; not-a-number parts it."""

    x: npt.NDArray[np.float64]
    y: npt.NDArray[np.float64]
    ink: str = "ink"
    width: float = 1.0


class Disc(Struct, frozen=True):
    """A circle, or with `half` its lower half filled."""

    x: float
    y: float
    r: float
    fill: str = ""
    ink: str = "ink"
    width: float = 1.0
    half: bool = False
    dash: bool = False


class Text(Struct, frozen=True):
    """A line of text; (x, y) is on its baseline at the left, the middle or the right."""

    x: float
    y: float
    text: str
    ink: str = "ink"
    size: float = 13.0
    bold: bool = False
    align: str = "left"
    struck: bool = False
    ground: bool = False  # painted on a patch of paper, to stand clear of lines


class Hit(Struct, frozen=True):
    """An area that answers the mouse: `key` says what it stands for."""

    x: float
    y: float
    width: float
    height: float
    key: str
    tip: str = ""


Item = Line | Poly | Box | Blocks | Dots | Trace | Disc | Text


class Drag(Struct):
    """What can be dragged: a keel line up and down, or (across) a bubble along its vial.

    `y` is where it lies [px], from the top or, across, from the left; `metres_per_pixel` what a pixel
    upward, or to the right, is worth; `grip` how near the mouse takes hold of it, `span` from where to
    where it lies the other way. A line that is not level falls `slope` pixels for each to the right of 0.
    """

    y: float
    metres_per_pixel: float
    value: float
    across: bool = False
    grip: float = 9.0
    span: tuple[float, float] = (-1e9, 1e9)
    slope: float = 0.0

    def at(self, x: float) -> float:
        """Where the line lies at x [px]."""
        return self.y + self.slope * x


class Picture(Struct):
    """A display list of a size, with its hit areas and, where it can be dragged, its keel line."""

    width: float
    height: float
    items: list[Item] = field(default_factory=list)
    hits: list[Hit] = field(default_factory=list)
    drag: Drag | None = None
    tilt: Drag | None = None
    """The end of the keel line, where it can be tipped: its value is what it gains per metre."""
    caption: str = ""

    def line(
        self,
        x1: float,
        y1: float,
        x2: float,
        y2: float,
        ink: str = "ink",
        width: float = 1.0,
        *,
        dash: bool = False,
    ) -> None:
        self.items.append(Line(x1, y1, x2, y2, ink, width, dash))

    def box(
        self, x: float, y: float, w: float, h: float, fill: str = "", ink: str = "ink", width: float = 1.0
    ) -> None:
        self.items.append(Box(x, y, w, h, fill, ink, width))

    def poly(
        self,
        points: list[tuple[float, float]],
        fill: str = "",
        ink: str = "ink",
        width: float = 1.0,
        *,
        closed: bool = True,
    ) -> None:
        self.items.append(Poly(tuple(points), fill, ink, width, closed))

    def disc(
        self, x: float, y: float, r: float, fill: str = "", ink: str = "ink", width: float = 1.0
    ) -> None:
        self.items.append(Disc(x, y, r, fill, ink, width))

    def text(
        self,
        x: float,
        y: float,
        text: str,
        ink: str = "ink",
        size: float = 13.0,
        *,
        bold: bool = False,
        align: str = "left",
        struck: bool = False,
        ground: bool = False,
    ) -> None:
        if text:
            self.items.append(Text(x, y, text, ink, size, bold, align, struck, ground))

    def hit(self, x: float, y: float, w: float, h: float, key: str, tip: str = "") -> None:
        self.hits.append(Hit(x, y, w, h, key, tip))

    def texts(self) -> list[str]:
        """Return every text of the picture, for tests and for reading aloud."""
        return [item.text for item in self.items if isinstance(item, Text)]

    def at(self, x: float, y: float) -> Hit | None:
        """Return the topmost hit area at a point."""
        for hit in reversed(self.hits):
            if hit.x <= x <= hit.x + hit.width and hit.y <= y <= hit.y + hit.height:
                return hit
        return None


def placed(picture: Picture, x: float, y: float, scale: float = 1.0) -> list[Item]:
    """Return a picture's items moved to (x, y) and scaled, to be set into a page."""
    out: list[Item] = []
    for item in picture.items:
        if isinstance(item, Line):
            out.append(
                Line(
                    x + item.x1 * scale,
                    y + item.y1 * scale,
                    x + item.x2 * scale,
                    y + item.y2 * scale,
                    item.ink,
                    item.width * scale,
                    item.dash,
                )
            )
        elif isinstance(item, Poly):
            points = tuple((x + a * scale, y + b * scale) for a, b in item.points)
            out.append(Poly(points, item.fill, item.ink, item.width * scale, item.closed))
        elif isinstance(item, Box):
            out.append(
                Box(
                    x + item.x * scale,
                    y + item.y * scale,
                    item.width_ * scale,
                    item.height * scale,
                    item.fill,
                    item.ink,
                    item.width * scale,
                )
            )
        elif isinstance(item, Blocks):
            boxes = tuple((x + a * scale, y + b * scale, w * scale, h * scale) for a, b, w, h in item.boxes)
            out.append(Blocks(boxes, item.fill))
        elif isinstance(item, Dots):
            out.append(replace(item, x=x + item.x * scale, y=y + item.y * scale, size=item.size * scale))
        elif isinstance(item, Trace):
            out.append(replace(item, x=x + item.x * scale, y=y + item.y * scale, width=item.width * scale))
        elif isinstance(item, Disc):
            out.append(
                Disc(
                    x + item.x * scale,
                    y + item.y * scale,
                    item.r * scale,
                    item.fill,
                    item.ink,
                    item.width * scale,
                    item.half,
                    item.dash,
                )
            )
        else:
            out.append(
                Text(
                    x + item.x * scale,
                    y + item.y * scale,
                    item.text,
                    item.ink,
                    item.size * scale,
                    item.bold,
                    item.align,
                    item.struck,
                    item.ground,
                )
            )
    return out
