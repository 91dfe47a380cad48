"""Every move as one line, from the command line: what `./run moves` prints, and nothing beside it."""

from __future__ import annotations

import json

import pytest

from tests.trades.conftest import wait
from tests.trades.supports.test_plan_holds import at, floor_of
from vivid_keel.cli import main
from vivid_keel.core.record.entries import Draft

KEYS = {
    "point",
    "order",
    "stage",
    "move_m",
    "shims_m",
    "for_now_m",
    "out_m",
    "left_m",
    "turns",
    "jack_to",
    "finish_at",
    "state",
    "why",
}


@pytest.fixture
def job(tmp_path):
    """A row of three in stages of 5 mm: P1 is kept, P2 15 mm low and lifted once, P3 6 mm too high with nothing under it."""
    stock = (("10 mm", 4), ("5 mm", 2), ("3 mm", 4), ("1 mm", 6), ("0.5 mm", 4))
    desk = floor_of(
        tmp_path / "floor.keel", 1, 3, ("1.2600", "1.2450", "1.2660"), stock, {"neighbours_m": 0.005}
    )
    desk.record(Draft(desk.work, "target", {"kind": "keep", "point": desk.book.points[0].id}))
    wait(desk)
    desk.record(*desk.books(at(desk, "A2")))
    wait(desk)
    yield desk
    desk.file.close()


def moves(capfd, path, *words):
    assert main(["moves", str(path), *words]) == 0
    said, beside = capfd.readouterr()
    assert not beside
    return said


def test_every_point_and_stage_is_a_line_and_its_leaves_add_up(job, capfd):
    (task,) = json.loads(moves(capfd, job.file.path, "--json"))["tasks"]
    assert (task["name"], task["kind"]) == ("Floor", "supports")
    lines = task["moves"]
    assert all(set(line) == KEYS for line in lines)
    assert {line["point"]: line["state"] for line in lines if line["point"] != "A2"} == {
        "A1": "stays",
        "A3": "cannot",
    }
    (cannot,) = (line for line in lines if line["state"] == "cannot")
    assert cannot["why"] and cannot["left_m"] == pytest.approx(0.006, abs=1e-9)
    own = [line for line in lines if line["point"] == "A2"]
    assert [line["stage"] for line in own] == [1, 2, 3, 4]
    assert [line["state"] for line in own] == ["done", "to do", "to do", "to do"]
    lying: list[float] = []
    for line in own:
        for leaf in line["out_m"]:
            lying.remove(leaf)
        lying += [*line["shims_m"], *line["for_now_m"]]
        assert line["move_m"] <= 0.005 + 1e-9
    assert sum(line["move_m"] for line in own) == pytest.approx(0.015 + own[-1]["left_m"], abs=1e-9)
    assert sum(lying) - 0.00002 * len(lying) == pytest.approx(0.015 + own[-1]["left_m"], abs=1e-9)
    for line in own[1:]:
        assert line["jack_to"] >= line["finish_at"] + 0.001 - 1e-9


def test_what_the_lines_say_is_what_the_screen_says(job, capfd):
    (task,) = json.loads(moves(capfd, job.file.path, "--json", "--task", "Floor"))["tasks"]
    said = {(line["point"], line["stage"]): line for line in task["moves"] if line["state"] == "to do"}
    r = job.result
    steps = {(job.book.points[s.place].name, s.stage): s for own in r.walk.values() for s in own}
    assert set(said) == {key for key, step in steps.items() if not r.is_idle(step)}
    for key, line in said.items():
        step = steps[key]
        assert sorted([*line["shims_m"], *line["for_now_m"]]) == sorted(step.into)
        assert (line["jack_to"], line["finish_at"]) == pytest.approx((r.first_of(step), r.stop_after(step)))


def test_for_the_eye_each_task_is_named_and_an_unknown_one_is_refused_with_those_there_are(job, capfd):
    assert moves(capfd, job.file.path).startswith("Floor (supports)\n")
    assert main(["moves", str(job.file.path), "--task", "Roof"]) != 0
    said, beside = capfd.readouterr()
    assert not said and "Roof" in beside and "Floor" in beside
