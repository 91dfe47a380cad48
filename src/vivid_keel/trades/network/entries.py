"""What a network books."""

from __future__ import annotations

from vivid_keel.core.kinds import EntryKind, Kinds

KINDS: Kinds = {
    "weights": EntryKind(
        {"way": "text!", "sigma_m": "number"}, lambda e: f"lines weighed by {e.body['way']}"
    ),
    "left-out": EntryKind(
        {"run": "whole number!", "reason": "text"},
        lambda e: f"run {e.body['run']} left out" + (f": {e.body['reason']}" if e.body.get("reason") else ""),
    ),
}
"""By the name they have in a file."""
