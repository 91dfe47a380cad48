"""What a vehicle books."""

from __future__ import annotations

from vivid_keel.core.kinds import EntryKind, Kinds
from vivid_keel.core.moving.live import LIVE_KINDS
from vivid_keel.core.record.common import VISIT

KINDS: Kinds = {
    "visit": VISIT,
    "vehicle": EntryKind(
        {"what": "text!", "text": "text!", "value": "number"},
        lambda entry: f"{entry.body['what']}: {entry.body['text']}",
    ),
    **LIVE_KINDS,
    "tilts": EntryKind(
        {"phase": "phase!", "roll_rad": "number!", "pitch_rad": "number!", "text": "text!"},
        lambda entry: f"two-way level, {entry.body['phase']}: {entry.body['text']}",
    ),
}
"""By the name they have in a file."""
