"""What a vehicle books."""

from __future__ import annotations

from vivid_keel.core.kinds import EntryKind, Kinds

KINDS: Kinds = {
    "vehicle": EntryKind(
        {"what": "text!", "text": "text!", "value": "number"}, lambda e: f"{e.body['what']}: {e.body['text']}"
    ),
    "tilts": EntryKind(
        {"phase": "text!", "roll_rad": "number!", "pitch_rad": "number!", "text": "text!"},
        lambda e: f"two-way level, {e.body['phase']}: {e.body['text']}",
    ),
}
"""By the name they have in a file."""
