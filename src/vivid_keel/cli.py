"""The command line: calculations and reports without a window."""

from __future__ import annotations

import argparse
import json
import sys
from collections.abc import Iterable
from typing import Any, TextIO

from vivid_keel import __version__
from vivid_keel.core.errors import KeelError


def main(argv: list[str]) -> int:
    """Run one command; 0 is success, 2 is bad input said on standard error."""
    parser = argparse.ArgumentParser(
        prog="vivid-keel", description="Levels, staffs, heights and packing. No network, no window."
    )
    parser.add_argument("--version", action="version", version=f"vivid-keel {__version__}")
    sub = parser.add_subparsers(dest="command", required=True)
    sub.add_parser("app", help="open the window, on a job file if one is named")
    sub.add_parser("demo", help="open the window on the demo job")
    solve = sub.add_parser("solve", help="one calculation from a problem file")
    solve.add_argument("file", nargs="?", default="-", help="a JSON problem file, or - for standard input")
    solve.add_argument("--batch", action="store_true", help="JSON Lines on standard input, one problem a line")
    args = parser.parse_args(argv)
    return COMMANDS[args.command](args)


def _solve(args: argparse.Namespace) -> int:
    if args.batch:
        return solve_batch(sys.stdin.buffer, sys.stdout)
    try:
        if args.file == "-":
            text = sys.stdin.buffer.read()
        else:
            with open(args.file, "rb") as file:
                text = file.read()
    except OSError as error:
        return _refuse(KeelError("no-file", f"{args.file}: {error.strerror}", args.file))
    try:
        print(json.dumps(solve_text(text), allow_nan=False))
    except KeelError as error:
        return _refuse(error)
    return 0


def solve_text(text: str | bytes) -> dict[str, Any]:
    """Solve one problem given as JSON text."""
    from vivid_keel.core.problems import solve_document

    try:
        document = json.loads(text)
    except (ValueError, RecursionError) as error:
        raise KeelError("bad-json", f"not JSON: {error}", "") from None
    return solve_document(document)


def solve_batch(lines: Iterable[bytes], out: TextIO) -> int:
    """Solve JSON Lines, one result or error a line, in the same order."""
    for line in lines:
        if not line.strip():
            continue
        try:
            answer: dict[str, Any] = solve_text(line)
        except KeelError as error:
            answer = {"error": _as_json(error)}
        print(json.dumps(answer, allow_nan=False), file=out, flush=True)
    return 0


def _as_json(error: KeelError) -> dict[str, str]:
    return {"code": error.code, "message": error.message, "where": error.where}


def _refuse(error: KeelError) -> int:
    print(json.dumps({"error": _as_json(error)}, ensure_ascii=False), file=sys.stderr)
    return 2


COMMANDS = {"solve": _solve}
