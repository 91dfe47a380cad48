"""Kinds of entries that every work may have."""

from __future__ import annotations

from vivid_keel.core.kinds import EntryKind, Kinds
from vivid_keel.core.record.as_written import NOT_AS_WRITTEN, TAKEN_OVER
from vivid_keel.core.record.entries import Entry


def _because(entry: Entry) -> str:
    reason = entry.body.get("reason")
    return f": {reason}" if reason else ""


VISIT = EntryKind({"note": "text"}, lambda entry: "a new visit begins")
"""Looking again weeks or years later: what is read from here on belongs to another visit."""


COMMON: Kinds = {
    "job": EntryKind(
        {"name": "text!", "place": "text", "decimal_mark": "text", "unit": "unit", "practice": "text"},
        lambda entry: f"job: {entry.body['name']}",
    ),
    "work": EntryKind(
        {"name": "text!", "type": "text!", "unit": "unit!"}, lambda entry: f"work begun: {entry.body['name']}"
    ),
    "rename": EntryKind({"name": "text!"}, lambda entry: f"named {entry.body['name']}"),
    "unit": EntryKind({"unit": "unit!"}, lambda entry: f"read in {entry.body['unit']} from here"),
    "set-aside": EntryKind(
        {"aside": "yes or no!"}, lambda entry: "set aside" if entry.body["aside"] else "at hand again"
    ),
    "order": EntryKind({"places": "set of numbers!"}, lambda entry: "works put in another order"),
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
            "axis_rad": "number",
            "axis_x_rad": "number",
            "axis_y_rad": "number",
        },
        lambda entry: f"instrument: {entry.body['name']}",
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
        lambda entry: f"read on {entry.body['name']} from here",
    ),
    "set-up-order": EntryKind(
        {"order": "text!", "done": "text!"},
        lambda entry: f"set up: {len(str(entry.body['done']).split())} steps ticked",
    ),
    "caution": EntryKind({"key": "text!"}, lambda entry: f"caution read: {entry.body['key']}"),
    "matter": EntryKind({"text": "text!"}, lambda entry: f"open matter: {entry.body['text']}"),
    "settled": EntryKind(
        {"matter": "whole number!", "text": "text"},
        lambda entry: f"matter settled (entry {entry.body['matter']})",
    ),
    "paper": EntryKind(
        {"page": "text!", "read_at": "text"},
        lambda entry: (
            f"from here on typed in from page {entry.body['page']}"
            if entry.body["page"]
            else "no longer from paper"
        ),
    ),
    "stand-in": EntryKind({"hidden": "set of numbers!"}, lambda entry: "hidden errors of a stand-in"),
    NOT_AS_WRITTEN: EntryKind(
        {"said": "text!"}, lambda entry: f"not as it was written: {entry.body['said']}"
    ),
    TAKEN_OVER: EntryKind(
        {"reason": "text!", "at": "whole number!"},
        lambda entry: f"taken over as it stands: {entry.body['reason']}",
    ),
    "strike": EntryKind({"reason": "text"}, lambda entry: f"struck entry {entry.strikes}{_because(entry)}"),
    "undo": EntryKind({"act": "whole number!"}, lambda entry: "undone or redone"),
}
"""By the name they have in a file."""
