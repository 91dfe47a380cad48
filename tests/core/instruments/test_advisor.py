"""Which instrument for a job: laws that hold for every kind, and what speaks against each."""

from __future__ import annotations

import math

import pytest
from hypothesis import given
from hypothesis import strategies as st

from tests.core.instruments.test_kit import Kit
from vivid_keel.core.instruments.advisor import CONDITIONS, MOST_PLACINGS, STRING, advise, hindered, over_span
from vivid_keel.core.instruments.kinds import KINDS
from vivid_keel.core.instruments.tool import ago, fold_kit, fold_tool
from vivid_keel.core.record.entries import Draft

SHELF = Kit()
TOOL = {k.key: fold_tool(SHELF.journal, SHELF.tool(k.key, k.label)) for k in KINDS}
"""One of every kind, never checked, as its owner found it in the box."""
READ_HEIGHTS = [key for key, tool in TOOL.items() if over_span(tool, 10.0, SHELF.now) is not None]


def U(key, span):
    return over_span(TOOL[key], span, SHELF.now).U


def test_only_what_measures_a_difference_of_height_is_advised():
    assert set(TOOL) - set(READ_HEIGHTS) == {"staff", "plumb-frame"}
    advised = {a.tool.kind.key for a in advise(list(TOOL.values()), 0.01, 10.0, frozenset(), SHELF.now)}
    assert advised == set(READ_HEIGHTS)


@pytest.mark.parametrize("key", READ_HEIGHTS)
def test_farther_is_never_surer(key):
    spans = [0.2, 0.5, 1, 2, 5, 7.5, 10, 20, 40, 80]
    found = [U(key, s) for s in spans]
    assert found == sorted(found) and found[0] > 0


@pytest.mark.parametrize("key", READ_HEIGHTS)
def test_a_budget_is_the_root_of_its_squares(key):
    budget = over_span(TOOL[key], 12.0, SHELF.now)
    assert pytest.approx(math.sqrt(sum(line.u**2 for line in budget.lines))) == budget.u
    assert pytest.approx(2 * budget.u) == budget.U
    assert budget.dominant.u == max(line.u for line in budget.lines)


def test_a_level_walked_end_to_end_grows_by_the_root_of_its_placings():
    level = TOOL["spirit"]
    one, nine = (over_span(level, n * level.traits.number("length"), SHELF.now).lines[0].u for n in (1, 9))
    assert nine == pytest.approx(3 * one)


def test_its_own_error_grows_with_the_span_whole():
    level = TOOL["spirit"]
    one, nine = (over_span(level, n * 1.2, SHELF.now).lines[1].u for n in (1, 9))
    assert nine == pytest.approx(9 * one)
    # Unchecked, it may be anywhere within its limit: limit·span/√3.
    assert one == pytest.approx(level.traits.number("limit") * 1.2 / math.sqrt(3))


def test_a_string_is_good_for_a_third_of_a_millimetre_a_metre():
    assert over_span(TOOL["string"], 7.5, SHELF.now).u == pytest.approx(0.0025)
    assert over_span(TOOL["string"], 30.0, SHELF.now).u == pytest.approx(STRING * 7.5 * 2)


def test_a_water_tube_is_as_good_far_as_near():
    assert U("tube", 5.0) == U("tube", 15.0)


@given(st.floats(0.0005, 0.05), st.floats(0.5, 60), st.sets(st.sampled_from(sorted(CONDITIONS))))
def test_what_serves_comes_first_and_says_what_it_can_prove(tolerance, span, conditions):
    advice = advise(list(TOOL.values()), tolerance, span, frozenset(conditions), SHELF.now)
    ranks = [(bool(a.hindrance), not a.proves) for a in advice]
    assert ranks == sorted(ranks)
    for a in advice:
        assert a.proves == (tolerance + 1e-9 >= a.budget.U)
        assert not a.enough or a.proves


@given(st.floats(0.5, 60), st.sets(st.sampled_from(sorted(CONDITIONS))), st.sampled_from(sorted(CONDITIONS)))
def test_a_further_difficulty_never_makes_an_instrument_serve(span, conditions, further):
    for tool in TOOL.values():
        if hindered(tool, frozenset(conditions), span, SHELF.now):
            assert hindered(tool, frozenset(conditions | {further}), span, SHELF.now)


@pytest.mark.parametrize(
    ("condition", "out", "stays"),
    [
        (
            "corners",
            {"optical", "rotary", "line", "string", "boards", "straightedge"},
            {"tube", "hydrostatic"},
        ),
        ("trembling", {"optical", "rotary", "line", "tube"}, {"spirit", "string"}),
        ("alone", {"optical", "tube", "boards"}, {"rotary", "hydrostatic", "spirit"}),
        ("bright", {"rotary", "line"}, {"optical", "tube"}),
    ],
)
def test_what_each_difficulty_leaves(condition, out, stays):
    against = {k for k, t in TOOL.items() if hindered(t, frozenset({condition}), 1.0, SHELF.now)}
    assert out <= against
    assert not stays & against


def test_nobody_walks_a_level_for_ever():
    level, most = TOOL["spirit"], MOST_PLACINGS * 1.2
    assert not hindered(level, frozenset(), most, SHELF.now)
    assert hindered(level, frozenset(), most + 1.3, SHELF.now) == "22 placings are too many to walk"


def test_a_straightedge_reaches_as_far_as_it_is_long():
    assert not hindered(TOOL["straightedge"], frozenset(), 2.0, SHELF.now)
    assert hindered(TOOL["straightedge"], frozenset(), 2.1, SHELF.now) == "only 2 m long"


def test_what_is_out_of_use_is_not_advised_until_it_is_right_again():
    kit = Kit()
    level = kit.tool("precision")
    kit.check(level, "out", a1_1=4.9, a2_1=-4.2)
    (advice,) = advise(fold_kit(kit.journal), 1.0, 0.2, frozenset(), kit.now)
    assert advice.hindrance.startswith("out of use")
    kit.check(level, "trust", a1_1=0.1, a2_1=0.1)
    (advice,) = advise(fold_kit(kit.journal), 1.0, 0.2, frozenset(), kit.now)
    assert advice.hindrance == ""


def test_a_knock_takes_away_what_a_check_had_proven():
    kit = Kit()
    level = kit.tool("precision")
    kit.check(level, "correct", a1_1=0.3, a2_1=0.3)
    checked = over_span(fold_tool(kit.journal, level), 0.2, kit.now).U
    kit.later(1)
    kit.add(Draft(level, "happened", {"what": "knocked"}))
    kit.later(1)
    assert checked < over_span(fold_tool(kit.journal, level), 0.2, kit.now).U


def test_days_gone_by_are_said_as_people_say_them():
    kit = Kit()
    then = kit.now
    assert ago(then, then) == "today"
    kit.later(1)
    assert ago(then, kit.now) == "yesterday"
    kit.later(11)
    assert ago(then, kit.now) == "12 days ago"


@pytest.mark.parametrize("key", [k.key for k in KINDS])
def test_every_kind_is_due_at_once_after_a_knock_and_then_by_the_calendar(key):
    kit = Kit()
    tool = kit.tool(key)
    first = fold_tool(kit.journal, tool).due(kit.now)
    assert first and all(d.why == "never checked" and d.day == kit.now.date() for d in first)
    kit.later(3)
    kit.add(Draft(tool, "happened", {"what": "knocked"}))
    due = fold_tool(kit.journal, tool).due(kit.now)
    assert [d.procedure for d in due] == [d.procedure for d in first]
    assert all(d.day == kit.now.date() and d.why == "knocked or dropped since" for d in due)
    assert fold_tool(kit.journal, tool).state(kit.now).key == "knocked"


@pytest.mark.parametrize("tolerance", [0.0005, 0.003, 0.02])
def test_of_those_that_serve_the_surest_is_first_and_enough_is_a_quarter(tolerance):
    advice = advise(list(TOOL.values()), tolerance, 6.0, frozenset({"alone"}), SHELF.now)
    order = [(bool(a.hindrance), not a.proves, a.budget.U) for a in advice]
    assert order == sorted(order)
    assert len({proves for _, proves, _ in order}) == 2 or tolerance != 0.003
    for a in advice:
        assert a.enough == (tolerance / 4 + 1e-9 >= a.budget.U)


def test_budgets_by_hand():
    span = 9.0
    lines = {key: [line.u for line in over_span(TOOL[key], span, SHELF.now).lines] for key in READ_HEIGHTS}
    number = {key: TOOL[key].traits.number for key in READ_HEIGHTS}
    root2, root3 = math.sqrt(2), math.sqrt(3)

    def limit(key):
        return number[key]("limit") / root3

    for key in ("spirit", "precision", "electronic"):
        n = math.ceil(span / number[key]("length"))
        t = TOOL[key].traits
        one = number[key]("noise") if key == "electronic" else number[key]("share") * t.division
        want = [one * number[key]("length") * math.sqrt(n), limit(key) * span]
        assert lines[key] == pytest.approx(want + [0.02e-3 * math.sqrt(n)] * (key == "precision")), key
    for key in ("optical", "rotary", "line"):
        u = number[key]("u") + number[key]("grows") * max(span - number[key]("from"), 0.0)
        beam = [0.1 * number[key]("spot") * span / root3] if key != "optical" else []
        assert lines[key] == pytest.approx([u * root2, limit(key) * span, *beam]), key
    assert lines["tube"] == pytest.approx(
        [number["tube"]("u") * root2, 0.0004 * number["tube"]("column") / root3]
    )
    assert lines["hydrostatic"] == pytest.approx(
        [number["hydrostatic"]("u") * root2, limit("hydrostatic") / 4]
    )
    assert lines["boards"] == pytest.approx(
        [number["boards"]("u") * root2, number["boards"]("share") * TOOL["boards"].traits.division * span]
    )


@pytest.mark.parametrize(("kind", "key"), [("optical", "collimation"), ("rotary", "x"), ("line", "line")])
def test_what_a_check_has_proven_counts_in_place_of_the_limit(kind, key, monkeypatch):
    from types import SimpleNamespace

    level = TOOL[kind]
    checks = [SimpleNamespace(id=1, decided="correct"), SimpleNamespace(id=2, decided="trust")]
    for check, left in ((1, 0.00002), (2, math.hypot(0.00002, 0.00003 / math.sqrt(3)))):
        point = SimpleNamespace(check=check, U=0.00004, value=-0.00003)
        tool = SimpleNamespace(
            kind=level.kind,
            traits=level.traits,
            checks=checks,
            worth=lambda asked, now, point=point: point if asked == key else None,
        )
        assert over_span(tool, 10.0, SHELF.now).lines[1].u == pytest.approx(left * 10)


def test_a_fixed_line_stays_readable_where_a_compensator_swims():
    kit = Kit()
    level = kit.tool("optical")
    swims = hindered(fold_tool(kit.journal, level), frozenset({"trembling"}), 1.0, kit.now)
    assert swims == "its compensator swims; a fixed line stays readable"
    kit.add(Draft(level, "trait", {"name": "sort", "text": "fixed"}))
    assert hindered(fold_tool(kit.journal, level), frozenset({"trembling"}), 1.0, kit.now) == ""


def test_a_level_whose_plumb_check_alone_is_left_after_a_knock_says_so_and_proves_nothing_before_it():
    shelf = Kit()
    level = shelf.tool("spirit", "Long level")
    for procedure in ("reversal", "plumb"):
        shelf.check(level, "trust", procedure, a1_1=0.1, a2_1=0.1)
    shelf.later(1)
    shelf.add(Draft(level, "happened", {"what": "knocked"}))
    shelf.later(1)
    shelf.check(level, "trust", "reversal", a1_1=0.1, a2_1=0.1)
    tool = fold_tool(shelf.journal, level)
    assert tool.state(shelf.now).words == "knocked: plumb to check"
    (found,) = advise([tool], 0.5, 1.2, frozenset(), shelf.now)
    assert found.proves and not found.sure
    assert found.sign == "open"
    shelf.check(level, "trust", "plumb", a1_1=0.1, a2_1=0.1)
    (found,) = advise([fold_tool(shelf.journal, level)], 0.5, 1.2, frozenset(), shelf.now)
    assert found.sign == "in"


def test_what_was_checked_goes_before_what_would_be_finer_but_wants_a_check():
    shelf = Kit()
    fine, sure = shelf.tool("precision", "Block"), shelf.tool("spirit", "Long level")
    for procedure in ("reversal", "plumb"):
        shelf.check(sure, "trust", procedure, a1_1=0.1, a2_1=0.1)
    tools = [fold_tool(shelf.journal, t) for t in (fine, sure)]
    assert [a.tool.name for a in advise(tools, 0.5, 1.2, frozenset(), shelf.now)] == ["Long level", "Block"]
