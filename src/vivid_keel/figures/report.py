"""The report of a work as pages: display lists on A4, in points; printed and previewed from the same list."""

from __future__ import annotations

from collections.abc import Iterable, Sequence
from dataclasses import dataclass

import numpy as np

from vivid_keel.core.booking.layout import KINDS
from vivid_keel.core.levelling.proof import VERDICT_WORDS
from vivid_keel.core.levelling.scale import reading_at
from vivid_keel.core.quantities import show_length, show_number
from vivid_keel.core.record.journal import Journal
from vivid_keel.core.working import Finding
from vivid_keel.core.works.common import Instrument, matters, show
from vivid_keel.core.works.run import EVENT, RunResult, run_findings
from vivid_keel.core.works.supports import SupportsResult, supports_findings
from vivid_keel.core.works.supports.result import target_words
from vivid_keel.figures import symbols
from vivid_keel.figures.display import Picture, placed
from vivid_keel.figures.run_proof import misclosure
from vivid_keel.figures.section import section
from vivid_keel.figures.supports import elevation, plan, proof

A4 = (595.0, 842.0)
LEFT, RIGHT, TOP, BOTTOM = 48.0, 547.0, 54.0, 790.0
SIZE = 9.0


@dataclass(frozen=True, slots=True)
class Heading:
    """What stands at the head of a report."""

    job: str
    work: str
    kind: str
    written: str
    person: str


class Pages:
    """Pages being filled from the top."""

    def __init__(self, heading: Heading) -> None:
        self.heading = heading
        self.pages: list[Picture] = []
        self.y = 0.0
        self._begin()

    @property
    def page(self) -> Picture:
        return self.pages[-1]

    def _begin(self) -> None:
        page = Picture(*A4)
        self.pages.append(page)
        h = self.heading
        page.text(LEFT, 36, f"{h.job} · {h.work}", "muted", 8)
        page.text(RIGHT, 36, h.written, "muted", 8, align="right")
        page.line(LEFT, 41, RIGHT, 41, "rule", 0.6)
        self.y = TOP + 6

    def next_page(self) -> None:
        """Begin a new page."""
        self._begin()

    def need(self, height: float) -> None:
        """Begin a new page unless this much is left."""
        if self.y + height > BOTTOM:
            self._begin()

    def title(self, text: str, size: float = 18.0, room: float = 20.0) -> None:
        self.need(size * 2 + room)
        self.y += size
        self.page.text(LEFT, self.y, text, "ink", size, bold=True)
        self.y += size * 0.55

    def line(
        self, text: str, *, bold: bool = False, ink: str = "ink", indent: float = 0.0, size: float = SIZE
    ) -> None:
        """Set a paragraph, broken to the width."""
        for part in wrapped(text, RIGHT - LEFT - indent, size):
            self.need(size * 1.5)
            self.y += size * 1.45
            self.page.text(LEFT + indent, self.y, part, ink, size, bold=bold)

    def figure(self, picture: Picture) -> None:
        """Set a picture across the page."""
        scale = (RIGHT - LEFT) / picture.width
        tall = picture.height * scale
        self.need(tall + 12)
        self.y += 8
        self.page.items += placed(picture, LEFT, self.y, scale)
        self.page.box(LEFT, self.y, RIGHT - LEFT, tall, "", "rule", 0.6)
        self.y += tall + 6

    def table(
        self,
        columns: Sequence[tuple[str, float, bool]],
        rows: Iterable[Sequence[str]],
        struck: frozenset[int] = frozenset(),
    ) -> None:
        """Set a table: columns are (title, width, right-aligned); struck rows are ruled through."""
        total = sum(w for _, w, _ in columns)
        scale = (RIGHT - LEFT) / total
        self.y += 6
        self._header(columns, scale)
        for number, row in enumerate(rows):
            if self.y + 14 > BOTTOM:
                self._begin()
                self._header(columns, scale)
            self.y += 12.5
            x = LEFT
            for (_, w, right), text in zip(columns, row, strict=True):
                room = w * scale
                fits = clipped(text, room - 4, SIZE)
                ink = "muted" if number in struck else "ink"
                self.page.text(x + room - 3 if right else x + 1, self.y, fits, ink, SIZE,
                               align="right" if right else "left", struck=number in struck)  # fmt: skip
                x += room
            self.page.line(LEFT, self.y + 3.2, RIGHT, self.y + 3.2, "rule", 0.35)
        self.y += 6

    def _header(self, columns: Sequence[tuple[str, float, bool]], scale: float) -> None:
        self.y += 12.5
        x = LEFT
        for title, w, right in columns:
            room = w * scale
            self.page.text(
                x + room - 3 if right else x + 1,
                self.y,
                title,
                "ink",
                SIZE,
                bold=True,
                align="right" if right else "left",
            )
            x += room
        self.page.line(LEFT, self.y + 3.2, RIGHT, self.y + 3.2, "ink", 0.8)

    def findings(self, findings: list[Finding]) -> None:
        """Set what the numbers say, each with its sign."""
        for f in findings:
            self.need(28)
            self.y += 14
            symbols.verdict(self.page, LEFT + 5, self.y - 3, f.verdict, 4.2)
            self.page.text(LEFT + 16, self.y, f.title, "ink", SIZE + 0.5, bold=True)
            self.line(f.text, ink="muted", indent=16)
            if f.why is not None:
                self.line(f"{f.why.formula}:  {f.why.numbers}", ink="muted", indent=16, size=SIZE - 1)

    def done(self) -> list[Picture]:
        """Number the pages and return them."""
        n = len(self.pages)
        for k, page in enumerate(self.pages):
            page.text(
                LEFT,
                816,
                "Local codes, the maker's instructions and licensed practice come first; this sheet computes, it does not authorise.",
                "muted",
                7,
            )
            page.text(RIGHT, 816, f"{k + 1} of {n}", "muted", 8, align="right")
        return self.pages


def wrapped(text: str, width: float, size: float) -> list[str]:
    """Break a text into lines that fit."""
    lines: list[str] = []
    for word in text.split(" "):
        if lines and len(f"{lines[-1]} {word}") * size * 0.565 <= width:
            lines[-1] += f" {word}"
        else:
            lines.append(word)
    return lines


def clipped(text: str, width: float, size: float) -> str:
    """Return the text, shortened with an ellipsis where it would not fit."""
    most = max(1, int(width / (size * 0.575)))
    return text if len(text) <= most else text[: most - 1] + "…"


def head(pages: Pages, instrument: Instrument, facts: list[str]) -> None:
    h = pages.heading
    pages.title(h.work)
    pages.line(f"{h.job} · {h.kind} · report of {h.written} by {h.person}", ink="muted")
    stated = "" if instrument.stated else " (nobody has said which; the default stands in)"
    pages.line(f"Instrument: {instrument.name}, {instrument.label}{stated}; u of one reading {instrument.base * 1000:g} mm"
               + (f"; {instrument.note}" if instrument.note else "")
               + (f"; on that day {instrument.checked}" if instrument.checked else ""))  # fmt: skip
    for fact in facts:
        pages.line(fact)


def tail(pages: Pages, journal: Journal, work: int) -> None:
    noted = matters(journal, work)
    pages.title("Open matters", 12)
    if not noted:
        pages.line("None noted.")
    for m in noted:
        state = f"settled {m.settled.time[:10]} by {m.settled.person}" if m.settled else "open"
        pages.line(f"{m.text} — {m.person}, {m.time[:10]}: {state}")
    read = journal.standing(work, "caution")
    if read:
        pages.line(
            "Cautions read: "
            + "; ".join(f"{e.body['key']} by {e.person}, {e.time[:16].replace('T', ' ')}" for e in read)
        )


def run_report(result: RunResult, journal: Journal, heading: Heading) -> list[Picture]:
    """Return the report of a level run."""
    book, style = result.book, result.book.style
    pages = Pages(heading)
    facts = [
        f"Datum: {k.name} at {show_length(k.height, style, unit=True)}, {k.source}"
        + (f", ± {2000 * k.u:.1f} mm" if k.u else "")
        for k in book.known
    ]
    head(pages, book.instrument, facts)
    pages.figure(section(result, 760, 300, book.sights[0] if book.sights else -1))
    pages.title("What the numbers say", 12)
    pages.findings([f for f in run_findings(result, []) if f.verdict != "todo"])
    if book.sights:
        pages.figure(misclosure(result, 760, 260))
    pages.title("The book, as read and as reduced", 12, 70)
    rows, struck = _book_rows(result, journal)
    columns = [("Mark", 120, False), ("BS", 54, True), ("IS", 54, True), ("FS", 54, True), ("HC", 60, True), ("Rise", 50, True),
               ("Fall", 50, True), ("Height", 60, True), ("Corrected", 62, True), ("Remark", 110, False)]  # fmt: skip
    pages.table([(t, w, r) for t, w, r in columns], rows, struck)
    tail(pages, journal, book.work)
    return pages.done()


def _book_rows(result: RunResult, journal: Journal) -> tuple[list[list[str]], frozenset[int]]:
    book, style = result.book, result.book.style
    rows: list[list[str]] = []
    struck: set[int] = set()
    for main, back in book.lines:
        sight = book.rows[main]
        if sight.kind == EVENT:
            rows.append([sight.mark.replace("instrument", "–"), "", "", "", "", "", "", "", "", sight.remark])
            continue
        cells = {KINDS[sight.kind]: show_length(sight.reading, style)}
        remark = sight.remark
        if not sight.stands:
            struck.add(len(rows))
            remark = journal.reason(sight.id) or "struck"
        if back >= 0:
            cells["BS"] = show_length(book.rows[back].reading, style)
            remark = remark or book.rows[back].remark
        on = back if back >= 0 else main if sight.kind == 0 else -1
        hc = show(result.collimation_height(on), style) if on >= 0 and sight.stands else ""
        rise, fall = result.rise_fall(main)
        corrected = show(result.corrected(main), style) if result.closure.spread else ""
        rows.append(
            [sight.mark, cells.get("BS", ""), cells.get("IS", ""), cells.get("FS", ""), hc,
             show(rise, style) if rise > 0 else "", show(fall, style) if fall > 0 else "", show(result.height(main), style),
             corrected, remark]
        )  # fmt: skip
    return rows, frozenset(struck)


def work_sheet(pages: Pages, result: SupportsResult) -> None:
    """Set the sheet for the hand: large figures, in the order of work, with boxes to tick and for the as-left readings."""
    book, style = result.book, result.book.style
    stages = result.stages()
    pages.title(f"Work sheet, round {len(book.passes) + 1}")
    pages.line(
        f"Target: {target_words(book, result)}; tolerance {book.limits.tolerance_text}. Stop at: what the scale shows once let down.",
        size=11,
    )
    if len(stages) > 1:
        pages.line(
            f"{len(stages)} stages: all to the first, then all to the next. Nothing is lifted further at once.",
            size=11,
            bold=True,
        )
    for number, i in enumerate(result.to_move, 1):
        p, move, stack = book.points[i], float(result.moves[i]), result.stack(i) or ()
        pages.need(58)
        page, y = pages.page, pages.y + 8
        page.box(LEFT, y, RIGHT - LEFT, 46, "", "ink", 0.8)
        page.text(LEFT + 8, y + 29, str(number), "muted", 12)
        page.text(LEFT + 30, y + 30, p.name, "ink", 20, bold=True)
        page.text(
            LEFT + 92, y + 24, f"{'raise' if move >= 0 else 'lower'} {abs(move) * 1000:.1f} mm", "ink", 14, bold=True
        )
        page.text(LEFT + 92, y + 40, " + ".join(f"{t * 1000:g}" for t in stack) or "trim", "ink", 12)
        page.text(LEFT + 236, y + 18, "stop at", "muted", 8)
        page.text(LEFT + 236, y + 36, show_length(result.stop_at(i), style), "ink", 18, bold=True)
        if len(stages) > 1 and abs(float(stages[0][i]) - move) > 1e-9:
            first = reading_at(
                np.array([float(result.heights[i]) + float(stages[0][i]) - float(result.line_error[i])]), [p.sense]
            )
            page.text(LEFT + 324, y + 18, "stage 1 to", "muted", 8)
            page.text(LEFT + 324, y + 36, show_length(float(first[0]), style), "ink", 13)
        page.box(RIGHT - 100, y + 10, 20, 22, "", "ink", 1.0)
        page.box(RIGHT - 68, y + 10, 60, 22, "", "ink", 1.0)
        page.text(RIGHT - 100, y + 42, "packed", "muted", 8)
        page.text(RIGHT - 68, y + 42, "as left", "muted", 8)
        pages.y = y + 46
    pages.line(
        "Local codes, the maker's instructions and licensed practice come first; this sheet computes, it does not authorise.",
        ink="muted",
    )


def supports_report(result: SupportsResult, journal: Journal, heading: Heading) -> list[Picture]:
    """Return the report of supports: as found, moves, as left."""
    book, style = result.book, result.book.style
    pages = Pages(heading)
    assert book.instrument is not None
    if result.to_move and result.packing is not None and book.lifting_acknowledged:
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
    pages.findings([f for f in supports_findings(result, [], "Proof") if f.verdict != "todo"])
    if result.read:
        pages.figure(proof(result, 760, 300))
    pages.title("As found, moves, as left", 12, 70)
    order = {i: k + 1 for k, i in enumerate(result.to_move)}
    rows: list[list[str]] = []
    for i in [*result.to_move, *[i for i in range(len(book.points)) if i not in order]]:
        p = book.points[i]
        stack = result.stack(i)
        left = "" if p.left is None else show_length(p.left.value, style)
        deviation = (
            ""
            if not left or result.left[i] != result.left[i]
            else show_number(result.deviation_left(i) * 1000, 1, signed=True)
        )
        rows.append(
            [str(order.get(i, "–")), p.name, show_length(p.first.value, style) if p.first else "not read",
             show_number(float(result.moves[i]) * 1000, 1, signed=True) if p.found and i in order else "stays" if p.found else "",
             " + ".join(f"{t * 1000:g}" for t in stack) if stack else "", show_length(result.stop_at(i), style) if p.found else "",
             left, deviation, VERDICT_WORDS.get(result.left_verdicts[i], "")]
        )  # fmt: skip
    columns = [("Order", 38, True), ("Post", 50, False), ("As found", 64, True), ("Move, mm", 58, True), ("Packing, mm", 110, False),
               ("Stop at", 60, True), ("As left", 60, True), ("Off, mm", 50, True), ("Verdict", 80, False)]  # fmt: skip
    pages.table(columns, rows)
    for told in result.learned.told:
        share = "nothing moved" if told.took != told.took else f"{told.took * 100:.0f} % of it took"
        pages.line(
            f"Round {told.number}: {told.moved} packed, {share}. Order, move and packing above are of round {len(result.learned.told) + 1}."
        )
    struck = [f"{p.name}: {', '.join(p.struck)}" for p in book.points if p.struck]
    if struck:
        pages.line("Struck readings, kept: " + "; ".join(struck))
    tail(pages, journal, book.work)
    return pages.done()
