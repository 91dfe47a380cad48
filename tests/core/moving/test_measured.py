"""A sample of ./run measure: buildings that know nothing of the program, packed by it and by an attentive hand."""

from __future__ import annotations

import math

import numpy as np
import pytest

from tests.measure import COARSE, FINE, MODELS, STIFFNESS, ByProgram, cell, house

SAMPLE = 8


def slack(share):
    """Three standard deviations of a share counted on the sample."""
    return 3 * math.sqrt(max(share * (1 - share), 0.04) / SAMPLE)


@pytest.mark.parametrize("beam", ["a light timber beam", "a steel girder", "a stone wall"])
@pytest.mark.parametrize(
    ("u", "tolerance", "model", "least"),
    [(FINE, 0.0015, "", 0.95), (COARSE, 0.003, "", 0.90), (FINE, 0.0015, MODELS[1], 0.95)],
)
def test_the_program_brings_buildings_into_tolerance_in_two_rounds_and_its_word_holds(
    beam, u, tolerance, model, least
):
    """With the settings that a new task has."""
    got = cell(((beam, u, tolerance, model, False), SAMPLE, 3))
    assert got["ours"] >= least - slack(least)
    assert got["ours"] >= max(got["hand"], got["stops"]) - slack(got["hand"])
    assert got["ours"] >= got["ours first"] - slack(got["ours first"])
    assert (
        0.93 - 0.05 < got["covered"] < 0.98 + 0.02
    )  # hundreds of deviations, eight buildings, a keeper each
    assert got["false in"] <= 0.025 + 3 * math.sqrt(0.025 / max(got["out"], 1))
    assert got["suspects"] <= 0.05 + 3 * math.sqrt(0.05 * 0.95 / (2 * SAMPLE))


def test_a_round_as_reckoned_on_a_girder_suspects_nobody():
    """A beam that nobody told of answers otherwise than each post for itself: that is no leaf too many."""
    suspected = 0
    for b in range(SAMPLE):
        site = house(np.random.default_rng([32, b]), STIFFNESS["a steel girder"], FINE)
        program = ByProgram(site, 0.0015, "", fits=False)
        hung = site.heights - site.tops
        program.one_round()
        (told,) = program.book.supports().learned.told
        suspected += any(one.kind != "hanging" or hung[one.point] < 0.0002 for one in told.reasons)
    assert suspected <= 1
