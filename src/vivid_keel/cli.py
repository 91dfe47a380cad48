"""The command line: calculations and reports without a window."""

from __future__ import annotations

import argparse
import json
import os
import signal
import sys
from collections.abc import Iterable, Iterator
from contextlib import ExitStack, contextmanager
from pathlib import Path
from typing import TYPE_CHECKING, Any, TextIO

from vivid_keel import __version__
from vivid_keel.core.errors import KeelError
from vivid_keel.core.record.as_written import WARNING
from vivid_keel.places import KIT_SUFFIX, kit_path
from vivid_keel.whole import read_file

if TYPE_CHECKING:
    from vivid_keel.files import JobFile

BECAUSE = (
    "why it can be relied on though it isn't as it was written: recorded, and the job can be written then"
)
VOUCH = "It is for reading only till somebody vouches for it (--because REASON, or menu, When it breaks)."


def main(argv: list[str]) -> int:
    """Run one command; 0 is success, 2 is bad input said on standard error."""
    parser = argparse.ArgumentParser(
        prog="vivid-keel", description="Levels, staffs, heights and packing. No network, no window."
    )
    parser.add_argument("--version", action="version", version=f"vivid-keel {__version__}")
    sub = parser.add_subparsers(dest="command", required=True)
    sub.add_parser("app", help="open the window, on a job file if one is named")
    shown = sub.add_parser(
        "demo", help="open the window on the demo job; or write it to a file without a window"
    )
    shown.add_argument(
        "--write", metavar="FILE.keel", help="make the demo job there, its kit beside it; never overwritten"
    )
    solve = sub.add_parser("solve", help="one calculation from a problem file")
    solve.add_argument("file", nargs="?", default="-", help="a JSON problem file, or - for standard input")
    solve.add_argument(
        "--batch", action="store_true", help="JSON Lines on standard input, one problem a line"
    )
    book = sub.add_parser("reduce", help="heights, checks and misclosure of a level book in CSV")
    book.add_argument("file", help="the book; its columns are described in docs/formats.md")
    book.add_argument(
        "--mm-per-root-setup", type=float, default=5.0, metavar="K", help="allowed misclosure K·√n [mm]"
    )
    units = ("m", "mm", "cm", "ft", "ft-in")
    book.add_argument(
        "--readings-in", choices=units, default="", help="unit of the readings; else as the file says"
    )
    book.add_argument(
        "--heights-in", choices=units, default="", help="unit of the heights; else as the file says"
    )
    book.add_argument("--sheet", metavar="NAME", help="sheet of a spreadsheet; else the first that is a book")
    book.add_argument("--json", action="store_true", help="heights and checks as JSON, in metres")
    hand = sub.add_parser("moves", help="what is to be moved in a job: a line a point and stage")
    hand.add_argument("job")
    hand.add_argument("--task", metavar="NAME", help="of this task alone")
    hand.add_argument("--json", action="store_true", help="as JSON, in metres")
    keep = sub.add_parser("archive", help="a job as a folder of plain files that outlive this program")
    keep.add_argument("job")
    keep.add_argument("folder", nargs="?", help="JOB.archive if none is named; never overwritten")
    whole = sub.add_parser(
        "verify-archive",
        help="what of an archive doesn't match what it says of itself; 1 where something doesn't",
    )
    whole.add_argument("folder")
    again = sub.add_parser("from-archive", help="the job of an archive, entry for entry")
    again.add_argument("folder")
    again.add_argument("job", help="the job file to make; never overwritten")
    again.add_argument(
        "--even-so", action="store_true", help="also where something doesn't match: for reading only"
    )
    again.add_argument("--because", metavar="REASON", default="", help=BECAUSE)
    to = sub.add_parser("to-json", help="a job or kit file as JSON on standard output")
    to.add_argument("file")
    back = sub.add_parser("from-json", help="a job or kit file from JSON")
    back.add_argument("file")
    back.add_argument("job", help="the file to make, a kit where it ends in .keelkit; never overwritten")
    back.add_argument("--because", metavar="REASON", default="", help=BECAUSE)
    desktop = sub.add_parser("install-desktop", help="put the program into this user's menus")
    desktop.add_argument("--remove", action="store_true", help="take it out again")
    args = parser.parse_args(argv)
    try:
        done = COMMANDS[args.command](args)
        sys.stdout.flush()
    except BrokenPipeError:
        # Whoever read has read enough, as `head` does: no fault, and nothing more to say at the end either.
        os.dup2(os.open(os.devnull, os.O_WRONLY), sys.stdout.fileno())
        return 128 + signal.SIGPIPE
    return done


def _solve(args: argparse.Namespace) -> int:
    if args.batch:
        return solve_batch(sys.stdin.buffer, sys.stdout)
    try:
        if args.file == "-":
            text = sys.stdin.buffer.read()
        else:
            text = read_file(Path(args.file))
    except KeelError as error:
        return _refuse(error)
    try:
        print(json.dumps(solve_text(text), allow_nan=False))
    except KeelError as error:
        return _refuse(error)
    return 0


def solve_text(text: str | bytes) -> dict[str, Any]:
    """Solve one problem given as JSON text."""
    from vivid_keel.core.problems.solving import solve_document
    from vivid_keel.trades.registry import problem_kinds

    try:
        document = json.loads(text)
    except (ValueError, RecursionError) as error:
        raise KeelError("bad-json", f"not JSON: {error}", "") from None
    return solve_document(document, problem_kinds())


def solve_batch(lines: Iterable[bytes], out: TextIO) -> int:
    """Solve JSON Lines, one result or error a line, in the same order."""
    for line in lines:
        if not line.strip():
            continue
        try:
            answer: dict[str, Any] = solve_text(line)
        except KeelError as error:
            answer = {"error": _as_json(error)}
        except Exception as error:
            unsolved = KeelError(
                "not-solved",
                f"this could not be worked out ({type(error).__name__}); it is a fault of the program",
                "",
            )
            answer = {"error": _as_json(unsolved)}
        print(json.dumps(answer, allow_nan=False), file=out, flush=True)
    return 0


def _as_json(error: KeelError) -> dict[str, str]:
    return {"code": error.code, "message": error.message, "where": error.where}


def _refuse(error: KeelError) -> int:
    print(json.dumps({"error": _as_json(error)}, ensure_ascii=False), file=sys.stderr)
    return 2


def _reduce(args: argparse.Namespace) -> int:
    from vivid_keel.exchange.level_columns import BookRefused, find_columns, in_units, text_of
    from vivid_keel.exchange.level_csv import read_book
    from vivid_keel.exchange.spreadsheet import book_sheet, is_spreadsheet, sheets_of

    try:
        raw = read_file(Path(args.file))
        if is_spreadsheet(raw):
            raw = book_sheet(sheets_of(raw), args.sheet)[1]
        columns = in_units(find_columns(text_of(raw).split("\n")), args.readings_in, args.heights_in)
        book = read_book(raw, Path(args.file).name, columns)
    except BookRefused as refused:
        n = len(refused.problems)
        print(f"{args.file} was refused: {n} place{'s' if n > 1 else ''}, nothing was taken", file=sys.stderr)
        for problem in refused.problems:
            print(f"  {problem.where}: {problem.message}", file=sys.stderr)
        return 2
    except KeelError as error:
        print(f"{args.file} was refused: {error.message}", file=sys.stderr)
        return 2
    from vivid_keel.trades.run.text_out import reduce_json, reduce_text

    name, allowed = Path(args.file).stem, args.mm_per_root_setup / 1000
    if args.json:
        told, closed = reduce_json(book, name, allowed)
        print(json.dumps(told, ensure_ascii=False, allow_nan=False))
    else:
        text, closed = reduce_text(book, name, allowed)
        print(text)
    return 0 if closed else 1


def _demo(args: argparse.Namespace) -> int:
    """Write the demo job; its window is opened before it comes to this."""
    from vivid_keel.demo import build

    path = Path(args.write)
    for one in (path, path.with_suffix(KIT_SUFFIX)):
        if os.path.lexists(one):
            return _refuse(
                KeelError("file-exists", f"{one} is there already, and nothing is overwritten", str(one))
            )
    try:
        with build(path) as job:
            print(f"{path}: {len(job.journal.entries)} entries")
    except KeelError as error:
        return _refuse(error)
    return 0


@contextmanager
def _nothing_on_stdout() -> Iterator[None]:
    """Let nothing but the answer stand on standard output, whatever a library prints there meanwhile."""
    sys.stdout.flush()
    kept = os.dup(1)
    try:
        os.dup2(2, 1)
        yield
        sys.stdout.flush()
    finally:
        os.dup2(kept, 1)
        os.close(kept)


def _moves(args: argparse.Namespace) -> int:
    import msgspec

    from vivid_keel.archive.writing import settled
    from vivid_keel.files import JobFile
    from vivid_keel.trades.registry import desk_for

    tasks: list[dict[str, Any]] = []
    names: list[str] = []
    try:
        with _nothing_on_stdout(), JobFile.look_into(Path(args.job)) as file:
            for work in file.journal.works():
                name = file.journal.name_of(work.id)
                names.append(name)
                if args.task is not None and name != args.task:
                    continue
                desk = desk_for(file, work.id)
                settled(desk)
                lines = desk.moves()
                if lines is not None:
                    moves = [msgspec.to_builtins(line) for line in lines]
                    tasks.append({"name": name, "kind": str(work.body["type"]), "moves": moves})
        if args.task is not None and args.task not in names:
            there = ", ".join(names) or "none"
            raise KeelError("unknown-name", f"there is no task “{args.task}”; there are: {there}", args.task)
    except KeelError as error:
        return _refuse(error)
    if args.json:
        print(json.dumps({"tasks": tasks}, ensure_ascii=False, allow_nan=False))
        return 0
    for task in tasks:
        print(f"{task['name']} ({task['kind']})")
        for line in task["moves"]:
            print(f"  {_move_in_words(line)}")
        if not task["moves"]:
            print("  nothing to move yet")
    return 0


def _move_in_words(line: dict[str, Any]) -> str:
    """One line for the eye: millimetres for moves and shims, metres for readings."""

    def shims(key: str) -> str:
        return " + ".join(f"{leaf * 1000:g}" for leaf in line[key])

    said = [line["point"], line["state"]]
    if line["stage"] is not None:
        said.insert(1, f"stage {line['stage']}")
    if line["move_m"]:
        said.append(f"{line['move_m'] * 1000:+.1f} mm")
    said += [
        f"{word} {shims(key)}"
        for word, key in (("out", "out_m"), ("in", "shims_m"), ("for now", "for_now_m"))
        if line[key]
    ]
    if line["turns"] is not None:
        said.append(f"{line['turns']:+.3g} turns")
    said += [
        f"{word} {line[key]:.4f}"
        for word, key in (("jack to", "jack_to"), ("finish at", "finish_at"))
        if line[key] is not None
    ]
    if line["why"]:
        said.append(line["why"])
    return " · ".join(said)


def _archive(args: argparse.Namespace) -> int:
    from vivid_keel.archive.writing import archive_path, write_archive
    from vivid_keel.exchange.painter import without_a_screen
    from vivid_keel.files import JobFile, KitFile

    job = Path(args.job)
    folder = Path(args.folder) if args.folder else archive_path(job)
    kit = kit_path(job)
    try:
        with ExitStack() as open_ones, without_a_screen():
            file = open_ones.enter_context(JobFile.open(job))
            tools = open_ones.enter_context(KitFile.open(kit)) if kit.exists() else None
            write_archive(file, folder, tools)
            mark = file.mark
    except KeelError as error:
        return _refuse(error)
    print(folder)
    return _warn(mark, "The archive says so, too.")


def _verify_archive(args: argparse.Namespace) -> int:
    from vivid_keel.archive.comparing import written_by
    from vivid_keel.archive.reading import verified

    try:
        wrong, mark = verified(Path(args.folder))
    except KeelError as error:
        return _refuse(error)
    for one in wrong:
        print(one)
    if not wrong:
        print(f"{args.folder}: everything is as it was {'archived' if mark else 'written'}")
        by = written_by(Path(args.folder))
        if by != __version__:
            print(f"It was written by version {by or 'unknown'}, so its results were not worked out again.")
    if mark:
        print(f"What was archived was not as it was written. {mark}")
    return 1 if wrong or mark else 0


def _from_archive(args: argparse.Namespace) -> int:
    from vivid_keel.archive.reading import job_from

    try:
        count, wrong, mark = job_from(
            Path(args.folder), Path(args.job), even_so=args.even_so, because=args.because.strip()
        )
    except KeelError as error:
        return _refuse(error)
    for one in wrong:
        print(one, file=sys.stderr)
    if not count:
        print("nothing was made; --even-so makes the job for reading only", file=sys.stderr)
        return 1
    print(f"{args.job}: {count} entries{', for reading only' if mark else ''}")
    return _warn(mark, VOUCH)


def _warn(mark: str, then: str) -> int:
    """Say what isn't as it was written; return the exit code."""
    if mark:
        print(f"{WARNING}{mark} {then}", file=sys.stderr)
    return 1 if mark else 0


def _kind_of_file(path: Path) -> type[JobFile]:
    from vivid_keel.files import JobFile, KitFile

    return KitFile if path.suffix == KIT_SUFFIX else JobFile


def _to_json(args: argparse.Namespace) -> int:
    from vivid_keel.exchange.job_json import write_job

    path = Path(args.file)
    try:
        with _kind_of_file(path).open(path) as file:
            sys.stdout.write(write_job(*file.to_write()))
            mark = file.mark
    except KeelError as error:
        return _refuse(error)
    return _warn(mark, "What was written says so, too.")


def _from_json(args: argparse.Namespace) -> int:
    from vivid_keel.exchange.job_json import read_job

    made = _kind_of_file(Path(args.job))
    try:
        entries, sources = read_job(read_file(Path(args.file)), made.kinds())
        with made.create_from(Path(args.job), entries, sources=sources) as file:
            if args.because.strip() and file.changed:
                file.take_over(args.because)
            mark = file.changed
    except KeelError as error:
        return _refuse(error)
    print(f"{args.job}: {len(entries)} entries{', for reading only' if mark else ''}")
    return _warn(mark, VOUCH)


def _install_desktop(args: argparse.Namespace) -> int:
    from vivid_keel.exchange.desktop import install, remove

    try:
        for path in remove() if args.remove else install(Path(sys.argv[0]).resolve()):
            print(path)
    except OSError as error:
        return _refuse(
            KeelError("not-written", f"{error.filename or 'the menu'} can't be written: {error.strerror}")
        )
    except KeelError as error:
        return _refuse(error)
    return 0


COMMANDS = {
    "solve": _solve,
    "reduce": _reduce,
    "demo": _demo,
    "moves": _moves,
    "archive": _archive,
    "verify-archive": _verify_archive,
    "from-archive": _from_archive,
    "to-json": _to_json,
    "from-json": _from_json,
    "install-desktop": _install_desktop,
}
