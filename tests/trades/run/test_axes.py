"""A laser whose plane tips: taken off where the side that faced the staff is booked, held in U where it isn't."""

from __future__ import annotations

import math

import numpy as np
import pytest
from msgspec.structs import replace

from tests.saying import what_is_said
from tests.trades.supports.test_works import Book, titles
from vivid_keel.core.errors import KeelError
from vivid_keel.core.instruments.defaults import WAY
from vivid_keel.core.instruments.used import instrument_draft, instrument_from, instrument_from_way
from vivid_keel.core.quantities import parse_length
from vivid_keel.core.record.entries import Draft
from vivid_keel.core.record.readings import as_read
from vivid_keel.trades.run.axes import azimuth_of, show_side
from vivid_keel.trades.run.told import results

X, Y, U = 2e-4, -1e-4, 3e-5
LASER = replace(instrument_from_way(WAY["rotary-receiver"], "Beacon"), axis=math.hypot(X, Y) + U, tips=(X, Y))


def titles_of(run):
    return titles(what_is_said("run", run))


class Tipped:
    """A run read with a laser whose plane tips; the ground is known to the simulator alone."""

    def __init__(self, rng, tips=(X, Y), setups=4, told=True, noise=1.0):
        self.book, self.heights = Book("run"), []
        self.book.known("BM", "50")
        self.book.add(instrument_draft(self.book.work, LASER))
        ground = 0.0
        for s in range(setups):
            line = ground + rng.uniform(1.3, 1.7)
            ahead = line - rng.uniform(1, 2)
            for kind, mark, height in (
                ("BS", f"C{s}" if s else "BM", ground),
                ("IS", f"P{s}", ground + rng.uniform(-0.5, 0.5)),
                ("FS", f"C{s + 1}", ahead),
            ):
                far, side = float(rng.integers(8, 26)), float(rng.uniform(0, 360))
                true = far * (1 + rng.normal(0, 0.03))
                slope = tips[0] * math.cos(math.radians(side)) + tips[1] * math.sin(math.radians(side))
                read = line - height + slope * true + noise * rng.normal(0, 0.0007 + 0.00003 * far)
                seen = round((side + rng.uniform(-8, 8)) % 360) % 360
                self.sight(
                    kind,
                    mark,
                    f"{read:.{3 if noise else 6}f}",
                    far,
                    seen if told else None,
                    kind == "BS" and s > 0,
                )
                self.heights.append(50 + height)
            ground = ahead

    def sight(self, kind, mark, reading, far, side, new):
        body = {"mark": mark, "sight": kind, "reading": self.book.read(reading)}
        body["distance"] = as_read(parse_length(f"{far:g}", "m"))
        if side is not None:
            body["azimuth"] = side
        drafts = [Draft(self.book.work, "setup", {})] if new else []
        self.book.add(*drafts, Draft(self.book.work, "sight", body))


def test_the_axes_are_taken_off_by_the_side_that_faced_the_staff():
    book = Book("run")
    book.known("BM", "50.000")
    book.add(instrument_draft(book.work, LASER))
    for kind, mark, reading, side in (
        ("BS", "BM", "1.504", 0),
        ("IS", "sill", "1.298", 90),
        ("FS", "step", "1.196", 180),
    ):
        body = {"mark": mark, "sight": kind, "reading": book.read(reading), "azimuth": side}
        book.add(Draft(book.work, "sight", {**body, "distance": as_read(parse_length("20", "m"))}))
    run = book.run()
    # HC 51.500; the sill was read 2 mm too low, the step 4 mm too low.
    assert run.height(1) == pytest.approx(50.200) and run.height(2) == pytest.approx(50.300)
    assert run.booked.tolist() == [1.504, 1.298, 1.196]
    assert "X·cos α + Y·sin α" in run.why_height(1).formula
    assert any(t.startswith("The laser's axes are taken out: up to 4.0 mm") for t in titles_of(run))
    rows = {row[0]: row for row in results(run)}
    assert float(rows["step"][4]) - float(rows["step"][1]) == pytest.approx(-0.008)
    book.add(Draft(book.work, "closing", {"use_axes": False}))
    off = book.run()
    assert off.height(2) == pytest.approx(50.308)
    assert any("axes are left in" in t for t in titles_of(off))


def test_a_sight_without_side_or_distance_keeps_its_axes_and_its_bound():
    rng = np.random.default_rng(4)
    told, untold = Tipped(rng, told=True).book.run(), Tipped(rng, told=False).book.run()
    assert not any("taken out" in t for t in titles_of(untold))
    assert untold.axis_bound()[2] == pytest.approx(LASER.axis * untold.distances[[0, 2]].sum())
    assert told.axis_bound()[2] < 0.5 * LASER.axis * told.distances[[0, 2]].sum()


def test_taken_off_u_covers_what_is_left():
    rng, inside = np.random.default_rng(9), []
    for _ in range(60):
        truth = (X + rng.normal(0, U / 2), Y + rng.normal(0, U / 2))
        job = Tipped(rng, truth)
        run = job.book.run()
        missed = run.reduction.heights - np.array(job.heights)
        loose = run.layout.kinds != 0
        inside += (np.abs(missed) <= 2 * run.u_heights())[loose].tolist()
    assert np.mean(inside) >= 0.93
    # Without noise the sides take most of it off.
    plain = Tipped(rng, noise=0.0)
    run = plain.book.run()
    plain.book.add(Draft(plain.book.work, "closing", {"use_axes": False}))
    left_in = plain.book.run()
    missed = [float(np.abs(r.reduction.heights - np.array(plain.heights)).max()) for r in (run, left_in)]
    assert missed[0] < 0.3 * missed[1]


@pytest.mark.parametrize(
    ("text", "degrees", "shown"),
    [("X+", 0, "X+"), ("y−", 270, "Y−"), ("-x", 180, "X−"), (" 30° ", 30, "30°"), ("360", 0, "X+")],
)
def test_a_side_is_typed_as_it_is_marked(text, degrees, shown):
    assert azimuth_of(text) == degrees and show_side(azimuth_of(text)) == shown


@pytest.mark.parametrize("text", ["north", "-30", "400", "nan", "x"])
def test_what_is_no_side_is_refused(text):
    with pytest.raises(KeelError, match="side of the housing"):
        azimuth_of(text)


def test_both_axes_outlive_the_file():
    draft = instrument_draft(1, LASER)
    book = Book("run")
    id = book.add(draft._replace(work=book.work))
    assert instrument_from(book.journal.entries[id]) == LASER
