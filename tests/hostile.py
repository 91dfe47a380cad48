"""What strangers, accidents and monkeys do to it: ./run hostile.

    ./run hostile [PART …] [SHARE] [SEED]     parts: kills files problems jobs books names archives monkey tampered full writing waiting screen; SHARE of the whole, 1 for all of it

Whatever comes in is answered with a sentence; nothing accepted is lost; nothing is half made. Each part counts what went otherwise.
Writes docs/measured.md.
"""

from __future__ import annotations

import contextlib
import copy
import datetime
import hashlib
import io
import json
import os
import random
import select
import shutil
import signal
import subprocess
import sys
import tempfile
import time
from collections import Counter
from collections.abc import Callable, Iterator
from dataclasses import dataclass, field
from pathlib import Path
from typing import Any

from tests.hostile_out import full, tampered, waiting, writing
from tests.page import PAGE, put

HERE = Path(__file__).parent
HEAD = "## Strangers, accidents and monkeys"
SLOW = 5.0
"""Longer than this nobody waits for a sentence [s]."""
MONSTERS = (
    0,
    -1,
    1e308,
    -1e308,
    1e-320,
    10**18,
    10**400,
    2**53,
    2**63,
    2**64,
    True,
    None,
    "",
    "n" * 50,
    "\ud800",
    "\x00",
    "=1+1",
    [],
    {},
    [[]],
    {"": {}},
    "NaN",
    1e9,
    -0.0,
    5e9,
    0.1,
    "m",
    "ft-in",
    "1,5",
)
"""What is put where something else stood."""


@dataclass
class Tally:
    """What came of one part."""

    tried: int = 0
    uncaught: int = 0
    silent: int = 0
    lost: int = 0
    slow: int = 0
    half_made: int = 0
    said: Counter[str] = field(default_factory=Counter)

    def failed(self, what: str) -> None:
        """Note something that nobody caught."""
        self.uncaught += 1
        self.said[what] += 1

    @contextlib.contextmanager
    def timed(self, what: object) -> Iterator[None]:
        """Count one try, and whether it took too long."""
        self.tried += 1
        start = time.perf_counter()
        try:
            yield
        finally:
            if time.perf_counter() - start > SLOW:
                self.slow += 1
                self.said[f"slow: {str(what)[:160]}"] += 1


def where(error: BaseException) -> str:
    """An error in a few words with the place in the program."""
    trace = error.__traceback__
    while trace is not None and trace.tb_next is not None:
        trace = trace.tb_next
    at = f"{Path(trace.tb_frame.f_code.co_filename).name}:{trace.tb_lineno}" if trace is not None else "?"
    return f"{type(error).__name__} at {at}: {str(error)[:80]}"


def mutated(rng: random.Random, raw: bytes) -> bytes:
    """A text or file with something wrong with it."""
    out = bytearray(raw)
    for _ in range(rng.choice((1, 1, 1, 2, 5))):
        at = rng.randrange(len(out)) if out else 0
        kind = rng.randrange(7)
        if kind == 0 and out:
            out[at] ^= 1 << rng.randrange(8)
        elif kind == 1 and out:
            out[at] = rng.randrange(256)
        elif kind == 2:
            del out[at : at + rng.choice((1, 1, 3, 40, 700))]
        elif kind == 3:
            out[at:at] = rng.choice(
                (
                    b'"',
                    b",",
                    b"\n",
                    b"\x00",
                    b"\xff",
                    b"9" * 30,
                    b"-",
                    b";",
                    b"\t",
                    b"=",
                    b"e9",
                    "é½″".encode(),
                )
            )
        elif kind == 4:
            other = rng.randrange(len(out) + 1)
            out[at:at] = out[other : other + rng.choice((1, 10, 300))]
        elif kind == 5:
            del out[at:]
        else:
            out[at:at] = rng.choice((b"\xef\xbb\xbf", b"\r\n", b"[" * 50, b"{" * 50, b"1e400", b"1" * 5000))
    return bytes(out)


def warped(rng: random.Random, document: object) -> object:
    """A JSON document with something monstrous in it."""
    document = copy.deepcopy(document)
    for _ in range(rng.choice((1, 1, 2, 4))):
        places: list[tuple[object, object]] = []

        def walk(node: object, places: list[tuple[object, object]] = places) -> None:
            inner = (
                node.items() if isinstance(node, dict) else enumerate(node) if isinstance(node, list) else ()
            )
            for key, value in inner:
                places.append((node, key))
                walk(value)

        walk(document)
        if not places:
            return document
        node, key = rng.choice(places)
        how = rng.randrange(5)
        if how == 0 and isinstance(node, dict):
            del node[key]
        elif how == 1 and isinstance(node, dict):
            node[rng.choice(("extra", "", "kind", "m"))] = copy.deepcopy(rng.choice(MONSTERS))
        elif how == 2 and isinstance(node, list):
            node.extend(node[: rng.choice((1, 5, 200))])
        else:
            node[key] = copy.deepcopy(rng.choice(MONSTERS))  # type: ignore[index]
    return document


# --- problem files


def problems(rng: random.Random, count: int) -> Tally:
    """Problem files with monstrous fields, and broken texts, as one batch: each line has its answer."""
    from vivid_keel.cli import solve_batch

    cases = [
        case for path in sorted((HERE / "vectors").glob("*.json")) for case in json.loads(path.read_text())
    ]
    plain = [{key: case[key] for key in ("kind", "problem")} for case in cases]
    tally = Tally()
    for _ in range(count):
        case = rng.choice(plain)
        if rng.random() < 0.7:
            line = json.dumps(warped(rng, case)).encode()
        else:
            line = mutated(rng, json.dumps(case).encode()).replace(b"\n", b" ")
        out = io.StringIO()
        with tally.timed(line[:200]):
            try:
                solve_batch([line], out)
            except Exception as error:
                tally.failed(where(error))
                continue
        answers = out.getvalue().splitlines()
        if len(answers) != bool(line.strip()) or any(
            not ({"result", "error"} & set(json.loads(a))) for a in answers
        ):
            tally.failed(f"no answer: {answers}"[:200] + line.decode(errors="replace")[:300])
        elif any("a fault of the program" in a for a in answers):
            tally.failed(f"{answers}"[:200] + line.decode(errors="replace")[:300])
    return tally


# --- jobs as JSON


def jobs(rng: random.Random, count: int) -> Tally:
    """Whole jobs as JSON, mutated: made into a file that opens, or refused, and nothing half made is left."""
    from vivid_keel.core.errors import KeelError
    from vivid_keel.exchange.job_json import read_job
    from vivid_keel.files import JobFile

    told = json.loads((HERE / "store/old/job-0.7.json").read_text())
    tally = Tally()
    with tempfile.TemporaryDirectory(dir=shm()) as folder:
        path = Path(folder) / "made.keel"
        for number in range(count):
            document = {**told, "entries": told["entries"][: rng.choice((2, 9, 30, 113))]}
            raw = (
                json.dumps(warped(rng, document)).encode()
                if rng.random() < 0.6
                else mutated(rng, json.dumps(document).encode())
            )
            with tally.timed(raw[:100]):
                try:
                    entries, sources = read_job(raw, JobFile.kinds())
                    made = JobFile.create_from(path, entries, sources=sources)
                    made.close()
                    with JobFile.open(path) as again:
                        if list(again.journal.entries.values()) != entries or (
                            again.read_only and not again.unknown
                        ):
                            tally.silent += 1
                            tally.said[f"made, and opens otherwise: {again.why_read_only()[:90]}"] += 1
                        if number % 40 == 0:
                            shown(again, tally)
                except KeelError:
                    pass
                except Exception as error:
                    tally.failed(where(error))
            for left in Path(folder).iterdir():
                if left != path:
                    tally.half_made += 1
                left.unlink()
    return tally


def shown(file: object, tally: Tally) -> None:
    """All that a job says of its works, worked out: what opens must also be shown."""
    from vivid_keel.core.errors import KeelError
    from vivid_keel.files import YardFile
    from vivid_keel.trades.registry import desk_for
    from vivid_keel.yard.desk import YardDesk

    for work in file.journal.works():  # type: ignore[attr-defined]
        try:
            yard = isinstance(file, YardFile) and work.body["type"] == "learner"
            desk = YardDesk(file, work.id) if yard else desk_for(file, work.id)  # type: ignore[arg-type]
            for stage in desk.stage_names:
                desk.findings(stage)
                desk.next(stage)
                desk.picture(stage, 0, 700.0, 300.0)
                for sheet in desk.sheets(stage):
                    for row in range(min(sheet.count, 12)):
                        for column in range(len(sheet.columns)):
                            sheet.cell(row, column)
        except KeelError:
            continue
        except Exception as error:
            tally.failed(where(error))


# --- level books


def books(rng: random.Random, count: int) -> Tally:
    """Level books in CSV, mutated: read, or refused with their places."""
    from vivid_keel.core.errors import KeelError
    from vivid_keel.exchange.level_csv import read_book
    from vivid_keel.trades.run.bring_in import book_drafts

    files = [
        p.read_bytes()
        for p in sorted((HERE / "exchange/strangers").iterdir())
        if p.suffix in {".csv", ".txt"}
    ]
    files += [p.read_bytes() for p in sorted((HERE.parent / "examples").glob("*.csv"))]
    tally = Tally()
    for _ in range(count):
        raw = mutated(rng, rng.choice(files)[:6000])
        with tally.timed(raw[:100]):
            try:
                book_drafts(read_book(raw, "book.csv"), "book")
            except KeelError:
                pass
            except Exception as error:
                if type(error).__name__ != "BookRefused":
                    tally.failed(where(error))
    return tally


# --- job and kit files


def files(rng: random.Random, count: int) -> Tally:
    """Files of jobs, kits and practice yards with bytes changed: the entries are as they were, or it is said; what opens is shown."""
    from vivid_keel.core.errors import KeelError
    from vivid_keel.files import JobFile, KitFile, YardFile

    tally = Tally()
    with tempfile.TemporaryDirectory(dir=shm()) as folder:
        sources = []
        for name, kind in (
            ("store/old/job-0.7.keel", JobFile),
            ("store/old/job-0.12.keel", JobFile),
            ("store/old/kit-0.7.keelkit", KitFile),
            ("yard/old/yard-0.12.keelyard", YardFile),
        ):
            path = Path(folder) / Path(name).name
            shutil.copy(HERE / name, path)
            kind.open(path).close()  # brought up to today
            with kind.open(path) as file:
                file.record([draft(list(file.journal.entries.values())[-1].work)])
                sources.append((kind, path.read_bytes(), dict(file.journal.entries)))
        suffixes = {JobFile: ".keel", KitFile: ".keelkit", YardFile: ".keelyard"}
        for number in range(count):
            kind, raw, true = rng.choice(sources)
            changed = mutated(rng, raw)
            path = Path(folder) / f"changed{suffixes[kind]}"
            path.write_bytes(changed)
            with tally.timed(number):
                try:
                    with kind.open(path) as file:
                        said = file.read_only
                        if file.journal.entries != true and not said:
                            tally.silent += 1
                            tally.said["opens with another content and says nothing"] += 1
                        if number % 25 == 0 and kind is not KitFile:
                            shown(file, tally)
                except KeelError:
                    pass
                except Exception as error:
                    tally.failed(where(error))
            for left in Path(folder).iterdir():
                if left.name.startswith((".changed", "changed")):
                    left.unlink()
    return tally


# --- archive folders


def archives(rng: random.Random, count: int) -> Tally:
    """Archive folders with a file changed, lost, put in or sealed anew: what doesn't match is said, and nothing half made is left."""
    from vivid_keel.archive.reading import job_from
    from vivid_keel.archive.writing import SUMS, write_archive
    from vivid_keel.core.errors import KeelError
    from vivid_keel.exchange.painter import without_a_screen
    from vivid_keel.files import JobFile

    tally = Tally()
    with tempfile.TemporaryDirectory(dir=shm()) as folder:
        path = Path(folder) / "back.keel"
        source = Path(shutil.copy(HERE / "store/old/job-0.3.keel", Path(folder) / "job.keel"))
        with JobFile.open(source) as file, without_a_screen():
            kept = write_archive(file, Path(folder) / "job.archive")
        assert kept is not None
        sums = (kept / SUMS).read_text()
        small = [p for p in sorted(kept.rglob("*")) if p.is_file() and p.suffix not in {".svg", ".pdf"}]
        for number in range(count):
            victim = rng.choice(small)
            before = victim.read_bytes()
            how = rng.random()
            after = None if how < 0.1 else mutated(rng, before)
            victim.unlink() if after is None else victim.write_bytes(after)
            sealed = after is not None and victim.name != SUMS and how > 0.5
            if sealed:
                name, digest = victim.relative_to(kept).as_posix(), hashlib.sha256(after or b"").hexdigest()
                lines = [f"{digest}  {name}" if line[66:] == name else line for line in sums.splitlines()]
                (kept / SUMS).write_text("\n".join(lines) + "\n")
            made, wrong = 0, ["refused"]
            with tally.timed(number):
                try:
                    made, wrong, _ = job_from(kept, path, even_so=rng.random() < 0.3)
                except KeelError:
                    pass
                except Exception as error:
                    tally.failed(f"{victim.name}: {where(error)}")
            if not sealed and not wrong and after != before:
                tally.silent += 1
                tally.said[f"{victim.name} changed and nothing said"] += 1
            if path.exists() and not made:
                tally.half_made += 1
            path.unlink(missing_ok=True)
            victim.write_bytes(before)
            (kept / SUMS).write_text(sums)
    return tally


def draft(work: int) -> object:
    """Something entered today, so that a file carries a chain."""
    from vivid_keel.core.record.entries import Draft

    return Draft(work, "matter", {"text": "look again"})


def shm() -> str | None:
    """Where made-up files go: thousands of durable commits belong on no disk."""
    return "/dev/shm" if os.access("/dev/shm", os.W_OK) else None


# --- the window

TYPED = "0123456789.,-+'\"/ abBmTFSxh½=µ\n"


def kept(window: Any) -> dict[Path, int]:
    """How many entries each open file holds."""
    files = [file for file in (window.job, window.kit, window.yard) if file is not None]
    return {file.path: len(file.journal.entries) for file in files}


def elsewhere(window: Any, before: dict[Path, int], path: Path | None, work: int) -> list[str]:
    """What was entered since in a work that was not in hand: in another work of the file, or in another file."""
    out = []
    for file in (window.job, window.kit, window.yard):
        if file is None or file.path not in before:
            continue
        new = list(file.journal.entries.values())[before[file.path] :]
        begun = {entry.id for entry in new if entry.kind == "work"}
        at_home = {0, work, *begun} if file.path == path else begun
        out += [f"{entry.kind} entered elsewhere" for entry in new if entry.work not in at_home]
    return out


def monkey(rng: random.Random, count: int) -> Tally:
    """Random keys, clicks, sizes, works, stages over the demo and its kit: nothing falls into the net, nothing is entered but in the work
    in hand, and while nobody does anything nothing is."""
    from PyQt6 import sip
    from PyQt6.QtCore import QEvent, QPoint, QPointF, Qt
    from PyQt6.QtGui import QKeyEvent, QMouseEvent
    from PyQt6.QtTest import QTest
    from PyQt6.QtWidgets import QApplication, QFileDialog

    from tests.bench import application
    from vivid_keel import trouble
    from vivid_keel.demo import build
    from vivid_keel.ui.theme import theme
    from vivid_keel.ui.window import Window

    app, tally = application(), Tally()
    theme.use("Daylight")
    QFileDialog.getOpenFileName = staticmethod(lambda *_, **__: ("", ""))  # type: ignore[assignment, method-assign]
    QFileDialog.getExistingDirectory = staticmethod(lambda *_, **__: "")  # type: ignore[assignment, method-assign]
    QFileDialog.getSaveFileName = staticmethod(lambda *_, **__: ("", ""))  # type: ignore[assignment, method-assign]
    caught: list[str] = []
    trouble.uncaught = lambda kind, error, trace: caught.append(where(error))  # type: ignore[assignment]
    sys.excepthook = lambda kind, error, trace: caught.append(where(error))
    trouble.described = lambda error, *more: caught.append(where(error)) or where(error)  # type: ignore[assignment, func-returns-value]
    keys = [
        Qt.Key.Key_Return,
        Qt.Key.Key_Escape,
        Qt.Key.Key_Tab,
        Qt.Key.Key_Backtab,
        Qt.Key.Key_Up,
        Qt.Key.Key_Down,
    ]
    keys += [
        Qt.Key.Key_Left,
        Qt.Key.Key_Right,
        Qt.Key.Key_Home,
        Qt.Key.Key_End,
        Qt.Key.Key_PageDown,
        Qt.Key.Key_Delete,
    ]
    keys += [
        Qt.Key.Key_Backspace,
        Qt.Key.Key_F1,
        Qt.Key.Key_F2,
        Qt.Key.Key_F3,
        Qt.Key.Key_F4,
        Qt.Key.Key_F6,
        Qt.Key.Key_F7,
    ]
    keys += [Qt.Key.Key_F8, Qt.Key.Key_F11, Qt.Key.Key_Insert, Qt.Key.Key_Space]
    skip = {"Ctrl+Q", "F9", "Ctrl+P"}  # of these the last opens Qt's own preview, and waits in it
    with tempfile.TemporaryDirectory(dir=shm()) as folder:
        os.environ["XDG_STATE_HOME"] = os.environ["XDG_DATA_HOME"] = folder
        window = None
        for number in range(count):
            if number % 2500 == 0:  # a fresh job: a long one slows what is tried
                if window is not None:
                    window.close()
                    window.deleteLater()
                    app.processEvents()
                window = Window("Ada")
                window.resize(1280, 800)
                window.show()
                window.take(build(Path(folder) / f"Osier Mill {number}.keel"))
                window.picture._settle.setInterval(20)  # sooner than a hand, that it may be waited for
            assert window is not None
            kind = rng.random()
            what: object = ""
            held, path = kept(window), window.file.path if window.file is not None else None
            work = window.desk.work if window.desk is not None else 0
            with tally.timed(number):
                try:
                    target = QApplication.focusWidget() or window
                    if kind < 0.42:
                        what = rng.choice(TYPED)
                        for sort in (QEvent.Type.KeyPress, QEvent.Type.KeyRelease):
                            QApplication.sendEvent(
                                target, QKeyEvent(sort, 0, Qt.KeyboardModifier.NoModifier, str(what))
                            )
                    elif kind < 0.68:
                        key = rng.choice(keys)
                        what = key
                        shift = (
                            Qt.KeyboardModifier.ShiftModifier
                            if rng.random() < 0.05
                            else Qt.KeyboardModifier.NoModifier
                        )
                        for sort in (QEvent.Type.KeyPress, QEvent.Type.KeyRelease):
                            if not sip.isdeleted(target):
                                QApplication.sendEvent(target, QKeyEvent(sort, int(key), shift))
                    elif kind < 0.80:
                        actions = [a for a in window.actions() if a.shortcut().toString() not in skip]
                        action = rng.choice(actions)
                        what = action.text() or action.shortcut().toString()
                        if not action.text().startswith(
                            ("Quit", "Larger type", "Write the archive")
                        ):  # that starts a program
                            action.trigger()
                    elif kind < 0.83:  # something in the picture, by keys
                        window.picture.setFocus()
                        what, key = "nudge", rng.choice(keys[4:8])
                        for _ in range(rng.randrange(1, 4)):
                            QApplication.sendEvent(
                                QApplication.focusWidget() or window,
                                QKeyEvent(QEvent.Type.KeyPress, int(key), Qt.KeyboardModifier.NoModifier),
                            )
                    elif kind < 0.93:
                        at = QPoint(rng.randrange(window.width()), rng.randrange(window.height()))
                        under = window.childAt(at) or window
                        inner = QPointF(under.mapFrom(window, at))
                        what = f"click {type(under).__name__}"
                        left = Qt.MouseButton.LeftButton
                        for sort in (
                            QEvent.Type.MouseButtonPress,
                            QEvent.Type.MouseMove,
                            QEvent.Type.MouseButtonRelease,
                        ):
                            to = (
                                inner + QPointF(rng.randrange(-30, 30), rng.randrange(-30, 30))
                                if rng.random() < 0.2
                                else inner
                            )
                            event = QMouseEvent(
                                sort,
                                to,
                                QPointF(under.mapToGlobal(to.toPoint())),
                                left,
                                left,
                                Qt.KeyboardModifier.NoModifier,
                            )
                            if not sip.isdeleted(under):
                                QApplication.sendEvent(under, event)
                    elif kind < 0.96 and window.file is not None:
                        works = window.file.journal.works()
                        what = "work"
                        if works:
                            window.open_work(rng.choice(works).id)
                    elif kind < 0.985 and window.desk is not None:
                        what = "stage"
                        window.show_stage(rng.choice(window.desk.stage_names))
                    else:
                        what = "size"
                        window.resize(rng.randrange(300, 1500), rng.randrange(200, 1000))
                    app.processEvents()
                    while (popup := QApplication.activePopupWidget()) is not None:
                        popup.close()
                    if window.isHidden():
                        window.show()
                    if str(what)[:4] not in {"Undo", "Redo"}:
                        for said in elsewhere(window, held, path, work):
                            tally.failed(f"{said} ({what})")
                    if what in {"work", "stage"} and window.picture._nudged:
                        tally.failed("what was nudged is carried to another page")
                    if number % 50 == 0:
                        window.settle()
                        QTest.qWait(1)
                    if number % 100 == 0 and not (window.desk is not None and window.desk.streams()):
                        window.picture.settle()
                        held, hand = kept(window), QApplication.focusWidget()
                        QTest.qWait(120)
                        if kept(window) != held:
                            tally.failed(f"entered while nobody did anything (after {what})")
                        if QApplication.focusWidget() is not hand:
                            tally.failed(f"the hand was led away while nobody did anything (after {what})")
                except Exception as error:
                    tally.failed(f"{where(error)} ({what})")
            for said in caught:
                tally.failed(f"{said} ({what})")
            caught.clear()
        if window is not None:
            window.close()
    return tally


# --- what goes out

SIGNS = "aé½″′µ漢字ע🜁\u202e\u200b\u0301<>&\"'`\\/=+-@;,|%$#{}[]()*?:\t\n\r\x00\x07\x1b\ufeff\ud800 .."


def strange(rng: random.Random) -> str:
    """A name that somebody gave."""
    some = (
        "=cmd|' /C calc'!A0",
        "<!--",
        "]]>",
        "&amp;",
        "%%EOF",
        "a" * 5000,
        "..",
        "../../x",
        "CON",
        "-",
        "'; DROP",
        "\\U+0041",
        "%n",
    )
    return (
        rng.choice(some)
        if rng.random() < 0.15
        else "".join(rng.choice(SIGNS) for _ in range(rng.choice((1, 3, 12, 60))))
    )


def names(rng: random.Random, count: int) -> Tally:
    """Every file that can be written, of a job in which everything bears a hostile name, read by another reader."""
    from tests.bench import application
    from vivid_keel.core.errors import KeelError
    from vivid_keel.demo import build
    from vivid_keel.exchange.drawing import write_svg
    from vivid_keel.exchange.geo_json import write_points
    from vivid_keel.exchange.job_json import write_job
    from vivid_keel.exchange.report_pdf import write_pdf
    from vivid_keel.places import file_name
    from vivid_keel.trades.registry import desk_for

    application()
    tally = Tally()
    with tempfile.TemporaryDirectory(dir=shm()) as folder:
        with build(Path(folder) / "base.keel") as base:
            raw, works = base.path.read_bytes(), [w.id for w in base.journal.works()]
        for number in range(count):
            path = Path(folder) / "named.keel"
            path.write_bytes(raw)
            out = Path(folder) / f"out {number}"
            out.mkdir()
            with tally.timed(number):
                try:
                    with renamed(path, rng) as file:
                        work = works[number % len(works)]
                        desk, name = desk_for(file, work), file.journal.name_of(work)
                        for writer in desk.writers():
                            to = out / file_name(f"{name[:60]}{writer.name}")
                            if writer.write is not None:
                                writer.write(desk, to)
                            elif number % 10 == 0:
                                write_pdf(writer.pages(desk)(), to, name)  # type: ignore[misc]
                        write_svg(
                            desk.picture(desk.stage_names[0], 0, 700.0, 300.0), out / "picture.svg", name
                        )
                        (out / "job.json").write_text(
                            write_job(file.journal.entries.values(), file.sources())
                        )
                        with contextlib.suppress(KeelError):  # nothing in it has a place in plan
                            (out / "points.geojson").write_text(write_points(name, desk.plan_points()))
                        if number % 10 == 0:
                            pages = desk.report()
                            write_pdf(
                                pages() if pages is not None else [],
                                out / file_name(f"{name}, report.pdf"),
                                name,
                            )
                except KeelError as refused:
                    if refused.code != "no-positions":
                        tally.failed(f"refused: {refused.message[:90]}")
                except Exception as error:
                    tally.failed(where(error))
            for made in sorted(out.iterdir()):
                try:
                    parsed(made)
                except Exception as error:
                    tally.failed(f"{made.suffix} can't be read: {where(error)}")
            shutil.rmtree(out)
    return tally


def renamed(path: Path, rng: random.Random) -> object:
    """The demo with every name in it a hostile one; those that are refused on the way in stay as they were."""
    from vivid_keel.core.errors import KeelError
    from vivid_keel.core.record.entries import Draft
    from vivid_keel.files import JobFile

    file = JobFile.open(path)
    for entry in list(file.journal.entries.values()):
        if not file.journal.stands(entry.id) or entry.kind in {"job", "undo", "strike", "taken-over"}:
            continue
        fields = [
            f
            for f in ("name", "mark", "remark", "source", "note", "row")
            if isinstance(entry.body.get(f), str)
        ]
        if entry.kind == "work":
            draft = Draft(entry.id, "rename", {"name": strange(rng)})
        elif fields and rng.random() < 0.4:
            draft = Draft(
                entry.work, entry.kind, {**entry.body, rng.choice(fields): strange(rng)}, strikes=entry.id
            )
        else:
            continue
        with contextlib.suppress(KeelError):
            file.record([draft])
    return file


def parsed(path: Path) -> None:
    """Read a file as another program would."""
    import csv
    from xml.etree import ElementTree

    if path.suffix == ".csv":
        with open(path, newline="", encoding="utf-8") as text:
            rows = list(csv.reader(text))
        bad = [
            c
            for row in rows
            for c in row
            if c[:1] in "=+@\t" and c and not c.lstrip("+").replace(".", "").isdigit()
        ]
        if not rows or bad:
            raise ValueError(f"a spreadsheet would run {bad[:1]}")
    elif path.suffix == ".svg":
        ElementTree.parse(path)
    elif path.suffix in {".json", ".geojson"}:
        json.loads(path.read_text())
    elif path.suffix == ".pdf":
        subprocess.run(["pdftotext", str(path), "-"], check=True, capture_output=True)
    elif path.suffix == ".dxf":
        lines = path.read_text(encoding="utf-8", errors="surrogateescape").splitlines()
        if (
            len(lines) % 2
            or lines[-1].strip() != "EOF"
            or not all(c.strip().lstrip("-").isdigit() for c in lines[::2])
        ):
            raise ValueError("codes and values don't alternate")


# --- kills

WINDOW = """
import os, sys, time
from pathlib import Path
from typing import Any
from PyQt6.QtCore import QEvent, Qt
from PyQt6.QtGui import QKeyEvent
from PyQt6.QtWidgets import QApplication
from vivid_keel.ui.theme import theme
from vivid_keel.ui.window import Window
app = QApplication([])
theme.use("Daylight")
window = Window("Ada")
window.resize(1280, 800)
window.show()
window.open_path(Path(sys.argv[1]))
window.show_stage("Readings")
window.activateWindow()
app.processEvents()
def key(code, text=""):
    QApplication.sendEvent(window.sheet.editor or window.sheet, QKeyEvent(QEvent.Type.KeyPress, code, Qt.KeyboardModifier.NoModifier, text))
window.sheet.go((window.sheet.sheet.count - 1, 0))
for n in range(2_000):
    before = len(window.file.journal.entries)
    for text in (f"k{n}", f"1.{100 + n % 900}"):
        for ch in text:
            key(0, ch)
        key(Qt.Key.Key_Return)
        app.processEvents()
    if len(window.file.journal.entries) > before:
        print(max(window.file.journal.entries), flush=True)
"""
"""Books sights by keys until it is killed, and says which were accepted."""


def kills(rng: random.Random, count: int) -> Tally:
    """The store, and one time in ten the real window under Xvfb, killed while booking: what was accepted is there, and the file is whole."""
    from vivid_keel.core.record.entries import Draft
    from vivid_keel.demo import build
    from vivid_keel.files import JobFile

    tally = Tally()
    reading = {"text": "1.482", "unit": "m", "m": 1.482, "step_m": 0.001}
    screen = None
    if shutil.which("Xvfb"):
        display = f":{os.getpid() % 500 + 200}"
        screen = subprocess.Popen(
            ["Xvfb", display, "-screen", "0", "1280x800x24"],
            stdin=subprocess.DEVNULL,
            stdout=subprocess.DEVNULL,
            stderr=subprocess.DEVNULL,
        )
        time.sleep(1.0)
    with tempfile.TemporaryDirectory(dir=shm()) as folder:
        env = {**os.environ, "XDG_STATE_HOME": folder, "XDG_DATA_HOME": folder}
        with build(Path(folder) / "base.keel") as base:
            raw, work = base.path.read_bytes(), base.journal.works()[0].id
        path = Path(folder) / "killed.keel"
        for number in range(count):
            if number % 40 == 0:
                path.write_bytes(raw)
            accepted: list[int] = []
            with tally.timed(number):
                if screen is not None and number % 10 == 0:
                    env |= {"DISPLAY": display, "QT_QPA_PLATFORM": "xcb"}
                    child = subprocess.Popen(
                        [sys.executable, "-c", WINDOW, str(path)],
                        stdout=subprocess.PIPE,
                        stderr=subprocess.DEVNULL,
                        text=True,
                        env=env,
                    )
                    assert child.stdout is not None
                    ready, _, _ = select.select([child.stdout], [], [], 60.0)
                    first = child.stdout.readline() if ready else ""
                    time.sleep(rng.uniform(0, 0.3))
                    child.send_signal(signal.SIGKILL)
                    accepted = [int(line) for line in (first + child.stdout.read()).split("\n")[:-1] if line]
                    child.wait()
                    if not first:
                        tally.failed("the window booked nothing")
                else:
                    ours, theirs = os.pipe()
                    pid = os.fork()
                    if pid == 0:
                        with contextlib.suppress(BaseException):
                            file = JobFile.open(path)
                            while True:
                                (entry,) = file.record(
                                    [
                                        Draft(
                                            work, "sight", {"mark": "sill", "sight": "IS", "reading": reading}
                                        )
                                    ]
                                )
                                os.write(theirs, f"{entry.id}\n".encode())
                        os._exit(1)
                    os.close(theirs)
                    time.sleep(rng.uniform(0.01, 0.06))
                    os.kill(pid, signal.SIGKILL)
                    os.waitpid(pid, 0)
                    with os.fdopen(ours) as told:
                        accepted = [int(line) for line in told.read().split("\n")[:-1]]
                try:
                    with JobFile.open(path) as file:
                        tally.lost += len(set(accepted) - set(file.journal.entries))
                        if file.read_only:
                            tally.failed(file.why_read_only())
                        if file._db.execute("PRAGMA integrity_check").fetchone() != ("ok",):
                            tally.half_made += 1
                except Exception as error:
                    tally.failed(where(error))
        left = [p.name for p in Path(folder).iterdir() if p.name.endswith((".keel-new", ".part"))]
        tally.half_made += len(left)
    if screen is not None:
        screen.terminate()
        screen.wait()
    return tally


def on_a_screen(rng: random.Random, count: int) -> Tally:
    """The monkey again, in a window of a real X server."""
    tally = Tally()
    if not shutil.which("Xvfb"):
        tally.said["no Xvfb here: not tried"] += 1
        return tally
    display = f":{os.getpid() % 500 + 800}"
    quiet = {"stdin": subprocess.DEVNULL, "stdout": subprocess.DEVNULL, "stderr": subprocess.DEVNULL}
    screen = subprocess.Popen(["Xvfb", display, "-screen", "0", "1600x1200x24"], **quiet)  # type: ignore[call-overload]
    try:
        time.sleep(1.0)
        words = [
            "-W",
            "ignore",
            "-m",
            "tests.hostile",
            "monkey",
            str(count / PARTS["monkey"][1]),
            str(rng.randrange(1000)),
        ]
        env = {**os.environ, "DISPLAY": display, "QT_QPA_PLATFORM": "xcb"}
        done = subprocess.run(
            [sys.executable, *words], env=env, capture_output=True, text=True, cwd=HERE.parent
        )
    finally:
        screen.terminate()
        screen.wait()
    line = next((line for line in done.stdout.splitlines() if line.startswith("|")), "")
    if done.returncode not in {0, 1} or not line:
        tally.failed(f"it ended with {done.returncode}: {done.stderr[-300:]}")
        return tally
    cells = [int(cell) for cell in line.split("|")[2:8]]
    tally.tried, tally.lost, tally.uncaught, tally.silent, tally.slow, tally.half_made = cells
    tally.said.update(line.strip() for line in done.stdout.splitlines()[1:])
    return tally


PARTS: dict[str, tuple[Callable[[random.Random, int], Tally], int, str]] = {
    "kills": (kills, 1_000, "kills of the store, one in ten of the window"),
    "files": (files, 3_000, "files of jobs, kits and practice yards with bytes changed"),
    "problems": (problems, 50_000, "problem files"),
    "jobs": (jobs, 20_000, "whole jobs as JSON"),
    "books": (books, 100_000, "level books in CSV"),
    "names": (names, 500, "files written of jobs with hostile names"),
    "archives": (archives, 5_000, "archive folders changed"),
    "monkey": (monkey, 25_000, "random events over every work, kit and page"),
    "tampered": (tampered, 400, "changed and torn jobs through every way out"),
    "full": (full, 400, "writers on a disk that is full"),
    "writing": (writing, 60, "kills while copies, lists and archives are written"),
    "waiting": (waiting, 40, "bombs, pipes, planted modules, clocks that leap"),
    "screen": (on_a_screen, 25_000, "the same in a window of an X server"),
}
"""What does it, how often in all, and what it is called."""


def put_rows(seed: int, done: dict[str, str]) -> None:
    """Put the rows of the parts that were done into the page; those of the others stay as they were."""
    page = PAGE.read_text()
    rows = [line for line in page[page.index(HEAD) :].split("\n## ")[0].splitlines() if line.startswith("| ")]
    known = {row.split(" | ")[0].lstrip("| "): row for row in rows}
    for name, line in done.items():
        known[PARTS[name][2]] = f"{line} {seed} | {datetime.date.today()} |"
    table = [
        "| | tried | accepted entries lost | uncaught | silent changes | over 5 s | half-made files | seed | day |",
        "|---|---|---|---|---|---|---|---|---|",
        *(known[title] for _, _, title in PARTS.values() if title in known),
    ]
    told = "`./run hostile 1 SEED`, or one part of it by its name. Whatever came in was answered with a sentence:"
    put(HEAD, [f"{HEAD}\n", told, "", *table])


def main(words: list[str]) -> int:
    """Do the parts, print what came of them, and write the page."""
    names = [word for word in words if word in PARTS] or list(PARTS)
    numbers = [word for word in words if word not in PARTS]
    share, seed = float(numbers[0]) if numbers else 1.0, int(numbers[1]) if len(numbers) > 1 else 1
    sys.set_int_max_str_digits(0)
    lines, bad = [], 0
    for name in names:
        what, count, title = PARTS[name]
        start = time.monotonic()
        tally = what(random.Random(f"{seed} {name}"), max(1, round(count * share)))
        bad += tally.uncaught + tally.silent + tally.lost + tally.slow + tally.half_made
        line = f"| {title} | {tally.tried} | {tally.lost} | {tally.uncaught} | {tally.silent} | {tally.slow} | {tally.half_made} |"
        lines.append(line)
        print(line, f"{time.monotonic() - start:.0f} s", flush=True)
        for said, times in tally.said.most_common(25):
            print(f"    {times} × {said}")
    if share >= 1:
        put_rows(seed, dict(zip(names, lines, strict=True)))
    return 1 if bad else 0


if __name__ == "__main__":
    sys.exit(main(sys.argv[1:]))
