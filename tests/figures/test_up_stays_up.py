"""Every picture at every size: what stands higher is drawn higher, nothing is turned over, and nothing fails."""

from __future__ import annotations

import math
from collections import defaultdict

import pytest

from tests.mill import mill
from tests.trades.conftest import wait
from vivid_keel.desk.kit.tool import ToolDesk
from vivid_keel.figures.display import Box, Disc, Line, Poly, Text
from vivid_keel.trades.registry import LISTED, desk_for

SIZES = ((200, 120), (240, 150), (320, 180), (480, 200), (680, 216), (760, 240), (560, 420), (1600, 900))
LARGE = (900, 460)
STEEP = 4.0
"""Ends that lie so far above one another are told apart [px]."""


def shapes(picture):
    """Lines and outlines by what they are drawn with, in the order they are drawn."""
    out = defaultdict(list)
    for item in picture.items:
        if isinstance(item, Line) and item.ink != "rule":  # a thin one leads from a word to its place
            out["line", item.ink, item.dash].append([(item.x1, item.y1), (item.x2, item.y2)])
        elif isinstance(item, Poly):
            out["poly", item.ink, item.fill, len(item.points)].append(list(item.points))
    return out


def turned_over(large, small):
    """Return what runs upward in one picture and downward in the other, or right and left, of all that both have."""
    wrong = []
    one, other = shapes(large), shapes(small)
    for key, drawn in one.items():
        if len(other.get(key, ())) != len(drawn):
            continue  # ornaments were dropped
        for a, b in zip(drawn, other[key], strict=True):
            # The highest corner against the lowest, as the large picture has them.
            top = min(range(len(a)), key=lambda k: a[k][1])
            low = max(range(len(a)), key=lambda k: a[k][1])
            rise_a, rise_b = a[low][1] - a[top][1], b[low][1] - b[top][1]
            left = min(range(len(a)), key=lambda k: a[k][0])
            right = max(range(len(a)), key=lambda k: a[k][0])
            if a[right][0] - a[left][0] > STEEP and b[right][0] - b[left][0] < -STEEP:
                wrong.append((key, a, b))
            if abs(rise_a) > STEEP and abs(rise_b) > STEEP and (rise_a > 0) != (rise_b > 0):
                wrong.append((key, a, b))
    return wrong


def heights_of(picture):
    """Box heights and radii: never below nothing."""
    for item in picture.items:
        if isinstance(item, Box):
            yield item.width_, item.height
        elif isinstance(item, Disc):
            yield item.r, item.r


def look(desk):
    """Look at all pictures of a desk, small and large."""
    for stage in desk.stage_names:
        for view in range(max(len(desk.views(stage)), 1)):
            large = desk.picture(stage, view, *LARGE)
            for size in SIZES:
                small = desk.picture(stage, view, *size)
                where = (desk.type, stage, view, size)
                assert turned_over(large, small) == [], where
                assert all(w >= 0 and h >= 0 for w, h in heights_of(small)), where
                for item in small.items:
                    if isinstance(item, Text):
                        assert math.isfinite(item.x) and math.isfinite(item.y), where
                        assert "×0 " not in item.text and "×3809" not in item.text, where
                if large.drag is not None and small.drag is not None:
                    assert (large.drag.metres_per_pixel > 0) == (small.drag.metres_per_pixel > 0), where


@pytest.fixture
def job(tmp_path):
    with mill(tmp_path / "Osier Mill.keel") as file:
        yield file


@pytest.mark.parametrize("trade", [one.key for one in LISTED])
def test_up_stays_up_in_every_picture_of_every_trade(job, trade):
    for work in job.journal.works():
        if work.body["type"] == trade:
            desk = desk_for(job, work.id)
            wait(desk)
            look(desk)


def test_up_stays_up_in_every_picture_of_the_kit(tmp_path):
    from datetime import UTC, datetime

    from vivid_keel.demo.mill_kit import build_kit

    with build_kit(tmp_path / "kit.keelkit", datetime(2026, 5, 4, 12, 0, tzinfo=UTC)) as kit:
        for work in kit.journal.works():
            desk = ToolDesk(kit, work.id)
            look(desk)


@pytest.mark.parametrize("size", SIZES)
def test_a_sagging_beam_hangs_below_its_target_at_every_size(job, size):
    """The picture was once drawn upside down in any window 614 px high or less."""
    work = next(w for w in job.journal.works() if w.body["type"] == "supports")
    desk = desk_for(job, work.id)
    wait(desk)
    for stage in ("Heights", "Target", "Moves"):
        picture = desk.picture(stage, 0, *size)
        beam = next(item for item in picture.items if isinstance(item, Poly) and item.fill == "wood")
        targets = [item for item in picture.items if isinstance(item, Line) and item.ink == "keel"]
        line = max(item.y1 for item in targets)
        tops = [y for _, y in beam.points[: len(beam.points) // 2]]
        assert max(tops) > line - 1  # U4 hangs 11.4 mm below
        assert min(tops) >= line - 1  # and nothing stands above the highest
        assert all(0 <= y <= size[1] for y in tops)
