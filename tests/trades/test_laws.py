"""The laws that hold over every trade, whatever it is."""

from __future__ import annotations

import random
from pathlib import Path

import numpy as np
import pytest
from msgspec import Struct

from tests.saying import take
from tests.trades.conftest import EVERY, wait
from vivid_keel.archive.tables import as_read
from vivid_keel.core.errors import KeelError
from vivid_keel.core.kinds import EntryKind, check_body
from vivid_keel.core.quantities import is_missing
from vivid_keel.core.record.entries import Draft
from vivid_keel.core.record.journal import Journal
from vivid_keel.figures.display import Text
from vivid_keel.trades.registry import desk_for, job_kinds, trade

NONSENSE = (
    "",
    " ",
    "--",
    "1.3.5",
    "abc",
    "9" * 40,
    "-1",
    "0",
    "1e400",
    "⅜",
    "5' 14\"",
    "1,482",
    "nan",
    "inf",
    "\t",
    "a/b",
    "½ m m",
    "=1+1",
)

WRONG_UNITS = ("0.5 mm", "0.0005", "900", "40000")
"""What is taken, and a thousand times too small or too large."""


def same(a, b, seen=0):
    """Whether two results are the same, arrays and all."""
    if isinstance(a, np.ndarray):
        return np.array_equal(a, b, equal_nan=a.dtype.kind == "f")
    if isinstance(a, Struct):
        return type(a) is type(b) and all(
            same(getattr(a, name), getattr(b, name)) for name in a.__struct_fields__
        )
    if isinstance(a, (list, tuple)):
        return len(a) == len(b) and all(same(x, y) for x, y in zip(a, b, strict=True))
    if isinstance(a, dict):
        return a.keys() == b.keys() and all(same(v, b[k]) for k, v in a.items())
    if isinstance(a, float) and is_missing(a):
        return is_missing(b)
    return a == b


def cells(desk):
    """Every cell that can be typed in: stage, number of the sheet, row, column; of rows of one kind the first and the last few."""
    for stage in desk.stage_names:
        for number, sheet in enumerate(desk.sheets(stage)):
            all_differ = type(sheet).__name__.endswith("FactsSheet")
            for row in range(sheet.count):
                if not all_differ and 3 <= row < sheet.count - 2:
                    continue
                for column in range(len(sheet.columns)):
                    if sheet.cell(row, column).editable:
                        yield stage, number, row, column


def test_following_is_folding_anew(desk):
    """Whatever is typed in, entry by entry, comes to what all of it comes to at once."""
    rng = random.Random(5)
    places = list(cells(desk))
    booked = 0
    for _ in range(40):
        stage, number, row, column = rng.choice(places)
        sheets = desk.sheets(stage)
        if (
            number >= len(sheets)
            or row >= sheets[number].count
            or not sheets[number].cell(row, column).editable
        ):
            continue
        before = len(desk.file.journal.entries)
        try:
            take(
                sheets[number],
                row,
                column,
                rng.choice(("1.482", "2", "12", "h", "A", "1.5, 2", *WRONG_UNITS, *NONSENSE)),
            )
        except KeelError:
            continue
        for stage in desk.stage_names:
            assert all(finding.title for finding in desk.findings(stage))
        booked += len(desk.file.journal.entries) > before
        anew = desk_for(desk.file, desk.work)
        if desk.type == "network":  # one that is large is worked out aside
            wait(desk)
            wait(anew)
        assert same(anew.result.book, desk.result.book)
        assert anew.trade.state(anew.result) == desk.trade.state(desk.result)
    assert booked > 2 or desk.type == "network"


def test_undo_of_undo_is_as_it_was(desk):
    book, entries = desk.result.book, set(desk.file.journal.entries)
    desk.file.record(
        [
            Draft(desk.work, "matter", {"text": "look again"}),
            Draft(desk.work, "rename", {"name": "Otherwise"}),
        ]
    )
    desk.refresh()
    changed = desk.result.book
    desk.file.undo()
    desk.refresh()
    assert same(desk.result.book, book)
    desk.file.redo()
    desk.refresh()
    assert same(desk.result.book, changed)
    again, now = Journal(desk.file.journal.entries.values()), desk.file.journal
    assert {i for i in again.entries if again.stands(i)} == {i for i in now.entries if now.stands(i)}
    assert set(now.entries) > entries


def refusal(sheet, row, column, text):
    """Why a text was refused, "" where it was taken."""
    try:
        take(sheet, row, column, text)
    except KeelError as refused:
        return refused.message
    return ""


def test_accept_only_says_what_is_to_be_recorded(desk):
    """Nothing is recorded, refreshed or moved inside a sheet: its caller does that, once."""
    before, result = len(desk.file.journal.entries), desk.result
    called = []
    desk.changed = lambda: called.append("changed")
    for stage, number, row, column in list(cells(desk)):
        sheet = desk.sheets(stage)[number]
        for text in ("1.482", "12", "A", *NONSENSE[:4]):
            try:
                sheet.accept(row, column, text)
            except KeelError:
                continue
    assert len(desk.file.journal.entries) == before
    assert desk.result is result
    assert called == []


def test_nonsense_in_every_cell_is_refused_with_a_reason_or_booked(desk):
    for stage, number, row, column in list(cells(desk)):
        for text in NONSENSE:
            sheets = desk.sheets(stage)
            if (
                number >= len(sheets)
                or row >= sheets[number].count
                or not sheets[number].cell(row, column).editable
            ):
                break
            before = len(desk.file.journal.entries)
            sheets[number].typing(row, column, text)
            refused = refusal(sheets[number], row, column, text)
            assert not refused or (len(refused) > 8 and len(desk.file.journal.entries) == before)
            sheets[number].typing(row, column, "")
    wait(desk)
    for stage in desk.stage_names:
        desk.picture(stage, 0, 740.0, 320.0)
        assert desk.next(stage).title


def test_every_button_leads_somewhere(desk):
    for stage in desk.stage_names:
        keys = [f.action for f in desk.findings(stage) if f.action] + [desk.next(stage).key]
        keys += [s.key for s in desk.face.steps if s.says is None]
        for key in keys:
            if key in {"report", "cautions"}:
                continue  # the window does these
            led = desk.go(key)
            assert led is not None, key
            assert led.stage in desk.stage_names, key
            assert led.sheet < len(desk.sheets(led.stage)), key


@pytest.mark.parametrize("key", EVERY)
def test_every_stage_says_what_it_answers_and_shows_it(key, job):
    work = next(w.id for w in job.journal.works() if w.body["type"] == key)
    desk = desk_for(job, work)
    wait(desk)
    assert len(desk.tabs()) == len(desk.stage_names)
    for stage in desk.stage_names:
        assert desk.question(stage)[0].startswith(f"{stage}: ")
        for view in range(max(1, len(desk.views(stage)))):
            picture = desk.picture(stage, view, 740.0, 320.0)
            assert picture.caption
            for item in picture.items:
                if isinstance(item, Text):
                    assert "nan" not in item.text.split()
        for sheet in desk.sheets(stage):
            for row in range(sheet.count):
                for column in range(len(sheet.columns)):
                    assert "nan" not in sheet.cell(row, column).text.split()
                sheet.why(row)
                sheet.strike(row)
                sheet.picked(row)


def names_in(desk):
    """Whatever is named in a work: points, columns, marks."""
    book = desk.result.book
    found = [p.name for p in getattr(book, "points", ())] + [c.name for c in getattr(book, "columns", ())]
    return found + sorted({r.mark for r in getattr(book, "rows", ()) if hasattr(r, "mark") and r.stands})


LONG = "Northernmost manhole by the tail race, the upper one of the two with the broken rim"


def test_report_and_files_carry_every_name_whole(desk, tmp_path, qapp):
    renamed = 0
    for entry in list(desk.file.journal.standing(desk.work)):
        for field in ("mark", "name"):
            if entry.kind in {"sight", "point", "column"} and field in entry.body and renamed < 12:
                body = {**entry.body, field: f"{LONG} {entry.body[field]}"}
                if entry.body[field].startswith("CP "):
                    continue
                desk.file.record([Draft(desk.work, entry.kind, body, strikes=entry.id)])
                renamed += 1
    desk.refresh()
    wait(desk)
    names = names_in(desk)
    pages = desk.report()()
    said = " ".join(t for page in pages for t in page.texts())
    assert "…" not in said
    for name in names:
        assert whole(name, pages), name
    for writer in desk.writers():
        if writer.write is not None:
            path = tmp_path / f"x{writer.name}"
            writer.write(desk, path)
            assert path.stat().st_size > 0
            if path.suffix == ".csv":
                text = path.read_text()
                assert all(name in text for name in names)
        else:
            printed = writer.pages(desk)()
            assert all(whole(name, printed) for name in names)


def whole(name, pages):
    """Whether a name is on the pages, on one line or broken over some that follow each other in a column."""
    words = name.split()
    for page in pages:
        texts = [item for item in page.items if isinstance(item, Text)]
        for start in texts:
            if not name.startswith(start.text):
                continue
            got, below = start.text.split(), start
            while len(got) < len(words):
                under = [
                    t
                    for t in texts
                    if abs(t.x - below.x) < 0.5
                    and 0 < t.y - below.y < 20
                    and words[len(got) : len(got) + len(t.text.split())] == t.text.split()
                ]
                if not under:
                    break
                below = min(under, key=lambda t: t.y)
                got += below.text.split()
            if got == words:
                return True
    return any(name in t.text for page in pages for t in page.items if isinstance(t, Text))


def test_an_unknown_kind_is_never_misread(desk):
    kinds = job_kinds()
    with pytest.raises(KeelError, match="no kind of entry"):
        desk.file.record([Draft(desk.work, "sounding", {"depth": 3})])
    with pytest.raises(KeelError, match="has no field"):
        check_body(kinds, "matter", {"text": "x", "depth": 3})
    assert all(isinstance(kind, EntryKind) for kind in trade(desk.type).kinds.values())


def test_what_the_shelf_costs():
    """A trade is its folder, a line of the registry and its page: the house promised at most 350 lines."""
    folder = Path(__file__).parent / "shelf"
    lines = sum(len(p.read_text().splitlines()) for p in folder.iterdir() if p.is_file())
    assert lines <= 350


def test_a_report_says_who_read_what_and_every_reading_as_it_was_typed(desk):
    """A stranger recomputes from the paper: nothing that was read is only in the program."""
    desk.refresh()
    wait(desk)
    pages = desk.report()()
    items = [item for page in pages for item in page.items if isinstance(item, Text)]
    said = [item.text for item in items]
    on_paper = " ".join(item.text for item in items if not item.struck)  # what stands is not ruled through
    assert not desk.file.journal.order.get(desk.work) or "entered by " in on_paper
    rows = list(as_read(desk.file.journal, desk.work, desk.file.kinds()))[1:]
    assert any(row[11] for row in rows) or not any(item.struck for item in items)
    for row in rows:
        if not row[11] and not row[2].startswith(("planned", "place,")):  # not struck, and read
            assert all(part in on_paper for part in str(row[3]).split(" / ")), (desk.type, row)
    verdicts = [finding.title for finding in desk.findings("Proof") if finding.verdict != "todo"]
    assert not verdicts or "What the numbers say" in said
