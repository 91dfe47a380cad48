"""The report of supports, with the work sheet for the hand."""

from __future__ import annotations

import numpy as np

from vivid_keel.core.kinds import Finding
from vivid_keel.core.moving.means import LEAVES
from vivid_keel.core.proof import VERDICT_WORDS
from vivid_keel.core.quantities import show_length, show_number
from vivid_keel.core.record.journal import Journal
from vivid_keel.figures.display import Picture
from vivid_keel.figures.report import LEFT, RIGHT, Heading, Pages, head, tail
from vivid_keel.trades.supports.book import FOUND
from vivid_keel.trades.supports.figure import elevation
from vivid_keel.trades.supports.passes import changes, rises
from vivid_keel.trades.supports.plan_figure import plan, proof
from vivid_keel.trades.supports.result import SupportsResult, target_words


def work_sheet(pages: Pages, result: SupportsResult) -> None:
    """Set the sheet for the hand: large figures, in the order of work, with boxes to tick and for the as-left readings."""
    book, style = result.book, result.book.style
    stages = result.stages()
    pages.title(f"Work sheet, round {len(book.passes) + 1}")
    pages.line(
        f"Target: {target_words(book, result)}; tolerance {book.limits.tolerance_text}. Stop at: what the scale shows once let down.",
        size=11,
    )
    for text in _before_the_first(result):
        pages.line(text, size=11)
    if len(stages) > 1:
        pages.line(
            f"{len(stages)} stages: all to the first, then all to the next. Nothing is lifted further at once.",
            size=11,
            bold=True,
        )
    for number, i in enumerate((k for k in result.to_move if k not in result.broken), 1):
        p, move, first = book.points[i], float(result.moves[i]), result.first_to(i)
        pages.need(58)
        page, y = pages.page, pages.y + 8
        page.box(LEFT, y, RIGHT - LEFT, 46, "", "ink", 0.8)
        page.text(LEFT + 8, y + 29, str(number), "muted", 12)
        page.text(LEFT + 30, y + 30, p.name, "ink", 20, bold=True)
        page.text(
            LEFT + 92, y + 24, f"{'raise' if move >= 0 else 'lower'} {abs(move) * 1000:.1f} mm", "ink", 14, bold=True
        )
        words = result.in_words(i)
        page.text(LEFT + 92, y + 40, words, "ink", 12 if len(words) < 24 else 9)
        page.text(LEFT + 216, y + 18, "stop at", "muted", 8)
        page.text(LEFT + 216, y + 36, show_length(result.stop_at(i), style), "ink", 18, bold=True)
        if first == first:
            page.text(LEFT + 284, y + 18, "first to", "muted", 8)
            page.text(LEFT + 284, y + 36, show_length(first, style), "ink", 12)
        if len(stages) > 1 and abs(float(stages[0][i]) - move) > 1e-9:
            stage = result.shown(i, float(result.heights[i]) + float(stages[0][i]))
            page.text(LEFT + 336, y + 18, "stage 1 to", "muted", 8)
            page.text(LEFT + 336, y + 36, show_length(stage, style), "ink", 12)
        page.box(RIGHT - 100, y + 10, 20, 22, "", "ink", 1.0)
        page.box(RIGHT - 68, y + 10, 60, 22, "", "ink", 1.0)
        page.text(RIGHT - 100, y + 42, "packed", "muted", 8)
        page.text(RIGHT - 68, y + 42, "as left", "muted", 8)
        pages.y = y + 46


def _rounds(pages: Pages, result: SupportsResult) -> None:
    """Set a table for every finished round: as read before, what was put in, as read after, how far it went."""
    book, style = result.book, result.book.style
    columns = [("Post", 60, False), ("Read before", 80, True), ("Put in, mm", 80, True), ("Leaves", 60, True), ("Read after", 80, True),
               ("Went, mm", 80, True)]  # fmt: skip
    for told, done, (put, leaves, change) in zip(result.learned.told, book.passes, changes(book), strict=True):
        share = "nothing moved" if told.took != told.took else f"{told.took * 100:.0f} % of it took"
        pages.title(f"Round {told.number}: {told.moved} moved, {share}", 12, 60)
        if done.shift:
            pages.line(f"The line stood {show_number(done.shift * 1000, 1, signed=True)} mm higher after it, by {book.reference_name}; taken out.")
        rows = []
        for i, p in enumerate(book.points):
            before, after = done.before.get(p.id), done.after.get(p.id)
            rows.append([
                p.name, show_length(before.value, style) if before else "not read", show_number(float(put[i]) * 1000, 2) if put[i] else "–",
                f"{leaves[i]:.0f}" if leaves[i] else "", show_length(after.value, style) if after else "not read",
                "" if change[i] != change[i] else show_number(float(change[i]) * 1000, 2, signed=True),
            ])  # fmt: skip
        pages.table(columns, rows)
        for reason in told.reasons:
            name = book.points[reason.point].name if reason.point >= 0 else "The scale"
            pages.line(f"{name} {reason.text}.")


def _before_the_first(result: SupportsResult) -> list[str]:
    """What the crew needs to know and have before the first post is moved."""
    book, out = result.book, []
    if result.packing is not None and result.packing.leaves:
        size = f", cut to {book.limits.leaf_size}" if book.limits.leaf_size else ""
        out.append("Leaves: " + ", ".join(f"{n} of {t * 1000:g} mm" for t, n in result.packing.by_thickness().items()) + size + ".")
    if result.packing is not None and result.packing.to_buy:
        out.append("To buy: " + ", ".join(f"{n} of {t * 1000:g} mm" for t, n in result.packing.to_buy) + ".")
    if result.feet:
        names = ", ".join(book.points[i].name for i in result.feet)
        out.append(f"First the three feet {names}; the others up until they just take load, none of the three moving by more than {book.limits.feet * 1000:g} mm.")
    moved = np.where(np.isin(np.arange(len(result.moves)), result.to_move), result.moves, 0.0)
    hanging = [f"{name} {show_number(rise * 1000, 0, signed=True)} mm" for name, rise in rises(book, moved) if rise == rise and abs(rise) >= 0.0005]
    if hanging:
        out.append("Look before and after: " + ", ".join(hanging) + ".")
    if FOUND in book.reference:
        out.append(f"Read {book.reference_name} again with the as-left readings: ____________")
    return out


def supports_report(result: SupportsResult, journal: Journal, heading: Heading, said: list[Finding]) -> list[Picture]:
    """Return the report of supports: as found, moves, as left."""
    book, style = result.book, result.book.style
    pages = Pages(heading)
    assert book.instrument is not None
    if result.to_move and (result.packing is not None or result.instructions) and (book.lifting_acknowledged or not result.lifts_something):
        work_sheet(pages, result)
        pages.next_page()
    facts = [
        f"Tolerance {book.limits.tolerance_text}; target: {target_words(book, result)}; scale {book.limits.sense} unless said"
    ]
    head(pages, book.instrument, facts)
    for row in book.rows:
        pages.figure(elevation(result, row, 760, 330))
    pages.figure(plan(result, 760, 280))
    pages.title("What the numbers say", 12)
    pages.findings(said)
    if result.read:
        pages.figure(proof(result, 760, 300))
    pages.title("As found, moves, as left", 12, 70)
    order = {i: k + 1 for k, i in enumerate(result.to_move)}
    unread = not book.lifting_acknowledged and result.lifts_something
    rows: list[list[str]] = []
    for i in [*result.to_move, *[i for i in range(len(book.points)) if i not in order]]:
        p = book.points[i]
        left = "" if p.left is None else show_length(p.left.value, style)
        deviation = (
            ""
            if not left or result.left[i] != result.left[i]
            else show_number(result.deviation_left(i) * 1000, 1, signed=True)
        )
        rows.append(
            [str(order.get(i, "–")), p.name, show_length(p.first.value, style) if p.first else "not read",
             show_number(float(result.moves[i]) * 1000, 1, signed=True) if p.found and i in order else "stays" if p.found else "",
             ("read the cautions first" if unread else result.in_words(i)) if i in order else "", show_length(result.stop_at(i), style) if p.found else "",
             left, deviation, VERDICT_WORDS.get(result.left_verdicts[i], "")]
        )  # fmt: skip
    columns = [("Order", 38, True), ("Post", 50, False), ("As found", 64, True), ("Move, mm", 58, True), ("Packing, mm" if book.means.kind == LEAVES else "By hand", 110, False),
               ("Stop at", 60, True), ("As left", 60, True), ("Off, mm", 50, True), ("Verdict", 80, False)]  # fmt: skip
    pages.table(columns, rows)
    if book.passes:
        pages.line(f"Order, move and packing above are of round {len(book.passes) + 1}.")
        _rounds(pages, result)
    struck = [f"{p.name}: {', '.join(p.struck)}" for p in book.points if p.struck]
    if struck:
        pages.line("Struck readings, kept: " + "; ".join(struck))
    tail(pages, journal, book.work)
    return pages.done()
