"""What heights over the years book."""

from __future__ import annotations

from vivid_keel.core.kinds import EntryKind, Kinds, entries_at
from vivid_keel.core.record.entries import Entry


def _occasion(entry: Entry) -> str:
    body = entry.body
    if body.get("out"):
        return f"levelling {body['of']} left out" + (f": {body['reason']}" if body.get("reason") else "")
    return f"levelling {body['of']} is of {body['when']}, {body['name']}"


KINDS: Kinds = {
    "years-fact": EntryKind(
        {"fact": "text!", "text": "text!", "value": "number"},
        lambda entry: f"{entry.body['fact']}: {entry.body['text']}",
        lambda body: "1" if body.get("fact") == "again" else "m",
    ),
    "occasion": EntryKind(
        {"of": "whole number!", "name": "text!", "when": "text!", "out": "yes or no", "reason": "text"},
        _occasion,
        refers=entries_at("of"),
    ),
    "role": EntryKind(
        {"mark": "text!", "role": "text!"}, lambda entry: f"{entry.body['mark']}: {entry.body['role']}"
    ),
    "lent-run": EntryKind(
        {
            "file": "text!",
            "job": "text!",
            "name": "text!",
            "when": "text!",
            "unit": "unit!",
            "step_m": "number!",
            "closed": "yes or no!",
            "lines": "lines!",
            "given": "set of numbers",
        },
        lambda entry: (
            f"“{entry.body['name']}” of {entry.body['job']} lent by {entry.body['file']}: {len(entry.body['lines'])} readings"
        ),
    ),
}
"""By the name they have in a file. A lent run holds the readings of another job's as they were reduced there: mark, set-up, rise of its line of
sight over the mark and σ of that [m]; and the heights that job was given [m]."""
