"""Supports for others: CSV and DXF read back by other libraries, and the sheet for the hand."""

from __future__ import annotations

import csv
import io

import ezdxf
import pytest

from tests.mill import mill
from vivid_keel.core.moving.choosing import pack
from vivid_keel.figures.display import Text
from vivid_keel.figures.report import Heading
from vivid_keel.trades.registry import desk_for
from vivid_keel.trades.supports.measure import work_out_supports
from vivid_keel.trades.supports.report import supports_report
from vivid_keel.trades.supports.writers import supports_csv, supports_dxf


@pytest.fixture
def desk(tmp_path):
    with mill(tmp_path / "mill.keel") as file:
        desk = desk_for(file, file.journal.works()[1].id)
        desk.result = work_out_supports(desk.book, pack(desk.result))
        yield desk


def test_the_csv_says_what_the_sheet_says(desk):
    rows = list(csv.DictReader(io.StringIO(supports_csv(desk.result))))
    assert [r["post"] for r in rows] == [p.name for p in desk.book.points]
    u4 = next(r for r in rows if r["post"] == "U4")
    assert (u4["as found"], u4["order"], u4["move mm"]) == ("1.2526", "1", "11.40")
    assert sum(float(t) for t in u4["packing mm or by hand"].split(" + ")) == pytest.approx(11.4, abs=0.7)
    assert u4["verdict"] == "proven in"


def test_the_dxf_holds_plan_and_elevations_by_layer(desk):
    drawing = ezdxf.read(io.StringIO(supports_dxf(desk.result)))
    space = drawing.modelspace()
    assert len(space.query('LWPOLYLINE[layer=="PLAN"]')) == 12
    assert {t.dxf.text for t in space.query('TEXT[layer=="NAMES"]')} >= {"U1", "D6", "Upstream"}
    assert len(space.query('LWPOLYLINE[layer=="ELEVATION-X100"]')) == 2
    assert not drawing.audit().errors


def work_sheet_of(pages):
    """The pages from the work sheet on: it stands last."""
    return pages[
        next(k for k, page in enumerate(pages) if any(t.startswith("Work sheet · ") for t in page.texts())) :
    ]


def test_the_work_sheet_is_for_the_hand(desk):
    pages = supports_report(
        desk.result,
        desk.file.journal,
        Heading("Mill", "Floor", "supports", "today", "Ada"),
        desk.findings("Proof"),
    )
    count = desk.result.stage_count
    sheet = work_sheet_of(pages)
    assert len(sheet) == count  # a stage a page
    known = {point.name for point in desk.book.points}
    for page, (stage, steps) in zip(sheet, desk.result.walk.items(), strict=True):
        texts = page.texts()
        assert any(f"stage {stage} of {count}" in t for t in texts)
        head, notes = texts.index("3 Finish at"), next(k for k, t in enumerate(texts) if "fixed" in t)
        order = [t for t in texts[head:notes] if t in known]
        assert order == [desk.book.points[step.place].name for step in steps]  # in the order of work
        for step in steps:
            finish, jack = desk.result.stop_after(step), desk.result.first_of(step)
            assert {f"{finish:.4f}", f"{jack:.4f}"} <= set(texts)
        large = [
            item.size for item in page.items if isinstance(item, Text) and item.text in known and item.x == 48
        ]
        assert min(large) >= 11  # read from a metre
        assert "signature" in texts and any(t.startswith("Have ready: ") for t in texts)


def test_screws_go_out_as_turns_and_a_limit_as_a_word(desk):
    from vivid_keel.core.record.entries import Draft

    desk.record(Draft(desk.work, "mover", {"what": "screw", "values": {"pitch": 2.0, "school": 1.0}}))
    rows = {r["post"]: r for r in csv.DictReader(io.StringIO(supports_csv(desk.result)))}
    assert rows["U4"]["packing mm or by hand"] == "6 turns clockwise, a hair high, then draw it down"
    assert float(rows["U4"]["jack to"]) == pytest.approx(float(rows["U4"]["finish at"]) + 0.0002, abs=1.01e-4)
    assert rows["U2"]["packing mm or by hand"] == ""
    old = desk.file.journal.latest(desk.work, "limits")
    desk.record(Draft(desk.work, "limits", {**old.body, "most_m": 0.009}))
    rows = {r["post"]: r for r in csv.DictReader(io.StringIO(supports_csv(desk.result)))}
    assert rows["U4"]["packing mm or by hand"] == "ruled out by the limits" and rows["U4"]["jack to"] == ""
    pages = supports_report(
        desk.result,
        desk.file.journal,
        Heading("Mill", "Floor", "supports", "today", "Ada"),
        desk.findings("Proof"),
    )
    texts = [t for page in pages for t in page.texts()]
    assert any("turns clockwise" in t for t in texts) and any(t.startswith("ruled out") for t in texts)


def test_the_work_sheet_says_what_to_have_ready(desk):
    from vivid_keel.core.record.entries import Draft

    for leaf in desk.book.stock:
        old = desk.file.journal.entries[leaf.id]
        desk.record(Draft(desk.work, "leaf", {**old.body, "count": 1}, strikes=old.id))
    result = work_out_supports(desk.book, pack(desk.result))
    pages = supports_report(
        result,
        desk.file.journal,
        Heading("Mill", "Floor", "supports", "today", "Ada"),
        desk.findings("Proof"),
    )
    texts = " ".join(work_sheet_of(pages)[0].texts())
    assert "Have ready: " in texts and "cut to 60 × 80 mm" in texts and "To buy: " in texts
    everything = " ".join(t for page in work_sheet_of(pages) for t in page.texts())
    assert "Read Stud in the sluice wall again" in everything


def test_every_round_is_on_record(desk):
    from vivid_keel.core.quantities import parse_length
    from vivid_keel.core.record.entries import Draft
    from vivid_keel.core.record.readings import as_read

    for p in desk.book.points:
        if p.left is None:
            reading = as_read(parse_length("1.2638", "m", "."))
            desk.record(Draft(desk.work, "reading", {"point": p.id, "phase": "left", "reading": reading}))
    desk.result = work_out_supports(desk.book, pack(desk.result))
    put, _ = desk.result.put_in()
    desk.another_round()
    rows = {r["post"]: r for r in csv.DictReader(io.StringIO(supports_csv(desk.result)))}
    u4 = next(p for p in desk.book.points if p.name == "U4")
    assert float(rows["U4"]["round 1 put in mm"]) == pytest.approx(put[u4.id] * 1000, abs=0.005)
    assert (rows["U4"]["as found"], rows["U4"]["round 1 read after"], rows["U2"]["round 1 put in mm"]) == (
        "1.2526",
        "1.2644",
        "0.00",
    )
    pages = supports_report(
        desk.result,
        desk.file.journal,
        Heading("Mill", "Floor", "supports", "today", "Ada"),
        desk.findings("Proof"),
    )
    texts = [t for page in pages for t in page.texts()]
    assert any(t.startswith("Round 1: 9 moved") for t in texts) and "Read before" in texts
    assert any("by Stud in the sluice wall; taken" in t for t in texts)
