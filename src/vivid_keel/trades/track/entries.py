"""What a stretch of track books."""

from __future__ import annotations

from vivid_keel.core.kinds import EntryKind, Kinds
from vivid_keel.core.record.common import VISIT

KINDS: Kinds = {
    "visit": VISIT,
    "track-fact": EntryKind(
        {"fact": "text!", "text": "text!", "value": "number"},
        lambda entry: f"{entry.body['fact']}: {entry.body['text']}",
    ),
    "cans-in": EntryKind(
        {"round": "whole number!"}, lambda entry: f"round {entry.body['round']} of the cans is in"
    ),
    "track-reading": EntryKind(
        {"what": "text!", "sleeper": "whole number!", "phase": "phase!", "text": "text!", "value": "number!"},
        lambda entry: (
            f"sleeper {entry.body['sleeper']}, {entry.body['what']}, as {entry.body['phase']}: {entry.body['text']}"
        ),
        lambda body: "m" if body["what"] in {"cross", "staff", "wire"} else "measures",
    ),
}
"""By the name they have in a file. A reading at a sleeper, numbered from 1: `sight` of the datum rail [measures], `cross` level, + right
high [m], `void left`, `void right` [measures]; as found, or left after traffic. A visit begins another round: what was sighted after traffic is what it
lies like now."""
