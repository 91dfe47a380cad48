"""Units that people type, against their definitions."""

from __future__ import annotations

import math

import pytest

from vivid_keel.core.quantities import parse_tilt


@pytest.mark.parametrize(
    ("text", "radians"),
    [
        ("0.001 rad", 0.001),
        ("1 mrad", 0.001),
        ("20 arcsec", 20 / 3600 * math.pi / 180),
        ('20"', 20 / 3600 * math.pi / 180),
        ("1.2°", 1.2 * math.pi / 180),
        ("1 %", math.atan(0.01)),
        ("1:80", math.atan(1 / 80)),
        ("0.05 mm/m", math.atan(0.00005)),
        ("0.005 in/ft", math.atan(0.005 / 12)),
    ],
)
def test_a_tilt_in_every_unit(text, radians):
    assert parse_tilt(text, "mm/m", ".").value == pytest.approx(radians, rel=1e-9)


@pytest.mark.parametrize(
    ("text", "step"),
    [("0.05 mm/m", 1e-5), ("1.2°", 0.1 * math.pi / 180), ("20 arcsec", math.pi / 180 / 3600)],
)
def test_a_tilt_knows_the_step_of_its_last_digit(text, step):
    assert parse_tilt(text, "mm/m", ".").resolution == pytest.approx(step, rel=1e-6)
