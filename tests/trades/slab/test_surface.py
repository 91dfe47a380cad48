"""A surface read along eight lines: its heights, its flatness and where its lines don't close, against a surface that is known."""

from __future__ import annotations

import math

import numpy as np
import pytest
from scipy.optimize import linprog

from tests.saying import take, what_is_said
from tests.trades.supports.test_works import Book, titles
from vivid_keel.core.body.standing import LEVEL
from vivid_keel.core.record.entries import Draft
from vivid_keel.figures.contours import contours, interval
from vivid_keel.files import JobFile
from vivid_keel.trades.registry import desk_for
from vivid_keel.trades.slab.book import fold_slab
from vivid_keel.trades.slab.result import work_out_slab
from vivid_keel.trades.slab.surface import LINES, Stepped
from vivid_keel.trades.slab.surface_sheet import surface_map

DIVISION = 5e-5
LONG, WIDE = 1.6, 0.9


def bowl(x, y):
    """80 µm deep in the middle, tilted, a little twisted."""
    return 1e-4 * ((x / LONG - 0.5) ** 2 + (y / WIDE - 0.5) ** 2) + 3e-4 * x - 1e-4 * y + 5e-5 * x * y


class Plate:
    def __init__(self, z=bowl, zero=1.3, rng=None):
        self.book, self.z, self.zero, self.rng = Book("slab"), z, zero, rng
        for fact, value in (("long", LONG), ("wide", WIDE), ("base", 0.2), ("division", DIVISION)):
            body = {"fact": fact, "text": f"{value}", "value": value}
            self.book.add(Draft(self.book.work, "body-fact", body))

    def surface(self):
        return fold_slab(self.book.journal, self.book.work).surface

    def read(self, at, sign=1.0):
        places, node = self.surface().nodes
        a, b = places[node[at.line, at.step]], places[node[at.line, at.step + 1]]
        tilt = (self.z(*b) - self.z(*a)) / math.dist(a, b) + at.way * self.zero * DIVISION
        if self.rng is not None:
            tilt += self.rng.normal(0, 0.16 * DIVISION)
        body = {"line": at.line, "step": at.step, "way": at.way, "text": "x", "tilt_rad": sign * tilt}
        self.book.add(Draft(self.book.work, "surface", {**body, "step_rad": 1e-6}))

    def all(self, wrong=None):
        for at in self.surface().wanted:
            self.read(at, -1.0 if at == wrong else 1.0)
        return self.surface()


def band(xy, h):
    """The least band between two parallel planes, by a programme of this test's own."""
    n = len(h)
    plane = np.column_stack([np.ones(n), xy])
    A = np.vstack([np.hstack([plane, -np.ones((n, 1))]), np.hstack([-plane, -np.ones((n, 1))])])
    scale = 1e6
    found = linprog([0, 0, 0, 1], A_ub=A, b_ub=np.concatenate([h, -h]) * scale, bounds=[(None, None)] * 4)
    return 2 * found.x[3] / scale


def test_eight_lines_meet_at_corners_middles_and_the_centre():
    surface = Plate().surface()
    places, node = surface.nodes
    ends = {name: (node[k, 0], node[k, surface.steps(k)]) for k, name in enumerate(LINES)}
    a, b, c, d = ends["A–B"][0], ends["A–B"][1], ends["A–C"][1], ends["D–B"][0]
    outline = {"A–B": (a, b), "D–C": (d, c), "A–D": (a, d), "B–C": (b, c), "A–C": (a, c), "D–B": (d, b)}
    assert {name: ends[name] for name in outline} == outline
    centre = {node[k, surface.steps(k) // 2] for k in range(4, 8)}
    assert len(centre) == 1 and places[centre.pop()] == pytest.approx((LONG / 2, WIDE / 2))
    assert all(surface.steps(k) % 2 == 0 for k in range(8))


def test_heights_flatness_and_the_levels_error_come_out_without_turning_it_round():
    surface = Plate().all()
    xy = np.array(surface.nodes[0])
    true = np.array([bowl(x, y) for x, y in xy])
    assert surface.body.heights - surface.body.heights[0] == pytest.approx(true - true[0], abs=1e-9)
    assert surface.body.zeros[LEVEL] == pytest.approx(1.3 * DIVISION, rel=1e-4)
    assert surface.flatness.value == pytest.approx(band(xy, true), rel=1e-3)


def test_a_reading_of_the_wrong_sign_doesnt_close_and_is_named():
    plate = Plate()
    wrong = Stepped(4, 3)
    plate.all(wrong)
    result = work_out_slab(fold_slab(plate.book.journal, plate.book.work))
    (found,) = [
        f for f in what_is_said("slab", result, "Readings") if f.title.startswith("The lines don't close")
    ]
    assert "Read A–C, 4 of" in found.text


def test_until_all_is_read_nothing_is_told_but_what_is_still_to_read():
    plate = Plate()
    for at in plate.surface().wanted[:5]:
        plate.read(at)
    result = work_out_slab(fold_slab(plate.book.journal, plate.book.work))
    said = titles(what_is_said("slab", result, "Readings"))
    assert f"{len(plate.surface().wanted) - 5} places of the surface to read" in said
    assert not [t for t in said if t.startswith("Flat to")]
    assert surface_map(plate.surface(), 740, 300).items
    plate.all()
    result = work_out_slab(fold_slab(plate.book.journal, plate.book.work))
    assert [t for t in titles(what_is_said("slab", result, "Readings")) if t.startswith("Flat to 0.0")]
    assert any("a line every" in t for t in surface_map(plate.surface(), 740, 300).texts())


@pytest.mark.parametrize(("low", "high", "step"), [(-4e-5, 4e-5, 1e-5), (0, 1e-3, 2e-4), (0, 4.5e-5, 1e-5)])
def test_lines_of_one_height_are_a_handful_of_round_steps(low, high, step):
    assert interval(low, high) == pytest.approx(step)
    assert 4 <= (high - low) / interval(low, high) <= 9


def test_at_the_desk_enter_goes_from_place_to_place(tmp_path):
    with JobFile.create(tmp_path / "t.keel", "Mill", "Ada", decimal_mark=".") as file:
        work = file.record([Draft(0, "work", {"name": "Table", "type": "slab", "unit": "m"})])[0].id
        desk = desk_for(file, work)
        assert [s.name for s in desk.sheets("Readings")] == ["As found"]
        for row, text in ((0, "1.6"), (1, "0.9")):
            take(desk.sheets("Instrument")[1], row, 1, text)
        sheet = desk.sheets("Readings")[-1]
        assert sheet.name == "Surface" and sheet.first() == (0, 1)
        take(sheet, 0, 1, "1.4")
        sheet = desk.sheets("Readings")[-1]
        assert sheet.first() == (1, 1) and sheet.cell(0, 0).text == "A–B, 1 of 8"
        assert sheet.strike(0)[0] == "the reading 1.4"
        take(
            desk.sheets("Instrument")[1], 2, 1, "0.4"
        )  # a longer base: what was read with the shorter one stays in the record
        assert desk.sheets("Readings")[-1].count < sheet.count
        assert desk.go("surface").sheet == len(desk.sheets("Readings")) - 1


def test_the_coarse_tool_isnt_trusted_with_what_only_the_fine_one_can():
    from vivid_keel.trades.slab.trust import tools_for
    from vivid_keel.trades.slab.trust_sheet import trust_bars

    plate = Plate()
    assert tools_for(fold_slab(plate.book.journal, plate.book.work)) == []
    for name, (x, y) in (("A", (0, 0)), ("B", (1.6, 0)), ("C", (1.6, 0.9)), ("D", (0, 0.9))):
        plate.book.add(Draft(plate.book.work, "foot", {"name": name, "x_m": x, "y_m": y}))
    plate.book.tolerance("0.1")
    book = fold_slab(plate.book.journal, plate.book.work)
    tools = {tool.name: tool.U for tool in tools_for(book)}
    assert list(tools.values()) == sorted(tools.values(), reverse=True)
    assert (
        tools["long builder's level"]
        > tools["straightedge and feelers"]
        > tools["level in hand, foot to foot"]
    )
    # Stepped it gathers less than in one go: √n times a ninth of the way.
    assert tools["level in hand, stepped over it"] == pytest.approx(
        tools["level in hand, foot to foot"] / 3, rel=0.05
    )
    said = trust_bars(book, 740, 300).texts()
    assert "allowed 0.10 mm" in said and "light plane, set low" in said


def test_a_side_in_the_wrong_unit_is_drawn_without_a_million_lines():
    """Half a millimetre for half a metre: a raster of square cells would have eighty thousand rows."""
    places = [(0.0005 * i / 4, 0.9 * k / 4) for i in range(5) for k in range(5)]
    off = np.array([1e-4 * math.sin(70 * y) for x, y in places])
    picture = contours(places, off, [], [], Plate().surface().style, 740, 300)
    assert len(picture.items) < 5000
