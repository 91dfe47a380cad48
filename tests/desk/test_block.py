"""A block of cells put in: all of it or nothing, a column as one act, whatever the trade."""

from __future__ import annotations

import pytest

from tests.trades.conftest import wait
from vivid_keel.core.errors import KeelError
from vivid_keel.core.quantities import parse_length
from vivid_keel.core.record.entries import Draft
from vivid_keel.core.record.readings import as_read
from vivid_keel.desk import block
from vivid_keel.files import JobFile
from vivid_keel.trades.registry import desk_for


@pytest.fixture
def desk(tmp_path):
    with JobFile.create(tmp_path / "job.keel", "Osier Mill", "Ada") as file:
        (work,) = file.record([Draft(0, "work", {"name": "Frame", "type": "marks", "unit": "m"})])
        height = as_read(parse_length("41.250", "m"))
        file.record([Draft(work.id, "mark", {"name": "H1", "height": height, "source": "drawing"})])
        for name in ("H1", "H2", "H3"):
            file.record([Draft(work.id, "column", {"name": name})])
        desk = desk_for(file, work.id)
        wait(desk)
        yield desk


def tapes(desk):
    return next(s for s in desk.sheets("Readings") if s.name == "Tapes")


def test_cells_are_parted_as_a_spreadsheet_copies_them():
    assert block.cells_of("1.144\t1.404\r\n1.152\t\r\n") == [["1.144", "1.404"], ["1.152", ""]]
    assert block.cells_of("'-0.2\n'+3\nO'Neill's") == [["-0.2"], ["+3"], ["O'Neill's"]]
    assert block.cells_of("1.482") == [["1.482"]]


def test_two_columns_are_put_in_one_act_each_and_an_empty_cell_leaves_what_stands(desk):
    cells = block.cells_of("1.144\t1.404\n\t1.401\n1.161\t1.396")
    acts = desk.file.journal.entries[max(desk.file.journal.entries)].act
    block.check(tapes(desk), (0, 2), cells)
    for column in (0, 1):
        desk.record(*block.taken(tapes(desk), (0, 2), cells, column).drafts)
    assert [c.texts.get("to_slab") for c in desk.book.columns] == ["1.144", None, "1.161"]
    assert [c.texts.get("top") for c in desk.book.columns] == ["1.404", "1.401", "1.396"]
    assert desk.file.journal.entries[max(desk.file.journal.entries)].act == acts + 2
    desk.file.undo()
    desk.refresh()
    assert [c.texts.get("top") for c in desk.book.columns] == [None, None, None]


@pytest.mark.parametrize(
    ("text", "said"),
    [
        ("1.144\nabc\n1.161", "line 2 of what was copied, “abc”"),
        ("1\n2\n3\n4\n5", "5 lines were copied and"),
        ("1.1\t1.2\t1.3\t1.4\t1.5\t1.6\t1.7", "columns were copied"),
    ],
)
def test_one_cell_that_cannot_be_taken_leaves_all(desk, text, said):
    before = len(desk.file.journal.entries)
    with pytest.raises(KeelError) as error:
        block.check(tapes(desk), (0, 2), block.cells_of(text))
    assert said in error.value.message
    assert len(desk.file.journal.entries) == before


def test_what_is_worked_out_is_not_typed_over(desk):
    sheet = tapes(desk)
    told = next(n for n in range(len(sheet.columns)) if not sheet.cell(0, n).editable)
    with pytest.raises(KeelError, match="nothing is typed there"):
        block.check(sheet, (0, told), [["1"], ["2"]])
