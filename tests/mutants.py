"""How strong are the tests? Small faults are put into the core, one at a time, and the tests must notice: ./run mutants.

    ./run mutants [COUNT] [SEED]

The tests (all but those of the window) run once with the lines noted that each of them reaches. Then each fault goes into a
copy of the program, and the tests that reach its line are run, the quick ones first; whatever none of them notices is printed,
to be read.
"""

from __future__ import annotations

import ast
import datetime
import os
import random
import re
import shutil
import subprocess
import sys
import tempfile
from collections import Counter
from collections.abc import Iterator
from concurrent.futures import ThreadPoolExecutor
from dataclasses import dataclass
from pathlib import Path
from queue import SimpleQueue

from coverage import CoverageData

from tests.page import put

HERE = Path(__file__).parent.parent
CORE = Path("src/vivid_keel/core")
BESIDE = (
    "ui",
    "test_docs.py",
    "test_house.py",
    "test_wheel.py",
)  # the window, words, the house, what is handed on: no sums
TESTS = ["tests", *(f"--ignore=tests/{name}" for name in BESIDE)]
FEW = 3
"""So many tests may fail while lines are noted, which makes everything slow: a few of them hold one time against another."""
Coverage = dict[Path, dict[int, set[str]]]
HEAD = "## Mutants"
COMPARED = {ast.Lt: "<=", ast.LtE: "<", ast.Gt: ">=", ast.GtE: ">", ast.Eq: "!=", ast.NotEq: "=="}
RECKONED = {ast.Add: "-", ast.Sub: "+", ast.Mult: "/", ast.Div: "*", ast.Pow: "*"}


@dataclass(frozen=True)
class Mutant:
    """A fault: what stands at (line, column to end) of a file is put in the place of what was there."""

    file: Path
    line: int
    column: int
    end: int
    was: str
    now: str

    def put_into(self, text: str) -> str:
        """Return a module's text with the fault in it."""
        lines = text.split("\n")
        raw = lines[self.line - 1].encode()
        lines[self.line - 1] = (raw[: self.column] + self.now.encode() + raw[self.end :]).decode()
        return "\n".join(lines)

    @property
    def at_the_bound(self) -> bool:
        """Whether it only takes what lies on a bound for what lies beyond it, which hardly a measured number does."""
        return {self.was, self.now} in ({"<", "<="}, {">", ">="})

    def __str__(self) -> str:
        return f"{self.file}:{self.line}: {self.was}  →  {self.now}"


def faults(file: Path, text: str) -> Iterator[Mutant]:
    """Yield every fault that could be put into a module."""
    lines = [line.encode() for line in text.split("\n")]

    def between(left: ast.expr, right: ast.expr, now: str, sign: str) -> Iterator[Mutant]:
        """The operator between two operands on one line."""
        if left.end_lineno == right.lineno and left.end_col_offset is not None:
            gap = lines[right.lineno - 1][left.end_col_offset : right.col_offset].decode()
            found = re.fullmatch(rf"([ )]*)({sign})([ (]*)", gap)
            if found:
                at = left.end_col_offset + len(found[1])
                yield Mutant(file, right.lineno, at, at + len(found[2]), found[2], now)

    tree = ast.parse(text)
    declared = {
        id(part)
        for node in ast.walk(tree)
        if isinstance(node, ast.ClassDef | ast.FunctionDef)
        for said in [*node.decorator_list, *getattr(node, "keywords", [])]
        for part in ast.walk(said)
    }
    declared |= {
        id(word.value)
        for node in ast.walk(tree)
        if isinstance(node, ast.Call)
        for word in node.keywords
        if word.arg in {"strict", "repr", "compare", "init"}
    }
    for node in ast.walk(tree):
        if id(node) in declared:
            continue  # frozen or not, strict or not, is no sum
        if isinstance(node, ast.Compare) and len(node.ops) == 1 and type(node.ops[0]) in COMPARED:
            yield from between(node.left, node.comparators[0], COMPARED[type(node.ops[0])], "[<>=!]=?")
        elif isinstance(node, ast.BinOp) and type(node.op) in RECKONED:
            yield from between(node.left, node.right, RECKONED[type(node.op)], r"\*\*|[-+*/]")
        elif isinstance(node, ast.BoolOp):
            now = "or" if isinstance(node.op, ast.And) else "and"
            yield from between(node.values[0], node.values[1], now, "and|or")
        elif isinstance(node, ast.Constant) and type(node.value) in {int, float, bool}:
            if node.lineno == node.end_lineno and node.end_col_offset is not None:
                was = lines[node.lineno - 1][node.col_offset : node.end_col_offset].decode()
                now = str(not node.value) if isinstance(node.value, bool) else f"({was} + 1)"
                yield Mutant(file, node.lineno, node.col_offset, node.end_col_offset, was, now)
        elif isinstance(node, ast.UnaryOp) and isinstance(node.op, ast.Not | ast.USub):
            wide = 4 if isinstance(node.op, ast.Not) else 1
            yield Mutant(
                file, node.lineno, node.col_offset, node.col_offset + wide, "not" if wide == 4 else "-", ""
            )


def drawn(count: int, seed: int) -> list[Mutant]:
    """Return so many faults, drawn from the whole core."""
    found = []
    for path in sorted((HERE / CORE).rglob("*.py")):
        found += list(faults(path.relative_to(HERE), path.read_text()))
    return random.Random(seed).sample(found, min(count, len(found)))


def covered(room: Path) -> tuple[Coverage, dict[str, float]]:
    """Run the tests once in a copy of the program; return which test reaches which line, and how long each takes (s)."""
    told = ["-n", str(os.cpu_count()), "--durations=0", "--durations-min=0", "-v"]
    noted = ["--cov=vivid_keel.core", "--cov-context=test", "--cov-report="]
    failed: set[str] = set()
    if ran(room, [*TESTS, *told, *noted], room / "took.txt"):
        failed = set(re.findall(r"^(?:FAILED|ERROR) (\S+)", (room / "took.txt").read_text(), re.M))
        print(
            "\n".join(["mutants: these fail as they stand, and tell nothing:", *sorted(failed)]), flush=True
        )
        if not 0 < len(failed) <= FEW:
            sys.exit(1)
    took: Counter[str] = Counter()
    for line in (room / "took.txt").read_text().splitlines():
        if found := re.match(r"([\d.]+)s (setup|call|teardown) +(\S.*)$", line):
            took[found[3]] += float(found[1])
    data = CoverageData(str(room / ".coverage"))
    data.read()
    reached: Coverage = {}
    for name in data.measured_files():
        lines = data.contexts_by_lineno(name)
        file = Path(name).relative_to(room)
        reached[file] = {
            line: {of.partition("|")[0] for of in tests if of} - failed for line, tests in lines.items()
        }
    return reached, took


def reaching(mutant: Mutant, reached: Coverage) -> set[str]:
    """Return the tests that run a line, or its function where it has no line of its own; all for what runs on import only."""
    lines = reached.get(mutant.file, {})
    if here := lines.get(mutant.line):
        return here
    around = [
        node
        for node in ast.walk(ast.parse((HERE / mutant.file).read_text()))
        if isinstance(node, ast.FunctionDef) and node.lineno <= mutant.line <= (node.end_lineno or 0)
    ]
    if around:
        first, last = around[-1].lineno, around[-1].end_lineno or 0
        found = set().union(*(tests for line, tests in lines.items() if first <= line <= last))
        if found:
            return found
    return set().union(
        *(tests for file in reached.values() for tests in file.values())
    )  # run on import: any may tell


def ran(room: Path, words: list[str], said: Path | None = None, stop: float = 900) -> int:
    """Run pytest in a copy of the program and return its exit code."""
    environment = {**os.environ, "PYTHONPATH": str(room / "src"), "QT_QPA_PLATFORM": "offscreen"}
    environment |= {"TMPDIR": str(room), "HYPOTHESIS_STORAGE_DIRECTORY": str(room / "hypothesis")}
    command = [sys.executable, "-m", "pytest", "--no-header", "--tb=no", *words]
    with open(said or os.devnull, "w") as out:
        return subprocess.run(
            command, cwd=room, env=environment, stdout=out, stderr=out, timeout=stop
        ).returncode


def noticed(mutant: Mutant, room: Path, tests: list[str]) -> bool:
    """Whether one of the tests fails with the fault in a copy of the program."""
    path = room / mutant.file
    whole = path.read_text()
    path.write_text(mutant.put_into(whole))
    (room / "tests.txt").write_text("\n".join(tests))
    try:
        return bool(tests) and ran(room, ["-x", f"@{room / 'tests.txt'}"], stop=300) != 0
    except subprocess.TimeoutExpired:
        return True  # it runs for ever: a person would notice too
    finally:
        path.write_text(whole)


def measured(mutants: list[Mutant], lived: list[Mutant], seed: int) -> None:
    """Put the score where what was measured stands, in place of the one before."""
    count, killed = len(mutants), len(mutants) - len(lived)
    edges, missed = (sum(mutant.at_the_bound for mutant in some) for some in (mutants, lived))
    lines = [
        f"{HEAD}\n",
        f"{killed} of {count} small faults put into the core were noticed ({100 * killed / count:.0f} %; aim 90): "
        f"`./run mutants {count} {seed}`, {datetime.date.today()}. {edges} of them only took what lies on a bound for what lies "
        f"beyond it (≤ for <), and {missed} of these lived; of all others {100 * (killed - edges + missed) / max(count - edges, 1):.0f} % were noticed.",
        "",
        *(["Those that lived:", "", *(f"- `{mutant}`" for mutant in lived), ""] if lived else []),
    ]
    put(HEAD, lines)


def main(words: list[str]) -> int:
    """Draw faults, put them in, and say what nobody noticed."""
    count, seed = int(words[0]) if words else 200, int(words[1]) if len(words) > 1 else 8
    mutants = drawn(count, seed)
    workers = os.cpu_count() or 1
    with tempfile.TemporaryDirectory(dir="/dev/shm" if os.access("/dev/shm", os.W_OK) else None) as temporary:
        rooms: SimpleQueue[Path] = SimpleQueue()
        for k in range(workers):
            room = Path(temporary) / str(k)
            for part in ("src", "tests", "examples", "docs"):
                shutil.copytree(HERE / part, room / part, ignore=shutil.ignore_patterns("__pycache__"))
            for name in ("pyproject.toml", "README.md"):
                shutil.copy(HERE / name, room / name)
            rooms.put(room)
        reached, took = covered(Path(temporary) / "0")

        def tried(mutant: Mutant) -> tuple[Mutant, bool]:
            room = rooms.get()
            try:
                return mutant, noticed(
                    mutant, room, sorted(reaching(mutant, reached), key=lambda test: took[test])
                )
            finally:
                rooms.put(room)

        killed, lived = 0, []
        with ThreadPoolExecutor(workers) as pool:
            for mutant, seen in pool.map(tried, mutants):
                killed += seen
                if not seen:
                    lived.append(mutant)
                    print(f"lived: {mutant}", flush=True)
    print(
        f"{killed} of {len(mutants)} noticed ({100 * killed / len(mutants):.0f} %); seed {seed}, {datetime.date.today()}"
    )
    measured(mutants, lived, seed)
    return 0


if __name__ == "__main__":
    sys.exit(main(sys.argv[1:]))
