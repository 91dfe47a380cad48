"""What a top of panels books."""

from __future__ import annotations

from vivid_keel.core.body.facts import BODY_KINDS
from vivid_keel.core.kinds import EntryKind, Kinds, entries_at
from vivid_keel.core.moving.entries import MOVING_KINDS

KINDS: Kinds = {
    **MOVING_KINDS,
    **BODY_KINDS,
    "panel": EntryKind(
        {
            "name": "text!",
            "long_m": "number!",
            "wide_m": "number!",
            "along": "whole number!",
            "across": "whole number!",
        },
        lambda entry: f"panel {entry.body['name']}",
    ),
    "panel-reading": EntryKind(
        {
            "what": "text!",
            "panel": "whole number!",
            "which": "whole number!",
            "phase": "phase!",
            "text": "text!",
            "value": "number!",
            "u": "number!",
        },
        lambda entry: f"panels, {entry.body['what']}, as {entry.body['phase']}: {entry.body['text']}",
        lambda body: "m" if body["what"] == "seam" else "rad",
        entries_at("panel"),
    ),
    "frame-reading": EntryKind(
        {"what": "text!", "at": "whole number!", "phase": "phase!", "text": "text!", "tilt_rad": "number!"},
        lambda entry: (
            f"frame, {entry.body['what']} {entry.body['at'] + 1}, as {entry.body['phase']}: {entry.body['text']}"
        ),
    ),
}
"""By the name they have in a file. A reading: `along` and `across` of a panel, `which` 1 or turned round −1 [rad]; `seam` behind a
panel, near 0 or far 1, + the next one higher [m]; `over` a seam, from the middle of a panel to that of the next [rad]; `rocks`."""
