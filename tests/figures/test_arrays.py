"""Whole arrays in a display list: what a person could tell apart is painted, on the screen and on paper."""

from __future__ import annotations

import numpy as np
import pytest
from PyQt6.QtCore import QBuffer, QIODevice
from PyQt6.QtGui import QColor, QImage, QPainter
from PyQt6.QtSvg import QSvgGenerator

from vivid_keel.exchange.painter import _thinned, paint
from vivid_keel.figures.display import Dots, Picture, Trace

PALETTE = {"ink": "#000000", "wrong": "#ff0000"}


def painted(*items):
    image = QImage(60, 40, QImage.Format.Format_ARGB32)
    image.fill(QColor("#ffffff"))
    painter = QPainter(image)
    p = Picture(60, 40)
    p.items.extend(items)
    paint(painter, p.items, PALETTE)
    painter.end()
    return image


def test_each_dot_lies_where_it_should_in_its_own_ink_the_last_on_top(qapp):
    x, y = np.array([5.2, 30.0, 30.4, np.nan]), np.array([7.9, 20.0, 20.3, 3.0])
    image = painted(Dots(x, y, ("ink", "wrong"), np.array([0, 0, 1, 0]), size=1.0))
    assert image.pixelColor(5, 7) == QColor("#000000")
    assert image.pixelColor(30, 20) == QColor("#ff0000")
    dark = sum(image.pixelColor(c, r) != QColor("#ffffff") for c in range(60) for r in range(40))
    assert dark == 2


def test_dots_and_lines_of_nothing_paint_nothing(qapp):
    none = np.array([])
    image = painted(Dots(none, none), Trace(none, none), Trace(np.array([1.0]), np.array([1.0])))
    assert all(image.pixelColor(c, 5) == QColor("#ffffff") for c in range(60))


def test_a_line_is_parted_where_a_value_is_missing(qapp):
    x = np.array([2.0, 20.0, np.nan, 40.0, 55.0])
    image = painted(Trace(x, np.where(np.isnan(x), np.nan, 10.5), width=2.0))
    assert image.pixelColor(10, 10) != QColor("#ffffff")
    assert image.pixelColor(30, 10) == QColor("#ffffff")
    assert image.pixelColor(48, 10) != QColor("#ffffff")


def test_a_million_dots_become_a_file_no_larger_than_its_paper(qapp):
    rng = np.random.default_rng(4)
    buffer = QBuffer()
    buffer.open(QIODevice.OpenModeFlag.WriteOnly)
    made = QSvgGenerator()
    made.setOutputDevice(buffer)
    painter = QPainter(made)
    paint(painter, [Dots(rng.uniform(0, 60, 1_000_000), rng.uniform(0, 40, 1_000_000))], PALETTE)
    painter.end()
    assert 1000 < len(buffer.data()) < 600_000


@pytest.mark.parametrize("n", [10, 100_000])
def test_thinning_keeps_ends_and_extremes(n):
    rng = np.random.default_rng(n)
    x, y = np.linspace(0, 300, n), rng.normal(0, 1, n)
    at, of = _thinned(x, y)
    assert (at[0], at[-1]) == (x[0], x[-1])
    assert (max(of), min(of)) == (y.max(), y.min())
    assert len(at) <= max(n if n < 4000 else 0, 4 * 302)
    assert at == sorted(at)
