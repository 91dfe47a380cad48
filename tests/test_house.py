"""The house: what no import contract says."""

from __future__ import annotations

import ast
import re
import sys
from pathlib import Path

import grimp
import pytest

from vivid_keel.trades.registry import LISTED

SOURCE = Path(__file__).parents[1] / "src" / "vivid_keel"
BESIDES = ("trades/", "yard/", "demo/", "cli.py", "store/migrations.py")
"""Where a trade may be named."""


@pytest.fixture(scope="module")
def graph():
    return grimp.build_graph("vivid_keel", exclude_type_checking_imports=False)


def circles(graph):
    """Strongly connected parts of more than one module (Tarjan)."""
    number, low, stack, on, found = {}, {}, [], set(), []
    sys.setrecursionlimit(10_000)

    def go(at):
        number[at] = low[at] = len(number)
        stack.append(at)
        on.add(at)
        for to in sorted(graph.find_modules_directly_imported_by(at)):
            if to not in number:
                go(to)
                low[at] = min(low[at], low[to])
            elif to in on:
                low[at] = min(low[at], number[to])
        if low[at] == number[at]:
            part = []
            while not part or part[-1] != at:
                part.append(stack.pop())
                on.discard(part[-1])
            if len(part) > 1:
                found.append(sorted(part))

    for module in sorted(graph.modules):
        if module not in number:
            go(module)
    return found


def test_nothing_imports_in_a_circle_not_even_for_types(graph):
    assert circles(graph) == []


def test_no_trade_is_named_outside_its_folder():
    named = []
    key = re.compile(rf"[\"']({'|'.join(re.escape(listed.key) for listed in LISTED)})[\"']")
    for path in SOURCE.rglob("*.py"):
        inside = str(path.relative_to(SOURCE))
        if inside.startswith(BESIDES):
            continue
        for number, line in enumerate(path.read_text().splitlines(), 1):
            if key.search(line):
                named.append(f"{inside}:{number}: {line.strip()}")
    assert named == []


def test_a_trade_is_named_in_no_other_trade():
    for listed in LISTED:
        for path in (SOURCE / "trades").rglob("*.py"):
            if path.parent.name in {listed.module.rpartition(".")[2], "trades"}:
                continue
            text = path.read_text()
            assert not re.search(rf"\"type\": [\"']{listed.key}[\"']", text), (listed.key, path)


def test_the_page_on_which_works_are_begun_loads_no_trade():
    import subprocess

    script = (
        "import sys\n"
        "from vivid_keel.trades.registry import LISTED\n"
        "for one in LISTED: one.resource('sketch.json')\n"
        "print([m for m in sys.modules if m.startswith('vivid_keel.trades.') and m.count('.') > 2])\n"
    )
    done = subprocess.run([sys.executable, "-c", script], capture_output=True, text=True, check=True)
    assert done.stdout.strip() == "[]"


def test_a_missing_value_is_asked_for_by_name_and_only_tables_keep_their_own_lines():
    compared, kept = [], []
    for path in [*SOURCE.rglob("*.py"), *Path(__file__).parent.rglob("*.py")]:
        text = path.read_text()
        for node in ast.walk(ast.parse(text)):
            if (
                isinstance(node, ast.Compare)
                and isinstance(node.ops[0], (ast.Eq, ast.NotEq))
                and isinstance(node.left, (ast.Name, ast.Attribute, ast.Subscript))
                and ast.dump(node.left) == ast.dump(node.comparators[0])
            ):
                compared.append(f"{path.name}:{node.lineno}")
        kept += [path.name] * sum(line.rstrip().endswith("# fmt: " + "skip") for line in text.splitlines())
    assert compared == []
    assert kept == ["kinds.py"]
