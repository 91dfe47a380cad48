"""What a desk shows, without a window: shortcuts agree with the long way, and unpainted pictures hold what they say."""

from __future__ import annotations

import random

import numpy as np
import pytest

from tests.mill import mill
from tests.saying import take
from vivid_keel.core.quantities import parse_length
from vivid_keel.core.record.entries import Draft
from vivid_keel.core.record.readings import as_read
from vivid_keel.figures.display import Text
from vivid_keel.figures.palette import TEXT_ROLES, THEMES, contrast
from vivid_keel.files import JobFile
from vivid_keel.trades.registry import desk_for
from vivid_keel.trades.run.book import fold_run
from vivid_keel.trades.run.result import work_out_run


@pytest.fixture
def demo(tmp_path):
    with mill(tmp_path / "mill.keel") as file:
        yield file


@pytest.fixture
def run(tmp_path):
    with JobFile.create(tmp_path / "run.keel", "Run", "Ada") as file:
        file.record([Draft(0, "work", {"name": "run", "type": "run", "unit": "m"})])
        file.record(
            [Draft(2, "mark", {"name": "BM", "height": as_read(parse_length("50")), "source": "datum"})]
        )
        yield desk_for(file, 2)


def agrees(desk):
    """The desk's result, grown step by step, is that of the whole book folded anew."""
    anew = work_out_run(fold_run(desk.file.journal, desk.work))
    assert desk.result.book == anew.book
    assert desk.result.at == anew.at
    for name in ("backsight", "foresight", "source", "parent", "troubles", "passed"):
        assert getattr(desk.result.layout, name) == getattr(anew.layout, name), name
    np.testing.assert_array_equal(desk.result.reduction.heights, anew.reduction.heights)
    np.testing.assert_array_equal(desk.result.closure.correction, anew.closure.correction)
    assert desk.result.trouble == anew.trouble


@pytest.mark.parametrize("seed", range(6))
def test_growing_a_book_is_folding_it_anew(run, seed):
    rng = random.Random(seed)
    shortcuts = 0
    for _ in range(70):
        sheet = run.sheets("Readings")[0]
        mark = rng.choice(["BM", "CP 1", "CP 2", "sill", "nowhere"])
        text = rng.choice(["1.2", "1.482", "0.9875", "2.1", "-0.4"])
        what = rng.random()
        before = run.result
        if what < 0.6 or not run.book.sights:
            kind = rng.choice([0, 1, 1, 2])
            sheet.mark, sheet.kind = mark, kind
            sheet.typing(sheet.new, 1 + kind, text)
            take(sheet, sheet.new, 1 + kind, text)
        elif what < 0.75:
            row = rng.randrange(len(run.book.lines))
            main = run.book.lines[row][0]
            if run.book.rows[main].stands:
                sheet.typing(row, 1 + run.book.rows[main].kind, text)
                take(sheet, row, 1 + run.book.rows[main].kind, text)
        elif what < 0.82:
            run.new_set_up()
        elif what < 0.9:
            run.strike(run.book.rows[rng.choice(run.book.sights)].id, "")
        else:
            run.file.undo()
            run.refresh()
        shortcuts += before.book.known is run.result.book.known
        agrees(run)
    assert shortcuts > 20


def test_typing_shows_what_taking_it_gives(run):
    sheet = run.sheets("Readings")[0]
    for mark, kind, text in [
        ("BM", 0, "1.5"),
        ("a", 1, "1.2"),
        ("CP 1", 2, "0.8"),
        ("CP 1", 0, "1.1"),
        ("b", 1, "1.4"),
    ]:
        sheet = run.sheets("Readings")[0]
        sheet.mark, sheet.kind = mark, kind
        sheet.typing(sheet.new, 1 + kind, text)
        shown = run.shown.reduction.heights.copy()
        take(sheet, sheet.new, 1 + kind, text)
        np.testing.assert_array_equal(shown, run.result.reduction.heights)
    row = run.sheets("Readings")[0].row_of(1)
    run.sheets("Readings")[0].typing(row, 2, "1.3")
    assert run.shown.height(1) == pytest.approx(50.2)
    assert run.result.height(1) == pytest.approx(50.3)


def test_every_cell_of_every_sheet_can_be_shown(demo):
    for desk in (desk_for(demo, 2), desk_for(demo, demo.journal.works()[1].id)):
        for stage in desk.stage_names:
            for sheet in desk.sheets(stage):
                for row in range(sheet.count):
                    for column in range(len(sheet.columns)):
                        cell = sheet.cell(row, column)
                        assert "nan" not in cell.text
                        assert cell.ink in THEMES["Lamp"]
                    sheet.why(row)
            for view in range(max(1, len(desk.views(stage)))):
                p = desk.picture(stage, view, 740.0, 320.0)
                assert p.caption
                for item in p.items:
                    if isinstance(item, Text):
                        assert item.size >= 13 or stage == "Record"
                        assert "nan" not in item.text
            assert desk.next(stage).title


def test_the_section_draws_the_line_where_the_numbers_say(demo):
    desk = desk_for(demo, 2)
    p = desk.picture("Readings", 0, 740.0, 320.0)
    lines = [i for i in p.items if getattr(i, "ink", "") == "keel" and hasattr(i, "y1")]
    hc = desk.result.reduction.collimation_height
    drop = [(a.y1 - lines[0].y1) for a in lines]
    assert drop == pytest.approx([(hc[0] - h) * (drop[1] / (hc[0] - hc[1])) for h in hc], abs=1e-6)
    assert {f"HC {h:.3f}" for h in hc} <= set(p.texts())
    readings = {t.split()[-1] for t in p.texts()}
    assert {r.text for r in desk.book.rows if r.stands} <= readings


def test_struck_and_open_matters_are_in_the_demo(demo):
    desk = desk_for(demo, 2)
    assert [r.text for r in desk.book.rows if not r.stands] == ["0.837"]
    titles = [f.title for f in desk.findings("Readings")]
    assert "Open matter" in titles
    assert "Closes to −3 mm; 8.7 mm allowed" in titles
    posts = desk_for(demo, demo.journal.works()[1].id)
    assert posts.result.read_left == 6
    assert len(posts.result.to_move) == 9


@pytest.mark.parametrize("name", THEMES)
def test_every_text_stands_out_from_its_ground(name):
    palette = THEMES[name]
    for role in TEXT_ROLES:
        for ground in ("paper", "desk", "side", "row", "lit", "ground"):
            if ground == "ground" and role != "ink" and role != "muted":
                continue
            assert contrast(palette[role], palette[ground]) >= 4.5, (role, ground)
    for ink, ground in [
        ("on-night", "night"),
        ("caution-ink", "caution"),
        ("wrong", "wrong-ground"),
        ("ink", "leaf"),
        ("wrong", "paper"),
    ]:
        assert contrast(palette[ink], palette[ground]) >= 4.5, (ink, ground)
    assert set(palette) == set(THEMES["Daylight"])


@pytest.mark.parametrize("role", TEXT_ROLES)
@pytest.mark.parametrize("ground", ["paper", "desk", "side", "row", "lit"])
def test_the_strong_theme_reaches_seven_to_one(role, ground):
    assert contrast(THEMES["Strong"][role], THEMES["Strong"][ground]) >= 7
