"""The longer procedure over a fixed line: two sets of differences, their spread and its tests.

Source: the field procedures for levels after ISO 17123-2: repeated sets, their experimental standard deviation, tests of it.
"""

from __future__ import annotations

import math
from collections.abc import Mapping

from msgspec import Struct

from vivid_keel.core.errors import KeelError
from vivid_keel.core.instruments.outcome import (
    Found,
    Outcome,
    Procedure,
    Seen,
    Step,
    Traits,
    cycles_of,
    show_in,
    value,
)
from vivid_keel.core.proof import PROVEN_IN, PROVEN_OUT
from vivid_keel.core.quantities import at_most
from vivid_keel.core.working import Working

LEAST = 10
"""Differences in a set."""


class FieldTrial(Struct, frozen=True):
    """Spread s of one difference [m], mean of each set [m], 1 km double run [m], both tests and their limits [m]."""

    s: float
    first: float
    second: float
    double_run: float
    degrees: int
    claim_limit: float
    claim_kept: bool
    set_limit: float
    sets_agree: bool


def field_trial(first: list[float], second: list[float], both_sights: float, claim: float) -> FieldTrial:
    """Return what two sets of n ≥ 10 differences over a fixed line say of an instrument.

    s² = [Σ(d₁ − d̄₁)² + Σ(d₂ − d̄₂)²]/(2n − 2); 1 km double run s·√(1000 m/ℓ)/√2. The claim σ is kept if
    s ≤ σ·√(χ²₀.₉₅/(2n − 2)) (σ brought to one difference); the sets agree if
    |d̄₁ − d̄₂| ≤ t₀.₉₇₅·s·√(2/n).

    Parameters
    ----------
    first, second : list of float
        Differences of height [m], the same number in each.
    both_sights : float
        Length of both sights of a set-up, ℓ [m].
    claim : float
        Claimed standard deviation of a 1 km double run [m].

    Raises
    ------
    KeelError
        `bad-value` for unequal or short sets.
    """
    n = len(first)
    if n != len(second) or n < 2:
        raise KeelError("bad-value", "both sets want the same number of differences, two or more")
    from scipy.special import chdtri, stdtrit

    m1, m2 = sum(first) / n, sum(second) / n
    degrees = 2 * n - 2
    s = math.sqrt((sum((d - m1) ** 2 for d in first) + sum((d - m2) ** 2 for d in second)) / degrees)
    to_one = math.sqrt(both_sights / 1000) * math.sqrt(2)
    limit = claim * to_one * math.sqrt(float(chdtri(degrees, 0.05)) / degrees)
    apart = float(stdtrit(degrees, 0.975)) * s * math.sqrt(2 / n)
    return FieldTrial(
        s, m1, m2, s / to_one, degrees, limit, at_most(s, limit), apart, at_most(abs(m1 - m2), apart)
    )


class FieldProcedure(Procedure):
    """What the instrument, its staff and its people are worth in the field."""

    key, title = "field", "Precision over a fixed line"
    purpose = "Two sets of ten differences over one line: is it as good as is claimed, and does it stay so?"

    def steps(self, tool: Traits, way: str, seen: Mapping[str, Seen]) -> list[Step]:
        out = [
            Step(
                "both",
                "Both sights of a set-up together",
                "Midway between the two marks, 30 m each way; as taped.",
                "distance",
                0,
                False,
                (),
                "60",
            )
        ]
        n = min(20, max(LEAST, len(cycles_of(seen, ("p1", "q1", "p2", "q2"))) + 1))
        for which in (1, 2):
            for k in range(1, n + 1):
                late = k > LEAST
                note = (
                    "Level anew before each pair."
                    if which == 1
                    else "After a break, other light, instrument set up anew."
                )
                out.append(Step(f"p{which}/{k}", f"Set {which}: back", note, "m", k, late))
                out.append(Step(f"q{which}/{k}", f"Set {which}: fore", "Then level anew.", "m", k, late))
        return out

    def outcome(self, tool: Traits, way: str, seen: Mapping[str, Seen]) -> Outcome:
        sets = [
            [value(seen, f"p{w}/{k}") - value(seen, f"q{w}/{k}") for k in cycles_of(seen, (f"p{w}", f"q{w}"))]
            for w in (1, 2)
        ]
        n = min(len(sets[0]), len(sets[1]))
        if n < LEAST:
            return Outcome(
                notes=[
                    (
                        "todo",
                        f"{len(sets[0])} and {len(sets[1])} of {LEAST} differences",
                        "Both sets want ten before they say anything.",
                    )
                ]
            )
        claim = tool.number("claim")
        t = field_trial(sets[0][:n], sets[1][:n], value(seen, "both", 60.0), claim)
        from scipy.special import chdtri

        # U of the 1 km figure from the spread of a spread; against the claim with the test's own margin.
        upper = t.double_run * math.sqrt(t.degrees / float(chdtri(t.degrees, 0.975)))
        margin = t.claim_limit / (t.s / t.double_run)
        found = Found(
            "double-run",
            "1 km double run",
            "length",
            t.double_run,
            max(upper - t.double_run, 0.0),
            margin,
            n,
            False,
            told=PROVEN_IN if t.claim_kept else PROVEN_OUT,
        )
        notes = [
            ("in", "The claim is kept", "")
            if t.claim_kept
            else ("out", "Worse than claimed", "More than chance allows at 95 in 100."),
            ("in", "Both sets agree", "")
            if t.sets_agree
            else (
                "out",
                "The two sets disagree",
                "Something moved between them: a mark, the staff, the light.",
            ),
        ]
        lines = [
            (
                "1 km double run",
                show_in(t.double_run, "length", t.double_run, signed=False),
                f"claimed {claim * 1000:g} mm",
            ),
            (
                "Spread of one difference",
                show_in(t.s, "length", t.s, signed=False),
                f"kept up to {t.claim_limit * 1000:.2f} mm",
            ),
            (
                "Set 2 − set 1",
                show_in(t.second - t.first, "length", t.set_limit),
                f"agree up to {t.set_limit * 1000:.2f} mm",
            ),
        ]
        why = Working(
            "Spread over a fixed line",
            "s² = [Σ(d₁−d̄₁)² + Σ(d₂−d̄₂)²]/(2n−2);  kept if s ≤ σ·√(χ²₀.₉₅/(2n−2));  agree if |d̄₁−d̄₂| ≤ t₀.₉₇₅·s·√(2/n)",
            f"s = {t.s * 1000:.3f} mm, 2n−2 = {t.degrees};  {t.s * 1000:.3f} {'≤' if t.claim_kept else '>'} {t.claim_limit * 1000:.3f};  "
            f"{abs(t.first - t.second) * 1000:.3f} {'≤' if t.sets_agree else '>'} {t.set_limit * 1000:.3f}",
            (f"{n} differences in each set",),
            "The claim is for a 1 km double run; it is brought to one set-up by √(ℓ/1000 m)·√2.",
        )
        return Outcome(
            [found], lines, notes, None, why, {"s": t.s, "n": float(n), "d1": t.first, "d2": t.second}
        )
