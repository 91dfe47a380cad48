"""Kinds of entries of every work that brings something level."""

from __future__ import annotations

from collections.abc import Mapping
from contextlib import suppress
from typing import Any

from vivid_keel.core.kinds import EntryKind, Kinds, Of, points_at
from vivid_keel.core.record.common import VISIT


def _put(body: Mapping[str, Any], of: Of, point: Of) -> dict[str, Any]:
    """The foot that is turned, and the two between which a level is watched meanwhile."""
    out = {**body, "point": point(int(body["point"]))}
    if "watched" in body:
        out["watched"] = {
            **body["watched"],
            **{end: point(int(body["watched"][end])) for end in ("from", "to")},
        }
    return out


def _plan(body: Mapping[str, Any], of: Of, point: Of) -> dict[str, Any]:
    """The points of a plan and of its lines."""
    out = points_at(by=("places", "lifts_m", "moves_m", "aside"))(body, of, point)
    lines = []
    for line in body["lines"]:
        with suppress(KeyError):
            lines.append({**line, "point": point(int(line["point"]))})
    return {**out, "lines": lines}


MOVING_KINDS: Kinds = {
    "target": EntryKind(
        {
            "kind": "text!",
            "point": "whole number",
            "reading": "reading",
            "gradient_x": "number",
            "gradient_y": "number",
            "lift_m": "number",
        },
        lambda entry: f"target: {entry.body['kind']}",
        refers=points_at("point"),
    ),
    "visit": VISIT,
    "keeper": EntryKind(
        {"point": "whole number!", "name": "text!"},
        lambda entry: f"the target goes through {entry.body['name']} from here on",
        refers=points_at("point"),
    ),
    "limits": EntryKind(
        {
            "tolerance": "reading",
            "most_leaves": "whole number",
            "interface_m": "number",
            "sense": "text",
            "neighbours_m": "number",
            "clearance_m": "number",
            "ways": "text",
            "most_m": "number",
            "share": "number",
            "order": "text",
            "feet_m": "number",
            "leaf_size": "text",
            "beam": "text",
            "fits": "yes or no",
            "finest": "yes or no",
        },
        lambda entry: "tolerance and packing rules",
    ),
    "mover": EntryKind(
        {"what": "text!", "values": "set of numbers!", "point": "whole number"},
        lambda entry: f"moved by {entry.body['what']}",
        refers=points_at("point"),
    ),
    "leaf": EntryKind(
        {"leaf": "reading!", "count": "whole number!"},
        lambda entry: f"stock: {entry.body['count']} leaves of {entry.body['leaf']['text']}",
    ),
    "put": EntryKind(
        {
            "point": "whole number!",
            "put_m": "number!",
            "leaves": "whole number!",
            "used": "set of numbers",
            "text": "text!",
            "planned": "yes or no",
            "hung_m": "number",
            "stage": "whole number",
            "for_now": "set of numbers",
            "plan_m": "number",
            "watched": "set of numbers",
        },
        lambda entry: f"put in: {entry.body['text']}",
        refers=_put,
    ),
    "plan": EntryKind(
        {
            "terms": "text!",
            "places": "set of numbers!",
            "lifts_m": "set of numbers!",
            "moves_m": "set of numbers!",
            "lines": "plan lines!",
            "printed": "yes or no",
            "aside": "set of numbers",
            "to_buy": "set of numbers",
            "deeper": "whole number",
        },
        lambda entry: (
            f"plan {'printed' if entry.body.get('printed') else 'issued'}: {len(entry.body['places'])} to move"
        ),
        refers=_plan,
    ),
    "pass": EntryKind(
        {
            "put": "set of numbers!",
            "leaves": "set of numbers!",
            "used": "set of numbers",
            "hung": "set of numbers",
        },
        lambda entry: f"round finished: {len(entry.body['put'])} supports packed",
        refers=points_at(by=("put", "leaves", "hung")),
    ),
    "hangs": EntryKind(
        {"name": "text!", "row": "text!", "x_m": "number!"},
        lambda entry: f"hangs on {entry.body['row']}: {entry.body['name']}",
    ),
    "look-again": EntryKind(
        {"due": "text!", "note": "text"}, lambda entry: f"look again on {entry.body['due']}"
    ),
}
"""By the name they have in a file."""
