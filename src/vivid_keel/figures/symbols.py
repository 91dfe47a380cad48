"""The signs of verdicts and moves: shapes first, colour second."""

from __future__ import annotations

from vivid_keel.figures.display import Disc, Picture


def verdict(p: Picture, x: float, y: float, kind: str, r: float = 6.5) -> None:
    """Draw a verdict centred on (x, y): ring with a level bar, filled square, half-filled ring, or a dotted ring."""
    if kind == "in":
        p.disc(x, y, r, "", "in", 2.0)
        p.line(x - r + 3, y, x + r - 3, y, "in", 2.2)
    elif kind == "out":
        p.box(x - r + 1, y - r + 1, 2 * r - 2, 2 * r - 2, "out", "out")
    elif kind == "open":
        p.items.append(Disc(x, y, r, "open", "open", 1.6, half=True))
    elif kind in {"todo", "note"}:
        p.items.append(Disc(x, y, r, "", "muted", 1.6, dash=True))


def raise_wedge(p: Picture, x: float, y: float, size: float = 11.0) -> None:
    """Draw the solid wedge of a raise, its heel at (x, y)."""
    p.poly([(x, y), (x + size, y), (x + size, y - size * 0.75)], "raise", "raise")


def lower_wedge(p: Picture, x: float, y: float, size: float = 11.0) -> None:
    """Draw the hollow wedge of a lowering, hanging from (x, y)."""
    p.poly([(x, y - size * 0.75), (x + size, y - size * 0.75), (x + size, y)], "", "lower", 1.6)


def move(p: Picture, x: float, y: float, value: float, decimals: int = 1, size: float = 14.0) -> None:
    """Draw a move [m] as its wedge and number in millimetres, centred on x, baseline at y."""
    text = f"{abs(value) * 1000:.{decimals}f}"
    ink = "raise" if value >= 0 else "lower"
    if value >= 0:
        raise_wedge(p, x - 6, y - size - 1)
    else:
        lower_wedge(p, x - 6, y - size - 2)
    p.text(x, y, text, ink, size, bold=True, align="centre", ground=True)
