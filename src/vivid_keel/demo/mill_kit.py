"""The demo kit: what the people of Osier Mill measure with, its checks of the last months, and a level that was knocked."""

from __future__ import annotations

from datetime import datetime, timedelta
from pathlib import Path
from typing import Any

import numpy as np

from vivid_keel.core.facts import parse_fact
from vivid_keel.core.instruments.booked import parse_step
from vivid_keel.core.instruments.kinds import KIND
from vivid_keel.core.instruments.outcome import Step
from vivid_keel.core.instruments.procedures import PROCEDURES
from vivid_keel.core.instruments.tool import fold_tool
from vivid_keel.core.quantities import is_missing
from vivid_keel.core.record.entries import KIT, Draft
from vivid_keel.files import KitFile
from vivid_keel.stands.instruments import plan, reads

AMBER, BLOCK, KNOCKED, TUBE = "Amber level", "Block level 200", "Carpenter's level", "Water tube 20 m"

# name, kind, traits the owner has stated
TOOLS: tuple[tuple[str, str, dict[str, str]], ...] = (
    (AMBER, "optical", {"limit": "0.1 mm/m", "every": "30", "identity": "yellow case, 24×"}),
    (
        BLOCK,
        "precision",
        {"division": "0.02 mm/m", "limit": "0.02 mm/m", "every": "60", "identity": "A at the dot of paint"},
    ),
    (KNOCKED, "spirit", {"length": "1.2 m", "settle": "3", "identity": "A at the burnt end"}),
    ("Long level 1.8 m", "spirit", {"length": "1.8 m", "every": "7"}),
    ("Turning laser", "rotary", {"every": "90"}),
    ("Water tube 20 m", "tube", {"filled": "20 m", "bore": "5 mm", "every": "14"}),
    ("Yard staff", "staff", {"joints": "3", "u": "0.3 mm"}),
    (
        "Machine level, electronic",
        "electronic",
        {"length": "0.3 m", "last-digit": "0.01 mm/m", "noise": "0.01 mm/m", "limit": "0.05 mm/m"},
    ),
)

# tool, procedure, way, days ago, hidden, cycles, decision
CHECKS: tuple[tuple[str, str, str, float, dict[str, float], int, str], ...] = (
    *(
        (BLOCK, "reversal", "divisions", days, {"level": error * 1e-3, "surface": 2.5e-5}, 3, "trust")
        for days, error in (
            (236, -0.003),
            (205, 0.0005),
            (171, 0.003),
            (139, 0.0045),
            (104, 0.0075),
            (67, 0.0098),
            (31, 0.0123),
        )
    ),
    (AMBER, "two-peg", "near", 71, {"collimation": 5.2e-5, "eye": 1.52, "pegs": 0.184}, 1, "correct"),
    (AMBER, "two-peg", "near", 41, {"collimation": 7.0e-5, "eye": 1.49, "pegs": 0.184}, 1, "correct"),
    (AMBER, "two-peg", "near", 9, {"collimation": 8.4e-5, "eye": 1.55, "pegs": 0.184}, 1, "correct"),
    (KNOCKED, "reversal", "divisions", 20, {"level": 6e-5, "surface": 4e-4}, 2, "trust"),
    (KNOCKED, "plumb", "divisions", 20, {"plumb": -8e-5, "wall": 6e-4}, 2, "trust"),
    ("Long level 1.8 m", "reversal", "divisions", 10, {"level": 1.2e-4, "surface": -3e-4}, 3, "trust"),
    ("Long level 1.8 m", "plumb", "divisions", 10, {"plumb": 9e-5, "wall": -2e-4}, 3, "trust"),
    ("Turning laser", "axes", "", 94, {"x": 2e-5, "y": -1.5e-5, "eye": 1.2}, 3, "trust"),
    ("Water tube 20 m", "tube", "", 2, {"index": 2e-4, "water": 0.5}, 4, "trust"),
    ("Yard staff", "staff", "", 30, {"foot": 1e-4, "j1": 1e-4, "j2": 0.0, "j3": 1e-4}, 4, "trust"),
)

HAPPENED = (
    (BLOCK, 220.0, "repaired", "vial cemented in anew"),
    (KNOCKED, 0.8, "knocked", "off the mill-floor ladder"),
)

HIDDEN = {
    KNOCKED: {"level": 6e-5, "plumb": 1.1e-3, "surface": 5.5e-4, "wall": -3.5e-4, "bow": 1e-4},
    "Machine level, electronic": {"level": 9e-5, "plumb": -2e-5, "surface": 3.1e-4, "wall": 1e-4, "bow": 0.0},
}
"""Two of them are stand-ins, to practise on."""


def build_kit(path: Path, now: datetime) -> KitFile:
    """Make the demo kit at a path that doesn't exist yet, its history ending today, and return it open."""
    clock = [now - timedelta(days=250)]

    def tick() -> datetime:
        clock[0] += timedelta(seconds=37)
        return clock[0]

    file = KitFile.create(path, "Kit of Osier Mill", "I. Withy", tick, decimal_mark=".")
    with file.made_at_once():
        _fill(file, clock, now)
    file._clock = lambda: datetime.now().astimezone()
    return file


def _fill(file: KitFile, clock: list[datetime], now: datetime) -> None:
    """Book the kit's instruments and what became of them."""
    works = {}
    for name, kind, stated in TOOLS:
        (work,) = file.record([Draft(0, "work", {"name": name, "type": f"{KIT}:{kind}", "unit": "m"})])
        works[name] = work.id
        known = {trait.key: trait for trait in KIND[kind].traits}
        for key, text in stated.items():
            value = parse_fact(known[key], text, ".").value
            body: dict[str, Any] = {"name": key, "text": text} | (
                {} if is_missing(value) else {"value": value}
            )
            file.record([Draft(work.id, "trait", body)])
    rng = np.random.default_rng(11)
    acts = [
        (days, name, (procedure, way, hidden, cycles, decision))
        for name, procedure, way, days, hidden, cycles, decision in CHECKS
    ]
    for days, name, what in sorted(
        [*acts, *((d, n, (w, note)) for n, d, w, note in HAPPENED)], key=lambda a: -a[0]
    ):
        clock[0] = now - timedelta(days=days)
        if len(what) == 2:
            file.record([Draft(works[name], "happened", {"what": what[0], "note": what[1]})])
        else:
            _check(file, works[name], *what, rng)  # type: ignore[call-arg, arg-type]
    for name, hidden in HIDDEN.items():
        file.record([Draft(works[name], "stand-in", {"hidden": hidden})])


def _check(
    file: KitFile,
    work: int,
    procedure: str,
    way: str,
    hidden: dict[str, float],
    cycles: int,
    decision: str,
    rng: np.random.Generator,
) -> None:
    """Book a check as a person would who had an instrument with these errors."""
    traits, done = fold_tool(file.journal, work).traits, PROCEDURES[procedure]
    (check,) = file.record([Draft(work, "check", {"procedure": procedure, "way": way})])
    for step in plan(done, way, traits, cycles):
        seen = fold_tool(file.journal, work).checks[-1].seen
        value, digit = reads(done, way, step, traits, hidden, seen, rng)
        found = parse_step(step, _text(step, value, digit), traits, "m", ".")
        body: dict[str, Any] = {
            "check": check.id,
            "step": step.key,
            "text": found.text,
            "value": found.value,
            "step_size": found.step,
        }
        file.record([Draft(work, "seen", body)])
    file.record([Draft(work, "decided", {"check": check.id, "decision": decision})])


def _text(step: Step, value: float, digit: float) -> str:
    if step.unit == "mm":
        return f"{value * 1000:.{1 if digit < 0.0009 else 0}f}"
    if step.unit == "m":
        return f"{value:.4f}"
    if step.unit == "distance":
        return f"{value:g}"
    return f"{value:+.1f}"
