"""What carried marks book."""

from __future__ import annotations

from vivid_keel.core.booking.entries import MARK
from vivid_keel.core.kinds import EntryKind, Kinds
from vivid_keel.core.record.common import VISIT

KINDS: Kinds = {
    "mark": MARK,
    "visit": VISIT,
    "column": EntryKind(
        {
            "name": "text!",
            "x": "reading",
            "y": "reading",
            "offset": "reading",
            "to_slab": "reading",
            "design": "reading",
            "top": "reading",
            "faces": "text",
            "visit": "whole number",
        },
        lambda entry: f"column {entry.body['name']}",
    ),
    "carrying": EntryKind(
        {"order": "text!", "u_step": "reading", "reach": "reading"},
        lambda entry: f"carried as a {entry.body['order']}",
    ),
    "closed": EntryKind({"found": "reading!"}, lambda entry: f"chain closed: {entry.body['found']['text']}"),
}
"""By the name they have in a file."""
