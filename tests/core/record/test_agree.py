"""Text and value of a reading are held against one another; no honest one is accused."""

from __future__ import annotations

import shutil
from pathlib import Path

import pytest

from tests.mill import mill
from tests.store.test_chain import a_reading, by_another_hand
from vivid_keel.core.record.agree import agrees, told_otherwise
from vivid_keel.files import JobFile, KitFile
from vivid_keel.trades.registry import desk_for

OLD = Path(__file__).parents[2] / "store" / "old"


@pytest.mark.parametrize("name", sorted(p.name for p in OLD.iterdir() if p.suffix != ".json"))
def test_no_honest_file_of_any_version_is_accused(name, tmp_path):
    path = Path(shutil.copy(OLD / name, tmp_path / name))
    with (KitFile if path.suffix == ".keelkit" else JobFile).open(path) as file:
        found = [
            one
            for work in (0, *(w.id for w in file.journal.works()))
            for one in told_otherwise(file.journal, work)
        ]
        assert found == []


def reading(text, m, unit="m", step=0.001):
    return {"text": text, "unit": unit, "m": m, "step_m": step}


@pytest.mark.parametrize(
    ("value", "mark"),
    [
        (reading("1.482", 1.482), "."),
        (reading("1,482", 1.482), ","),
        (reading("1482", 1.482), "."),
        (reading("1482 mm", 1.482), ""),
        (reading("5' 7 3/8\"", 1.711325, "ft-in", 0.003175), ""),
        (reading("38", 0.9652, "ft-in", 0.0254), "."),
        (reading("40.975", 40.97501811973526), "."),
        (reading("4.86", 4.86 * 0.3048, "ft", 0.003), "."),
    ],
)
def test_what_agrees(value, mark):
    assert agrees(value, mark)


@pytest.mark.parametrize(
    ("value", "mark"),
    [
        (reading("15", 15.8), "."),
        (reading("1.482", 1.483), "."),
        (reading("1,482", 1.482), "."),  # a thousand and more, by the mark in force
        (reading("1.4x2", 1.482), "."),
        (reading("1.482", -1.482), "."),
        (reading("1.482", 1.482, "ft"), "."),
    ],
)
def test_what_does_not(value, mark):
    assert not agrees(value, mark)


def test_a_reading_that_says_otherwise_is_said_at_the_record_with_its_place(tmp_path):
    with mill(tmp_path / "mill.keel") as file:
        path = file.path
    id, body = a_reading(path)
    said = body.replace('"text":"', '"text":"9')
    by_another_hand(path, f"UPDATE entries SET body = '{said}' WHERE id = {id}")
    with JobFile.open(path) as file:
        desk = desk_for(file, file.journal.entries[id].work)
        (found,) = [f for f in desk.findings("Record") if f.title == "Text and value differ"]
        assert f"entry {id}, reading: “9" in found.text
        assert not [f for f in desk.findings("Readings") if f.title == "Text and value differ"]
