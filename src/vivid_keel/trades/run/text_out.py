"""A level book reduced, as plain text for a terminal."""

from __future__ import annotations

from typing import Any

from msgspec.structs import replace

from vivid_keel.core.booking.closing import ToleranceClass, adjusted_heights
from vivid_keel.core.booking.events import EVENTS
from vivid_keel.core.booking.from_file import BookFile
from vivid_keel.core.booking.layout import BS
from vivid_keel.core.booking.layout import KINDS as SIGHTS
from vivid_keel.core.kinds import numbered
from vivid_keel.core.quantities import is_missing, show_amount, show_length, show_move
from vivid_keel.core.record.common import COMMON
from vivid_keel.core.record.entries import Draft
from vivid_keel.core.record.journal import Journal
from vivid_keel.core.record.readings import show
from vivid_keel.trades.run.book import EVENT, fold_run
from vivid_keel.trades.run.bring_in import book_drafts
from vivid_keel.trades.run.entries import KINDS
from vivid_keel.trades.run.legs import met_words
from vivid_keel.trades.run.result import RunResult, work_out_run


def reduce_text(book: BookFile, name: str, coefficient: float) -> tuple[str, bool]:
    """Return the reduced book as text, and whether it reduces wholly and closes within coefficient·√n [m]."""
    result = _reduced(book, name, coefficient)
    good = not result.trouble and bool(result.sound)
    return "\n".join([*book.notes, "", *_table(result), "", *_checks(result)]), good


def reduce_json(book: BookFile, name: str, coefficient: float) -> tuple[dict[str, Any], bool]:
    """Return the reduced book as numbers (heights by mark [m]), and whether it reduces wholly and closes within coefficient·√n [m]."""
    result = _reduced(book, name, coefficient)
    closure = result.closure
    out: dict[str, Any] = {
        "heights": {
            mark: height for mark, height in result.reduction.observed().items() if not is_missing(height)
        },
        "adjusted": {
            mark: height
            for mark, height in adjusted_heights(result.reduction, closure).items()
            if not is_missing(height)
        },
        "misclosure_m": closure.misclosure,
        "accepted": closure.accepted if result.sound is not False else False,
        "lines": {key: book.lines[key] for key in ("sights", "events", "blank", "heading", "remark", "sum")},
        "warnings": [*book.notes, *result.trouble.values(), *(met_words(result, one) for one in result.bad)],
    }
    return out, not result.trouble and bool(result.sound)


def _reduced(book: BookFile, name: str, coefficient: float) -> RunResult:
    drafts = [Draft(0, "job", {"name": name}), *_shifted(book_drafts(book, name))]
    journal = Journal(numbered({**COMMON, **KINDS}, drafts, 1, 1, "", ""))
    folded = fold_run(journal, 2)
    settings = replace(folded.settings, tolerance=ToleranceClass("given", coefficient, "setup"))
    return work_out_run(replace(folded, settings=settings))


def _shifted(drafts: list[Draft]) -> list[Draft]:
    """The job's own entry stands before them: their references to each other move on by one."""
    return [draft._replace(work=draft.work - 1 if draft.work < 0 else draft.work) for draft in drafts]


def _table(result: RunResult) -> list[str]:
    book, style = result.book, result.book.style
    rows = [["mark", "BS", "IS", "FS", "HC", "rise", "fall", "height", "corrected", ""]]
    for main, back in book.lines:
        sight = book.rows[main]
        if sight.kind == EVENT:
            rows.append([f"– {EVENTS[sight.text]}", *[""] * 8, sight.remark])
            continue
        cells = {sight.kind: show_length(sight.reading, style)}
        if back >= 0:
            cells[BS] = show_length(book.rows[back].reading, style)
        on = back if back >= 0 else main if sight.kind == BS else -1
        rise, fall = result.rise_fall(main)
        rows.append(
            [
                sight.mark,
                *[cells.get(k, "") for k in range(len(SIGHTS))],
                show(result.collimation_height(on), style) if on >= 0 else "",
                show(rise, style) if rise > 0 else "",
                show(fall, style) if fall > 0 else "",
                show(result.height(main), style),
                show(result.corrected(main), style) if result.closure.spread else "",
                result.trouble.get(main) or result.trouble.get(back) or "",
            ]
        )
    widths = [max(len(row[c]) for row in rows) for c in range(len(rows[0]))]
    return [
        "  ".join(
            cell.ljust(w) if c in (0, 9) else cell.rjust(w)
            for c, (cell, w) in enumerate(zip(row, widths, strict=True))
        ).rstrip()
        for row in rows
    ]


def _checks(result: RunResult) -> list[str]:
    style, closure = result.book.style, result.closure
    checks = result.checks()
    out = (
        []
        if checks.computed
        else ["No sight hangs on a known height: nothing was computed, so nothing agrees."]
    )
    for check in (checks.difference, checks.rise_and_fall, checks.intermediates) if checks.computed else ():
        sides = f"{show_length(check.left, style)} = {show_length(check.right, style)}"
        out.append(f"{check.name}:  {sides}  {'agrees' if check.agrees else 'DOES NOT AGREE'}")
    out += [f"{met_words(result, one)}: OUT, nothing is spread." for one in result.bad]
    if closure.misclosure is None:
        out.append("The run is open: its heights have no check.")
        return out
    n = len(closure.path)
    assert closure.allowed is not None
    said = f"Misclosure on {closure.mark}: {show_move(closure.misclosure, style)}"
    verdict = (
        "over it, nothing is spread"
        if not closure.accepted
        else "within it, spread over the set-ups"
        if closure.spread
        else "within it, not spread"
    )
    out.append(
        f"{said}; allowed ± {show_amount(closure.allowed, style)} for {n} set-up{'s' if n != 1 else ''}: {verdict}."
    )
    return out
