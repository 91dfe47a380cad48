"""The archive folder: recomputed by scripts that import nothing of the program, checked by others' tools, given back entry for entry."""

from __future__ import annotations

import csv
import hashlib
import io
import json
import os
import re
import shutil
import subprocess
import sys
from contextlib import redirect_stdout
from pathlib import Path

import fastjsonschema
import numpy as np
import pytest

from vivid_keel import __version__
from vivid_keel.archive.reading import job_from, mismatches
from vivid_keel.archive.readme import AWK, PYTHON
from vivid_keel.archive.writing import write_archive, write_tables
from vivid_keel.cli import main as command
from vivid_keel.core.errors import KeelError
from vivid_keel.core.quantities import parse_length
from vivid_keel.core.record.entries import Draft
from vivid_keel.core.record.readings import as_read
from vivid_keel.core.record.told import si
from vivid_keel.demo import build
from vivid_keel.exchange.job_json import write_job
from vivid_keel.files import JobFile, KitFile
from vivid_keel.places import KIT_SUFFIX
from vivid_keel.trades.registry import desk_for


@pytest.fixture(scope="module")
def demo(tmp_path_factory, qapp):
    """The demo's archive, its entries and sources."""
    folder = tmp_path_factory.mktemp("kept")
    with build(folder / "mill.keel") as job, KitFile.open(folder / f"mill{KIT_SUFFIX}") as kit:
        made = write_archive(job, folder / "mill.archive", kit)
        told = write_job(job.journal.entries.values(), job.sources())
    return made, told, folder


@pytest.fixture
def archive(demo, tmp_path):
    """A copy of it that may be spoiled."""
    return Path(shutil.copytree(demo[0], tmp_path / "mill.archive"))


def rows(path):
    with path.open(encoding="utf-8", newline="") as lines:
        return list(csv.DictReader(lines))


def recomputed(folder: Path) -> dict[str, float]:
    """What the script of the README makes of a run's readings."""
    out, here = io.StringIO(), os.getcwd()
    os.chdir(folder)
    try:
        with redirect_stdout(out):
            exec(compile(PYTHON, "README", "exec"), {})
    finally:
        os.chdir(here)
    return {(parts := line.rpartition(","))[0]: float(parts[2]) for line in out.getvalue().splitlines()}


def by_awk(folder: Path) -> dict[str, float]:
    done = subprocess.run(["sh", "-c", AWK], cwd=folder, capture_output=True, text=True, check=True)
    return {(parts := line.rpartition(","))[0]: float(parts[2]) for line in done.stdout.splitlines()}


def heights(folder: Path) -> dict[str, float]:
    return {row["mark"]: float(row["height_m"]) for row in rows(folder / "results.csv")}


def test_every_height_of_the_demo_is_recomputed_by_scripts_that_know_nothing_of_the_program(demo):
    runs = [row for row in rows(demo[0] / "works.csv") if row["trade"] == "level run"]
    assert len(runs) == 2
    for run in runs:
        folder = demo[0] / run["folder"]
        told = heights(folder)
        assert len(told) >= 6
        assert recomputed(folder) == pytest.approx(told, abs=1e-6)
        assert by_awk(folder) == pytest.approx(told, abs=1e-6)
        for row in rows(folder / "results.csv"):
            corrected = float(row["height_m"]) + float(row["corrections_m"])
            assert float(row["corrected_m"]) == pytest.approx(corrected, abs=1e-9)
    text = (demo[0] / "README.txt").read_text()
    assert PYTHON in text and AWK in text
    for word in ("Osier Mill", "site datum, brass stud in the gatepost", "Vivid Keel", "level run"):
        assert word in text


def test_the_checksums_are_those_that_sha256sum_reads(demo):
    done = subprocess.run(["sha256sum", "-c", "--quiet", "SHA256SUMS"], cwd=demo[0], check=False)
    assert done.returncode == 0
    named = {line[66:] for line in (demo[0] / "SHA256SUMS").read_text().splitlines()}
    there = {p.relative_to(demo[0]).as_posix() for p in demo[0].rglob("*") if p.is_file()}
    assert named == there - {"SHA256SUMS"}


def test_an_independent_validator_accepts_every_line_and_refuses_a_spoiled_one(demo):
    schema = json.loads((demo[0] / "schema.json").read_text())
    valid = fastjsonschema.compile(schema)
    lines = [json.loads(line) for line in (demo[0] / "entries.jsonl").read_text().splitlines()]
    for line in lines:
        valid(line)
    sight = next(line for line in lines if line["kind"] == "sight")
    for spoiled in (
        {**sight, "kind": "no such kind"},
        {**sight, "body": {**sight["body"], "reading": 1.482}},
        {**sight, "body": {k: v for k, v in sight["body"].items() if k != "mark"}},
        {**sight, "body": {**sight["body"], "more": 1}},
        {k: v for k, v in sight.items() if k != "time"},
    ):
        with pytest.raises(fastjsonschema.JsonSchemaException):
            valid(spoiled)


def test_the_job_comes_back_entry_for_entry(demo, tmp_path):
    assert mismatches(demo[0]) == []
    count, wrong, mark = job_from(demo[0], tmp_path / "back.keel")
    assert wrong == [] and mark == ""
    with JobFile.open(tmp_path / "back.keel") as back:
        assert len(back.journal.entries) == count and not back.read_only
        assert write_job(back.journal.entries.values(), back.sources()) == demo[1]


def test_every_work_has_its_readings_results_report_and_pictures_and_every_name_whole(demo):
    listed = rows(demo[0] / "works.csv")
    assert [int(row["number"]) for row in listed] == list(range(1, len(listed) + 1)) and len(listed) == 14
    lines = [json.loads(line) for line in (demo[0] / "entries.jsonl").read_text().splitlines()]
    for row in listed:
        folder = demo[0] / row["folder"]
        work = next(
            line["id"] for line in lines if line["kind"] == "work" and line["body"]["name"] == row["name"]
        )
        read = (folder / "as-read.csv").read_text()
        told = {
            line["body"]["reading"]["text"]
            for line in lines
            if line["work"] == work and isinstance(line["body"].get("reading"), dict)
        }
        told |= {
            line["body"]["text"]
            for line in lines
            if line["work"] == work and "phase" in line["body"] and "text" in line["body"]
        }
        missing = {text for text in told if text not in read and text.replace('"', '""') not in read}
        assert not missing, row["name"]
        results = rows(folder / "results.csv")
        assert results, row["name"]
        if "quantity" in results[0]:
            assert all(one["of"] and one["quantity"] and one["value"] and one["unit"] for one in results)
        assert (folder / "report.pdf").read_bytes().startswith(b"%PDF-1.4")
        pictures = list(folder.glob("*.svg"))
        assert pictures and all(p.read_bytes().startswith(b"<?xml") for p in pictures)


def test_the_kit_that_read_here_is_kept_and_no_other_instrument(demo):
    lines = [json.loads(line) for line in (demo[0] / "kit.jsonl").read_text().splitlines()]
    names = {line["body"]["name"] for line in lines if line["kind"] == "work"}
    assert {"Amber level"} <= names and "Carpenter's level" not in names


# Two hundred jobs at random

UNITS = (("m", 3, 1.0), ("ft", 2, 0.3048), ("mm", 0, 0.001))
NAMES = ("BM", "a", "CP 1", "CP 2", "weir", "sill, north", 'the "old" stud', "=1+1", "Mühle 3")


def random_job(path, seed):
    rng = np.random.default_rng(seed)
    unit, digits, size = UNITS[int(rng.integers(3))]

    def read(low=-2.5, high=3.9):
        return as_read(parse_length(f"{float(rng.uniform(low, high)) / size:.{digits}f}", unit, "."))

    file = JobFile.create(path, f"Job {seed}", "Ada", decimal_mark=str(rng.choice([".", ","])))
    (run,) = file.record([Draft(0, "work", {"name": f"Run {seed}", "type": "run", "unit": unit})])
    names = list(rng.permutation(NAMES)[: int(rng.integers(2, 8))])
    for name in names[: int(rng.integers(1, 4))]:
        body = {
            "name": str(name),
            "height": read(40, 60),
            "source": "drawing, sheet 4",
            "fixed": bool(rng.integers(2)),
        }
        file.record([Draft(run.id, "mark", body)])
    made, after, fresh = [], str(names[0]), True
    for _ in range(int(rng.integers(2, 30))):
        way = float(rng.random())
        if way < 0.08 and made:
            entry = made[int(rng.integers(len(made)))]
            if file.journal.stands(entry.id):
                file.record([Draft(run.id, "strike", {"reason": "misread, twice"}, strikes=entry.id)])
        elif way < 0.1:
            file.record([Draft(run.id, "setup", {})])
            fresh = True
        elif way < 0.13:
            fresh = True
            file.record(
                [
                    Draft(
                        run.id,
                        "event",
                        {"what": str(rng.choice(["moved", "knocked", "staff"])), "note": "by, a cart"},
                    )
                ]
            )
        elif way < 0.16:
            body = {"use_curvature": True, "override": True, "reason": "told to", "spread": "setups"}
            file.record([Draft(run.id, "closing", body)])
        else:
            # Mostly as a book goes: back, between, fore, and back to that; now and then anything.
            usual = "BS" if fresh else str(rng.choice(["IS", "FS", "IS"]))
            kind = usual if rng.random() < 0.95 else str(rng.choice(["BS", "IS", "FS"]))
            mark = after if kind == "BS" and rng.random() < 0.8 else str(rng.choice(names))
            fresh = kind == "FS"
            body = {"mark": mark, "sight": kind, "reading": read()}
            if rng.random() < 0.5:
                body["distance"] = as_read(parse_length(f"{float(rng.uniform(5, 60)):.1f}", "m", "."))
            made += file.record([Draft(run.id, "sight", body)])
            after = mark if kind == "FS" else after
    return file, run.id


def test_two_hundred_jobs_at_random_are_recomputed_to_the_last_height(tmp_path):
    told_of = without_comma = 0
    for seed in range(200):
        with random_job(tmp_path / f"{seed}.keel", seed)[0] as file:
            work = file.journal.works()[0].id
            folder = tmp_path / str(seed)
            folder.mkdir()
            write_tables(file, desk_for(file, work), folder)
            told = heights(folder)
            assert recomputed(folder) == pytest.approx(told, abs=1.1e-6), seed
            told_of += len(told)
            if not any("," in row["mark"] or '"' in row["mark"] for row in rows(folder / "as-read.csv")):
                without_comma += 1
                assert by_awk(folder) == pytest.approx(told, abs=1.1e-6), seed
    assert told_of > 300 and without_comma > 40


@pytest.mark.parametrize("seed", [3, 8])
def test_a_job_at_random_is_archived_whole_and_comes_back(seed, tmp_path, qapp):
    with random_job(tmp_path / "job.keel", seed)[0] as file:
        folder = write_archive(file, tmp_path / "job.archive")
        told = write_job(file.journal.entries.values())
    assert mismatches(folder) == []
    job_from(folder, tmp_path / "back.keel")
    with JobFile.open(tmp_path / "back.keel") as back:
        assert write_job(back.journal.entries.values()) == told


# What was spoiled


@pytest.mark.parametrize(
    ("spoil", "said"),
    [
        (lambda a: (a / "works.csv").write_text("x"), "works.csv: changed since it was written"),
        (lambda a: (a / "README.txt").unlink(), "README.txt: missing"),
        (
            lambda a: (a / "more.txt").write_text("x"),
            "more.txt: isn't named in SHA256SUMS; it was put in later",
        ),
        (lambda a: flip(a / "entries.jsonl"), "entries.jsonl: changed since it was written"),
        (lambda a: link(a / "README.txt"), "README.txt: named in SHA256SUMS, and lies outside the folder"),
        (lambda a: shutil.rmtree(a / "02 Mill floor posts"), "02 Mill floor posts/report.pdf: missing"),
    ],
)
def test_what_doesnt_match_is_said_and_nothing_is_made_but_on_purpose_and_for_reading(
    archive, spoil, said, tmp_path, capsys
):
    spoil(archive)
    wrong = mismatches(archive)
    assert said in wrong
    assert command(["verify-archive", str(archive)]) == 1
    assert said in capsys.readouterr().out
    job = tmp_path / "back.keel"
    assert command(["from-archive", str(archive), str(job)]) in {1, 2} and not job.exists()
    capsys.readouterr()
    if (archive / "entries.jsonl").exists() and said.startswith(("works", "more", "02")):
        assert command(["from-archive", str(archive), str(job), "--even-so"]) == 1
        assert "for reading only" in capsys.readouterr().out
        with JobFile.open(job) as back:
            assert back.read_only and "doesn't match what it says of itself" in back.changed


def flip(path):
    raw = bytearray(path.read_bytes())
    raw[len(raw) // 2] ^= 1
    path.write_bytes(raw)


def link(path):
    path.unlink()
    path.symlink_to("/etc/hostname")


def resealed(archive, name):
    """Say of a changed file that it was always so."""
    digest = hashlib.sha256((archive / name).read_bytes()).hexdigest()
    sums = archive / "SHA256SUMS"
    lines = [f"{digest}  {name}" if line[66:] == name else line for line in sums.read_text().splitlines()]
    sums.write_text("\n".join(lines) + "\n")


@pytest.mark.parametrize(
    ("change", "said"),
    [
        (lambda text: text.replace('"kind":"sight"', '"kind":"night"', 1), "“night” is no kind of entry"),
        (lambda text: text[: len(text) // 2], "not JSON"),
        (lambda text: text.partition("\n")[2], "first entry"),
        (lambda text: "", "at least one entry"),
        (lambda text: text.replace('"m":1.482', '"m":1e999', 1), ""),
    ],
)
def test_an_archive_put_together_by_hand_is_read_with_care(archive, change, said):
    path = archive / "entries.jsonl"
    path.write_text(change(path.read_text()))
    resealed(archive, "entries.jsonl")
    wrong = mismatches(archive)
    assert len(wrong) == 1 and wrong[0].startswith("entries.jsonl") and said in wrong[0]


@pytest.mark.parametrize(
    ("name", "old", "new", "said"),
    [
        (
            "entries.jsonl",
            '"text":"1.936","unit":"m","m":1.936',
            '"text":"1.836","unit":"m","m":1.836',
            "says “1.936”",
        ),
        ("01 Gatepost to weir/results.csv", "Yard drain,41.864,", "Yard drain,41.863,", "says “41.863”"),
        ("01 Gatepost to weir/as-read.csv", "Yard drain,IS,1.936", "Yard drain,IS,1.836", "says “1.836”"),
        ("02 Mill floor posts/results.csv", "U1,target,1.264,", "U1,target,1.263,", "says “1.263”"),
    ],
)
def test_a_number_changed_where_its_checksum_was_mended_is_found_by_file_and_line(
    archive, name, old, new, said, tmp_path, capsys
):
    text = (archive / name).read_text()
    assert text.count(old) == 1
    (archive / name).write_text(text.replace(old, new))
    resealed(archive, name)
    assert mismatches(archive) == []
    assert command(["verify-archive", str(archive)]) == 1
    told = capsys.readouterr().out
    assert said in told and ".csv, line " in told
    assert command(["from-archive", str(archive), str(tmp_path / "back.keel")]) == 1
    assert not (tmp_path / "back.keel").exists()


def test_what_another_version_wrote_is_not_worked_out_again_and_that_is_said(archive, capsys):
    readme = archive / "README.txt"
    readme.write_text(readme.read_text().replace(f"Vivid Keel {__version__}", "Vivid Keel 0.18.0"))
    resealed(archive, "README.txt")
    assert command(["verify-archive", str(archive)]) == 0
    assert "written by version 0.18.0" in capsys.readouterr().out


def test_the_kit_is_by_its_schema_and_a_line_that_isnt_is_named(demo, archive):
    valid = fastjsonschema.compile(json.loads((demo[0] / "kit-schema.json").read_text()))
    lines = (demo[0] / "kit.jsonl").read_text().splitlines()
    assert len(lines) > 5
    for line in lines:
        valid(json.loads(line))
    (archive / "kit.jsonl").write_text("\n".join([*lines, '{"id": 1}']) + "\n")
    resealed(archive, "kit.jsonl")
    (wrong,) = mismatches(archive)
    assert wrong.startswith("kit.jsonl") and f"/{len(lines)}/" in wrong


def test_numbers_stand_as_a_person_writes_them(demo):
    odd = re.compile(r"^-0$|[0-9]e[-+]?[0-9]")
    for path in demo[0].glob("*/*.csv"):
        for row in csv.reader(path.read_text(encoding="utf-8").splitlines()):
            assert not [cell for cell in row if odd.search(cell)], path
            assert not any(re.search(r"bed-reading, sort across, at \d{2}", cell) for cell in row)


@pytest.mark.parametrize(
    ("value", "written"),
    [
        (-0.0, "0"),
        (2.2e-16, "0"),
        (-1e-13, "0"),
        (5.43592e-05, "0.0000543592"),
        (-0.000999999999999999, "-0.001"),
        (42.3180001, "42.3180001"),
        (1e6, "1000000"),
    ],
)
def test_a_number_in_a_table(value, written):
    assert si(value) == written


def test_a_name_in_the_sums_that_no_file_system_holds_is_missing(archive):
    sums = archive / "SHA256SUMS"
    sums.write_text(sums.read_text() + f"{'0' * 64}  {'1' * 300}/{'2' * 300}\n")
    assert mismatches(archive) == [f"{'1' * 300}/{'2' * 300}: missing"]


@pytest.mark.parametrize(
    "what", ["nothing", "a file", "another folder", "nonsense in the sums", "a name outside"]
)
def test_another_programs_folder_is_refused_with_the_reason(what, tmp_path, capsys):
    folder = tmp_path / "x.archive"
    if what == "a file":
        folder.write_text("x")
    elif what != "nothing":
        folder.mkdir()
        (folder / "a.txt").write_text("x")
        if what == "nonsense in the sums":
            (folder / "SHA256SUMS").write_text("no sum\n")
        if what == "a name outside":
            (folder / "SHA256SUMS").write_text(f"{'0' * 64}  ../../etc/passwd\n")
    code = command(["verify-archive", str(folder)])
    said = capsys.readouterr()
    assert code in {1, 2} and said.out + said.err
    assert command(["from-archive", str(folder), str(tmp_path / "j.keel")]) in {1, 2}
    assert not (tmp_path / "j.keel").exists()


def test_nothing_is_overwritten_and_a_full_disk_leaves_nothing_behind(demo, tmp_path):
    with JobFile.open(Path(shutil.copy(demo[2] / "mill.keel", tmp_path / "mill.keel"))) as job:
        (tmp_path / "mill.archive").mkdir()
        with pytest.raises(KeelError, match="never overwritten"):
            write_archive(job, tmp_path / "mill.archive")
        assert write_archive(job, tmp_path / "b.archive", carry_on=lambda done: done < 0.3) is None
    script = (
        "import resource, signal, sys; from pathlib import Path; from vivid_keel.files import JobFile\n"
        "from vivid_keel.core.errors import KeelError; from vivid_keel.archive.writing import write_archive\n"
        "from vivid_keel.exchange.painter import without_a_screen\n"
        "signal.signal(signal.SIGXFSZ, signal.SIG_IGN)\n"
        "file = JobFile.open(Path(sys.argv[1]))\n"
        "resource.setrlimit(resource.RLIMIT_FSIZE, (20000, 20000))\n"
        "with without_a_screen():\n"
        "    try: write_archive(file, Path(sys.argv[2]))\n"
        "    except KeelError as error: print(error.code, error.message)\n"
    )
    done = subprocess.run(
        [sys.executable, "-c", script, str(tmp_path / "mill.keel"), str(tmp_path / "full.archive")],
        capture_output=True,
        text=True,
        check=False,
    )
    assert done.stdout.startswith("not-written") and "can't be written" in done.stdout
    left = {p.name for p in tmp_path.iterdir() if not p.name.endswith("-lock")}
    assert left == {"mill.keel", "mill.archive"} and not list((tmp_path / "mill.archive").iterdir())


def test_the_commands_say_what_they_did(tmp_path, capsys):
    job = tmp_path / "mill.keel"
    assert (
        command(["demo", "--write", str(job)]) == 0 and job.exists() and job.with_suffix(KIT_SUFFIX).exists()
    )
    assert command(["demo", "--write", str(job)]) == 2
    capsys.readouterr()
    assert command(["to-json", str(job.with_suffix(KIT_SUFFIX))]) == 0
    (tmp_path / "kit.json").write_text(capsys.readouterr().out)
    assert command(["from-json", str(tmp_path / "kit.json"), str(tmp_path / "again.keelkit")]) == 0
    with KitFile.open(tmp_path / "again.keelkit") as kit:
        assert "Amber level" in {one.body["name"] for one in kit.journal.works()}
    assert command(["archive", str(tmp_path / "none.keel")]) == 2
    assert "none.keel" in capsys.readouterr().err


def test_from_the_window_it_is_written_beside_the_job_and_brought_in_again(qtbot, tmp_path, monkeypatch):
    from vivid_keel.ui.window import Window

    monkeypatch.setenv("XDG_STATE_HOME", str(tmp_path / "state"))
    monkeypatch.setenv("XDG_DATA_HOME", str(tmp_path / "data"))
    window = Window("Ada")
    qtbot.addWidget(window)
    window.errands.write_archive()
    assert "Open a job first" in window.job_state.text() + window.notice.text()
    job = random_job(tmp_path / "job.keel", 3)[0]
    window.take(job)
    told = write_job(job.journal.entries.values())
    window.errands.write_archive()
    window.errands.write_archive()
    assert "one at a time" in window.notice.text()
    qtbot.waitUntil(lambda: "Written" in window.notice.text(), timeout=30000)
    folder = tmp_path / "job.archive"
    assert mismatches(folder) == []
    (folder / "README.txt").write_text("x")
    window.errands.bring_in_archive(folder)
    qtbot.waitUntil(lambda: not window.worker.busy, timeout=20000)
    assert "README.txt: changed" in window.notice.text() and not (tmp_path / "job 2.keel").exists()
    window.errands.bring_in_archive(tmp_path)
    qtbot.waitUntil(lambda: not window.worker.busy, timeout=20000)
    assert "no archive of a job" in window.notice.text()
    shutil.rmtree(folder)
    window.errands.write_archive()
    qtbot.waitUntil(lambda: "Written" in window.notice.text(), timeout=30000)
    window.errands.bring_in_archive(folder)
    qtbot.waitUntil(lambda: not window.worker.busy, timeout=20000)
    assert window.job.path == tmp_path / "job 2.keel"
    assert write_job(window.job.journal.entries.values()) == told
    window.close()
