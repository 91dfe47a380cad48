"""Kinds of entries that every work may have."""

from __future__ import annotations

from vivid_keel.core.kinds import EntryKind, Kinds
from vivid_keel.core.record.entries import Entry


def _because(entry: Entry) -> str:
    reason = entry.body.get("reason")
    return f": {reason}" if reason else ""


COMMON: Kinds = {
    "job": EntryKind(
        {"name": "text!", "place": "text", "decimal_mark": "text", "unit": "text"},
        lambda e: f"job: {e.body['name']}",
    ),
    "work": EntryKind(
        {"name": "text!", "type": "text!", "unit": "text!"}, lambda e: f"work begun: {e.body['name']}"
    ),
    "rename": EntryKind({"name": "text!"}, lambda e: f"named {e.body['name']}"),
    "instrument": EntryKind(
        {
            "name": "text!",
            "way": "text!",
            "u_m": "number!",
            "per_metre": "number!",
            "from_m": "number!",
            "reach_m": "number!",
            "collimation_rad": "number",
            "hair_factor": "number",
            "note": "text",
            "tool": "whole number",
            "state": "text",
            "checked": "text",
            "u_collimation_rad": "number",
            "decision": "text",
        },
        lambda e: f"instrument: {e.body['name']}",
    ),
    "staff": EntryKind(
        {
            "name": "text!",
            "foot_m": "number!",
            "u_foot_m": "number",
            "tool": "whole number",
            "state": "text",
            "checked": "text",
            "decision": "text",
        },
        lambda e: f"read on {e.body['name']} from here",
    ),
    "caution": EntryKind({"key": "text!"}, lambda e: f"caution read: {e.body['key']}"),
    "matter": EntryKind({"text": "text!"}, lambda e: f"open matter: {e.body['text']}"),
    "settled": EntryKind(
        {"matter": "whole number!", "text": "text"}, lambda e: f"matter settled (entry {e.body['matter']})"
    ),
    "stand-in": EntryKind({"hidden": "set of numbers!"}, lambda e: "hidden errors of a stand-in"),
    "strike": EntryKind({"reason": "text"}, lambda e: f"struck entry {e.strikes}{_because(e)}"),
    "undo": EntryKind({"act": "whole number!"}, lambda e: "undone or redone"),
}
"""By the name they have in a file."""
