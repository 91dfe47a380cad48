"""What an axis books."""

from __future__ import annotations

from vivid_keel.core.body.facts import BODY_KINDS
from vivid_keel.core.kinds import EntryKind, Kinds
from vivid_keel.core.moving.entries import MOVING_KINDS

KINDS: Kinds = {
    **MOVING_KINDS,
    **BODY_KINDS,
    "turned": EntryKind(
        {
            "azimuth": "number!",
            "phase": "phase!",
            "text": "text!",
            "tilt_rad": "number!",
            "step_rad": "number!",
        },
        lambda entry: f"turned to {entry.body['azimuth']:g}°, as {entry.body['phase']}: {entry.body['text']}",
    ),
}
"""By the name they have in a file; an azimuth is in degrees, 0 along x, + towards y."""
