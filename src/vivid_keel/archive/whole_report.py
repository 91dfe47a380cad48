"""The report of a whole job: a cover, the contents, and every work's report behind one another, numbered through."""

from __future__ import annotations

from collections.abc import Sequence

from vivid_keel.archive.writing import settled
from vivid_keel.core.record.matters import matters
from vivid_keel.core.record.works import at_hand
from vivid_keel.desk.base import Desk
from vivid_keel.desk.unknown import UnknownDesk
from vivid_keel.figures.display import Picture, Text
from vivid_keel.figures.report import Heading, Pages
from vivid_keel.files import JobFile
from vivid_keel.trades.registry import desk_for, trade

VERDICTS = {"in": "in", "out": "out", "open": "open", "todo": "to do", "note": "noted"}


def whole_report(file: JobFile, desks: Sequence[Desk] = ()) -> list[Picture]:
    """Return the pages of a whole job; `desks` are works that lie on the desk already, the others are put there for it."""
    journal = file.journal
    ready = {desk.work: desk for desk in desks}
    works = [ready.get(work.id) or desk_for(file, work.id) for work in at_hand(journal)]
    for desk in works:
        settled(desk)
    told = [(desk, [] if isinstance(desk, UnknownDesk) else _pages_of(desk)) for desk in works]
    begins = _begins(told, 1)
    cover = _cover(file, told, begins)
    if len(cover) > 1:  # the contents take more than a page: what comes after begins later
        cover = _cover(file, told, _begins(told, len(cover)))
    pages = [*cover, *(page for _, of in told for page in of)]
    for n, page in enumerate(pages, 1):
        page.items = [one for one in page.items if not _numbered(one)]
        page.text(547.0, 816, f"{n} of {len(pages)}", "muted", 8, align="right")
    return pages


def _pages_of(desk: Desk) -> list[Picture]:
    made = desk.report()
    return made() if made is not None else []


def _numbered(item: object) -> bool:
    """Whether it is the number that a page has in its own work's report."""
    return isinstance(item, Text) and item.y == 816 and item.align == "right" and " of " in item.text


def _begins(told: Sequence[tuple[Desk, list[Picture]]], cover: int) -> list[int]:
    """On which page each work begins."""
    out, at = [], cover + 1
    for _, of in told:
        out.append(at)
        at += len(of)
    return out


def _cover(file: JobFile, told: Sequence[tuple[Desk, list[Picture]]], begins: Sequence[int]) -> list[Picture]:
    journal = file.journal
    job = journal.latest(0, "job")
    place = str(job.body.get("place", "")) if job else ""
    written = f"{file.now():%Y-%m-%d %H:%M}"
    name = journal.name_of(0)
    pages = Pages(Heading(name, "all works", "report", written, file.person, file.practice, file.mark))
    pages.title(name, 22)
    who = f" by {file.person}" if file.person else ""
    pages.line(
        f"{f'{place} · ' if place else ''}report of the whole job, written {written}{who}",
        ink="muted",
        size=10,
    )
    people = sorted({entry.person for entry in journal.entries.values() if entry.person})
    days = sorted({entry.time[:10] for entry in journal.entries.values()})
    pages.line(f"Booked by {', '.join(people) or 'nobody named'}, {days[0]} to {days[-1]}.")
    pages.title("Contents", 12)
    rows = []
    for (desk, of), page in zip(told, begins, strict=True):
        known = trade(str(journal.entries[desk.work].body["type"]))
        verdict, words = desk.state()
        rows.append(
            [
                journal.name_of(desk.work),
                known.label.lower() if known is not None else "unknown to this program",
                f"{VERDICTS.get(verdict, verdict)}: {words}",
                str(page) if of else "",
            ]
        )
    pages.table(
        [("Work", 170, False), ("What", 100, False), ("How it stands", 190, False), ("Page", 40, True)], rows
    )
    still = [(desk, one) for desk, _ in told for one in matters(journal, desk.work) if one.settled is None]
    pages.title("Open matters", 12)
    if not still:
        pages.line("None is open.")
    for desk, one in still:
        pages.line(f"{journal.name_of(desk.work)}: {one.text} — {one.person}, {one.time[:10]}")
    return pages.done()
