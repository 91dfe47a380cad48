"""Looked at again after a year: marks and vehicles as supports are, each visit's readings its own, side by side."""

from __future__ import annotations

import math
from datetime import UTC, datetime, timedelta

import pytest

from tests.saying import take
from vivid_keel.core.errors import KeelError
from vivid_keel.core.quantities import parse_length
from vivid_keel.core.record.entries import Draft
from vivid_keel.core.record.readings import as_read
from vivid_keel.desk.visits import VisitsSheet
from vivid_keel.figures.display import Text
from vivid_keel.files import JobFile
from vivid_keel.trades.registry import desk_for


@pytest.fixture
def file(tmp_path):
    start, ahead = datetime(2026, 5, 4, 9, tzinfo=UTC), [0]
    clock = lambda: start + timedelta(days=ahead[0])  # noqa: E731
    with JobFile.create(tmp_path / "job.keel", "Osier Mill", "Ada", unit="mm", clock=clock) as made:
        made.ahead = ahead
        yield made


def length(text, unit="mm"):
    return as_read(parse_length(text, unit))


def cells(sheet, row):
    return [sheet.cell(row, column).text for column in range(len(sheet.columns))]


def visits(desk):
    return next(s for s in desk.sheets("Proof") if isinstance(s, VisitsSheet))


def taped(desk):
    return next(s for s in desk.sheets("Readings"))


@pytest.fixture
def frame(file):
    (work,) = file.record([Draft(0, "work", {"name": "Frame", "type": "marks", "unit": "mm"})])
    file.record([Draft(work.id, "mark", {"name": "A", "height": length("10 m"), "source": "drawing"})])
    for name in ("C1", "C2"):
        file.record([Draft(work.id, "column", {"name": name, "design": length("11 m")})])
    desk = desk_for(file, work.id)
    take(taped(desk), 0, 2, "1000")
    take(taped(desk), 0, 3, "990")
    take(taped(desk), 1, 2, "1004")
    return desk


def test_slabs_are_taped_anew_at_a_visit_and_stand_beside_the_first(file, frame):
    sheet = visits(frame)
    assert len(sheet.labels) == 1
    file.ahead[0] = 365
    frame.record(*sheet.enter(sheet.count - 1).drafts)
    assert [c.texts.get("to_slab") for c in frame.book.columns] == [None, None]  # to be taped anew
    assert frame.book.columns[0].texts["design"] == "11 m"
    assert frame.result.carried[0].cut is None
    with pytest.raises(Exception, match="nothing was read at this visit yet; tape from the marks"):
        visits(frame).enter(visits(frame).count - 1)
    take(taped(frame), 0, 2, "1000")  # the same number, and yet a reading of this visit
    take(taped(frame), 1, 2, "1011")
    assert [c.texts["to_slab"] for c in frame.book.columns] == ["1000", "1011"]
    assert [one.to_slab for one in frame.book.taped] == [
        {"C1": 1.0, "C2": 1.004},
        {"C1": 1.0, "C2": 1.011},
    ]
    shown = visits(frame)
    assert cells(shown, 0)[0:4] == ["C1", "0.0", "", "0.0"]
    second = cells(shown, 1)
    assert second[3] == second[5] == "−7.0"
    assert second[7].startswith("−7.0 ±") and second[8] == ""
    drift = frame.visit_view().told()[1]["C2"]
    assert drift.moved == "moved" and drift.change == pytest.approx(-0.007)
    assert frame.book.columns[1].struck == ()  # what an earlier visit read was not put right


def test_a_reading_that_was_taken_out_again_is_of_no_visit(frame):
    take(taped(frame), 0, 2, "1001")
    take(taped(frame), 0, 2, "")
    assert frame.book.taped[0].to_slab == {"C2": 1.004}
    assert cells(visits(frame), 0)[:2] == ["C1", ""]


def test_undone_or_put_right_a_visit_keeps_its_own_readings(file, frame):
    file.ahead[0] = 365
    frame.record(*visits(frame).enter(visits(frame).count - 1).drafts)
    take(taped(frame), 0, 2, "1002")
    take(taped(frame), 0, 2, "1003")
    assert frame.book.taped[1].to_slab == {"C1": pytest.approx(1.003)}
    assert frame.book.columns[0].struck == ("1002",)
    assert frame.book.taped[0].to_slab["C1"] == 1.0
    file.undo()
    file.undo()
    frame.refresh()
    assert len(frame.book.taped) == 1 and "to_slab" not in frame.book.columns[0].texts
    file.undo()  # the visit itself
    frame.refresh()
    assert frame.book.columns[0].texts["to_slab"] == "1000"


def test_a_vehicle_looked_at_again_has_its_tilts_beside_the_first(file):
    (work,) = file.record([Draft(0, "work", {"name": "Trailer", "type": "vehicle", "unit": "mm"})])
    desk = desk_for(file, work.id)

    def read(phase, roll, pitch):
        body = {
            "phase": phase,
            "roll_rad": math.radians(roll),
            "pitch_rad": math.radians(pitch),
            "text": f"{roll} / {pitch}",
        }
        desk.record(Draft(work.id, "tilts", body))

    read("found", 2.4, -1.0)
    read("left", 0.2, 0.1)
    assert desk.state()[0] == "in"
    file.ahead[0] = 200
    desk.record(*visits(desk).enter(2).drafts)
    assert desk.result.book.found is None and desk.state()[1] == "not read yet"
    read("found", 0.9, 0.1)
    shown = visits(desk)
    assert cells(shown, 0)[:2] == ["lean", "0.00"]
    assert cells(shown, 0)[5:7] == ["+0.70", "0.08"]  # from 0.2° as it was left
    lean, tip = (desk.visit_view().told()[1][name] for name in ("lean", "tip"))
    assert (lean.moved, tip.moved) == ("moved", "not-proven")
    assert lean.rate == pytest.approx(math.radians(0.7) / (200 / 365.25), rel=1e-3)
    assert lean.crosses == "crosses" and 0 < lean.earliest < lean.latest < 0.2
    desk.record(*visits(desk).enter(2).drafts)
    assert len(desk.result.book.occasions) == 2


BODIES = {"slab": "tilt_rad", "bed": "value", "axis": "tilt_rad", "panels": "value"}


def looked_at_again(job, key, *, tip=0.0):
    """The demo's body read a year later as it was, but for the first tilt; on its desk."""
    work = next(w.id for w in job.journal.works() if w.body["type"] == key)
    read = [e for e in job.journal.standing(work) if e.body.get("phase") == "found"]
    later = job.now() + timedelta(days=365)
    job._clock = lambda: later
    desk = desk_for(job, work)
    job.record(desk.again())
    for n, entry in enumerate(read):
        body = dict(entry.body)
        if n == 0 and tip:
            body[BODIES[key]] += tip
        job.record([Draft(work, entry.kind, body)])
    desk.refresh()
    return desk


@pytest.mark.parametrize("key", BODIES)
def test_a_body_looked_at_again_has_its_feet_beside_those_of_the_year_before(tmp_path, key):
    from tests.mill import mill

    with mill(tmp_path / "demo.keel") as job:
        desk = looked_at_again(job, key)
        sheet = visits(desk)
        assert len(sheet.labels) == 2 and len(set(sheet.labels)) == 2
        since = next(n for n, column in enumerate(sheet.columns) if column.title.startswith("Since"))
        told = [cells(sheet, row) for row in range(sheet.count - 1)]
        assert all(float(row[since].replace("−", "-")) == 0.0 for row in told if row[since]), told
        assert sum(bool(row[since]) for row in told) == len(desk.book.points)
        names = desk.views("Proof")
        assert names[-1] == "Over the visits"
        texts = desk.picture("Proof", len(names) - 1, 900, 380).texts()
        assert {*sheet.labels, *(p.name for p in desk.book.points)} <= set(texts)
        drift = desk.visit_view().told()[1]
        assert all(one.moved == "not-proven" and one.U > 0 for one in drift.values())
        job.record(desk.again())
        with pytest.raises(KeelError, match="nothing was read yet"):
            desk.again()


def test_a_visit_at_which_too_little_was_read_stands_empty_beside_the_first(tmp_path):
    from tests.mill import mill

    with mill(tmp_path / "demo.keel") as job:
        desk = looked_at_again(job, "slab")
        for entry in job.journal.standing(desk.work)[-3:]:
            if "phase" in entry.body:
                job.record([Draft(desk.work, "strike", {}, strikes=entry.id)])
        desk.refresh()
        sheet = visits(desk)
        assert len(sheet.labels) == 2
        assert cells(sheet, 0)[1] and not cells(sheet, 0)[3]  # found then; nothing can be told of now


@pytest.mark.parametrize("key", ["slab", "bed"])
def test_a_foot_that_went_is_told_against_the_others(tmp_path, key):
    from tests.mill import mill

    with mill(tmp_path / "demo.keel") as job:
        drift = looked_at_again(job, key, tip=0.002).visit_view().told()[1]
        assert any(one.moved == "moved" for one in drift.values())
        assert sum(one.change for one in drift.values()) == pytest.approx(0.0, abs=1e-9)


def test_the_record_as_it_was_leaves_out_what_came_later_and_what_was_undone_since(file, frame):
    journal = file.journal
    count = len(journal.entries)
    last = max(journal.entries)
    file.undo()
    take(taped(frame), 1, 3, "995")
    before = journal.until(last + 1)
    assert [e for e in before.entries if e <= last] == [e for e in journal.entries if e <= last]
    assert (
        not before.stands(last) and len(before.entries) == count + 1
    )  # the undo of it came later, and counts


def test_the_report_lays_the_visits_beside_one_another(file, frame, qapp):
    def said():
        return [item.text for page in frame.report()() for item in page.items if isinstance(item, Text)]

    assert "Visits beside one another" not in said()  # there is but one
    file.ahead[0] = 365
    frame.record(*visits(frame).enter(visits(frame).count - 1).drafts)
    take(taped(frame), 0, 2, "1000")
    take(taped(frame), 1, 2, "1011")
    told = said()
    at = told.index("Visits beside one another")
    assert told[at + 1 : at + 4] == [column.title for column in visits(frame).columns[:3]]
    assert "−7.0 moved" in told and "0.0 not proven" in told
    labels = visits(frame).labels
    assert all(any(label in text for text in told[at + 20 :]) for label in labels)  # drawn, too
