"""What carried marks book."""

from __future__ import annotations

from vivid_keel.core.booking.entries import MARK
from vivid_keel.core.kinds import EntryKind, Kinds

KINDS: Kinds = {
    "mark": MARK,
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
        },
        lambda e: f"column {e.body['name']}",
    ),
    "carrying": EntryKind(
        {"order": "text!", "u_step": "reading", "reach": "reading"},
        lambda e: f"carried as a {e.body['order']}",
    ),
    "closed": EntryKind({"found": "reading!"}, lambda e: f"chain closed: {e.body['found']['text']}"),
}
"""By the name they have in a file."""
