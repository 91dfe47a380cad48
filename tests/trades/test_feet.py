"""In a work in feet and inches nothing is said in millimetres or metres: on no sheet, in no sentence, on no paper."""

from __future__ import annotations

import re

import pytest

from tests.test_said import desk_said
from tests.trades.conftest import wait
from vivid_keel.core.instruments.used import WAY, instrument_draft, instrument_from_way
from vivid_keel.core.quantities import parse_length
from vivid_keel.core.record.entries import Draft
from vivid_keel.core.record.readings import as_read
from vivid_keel.figures.display import Text
from vivid_keel.files import JobFile
from vivid_keel.trades.registry import desk_for
from vivid_keel.trades.supports.lay_out import grid_drafts

METRIC = re.compile(r"\d\s?mm\b(?!/)|[,(] mm\b|\d m\b|\bmm$|, m$|\bcm\b")
TOLD = ("0.68 mm at 100 m", "mm/m", "(½ mm marks)")
"""What is a rule of the trade, told as it is known, and slopes."""


@pytest.fixture
def file(tmp_path):
    with JobFile.create(tmp_path / "feet.keel", "Osier Mill", "Ada", unit="ft-in") as made:
        yield made


def length(text, unit="ft-in"):
    return as_read(parse_length(text, unit))


def run(file):
    (work,) = file.record([Draft(0, "work", {"name": "Leat", "type": "run", "unit": "ft-in"})])
    put = lambda kind, body: file.record([Draft(work.id, kind, body)])  # noqa: E731
    put("mark", {"name": "BM", "height": length("100'"), "source": "datum"})
    file.record([instrument_draft(work.id, instrument_from_way(WAY["optical-eighths"], "Amber"))])
    for n, (kind, mark, reading, far) in enumerate(
        [
            ("BS", "BM", "5' 7 3/8\"", "66'"),
            ("IS", "sill", "4' 2 1/8\"", "30'"),
            ("FS", "CP 1", "6' 1 1/2\"", "60'"),
            ("BS", "CP 1", "4' 8\"", "60'"),
            ("FS", "BM", "4' 2\"", "70'"),
        ]
    ):
        if n == 3:
            put("setup", {})
        put("sight", {"mark": mark, "sight": kind, "reading": length(reading), "distance": length(far)})
    return work.id


def vehicle(file):
    (work,) = file.record([Draft(0, "work", {"name": "Trailer", "type": "vehicle", "unit": "ft-in"})])
    body = {"phase": "found", "roll_rad": 0.035, "pitch_rad": 0.02, "text": "2 / 1.1"}
    file.record([Draft(work.id, "tilts", body)])
    file.record([Draft(work.id, "caution", {"key": "vehicle"})])
    return work.id


def marks(file):
    (work,) = file.record([Draft(0, "work", {"name": "Frame", "type": "marks", "unit": "ft-in"})])
    file.record([Draft(work.id, "mark", {"name": "A", "height": length("33'"), "source": "drawing"})])
    for k, top in enumerate(("3' 1 1/4\"", "2' 11\"", "3' 0 1/8\"")):
        body = {
            "name": f"C{k + 1}",
            "y": length("0'"),
            "to_slab": length("3' 4\""),
            "design": length("36'"),
            "top": length(top),
        }
        file.record([Draft(work.id, "column", body)])
    return work.id


def supports(file):
    (work,) = file.record([Draft(0, "work", {"name": "Bench", "type": "supports", "unit": "ft-in"})])
    file.record(grid_drafts(work.id, ("North", "South"), 3, 2.4384, 3.048))
    file.record([Draft(work.id, "limits", {"tolerance": length("1/16 in"), "sense": "hangs"})])
    file.record(
        [Draft(work.id, "leaf", {"leaf": length(f"{t} in"), "count": 20}) for t in ("1/4", "1/8", "1/16")]
    )
    points = file.journal.standing(work.id, "point")
    for point, text in zip(points, ("38 3/8", "38 1/8", "37 7/8", "38 1/4", "38", "38 3/8"), strict=True):
        body = {"point": point.id, "phase": "found", "reading": length(f"{text} in")}
        file.record([Draft(work.id, "reading", body)])
    file.record([Draft(work.id, "hangs", {"name": "step", "row": "North", "x_m": 1.2})])
    return work.id


@pytest.mark.parametrize("made", [run, vehicle, marks, supports], ids=lambda made: made.__name__)
def test_nothing_is_said_in_millimetres(file, made):
    desk = desk_for(file, made(file))
    wait(desk)
    lines = desk_said(desk)
    wrong = [line for line in lines if METRIC.search(line) and not any(told in line for told in TOLD)]
    assert wrong == []
    pages = desk.report()()
    for page in pages:
        texts = [item.text for item in page.items if isinstance(item, Text)]
        assert [t for t in texts if METRIC.search(t) and not any(told in t for told in TOLD)] == []
    for stage in desk.face.stages:
        for _, draw in stage.pictures(desk):
            texts = [item.text for item in draw(desk, 760, 400).items if isinstance(item, Text)]
            assert [t for t in texts if METRIC.search(t) and not any(told in t for told in TOLD)] == [], (
                stage.name
            )
