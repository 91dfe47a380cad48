"""An error budget as bars."""

from __future__ import annotations

from vivid_keel.core.instruments.budget import shares, to_halve
from vivid_keel.core.proof import Budget
from vivid_keel.core.quantities import LengthStyle, show_amount
from vivid_keel.figures.display import Picture

METRIC = LengthStyle()


def budget_bars(
    budget: Budget, title: str, width: float, height: float, style: LengthStyle = METRIC
) -> Picture:
    """Return the contributions of a budget as bars, the largest marked, with what would halve the whole."""
    picture = Picture(width, height)
    lines = sorted(zip(budget.lines, shares(budget), strict=True), key=lambda pair: -pair[0].u)
    picture.text(14, 26, title, "ink", 15, bold=True)
    picture.text(
        width - 14,
        26,
        f"U = {budget.k:g}·u = {show_amount(budget.U, style, 2)}",
        "ink",
        15,
        bold=True,
        align="right",
    )
    if budget.u <= 0:
        picture.text(width / 2, height / 2, "Nothing booked contributes yet.", "muted", 15, align="centre")
        return picture
    left, room = 290.0, min(38.0, (height - 96) / max(len(lines), 1))
    most = lines[0][0].u
    for k, (line, share) in enumerate(lines):
        y = 50 + k * room
        picture.text(left - 12, y + 17, line.name, "ink", 14, bold=k == 0, align="right")
        wide = max(1.5, line.u / most * (width - left - 150))
        picture.box(left, y + 4, wide, room - 12, "leaf" if k else "raise", "raise" if k == 0 else "ink", 1.0)
        picture.text(
            left + wide + 8,
            y + 17,
            f"{show_amount(line.u, style, 2)} · {share * 100:.0f} %",
            "ink",
            14,
            bold=k == 0,
        )
    y = 50 + len(lines) * room + 22
    want = "; ".join(f"{line.name} to {show_amount(u, style, 2)}" for line, u in to_halve(budget))
    picture.text(14, min(y, height - 14), f"To halve it: {want}", "ink", 14, bold=True)
    picture.caption = f"{title}: U = {show_amount(budget.U, style, 2)}; largest {lines[0][0].name}"
    return picture
