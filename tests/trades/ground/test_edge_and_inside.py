"""A point typed after the edge: on it or inside it, asked once, never folded into the outline without a word."""

from __future__ import annotations

import pytest

from tests.saying import take
from vivid_keel.core.record.entries import Draft
from vivid_keel.files import JobFile
from vivid_keel.trades.registry import desk_for


@pytest.fixture
def desk(tmp_path):
    with JobFile.create(tmp_path / "mill.keel", "Osier Mill", "Ada", decimal_mark=".") as file:
        (work,) = file.record([Draft(0, "work", {"name": "Yard", "type": "groundwork", "unit": "m"})])
        yield desk_for(file, work.id)


def point(desk, name, x, y, z):
    """Type a point on the new line; whether it is asked about."""
    row = desk.sheets("Readings")[0].count - 1
    for column, text in enumerate((name, x, y, z)):
        take(desk.sheets("Readings")[0], row, column, text)
    return any(f.title.startswith(f"{name} lies inside the edge") for f in desk.findings("Readings"))


def test_a_point_inside_the_edge_is_taken_as_inside_and_asked_about_once(desk):
    for name, x, y in (("a", "0", "0"), ("b", "10", "0"), ("c", "10", "8"), ("d", "0", "8")):
        assert not point(desk, name, x, y, "0.1")
    area = desk.result.tin.pieces
    assert point(desk, "m", "5", "4", "0.2")
    assert not point(desk, "n", "3", "4", "0.2")
    take(desk.sheets("Readings")[0], 4, 4, "edge")  # the edge turns in there: said, it is so
    assert desk.book.points[4].edge
    assert not any("lies inside" in f.title for f in desk.findings("Readings"))
    take(desk.sheets("Readings")[0], 4, 4, "inside")
    assert [p.edge for p in desk.book.points] == [True] * 4 + [False] * 2
    from vivid_keel.core.surface.against import areas

    assert areas(desk.result.tin.pieces).sum() == pytest.approx(areas(area).sum()) == pytest.approx(80)


def test_an_edge_that_goes_on_outside_is_not_asked_about(desk):
    for name, x, y in (
        ("a", "0", "0"),
        ("b", "10", "0"),
        ("c", "10", "4"),
        ("d", "14", "8"),
        ("e", "0", "8"),
    ):
        assert not point(desk, name, x, y, "0.1")
    assert all(p.edge for p in desk.book.points)
