"""The report of supports, with the work sheet for the hand."""

from __future__ import annotations

from vivid_keel.core.kinds import Finding
from vivid_keel.core.moving.plan import FOUND
from vivid_keel.core.moving.result import target_words
from vivid_keel.core.proof import VERDICT_WORDS
from vivid_keel.core.quantities import is_missing, show_amount, show_length
from vivid_keel.core.record.journal import Journal
from vivid_keel.figures.display import Picture
from vivid_keel.figures.moving.elevation import elevation
from vivid_keel.figures.moving.plan import plan, proof
from vivid_keel.figures.moving.work_sheet import work_sheet
from vivid_keel.figures.report import Heading, Pages, head, tail
from vivid_keel.trades.supports.plumb import cure, name_of, verdict_of
from vivid_keel.trades.supports.readings_sheet import read_in_words
from vivid_keel.trades.supports.result import SupportsResult


def _rounds(pages: Pages, result: SupportsResult) -> None:
    """Set a table for every finished round: as read before, what was put in, as read after, how far it went."""
    book, style = result.book, result.book.style
    columns = [
        ("Post", 60, False),
        ("Read before", 80, True),
        (f"Put in, {style.small}", 80, True),
        ("Leaves", 60, True),
        ("Read after", 80, True),
        (f"Went, {style.small}", 80, True),
    ]
    for told, done, (put, leaves, change) in zip(
        result.learned.told, book.passes, result.task.happened, strict=True
    ):
        share = "nothing moved" if is_missing(told.took) else f"{told.took * 100:.0f} % of it took"
        pages.title(f"Round {told.number}: {told.moved} moved, {share}", 12, 60)
        if done.shift:
            pages.line(
                f"The line stood {show_amount(done.shift, style, signed=True)} higher after it, by {book.reference_name}; taken out."
            )
        rows = []
        for i, point in enumerate(book.points):
            before, after = done.before.get(point.id), done.after.get(point.id)
            rows.append(
                [
                    point.name,
                    show_length(before.value, style) if before else "not read",
                    style.amount(float(put[i]), 2) if put[i] else "–",
                    f"{leaves[i]:.0f}" if leaves[i] else "",
                    show_length(after.value, style) if after else "not read",
                    "" if is_missing(change[i]) else style.amount(float(change[i]), 2, signed=True),
                ]
            )
        pages.table(columns, rows)
        for reason in told.reasons:
            name = book.points[reason.point].name if reason.point >= 0 else "The scale"
            pages.line(f"{name} {reason.text}.")


def supports_report(
    result: SupportsResult, journal: Journal, heading: Heading, said: list[Finding]
) -> list[Picture]:
    """Return the report of supports: as found, moves, as left."""
    book, style = result.book, result.book.style
    pages = Pages(heading)
    assert book.instrument is not None
    facts = [
        f"Tolerance {book.tolerance_words}; target: {target_words(book, result)}; scale {book.limits.sense} unless said"
    ]
    head(pages, book.instrument, facts, book.style)
    for row in book.rows:
        pages.figure(elevation(result, row, 760, 330))
    pages.figure(plan(result, 760, 280))
    pages.findings(said)
    if result.read:
        pages.figure(proof(result, 760, 300))
    pages.readings(rounds=False)
    pages.title("As found, moves, as left", 12, 70)
    order = {i: k + 1 for k, i in enumerate(result.to_move)}
    unread = not book.lifting_acknowledged and result.lifts_something
    rows: list[list[str]] = []
    for i in [*result.to_move, *[i for i in range(len(book.points)) if i not in order]]:
        point = book.points[i]
        left = "" if point.left is None else read_in_words(point.left, style)
        deviation = (
            ""
            if not left or is_missing(result.deviation_left(i))
            else style.amount(result.deviation_left(i), 1, signed=True)
        )
        rows.append(
            [
                str(order.get(i, "–")),
                point.name,
                read_in_words(point.first, style) if point.first else "not read",
                style.amount(float(result.moves[i]), 1, signed=True)
                if point.found and i in order
                else "stays"
                if point.found
                else "",
                ("read the cautions first" if unread else result.in_words(i)) if i in order else "",
                show_length(result.stop_at(i), style) if point.found else "",
                left,
                deviation,
                style.amount(2 * float(result.u_left[i]), 1, up=True) if deviation else "",
                VERDICT_WORDS.get(result.left_verdicts[i], ""),
            ]
        )
    columns = [
        ("Order", 38, True),
        ("Post", 50, False),
        ("As found", 64, True),
        (f"Move, {style.small}", 58, True),
        (
            f"Packing, {style.small}"
            if all(book.by_leaves(point.id) for point in book.points)
            else "By hand",
            136,
            False,
        ),
        ("Finish at", 60, True),
        ("As left", 60, True),
        (f"Off, {style.small}", 50, True),
        ("± U", 34, True),
        ("Verdict", 66, False),
    ]
    pages.table(columns, rows)
    if book.stock:
        pages.line("Stock: " + " · ".join(f"{leaf.count} of {leaf.text}" for leaf in book.stock))
    if book.passes:
        pages.line(f"Order, move and packing above are of round {len(book.passes) + 1}.")
        _rounds(pages, result)
    if book.leans:
        _plumb(pages, result)
    struck = [f"{point.name}: {', '.join(point.struck)}" for point in book.points if point.struck]
    if struck:
        pages.line("Struck readings, kept: " + "; ".join(struck))
    tail(pages, journal, book.work)
    if (
        result.to_move
        and (result.packing is not None or result.instructions)
        and (book.lifting_acknowledged or not result.lifts_something)
    ):
        pages.next_page()
        work_sheet(pages, result, book.reference_name if FOUND in book.reference else "")
    return pages.done()


def _plumb(pages: Pages, result: SupportsResult) -> None:
    """Set how posts lean, and what brings them upright."""
    book = result.book
    style = book.style
    pages.title("Plumb", 12, 60)
    rows = [
        [
            name_of(book, one.point),
            one.way,
            show_length(one.lean.length, style),
            f"{one.read_with}: {one.texts[0]}{f', {one.texts[1]}' if one.texts[1] else ''}",
            style.amount(one.lean.off, 1, signed=True),
            style.amount(2 * one.lean.u_off, 1, up=True),
            VERDICT_WORDS[verdict_of(book, one.lean)],
            cure(book, one),
        ]
        for one in book.leans
    ]
    columns = [
        ("Post", 44, False),
        ("Leans", 40, False),
        ("Length", 44, True),
        ("Read", 96, False),
        (f"Off, {style.small}", 44, True),
        ("± U", 34, True),
        ("Verdict", 60, False),
        ("What brings it upright", 160, False),
    ]
    pages.table(columns, rows)
