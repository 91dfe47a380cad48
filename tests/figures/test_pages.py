"""The handbook's own figures: each is shown on a page, holds its words, and says what the core says."""

from __future__ import annotations

import re

import pytest

from vivid_keel.core.instruments.checks.reversal import reverse
from vivid_keel.core.proof import judge
from vivid_keel.figures.display import Disc, Text
from vivid_keel.figures.measure import text_width
from vivid_keel.figures.pages import FIGURES
from vivid_keel.handbook import pages, search

SHOWN = re.compile(r"!\[([^\]]+)\]\(figure:([a-z-]+)\)")
BARE = {"handbook/keys.md", "handbook/changes.md"}
"""A table, and a list of what is new."""


def test_every_page_has_a_figure_and_every_figure_a_page_and_words_for_who_hears_it():
    shown = {page.path: SHOWN.findall(page.text) for page in pages()}
    assert {name for found in shown.values() for _, name in found} == set(FIGURES)
    for page in pages():
        assert shown[page.path] or page.trade or page.path in BARE, page.path
        assert all(len(words) > 10 for words, _ in shown[page.path])
    assert not any(hit.line.startswith("!") or "figure:" in hit.line for hit in search("level"))


@pytest.mark.parametrize("name", FIGURES)
def test_its_words_are_large_enough_and_lie_within_it(name):
    picture = FIGURES[name]()
    texts = [item for item in picture.items if isinstance(item, Text)]
    assert texts
    for item in texts:
        wide = text_width(item.text, item.size, bold=item.bold)
        left = item.x - {"left": 0.0, "centre": wide / 2, "right": wide}[item.align]
        assert item.size >= 13
        assert left >= 0 and left + wide <= picture.width, item.text
        assert item.size <= item.y + 1 and item.y <= picture.height, item.text


def test_numbers_in_them_add_up():
    texts = " ".join(t for name in ("line-of-sight", "turned-round") for t in FIGURES[name]().texts())
    sums = re.findall(r"([\d.]+) ([+−]) ([\d.]+) = ([\d.]+)", texts)
    assert len(sums) == 2
    for a, sign, b, total in sums:
        assert float(a) + (float(b) if sign == "+" else -float(b)) == pytest.approx(float(total), abs=1e-9)
    first, second = (float(v.replace("−", "-")) for v in re.findall(r": ([+−]\d) divisions", texts))
    place, own = (float(v.replace("−", "-")) for v in re.findall(r"/ 2 = ([+−]?\d)", texts))
    found = reverse([(first, second)])
    assert place == pytest.approx(found.slope) and own == pytest.approx(abs(found.error))


def test_a_bubble_follows_the_left_thumb_and_verdicts_are_the_cores():
    discs = [d for d in FIGURES["left-thumb"]().items if isinstance(d, Disc) and d.ink == "keel"]
    rings = [d for d in FIGURES["left-thumb"]().items if isinstance(d, Disc) and d.fill == "glass"]
    assert [b.x > r.x for b, r in zip(discs, rings, strict=True)] == [True, False]
    inks = [d.ink for d in FIGURES["three-verdicts"]().items if isinstance(d, Disc) and d.r == 4.5]
    assert inks == [judge(0.8, 0.7, 2.0), judge(1.7, 0.9, 2.0), judge(2.9, 0.6, 2.0)] == ["in", "open", "out"]
