"""Kinds of entries of a kit: what is known of an instrument, its checks, its life."""

from __future__ import annotations

from vivid_keel.core.kinds import EntryKind, Kinds

KIT_KINDS: Kinds = {
    "trait": EntryKind(
        {"name": "text!", "text": "text!", "value": "number"}, lambda e: f"{e.body['name']}: {e.body['text']}"
    ),
    "check": EntryKind(
        {"procedure": "text!", "way": "text!"}, lambda e: f"check begun: {e.body['procedure']}"
    ),
    "seen": EntryKind(
        {
            "check": "whole number!",
            "step": "text!",
            "text": "text!",
            "value": "number",
            "step_size": "number!",
        },
        lambda e: f"check, {e.body['step']}: {e.body['text']}",
    ),
    "decided": EntryKind(
        {"check": "whole number!", "decision": "text!"}, lambda e: f"decided: {e.body['decision']}"
    ),
    "happened": EntryKind(
        {"what": "text!", "note": "text"},
        lambda e: f"{e.body['what']}{', ' + e.body['note'] if e.body.get('note') else ''}",
    ),
    "question": EntryKind(
        {"tolerance": "reading!", "span": "reading!", "conditions": "text"},
        lambda e: f"asked which instrument: {e.body['tolerance']['text']} over {e.body['span']['text']}",
    ),
}
"""By the name they have in a file."""
