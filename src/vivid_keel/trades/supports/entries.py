"""What supports book, beside what everything that is moved does."""

from __future__ import annotations

from vivid_keel.core.kinds import EntryKind, Kinds, entries_at
from vivid_keel.core.moving.entries import MOVING_KINDS
from vivid_keel.core.moving.live import LIVE_KINDS

KINDS: Kinds = {
    **MOVING_KINDS,
    **LIVE_KINDS,
    "point": EntryKind(
        {
            "name": "text!",
            "row": "text!",
            "x_m": "number!",
            "y_m": "number!",
            "stack_m": "number",
            "sense": "text",
            "travel_m": "number",
            "wanted_m": "number",
        },
        lambda entry: f"support {entry.body['name']}",
    ),
    "reading": EntryKind(
        {"point": "whole number!", "phase": "phase!", "reading": "reading!", "remark": "text"},
        lambda entry: f"reading as {entry.body['phase']}: {entry.body['reading']['text']}",
        refers=entries_at("point"),
    ),
    "from-station": EntryKind(
        {
            "station": "text!",
            "point": "whole number",
            "phase": "phase!",
            "reading": "reading!",
        },
        lambda entry: (
            f"from station {entry.body['station']}, as {entry.body['phase']}: {entry.body['reading']['text']}"
        ),
        refers=entries_at("point"),
    ),
    "aside": EntryKind(
        {"point": "whole number!"},
        lambda entry: "a support set aside: not to be read",
        refers=entries_at("point"),
    ),
    "reference": EntryKind(
        {"phase": "phase!", "reading": "reading!", "name": "text"},
        lambda entry: f"watch mark as {entry.body['phase']}: {entry.body['reading']['text']}",
    ),
    "by-eye": EntryKind(
        {"point": "whole number!"}, lambda entry: "named what looks high", refers=entries_at("point")
    ),
    "lean": EntryKind(
        {
            "point": "whole number!",
            "way": "text!",
            "with": "text!",
            "length_m": "number!",
            "first": "number!",
            "second": "number",
            "first_text": "text!",
            "second_text": "text",
            "string_m": "number",
            "step": "number",
        },
        lambda entry: f"lean {entry.body['way']} by {entry.body['with']}: {entry.body['first_text']}",
        lambda body: "rad" if body["with"] == "level" else "m",
        entries_at("point"),
    ),
    "upright": EntryKind(
        {"within": "number", "base_m": "number", "brace_m": "number", "reach_m": "number"},
        lambda entry: "what posts have to be plumb within, and stand on",
    ),
    "station": EntryKind(
        {"x_m": "number!", "y_m": "number!"},
        lambda entry: f"instrument stands at {entry.body['x_m']:g}, {entry.body['y_m']:g} m",
    ),
    "corrections": EntryKind(
        {"use_collimation": "yes or no!", "use_staff": "yes or no"},
        lambda entry: f"collimation {'taken out' if entry.body['use_collimation'] else 'left in'}",
    ),
}
"""By the name they have in a file."""
