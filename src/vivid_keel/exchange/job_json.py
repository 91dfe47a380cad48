"""A whole job as JSON: every entry as it is, in order."""

from __future__ import annotations

import base64
import json
import zlib
from collections.abc import Iterable, Mapping
from typing import Any

from vivid_keel.core.errors import KeelError
from vivid_keel.core.kinds import Kinds, check_body, check_shown, is_text, is_time
from vivid_keel.core.record.as_written import NOT_AS_WRITTEN
from vivid_keel.core.record.bulk import check_bytes, unpacked
from vivid_keel.core.record.entries import Entry
from vivid_keel.core.record.journal import Journal

FORMAT, VERSION = "vivid-keel-job", 2
_FIELDS = ("id", "work", "kind", "body", "time", "person", "strikes", "after", "act")


def write_job(entries: Iterable[Entry], sources: Mapping[int, bytes] | None = None) -> str:
    """Return a job as JSON text; bytes kept beside entries stand under `sources`, packed (zlib) and in base 64."""
    rows = [row_of(entry) for entry in entries]
    document: dict[str, Any] = {"format": FORMAT, "version": VERSION if sources else 1, "entries": rows}
    if sources:
        document["sources"] = {
            str(id): base64.b64encode(zlib.compress(raw)).decode() for id, raw in sources.items()
        }
    return json.dumps(document, ensure_ascii=False, indent=1) + "\n"


def read_job(text: str | bytes, kinds: Kinds) -> tuple[list[Entry], dict[int, bytes]]:
    """Return the entries of a job written by `write_job`, checked one by one, and the bytes kept beside some of them.

    Raises
    ------
    KeelError
        `bad-json`, `not-a-job`, `newer-file`, or an entry's fault with its JSON pointer.
    """
    try:
        document = json.loads(text)
    except (ValueError, RecursionError) as error:
        raise KeelError("bad-json", f"not JSON: {error}") from None
    if not isinstance(document, dict) or document.get("format") != FORMAT:
        raise KeelError("not-a-job", f"not a job: “format” must be {FORMAT}", "/format")
    version = document.get("version")
    if not isinstance(version, int) or version > VERSION:
        raise KeelError(
            "newer-file", f"written by a newer version of this program (format {version})", "/version"
        )
    rows = document.get("entries")
    if not isinstance(rows, list):
        raise KeelError("missing-field", "a job has at least one entry", "/entries")
    entries = entries_of(rows, kinds, "/entries")
    return entries, _sources(document.get("sources", {}), entries, kinds)


def row_of(entry: Entry) -> dict[str, Any]:
    """Return an entry as a JSON object."""
    return {name: getattr(entry, name) for name in _FIELDS}


def entries_of(rows: list[Any], kinds: Kinds, where: str = "") -> list[Entry]:
    """Return entries from their JSON objects, checked one by one and together; `where` is the pointer to the first's parent.

    Raises
    ------
    KeelError
        `missing-field` without any; an entry's fault with its JSON pointer.
    """
    if not rows:
        raise KeelError("missing-field", "a job has at least one entry", where)
    entries = [entry_of(row, f"{where}/{i}", kinds) for i, row in enumerate(rows)]
    journal = Journal()
    for i, entry in enumerate(entries):
        try:
            journal.add(entry)
        except KeelError as error:
            raise error.at(f"{where}/{i}") from None
    if entries[0].kind != "job":
        raise KeelError("bad-value", "the first entry must be the job itself", f"{where}/0/kind")
    return entries


def _sources(told: Any, entries: list[Entry], kinds: Kinds) -> dict[int, bytes]:
    """Return the bytes that entries speak of; each must be there and be the right ones, and no others. Where a mark says that not all is as
    it was written, some may be lost."""
    speak = {str(e.id): e for e in entries if kinds[e.kind].source and kinds[e.kind].source in e.body}
    if isinstance(told, dict) and any(e.kind == NOT_AS_WRITTEN for e in entries):
        speak = {id: entry for id, entry in speak.items() if id in told}
    if not isinstance(told, dict) or set(told) != set(speak):
        raise KeelError(
            "missing-field", f"bytes are wanted for entries {', '.join(speak) or 'none'}", "/sources"
        )
    found = {}
    for id, entry in speak.items():
        try:
            raw = unpacked(base64.b64decode(told[id], validate=True))
        except (ValueError, TypeError, zlib.error) as error:
            raise KeelError("wrong-type", f"no packed bytes in base 64: {error}", f"/sources/{id}") from None
        check_bytes(raw, entry.body[kinds[entry.kind].source], f"/sources/{id}")
        found[entry.id] = raw
    return found


def _is_whole(value: Any) -> bool:
    return isinstance(value, int) and not isinstance(value, bool) and 0 <= value < 1 << 53


def entry_of(row: Any, where: str, kinds: Kinds) -> Entry:
    """Return an entry from its JSON object, checked.

    Raises
    ------
    KeelError
        Its fault, with its JSON pointer.
    """
    if not isinstance(row, dict):
        raise KeelError("wrong-type", "an entry is an object", where)
    for name in _FIELDS:
        if name not in row:
            raise KeelError("missing-field", f"an entry needs “{name}”", f"{where}/{name}")
    for name in row:
        if name not in _FIELDS:
            raise KeelError("unknown-field", f"an entry has no “{name}”", f"{where}/{name}")
    for name in ("id", "work", "act"):
        if not _is_whole(row[name]):
            raise KeelError("wrong-type", f"“{name}” must be a whole number", f"{where}/{name}")
    for name in ("strikes", "after"):
        if row[name] is not None and not _is_whole(row[name]):
            raise KeelError("wrong-type", f"“{name}” must be a whole number or null", f"{where}/{name}")
    for name in ("kind", "time", "person"):
        if not is_text(row[name]):
            raise KeelError("wrong-type", f"“{name}” must be a text", f"{where}/{name}")
    if not is_time(row["time"]):
        raise KeelError(
            "wrong-type",
            "“time” must be a time with its offset, as 2026-11-24T10:00:00+01:00",
            f"{where}/time",
        )
    check_body(kinds, row["kind"], row["body"], f"{where}/body")
    for name in ("body", "kind", "time", "person"):
        check_shown(row[name], f"{where}/{name}")
    return Entry(**{name: row[name] for name in _FIELDS})
