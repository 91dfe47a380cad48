"""Every shared problem file, single and as one batch."""

from __future__ import annotations

import io
import json
import math
from collections import Counter
from pathlib import Path

import pytest

from vivid_keel.cli import solve_batch
from vivid_keel.core.errors import KeelError
from vivid_keel.core.problems.solving import solve, solve_document
from vivid_keel.trades.registry import problem_kinds

CASES = [
    case for path in sorted(Path(__file__).parent.glob("*.json")) for case in json.loads(path.read_text())
]


def agree(got, want, tolerance, where):
    if isinstance(want, dict):
        assert set(want) <= set(got), where
        if where.count("/") > 0:
            assert set(want) == set(got), where
        for key, item in want.items():
            agree(got[key], item, tolerance, f"{where}/{key}")
    elif isinstance(want, list):
        assert len(got) == len(want), where
        for i, item in enumerate(want):
            agree(got[i], item, tolerance, f"{where}/{i}")
    elif isinstance(want, float) and tolerance is not None:
        assert got == pytest.approx(want, abs=tolerance), where
    else:
        assert got == want, where


def check(case, result):
    for field, want in case["expect"].items():
        tolerance = (
            case["tolerance"] if not isinstance(case["tolerance"], dict) else case["tolerance"].get(field)
        )
        agree(result[field], want, tolerance, f"/{field}")
    if case["kind"] == "stack":
        problem = case["problem"]
        stock = Counter({s["leaf_m"]: s["count"] for s in problem["stock"]})
        used = Counter(leaf for stack in result["stacks"].values() for leaf in stack)
        assert not used - stock
        for point in problem["points"]:
            stack = result["stacks"][point["name"]]
            achieved = sum(stack) - len(stack) * problem.get("interface_m", 0)
            assert result["residuals_m"][point["name"]] == pytest.approx(
                achieved - point["thickness_m"], abs=1e-9
            )
            assert stack == sorted(stack, reverse=True)
            assert len(stack) <= problem.get("most_leaves", math.inf)


@pytest.mark.parametrize("case", CASES, ids=lambda c: f"{c['kind']}: {c['note']}")
def test_case(case):
    if "expect_error" in case:
        with pytest.raises(KeelError, match=".") as refused:
            solve_document(case, problem_kinds())
        assert refused.value.code == case["expect_error"]
        assert refused.value.where.startswith("/problem/")
    else:
        check(case, solve_document(case, problem_kinds())["result"])


def test_as_one_batch():
    lines = [json.dumps({"kind": c["kind"], "problem": c["problem"]}).encode() for c in CASES]
    out = io.StringIO()
    assert solve_batch([*lines, b"", b"{oops", b'{"kind": "sight"}'], out) == 0
    answers = [json.loads(line) for line in out.getvalue().splitlines()]
    assert [a["error"]["code"] for a in answers[-2:]] == ["bad-json", "missing-field"]
    for case, answer in zip(CASES, answers[:-2], strict=True):
        if "expect_error" in case:
            assert answer["error"]["code"] == case["expect_error"]
        else:
            assert answer["kind"] == case["kind"]
            check(case, answer["result"])


def test_every_kind_here_has_vectors():
    assert {c["kind"] for c in CASES} == set(problem_kinds())


SIGHT = {"middle_m": 1.5}
LINE = {"from": "P", "to": "Q", "rise_m": 0.5}
NET = {"known": {"P": 50.0}, "lines": [LINE], "sigma_unit_m": 0.001}
EPOCHS = {"first": {"a": 1.0}, "second": {"a": 1.0}, "u_first_m": 0.001, "u_second_m": 0.001}


@pytest.mark.parametrize(
    ("kind", "problem", "code", "where"),
    [
        ("sight", {**SIGHT, "uper_m": 1.6}, "unknown-field", "/problem/uper_m"),
        ("sight", {}, "missing-field", "/problem/middle_m"),
        ("sight", {"middle_m": True}, "wrong-type", "/problem/middle_m"),
        ("sight", {**SIGHT, "upper_m": None}, "wrong-type", "/problem/upper_m"),
        ("sight", {"middle_m": float("nan")}, "not-finite", "/problem/middle_m"),
        ("sight", {"middle_m": 10**400}, "not-finite", "/problem/middle_m"),
        ("sight", {**SIGHT, "factor": 0}, "bad-value", "/problem/factor"),
        ("sight", [], "wrong-type", "/problem"),
        ("spirit", {}, "unknown-kind", "/kind"),
        ("screw", {"moves_m": {"a/b": "x"}, "pitch_m": 1}, "wrong-type", "/problem/moves_m/a~1b"),
        (
            "screw",
            {"moves_m": {}, "pitch_m": 0.001, "parts_of_a_turn": 2.5},
            "bad-value",
            "/problem/parts_of_a_turn",
        ),
        ("screw", {"moves_m": {"a": 1e308}, "pitch_m": 1e-9}, "bad-value", "/problem/moves_m/a"),
        ("stack", {"points": [], "stock": []}, "bad-value", "/problem/points"),
        (
            "stack",
            {"points": [{"name": "N", "thickness_m": 1}, {"name": "N", "thickness_m": 1}], "stock": []},
            "duplicate-name",
            "/problem/points/1/name",
        ),
        ("moves", {"points": [], "target": {"kind": "mean"}}, "too-few-points", "/problem/points"),
        (
            "moves",
            {"points": [{"name": "a", "height_m": 0}], "target": {"kind": "keep", "name": "b"}},
            "unknown-name",
            "/problem/target/name",
        ),
        (
            "moves",
            {"points": [{"name": "a", "height_m": 0}], "target": {"kind": "up"}},
            "bad-value",
            "/problem/target/kind",
        ),
        (
            "moves",
            {"points": [{"name": "a", "height_m": 0}], "target": {"kind": "given", "heights_m": {}}},
            "missing-field",
            "/problem/target/heights_m",
        ),
        ("network", {**NET, "lines": [{**LINE, "to": "P"}]}, "bad-value", "/problem/lines/0/to"),
        ("network", {**NET, "lines": [{**LINE, "setups": 0}]}, "bad-value", "/problem/lines/0/setups"),
        ("network", {**NET, "lines": [{**LINE, "setups": 1.5}]}, "bad-value", "/problem/lines/0/setups"),
        ("network", {**NET, "lines": [{**LINE, "length_km": -1}]}, "bad-value", "/problem/lines/0/length_km"),
        ("network", {**NET, "lines": [{**LINE, "sigma_m": 0}]}, "bad-value", "/problem/lines/0/sigma_m"),
        ("network", {**NET, "sigma_unit_m": 0}, "bad-value", "/problem/sigma_unit_m"),
        ("network", {**NET, "lines": [{"from": "P", "to": "Q"}]}, "missing-field", "/problem/lines/0/rise_m"),
        ("network", {**NET, "known": [1]}, "wrong-type", "/problem/known"),
        ("network", {**NET, "extra": 1}, "unknown-field", "/problem/extra"),
        ("reversal", {"division_rad": 1e-3, "cycles": []}, "bad-value", "/problem/cycles"),
        ("reversal", {"division_rad": 1e-3, "cycles": [[1, 2, 3]]}, "bad-value", "/problem/cycles/0"),
        ("reversal", {"division_rad": 1e-3, "cycles": [7]}, "wrong-type", "/problem/cycles/0"),
        ("reversal", {"division_rad": 1e-3, "cycles": [[1, "x"]]}, "wrong-type", "/problem/cycles/0/1"),
        (
            "two_peg",
            {"first": {}, "second": {}, "curvature": False},
            "missing-field",
            "/problem/first/to_a_m",
        ),
        (
            "tube",
            {"filled_m": 1, "bore_m": 0.004, "start_m": -1, "resolution_m": 0.001},
            "bad-value",
            "/problem/start_m",
        ),
        ("epochs", {**EPOCHS, "u_first_m": -1}, "bad-value", "/problem/u_first_m"),
        ("epochs", {**EPOCHS, "first": {"a": "high"}}, "wrong-type", "/problem/first/a"),
        ("epochs", {**EPOCHS, "tolerance_m": None}, "wrong-type", "/problem/tolerance_m"),
        ("level_book", {"marks": [], "setups": []}, "bad-value", "/problem/setups"),
        ("level_book", {"marks": [], "setups": [{"sights": []}]}, "bad-value", "/problem/setups/0/sights"),
        (
            "level_book",
            {"marks": [{"name": "a", "height_m": 1, "fixed": 1}], "setups": []},
            "wrong-type",
            "/problem/marks/0/fixed",
        ),
    ],
)
def test_bad_fields_are_refused_where_they_stand(kind, problem, code, where):
    with pytest.raises(KeelError, match=".") as refused:
        solve(kind, problem, problem_kinds())
    assert (refused.value.code, refused.value.where) == (code, where)
