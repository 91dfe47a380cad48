"""The entries of a job as a JSON Schema, one definition for every kind that occurs."""

from __future__ import annotations

from collections.abc import Iterable
from typing import Any

from vivid_keel.core.kinds import MUST, PHASES, SIGHTS, Kinds

DRAFT = "http://json-schema.org/draft-07/schema#"
_WHOLE: dict[str, Any] = {"type": "integer", "minimum": -(1 << 53), "maximum": 1 << 53}
_READING: dict[str, Any] = {
    "type": "object",
    "description": "a length as typed: its text and unit, metres, and the step of its last digit in metres",
    "properties": {
        "text": {"type": "string"},
        "unit": {"type": "string"},
        "m": {"type": "number"},
        "step_m": {"type": "number"},
    },
    "required": ["text", "unit", "m", "step_m"],
    "additionalProperties": False,
}
_TYPES: dict[str, dict[str, Any]] = {
    "text": {"type": "string"},
    "unit": {"type": "string"},
    "number": {"type": "number"},
    "whole number": _WHOLE,
    "yes or no": {"type": "boolean"},
    "phase": {"enum": list(PHASES)},
    "sight": {"enum": list(SIGHTS)},
    "reading": {"$ref": "#/definitions/reading"},
    "set of numbers": {"type": "object", "additionalProperties": {"type": "number"}},
    "object": {"type": "object"},
    "plan lines": {
        "type": "array",
        "description": "what is done at a point at a stage: leaves that go in, those of them that come out again, those that come out, "
        "in metres, and what jack and scale show",
        "items": {"type": "object", "required": ["point", "stage", "put_m", "move_m", "finish_at_m"]},
    },
    "lines": {
        "type": "array",
        "description": "readings: mark, line of sight, its rise over the mark in metres, standard uncertainty of that in metres",
        "items": {
            "type": "array",
            "items": [
                {"type": "string"},
                {"type": "string"},
                {"type": "number"},
                {"type": "number", "exclusiveMinimum": 0},
            ],
            "minItems": 4,
            "maxItems": 4,
        },
    },
    "source": {
        "type": "object",
        "description": "bytes kept beside the entry, under blobs by their SHA-256, and how they are read",
        "properties": {
            "sha256": {"type": "string"},
            "bytes": {"type": "integer"},
            "mapping": {"type": "object"},
        },
        "required": ["sha256", "bytes", "mapping"],
    },
}


def schema_of(kinds: Kinds, occur: Iterable[str]) -> dict[str, Any]:
    """Return the schema of a line of entries.jsonl, for the kinds that occur."""
    names = sorted(set(occur))
    definitions: dict[str, Any] = {"reading": _READING}
    for name in names:
        fields = kinds[name].fields
        definitions[f"body of {name}"] = {
            "type": "object",
            "properties": {field: _TYPES[kinds[name].type_of(field)] for field in fields},
            "required": [field for field, said in fields.items() if said.endswith(MUST)],
            "additionalProperties": False,
        }
    maybe = {"anyOf": [_WHOLE, {"type": "null"}]}
    return {
        "$schema": DRAFT,
        "title": "An entry of a Vivid Keel job",
        "definitions": definitions,
        "type": "object",
        "properties": {
            "id": _WHOLE,
            "work": {**_WHOLE, "description": "the entry that began the work; 0 for the job"},
            "kind": {"enum": names},
            "body": {"type": "object"},
            "time": {"type": "string", "description": "ISO 8601 with offset"},
            "person": {"type": "string"},
            "strikes": maybe,
            "after": maybe,
            "act": _WHOLE,
        },
        "required": ["id", "work", "kind", "body", "time", "person", "strikes", "after", "act"],
        "additionalProperties": False,
        "allOf": [
            {
                "if": {"properties": {"kind": {"const": name}}},
                "then": {"properties": {"body": {"$ref": f"#/definitions/body of {name}"}}},
            }
            for name in names
        ],
    }
