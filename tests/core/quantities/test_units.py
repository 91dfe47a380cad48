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
