"""An archive folder read back: what doesn't match is said in words; whole, it gives the same job."""

from __future__ import annotations

import csv
import hashlib
import json
import os
import re
from collections.abc import Iterator
from datetime import datetime
from pathlib import Path

from vivid_keel.archive.comparing import told_otherwise
from vivid_keel.archive.writing import SUMS
from vivid_keel.core.errors import KeelError
from vivid_keel.core.record.as_written import NOT_AS_WRITTEN, mark_of, marked
from vivid_keel.core.record.entries import Entry
from vivid_keel.exchange.job_json import entries_of, entry_of
from vivid_keel.files import JobFile, KitFile
from vivid_keel.places import user_name
from vivid_keel.whole import read_file

ENTRIES = "entries.jsonl"
NEEDED = ("README.txt", ENTRIES, "schema.json", "kit.jsonl", "works.csv")
_LINE = re.compile(r"([0-9a-f]{64}) [ *](.+)")
MOST = 50
"""So many things that don't match are told."""


def mismatches(folder: Path) -> list[str]:
    """Return in words what of an archive doesn't match what it says of itself; empty where all does.

    Raises
    ------
    KeelError
        `no-file`, `not-an-archive`.
    """
    said = _told(folder)
    out: list[str] = []
    for name, digest in said.items():
        path = folder / name
        if not _inside(folder, name):
            out.append(f"{name}: named in {SUMS}, and lies outside the folder")
        elif not _is_there(path):
            out.append(f"{name}: missing")
        elif _digest(path) != digest:
            out.append(f"{name}: changed since it was written")
    for name in _there(folder):
        if name not in said and name != SUMS:
            out.append(f"{name}: isn't named in {SUMS}; it was put in later")
    out += [f"{name}: missing, and not named in {SUMS}" for name in NEEDED if name not in said]
    if not out:
        out += _inner(folder)
    more = len(out) - MOST
    return [*out[:MOST], *([f"and {more} more"] if more > 0 else [])]


def read_archive(folder: Path) -> tuple[list[Entry], dict[int, bytes]]:
    """Return the entries of an archive, and the bytes kept beside some of them.

    Raises
    ------
    KeelError
        What is wrong, with its line; see `mismatches` for what was changed.
    """
    entries = entries_of(_rows(folder / ENTRIES), JobFile.kinds())
    return entries, dict(_blobs(folder, entries))


def _rows(path: Path) -> list[object]:
    """Return what stands in the lines of a file, each JSON."""
    rows = []
    for n, line in enumerate(read_file(path).splitlines()):
        try:
            rows.append(json.loads(line))
        except (ValueError, RecursionError) as error:
            raise KeelError("bad-json", f"{path.name}, line {n + 1}: not JSON: {error}", f"/{n}") from None
    return rows


def _kit_entries(folder: Path) -> list[Entry]:
    """Return the entries of the instruments in an archive, checked one by one: the rest of their kit isn't there."""
    kinds = KitFile.kinds()
    return [entry_of(row, f"/{n}", kinds) for n, row in enumerate(_rows(folder / "kit.jsonl"))]


def job_from(
    folder: Path, job: Path, *, even_so: bool = False, because: str = ""
) -> tuple[int, list[str], str]:
    """Make the job of an archive; return how many entries it has, what of the archive doesn't match, and what of the job isn't as it was
    written.

    Where the archive doesn't match nothing is made, unless `even_so`. A job that isn't as it was written is for reading only till a person
    vouches for it, now (`because`) or later.
    """
    wrong = mismatches(folder)
    if wrong and not even_so:
        return 0, wrong, ""
    entries, sources = read_archive(folder)
    wrong = wrong or told_otherwise(folder, entries, sources)
    if wrong and not even_so:
        return 0, wrong, ""
    said = mark_of(entries)
    if wrong:
        said = (
            f"The archive that this was made of doesn't match what it says of itself: {'; '.join(wrong[:3])}."
        )
    now = datetime.now().astimezone().isoformat(timespec="milliseconds")
    entries = marked(entries, said, now, user_name(), because)
    JobFile.create_from(job, entries, sources=sources).close()
    return len(entries), wrong, mark_of(entries)


def verified(folder: Path) -> tuple[list[str], str]:
    """Return what of an archive doesn't match, its tables worked out again; and what of the job in it isn't as it was written ("": all is).

    Raises
    ------
    KeelError
        As `mismatches` does.
    """
    wrong = mismatches(folder)
    if wrong:
        return wrong, ""
    entries, sources = read_archive(folder)
    return told_otherwise(folder, entries, sources), mark_of(entries)


def _inner(folder: Path) -> list[str]:
    """What doesn't fit together though no byte was changed: another program's folder, or one put together by hand."""
    try:
        entries, _ = read_archive(folder)
    except KeelError as error:
        return [f"{ENTRIES}: {error.message}{f' ({error.where})' if error.where else ''}"]
    try:
        _kit_entries(folder)
    except KeelError as error:
        return [f"kit.jsonl: {error.message} ({error.where})"]
    works = [entry for entry in entries if entry.kind == "work"]
    try:
        with (folder / "works.csv").open(encoding="utf-8", newline="") as lines:
            listed = list(csv.DictReader(lines))
    except (UnicodeDecodeError, csv.Error) as error:
        return [f"works.csv: no table that can be read: {error}"]
    if len(listed) > len(works):
        return [f"works.csv: lists {len(listed)} works, and the entries begin {len(works)}"]
    return [
        f"{row.get('folder', '')}: the folder of a work is missing"
        for row in listed
        if not _is_there(folder / str(row.get("folder")), folder=True)
    ]


def _blobs(folder: Path, entries: list[Entry]) -> Iterator[tuple[int, bytes]]:
    kinds, warned = JobFile.kinds(), any(entry.kind == NOT_AS_WRITTEN for entry in entries)
    for entry in entries:
        source = kinds[entry.kind].source
        if not source or source not in entry.body:
            continue
        digest = str(entry.body[source]["sha256"])
        path = folder / "blobs" / digest
        if warned and not path.exists():
            continue  # lost before it was archived, and said in the mark
        if not re.fullmatch(r"[0-9a-f]{64}", digest) or not path.is_file():
            raise KeelError(
                "no-file", f"entry {entry.id} speaks of bytes that aren't there: blobs/{digest[:64]}"
            )
        raw = read_file(path)
        if hashlib.sha256(raw).hexdigest() != digest:
            raise KeelError("damaged", f"blobs/{digest}: changed since it was written")
        yield entry.id, raw


def _told(folder: Path) -> dict[str, str]:
    """What the folder says of its files: their checksums by name."""
    if not folder.is_dir():
        raise KeelError("no-file", f"{folder}: there is no such folder", str(folder))
    try:
        text = read_file(folder / SUMS).decode("utf-8")
    except (KeelError, UnicodeDecodeError):
        raise KeelError(
            "not-an-archive",
            f"{folder} has no {SUMS}: it is no archive of a job, or an incomplete one",
            str(folder),
        ) from None
    out: dict[str, str] = {}
    for n, line in enumerate(text.splitlines(), 1):
        found = _LINE.fullmatch(line)
        if found is None:
            raise KeelError("not-an-archive", f"{SUMS}, line {n}: no checksum and name", str(folder))
        out[found[2]] = found[1]
    return out


def _inside(folder: Path, name: str) -> bool:
    return not os.path.isabs(name) and ".." not in Path(name).parts and not _through_link(folder, name)


def _through_link(folder: Path, name: str) -> bool:
    path = folder
    for part in Path(name).parts:
        path = path / part
        try:
            if path.is_symlink():
                return True
        except OSError:  # a name that no file system holds is no link
            return False
    return False


def _there(folder: Path) -> list[str]:
    return sorted(
        one.relative_to(folder).as_posix()
        for one in folder.rglob("*")
        if not one.is_dir() or one.is_symlink()
    )


def _is_there(path: Path, *, folder: bool = False) -> bool:
    """Whether a file, or a folder, is there; of a name that no file system holds it isn't."""
    try:
        return path.is_dir() if folder else path.is_file()
    except (OSError, ValueError):
        return False


def _digest(path: Path) -> str:
    with path.open("rb") as raw:
        return hashlib.file_digest(raw, "sha256").hexdigest()
