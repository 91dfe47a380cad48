"""Instruments that stand in: an answer at every step of every check, whatever was read before."""

from __future__ import annotations

import math

import numpy as np
import pytest

from vivid_keel.core.facts import usual_facts
from vivid_keel.core.instruments.kinds import KINDS
from vivid_keel.core.instruments.outcome import Traits
from vivid_keel.core.instruments.procedures import PROCEDURES
from vivid_keel.stands.instruments import carry_out, hide, plan, reads


@pytest.mark.parametrize("kind", KINDS, ids=lambda kind: kind.key)
def test_every_step_has_an_answer_in_whatever_order_they_are_looked_at(kind):
    """Found by random clicks: a step that asks how distances were measured had no answer, nor had one clicked before its turn."""
    usual = usual_facts(kind.traits)
    traits, rng = Traits(kind, usual.values, usual.texts), np.random.default_rng(1)
    for key in kind.checks:
        procedure = PROCEDURES[key]
        for way in [way for way, _ in procedure.ways] or [""]:
            hidden = hide(traits, rng)
            done = carry_out(procedure, way, traits, hidden, plan(procedure, way, traits, 2), rng)
            for seen in ({}, done):
                for step in procedure.steps(traits, way, seen):
                    value, _ = reads(procedure, way, step, traits, hidden, seen, rng)
                    asked = step.unit == "words" and step.optional
                    assert math.isnan(value) == asked, (key, way, step.key)
