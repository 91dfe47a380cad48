"""Points from a spreadsheet into supports and marks; columns as a grid."""

from __future__ import annotations

import pytest
from hypothesis import given
from hypothesis import strategies as st

from tests.saying import take
from vivid_keel.core.errors import KeelError
from vivid_keel.core.record.entries import Draft
from vivid_keel.desk.pasted import pasted_points
from vivid_keel.files import JobFile
from vivid_keel.trades.registry import desk_for


def made(tmp_path, kind, unit="m"):
    file = JobFile.create(tmp_path / f"{kind}-{unit}.keel", "Osier Mill", "Ada", unit=unit)
    (work,) = file.record([Draft(0, "work", {"name": "w", "type": kind, "unit": unit})])
    return file, desk_for(file, work.id)


TEXT = "Post\tx\ty\nA1\t0\t0\nA2\t2.4\t0\nB1\t0\t3.1\n"


def test_supports_are_pasted_as_one_act_and_undone_as_one(tmp_path):
    file, desk = made(tmp_path, "supports")
    with file:
        desk.record(*desk.pasted("Set-up", TEXT))
        points = desk.book.points
        assert [(p.name, p.row, p.x, p.y) for p in points] == [
            ("A1", "A", 0.0, 0.0),
            ("A2", "A", 2.4, 0.0),
            ("B1", "B", 0.0, 3.1),
        ]
        assert desk.pasted("Readings", TEXT) is None
        with pytest.raises(KeelError, match="line 2: there is a A1 already"):
            desk.pasted("Set-up", TEXT)
        file.undo()
        desk.refresh()
        assert not desk.book.points


def test_in_a_feet_job_a_bare_place_is_in_feet(tmp_path):
    file, desk = made(tmp_path, "supports", "ft-in")
    with file:
        desk.record(*desk.pasted("Set-up", "A1; 0; 0\nA2; 8; 0\nA3; 16' 6\"; 0"))
        assert [round(p.x, 6) for p in desk.book.points] == [0.0, 2.4384, 5.0292]


def test_columns_are_pasted_with_their_designed_tops(tmp_path):
    file, desk = made(tmp_path, "marks")
    with file:
        desk.record(*desk.pasted("Set-up", "H1,0,0,11.25\nH2,3,,\n"))
        first, second = desk.book.columns
        assert (first.value("design"), second.value("x")) == (11.25, 3.0)
        assert "y" not in second.texts and not second.placed


@pytest.mark.parametrize(
    ("text", "said"),
    [
        ("A1\t0\t0\nA1\t1\t0", "line 2: there is a A1 already"),
        ("A1\t0\t0\n\t1\t0", "line 2 names no point"),
        ("A1\t0\tx", "line 1, A1: “x” is not a length"),
        ("A1\t0\t0\t0\t7", "line 1 has 5 cells"),
    ],
)
def test_one_wrong_line_takes_nothing_and_is_named(text, said):
    with pytest.raises(KeelError, match=said):
        pasted_points(text, ("m", "m"), ".")


@given(st.lists(st.tuples(st.integers(-9999, 9999), st.integers(-9999, 9999)), min_size=1, max_size=30))
def test_what_a_spreadsheet_wrote_is_read_whatever_parts_it(places):
    for separator in ("\t", ";", ",", " "):
        text = "\n".join(f"P{k}{separator}{x / 1000}{separator}{y / 1000}" for k, (x, y) in enumerate(places))
        found = pasted_points(text, ("m", "m"), ".")
        assert [(round(v[0]["m"] * 1000), round(v[1]["m"] * 1000)) for _, v in found] == places


def test_a_grid_of_columns_by_its_rows(tmp_path):
    file, desk = made(tmp_path, "marks", "ft-in")
    with file:
        sheet = next(s for s in desk.sheets("Set-up") if s.name == "Columns")
        take(sheet, 0, 0, "A-C 4 10 15' 6\"")
        assert len(desk.book.columns) == 12
        last = desk.book.columns[-1]
        assert last.name == "C4"
        assert (last.value("x"), last.value("y")) == pytest.approx((30 * 0.3048, 31 * 0.3048))
        sheet = next(s for s in desk.sheets("Set-up") if s.name == "Columns")
        for wrong, said in (
            ("C-A 4 1 1", "expected rows"),
            ("A-B 4 0 1", "above 0"),
            ("A-A 4 10 10", "A1 already"),
        ):
            with pytest.raises(KeelError, match=said):
                take(sheet, sheet.count - 1, 0, wrong)
