"""Pictures say what the numbers say: positions, shapes, words, and nothing where nothing is known."""

from __future__ import annotations

import numpy as np
import pytest

from tests.saying import what_is_said
from tests.trades.supports.test_works import Book
from vivid_keel.core.instruments.used import instrument_of
from vivid_keel.core.moving.choosing import pack
from vivid_keel.core.moving.plan import TargetChoice
from vivid_keel.core.moving.scale import HANGS, STANDS
from vivid_keel.core.quantities import LengthStyle
from vivid_keel.core.record.entries import Draft
from vivid_keel.figures import symbols
from vivid_keel.figures.display import Box, Disc, Line, Picture, Poly, Text, placed
from vivid_keel.figures.instrument import worth
from vivid_keel.figures.measure import fitted, text_width, wrapped
from vivid_keel.figures.moving.elevation import elevation
from vivid_keel.figures.moving.plan import plan, proof
from vivid_keel.figures.report import A4, BOTTOM, Heading
from vivid_keel.trades.run.figure import SLOTS, section
from vivid_keel.trades.run.misclosure_figure import misclosure
from vivid_keel.trades.run.report import run_report
from vivid_keel.trades.supports.report import supports_report

HEAD = Heading("Osier Mill", "work", "level run", "2026-11-24 10:00", "Ada")


def lines(p, ink):
    return [i for i in p.items if isinstance(i, Line) and i.ink == ink]


@pytest.fixture
def run():
    book = Book("run")
    book.known("BM", "50")
    book.sight("BS", "BM", "1.500", 20)
    book.sight("IS", "sill", "1.200", 10)
    book.sight("FS", "CP 1", "1.400", 22)
    book.sight("BS", "CP 1", "1.100", 18, new=True)
    book.sight("IS", "soffit", "-2.000", 5)
    book.sight("FS", "BM", "1.203", 20)
    return book


@pytest.fixture
def floor():
    book = Book("supports")
    book.way(0.0002)
    for k, text in enumerate(("1.2598", "1.2640", "1.2526", "1.2637")):
        book.post(f"A{k + 1}", text, x=2.4 * k)
    book.post("B1", "1.2600", x=0.0, row="B")
    book.stock(("6 mm", 4), ("3 mm", 4), ("1.5", 4), ("0.8", 4), ("0.4", 4), ("0.2", 4))
    return book


# The section


def test_a_keel_line_at_each_set_up_and_a_hit_at_each_staff(run):
    result = run.run()
    p = section(result, 750, 320)
    keel = lines(p, "keel")
    assert len(keel) == 2
    assert keel[0].y1 == keel[0].y2
    assert (keel[0].y1 < keel[1].y1) == (result.collimation_height(0) > result.collimation_height(3))
    assert {h.key for h in p.hits} == {f"row:{i}" for i in range(6)}
    hit = next(h for h in p.hits if h.key == "row:1")
    assert p.at(hit.x + 3, hit.y + 3).tip.startswith("sill")
    assert p.at(-5, -5) is None


def test_an_overhead_staff_hangs_above_the_line(run):
    p = section(run.run(), 750, 320)
    hit = next(h for h in p.hits if h.key == "row:4")
    line = lines(p, "keel")[1]
    assert hit.y + hit.height / 2 < line.y1


def test_everything_stands_inside_the_picture(run):
    for width, height in ((750, 320), (420, 200), (1400, 600)):
        for label in ("reading", "height", "setup"):
            p = section(run.run(), width, height, 2, label)
            for item in p.items:
                if isinstance(item, Text):
                    assert 0 <= item.y <= height
                    assert -2 <= item.x <= width + 2


def test_a_long_run_is_shown_around_the_row_in_hand():
    book = Book("run")
    book.known("BM", "50")
    for s in range(40):
        book.sight("BS", "BM" if s == 0 else f"CP {s}", "1.5", new=s > 0)
        book.sight("IS", f"p{s}", "1.2")
        book.sight("FS", f"CP {s + 1}", "1.4")
    result = book.run()
    p = section(result, 750, 320, 60)
    shown = {int(h.key[4:]) for h in p.hits}
    assert 60 in shown
    assert len(shown) <= SLOTS
    assert any("of 40" in t for t in p.texts())


def test_before_anything_is_read_it_says_what_to_do():
    empty = Book("run")
    assert "First the benchmark" in section(empty.run(), 750, 320).caption
    empty.known("BM", "50")
    assert "BM" in section(empty.run(), 750, 320).caption


# The misclosure


def test_the_gauge_puts_the_misclosure_inside_its_band(run):
    p = misclosure(run.run(), 750, 320)
    band = next(i for i in p.items if isinstance(i, Box) and i.fill == "lit")
    mark = next(i for i in p.items if isinstance(i, Disc))
    assert band.x < mark.x < band.x + band.width_
    assert mark.x < lines(p, "keel")[0].x1  # −3 mm lies to the left
    bars = [i for i in p.items if isinstance(i, Box) and i.fill == "leaf"]
    assert len(bars) == 2
    assert bars[1].height == pytest.approx(2 * bars[0].height)


def test_an_open_run_has_nothing_to_compare(run):
    run.sight("BS", "BM", "1.3", new=True)
    p = misclosure(run.run(), 750, 320)
    assert "The run is open" in p.caption


# Supports


def test_gaps_and_leaves_are_to_one_scale(floor):
    bare = floor.supports()
    result = floor.supports(packing=pack(bare))
    p = elevation(result, "A", 750, 300)
    target = next(i for i in lines(p, "keel") if i.dash)
    leaves = [i for i in p.items if isinstance(i, Box) and i.fill in {"leaf", "leaf2"}]
    thickest = max(leaves, key=lambda i: i.height)
    scale = thickest.height / 0.006
    beam = next(i for i in p.items if isinstance(i, Poly) and i.fill == "wood")
    lowest = max(y for _, y in beam.points[: len(beam.points) // 2])
    assert lowest - target.y1 == pytest.approx(0.0114 * scale)
    assert "11.4" in p.texts()
    assert "keeper" in p.texts()


def test_raise_and_lower_differ_in_shape_not_only_in_colour():
    up, down = Picture(50, 50), Picture(50, 50)
    symbols.move(up, 25, 40, 0.002, "2.0")
    symbols.move(down, 25, 40, -0.002, "2.0")
    (wedge,) = [i for i in up.items if isinstance(i, Poly)]
    (hollow,) = [i for i in down.items if isinstance(i, Poly)]
    assert wedge.fill
    assert not hollow.fill
    assert wedge.points != hollow.points


def test_verdicts_differ_in_shape():
    shapes = []
    for kind in ("in", "out", "open", "todo"):
        p = Picture(20, 20)
        symbols.verdict(p, 10, 10, kind)
        shapes.append(
            [
                (
                    type(i).__name__,
                    bool(getattr(i, "fill", "")),
                    getattr(i, "half", False),
                    getattr(i, "dash", False),
                )
                for i in p.items
            ]
        )
    assert len({str(s) for s in shapes}) == 4


@pytest.mark.parametrize(("sense", "below"), [(HANGS, True), (STANDS, False)])
def test_the_line_of_sight_lies_under_a_hung_scale_and_over_a_standing_one(sense, below):
    book = Book("supports")
    for k in range(3):
        book.post(f"A{k}", "1.25", x=2.0 * k, sense=sense)
    p = elevation(book.supports(), "A", 750, 300, label="readings")
    line = next(i for i in lines(p, "keel"))
    beam = next(i for i in p.items if isinstance(i, Poly) and i.fill == "wood")
    assert (line.y1 > beam.points[1][1]) == below
    assert p.texts().count("1.250") == 3


def test_an_unread_post_is_hollow(floor):
    floor.post("A5", x=9.6)
    p = elevation(floor.supports(), "A", 750, 300)
    assert "not read" in p.texts()


def test_posts_that_stand_close_are_told_of_where_there_is_room(floor):
    """Of two close by the one in hand, or the one that goes further; those who stand by themselves always."""
    for k in range(6):
        floor.post(f"B{k}", x=9.6 + 0.3 * k)  # not read yet
    result = floor.supports()
    for focus in (-1, 7):
        for label in ("moves", "readings", "heights", "target"):
            p = elevation(result, "A", 750, 300, focus, label)
            for said in ({q.name for q in result.book.points}, {"not read"}):
                at = sorted(i.x for i in p.items if isinstance(i, Text) and i.text in said)
                assert len(at) > 1 or said == {"not read"}
                assert all(b - a >= 50 for a, b in zip(at, at[1:], strict=False))
            names = {i.text for i in p.items if isinstance(i, Text)}
            fills = [i.fill for i in p.items if isinstance(i, Box)]
            assert "lit" not in fills[fills.index("stone") :] and ("lit" in fills) == (focus >= 0)
            assert {"A1", "A2", "A3", "A4"} <= names and (focus < 0 or result.book.points[7].name in names)


def test_the_frame_stays_put_while_the_line_is_dragged(floor):
    heights = []
    for reading in (1.2640, 1.2650, 1.2660):
        p = elevation(
            floor.supports(target=TargetChoice("height", reading=reading)), "A", 750, 300, label="target"
        )
        beam = next(i for i in p.items if isinstance(i, Poly) and i.fill == "wood")
        heights.append([y for _, y in beam.points])
        assert p.drag.value == pytest.approx(reading)
    assert np.ptp(np.array(heights), axis=0) == pytest.approx(0, abs=1e-9)
    step = elevation(
        floor.supports(target=TargetChoice("height", reading=1.2650)), "A", 750, 300, label="target"
    ).drag
    assert (step.y - p.drag.y) * step.metres_per_pixel == pytest.approx(0.0010)


def test_the_plan_numbers_the_order_of_work(floor):
    result = floor.supports()
    p = plan(result, 750, 300)
    assert {str(k + 1) for k in range(len(result.to_move))} <= set(p.texts())
    assert len([h for h in p.hits if h.key.startswith("point:")]) == 5


def test_the_proof_draws_each_u_and_the_band(floor):
    ids = {q.name: q.id for q in floor.supports().book.points}
    from vivid_keel.core.record.entries import Draft

    for name in ("A1", "A2"):
        body = {"point": ids[name], "phase": "left", "reading": floor.read("1.2639")}
        floor.add(Draft(floor.work, "reading", body))
    result = floor.supports()
    p = proof(result, 750, 320)
    bars = [i for i in lines(p, "ink") if i.x1 == i.x2]
    assert len(bars) == 2
    band = next(i for i in p.items if isinstance(i, Box) and i.fill == "lit")
    scale = band.height / (2 * result.book.limits.tolerance)
    assert abs(bars[0].y2 - bars[0].y1) == pytest.approx(4 * result.u_left[0] * scale)


def test_pictures_of_nothing():
    empty = Book("supports").supports()
    for p in (elevation(empty, "", 750, 300), plan(empty, 750, 300), proof(empty, 750, 300)):
        assert p.texts()
        assert not p.hits


def test_worth_of_an_instrument():
    level, sights = instrument_of(Book("run").journal, 2, "m"), [12.0, float("nan")]
    p = worth(level, sights, 750, 320, LengthStyle())
    assert any("1 sights with their distance" in t and "1 without" in t for t in p.texts())
    assert p.caption == "U of one reading: 1.4 mm close by"
    feet = worth(level, sights, 750, 320, LengthStyle("ft-in"))
    assert feet.caption == "U of one reading: 1/16 in close by"
    assert "length of the sight, ft" in feet.texts() and any("taken as 98.43 ft" in t for t in feet.texts())


# The report


def test_the_report_of_a_run_has_every_reading_and_verdict(run):
    pages = run_report(run.run(), run.journal, HEAD, what_is_said("run", run.run()))
    said = [t for page in pages for t in page.texts()]
    for row in run.run().book.rows:
        assert any(row.mark in t for t in said)
    assert "−2.000" in said
    assert any("Closes to −3 mm" in t for t in said)
    assert any("does not authorise" in t for t in said)


def test_a_long_report_breaks_into_pages_with_heads_and_numbers():
    book = Book("run")
    book.known("BM", "50")
    book.sight("BS", "BM", "1.5")
    for k in range(150):
        book.sight("IS", f"a mark with a very long name indeed, number {k}", "1.2")
    pages = run_report(book.run(), book.journal, HEAD, what_is_said("run", book.run()))
    assert len(pages) > 3
    for k, page in enumerate(pages):
        assert f"{k + 1} of {len(pages)}" in page.texts()
        assert all(i.y <= A4[1] for i in page.items if isinstance(i, Text))
        body = [i for i in page.items if isinstance(i, Text) and i.size >= 9]
        assert all(i.y <= BOTTOM + 1 for i in body)
    assert sum("Mark" in page.texts() for page in pages) >= 3


def test_the_report_of_supports(floor):
    result = floor.supports(packing=pack(floor.supports()))
    said = [
        t
        for page in supports_report(result, floor.journal, HEAD, what_is_said("supports", result, "Proof"))
        for t in page.texts()
    ]
    assert sum(t.startswith("read the caut") for t in said) == len(result.to_move) and "1 Jack to" not in said
    floor.add(Draft(floor.work, "caution", {"key": "lifting"}))
    floor.add(Draft(floor.work, "hangs", {"name": "wheel-side step", "row": "A", "x_m": 4.8}))
    result = floor.supports(packing=pack(floor.supports()))
    said = [
        t
        for page in supports_report(result, floor.journal, HEAD, what_is_said("supports", result, "Proof"))
        for t in page.texts()
    ]
    assert {"1 Jack to", "3 Finish at"} <= set(said)
    assert any(t.startswith("Have ready: ") for t in said) and any("wheel-side step +" in t for t in said)
    assert any(t.startswith("9") or "to raise" in t for t in said)
    (step,) = [step for step in result.walk[max(result.walk)] if step.place == 2]
    assert " + ".join(f"{t * 1000:g}" for t in step.into) in said


def test_wrapping_keeps_every_word():
    text = "Local codes and licensed practice come first; " * 6
    parts = wrapped(text.strip(), 200, 9)
    assert " ".join(parts) == text.strip()
    assert max(text_width(part, 9) for part in parts) <= 200
    assert (
        min(text_width(part + " practice", 9) for part in parts[:-1]) > 200
    )  # and none is shorter than need be


@pytest.mark.parametrize("name", ["Regular", "Bold"])
def test_widths_are_the_shipped_font_s_own(qapp, name):
    from PyQt6.QtGui import QFontMetricsF

    from tests.advances import read
    from vivid_keel.exchange.painter import font, load_fonts
    from vivid_keel.figures.measure import _advances

    assert _advances(name == "Bold") == read()[name.lower()]
    load_fonts()
    for text in ("Northernmost manhole", "1.482 ± 2.0 mm", "5′ 7⅜″", "Σ BS − Σ FS"):
        assert text_width(text, 200, bold=name == "Bold") == pytest.approx(
            QFontMetricsF(font(200, name == "Bold")).horizontalAdvance(text), rel=0.01
        )


def test_what_is_long_is_fitted_and_no_letter_is_lost():
    for text in ("BM gatepost", "Northernmost manhole by the tail race", "x" * 300, "many short words " * 40):
        lines, size = fitted(text, 90.0, 13.0, 2, 11.0)
        assert "".join(lines).replace(" ", "") == text.replace(" ", "")
        assert max(text_width(line, size) for line in lines) <= 90.0
        assert size == 13.0 or len(lines) >= 2


def test_placing_moves_and_scales_every_kind_of_item(run):
    p = section(run.run(), 750, 320)
    out = placed(p, 100, 50, 0.5)
    assert [type(i) for i in out] == [type(i) for i in p.items]
    for a, b in zip(p.items, out, strict=True):
        if isinstance(a, Box):
            assert (b.x, b.y, b.height) == pytest.approx((100 + a.x / 2, 50 + a.y / 2, a.height / 2))
        if isinstance(a, Text):
            assert (b.x, b.size) == pytest.approx((100 + a.x / 2, a.size / 2))
