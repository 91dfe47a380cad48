"""The level book written as CSV: a line per sight, or the classic line per mark."""

from __future__ import annotations

import re
from typing import Any

from vivid_keel.core.booking.layout import BS, FS, IS, KINDS
from vivid_keel.core.quantities import is_missing, show_length
from vivid_keel.core.record.journal import Journal
from vivid_keel.exchange.csv_lines import written
from vivid_keel.trades.run.book import EVENT, NAN
from vivid_keel.trades.run.result import RunResult


def write_sights(result: RunResult, journal: Journal) -> str:
    """Return the book as CSV, a line per sight, as read and as reduced; struck ones marked."""
    book, style = result.book, result.book.style
    rows: list[list[object]] = []
    unit = book.unit
    rows.append(
        [
            "set-up",
            "mark",
            "sight",
            f"reading ({unit})",
            "distance (m)",
            "remark",
            f"height ({unit})",
            "corrected",
            f"known height ({unit})",
            "source",
            "struck",
            "time",
            "who",
            f"upper ({unit})",
            f"lower ({unit})",
            f"second look ({unit})",
            "page",
            "on paper",
        ]
    )
    known = {k.name: k for k in book.known}
    said: set[str] = set()
    for row, sight in enumerate(book.rows):
        entry = journal.entries[sight.id]
        if sight.kind == EVENT:
            rows.append(
                ["", "", sight.text, "", "", sight.remark, *[""] * 5, entry.time, entry.person, *[""] * 5]
            )
            continue
        listed = known.get(sight.mark) if sight.mark not in said else None
        said.add(sight.mark)
        at = result.at[row]
        setup = int(result.layout.setup[at]) + 1 if at >= 0 else ""
        height = result.height(row)
        corrected = (
            result.corrected(row) if result.closure.spread else NAN
        )  # an observed height is no corrected one
        rows.append(
            [
                setup,
                sight.mark,
                KINDS[sight.kind],
                _text(sight.text, entry.body["reading"]["unit"], unit),
                "" if is_missing(sight.distance) else f"{sight.distance:g}",
                sight.remark,
                _plain(height, style),
                _plain(corrected, style),
                _text(*_as_written(journal, listed.id), unit) if listed else "",
                listed.source if listed else "",
                "" if sight.stands else "struck",
                entry.time,
                entry.person,
                *[
                    _text(entry.body[k]["text"], entry.body[k]["unit"], unit) if k in entry.body else ""
                    for k in ("upper", "lower", "look")
                ],
                sight.page,
                sight.read_at,
            ]
        )
    return written(rows)


def write_marks(result: RunResult) -> str:
    """Return the book as CSV, the classic line per mark with BS, IS and FS columns."""
    book, style = result.book, result.book.style
    rows: list[list[object]] = []
    unit = book.unit
    rows.append(
        [
            "mark",
            f"BS ({unit})",
            f"IS ({unit})",
            f"FS ({unit})",
            "HC",
            "rise",
            "fall",
            "height",
            "corrected",
            f"known height ({unit})",
            "source",
            "remark",
        ]
    )
    known = {k.name: k for k in book.known}
    said: set[str] = set()
    for main, back in book.lines:
        sight = book.rows[main]
        if not sight.stands:
            continue
        cells = {sight.kind: _plain(sight.reading, style)}
        if back >= 0:
            cells[BS] = _plain(book.rows[back].reading, style)
        on = back if back >= 0 else main if sight.kind == BS else -1
        rise, fall = result.rise_fall(main)
        listed = known.get(sight.mark) if sight.mark not in said else None
        said.add(sight.mark)
        rows.append(
            [
                sight.mark,
                *[cells.get(k, "") for k in (BS, IS, FS)],
                _plain(result.collimation_height(on), style) if on >= 0 else "",
                _plain(rise, style) if rise > 0 else "",
                _plain(fall, style) if fall > 0 else "",
                _plain(result.height(main), style),
                _plain(result.corrected(main), style) if result.closure.spread else "",
                _plain(listed.height, style) if listed else "",
                listed.source if listed else "",
                sight.remark,
            ]
        )
    return written(rows)


def _as_written(journal: Journal, id: int) -> tuple[str, str]:
    height = journal.entries[id].body["height"]
    return height["text"], height["unit"]


def _plain(value: float, style: Any) -> str:
    """A length with typewriter signs, so that any program reads it."""
    if is_missing(value):
        return ""
    return show_length(value, style).replace("−", "-").replace("′", "'").replace("″", '"')


def _text(text: str, unit: str, field_unit: str) -> str:
    """The text as read, its mark a point; with its unit where that isn't the column's and the text doesn't say it."""
    clean = text.strip().replace(",", ".")
    bare = re.fullmatch(r"[+\-−]?[\d.]+", clean)
    return f"{clean} {unit}" if bare and unit != field_unit else clean
