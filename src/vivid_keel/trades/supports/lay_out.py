"""Supports laid out in rows, to be edited afterwards."""

from __future__ import annotations

from collections.abc import Sequence

from vivid_keel.core.errors import KeelError
from vivid_keel.core.moving.plan import BEAMS
from vivid_keel.core.quantities import parse_length
from vivid_keel.core.record.entries import Draft
from vivid_keel.core.record.readings import as_read


def usual_limits(unit: str) -> list[Draft]:
    """Return what a new work in a unit books of itself: that what fits goes in, and where it is in feet or inches, a tolerance that a
    rule shows.

    Elsewhere the usual one stands (see `Limits`); 1.5 mm is no sixteenth.
    """
    inches = unit in {"ft", "in", "ft-in"}
    tolerance = {"tolerance": as_read(parse_length("1/16 in", "in"))} if inches else {}
    return [Draft(-1, "limits", {**tolerance, "fits": True})]


CARRIED = tuple(name for name in BEAMS if name)
"""What may stand on the posts, in the order it is drawn and numbered."""


def stands_on(text: str) -> str:
    """Return what stands on the posts, by the number of its drawing or its name as typed.

    Raises
    ------
    KeelError
        `bad-value`: neither.
    """
    clean = text.strip().lower()
    if clean.isdigit() and 1 <= int(clean) <= len(CARRIED):
        return CARRIED[int(clean) - 1]
    named = [name for name in CARRIED if clean and clean in name]
    if len(named) != 1:
        raise KeelError("bad-value", f"expected 1 to {len(CARRIED)}, as drawn, such as 2 for {CARRIED[1]}")
    return named[0]


def grid_drafts(
    work: int, rows: Sequence[str], posts: int, spacing: float, row_spacing: float, taken: Sequence[str] = ()
) -> list[Draft]:
    """Return entries for rows × posts supports, named A1, A2 … B1 …; edited afterwards.

    Parameters
    ----------
    work : int
    rows : sequence of str
        Names of the rows; a post's name is the row's first letters and its number.
    posts : int
        In each row.
    spacing, row_spacing : float
        Along a row and between rows [m].
    taken : sequence of str
        Names in use already.

    Raises
    ------
    KeelError
        `bad-value`, `duplicate-name`.
    """
    if not rows or posts < 1 or posts * len(rows) > 2000:
        raise KeelError("bad-value", "expected at least one row and one post, and at most 2000 posts in all")
    if spacing <= 0 or row_spacing <= 0:
        raise KeelError("bad-value", "the spacing must be above 0; measure post to post, centre to centre")
    out = []
    used = set(taken)
    for r, row in enumerate(rows):
        letter = _short(row, rows)
        for p in range(posts):
            name = f"{letter}{p + 1}"
            if name in used:
                raise KeelError("duplicate-name", f"there is a {name} already; name this row otherwise")
            used.add(name)
            out.append(
                Draft(work, "point", {"name": name, "row": row, "x_m": p * spacing, "y_m": r * row_spacing})
            )
    return out


def _short(row: str, rows: Sequence[str]) -> str:
    for length in range(1, len(row) + 1):
        if sum(other.startswith(row[:length]) for other in rows) == 1:
            return row[:length]
    return row
