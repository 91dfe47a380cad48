"""Decimal commas: all that is shown, nothing that people named."""

from __future__ import annotations

import pytest

from vivid_keel.core.kinds import Finding
from vivid_keel.core.quantities.number import parse_number
from vivid_keel.core.working import Working
from vivid_keel.desk.comma import Comma, names_in
from vivid_keel.desk.sheet import Cell
from vivid_keel.figures.display import Line, Picture


@pytest.mark.parametrize(
    ("text", "shown"),
    [
        ("1.482", "1,482"),
        ("raise 3.8 mm, stop at 1.2564", "raise 3,8 mm, stop at 1,2564"),
        ("−0.5 … +12.25", "−0,5 … +12,25"),
        ("Read it. 3 are left.", "Read it. 3 are left."),
        ("0.2.", "0,2."),
        ("", ""),
    ],
)
def test_every_point_within_a_number_is_a_comma(text, shown):
    assert Comma([])(text) == shown


def test_what_people_named_keeps_its_points():
    comma = Comma(["BM 1.2", "MH 1.25", "plain"])
    assert comma("BM 1.2 at 61.648 and MH 1.25 at 1.25") == "BM 1.2 at 61,648 and MH 1.25 at 1,25"
    assert comma("BM 1.23: another") == "BM 1,23: another"


def test_names_are_all_texts_but_readings():
    bodies = [
        {"name": "BM 1.2", "reading": {"text": "1.482", "unit": "m", "m": 1.482, "step_m": 0.001}},
        {"facts": {"identity": "case 4.2"}, "marks": ["P 7.1"], "u_m": 0.5},
    ]
    assert list(names_in(bodies)) == ["BM 1.2", "case 4.2", "P 7.1"]


def test_cells_findings_workings_and_pictures_are_said_with_commas():
    comma = Comma([])
    assert comma.of(Cell("1.5", hint="0.5", narrow="1.5")) == Cell("1,5", hint="0,5", narrow="1,5")
    finding = Finding("in", "within 1.5 mm", "U = 0.6", Working("a", "b", "1.5 − 0.5", ("0.1",), "0.2"))
    shown = comma.finding(finding)
    assert (shown.title, shown.text) == ("within 1,5 mm", "U = 0,6")
    assert shown.why == Working("a", "b", "1,5 − 0,5", ("0,1",), "0,2")
    picture = Picture(10, 10, caption="at 1.5")
    picture.text(0, 0, "1.5")
    picture.line(0, 0, 1.5, 1.5)
    comma.picture(picture)
    assert picture.caption == "at 1,5" and picture.items[0].text == "1,5"
    assert isinstance(picture.items[1], Line) and picture.items[1].x2 == 1.5


def test_what_is_shown_is_what_may_be_typed_again():
    assert parse_number(Comma([])("12.25"), ",")[0] == 12.25


def test_names_that_come_later_are_left_as_they_are_too_and_others_cost_nothing():
    comma = Comma(["BM 1.2"])
    assert comma.with_names(["plain", "BM 1.2"]) is comma
    assert comma.with_names(["P 7.1"])("BM 1.2, P 7.1, 7.1") == "BM 1.2, P 7.1, 7,1"
