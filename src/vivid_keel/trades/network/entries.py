"""What a network books."""

from __future__ import annotations

from vivid_keel.core.kinds import EntryKind, Kinds

KINDS: Kinds = {
    "weights": EntryKind(
        {"way": "text!", "sigma_m": "number"}, lambda entry: f"lines weighed by {entry.body['way']}"
    ),
    "left-out": EntryKind(
        {"run": "whole number!", "reason": "text"},
        lambda entry: (
            f"run {entry.body['run']} left out"
            + (f": {entry.body['reason']}" if entry.body.get("reason") else "")
        ),
    ),
}
"""By the name they have in a file."""
