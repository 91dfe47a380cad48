"""The core's docstrings, read: every number has its unit or shape, every error its code, every formula its source."""

from __future__ import annotations

import ast
import re
from pathlib import Path

import pytest

CORE = Path(__file__).parents[2] / "src" / "vivid_keel" / "core"
NUMBER = re.compile(r"\b(float|Floats|Ints|npt\.NDArray\[np\.float64\])\b")
GIVES_NUMBER = re.compile(r"(tuple\[)?(float|Floats|Ints)\b[^C]*")
UNIT = re.compile(r"\[[^\]]+\]|\((?:n|m|k)(?:, ?\w+)*,?\)")
"""A unit in brackets, or a shape."""


def public(path):
    """Yield the public functions of a module with their docstrings and that of the module; overrides inherit theirs."""
    tree = ast.parse(path.read_text())

    def within(node, name, inherits):
        for child in node.body:
            if isinstance(child, ast.ClassDef) and not child.name.startswith("_"):
                yield from within(child, f"{child.name}.", bool(child.bases))
            elif isinstance(child, ast.FunctionDef) and not child.name.startswith("_"):
                said = ast.get_docstring(child)
                if said is not None or not inherits:
                    yield f"{path.relative_to(CORE)}: {name}{child.name}", child, said or ""

    yield from within(tree, "", False)


EVERY = [one for path in sorted(CORE.rglob("*.py")) for one in public(path)]


def numeric(function):
    """Return the parameters that are numbers or arrays of them."""
    given = [*function.args.args, *function.args.kwonlyargs]
    return [
        a.arg
        for a in given
        if a.annotation is not None
        and "Callable" not in (kind := ast.unparse(a.annotation))
        and NUMBER.search(kind)
    ]


def test_every_number_has_its_unit_or_shape():
    wanting = []
    for name, function, said in EVERY:
        given = numeric(function)
        gives = function.returns is not None and GIVES_NUMBER.fullmatch(ast.unparse(function.returns))
        if (given or gives) and not UNIT.search(said):
            wanting.append(f"{name}: no unit and no shape")
        wanting += [f"{name}: {each} is not told of" for each in given if not re.search(rf"\b{each}\b", said)]
    assert wanting == []


def test_every_error_that_is_raised_is_told_by_its_code():
    wanting = []
    for name, function, said in EVERY:
        for node in ast.walk(function):
            if (
                isinstance(node, ast.Raise)
                and isinstance(node.exc, ast.Call)
                and isinstance(node.exc.func, ast.Name)
                and node.exc.func.id == "KeelError"
                and isinstance(node.exc.args[0], ast.Constant)
                and f"`{node.exc.args[0].value}`" not in said
            ):
                wanting.append(f"{name}: {node.exc.args[0].value}")
    assert wanting == []


@pytest.mark.parametrize("path", sorted(CORE.rglob("*.py")), ids=lambda p: str(p.relative_to(CORE)))
def test_every_formula_names_its_source(path):
    """A module that multiplies, divides or takes powers more than in passing says where its sums come from."""
    tree = ast.parse(path.read_text())
    whole = ast.get_docstring(tree) or ""
    for name, function, said in public(path):
        sums = sum(
            isinstance(node, ast.BinOp) and isinstance(node.op, ast.Mult | ast.Div | ast.Pow)
            for node in ast.walk(function)
        )
        assert sums < 2 or "References" in said or "Source:" in whole, name
