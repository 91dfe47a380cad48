"""What the practice yard records of a learner."""

from __future__ import annotations

from vivid_keel.core.kinds import EntryKind, Kinds

YARD_KINDS: Kinds = {
    "yard-begin": EntryKind(
        {"exercise": "text!", "level": "whole number!", "seed": "whole number!"},
        lambda entry: f"exercise begun: {entry.body['exercise']}, level {entry.body['level']}",
    ),
    "yard-act": EntryKind(
        {"what": "text!", "text": "text!", "value": "number!"},
        lambda entry: f"{entry.body['what']}: {entry.body['text']}",
    ),
    "yard-end": EntryKind({"why": "text!"}, lambda entry: f"exercise ended: {entry.body['why']}"),
}
"""By the name they have in a file. An act: a reading [m], turns of a control, degrees that a head looks to, a hint."""
