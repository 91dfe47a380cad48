"""Whether the tables of an archive say what its entries give: a number changed in either is found, though its checksum was mended."""

from __future__ import annotations

import csv
import re
import tempfile
from collections.abc import Iterator, Mapping
from itertools import zip_longest
from pathlib import Path

from vivid_keel import __version__
from vivid_keel.archive.writing import settled, write_tables
from vivid_keel.core.errors import KeelError
from vivid_keel.core.record.entries import Entry
from vivid_keel.files import JobFile
from vivid_keel.trades.registry import desk_for

TABLES = ("as-read.csv", "results.csv", "triangles.csv")
WRITTEN = re.compile(r"^An archive .* by Vivid Keel ([0-9.]+)\.$", re.MULTILINE)
SAME = 1e-9
"""Two numbers as near as this, of one or of themselves, are the same: another machine adds up in another order."""


def written_by(folder: Path) -> str:
    """Return the version of the program that an archive's README says wrote it; "" where it says none."""
    found = WRITTEN.search((folder / "README.txt").read_text(encoding="utf-8", errors="replace"))
    return found[1] if found else ""


def told_otherwise(folder: Path, entries: list[Entry], sources: Mapping[int, bytes]) -> list[str]:
    """Return in words where a table of an archive says something else than its entries give, by file and line.

    What another version of the program wrote isn't compared: it may have worked out the same readings otherwise.
    """
    if written_by(folder) != __version__:
        return []
    out: list[str] = []
    with (
        tempfile.TemporaryDirectory() as made,
        JobFile.create_from(Path(made) / "again.keel", entries, sources=sources) as file,
    ):
        for n, (at, work) in enumerate(zip(_folders(folder), file.journal.works(), strict=False)):
            again = Path(made) / str(n)
            again.mkdir()
            desk = desk_for(file, work.id)
            settled(desk)
            write_tables(file, desk, again)
            for name in TABLES:
                out += _differ(at / name, again / name, f"{at.name}/{name}")
    return out


def _folders(folder: Path) -> list[Path]:
    with (folder / "works.csv").open(encoding="utf-8", newline="") as lines:
        return [folder / str(row["folder"]) for row in csv.DictReader(lines)]


def _differ(said: Path, gives: Path, name: str) -> Iterator[str]:
    """Yield where a table says something else than what the entries give, the first three lines."""
    if said.exists() != gives.exists():
        yield f"{name}: {'missing' if gives.exists() else 'the entries give no such table'}"
        return
    if not said.exists():
        return
    found = 0
    for n, (one, other) in enumerate(zip_longest(_lines(said), _lines(gives)), 1):
        if one is None or other is None:
            yield f"{name}, line {n}: {'missing' if one is None else 'the entries give no such line'}"
            return
        for a, b in zip_longest(one, other, fillvalue=""):
            if a != b and not _same(a, b):
                yield f"{name}, line {n}: says “{a}”, and the entries give “{b}”"
                found += 1
                break
        if found == 3:
            return


def _lines(path: Path) -> list[list[str]]:
    try:
        with path.open(encoding="utf-8", newline="") as lines:
            return list(csv.reader(lines))
    except (UnicodeDecodeError, csv.Error) as error:
        raise KeelError("not-text", f"{path.name}: no table that can be read: {error}") from None


def _same(a: str, b: str) -> bool:
    try:
        one, other = float(a), float(b)
    except ValueError:
        return False
    return abs(one - other) <= SAME * max(1.0, abs(one), abs(other))
