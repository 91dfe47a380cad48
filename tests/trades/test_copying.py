"""A copy of a work says what the work says, number for number, and speaks of nothing outside itself."""

from __future__ import annotations

import random
from datetime import timedelta

import pytest

from tests.made_up import _one_round, _readings, _supports
from tests.saying import take
from tests.trades.conftest import wait
from tests.trades.test_laws import NONSENSE, cells
from vivid_keel.core.errors import KeelError
from vivid_keel.core.record.entries import Draft
from vivid_keel.desk.moving.desk import MovingDesk
from vivid_keel.files import JobFile
from vivid_keel.trades.registry import desk_for, trade

TYPED = ("1.482", "2", "12", "h", "A", "0.5 mm", "1.5, 2", *NONSENSE)


def told(desk):
    """All that a work's sheets say, stage by stage, but its own name, what was struck, and who entered it when."""
    wait(desk)
    name = desk.file.journal.name_of(desk.work)
    out = []
    for stage in desk.stage_names:
        for sheet in desk.sheets(stage) if stage != "Record" else ():
            if type(sheet).__name__ == "RegisterSheet":
                continue  # of all works of the job
            for row in range(sheet.count):
                line = [sheet.cell(row, column) for column in range(len(sheet.columns))]
                texts = ["" if cell.struck else cell.text.replace(name, "it") for cell in line]
                if "struck" not in texts:
                    out.append((stage, type(sheet).__name__, *texts))
    return out


def copy_of(desk, *, read=True):
    """A copy on its desk, told after a cold start: by what the file holds, not by what the desk remembers."""
    entries = desk.file.record(desk.copy(read=read))
    read_cautions = {e.body["key"] for e in desk.file.journal.standing(desk.work, "caution")} if read else ()
    desk.file.record([Draft(entries[0].work, "caution", {"key": key}) for key in sorted(read_cautions)])
    return desk_for(desk.file, entries[0].work)


def scribbled(desk, rng):
    """Type this and that into a work, right or wrong, put some of it right, and strike what others speak of."""
    places = list(cells(desk))
    for _ in range(25):
        stage, number, row, column = rng.choice(places)
        sheets = desk.sheets(stage)
        if number < len(sheets) and row < sheets[number].count and sheets[number].cell(row, column).editable:
            try:
                take(sheets[number], row, column, rng.choice(TYPED))
            except KeelError:
                continue
    journal = desk.file.journal
    standing = [e for e in journal.standing(desk.work) if e.kind in desk.trade.kinds and e.kind != "visit"]
    desk.file.record([Draft(desk.work, "strike", {}, strikes=rng.choice(standing).id)])
    for entry in journal.standing(desk.work, "visit", *desk.trade.by_time):
        desk.file.record([Draft(desk.work, "strike", {}, strikes=entry.id)])
    return desk_for(desk.file, desk.work)


@pytest.mark.parametrize("seed", range(2))
def test_a_copy_says_what_the_work_says(desk, seed):
    if seed:
        desk = scribbled(desk, random.Random(seed))
    before = told(desk)
    again = copy_of(desk)
    assert again.work != desk.work
    assert told(again) == before
    assert again.trade.state(again.result) == desk.trade.state(desk.result)


def test_with_nothing_read_it_is_another_of_the_same_make(desk):
    if not desk.trade.copies:
        with pytest.raises(KeelError, match="come from other works"):
            desk.copy(read=False)
        return
    again = copy_of(desk, read=False)
    kinds = {e.kind for e in desk.file.journal.standing(again.work)}
    assert kinds - {"work"} <= set(desk.trade.copies) and kinds - {"work"}
    for entry in desk.file.journal.standing(again.work):
        assert "phase" not in entry.body and "to_slab" not in entry.body
        assert not (entry.kind == "ground-point" and "reading" in entry.body)
    told(again)


def test_rounds_that_were_finished_come_along_with_what_was_put_in(desk):
    if not isinstance(desk, MovingDesk) or "pass" not in desk.trade.kinds:
        return
    for caution in desk.trade.cautions(desk.result, "Moves"):
        desk.file.record([Draft(desk.work, "caution", {"key": caution.key})])
    desk.refresh()
    wait(desk)
    put = []
    for i in desk.result.to_move:
        plan = desk.result.planned(i)
        if plan is not None:
            body = {"point": desk.result.book.points[i].id, "put_m": plan.put, "leaves": plan.leaves}
            put.append(Draft(desk.work, "put", {**body, "text": "as planned", "planned": True}))
    if put:
        desk.file.record(put)
        desk.refresh()
        wait(desk)
        moved, leaves = desk.result.put_in()
        body = {
            "put": {str(k): v for k, v in moved.items()},
            "leaves": {str(k): n for k, n in leaves.items()},
        }
        desk.file.record([Draft(desk.work, "pass", body)])
        desk.refresh()
    assert told(copy_of(desk)) == told(desk)


def test_floors_packed_twice_say_the_same_in_a_copy(tmp_path):
    import numpy as np

    with JobFile.create(tmp_path / "floors.keel", "Floors", "Ada", decimal_mark=".") as file:
        for k in range(6):
            rng = np.random.default_rng([31, k])
            work = _supports(file, rng, k)
            points = [p.id for p in desk_for(file, work).book.points]
            true = rng.normal(0, 0.004, len(points))
            _readings(file, work, points, "found", true, rng, 0.0001)
            try:
                true = _one_round(file, work, true, rng, 0.0)
            except KeelError:
                continue
            _readings(file, work, points, "left", true, rng, 0.0001)
            desk = desk_for(file, work)
            assert told(copy_of(desk)) == told(desk)


def test_days_and_times_are_not_copied_away(job):
    """Several visits, or readings told apart by their times, would all be of today: refused, with what to do."""
    ground = next(w.id for w in job.journal.works() if w.body["type"] == "groundwork")
    desk = desk_for(job, ground)
    if job.journal.latest(ground, "ground-look") is not None:
        with pytest.raises(KeelError, match="when it was read is part of it"):
            desk.copy(read=True)
    posts = next(w.id for w in job.journal.works() if w.body["type"] == "supports")
    desk = desk_for(job, posts)
    later = job.now() + timedelta(days=300)
    job._clock = lambda: later
    job.record(desk.again())
    with pytest.raises(KeelError, match="several visits, each of its own day"):
        desk.copy(read=True)
    assert desk.copy(read=False)[0].body["type"] == "supports"
    assert trade("supports") is not None
