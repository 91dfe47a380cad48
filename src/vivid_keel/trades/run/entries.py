"""What a level run books."""

from __future__ import annotations

from vivid_keel.core.booking.entries import MARK
from vivid_keel.core.booking.events import EVENTS
from vivid_keel.core.kinds import EntryKind, Kinds
from vivid_keel.core.record.entries import Entry


def _sight(e: Entry) -> str:
    look = f", 2nd look {e.body['look']['text']}" if "look" in e.body else ""
    return f"{e.body['sight']} {e.body['mark']} {e.body['reading']['text']}{look}"


def _event(e: Entry) -> str:
    what = e.body["what"]
    return str(EVENTS.get(what, what)) + (f": {e.body['note']}" if e.body.get("note") else "")


KINDS: Kinds = {
    "mark": MARK,
    "setup": EntryKind({"note": "text"}, lambda e: "new set-up"),
    "sight": EntryKind(
        {
            "mark": "text!",
            "sight": "text!",
            "reading": "reading!",
            "distance": "reading",
            "upper": "reading",
            "lower": "reading",
            "look": "reading",
            "remark": "text",
            "page": "text",
            "read_at": "text",
        },
        _sight,
    ),
    "event": EntryKind({"what": "text!", "note": "text"}, _event),
    "place": EntryKind(
        {"mark": "text!", "x": "reading!", "y": "reading!"},
        lambda e: f"place of {e.body['mark']}: {e.body['x']['text']}, {e.body['y']['text']}",
    ),
    "planned": EntryKind(
        {"name": "text!", "height": "reading!", "along": "reading"},
        lambda e: f"to be read: {e.body['name']}, about {e.body['height']['text']}",
    ),
    "means": EntryKind(
        {"staff": "reading", "eye": "reading", "longest": "reading"},
        lambda e: "; ".join(f"{k} {v['text']}" for k, v in e.body.items()),
    ),
    "closing": EntryKind(
        {
            "class": "text",
            "coefficient_m": "number",
            "per": "text",
            "spread": "text",
            "override": "yes or no",
            "use_collimation": "yes or no",
            "use_curvature": "yes or no",
            "use_staff": "yes or no",
            "reason": "text",
        },
        lambda e: f"closing: {e.body.get('class', 'own limit')}, spread {e.body.get('spread', 'setups')}",
    ),
}
"""By the name they have in a file."""
