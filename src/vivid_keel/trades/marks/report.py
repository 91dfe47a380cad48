"""The report of carried marks, with the marking sheet for the hand: large figures, in the order of work."""

from __future__ import annotations

from vivid_keel.core.kinds import Finding
from vivid_keel.core.quantities import show_amount, show_length, show_piece
from vivid_keel.core.record.journal import Journal
from vivid_keel.core.record.readings import show
from vivid_keel.figures.display import Picture
from vivid_keel.figures.measure import fitted, smaller
from vivid_keel.figures.report import LEFT, RIGHT, Heading, Pages, head, tail
from vivid_keel.trades.marks.carry import CHAIN
from vivid_keel.trades.marks.figure import elevation, plan
from vivid_keel.trades.marks.result import MarksResult


def marks_report(
    result: MarksResult, journal: Journal, heading: Heading, said: list[Finding]
) -> list[Picture]:
    """Return the report, then the marking sheet."""
    b, style = result.book, result.book.style
    pages = Pages(heading)
    reference = (
        "none yet"
        if b.reference is None
        else f"{b.reference.name}, {show_length(b.reference.height, style, unit=True)} ({b.reference.source})"
    )
    facts = [f"Carried from {reference} as a {b.order}; u of one carrying {show_amount(b.u_step, style)}"]
    head(pages, b.instrument, facts, b.style)
    pages.figure(elevation(result, 760, 330))
    if result.steps:
        pages.figure(plan(result, 760, 300))
    pages.findings(said)
    pages.readings()
    pages.title("Marks, slabs, tops", 12, 60)
    rows = []
    for row, c in zip(
        b.columns, result.carried, strict=bool(result.carried)
    ):  # nothing is carried without a first mark
        rows.append(
            [
                c.name,
                show_length(c.mark, style),
                row.texts.get("to_slab", ""),
                "" if c.slab is None else show_length(c.slab, style),
                row.texts.get("design", ""),
                "" if c.up is None else show_length(c.up, style),
                row.texts.get("top", ""),
                "" if c.cut is None else style.amount(c.cut, signed=True),
                style.amount(2 * c.u, up=True),
            ]
        )
    columns = [
        ("Column", 60, False),
        ("Mark", 60, True),
        ("Tape down", 60, True),
        ("Slab", 60, True),
        ("Design", 60, True),
        ("Up", 60, True),
        ("Tape up", 60, True),
        (f"Cut +, {style.small}", 60, True),
        (f"± U, {style.small}", 50, True),
    ]
    pages.table(columns, rows)
    struck = [f"{column.name}: {', '.join(column.struck)}" for column in b.columns if column.struck]
    if struck:
        pages.line("Struck readings, kept: " + "; ".join(struck))
    tail(pages, journal, b.work)
    pages.next_page()
    marking_sheet(pages, result)
    return pages.done()


def marking_sheet(pages: Pages, result: MarksResult) -> None:
    """Set the sheet a person carries: per column what to measure from the line, with a box to tick and to write in."""
    b, style = result.book, result.book.style
    pages.title("Marking sheet")
    if b.reference is not None:
        pages.line(
            f"Carried from {b.reference.name}, {show_length(b.reference.height, style, unit=True)}. Up and down count from each column's own mark, whose height stands with it. Tape plumb; read twice.",
            size=11,
        )
    by_name = {c.name: c for c in result.carried}
    faces_of = {column.name: column.faces for column in b.columns}
    for number, name in enumerate(result.walk, 1):
        c = by_name[name]
        pages.need(58)
        page, y = pages.page, pages.y + 8
        page.box(LEFT, y, RIGHT - LEFT, 46, "", "ink", 0.8)
        page.text(LEFT + 8, y + 29, str(number), "muted", 12)
        lines, size = fitted(name, 82, 20, 4, 9, bold=True)
        for k, line in enumerate(lines):
            page.text(
                LEFT + 32, y + 30 + (k - (len(lines) - 1) / 2) * size * 1.05, line, "ink", size, bold=True
            )
        from_step = next(
            (
                f"from {step.start}, {style.distance(step.length)} {style.far}"
                for step in result.steps
                if step.to == name and b.order != CHAIN
            ),
            "",
        )
        own = f"its mark {show_length(c.mark, style)}" if c.up is not None else ""
        below = "; ".join(part for part in (own, from_step) if part)
        page.text(LEFT + 120, y + 42, below, "muted", smaller(below, 240, 8, 3.0))
        do = "" if c.up is None else f"up {show(c.up, style)}" if c.up >= 0 else f"down {show(-c.up, style)}"
        page.text(LEFT + 120, y + 29, do, "ink", 18, bold=True)
        faces = faces_of.get(name) or ("marked",)
        if c.cut is not None:
            amount = show_piece(abs(c.cut), style)
            word = "fits" if not c.sure else f"cut {amount}" if c.cut > 0 else f"make up {amount}"
            page.text(LEFT + 250, y + 29, word, "ink", 16 if len(faces) < 3 else 11, bold=True)
        pitch = 30 if len(faces) < 3 else 24
        for k, face in enumerate(faces):  # a box for each face the mark is taken round to
            x = RIGHT - 64 - pitch * (len(faces) - k)
            page.box(x, y + 10, 20, 22, "", "ink", 1.0)
            page.text(x, y + 42, face, "muted", 8)
        page.box(RIGHT - 60, y + 10, 44, 22, "", "ink", 1.0)
        page.text(RIGHT - 60, y + 42, "done, read", "muted", 8)
        pages.y = y + 46
