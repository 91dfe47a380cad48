"""Kinds of entries that more than one trade books."""

from __future__ import annotations

from vivid_keel.core.kinds import EntryKind

MARK = EntryKind(
    {
        "name": "text!",
        "height": "reading!",
        "source": "text!",
        "u_m": "number",
        "fixed": "yes or no",
        "from_work": "whole number",
        "from_mark": "text",
    },
    lambda entry: f"known mark {entry.body['name']}, {entry.body['height']['text']}, {entry.body['source']}",
)
"""A mark whose height is known, or taken from another work."""
