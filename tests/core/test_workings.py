"""Workings add up: what stands left of an equals sign gives what stands right of it, as a person would check it by hand."""

from __future__ import annotations

import math
import re

import numpy as np
import pytest

from tests.core.instruments.test_kit_checks import CASES, traits_of
from tests.mill import mill
from vivid_keel.core.instruments.procedures import PROCEDURES
from vivid_keel.stands.instruments import carry_out, hide, plan
from vivid_keel.trades.registry import desk_for, works_of

NUMBER = r"[-+−]?\d+(?:\.\d+)?"
UNITS = r"(?: ?(?:mm/m|mm/h|mm|div|m|h|s|rad)\b)?"
SIGNS = r"[-+−\d.()\[\]/·√²,× ]*"
SUM = re.compile(rf"((?:mean of )?{SIGNS}\d{SIGNS}{UNITS}(?:·√\d+)?)\s*=\s*({NUMBER})(?![\de])")


NAMED = {"tube", "staff", "hydrostatic", "line-plumb", "plumb-frame"}
"""Checks whose workings name their numbers and give a mean."""


def worth(written: str) -> float:
    """Work a sum out as it is written."""
    text = re.sub(r"(mm/m|mm/h|mm|div|m|h|s|rad)\b", "", written.removeprefix("mean of "))
    text = text.replace("−", "-").replace("·", "*").replace("×", "*").replace("²", "**2")
    text = text.replace("[", "(").replace("]", ")").replace("--", "+")
    text = re.sub(r"√\(", "root(", re.sub(r"√(\d+(?:\.\d+)?)", r"root(\1)", text))
    parts = [float(eval(part, {"__builtins__": {}}, {"root": math.sqrt})) for part in text.split(",")]
    return sum(parts) / len(parts)


def sums(numbers: str) -> list[tuple[str, float, float, float]]:
    """Return each sum of a working: as written, what it gives, what is said, and half the last digit of that."""
    out = []
    for left, right in SUM.findall(numbers):
        if not re.search(r"\d\s*[-+−/·×)]\s*[(√]?\d|√|mean of", left):
            continue  # a number that is only named
        digits = len(right.partition(".")[2])
        out.append((left.strip(), worth(left.strip()), float(right.replace("−", "-")), 0.5 * 10.0**-digits))
    return out


def wrong(numbers: str) -> list[str]:
    """Return the sums that don't give what is said, in millimetres or metres; inputs were rounded to be shown."""
    found = []
    for left, gives, said, half in sums(numbers):
        near = [abs(gives * unit - said) <= 2.5 * half + 0.03 * abs(said) for unit in (1.0, 1000.0, 0.001)]
        if not any(near):
            found.append(f"{left} = {gives:g}, not {said:g}")
    return found


@pytest.mark.parametrize(("kind", "check", "way"), CASES)
def test_the_working_of_a_check_adds_up(kind, check, way):
    procedure, traits = PROCEDURES[check], traits_of(kind, reach=1e9)
    seen = 0
    for seed in range(4):
        rng = np.random.default_rng(seed)
        steps = plan(procedure, way, traits, 2 + (check == "hydrostatic"))
        read = carry_out(procedure, way, traits, hide(traits, rng), steps, rng)
        outcome = procedure.outcome(traits, way, read)
        assert outcome.why is not None
        assert wrong(outcome.why.numbers) == []
        seen += len(sums(outcome.why.numbers))
    assert seen or check in NAMED, "its working has no sum that could be checked"


def test_the_workings_of_the_demo_add_up(tmp_path):
    file = mill(tmp_path / "demo.keel")
    works = works_of(file)
    seen = 0
    for work in file.journal.works():
        desk = desk_for(file, work.id, works)
        for stage in desk.stage_names:
            for finding in desk.findings(stage):
                if finding.why is not None:
                    assert wrong(finding.why.numbers) == [], finding.title
                    seen += len(sums(finding.why.numbers))
    assert seen >= 8


@pytest.mark.parametrize(
    ("numbers", "fits"),
    [
        ("w = 42.315 − 42.318 = −3.1 mm", True),
        ("w = 42.315 − 42.318 = +3.1 mm", False),
        ("5 mm·√3 = 8.7 mm", True),
        ("5 mm·√3 = 9.7 mm", False),
        ("(1.5 − 0.5)/2 = 0.50 div;  1 − 2 = −1", True),
        ("mean of 2/2, 4/2 = 1.50 div", True),
        ("mean of 2/2, 4/2 = 1.00 div", False),
    ],
)
def test_a_wrong_working_is_seen_as_one(numbers, fits):
    assert (wrong(numbers) == []) == fits
    assert sums(numbers)
