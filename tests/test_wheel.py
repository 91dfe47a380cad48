"""What is handed on: the wheel, put into an environment of its own, solves and makes the demo; and what goes with it is whole."""

from __future__ import annotations

import json
import re
import subprocess
import sys
import sysconfig
import venv
import zipfile
from pathlib import Path
from xml.etree import ElementTree

import pytest

import vivid_keel
from vivid_keel.cli import COMMANDS

ROOT = Path(__file__).parent.parent
PACKAGING = ROOT / "packaging"


@pytest.fixture(scope="module")
def wheel(tmp_path_factory):
    folder = tmp_path_factory.mktemp("wheel")
    command = [
        sys.executable,
        "-m",
        "pip",
        "wheel",
        "-q",
        "--no-deps",
        "--no-build-isolation",
        "-w",
        str(folder),
        str(ROOT),
    ]
    subprocess.run(command, check=True, capture_output=True)
    (found,) = folder.glob("*.whl")
    return found


def test_the_wheel_in_an_environment_of_its_own_solves_and_makes_the_demo(wheel, tmp_path):
    """Its libraries are those of this environment; of the program nothing is in reach but the wheel."""
    home = tmp_path / "env"
    venv.create(home, with_pip=False)
    python = home / "bin" / "python"
    own = next(home.glob("lib/python*/site-packages"))
    with zipfile.ZipFile(wheel) as packed:
        packed.extractall(own)
    (own / "libraries.pth").write_text(sysconfig.get_path("purelib"))
    where = subprocess.run(
        [python, "-c", "import vivid_keel; print(vivid_keel.__file__)"],
        capture_output=True,
        text=True,
        check=True,
        cwd=tmp_path,
    )
    assert Path(where.stdout.strip()).is_relative_to(own)
    vector = json.loads((ROOT / "tests" / "vectors" / "two_peg.json").read_text())[0]
    problem = json.dumps({key: vector[key] for key in ("kind", "problem")})
    ran = [python, "-m", "vivid_keel"]
    done = subprocess.run(
        [*ran, "solve"], input=problem, capture_output=True, text=True, check=True, cwd=tmp_path
    )
    assert json.loads(done.stdout)["result"]["collimation_rad"] == pytest.approx(
        vector["expect"]["collimation_rad"]
    )
    subprocess.run([*ran, "demo", "--write", "mill.keel"], check=True, capture_output=True, cwd=tmp_path)
    kept = subprocess.run(
        [*ran, "to-json", "mill.keel"], capture_output=True, text=True, check=True, cwd=tmp_path
    )
    assert len(json.loads(kept.stdout)["entries"]) > 300


def test_everything_that_the_program_reads_is_in_the_wheel(wheel):
    with zipfile.ZipFile(wheel) as packed:
        inside = set(packed.namelist())
    package = ROOT / "src" / "vivid_keel"
    wanted = {
        p.relative_to(package.parent).as_posix()
        for p in package.rglob("*")
        if p.is_file() and "__pycache__" not in p.parts
    }
    assert wanted - inside == set()


def test_the_man_page_and_the_completion_know_every_command():
    page = (PACKAGING / "vivid-keel.1").read_text().replace("\\-", "-")
    completion = (PACKAGING / "vivid-keel.bash").read_text()
    for command in {*COMMANDS, "app", "demo"}:
        assert re.search(rf'^\.BI {command}[ "]', page, re.M), command
        assert re.search(rf"\b{command}\b", completion), command


def test_the_completion_completes(tmp_path):
    script = f'source {PACKAGING / "vivid-keel.bash"}; COMP_WORDS=(vivid-keel ver); COMP_CWORD=1; _vivid_keel; echo "${{COMPREPLY[@]}}"'
    done = subprocess.run(["bash", "-c", script], capture_output=True, text=True, check=True)
    assert done.stdout.strip() == "verify-archive"


def test_what_is_said_of_it_elsewhere_is_of_this_version():
    data = ElementTree.parse(PACKAGING / "vivid-keel.metainfo.xml").getroot()
    assert data.find("releases/release").get("version") == vivid_keel.__version__
    assert f"## {vivid_keel.__version__}" in (ROOT / "src/vivid_keel/handbook/changes.md").read_text()
