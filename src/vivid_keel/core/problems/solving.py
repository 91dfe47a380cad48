"""Solves problem files of every kind, and those that belong to no trade."""

from __future__ import annotations

from collections.abc import Mapping
from typing import Any

from vivid_keel.core.errors import KeelError
from vivid_keel.core.problems import bodies, checks, ground, moves
from vivid_keel.core.problems.epochs import epochs
from vivid_keel.core.problems.fields import Fields, Solved, Solvers, all_finite, pointer


def solve(kind: Any, problem: Any, solvers: Solvers) -> Solved:
    """Solve one problem.

    Parameters
    ----------
    kind : str
        A key of `solvers`.
    problem : mapping
        As docs/formats.md describes for the kind.
    solvers : mapping of str to callable
        The kinds known: those below and those of the trades.

    Returns
    -------
    (dict, list of str)
        The result, finite numbers only, and warnings.

    Raises
    ------
    KeelError
        `wrong-type`, `unknown-kind`, and what the kind refuses; `where` is a JSON pointer into the problem file.
    """
    if not isinstance(kind, str):
        raise KeelError("wrong-type", "“kind” must be a text", "/kind")
    solver = solvers.get(kind)
    if solver is None:
        raise KeelError(
            "unknown-kind", f"“{kind}” is no kind of problem; known are {', '.join(solvers)}", "/kind"
        )
    fields = Fields(problem, "/problem")
    result, warnings = solver(fields)
    all_finite(result)
    return result, warnings


def solve_document(document: Any, solvers: Solvers) -> dict[str, Any]:
    """Solve a whole problem file as parsed; `note`, `expect` and `tolerance` may stand in it and are left alone.

    Raises
    ------
    KeelError
        `wrong-type`, `unknown-field`, `missing-field`.
    """
    if not isinstance(document, Mapping):
        raise KeelError("wrong-type", "a problem file is an object with “kind” and “problem”", "")
    for name in document:
        if name not in {"kind", "problem", "note", "expect", "expect_error", "tolerance"}:
            raise KeelError("unknown-field", f"there is no field “{name}” here", f"/{pointer(name)}")
    for name in ("kind", "problem"):
        if name not in document:
            raise KeelError("missing-field", f"“{name}” is missing", f"/{name}")
    result, warnings = solve(document["kind"], document["problem"], solvers)
    return {"kind": document["kind"], "result": result, "warnings": warnings}


PROBLEMS: Solvers = {
    "epochs": epochs,
    "reversal": checks.reversal,
    "two_peg": checks.two_pegs,
    "rotary_axis": checks.laser_axes,
    "tube": checks.water_tube,
    "moves": moves.moves,
    "stack": moves.stack,
    "screw": moves.screw,
    "body": bodies.body,
    "depth": ground.depth,
    "cutfill": ground.cutfill,
    "string_walk": ground.string_walk,
    "hydro_walk": ground.hydro_walk,
}
"""Kinds of problem that belong to no trade."""
