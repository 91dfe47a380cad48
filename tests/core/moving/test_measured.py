"""A sample of ./run measure: buildings that know nothing of the program, packed by it and by an attentive hand."""

from __future__ import annotations

import math

import pytest

from tests.measure import COARSE, FINE, cell

SAMPLE = 8


def slack(share):
    """Three standard deviations of a share counted on the sample."""
    return 3 * math.sqrt(max(share * (1 - share), 0.04) / SAMPLE)


@pytest.mark.parametrize("beam", ["a light timber beam", "a steel girder", "a stone wall"])
@pytest.mark.parametrize(("u", "tolerance", "least"), [(FINE, 0.0015, 0.95), (COARSE, 0.003, 0.90)])
def test_the_program_brings_buildings_into_tolerance_in_two_rounds_and_its_word_holds(
    beam, u, tolerance, least
):
    got = cell((beam, u, tolerance, SAMPLE, 3))
    assert got["ours"] >= least - slack(least)
    assert got["ours"] >= got["hand"] - slack(got["hand"])
    assert got["ours"] >= got["ours first"] - slack(got["ours first"])
    assert 0.93 - 0.03 < got["covered"] < 0.98 + 0.02  # hundreds of deviations, eight buildings
    assert got["false in"] <= 0.025 + 3 * math.sqrt(0.025 / max(got["out"], 1))
    assert got["suspects"] <= 0.05 + 3 * math.sqrt(0.05 * 0.95 / (2 * SAMPLE))
