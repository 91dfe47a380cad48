"""Pictures of kit, marks and vehicles: drawn where the numbers say."""

from __future__ import annotations

import math
from datetime import UTC, datetime, timedelta

import numpy as np
import pytest

from tests.core.instruments.test_kit import Kit
from tests.core.instruments.test_kit_checks import CASES, booked, traits_of
from vivid_keel.core.instruments.advisor import advise
from vivid_keel.core.instruments.outcome import Found
from vivid_keel.core.instruments.procedures import PROCEDURES
from vivid_keel.core.instruments.tool import CheckRun, fold_kit, fold_tool
from vivid_keel.core.proof import Budget, BudgetLine
from vivid_keel.core.record.entries import Draft
from vivid_keel.figures.budget import budget_bars
from vivid_keel.figures.display import Line, Poly, Text
from vivid_keel.figures.kit import check_picture
from vivid_keel.figures.kit.charts import drift, gauge, who_can
from vivid_keel.figures.kit.seen import as_seen, screw
from vivid_keel.figures.kit.shapes import dashed, pill
from vivid_keel.stands.instruments import carry_out, hide, plan

NOW = datetime(2026, 6, 1, 12, tzinfo=UTC)
W, H = 748.0, 316.0


def run_of(kind, check, way, **values):
    procedure, traits = PROCEDURES[check], traits_of(kind)
    return CheckRun(1, procedure, way, NOW, NOW, "Ada", booked(**values), [], "", traits)


def inside(picture):
    """Whether every text begins and ends on the picture, about."""
    for item in picture.items:
        if isinstance(item, Text):
            assert -8 <= item.x <= picture.width + 8, item.text
            assert 0 <= item.y <= picture.height + 4, item.text


@pytest.mark.parametrize(("kind", "check", "way"), [*CASES, ("optical", "field", "")])
@pytest.mark.parametrize("size", [(748, 316), (540, 220), (1100, 520)])
def test_every_check_is_drawn_empty_and_full_at_any_size(kind, check, way, size):
    procedure, traits = PROCEDURES[check], traits_of(kind)
    rng = np.random.default_rng(2)
    cycles = {"field": 10, "hydrostatic": 3}.get(check, 2)
    full = carry_out(procedure, way, traits, hide(traits, rng), plan(procedure, way, traits, cycles), rng)
    for seen in ({}, full):
        run = CheckRun(1, procedure, way, NOW, NOW, "Ada", seen, [], "", traits)
        for step in [None, *run.steps[:9]]:
            picture = check_picture(run, step, None, float(size[0]), float(size[1]))
            assert picture.items and picture.caption
            inside(picture)


def test_monstrous_hours_of_a_file_made_elsewhere_are_drawn():
    run = run_of("hydrostatic", "hydrostatic", "", t_1=1e17, z_1=0.0)
    picture = check_picture(run, None, None, W, H)
    assert picture.items and all(math.isfinite(item.x) for item in picture.items if isinstance(item, Text))


def test_the_bubble_is_dragged_by_divisions_and_the_dashed_place_is_half_way():
    run = run_of("precision", "reversal", "divisions", a1_1=1.6, a2_1=0.4)
    step = run.steps[3]
    assert step.key == "a2/2"
    picture = check_picture(run, step, 2.0, W, H)
    one = 1 / picture.drag.metres_per_pixel
    middle = picture.drag.y - 2.0 * one
    dashes = [i for i in picture.items if isinstance(i, Line) and i.ink == "keel"]
    centre = (min(min(i.x1, i.x2) for i in dashes) + max(max(i.x1, i.x2) for i in dashes)) / 2
    assert (centre - middle) / one == pytest.approx(1.0, abs=0.05)  # the surface's slope, half the way back
    assert any("(+1.0)" in t for t in picture.texts())
    assert picture.drag.across and picture.drag.value == 2.0


def test_two_pegs_stand_to_scale():
    run = run_of("optical", "two-peg", "near", d1a=20.0, d1b=20.0, d2a=43.0, d2b=3.0)
    texts = [(t.x, t.text) for t in check_picture(run, None, None, W, H).items if isinstance(t, Text)]
    twenty, far = [x for x, t in texts if t == "20 m"], [x for x, t in texts if t == "43 m"]
    assert len(twenty) == 2 and len(far) == 1
    gap = twenty[1] - twenty[0]  # from the middle of one sight to that of the other: 20 m
    assert 2 * (far[0] - (twenty[0] - gap / 2)) == pytest.approx(gap * 43 / 20, rel=0.02)
    assert any("lever 40.0 m" in t for _, t in texts)


def test_the_gauge_shows_error_u_and_limit_in_their_places():
    found = Found("level", "own error, level", "tilt", 0.0009, 0.0001, 0.0005)
    picture = gauge([found], [("a sill", 2.4)], W, H)
    texts = picture.texts()
    assert "proven out" in texts and any("+0.90 ± 0.10 mm/m" in t for t in texts)
    assert "2.2 mm out" in texts  # over 2.4 m
    bars = [i for i in picture.items if isinstance(i, Line) and i.ink == "raise" and i.width == 4.0]
    zero = next(i for i in picture.items if isinstance(i, Line) and i.ink == "keel" and i.x1 == i.x2)
    limit = max(i.x1 for i in picture.items if isinstance(i, Line) and i.dash and i.ink == "ink")
    assert (bars[0].x1 - zero.x1) / (limit - zero.x1) == pytest.approx(0.0008 / 0.0005, rel=0.01)
    assert gauge([], [], W, H).texts() == ["Nothing is found yet: book the readings first."]


def test_a_drift_is_drawn_with_its_break_its_line_and_its_limit():
    kit = Kit()
    kit.now = NOW - timedelta(days=200)
    level = kit.tool()
    kit.check(level, "trust", a1_1=-0.1, a2_1=0.1)
    kit.later(5)
    kit.add(Draft(level, "happened", {"what": "repaired"}))
    for k in range(6):
        kit.later(30)
        kit.check(
            level,
            "trust",
            a1_1=0.02 + 0.05 * k,
            a2_1=-0.02 - 0.05 * k,
            a1_2=0.02 + 0.05 * k,
            a2_2=-0.02 - 0.05 * k,
        )
    picture = drift(fold_tool(kit.journal, level), "level", kit.now, W, H)
    texts = picture.texts()
    assert "repaired" in texts and "today" in texts
    assert any(t.startswith("limit in ") for t in texts)
    line = [i for i in picture.items if isinstance(i, Poly) and i.ink == "raise" and not i.closed]
    repaired = next(t.x for t in picture.items if isinstance(t, Text) and t.text == "repaired")
    assert len(line) == 1 and min(x for x, _ in line[0].points) > repaired - 10  # never through a break
    assert drift(fold_tool(kit.journal, level), "plumb", kit.now, W, H).texts() == [
        "No check is in its record yet."
    ]


def test_budgets_and_advice_name_the_largest():
    budget = Budget((BudgetLine("small", 0.0003), BudgetLine("large", 0.0012)))
    picture = budget_bars(budget, "A height", W, H)
    assert any(t.startswith("1.20 mm · 94 %") for t in picture.texts())
    assert any(t.startswith("To halve it: large to") for t in picture.texts())
    assert "Nothing booked contributes yet." in budget_bars(Budget(()), "A height", W, H).texts()
    kit = Kit()
    kit.tool("optical", "Amber")
    kit.tool("tube", "Tube")
    advice = advise(fold_kit(kit.journal), 0.004, 20.0, frozenset({"corners"}), kit.now)
    picture = who_can(advice, 0.004, 20.0, W, H)
    assert next(
        t for t in picture.items if isinstance(t, Text) and t.text == "Amber"
    ).struck  # it needs a clear line
    assert picture.caption == "1 can prove it"


def test_the_stand_in_is_seen_running_and_at_rest():
    step = PROCEDURES["reversal"].steps(traits_of("spirit"), "divisions", {})[0]
    running = as_seen(step, 2.0, 0.5, 5.0, W, H, settled=False)
    assert "still running, hands off" in running.texts() and running.drag.across
    assert "at rest" in as_seen(step, 2.0, 0.5, 5.0, W, H, settled=True).texts()
    assert as_seen(None, 0, 0, 5, W, H, settled=True).texts() == ["Every step is booked."]
    turning = screw(1.0, -0.5, 0.2, 5.0, W, H)
    assert turning.drag.value == 1.0
    for kind, check, way in (
        ("optical", "two-peg", "near"),
        ("rotary", "axes", ""),
        ("tube", "tube", ""),
        ("electronic", "reversal", "divisions"),
    ):
        for step in PROCEDURES[check].steps(traits_of(kind), way, {}):
            inside(as_seen(step, 0.3, 0.0, 5.0, W, H, settled=True))


def test_a_pill_is_as_long_as_it_says_and_dashes_go_round():
    outline = pill(10, 20, 60, 16)
    xs, ys = [x for x, _ in outline], [y for _, y in outline]
    assert (min(xs), max(xs), min(ys), max(ys)) == pytest.approx((10, 70, 20, 36))
    from vivid_keel.figures.display import Picture

    p = Picture(100, 50)
    dashed(p, outline, "keel")
    drawn = sum(math.hypot(i.x2 - i.x1, i.y2 - i.y1) for i in p.items)
    around = sum(math.dist(a, b) for a, b in zip(outline, [*outline[1:], outline[0]], strict=True))
    assert 0.4 * around < drawn < 0.7 * around
