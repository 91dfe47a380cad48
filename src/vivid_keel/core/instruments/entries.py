"""Kinds of entries of a kit: what is known of an instrument, its checks, its life."""

from __future__ import annotations

from vivid_keel.core.kinds import EntryKind, Kinds

KIT_KINDS: Kinds = {
    "trait": EntryKind(
        {"name": "text!", "text": "text!", "value": "number"},
        lambda entry: f"{entry.body['name']}: {entry.body['text']}",
    ),
    "check": EntryKind(
        {"procedure": "text!", "way": "text!"}, lambda entry: f"check begun: {entry.body['procedure']}"
    ),
    "seen": EntryKind(
        {
            "check": "whole number!",
            "step": "text!",
            "text": "text!",
            "value": "number",
            "step_size": "number!",
        },
        lambda entry: f"check, {entry.body['step']}: {entry.body['text']}",
    ),
    "decided": EntryKind(
        {"check": "whole number!", "decision": "text!"}, lambda entry: f"decided: {entry.body['decision']}"
    ),
    "dated": EntryKind(
        {"check": "whole number!", "day": "text!"}, lambda entry: f"the check was done on {entry.body['day']}"
    ),
    "happened": EntryKind(
        {"what": "text!", "note": "text"},
        lambda entry: f"{entry.body['what']}{', ' + entry.body['note'] if entry.body.get('note') else ''}",
    ),
    "put-off": EntryKind(
        {"uid": "text!", "until": "text!", "reason": "text!"},
        lambda entry: f"put off to {entry.body['until']}: {entry.body['reason']}",
    ),
    "question": EntryKind(
        {"tolerance": "reading!", "span": "reading!", "conditions": "text"},
        lambda entry: (
            f"asked which instrument: {entry.body['tolerance']['text']} over {entry.body['span']['text']}"
        ),
    ),
}
"""By the name they have in a file."""
