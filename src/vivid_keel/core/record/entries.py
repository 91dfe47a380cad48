"""Entries: what a job file holds, and what each kind's body must look like."""

from __future__ import annotations

import math
from collections.abc import Mapping, Sequence
from dataclasses import dataclass
from typing import Any

from vivid_keel.core.errors import KeelError


@dataclass(frozen=True, slots=True)
class Entry:
    """One entry of the record.

    Attributes
    ----------
    id : int
        Ascending in time.
    work : int
        Id of the entry that began the work; 0 for the job as a whole.
    kind : str
        A key of `SCHEMAS`.
    body : mapping
        JSON values; valid against the kind's schema.
    time : str
        ISO 8601 with offset.
    person : str
    strikes : int or None
        The entry this one strikes (and, unless it is a plain strike, takes the place of).
    after : int or None
        The entry it stands behind; None: behind the last of its work.
    act : int
        What one act of the person made together.
    """

    id: int
    work: int
    kind: str
    body: Mapping[str, Any]
    time: str
    person: str
    strikes: int | None
    after: int | None
    act: int


@dataclass(frozen=True, slots=True)
class Draft:
    """An entry about to be recorded: the store gives it id, time, person and act."""

    work: int
    kind: str
    body: Mapping[str, Any]
    strikes: int | None = None
    after: int | None = None


def numbered(drafts: Sequence[Draft], first: int, act: int, time: str, person: str) -> list[Entry]:
    """Return the entries that drafts of one act become, numbered from `first`, their bodies checked.

    A negative work, strikes or after means a draft of the same act: −1 the first, −2 the second.
    """

    def own(id: int | None) -> int | None:
        return first - 1 - id if id is not None and id < 0 else id

    entries = []
    for i, draft in enumerate(drafts):
        check_body(draft.kind, draft.body)
        id = first + i
        work = id if draft.kind == "work" else own(draft.work)
        assert work is not None
        entries.append(
            Entry(id, work, draft.kind, draft.body, time, person, own(draft.strikes), own(draft.after), act)
        )
    return entries


_STR, _NUM, _INT, _BOOL, _READ = "text", "number", "whole number", "yes or no", "reading"
_NUMS = "set of numbers"

# kind → {field: (type, must be there)}
SCHEMAS: dict[str, dict[str, tuple[str, bool]]] = {
    "job": {"name": (_STR, True), "place": (_STR, False), "decimal_mark": (_STR, False), "unit": (_STR, False)},
    "work": {"name": (_STR, True), "type": (_STR, True), "unit": (_STR, True)},
    "rename": {"name": (_STR, True)},
    "instrument": {
        "name": (_STR, True), "way": (_STR, True), "u_m": (_NUM, True), "per_metre": (_NUM, True),
        "from_m": (_NUM, True), "reach_m": (_NUM, True), "collimation_rad": (_NUM, False), "hair_factor": (_NUM, False),
        "note": (_STR, False), "tool": (_INT, False), "state": (_STR, False), "checked": (_STR, False),
        "u_collimation_rad": (_NUM, False), "decision": (_STR, False),
    },
    "staff": {"name": (_STR, True), "foot_m": (_NUM, True), "u_foot_m": (_NUM, False), "tool": (_INT, False),
              "state": (_STR, False), "checked": (_STR, False), "decision": (_STR, False)},
    "mark": {"name": (_STR, True), "height": (_READ, True), "source": (_STR, True), "u_m": (_NUM, False),
             "fixed": (_BOOL, False), "from_work": (_INT, False), "from_mark": (_STR, False)},
    "setup": {"note": (_STR, False)},
    "sight": {"mark": (_STR, True), "sight": (_STR, True), "reading": (_READ, True), "distance": (_READ, False),
              "upper": (_READ, False), "lower": (_READ, False), "look": (_READ, False), "remark": (_STR, False),
              "page": (_STR, False), "read_at": (_STR, False)},
    "weights": {"way": (_STR, True), "sigma_m": (_NUM, False)},
    "left-out": {"run": (_INT, True), "reason": (_STR, False)},
    "place": {"mark": (_STR, True), "x": (_READ, True), "y": (_READ, True)},
    "planned": {"name": (_STR, True), "height": (_READ, True), "along": (_READ, False)},
    "means": {"staff": (_READ, False), "eye": (_READ, False), "longest": (_READ, False)},
    "event": {"what": (_STR, True), "note": (_STR, False)},
    "closing": {"class": (_STR, False), "coefficient_m": (_NUM, False), "per": (_STR, False), "spread": (_STR, False),
                "override": (_BOOL, False), "use_collimation": (_BOOL, False), "use_curvature": (_BOOL, False), "use_staff": (_BOOL, False),
                "reason": (_STR, False)},
    "point": {"name": (_STR, True), "row": (_STR, True), "x_m": (_NUM, True), "y_m": (_NUM, True),
              "stack_m": (_NUM, False), "sense": (_STR, False), "travel_m": (_NUM, False), "wanted_m": (_NUM, False)},
    "reading": {"point": (_INT, True), "phase": (_STR, True), "reading": (_READ, True), "remark": (_STR, False)},
    "reference": {"phase": (_STR, True), "reading": (_READ, True), "name": (_STR, False)},
    "target": {"kind": (_STR, True), "point": (_INT, False), "reading": (_READ, False), "gradient_x": (_NUM, False),
               "gradient_y": (_NUM, False), "lift_m": (_NUM, False)},
    "limits": {"tolerance": (_READ, False), "most_leaves": (_INT, False), "interface_m": (_NUM, False),
               "sense": (_STR, False), "neighbours_m": (_NUM, False), "clearance_m": (_NUM, False),
               "ways": (_STR, False), "most_m": (_NUM, False), "share": (_NUM, False), "order": (_STR, False),
               "feet_m": (_NUM, False), "leaf_size": (_STR, False)},
    "mover": {"what": (_STR, True), "values": (_NUMS, True)},
    "by-eye": {"point": (_INT, True)},
    "look-again": {"due": (_STR, True), "note": (_STR, False)},
    "pass": {"put": (_NUMS, True), "leaves": (_NUMS, True), "used": (_NUMS, False)},
    "hangs": {"name": (_STR, True), "row": (_STR, True), "x_m": (_NUM, True)},
    "leaf": {"leaf": (_READ, True), "count": (_INT, True)},
    "column": {"name": (_STR, True), "x": (_READ, False), "y": (_READ, False), "offset": (_READ, False),
               "to_slab": (_READ, False), "design": (_READ, False), "top": (_READ, False), "faces": (_STR, False)},
    "carrying": {"order": (_STR, True), "u_step": (_READ, False), "reach": (_READ, False)},
    "closed": {"found": (_READ, True)},
    "vehicle": {"what": (_STR, True), "text": (_STR, True), "value": (_NUM, False)},
    "tilts": {"phase": (_STR, True), "roll_rad": (_NUM, True), "pitch_rad": (_NUM, True), "text": (_STR, True)},
    "station": {"x_m": (_NUM, True), "y_m": (_NUM, True)},
    "corrections": {"use_collimation": (_BOOL, True), "use_staff": (_BOOL, False)},
    "trait": {"name": (_STR, True), "text": (_STR, True), "value": (_NUM, False)},
    "check": {"procedure": (_STR, True), "way": (_STR, True)},
    "seen": {"check": (_INT, True), "step": (_STR, True), "text": (_STR, True), "value": (_NUM, False),
             "step_size": (_NUM, True)},
    "decided": {"check": (_INT, True), "decision": (_STR, True)},
    "happened": {"what": (_STR, True), "note": (_STR, False)},
    "stand-in": {"hidden": (_NUMS, True)},
    "question": {"tolerance": (_READ, True), "span": (_READ, True), "conditions": (_STR, False)},
    "caution": {"key": (_STR, True)},
    "matter": {"text": (_STR, True)},
    "settled": {"matter": (_INT, True), "text": (_STR, False)},
    "strike": {"reason": (_STR, False)},
    "undo": {"act": (_INT, True)},
}  # fmt: skip
"""Every kind of entry and the fields its body may have (documented in docs/formats.md)."""

KIT = "kit"
"""Type of the entry that begins an instrument in a kit: "kit:" and its kind."""
WORK_TYPES = {
    "run": "level run",
    "network": "network",
    "supports": "supports",
    "marks": "reference marks",
    "vehicle": "vehicle",
}


def check_body(kind: str, body: Any, where: str = "") -> None:
    """Raise KeelError unless `body` is valid for `kind`: unknown-kind, unknown-field, missing-field, wrong-type."""
    schema = SCHEMAS.get(kind)
    if schema is None:
        raise KeelError(
            "unknown-kind", f"“{kind}” is no kind of entry; known are {', '.join(sorted(SCHEMAS))}", where
        )
    if type(body) is not dict and not isinstance(body, Mapping):
        raise KeelError("wrong-type", f"the body of a {kind} entry must be an object", where)
    for name, value in body.items():
        if name not in schema:
            raise KeelError("unknown-field", f"a {kind} entry has no field “{name}”", f"{where}/{name}")
        if not _fits(schema[name][0], value):
            raise KeelError(
                "wrong-type", f"“{name}” of a {kind} entry must be a {schema[name][0]}", f"{where}/{name}"
            )
    for name, (_, needed) in schema.items():
        if needed and name not in body:
            raise KeelError("missing-field", f"a {kind} entry needs “{name}”", f"{where}/{name}")


def _reads(value: dict[str, Any]) -> bool:
    """Whether an object as the program makes it is a reading: the common case, told quickly."""
    m, step = value.get("m"), value.get("step_m")
    return (
        len(value) == 4 and type(value.get("text")) is str and type(value.get("unit")) is str
        and type(m) is float and type(step) is float and math.isfinite(m) and math.isfinite(step)
    )  # fmt: skip


def _fits(wanted: str, value: Any) -> bool:
    if wanted == _READ and type(value) is dict and _reads(value):
        return True
    if wanted == _STR:
        return isinstance(value, str)
    if wanted == _BOOL:
        return isinstance(value, bool)
    if isinstance(value, bool):
        return False
    if wanted == _INT:
        return isinstance(value, int)
    if wanted == _NUM:
        return isinstance(value, int | float) and math.isfinite(value)
    if wanted == _NUMS:
        return isinstance(value, Mapping) and all(isinstance(k, str) and _fits(_NUM, v) for k, v in value.items())
    return (
        isinstance(value, Mapping)
        and set(value) == {"text", "unit", "m", "step_m"}
        and isinstance(value["text"], str)
        and isinstance(value["unit"], str)
        and _fits(_NUM, value["m"])
        and _fits(_NUM, value["step_m"])
    )
