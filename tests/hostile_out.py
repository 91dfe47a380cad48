"""What leaves the program, attacked: changed files through every way out, full disks, kills while writing, and what lies in wait.

The parts of `./run hostile` that are called tampered, full, writing and waiting.
"""

from __future__ import annotations

import base64
import contextlib
import io
import itertools
import json
import os
import random
import resource
import shutil
import signal
import sqlite3
import subprocess
import sys
import tempfile
import time
import zlib
from collections.abc import Iterator
from pathlib import Path
from types import SimpleNamespace
from typing import Any

from tests.store.test_chain import by_another_hand


def command(words: list[str]) -> tuple[int, str, str]:
    """Run a command line in this process; return its exit code and what it said on either stream."""
    from vivid_keel.cli import main

    out, err = io.StringIO(), io.StringIO()
    with contextlib.redirect_stdout(out), contextlib.redirect_stderr(err):
        code = main(words)
    return code, out.getvalue(), err.getvalue()


def spoil(rng: random.Random, path: Path) -> str:
    """Change a job as a careless hand or a bad disk does; return how."""
    how = rng.choice(["reading", "person", "entry", "page", "chain"])
    if how == "page":
        raw = bytearray(path.read_bytes())
        at = rng.randrange(6, len(raw) // 4096) * 4096
        raw[at : at + 4096] = bytes(4096)
        path.write_bytes(raw)
        return how
    db = sqlite3.connect(path)
    (last,) = db.execute("SELECT max(id) FROM entries").fetchone()
    rows = db.execute("SELECT id, body FROM entries WHERE body LIKE '%\"m\":%'").fetchall()
    db.close()
    if how == "reading":
        id, body = rng.choice(rows)
        k = rng.choice([k for k, letter in enumerate(body) if letter.isdigit()])
        body = body[:k] + str((int(body[k]) + 1) % 10) + body[k + 1 :]
        statement = f"UPDATE entries SET body = '{body.replace(chr(39), chr(39) * 2)}' WHERE id = {id}"
    elif how == "person":
        statement = f"UPDATE entries SET person = 'Eve' WHERE id = {rng.randrange(1, last)}"
    elif how == "chain":
        statement = f"UPDATE entries SET chain = NULL WHERE id >= {rng.randrange(1, last)}"
    else:
        statement = (
            f"INSERT INTO entries VALUES ({last + 1}, 0, 'matter', '{{\"text\":\"by another\"}}', "
            f"'2026-12-01T10:00:00+00:00', 'Eve', NULL, NULL, 1000000, x'{'01' * 32}')"
        )
    by_another_hand(path, statement)
    return how


def tampered(rng: random.Random, count: int) -> Any:
    """Jobs changed by another hand or torn, through JSON, an archive and a copy: what comes out says so, and is for reading."""
    from tests.hostile import Tally, shm, where
    from tests.mill import mill
    from vivid_keel.core.errors import KeelError
    from vivid_keel.files import JobFile

    tally = Tally()
    with tempfile.TemporaryDirectory(dir=shm()) as folder:
        base = Path(folder) / "base.keel"
        mill(base).close()
        path, back = Path(folder) / "job.keel", Path(folder) / "back.keel"
        for number in range(count):
            shutil.copy(base, path)
            back.unlink(missing_ok=True)
            shutil.rmtree(Path(folder) / "kept", ignore_errors=True)
            how, way = spoil(rng, path), "archive" if number % 40 == 0 else rng.choice(["json", "copy"])
            with tally.timed(f"{how}, {way}") if way != "archive" else contextlib.nullcontext():
                tally.tried += way == "archive"
                try:
                    codes = []
                    if way == "json":
                        code, out, _ = command(["to-json", str(path)])
                        codes.append(code)
                        (Path(folder) / "job.json").write_text(out)
                        codes.append(command(["from-json", str(Path(folder) / "job.json"), str(back)])[0])
                    elif way == "archive":
                        kept = str(Path(folder) / "kept")
                        codes += [
                            command([*words, kept])[0]
                            for words in (["archive", str(path)], ["verify-archive"])
                        ]
                        codes.append(command(["from-archive", kept, str(back)])[0])
                    else:
                        with JobFile.open(path) as file:
                            codes.append(int(bool(file.mark)))
                            entries, sources = file.to_write()
                        JobFile.create_from(back, entries, sources=sources).close()
                    marked = False
                    if back.exists():
                        with JobFile.open(back) as file:
                            marked = file.read_only and bool(file.changed or file.salvaged)
                    if not all(codes) or (back.exists() and not marked):
                        tally.silent += 1
                        tally.said[f"{how} through {way}: {codes}, marked {marked}"] += 1
                except KeelError:
                    pass
                except Exception as error:
                    tally.failed(f"{how} through {way}: {where(error)}")
    return tally


@contextlib.contextmanager
def no_file_over(size: int) -> Iterator[None]:
    """As a disk that is full after so many bytes."""
    was = signal.signal(signal.SIGXFSZ, signal.SIG_IGN)
    soft, hard = resource.getrlimit(resource.RLIMIT_FSIZE)
    resource.setrlimit(resource.RLIMIT_FSIZE, (size, hard))
    try:
        yield
    finally:
        resource.setrlimit(resource.RLIMIT_FSIZE, (soft, hard))
        signal.signal(signal.SIGXFSZ, was)


def full(rng: random.Random, count: int) -> Any:
    """Every writer of every trade on a disk that is full somewhere: whole, or said and nothing there."""
    from PyQt6.QtGui import QGuiApplication

    from tests.hostile import Tally, shm, where
    from tests.mill import mill
    from tests.trades.conftest import wait
    from vivid_keel.exchange.report_pdf import write_pdf
    from vivid_keel.trades.registry import desk_for
    from vivid_keel.ui.errands import Errands

    tally, app = Tally(), QGuiApplication.instance() or QGuiApplication(["vivid-keel"])
    assert app is not None
    with tempfile.TemporaryDirectory(dir=shm()) as folder, mill(Path(folder) / "mill.keel") as job:
        ways: list[tuple[str, Any]] = []
        for work in job.journal.works():
            desk = desk_for(job, work.id)
            wait(desk)
            report = desk.report()
            ways.append(("report.pdf", lambda path, report=report: write_pdf(report(), path, "x")))
            for writer in desk.face.writers:
                if writer.write is not None:
                    ways.append((writer.name, lambda path, w=writer, d=desk: w.write(d, path)))
                pages = None if writer.pages is None else writer.pages(desk)
                if pages is not None:
                    ways.append((writer.name, lambda path, pages=pages: write_pdf(pages(), path, "x")))
        whole: dict[int, bytes] = {}
        said: list[str] = []
        errands: Any = Errands.__new__(Errands)
        errands.window = SimpleNamespace(file=job, say=said.append)
        before = set(os.listdir(folder))
        for _ in range(count):
            k = rng.randrange(len(ways))
            name, write = ways[k]
            if k not in whole:
                write(Path(folder) / "whole")
                whole[k] = (Path(folder) / "whole").read_bytes()
                (Path(folder) / "whole").unlink()
            size = rng.randrange(0, int(1.2 * len(whole[k])) + 2)
            with tally.timed(f"{name}, {size} of {len(whole[k])}"):
                try:
                    with no_file_over(size):
                        errands.write_file(f"x{name}", write)
                except Exception as error:
                    tally.failed(f"{name}: {where(error)}")
            new = set(os.listdir(folder)) - before
            written = said and said[-1].startswith("Written")
            if written != bool(new) or len(new) > 1:
                tally.half_made += 1
                tally.said[f"{name}: {said[-1][:60] if said else ''}, {sorted(new)}"] += 1
            for one in new:
                found = (Path(folder) / one).read_bytes()
                if abs(len(found) - len(whole[k])) > 64:  # a PDF has its time in it
                    tally.half_made += 1
                    tally.said[f"{name}: {len(found)} of {len(whole[k])} bytes"] += 1
                (Path(folder) / one).unlink()
    return tally


WRITES = """
import sys
from pathlib import Path
from vivid_keel.__main__ import main
from vivid_keel.files import JobFile
folder = Path(sys.argv[1])
print("ready", flush=True)
n = 0
while True:
    n += 1
    with JobFile.look_into(folder / "mill.keel") as file:
        JobFile.create_from(folder / f"copy{n}.keel", *file.to_write()[:1], sources=file.to_write()[1]).close()
    from vivid_keel.whole import whole
    with whole(folder / f"list{n}.csv") as aside:
        aside.write_text("a,b\\n" * 20000 + "end\\n")
    if n % 3 == 0:
        main(["archive", str(folder / "mill.keel"), str(folder / f"kept{n}")])
"""


def writing(rng: random.Random, count: int) -> Any:
    """Killed while it writes copies, lists and archives: what has its name is whole, and what has not goes at the next start."""
    from tests.hostile import Tally, shm, where
    from tests.mill import mill
    from vivid_keel.archive.reading import mismatches
    from vivid_keel.files import JobFile
    from vivid_keel.whole import NEW, PART, clear_leftovers

    tally = Tally()
    with tempfile.TemporaryDirectory(dir=shm()) as folder:
        for number in range(count):
            at = Path(folder) / str(number)
            at.mkdir()
            mill(at / "mill.keel").close()
            before = set(os.listdir(at))
            env = {**os.environ, "QT_QPA_PLATFORM": "offscreen", "XDG_DATA_HOME": folder}
            child = subprocess.Popen(
                [sys.executable, "-P", "-c", WRITES, str(at)],
                stdout=subprocess.PIPE,
                stderr=subprocess.DEVNULL,
                env=env,
            )
            assert child.stdout is not None
            child.stdout.readline()
            time.sleep(rng.uniform(0, 4.0 if number % 4 == 0 else 0.4))
            child.kill()
            child.communicate()
            with tally.timed(number):
                try:
                    for name in sorted(set(os.listdir(at)) - before):
                        path = at / name
                        if name.startswith("."):
                            continue
                        if name.endswith(".csv"):
                            good = path.read_text().endswith("end\n")
                        elif name.endswith(".keel"):
                            with JobFile.open(path) as file:
                                good = not file.read_only
                        else:
                            good = mismatches(path) == []
                        if not good:
                            tally.half_made += 1
                            tally.said[f"half made: {name}"] += 1
                    clear_leftovers(at)
                    left = [name for name in os.listdir(at) if name.endswith((PART, NEW))]
                    if left:
                        tally.half_made += 1
                        tally.said[f"left: {left[0]}"] += 1
                except Exception as error:
                    tally.failed(where(error))
            shutil.rmtree(at)
    return tally


PLANTED = ("platformdirs", "json", "numpy", "sqlite3", "msgspec", "vivid_keel", "csv", "typing", "getpass")
MEMORY = 600 << 20
"""So much memory a bomb may take [bytes]: what is kept of one entry may be 256 MiB."""


def waiting(rng: random.Random, count: int) -> Any:
    """Bombs, pipes, devices, modules planted in the folder, and clocks that leap: a sentence, soon, and nothing run."""
    from tests.hostile import Tally, shm, where
    from tests.mill import mill
    from vivid_keel.core.errors import KeelError
    from vivid_keel.files import JobFile
    from vivid_keel.store import door

    tally, root = Tally(), Path(__file__).parents[1]
    real = door.time
    with tempfile.TemporaryDirectory(dir=shm()) as folder:
        base = Path(folder) / "base.keel"
        with mill(base) as file:
            with_bytes = next(iter(file.sources()))
            text = json.loads(command(["to-json", str(base)])[1])
        bomb = base64.b64encode(zlib.compress(bytes(1 << 30))).decode()
        os.mkfifo(Path(folder) / "pipe")
        for number in range(count):
            kind = ("bomb", "pipe", "planted", "clock")[number % 4]
            with tally.timed(kind):
                try:
                    if kind == "bomb":
                        text["sources"] = dict.fromkeys(text["sources"], bomb)
                        path = Path(folder) / "bomb.json"
                        path.write_text(json.dumps(text))
                        peak = resource.getrusage(resource.RUSAGE_SELF).ru_maxrss << 10
                        code, _, said = command(["from-json", str(path), str(Path(folder) / "no.keel")])
                        grown = (resource.getrusage(resource.RUSAGE_SELF).ru_maxrss << 10) - peak
                        if code == 0 or not said or grown > MEMORY:
                            tally.failed(f"a bomb beside entry {with_bytes}: {code}, {grown >> 20} MiB more")
                    elif kind == "pipe":
                        at = str(rng.choice([Path(folder) / "pipe", Path("/dev/zero"), Path("/dev/urandom")]))
                        words = rng.choice(
                            [["reduce", at], ["solve", at], ["moves", at], ["to-json", at], ["archive", at]]
                            + [[word, at, f"{folder}/no.keel"] for word in ("from-json", "from-archive")]
                        )
                        code, _, said = command(words)
                        if code == 0 or not said:
                            tally.failed(f"{words[0]} of {at}: {code}")
                    elif kind == "planted":
                        ground = Path(tempfile.mkdtemp(dir=folder))
                        name = rng.choice(PLANTED)
                        (ground / f"{name}.py").write_text(
                            "import pathlib; pathlib.Path(__file__).with_name('was-run').touch()\n"
                        )
                        subprocess.run(
                            [str(root / "run"), "moves", str(base)],
                            cwd=ground,
                            capture_output=True,
                            check=False,
                        )
                        if (ground / "was-run").exists():
                            tally.failed(f"{name}.py of the folder was run")
                    else:
                        leap = itertools.count(0, rng.choice([1, 60, 5000]))
                        door.time = SimpleNamespace(monotonic=lambda leap=leap: next(leap))  # type: ignore[assignment]
                        with JobFile.open(base) as file:
                            if file.read_only:
                                tally.failed(f"a slow clock: {file.why_read_only()}")
                except KeelError as error:
                    tally.failed(f"{kind}: {error.message[:80]}")
                except Exception as error:
                    tally.failed(f"{kind}: {where(error)}")
                finally:
                    door.time = real
    return tally
