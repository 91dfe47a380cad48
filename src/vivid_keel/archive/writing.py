"""A job written as an archive folder: aside first, moved into place when whole; nothing is ever overwritten."""

from __future__ import annotations

import csv
import hashlib
import json
import os
import shutil
from collections.abc import Callable, Iterable, Sequence
from pathlib import Path
from typing import Any

from vivid_keel import __version__
from vivid_keel.archive.readme import readme
from vivid_keel.archive.schema import schema_of
from vivid_keel.archive.tables import as_read
from vivid_keel.core.errors import KeelError
from vivid_keel.core.kinds import Kinds
from vivid_keel.core.record.entries import Entry
from vivid_keel.desk.base import Desk
from vivid_keel.desk.unknown import UnknownDesk
from vivid_keel.desk.work import WorkDesk
from vivid_keel.exchange.csv_lines import harmless
from vivid_keel.exchange.job_json import row_of
from vivid_keel.files import JobFile, KitFile
from vivid_keel.places import file_name
from vivid_keel.trades.registry import desk_for, trade
from vivid_keel.whole import whole_folder

SUFFIX = ".archive"
SUMS = "SHA256SUMS"
WIDE, TALL = 900.0, 460.0
"""How large a picture is drawn [px]."""
MOST_WORK, SECONDS = 20, 60.0
"""So many things are worked out one after another, each in so long at the most [s]."""
CarryOn = Callable[[float], bool]


def archive_path(job: Path) -> Path:
    """Return where a job's archive goes if nobody says otherwise."""
    return job.with_suffix(SUFFIX)


def write_archive(
    file: JobFile, folder: Path, kit: KitFile | None = None, carry_on: CarryOn = lambda done: True
) -> Path | None:
    """Write a job's archive folder; None where `carry_on` said to stop. Needs a running QGuiApplication (offscreen will do).

    Raises
    ------
    KeelError
        `file-exists` where something of that name is there; `not-written` with the reason.
    """
    if os.path.lexists(folder):
        raise KeelError(
            "file-exists", f"{folder} is there already, and an archive is never overwritten", str(folder)
        )
    try:
        with whole_folder(folder) as aside:
            if not _fill(file, aside, kit, carry_on):
                shutil.rmtree(aside)
                return None
            _write_sums(aside)
    except OSError as error:
        raise KeelError("not-written", f"{folder} can't be written: {error.strerror}", str(folder)) from None
    return folder


def _fill(file: JobFile, folder: Path, kit: KitFile | None, carry_on: CarryOn) -> bool:
    journal, kinds = file.journal, file.kinds()
    entries, sources = file.to_write()
    _write_lines(folder / "entries.jsonl", entries)
    _write_schema(folder / "schema.json", kinds, entries)
    tools = _of_the_kit(file, kit)
    _write_lines(folder / "kit.jsonl", tools)
    _write_schema(folder / "kit-schema.json", KitFile.kinds(), tools)
    works = list(journal.works())
    table: list[Sequence[object]] = [("number", "name", "trade", "unit", "visits", "folder")]
    listed, datums, units, rules = [], list[str](), list[str](), dict[str, str]()
    for n, work in enumerate(works, 1):
        if not carry_on(n / (len(works) + 1)):
            return False
        name, type = journal.name_of(work.id), str(work.body["type"])
        known = trade(type)
        label = known.label if known is not None else type
        own = f"{n:02d} {file_name(name)}"
        unit = journal.unit_of(work.id)
        visits = 1 + len(journal.standing(work.id, "visit"))
        table.append((n, name, label.lower(), unit, visits, own))
        listed.append((own, name, label.lower()))
        units += [unit] if unit not in units else []
        datums += _datums(file, work.id, name)
        rule = _write_work(file, work.id, folder / own)
        if rule:
            rules[label.lower()] = rule
    _write_csv(folder / "works.csv", table)
    for raw in sources.values():
        (folder / "blobs").mkdir(exist_ok=True)
        (folder / "blobs" / hashlib.sha256(raw).hexdigest()).write_bytes(raw)
    job = journal.latest(0, "job")
    place = str(job.body.get("place", "")) if job else ""
    written = file.now().isoformat(timespec="seconds")
    text = readme(journal.name_of(0), place, written, __version__, units, datums, listed, file.mark, rules)
    _write_text(folder / "README.txt", text)
    return True


def _write_work(file: JobFile, work: int, folder: Path) -> str:
    """Write what is kept of a work: its readings, its results, its report and its pictures; return in words how the results come about."""
    from vivid_keel.exchange.drawing import write_svg
    from vivid_keel.exchange.report_pdf import write_pdf

    journal, desk = file.journal, desk_for(file, work)
    folder.mkdir()
    settled(desk)
    rule = write_tables(file, desk, folder)
    if isinstance(desk, UnknownDesk):
        return rule
    name = journal.name_of(work)
    write_pdf(desk.report()(), folder / "report.pdf", name)
    drawn = set()
    for stage in desk.stage_names:
        for view, called in enumerate(desk.views(stage) or [""]):
            picture = desk.picture(stage, view, WIDE, TALL)
            seen = hashlib.sha256(repr(picture.items).encode()).digest()
            if seen in drawn or not picture.items:
                continue
            drawn.add(seen)
            title = f"{stage}, {called}" if called else stage
            write_svg(picture, folder / file_name(f"{title}.svg"), f"{name}: {title}")
    return rule


def settled(desk: Desk) -> None:
    """Work out what a window would leave to its worker: an adjustment, leaves to be chosen."""
    for _ in range(MOST_WORK):
        waits = desk.long_work()
        if waits is None:
            return
        key, operation = waits
        desk.long_work_done(key, operation(lambda: SECONDS))


def write_tables(file: JobFile, desk: Desk, folder: Path) -> str:
    """Write a work's readings and results, of a trade that isn't known its readings alone; return in words how the results come about."""
    tables = desk.face.told(desk.result, file.journal) if isinstance(desk, WorkDesk) else None
    read = None if tables is None else tables.as_read
    _write_csv(folder / "as-read.csv", read or as_read(file.journal, desk.work, file.kinds()))
    if tables is not None:
        _write_csv(folder / "results.csv", tables.results)
        for name, rows in tables.more.items():
            _write_csv(folder / name, rows)
    return "" if tables is None else tables.rule


def _of_the_kit(file: JobFile, kit: KitFile | None) -> list[Entry]:
    """The kit's entries of the instruments that took readings in a job."""
    if kit is None:
        return []
    used = {
        int(entry.body["tool"])
        for entry in file.journal.entries.values()
        if entry.kind in {"instrument", "staff"} and entry.body.get("tool")
    }
    return [entry for entry in kit.journal.entries.values() if entry.work in used or entry.id in used]


def _datums(file: JobFile, work: int, name: str) -> list[str]:
    """The marks of a work whose heights are known, and where these come from."""
    out = []
    for entry in file.journal.standing(work, "mark"):
        read = entry.body["height"]
        source = str(entry.body.get("source", "")) or "its source isn't said"
        out.append(
            f"{name}: {entry.body['name']} at {float(read['m']):g} m ({read['text']} {read['unit']}), {source}"
        )
    return out


def _write_lines(path: Path, entries: Iterable[Entry]) -> None:
    with path.open("w", encoding="utf-8", newline="\n") as out:
        for entry in entries:
            out.write(json.dumps(row_of(entry), ensure_ascii=False, separators=(",", ":")) + "\n")


def _write_schema(path: Path, kinds: Kinds, entries: Iterable[Entry]) -> None:
    schema = schema_of(kinds, {entry.kind for entry in entries})
    _write_text(path, json.dumps(schema, ensure_ascii=False, indent=1) + "\n")


def _write_text(path: Path, text: str) -> None:
    path.write_text(text, encoding="utf-8", newline="\n")


def _write_csv(path: Path, rows: Iterable[Sequence[Any]]) -> None:
    with path.open("w", encoding="utf-8", newline="") as out:
        csv.writer(out, lineterminator="\n").writerows([harmless(cell) for cell in row] for row in rows)


def _write_sums(folder: Path) -> None:
    """Write the checksum of every file, in the form that `sha256sum -c` reads."""
    lines = []
    for path in sorted(one for one in folder.rglob("*") if one.is_file()):
        digest = hashlib.sha256(path.read_bytes()).hexdigest()
        lines.append(f"{digest}  {path.relative_to(folder).as_posix()}\n")
    _write_text(folder / SUMS, "".join(lines))
