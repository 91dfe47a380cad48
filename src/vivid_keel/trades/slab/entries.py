"""What a table books."""

from __future__ import annotations

from vivid_keel.core.body.facts import BODY_KINDS
from vivid_keel.core.kinds import EntryKind, Kinds, entries_at
from vivid_keel.core.moving.entries import MOVING_KINDS

KINDS: Kinds = {
    **MOVING_KINDS,
    **BODY_KINDS,
    "feelers": EntryKind(
        {
            "from": "whole number!",
            "to": "whole number!",
            "ends": "yes or no!",
            "phase": "phase!",
            "text": "text!",
            "low_m": "number!",
            "high_m": "number!",
        },
        lambda entry: f"straightedge, as {entry.body['phase']}: {entry.body['text']}",
        refers=entries_at("from", "to"),
    ),
    "surface": EntryKind(
        {
            "line": "whole number!",
            "step": "whole number!",
            "way": "whole number!",
            "text": "text!",
            "tilt_rad": "number!",
            "step_rad": "number!",
        },
        lambda entry: (
            f"surface, line {entry.body['line'] + 1}, step {entry.body['step'] + 1}: {entry.body['text']}"
        ),
    ),
    "laid": EntryKind(
        {
            "from": "whole number!",
            "to": "whole number!",
            "way": "whole number!",
            "phase": "phase!",
            "text": "text!",
            "tilt_rad": "number!",
            "step_rad": "number!",
        },
        lambda entry: f"level laid, as {entry.body['phase']}: {entry.body['text']}",
        refers=entries_at("from", "to"),
    ),
}
"""By the name they have in a file."""
