"""The plan on paper: to scale, every spot lettered, the index tells each letter."""

from __future__ import annotations

import pytest

from tests.trades.ground.test_ground import ground
from vivid_keel.core.quantities.letters import letters
from vivid_keel.figures.display import Disc, Text
from vivid_keel.figures.report import Heading
from vivid_keel.trades.ground.paper import POINT, plan_pages, scale_for

HEADING = Heading("Mill", "Yard", "Ground", "2026-11-27 12:00", "Ada")


def test_letters_go_on_behind_z_and_none_comes_twice():
    assert [letters(k) for k in (0, 25, 26, 27, 51, 52, 701, 702)] == [
        "A",
        "Z",
        "AA",
        "AB",
        "AZ",
        "BA",
        "ZZ",
        "AAA",
    ]
    assert len({letters(k) for k in range(20_000)}) == 20_000


@pytest.mark.parametrize("long", [0.5, 3.0, 8.4, 70.0, 900.0, 60_000.0])
def test_a_metre_on_paper_is_a_metre_by_its_scale(long):
    pages = plan_pages(ground([(0, 0, 0), (long, 0, 0), (long, long / 2, 0), (0, long / 2, 0)]), HEADING)
    discs = [item for item in pages[0].items if isinstance(item, Disc)]
    told = next(
        item.text for item in pages[0].items if isinstance(item, Text) and item.text.startswith("1 : ")
    )
    scale = int(told[4:])
    apart = ((discs[0].x - discs[1].x) ** 2 + (discs[0].y - discs[1].y) ** 2) ** 0.5
    assert apart * scale / POINT == pytest.approx(long, rel=1e-9)
    assert all(48 <= disc.x <= 547 and 54 <= disc.y <= 732 for disc in discs)
    assert scale == scale_for(long, long / 2)


def test_the_index_tells_every_letter_and_what_is_to_be_done_there():
    result = ground(
        [(k % 7, k // 7 + 0.01 * k, 0.0) for k in range(60)], edge=0, plane=0.1, **{"for": ("earth", 1.0)}
    )
    pages = plan_pages(result, HEADING)
    assert len(pages) > 2  # the index goes on
    words = [text for page in pages[1:] for text in page.texts()]
    assert {letters(k) for k in range(60)} <= set(words) and words.count("fill 100") == 60
    assert plan_pages(ground([]), HEADING)[0].texts()
