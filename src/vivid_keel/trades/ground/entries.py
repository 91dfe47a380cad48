"""What a piece of ground books."""

from __future__ import annotations

from collections.abc import Mapping
from contextlib import suppress
from typing import Any

from vivid_keel.core.kinds import EntryKind, Kinds, Of, entries_at
from vivid_keel.core.record.common import VISIT


def _through(body: Mapping[str, Any], of: Of, point: Of) -> dict[str, Any]:
    """The points that a line goes through; one that is gone is left out."""
    points = {}
    for turn, number in body["points"].items():
        with suppress(KeyError):
            points[turn] = of(int(number))
    return {**body, "points": points}


KINDS: Kinds = {
    "visit": VISIT,
    "ground-fact": EntryKind(
        {"fact": "text!", "text": "text!", "value": "number"},
        lambda entry: f"{entry.body['fact']}: {entry.body['text']}",
    ),
    "ground-point": EntryKind(
        {
            "name": "text!",
            "x_m": "number!",
            "y_m": "number!",
            "edge": "yes or no!",
            "reading": "reading",
            "tie": "text",
        },
        lambda entry: (
            f"point {entry.body['name']}"
            + (f": {entry.body['reading']['text']}" if "reading" in entry.body else "")
        ),
    ),
    "ground-cloud": EntryKind(
        {"name": "text!", "points": "whole number!", "source": "source!"},
        lambda entry: f"{entry.body['points']} points brought in: {entry.body['name']}",
    ),
    "ground-before": EntryKind(
        {"name": "text!", "points": "whole number!", "source": "source!"},
        lambda entry: f"{entry.body['points']} points as it was before: {entry.body['name']}",
    ),
    "ground-look": EntryKind(
        {"what": "text!", "reading": "reading"},
        lambda entry: (
            f"look at the benchmark: {entry.body['reading']['text']}"
            if "reading" in entry.body
            else "the base of the level was moved"
        ),
    ),
    "ground-line": EntryKind(
        {"name": "text!", "what": "text!", "points": "set of numbers!", "thick_m": "number"},
        lambda entry: f"{entry.body['what']}: {entry.body['name']}",
        refers=_through,
    ),
    "ground-side": EntryKind(
        {
            "point": "whole number!",
            "length": "reading",
            "turn_rad": "number",
            "square": "yes or no",
            "said": "text",
        },
        lambda entry: (
            f"side: {entry.body['length']['text'] if 'length' in entry.body else entry.body.get('said', '')}"
        ),
        refers=entries_at("point"),
    ),
    "ground-top": EntryKind(
        {"point": "whole number!", "reading": "reading!"},
        lambda entry: f"top of a wall: {entry.body['reading']['text']}",
        refers=entries_at("point"),
    ),
    "ground-behind": EntryKind(
        {"point": "whole number!", "reading": "reading!"},
        lambda entry: f"foot of a wall, behind it: {entry.body['reading']['text']}",
        refers=entries_at("point"),
    ),
}
"""By the name they have in a file. A cloud is of the visit in hand; what is `before` is the whole ground as it was earlier. A point: where it lies in plan [m], whether the outline goes through it, and what was read there. A line goes through points by
their entries, in the order of its keys; a top is read over a point that stands at a wall's foot. A look, `zero` or
`moved`: of a hydrostatic level; what was read between two of them is told by the times of their entries."""
