"""What a shelf books."""

from __future__ import annotations

from vivid_keel.core.kinds import EntryKind, Kinds
from vivid_keel.core.moving.entries import MOVING_KINDS

KINDS: Kinds = {
    **MOVING_KINDS,
    "bracket": EntryKind(
        {"side": "text!", "phase": "phase!", "height": "reading!"},
        lambda e: f"{e.body['side']} bracket as {e.body['phase']}: {e.body['height']['text']}",
    ),
}
