"""What the documents say is there, and what is there is documented."""

from __future__ import annotations

import re
from pathlib import Path

import pytest

from vivid_keel.cli import COMMANDS
from vivid_keel.desk.kit.questions import QUESTIONS
from vivid_keel.desk.kit.tool import ToolDesk
from vivid_keel.desk.kit.whole import KitDesk
from vivid_keel.trades.registry import job_kinds, kit_kinds, problem_kinds, trades

ROOT = Path(__file__).parents[1]
FORMATS = (ROOT / "docs" / "formats.md").read_text()
README = (ROOT / "README.md").read_text()
KEYS = (ROOT / "src" / "vivid_keel" / "handbook" / "keys.md").read_text()
SOURCES = "\n".join(p.read_text() for p in (ROOT / "src").rglob("*.py"))


@pytest.mark.parametrize("kind", [*problem_kinds(), *job_kinds(), *kit_kinds()])
def test_every_kind_is_in_the_formats(kind):
    assert f"`{kind}`" in FORMATS


def test_every_field_of_every_entry_is_in_the_formats():
    entries = FORMATS[FORMATS.index("## The job file") : FORMATS.index("## A job as JSON")]
    for kind, one in {**job_kinds(), **kit_kinds()}.items():
        (line,) = [
            row for row in entries.splitlines() if row.startswith("| `") and f"`{kind}`" in row.split("|")[1]
        ]
        for name in one.fields:
            assert f"`{name}`" in line, (kind, name)


def test_every_error_code_is_in_the_formats_and_the_other_way_round():
    raised = set(re.findall(r'KeelError\(\s*"([a-z-]+)"', SOURCES))
    raised |= set(re.findall(r'_refuse\(\s*line,\s*[^,]+,\s*"([a-z-]+)"', SOURCES))
    raised |= set(re.findall(r'_trouble\((?:row|first), "([a-z-]+)"', SOURCES)) | {"unknown-backsight"}
    raised |= {"book-refused"}
    after = FORMATS[FORMATS.index("Codes of any kind") :]
    documented = set(re.findall(r"`([a-z]+(?:-[a-z]+)*)`", after))
    assert raised - documented == set()
    assert documented - raised == set()


@pytest.mark.parametrize("command", COMMANDS)
def test_every_command_is_in_the_readme(command):
    assert re.search(rf"\b{command}\b", README)


def test_every_picture_is_linked_and_every_link_leads_somewhere():
    pictures = {f"docs/screenshots/{p.name}" for p in (ROOT / "docs" / "screenshots").glob("*.png")}
    linked = set(re.findall(r"\((docs/screenshots/[^)]+)\)", README))
    assert linked == pictures
    assert len(pictures) < 20
    for path in re.findall(r"\]\(((?:docs/|src/)[^)]+)\)", README):
        assert (ROOT / path).exists(), path
    for path in re.findall(r"examples/[\w-]+\.csv", README):
        assert (ROOT / path).exists(), path


def test_every_key_of_the_window_is_in_the_handbook(qtbot):
    from vivid_keel.ui.window import Window

    window = Window("Ada")
    qtbot.addWidget(window)
    keys = {a.shortcut().toString() for a in window.actions() if not a.shortcut().isEmpty()}
    stages = {f"Alt+{n}" for n in range(1, 9)}
    said = set(
        re.findall(
            r"(?:Ctrl|Alt|Shift|\+|F\d|\w)+", " ".join(line.split("|")[1] for line in KEYS.splitlines()[4:])
        )
    )
    assert keys - stages - said == set()
    assert "Alt+1 … Alt+8" in KEYS
    in_a_cell = {"Ctrl+V"}  # the field in hand takes it, no action of the window
    assert {k for k in said if k.startswith(("Ctrl+", "F"))} - keys <= {"F"} | in_a_cell
    window.close()


def test_every_stage_is_explained_and_every_page_is_shipped():
    package = ROOT / "src" / "vivid_keel"
    for one in trades():
        page = (package / one.handbook).read_text()
        assert page.startswith("# ")
        for stage in one.face().stages:
            assert stage.question
            assert stage.question[0].startswith(f"{stage.name}: ")
    for desk in (ToolDesk, KitDesk):
        assert (package / desk.handbook).read_text().startswith("# ")
        for stage in desk.stage_names:
            assert QUESTIONS[(desk.type, stage)]


def test_nothing_names_a_registry_or_this_machine():
    for name in ("constraints.txt", "pyproject.toml", "run", ".ci/run"):
        text = (ROOT / name).read_text()
        assert "http" not in text
        assert "index-url" not in text
