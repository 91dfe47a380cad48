"""What a bed books."""

from __future__ import annotations

from vivid_keel.core.body.facts import BODY_KINDS
from vivid_keel.core.kinds import EntryKind, Kinds
from vivid_keel.core.moving.entries import MOVING_KINDS

AT_STATIONS = ("across", "again", "frame")
"""What is read at a station; what is read along is read at a step, the test bar at its ends."""
KINDS: Kinds = {
    **MOVING_KINDS,
    **BODY_KINDS,
    "bed-station": EntryKind(
        {
            "name": "text!",
            "x_m": "number!",
            "feet": "yes or no!",
            "stack_front_m": "number",
            "stack_rear_m": "number",
        },
        lambda entry: f"station {entry.body['name']}",
    ),
    "bed-reading": EntryKind(
        {
            "sort": "text!",
            "at": "whole number!",
            "way": "whole number!",
            "phase": "phase!",
            "text": "text!",
            "value": "number!",
            "step": "number!",
        },
        lambda entry: f"{entry.body['sort']}, as {entry.body['phase']}: {entry.body['text']}",
        lambda body: "m" if body["sort"] in {"frame", "bar"} else "rad",
        lambda body, of, point: {**body, "at": of(body["at"])} if body["sort"] in AT_STATIONS else dict(body),
    ),
}
"""By the name they have in a file. A `bed-reading` of sort `across` or `along` is a tilt [rad], one of `frame` or `bar` a length [m]."""
