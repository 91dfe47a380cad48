"""Simulated instruments with hidden errors, of every kind in the kit: what each shows at every step of its checks.

A stand-in is a set of hidden numbers (rad, m, m/h, as `Found` has them). It is read through the same
steps as a real one, with the noise its kind is said to have, and knows how it comes to rest.
"""

from __future__ import annotations

import math
from collections.abc import Mapping
from datetime import date

import numpy as np
from msgspec.structs import replace

from vivid_keel.core.instruments.checks.string import off_middle
from vivid_keel.core.instruments.outcome import Procedure, Seen, Step, Traits
from vivid_keel.core.instruments.procedures import LAYOUT
from vivid_keel.core.instruments.procedures.bubbles import LOOK
from vivid_keel.core.instruments.procedures.certificate import STATED, YEAR
from vivid_keel.core.instruments.procedures.lasers import _u as mark_u
from vivid_keel.core.instruments.procedures.others import ACROSS, FOOT, PULL, TAPED
from vivid_keel.core.instruments.procedures.straightness import GAP
from vivid_keel.core.instruments.procedures.two_peg import ideal_reading

Hidden = dict[str, float]


def hide(traits: Traits, rng: np.random.Generator) -> Hidden:
    """Return hidden errors for an instrument of a kind, of the size of its limits; and the site it is checked on."""
    limit = traits.number("limit", 0.001)
    bow = traits.number("bow-limit", 0.0)

    def some(size: float) -> float:
        return float(rng.normal(0, size))

    key = traits.kind.key
    if key in {"spirit", "precision", "electronic", "string", "boards"}:
        return {
            "level": some(limit),
            "plumb": some(limit),
            "surface": some(1.5 * limit),
            "wall": some(1.5 * limit),
            "bow": some(bow),
            "off": some(0.2),
            "pull": float(rng.uniform(30, 60)),
        }
    if key == "optical":
        return {
            "collimation": some(1.5 * limit),
            "pegs": some(0.2),
            "eye": float(rng.uniform(1.3, 1.6)),
            "right": some(0.001),
            "away": some(0.001),
            "plate": some(1.0),
            "one": traits.number("claim") * math.sqrt(0.06) * float(rng.uniform(0.7, 1.2)),
        }
    if key in {"rotary", "line"}:
        return {
            "x": some(limit),
            "y": some(limit),
            "cone": some(limit),
            "tilt": some(limit),
            "line-bow": some(0.001),
            "lean": some(limit),
            "eye": float(rng.uniform(1.0, 1.5)),
        }
    if key == "tube":
        return {"index": some(0.002), "water": float(rng.uniform(0.4, 0.6))}
    if key == "hydrostatic":
        return {"drift": some(limit)}
    if key == "plumb-frame":
        return {"frame": some(0.0005), "twist": some(0.002)}
    if key == "straightedge":
        return {"bow": some(2 * bow), "gap": 0.001}
    joints = {
        f"j{k}": float(rng.choice([0.0, 0.0, 0.004])) for k in range(1, round(traits.number("joints", 0)) + 1)
    }
    return {
        "foot": float(rng.choice([0.0, 0.0005, 0.002, 0.012])) + abs(some(0.0003)),
        **{k: v + some(0.0003) for k, v in joints.items()},
    }


def truth_of(procedure: Procedure, key: str, hidden: Hidden, traits: Traits) -> float:
    """Return the hidden value of an error that a procedure finds."""
    if key == "off-middle":
        return off_middle(
            traits.number("weight"),
            traits.number("span"),
            hidden["pull"],
            traits.number("hung"),
            hidden["off"],
        )
    if procedure.key == "certificate" and key == "line":
        return hidden["tilt"]
    if procedure.key == "line":
        return hidden["tilt"] if key == "line" else hidden["line-bow"]
    if procedure.key == "line-plumb":
        return hidden["lean"]
    if key == "circular":
        return math.hypot(hidden["right"], hidden["away"])
    if key == "double-run":
        return hidden["one"] / math.sqrt(0.06) / math.sqrt(2)
    return hidden[key]


def reads(
    procedure: Procedure,
    way: str,
    step: Step,
    traits: Traits,
    hidden: Hidden,
    seen: Mapping[str, Seen],
    rng: np.random.Generator,
) -> tuple[float, float]:
    """Return what a person reads at a step, honest noise and rounding put in, and the step of its last digit.

    Values as `Seen` has them (m, rad, div, h, N); a step that only sets something out is taken as planned, and what an
    instrument has no answer to (were distances paced or taped?) is no number.
    """
    if step.unit == "words" and step.optional:
        return math.nan, 0.0
    ideal, noise, step_size = _ideal(procedure, way, step, traits, hidden, seen)
    value = ideal + float(rng.normal(0, noise)) if noise else ideal
    return (round(value / step_size) * step_size if step_size else value), step_size


ISSUED = date(2026, 2, 2).toordinal()
"""The day on every stand-in's certificate."""


def _stated(key: str, procedure: Procedure, traits: Traits, h: Hidden) -> tuple[float, float, float]:
    """What a laboratory states: its U is a quarter of what is allowed, its own scatter half of U."""
    if key in {"issued", "days"}:
        return (float(ISSUED) if key == "issued" else YEAR), 0.0, 1.0
    (limit,) = (t for k, _, _, t in STATED[traits.kind.key] if key.endswith(f"-{k}"))
    U = traits.number(limit) / 4
    if key.startswith("U-"):
        return U, 0.0, 0.0
    name = key.removeprefix("is-")
    return (h["tilt"] if name == "line" else h[name]), U / 2, U / 100


def _ideal(
    procedure: Procedure, way: str, step: Step, traits: Traits, h: Hidden, seen: Mapping[str, Seen]
) -> tuple[float, float, float]:
    key, kind = step.key.partition("/")[0], procedure.key
    if kind == "certificate":
        return _stated(step.key, procedure, traits, h)
    if kind in {"reversal", "plumb"}:
        own, base = (h["level"], h["surface"]) if kind == "reversal" else (h["plumb"], h["wall"])
        side = 1 if key == "a1" else -1
        if traits.electronic:
            return base + side * own, traits.number("noise"), traits.number("last-digit")
        if way == "fence":
            return (
                (0.0, 0.0, 0.1)
                if key == "a1"
                else (-2 * own / traits.division, traits.number("share") * math.sqrt(2), 0.1)
            )
        return (base + side * own) / traits.division, traits.number("share"), 0.1
    if kind == "straightness":
        if key == "thicker":
            return 0.0, 0.0, 0.00001
        return (
            h.get("gap", 0.001) + (h["bow"] if key == "g1" else -h["bow"]),
            traits.number("u", GAP),
            0.00001,
        )
    if kind in {"two-peg", "cone"}:
        return _pegs(kind, way, key, traits, h, seen)
    if kind == "field":
        fore = key.startswith("q")
        return 1.5 - (h["pegs"] if fore else 0.0), h["one"] / math.sqrt(2), 0.0
    if kind == "circular":
        share = {"right": h["right"], "away": h["away"], "quarter": 0.5 * (h["right"] + h["away"])}[key]
        return share, LOOK, 0.0001
    if kind == "plate":
        return 2 * h["plate"], 0.2 * math.sqrt(2), 0.1
    if kind in {"axes", "line", "line-plumb"}:
        return _laser(kind, key, traits, h, seen)
    if kind == "tube":
        return h["water"] + (h["index"] if key == "e1" else 0.0), traits.number("u"), 0.0005
    if kind == "hydrostatic":
        n = int(step.key.partition("/")[2])
        hours = [seen[at].value if (at := f"t/{k}") in seen else 8.0 + 0.5 * (k - 1) for k in (1, n)]
        if key == "t":
            return 8.0 + 0.5 * (n - 1), 0.0, 0.25
        return (
            h["drift"] * (hours[1] - hours[0]),
            traits.number("u"),
            traits.number("last-digit"),
        )
    if kind == "string":
        if key == "span":
            return traits.number("span"), 0.0, 0.01
        return (h["off"], TAPED, 0.001) if key == "off" else (h["pull"], PULL * h["pull"], 0.5)
    if kind == "plumb-frame":
        return h["twist"] + (h["frame"] if key == "m1" else -h["frame"]), traits.number("u"), 0.0001
    assert kind == "staff"
    return (FOOT if key == "foot" else ACROSS) - h[key], traits.number("u"), 0.0002


def _pegs(
    kind: str, way: str, key: str, traits: Traits, h: Hidden, seen: Mapping[str, Seen]
) -> tuple[float, float, float]:
    plan = LAYOUT[way].distances if kind == "two-peg" else (1.0, 19.0, 19.0, 1.0)
    d = dict(zip(("d1a", "d1b", "d2a", "d2b"), plan, strict=True))
    if key in d:
        return d[key], 0.0, 0.1
    which = key.rstrip("'")
    paced = f"d{which[1]}{which[0]}"
    distance = seen[paced].value if paced in seen else d[paced]
    u = traits.number("u") + traits.number("grows") * max(distance - traits.number("from", 0.0), 0.0)
    line = h["eye"] + (0.07 if which[1] == "2" else 0.0) - (h.get("pegs", 0.0) if which[0] == "b" else 0.0)
    return ideal_reading(line, h["collimation" if kind == "two-peg" else "cone"], distance), u, 0.0001


def _laser(
    kind: str, key: str, traits: Traits, h: Hidden, seen: Mapping[str, Seen]
) -> tuple[float, float, float]:
    set_out = {"d": 20.0 if kind == "axes" else 5.0, "w": 5.0, "h": 2.4}
    if key in set_out:
        return set_out[key], 0.0, 0.01
    d, w, tall = (seen[at].value if at in seen else planned for at, planned in set_out.items())
    if kind == "axes":
        rise = h["x" if key[0] == "x" else "y"] * d
        return h["eye"] + (rise if key[1] == "p" else -rise), mark_u(traits, d), 0.0001
    if kind == "line":
        rise = {"l": -0.5, "m": 0.0, "r": 0.5}[key] * h["tilt"] * w
        return (
            h["eye"] + rise + (h["line-bow"] if key == "m" else 0.0),
            mark_u(traits, d),
            0.0001,
        )
    lean = h["lean"] * tall
    return 0.004 + (lean if key == "top" else 0.0), 0.0005, 0.0001


def plan(procedure: Procedure, way: str, traits: Traits, cycles: int) -> list[Step]:
    """Return the steps of a whole check, so many cycles of it; what is optional is left out."""
    first = [step for step in procedure.steps(traits, way, {}) if _done(step)]
    last = max(s.cycle for s in first)
    steps = [s for s in first if s.cycle <= cycles]
    for n in range(
        last + 1, cycles + 1 if last else 0
    ):  # what is no round is done once; further cycles ask for what the last of the first ones asked for
        steps += [replace(s, key=f"{s.key.partition('/')[0]}/{n}", cycle=n) for s in first if s.cycle == last]
    return steps


def carry_out(
    procedure: Procedure,
    way: str,
    traits: Traits,
    hidden: Hidden,
    steps: list[Step],
    rng: np.random.Generator,
) -> dict[str, Seen]:
    """Return what somebody books who does these steps of a check."""
    seen: dict[str, Seen] = {}
    for step in steps:
        value, digit = reads(procedure, way, step, traits, hidden, seen, rng)
        seen[step.key] = Seen(len(seen) + 1, f"{value:g}", value, digit)
    return seen


def _done(step: Step) -> bool:
    if step.unit == "words" and step.key.partition("/")[0] != "a2":
        return False
    return not (step.optional and (step.cycle <= 1 or "'" in step.key or "quarter" in step.key))


def bubble_at(seconds: float, start: float, rest: float, settles: float) -> float:
    """Return where a bubble stands [div] so long after the level was put down: it creeps to its rest.

    It is within a hundredth of the way when its settling time [s] is over.
    """
    return rest + (start - rest) * math.exp(-math.log(100.0) * seconds / settles)


def water_at(seconds: float, start: float, filled: float, bore: float, basin: bool = False) -> float:
    """Return how far the water stands off its rest [m] so long after it was disturbed by `start` [m]."""
    from vivid_keel.core.instruments.checks.tube import WATER, G

    omega, beta = math.sqrt((1 if basin else 2) * G / filled), 4 * WATER / bore**2
    if beta < omega:
        swing = math.sqrt(omega**2 - beta**2)
        return (
            start
            * math.exp(-beta * seconds)
            * (math.cos(swing * seconds) + beta / swing * math.sin(swing * seconds))
        )
    gap = math.sqrt(beta**2 - omega**2)
    slow, fast = omega**2 / (beta + gap), beta + gap
    if gap < 1e-9:
        return start * (1 + beta * seconds) * math.exp(-beta * seconds)
    return start * (fast * math.exp(-slow * seconds) - slow * math.exp(-fast * seconds)) / (fast - slow)
