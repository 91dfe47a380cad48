"""The misclosure against what is allowed, and what each set-up takes of it."""

from __future__ import annotations

from vivid_keel.core.quantities import show_amount, show_move
from vivid_keel.figures import symbols
from vivid_keel.figures.display import Picture
from vivid_keel.trades.run.result import RunResult


def misclosure(result: RunResult, width: float, height: float) -> Picture:
    """Return the gauge of the misclosure and the corrections along the way."""
    picture = Picture(width, height)
    closure = result.closure
    style = result.book.style
    picture.text(14, 26, f"Misclosure against what is allowed, {style.small}", "ink", 14, bold=True)
    x0, x1, y = 70.0, width - 70.0, height * 0.30
    allowed, w = closure.allowed, closure.misclosure
    if w is None:
        picture.line(x0, y, x1, y, "rule", 2.0)
        said = "The run is open: nothing to compare with yet. A foresight on a known mark closes it."
        picture.text(width / 2, y + 34, said, "muted", 15, align="centre")
        if allowed is not None:
            so_far = f"For {len(closure.path)} set-up{'s' if len(closure.path) != 1 else ''} so far ± {show_amount(allowed, result.book.style)} would be allowed."
            picture.text(width / 2, y + 58, so_far, "muted", 14, align="centre")
        picture.caption = said
        return picture
    reach = max(abs(w), allowed or abs(w), 1e-4) * 1.35
    middle = (x0 + x1) / 2
    scale = (x1 - x0) / 2 / reach
    if allowed is not None:
        picture.box(middle - allowed * scale, y - 16, 2 * allowed * scale, 32, "lit", "muted")
        if allowed * scale > 40:
            for side, sign in ((-1, "−"), (1, "+")):
                at = middle + side * allowed * scale
                picture.text(at, y + 34, f"{sign}{style.amount(allowed)}", "muted", 13, align="centre")
        else:
            picture.text(middle, y + 40, f"± {style.amount(allowed)}", "muted", 13, align="centre")
    picture.line(x0, y, x1, y, "ink", 1.2)
    picture.line(middle, y - 24, middle, y + 24, "keel", 2.6)
    picture.text(middle, y - 30, "closes", "keel", 13, bold=True, align="centre")
    verdict = "open" if result.sound is None else "in" if result.sound else "out"
    at = middle + w * scale
    symbols.verdict(picture, at, y, verdict, 26)
    picture.text(at, y + 58, show_move(w, result.book.style), "ink", 18, bold=True, align="centre")
    _corrections(picture, result, max(height * 0.56, y + 78), width, height)  # clear of the number above
    picture.caption = f"Misclosure {show_move(w, result.book.style)}"
    return picture


def _corrections(picture: Picture, result: RunResult, top: float, width: float, height: float) -> None:
    closure = result.closure
    n = len(closure.path)
    picture.text(
        14,
        top + 8,
        f"Correction handed on, set-up by set-up, {result.book.style.small}",
        "ink",
        14,
        bold=True,
    )
    if not closure.spread:
        why = (
            "Nothing is spread: the run is over its limit."
            if closure.accepted is False
            else "Nothing is spread: a mark met on the way is out."
            if result.bad
            else "Nothing is spread."
        )
        picture.text(14, top + 36, why, "muted", 14)
        return
    base, x0, x1 = height - 44, 40.0, width - 40.0
    room = base - top - 50
    largest = max(abs(float(closure.correction[s])) for s in closure.path) or 1.0
    step = (x1 - x0) / n
    picture.line(x0, base, x1, base, "ink", 1.0)
    every = max(1, n // 24)
    for k, s in enumerate(closure.path):
        c = float(closure.correction[s])
        tall = abs(c) / largest * room
        picture.box(x0 + k * step + step * 0.2, base - tall, step * 0.6, tall, "leaf", "raise")
        if k % every == 0 or k == n - 1:
            picture.text(
                x0 + (k + 0.5) * step,
                base - tall - 6,
                result.book.style.amount(c, signed=True),
                "ink",
                13,
                align="centre",
            )
            picture.text(x0 + (k + 0.5) * step, base + 18, f"{s + 1}", "muted", 13, align="centre")
    picture.text(x0, base + 36, "set-up", "muted", 13)
