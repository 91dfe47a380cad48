"""What a level run books."""

from __future__ import annotations

from vivid_keel.core.booking.entries import MARK
from vivid_keel.core.booking.events import EVENTS
from vivid_keel.core.kinds import EntryKind, Kinds, entries_at
from vivid_keel.core.record.entries import Entry


def _sight(entry: Entry) -> str:
    look = f", 2nd look {entry.body['look']['text']}" if "look" in entry.body else ""
    return f"{entry.body['sight']} {entry.body['mark']} {entry.body['reading']['text']}{look}"


def _event(entry: Entry) -> str:
    what = entry.body["what"]
    return str(EVENTS.get(what, what)) + (f": {entry.body['note']}" if entry.body.get("note") else "")


KINDS: Kinds = {
    "mark": MARK,
    "setup": EntryKind({"note": "text"}, lambda entry: "new set-up"),
    "sight": EntryKind(
        {
            "mark": "text!",
            "sight": "sight!",
            "reading": "reading!",
            "distance": "reading",
            "upper": "reading",
            "lower": "reading",
            "look": "reading",
            "remark": "text",
            "page": "text",
            "read_at": "text",
            "azimuth": "number",
        },
        _sight,
    ),
    "explained": EntryKind(
        {"sight": "whole number!", "reason": "text!"},
        lambda entry: f"explained: {entry.body['reason']}" if entry.body["reason"] else "no longer explained",
        refers=entries_at("sight"),
    ),
    "event": EntryKind({"what": "text!", "note": "text"}, _event),
    "file": EntryKind(
        {"name": "text!", "sheet": "text", "source": "source!"},
        lambda entry: f"brought in from {entry.body['name']}, {entry.body['source']['bytes']} bytes kept",
    ),
    "place": EntryKind(
        {"mark": "text!", "x": "reading!", "y": "reading!"},
        lambda entry: f"place of {entry.body['mark']}: {entry.body['x']['text']}, {entry.body['y']['text']}",
    ),
    "planned": EntryKind(
        {"name": "text!", "height": "reading!", "along": "reading"},
        lambda entry: f"to be read: {entry.body['name']}, about {entry.body['height']['text']}",
    ),
    "means": EntryKind(
        {"staff": "reading", "eye": "reading", "longest": "reading"},
        lambda entry: "; ".join(f"{k} {v['text']}" for k, v in entry.body.items()),
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
            "use_axes": "yes or no",
            "reason": "text",
        },
        lambda entry: (
            f"closing: {entry.body.get('class', 'own limit')}, spread {entry.body.get('spread', 'setups')}"
        ),
    ),
}
"""By the name they have in a file."""
