"""The report of a work as pages: display lists on A4, in points; printed and previewed from the same list."""

from __future__ import annotations

from collections.abc import Callable, Iterable, Sequence

from msgspec import Struct

from vivid_keel.core.instruments.setting_up import ORDERS, ticked
from vivid_keel.core.instruments.used import Instrument
from vivid_keel.core.kinds import Finding
from vivid_keel.core.quantities import LengthStyle, show_amount
from vivid_keel.core.record.journal import Journal
from vivid_keel.core.record.matters import matters
from vivid_keel.figures import symbols
from vivid_keel.figures.display import Picture, placed
from vivid_keel.figures.measure import smaller, wrapped

A4 = (595.0, 842.0)
LEFT, RIGHT, TOP, BOTTOM = 48.0, 547.0, 54.0, 790.0
SIZE = 9.0
ROUNDS = "Rounds: what was put in, and what it did"
SIGN = 26.0
"""So much room has a verdict's sign before its words."""
GAP = 8.0
PREVIEWED = 12
"""So many pages are made to be looked at on the screen."""
LINES = 60
"""No page holds so many lines of a table."""
LEADING = 10.5
"""From line to line within a row of a table."""


class Table(Struct, frozen=True):
    """Readings as they stand in a sheet: its name, its columns (title, width, right-aligned), its lines, which are struck, its picture."""

    name: str
    columns: tuple[tuple[str, float, bool], ...]
    lines: tuple[tuple[str, ...], ...]
    struck: frozenset[int] = frozenset()
    picture: Picture | None = None


class Heading(Struct, frozen=True):
    """What stands at the head of a report, and what of a work's own sheets goes into it."""

    job: str
    work: str
    kind: str
    written: str
    person: str
    practice: bool = False
    """Whether every page says that it is for practice only."""
    mark: str = ""
    """What of the file isn't as it was written, on every page."""
    entered: str = ""
    """Who entered its readings, and when."""
    stated: tuple[str, ...] = ()
    """What was said of what is worked on and read with, and what is taken where nobody said."""
    read: tuple[Table, ...] = ()
    most: int = 0
    """So many pages are wanted; 0: all of them."""


class Enough(Exception):  # noqa: N818 — nothing went wrong
    """So many pages as were wanted are set."""

    def __init__(self, pages: list[Picture]) -> None:
        super().__init__()
        self.pages = pages


PRACTICE = "For practice only: simulated; nothing here was read on site."


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
        h = self.heading
        if h.most and len(self.pages) == h.most:
            raise Enough(self.pages)
        page = Picture(*A4)
        self.pages.append(page)
        named = f"{h.job} · {h.work}"
        page.text(LEFT, 36, named, "muted", smaller(named, RIGHT - LEFT - 90, 8, 4.0))
        warned = " ".join(filter(None, [PRACTICE if h.practice else "", h.mark]))
        if warned:
            page.text(LEFT, 25, warned, "out", smaller(warned, RIGHT - LEFT, 9, 4.0), bold=True)
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
        lines = wrapped(text, RIGHT - LEFT, size, bold=True)
        self.need(size * 1.2 * len(lines) + size + room)
        if self.y > TOP + 6:
            self.y += 8  # clear of what stands above
        for k, line in enumerate(lines):
            self.y += size * (1.2 if k else 1.0)
            self.page.text(LEFT, self.y, line, "ink", size, bold=True)
        self.y += size * 0.55

    def line(
        self, text: str, *, bold: bool = False, ink: str = "ink", indent: float = 0.0, size: float = SIZE
    ) -> None:
        """Set a paragraph, broken to the width."""
        for part in wrapped(text, RIGHT - LEFT - indent, size, bold=bold):
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
            self._row(columns, scale, row, struck=number in struck)
        self.y += 6

    def _row(
        self, columns: Sequence[tuple[str, float, bool]], scale: float, row: Sequence[str], *, struck: bool
    ) -> None:
        """Set a row: words are broken over lines, numbers set smaller where there is no room; nothing is cut."""
        cells = []
        gaps = _gaps(columns)
        for (_, wide, right), text, gap in zip(columns, row, gaps, strict=True):
            room = wide * scale - 4 - gap
            cells.append(
                ([text], smaller(text, room, SIZE, 5.0)) if right else (wrapped(text, room, SIZE), SIZE)
            )
        tall = max(len(lines) for lines, _ in cells)
        if self.y + 14 + LEADING * (tall - 1) > BOTTOM:
            self._begin()
            self._header(columns, scale)
        self.y += 12.5
        x, ink = LEFT, "muted" if struck else "ink"
        for (_, wide, right), (lines, size), gap in zip(columns, cells, gaps, strict=True):
            room = wide * scale
            for k, line in enumerate(lines):
                at = (x + room - 3 if right else x + 1 + gap, self.y + k * LEADING)
                self.page.text(*at, line, ink, size, align="right" if right else "left", struck=struck)
            x += room
        self.y += LEADING * (tall - 1)
        self.page.line(LEFT, self.y + 3.2, RIGHT, self.y + 3.2, "rule", 0.35)

    def _header(self, columns: Sequence[tuple[str, float, bool]], scale: float) -> None:
        self.y += 12.5
        x = LEFT
        for (title, w, right), gap in zip(columns, _gaps(columns), strict=True):
            room = w * scale
            self.page.text(
                x + room - 3 if right else x + 1 + gap,
                self.y,
                title,
                "ink",
                smaller(title, room - 4 - gap, SIZE, 6.0, bold=True),
                bold=True,
                align="right" if right else "left",
            )
            x += room
        self.page.line(LEFT, self.y + 3.2, RIGHT, self.y + 3.2, "ink", 0.8)

    def findings(self, findings: list[Finding]) -> None:
        """Set what the numbers say, each with its sign, under their title."""
        self.title("What the numbers say", 12, 50)
        for finding in findings:
            self.need(28)
            self.y += 14
            symbols.verdict(self.page, LEFT + SIGN / 2, self.y - 3, finding.verdict, 14)
            for k, part in enumerate(wrapped(finding.title, RIGHT - LEFT - SIGN, SIZE + 0.5, bold=True)):
                self.y += 13 if k else 0
                self.page.text(LEFT + SIGN, self.y, part, "ink", SIZE + 0.5, bold=True)
            if finding.text:
                self.line(finding.text, ink="muted", indent=SIGN)
            if finding.why is not None:
                self.line(
                    f"{finding.why.formula}:  {finding.why.numbers}", ink="muted", indent=SIGN, size=SIZE - 1
                )

    def cover(self, *facts: str) -> None:
        """Set the title, whose report it is, who read, what was stated, and what it rests on."""
        h = self.heading
        self.title(h.work)
        entered = f"{h.entered} · " if h.entered else ""
        self.line(f"{h.job} · {h.kind} · {entered}report of {h.written} by {h.person}", ink="muted")
        for fact in (*h.stated, *facts):
            if fact:
                self.line(fact)

    def readings(self, *, rounds: bool = True) -> None:
        """Set what was read, as it stands in the work's own sheets; without its rounds where the report has more of them."""
        for table in self.heading.read:
            if not rounds and table.name == ROUNDS:
                continue
            self.title(table.name, 12, 44)
            self.table(table.columns, table.lines, table.struck)
            if table.picture is not None:
                self.figure(table.picture)

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


def _gaps(columns: Sequence[tuple[str, float, bool]]) -> list[float]:
    """Return what is left free at the head of each column: words right behind a number would be read as one with it."""
    before = [False, *(right for _, _, right in columns)]
    return [
        GAP if after and not right else 0.0 for after, (_, _, right) in zip(before, columns, strict=False)
    ]


def head(pages: Pages, instrument: Instrument, facts: list[str], style: LengthStyle) -> None:
    """Set the title, what it was read with, and what it rests on; amounts in the work's own unit."""
    stated = "" if instrument.stated else " (nobody has said which; the default stands in)"
    pages.cover(
        f"Instrument: {instrument.name}, {instrument.label}{stated}; u of one reading {show_amount(instrument.base, style)}"
        + (f"; {instrument.note}" if instrument.note else "")
        + (f"; on that day {instrument.checked}" if instrument.checked else ""),
        *facts,
    )


def tail(pages: Pages, journal: Journal, work: int) -> None:
    """Set the matters that are open, those that were settled, and the cautions read."""
    noted = matters(journal, work)
    pages.title("Open matters", 12)
    if all(m.settled for m in noted):
        pages.line("None is open." if noted else "None was noted.")
    for m in noted:
        if not m.settled:
            pages.line(f"{m.text} — {m.person}, {m.time[:10]}")
    if any(m.settled for m in noted):
        pages.title("Settled", 12)
    for m in noted:
        if m.settled:
            pages.line(
                f"{m.text} — {m.person}, {m.time[:10]}; settled {m.settled.time[:10]} by {m.settled.person}"
            )
    order = journal.latest(work, "set-up-order")
    if order is not None and str(order.body["order"]) in ORDERS:
        found = ticked(journal, work, str(order.body["order"]))
        left = "; ".join(step.does for step in found.skipped)
        pages.line(
            f"Set up: {len(found.done)} of {len(found.steps)} steps ticked by {order.person}, {order.time[:16].replace('T', ' ')}"
            + (f"; left: {left}." if left else ".")
        )
    read = journal.standing(work, "caution")
    if read:
        pages.line(
            "Cautions read: "
            + "; ".join(
                f"{entry.body['key']} by {entry.person}, {entry.time[:16].replace('T', ' ')}"
                for entry in read
            )
        )


def report_picture(
    first: Callable[[int], tuple[list[Picture], bool]], width: float, height: float
) -> Picture:
    """Return a report's pages side by side, small; `first` makes so many of them, and says whether there are more."""
    pages, more = first(PREVIEWED)
    picture = Picture(width, height)
    tall = height - 46
    scale = tall / A4[1]
    wide = A4[0] * scale
    fit = max(1, int((width - 28) // (wide + 18)))
    x = 18.0
    for page in pages[:fit]:
        picture.box(x + 3, 33, wide, tall, "rule", "")
        picture.box(x, 30, wide, tall, "bright", "rule")
        picture.items += placed(page, x, 30, scale)
        x += wide + 18
    n = len(pages)
    picture.text(
        14,
        20,
        f"The report as it will be printed: {'more than ' if more else ''}{n} page{'s' if n > 1 else ''}",
        "ink",
        13,
        bold=True,
    )
    picture.text(width - 14, 20, "Ctrl+Shift+P writes the PDF", "muted", 13, align="right")
    picture.caption = f"Report of {'more than ' if more else ''}{n} pages"
    return picture
