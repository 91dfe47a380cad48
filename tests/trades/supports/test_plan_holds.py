"""A plan stands: what the sheet says is what gets packed, whatever is booked beside it and in which order."""

from __future__ import annotations

import numpy as np
import pytest

from tests.trades.conftest import wait
from vivid_keel.core.errors import KeelError
from vivid_keel.core.quantities import parse_length
from vivid_keel.core.record.entries import Draft
from vivid_keel.core.record.readings import as_read
from vivid_keel.files import JobFile
from vivid_keel.trades.registry import desk_for
from vivid_keel.trades.supports.lay_out import grid_drafts

STOCKS = (
    (("10 mm", 12), ("6 mm", 12), ("3 mm", 20), ("1 mm", 30), ("0.5 mm", 30)),
    (("6 mm", 10), ("1 mm", 6)),
    (("10 mm", 6), ("5 mm", 8), ("2 mm", 10), ("0.5 mm", 12)),
    (("8 mm", 9), ("4 mm", 9), ("1.5 mm", 12), ("0.8 mm", 12), ("0.2 mm", 20)),
    (("1/4 in", 9), ("1/8 in", 12), ("1/16 in", 20)),
)


def read(text, unit="m"):
    return as_read(parse_length(text, unit, "."))


def floor_of(path, rows, columns, texts, stock, limits=None):
    """A floor on posts 2 m apart, read (but where no text is), its cautions read; return its desk in an open job file."""
    file = JobFile.create(path, "Mill", "Ada", decimal_mark=".")
    (work,) = file.record([Draft(0, "work", {"name": "Floor", "type": "supports", "unit": "m"})])
    file.record(
        [
            Draft(work.id, "limits", {"tolerance": read("1 mm"), **(limits or {})}),
            Draft(work.id, "caution", {"key": "lifting"}),
            *grid_drafts(work.id, tuple("ABCDEFG"[:rows]), columns, 2.0, 2.0),
            *(Draft(work.id, "leaf", {"leaf": read(t, "mm"), "count": n}) for t, n in stock),
        ]
    )
    desk = desk_for(file, work.id)
    points = zip(desk.book.points, texts, strict=True)
    file.record(
        [
            Draft(work.id, "reading", {"point": p.id, "phase": "found", "reading": read(t)})
            for p, t in points
            if t
        ]
    )
    desk.refresh()
    wait(desk)
    return desk


def at(desk, name):
    return next(i for i, point in enumerate(desk.book.points) if point.name == name)


def stacks(desk):
    """The leaves of each post that is moved, in mm, by its name."""
    result = desk.result
    return {
        desk.book.points[i].name: [round(t * 1000, 3) for t in result.stack(i) or ()] for i in result.to_do
    }


def sheet_lines(desk):
    """What stands on the sheet of moves for every post, to the character, by its name; but for the cell that is typed into."""
    (sheet,) = (one for one in desk.sheets("Moves") if one.name == "Order of work")
    out = {}
    for row in range(sheet.count):
        name = sheet.cell(row, 0).text.split()[-1]
        cells = [sheet.cell(row, k) for k in range(len(sheet.columns))]
        out[name] = [
            (c.text, c.narrow, c.sign)
            for c, title in zip(cells, sheet.columns, strict=True)
            if title.title != "Put in"
        ]
    return out


def steps_said(desk):
    """All that is still to be done, stage by stage, as it is said to the hand."""
    r = desk.result
    return {
        (desk.book.points[step.place].name, step.stage): (
            r.step_in_words(step),
            f"{r.first_of(step):.12f}",
            f"{r.stop_after(step):.12f}",
            f"{r.part(step):.12f}",
        )
        for steps in r.walk.values()
        for step in steps
    }


@pytest.fixture
def issue_floor(tmp_path):
    """Two rows of three, 2 m apart, A2 kept; A1 is 12 mm too high and has nothing to take out."""
    texts = ("1.262", "1.250", "1.244", "1.238", "1.243", "1.247")
    desk = floor_of(tmp_path / "floor.keel", 2, 3, texts, (("6 mm", 10), ("1 mm", 6)))
    desk.record(Draft(desk.work, "target", {"kind": "keep", "point": desk.book.points[1].id}))
    wait(desk)
    yield desk
    desk.file.close()


def test_a_post_that_cant_be_cured_is_set_aside_and_spoils_no_others_plan(issue_floor):
    assert stacks(issue_floor) == {
        "A1": [],
        "A3": [6.0],
        "B1": [6.0, 6.0],
        "B2": [6.0, 1.0],
        "B3": [1.0, 1.0, 1.0],
    }
    result = issue_floor.result
    assert all(abs(result.left_over(at(issue_floor, n))) < 0.00007 for n in ("A3", "B1", "B2", "B3"))
    said = {f.title: f.text for f in issue_floor.findings("Moves")}
    assert "A1 12.0 mm" in said["Nothing to take out at A1"]
    assert any(title.startswith("Stock comes within 0.1 mm") for title in said)


def test_the_jack_goes_above_its_leaf_by_a_millimetre_and_never_stops_below_where_it_is_let_down(issue_floor):
    result = issue_floor.result
    for steps in result.walk.values():
        for step in steps:
            if result.lifts[step.place] > 0:
                assert result.first_of(step) >= result.stop_after(step) + 0.001 - 1e-9


def random_floor(rng):
    """Rows, columns, readings, stock and limits of any kind that a floor could have."""
    rows, columns = int(rng.integers(1, 4)), int(rng.integers(2, 5))
    low = rng.integers(0, 25, rows * columns) if rng.random() < 0.5 else rng.integers(0, 9, rows * columns)
    texts = [f"{1.25 - 0.0005 * int(k):.4f}" for k in low]
    stock = STOCKS[int(rng.integers(0, len(STOCKS)))]
    limits: dict[str, object] = {"tolerance": read(str(rng.choice(["1 mm", "1.5 mm", "3 mm"])), "mm")}
    if rng.random() < 0.6:
        limits["neighbours_m"] = float(rng.choice([0.003, 0.004, 0.006]))
    if rng.random() < 0.3:
        limits["most_leaves"] = 3
    if rng.random() < 0.3:
        limits["fits"] = True
    return rows, columns, texts, stock, limits


def changed_by_a_post_that_cant_be_cured(folder, rng):
    """A floor without a reading at one post, and read there as 12 mm too high with nothing to take out: how much the gap that
    remains changes at most at any other post [m], the stock being ample; and a quarter of the thinnest leaf [m]."""
    rows, columns, texts, stock, limits = random_floor(rng)
    stock = [(text, 90) for text, _ in stock]
    keeper = texts.index(max(texts))
    there = (keeper + int(rng.integers(1, len(texts)))) % len(texts)
    left = []
    for reading in ("", f"{float(texts[keeper]) + 0.012:.4f}"):
        texts[there] = reading
        desk = floor_of(folder / f"floor{len(left)}.keel", rows, columns, texts, stock, limits)
        desk.record(Draft(desk.work, "target", {"kind": "keep", "point": desk.book.points[keeper].id}))
        wait(desk)
        result = desk.result
        others = (i for i in range(len(texts)) if i not in (there, keeper))
        left.append([result.left_over(i) if i in result.to_do else -float(result.lifts[i]) for i in others])
        desk.file.close()
    thinnest = min(parse_length(text, "mm", ".").value for text, _ in stock)
    return float(np.abs(np.subtract(*left)).max()) if left[0] else 0.0, thinnest / 4


def random_desk(path, rng):
    """A floor of any kind; every other time a post is kept that isn't the highest, so that some have to come down and can't."""
    desk = floor_of(path, *random_floor(rng))
    if rng.random() < 0.5:
        kept = desk.book.points[int(rng.integers(0, len(desk.book.points)))].id
        desk.record(Draft(desk.work, "target", {"kind": "keep", "point": kept}))
        wait(desk)
    return desk


def all_said(desk):
    """What the hand is told of every line, and what the findings and the list of moves say of what can't be done."""
    lines = {
        (f"listed {line.point}", line.stage): line
        for line in desk.moves()
        if line.state in ("cannot", "stays")
    }
    untouched = (i for i in desk.result.set_aside if desk.result.begun(i) is None)
    cannot = {(desk.book.points[i].name, "set aside"): True for i in untouched}
    return steps_said(desk) | lines | cannot


def book_stage_by_stage(desk, rng, until=1.0):
    """Book as planned in any order, stage by stage; return whether every other line stayed as it was, with what differed."""
    before = all_said(desk)
    done = set()
    while desk.result.walk and rng.random() <= until:
        stage = desk.result.stage_in_hand
        open_now = [step.place for step in desk.result.walk[stage] if not desk.result.is_idle(step)]
        if not open_now:
            break
        lines = sheet_lines(desk)
        i = open_now[int(rng.integers(0, len(open_now)))]
        name = desk.book.points[i].name
        drafts = desk.books(i)
        desk.record(*drafts)
        done |= {(name, stage), (name, "set aside")}
        yield name, {k: v for k, v in before.items() if k not in done}, all_said(desk)
        if desk.result.stage_in_hand == stage:
            now = sheet_lines(desk)
            yield (
                name,
                {k: v for k, v in lines.items() if k != name},
                {k: v for k, v in now.items() if k != name},
            )


@pytest.mark.parametrize("seed", range(8))
def test_a_post_that_cant_be_cured_changes_no_other_posts_gap(tmp_path, seed):
    most, allowed = changed_by_a_post_that_cant_be_cured(tmp_path, np.random.default_rng(400 + seed))
    assert most <= allowed


@pytest.mark.parametrize("seed", range(12))
def test_booking_as_planned_in_any_order_leaves_every_other_line_as_it_was_to_the_character(tmp_path, seed):
    rng = np.random.default_rng(100 + seed)
    desk = random_desk(tmp_path / "floor.keel", rng)
    for name, was, now in book_stage_by_stage(desk, rng):
        assert now == was, name
        assert desk.long_work() is None  # nothing is chosen again
    rest = [step for steps in desk.result.walk.values() for step in steps]
    assert all(map(desk.result.is_idle, rest))
    desk.file.close()


@pytest.mark.parametrize("seed", range(4))
def test_a_plan_stands_when_the_job_is_opened_again_and_when_its_plan_entry_is_missing(tmp_path, seed):
    """As in files of before: the plan is then the one from before the first booking."""
    rng = np.random.default_rng(200 + seed)
    desk = random_desk(tmp_path / "floor.keel", rng)
    whole = steps_said(desk)
    for _ in book_stage_by_stage(desk, rng, until=0.8):
        pass
    left = steps_said(desk)
    assert left.items() <= whole.items()
    entries = desk.file.journal.standing(desk.work, "plan")
    if entries:  # struck, as if it had never been issued
        desk.record(*(Draft(desk.work, "strike", {"reason": "test"}, strikes=e.id) for e in entries))
        wait(desk)
    assert steps_said(desk) == left
    if entries and desk.result.walk:  # the next booking issues it again
        desk.record(*desk.books(desk.result.walk[desk.result.stage_in_hand][0].place))
        assert desk.book.plan.id > 0
    desk.file.close()


@pytest.mark.parametrize("seed", range(8))
def test_what_the_sheet_prints_can_be_typed_back_and_counts_as_planned(tmp_path, seed):
    rng = np.random.default_rng(300 + seed)
    desk = random_desk(tmp_path / "floor.keel", rng)
    while steps := [
        s for s in desk.result.walk.get(desk.result.stage_in_hand, ()) if not desk.result.is_idle(s)
    ]:
        step = steps[0]
        brief = bool(rng.random() < 0.5)
        left = {k: v for k, v in steps_said(desk).items() if k[0] != desk.book.points[step.place].name}
        typed = desk.result.step_in_words(step, brief=brief) if step.into else ""
        drafts = desk.books(step.place, typed)
        planned = desk.books(step.place)
        body, as_it_was = (next(d.body for d in some if d.kind == "put") for some in (drafts, planned))
        for key in ("put_m", "leaves", "used", "stage", "for_now"):
            assert body.get(key) == pytest.approx(as_it_was.get(key), abs=1e-12), (typed, key)
        desk.record(*drafts)
        rest = {k: v for k, v in steps_said(desk).items() if k[0] != desk.book.points[step.place].name}
        assert rest == left and desk.long_work() is None
    desk.file.close()


@pytest.mark.parametrize(
    ("typed", "put", "for_now", "used"),
    [
        ("0.5, for now 1+1+1", 3.5, {"1000": 3}, {"500": 1, "1000": 3}),
        ("0.5 (1+1+1)", 3.5, {"1000": 3}, {"500": 1, "1000": 3}),
        ("for now 1 + 1", 2.0, {"1000": 2}, {"1000": 2}),
        ("3 + 0.5", 3.5, {}, {"3000": 1, "500": 1}),
        ("3, blocked up in between", 3.0, {}, {"3000": 1}),
    ],
)
def test_leaves_for_now_are_typed_as_they_are_printed(tmp_path, typed, put, for_now, used):
    stock = (("10 mm", 4), ("3 mm", 4), ("1 mm", 6), ("0.5 mm", 4))
    desk = floor_of(tmp_path / "f.keel", 1, 2, ("1.2600", "1.2450"), stock, {"neighbours_m": 0.005})
    i = at(desk, "A2")
    desk.record(*desk.books(i, typed))
    body = next(e.body for e in desk.file.journal.standing(desk.work, "put"))
    assert body["put_m"] == pytest.approx(put / 1000)
    assert body.get("for_now", {}) == for_now and body["used"] == used
    wait(desk)
    if for_now:  # they are asked out again by name
        step = desk.result.step(i)
        assert sorted(step.out) == [0.001] * for_now["1000"]
        assert desk.result.step_in_words(step).startswith(f"change {' + '.join(['1'] * for_now['1000'])}")
    desk.file.close()


def test_leaves_that_do_not_lie_there_can_not_come_out(tmp_path):
    stock = (("10 mm", 4), ("3 mm", 4), ("1 mm", 6))
    desk = floor_of(tmp_path / "f.keel", 1, 2, ("1.2600", "1.2450"), stock, {"neighbours_m": 0.005})
    with pytest.raises(KeelError, match="no leaf of 3 mm lies at A2"):
        desk.books(at(desk, "A2"), "change 3 for 10")
    desk.file.close()


def test_thin_leaves_that_fill_the_stack_are_changed_for_thick_ones(tmp_path):
    """Four leaves of 1 mm and 9 mm still wanted: no fifth goes in, so they come out for thicker ones."""
    stock = (("6 mm", 4), ("3 mm", 4), ("1 mm", 8))
    desk = floor_of(tmp_path / "f.keel", 1, 2, ("1.2600", "1.2470"), stock, {"neighbours_m": 0.006})
    i = at(desk, "A2")
    desk.record(*desk.books(i, "1 + 1 + 1 + 1"))
    wait(desk)
    steps = [step for steps in desk.result.walk.values() for step in steps]
    said = [desk.result.step_in_words(step) for step in steps]
    assert said[0].startswith("change 1 + 1 + 1 + 1")
    assert abs(desk.result.left_over(i)) < 0.001
    while desk.result.walk:
        desk.record(*desk.books(i))
        wait(desk)
    assert desk.result.booked(i).put == pytest.approx(0.013, abs=0.001)
    assert {leaf.text: leaf.count for leaf in desk.book.stock}["1 mm"] >= 7  # they are back in the stock
    desk.file.close()


def test_undoing_a_booking_brings_its_line_back_as_it_was(issue_floor):
    before = steps_said(issue_floor)
    issue_floor.record(*issue_floor.books(at(issue_floor, "B3")))
    issue_floor.record(*issue_floor.books(at(issue_floor, "B2")))
    issue_floor.file.undo()
    issue_floor.file.undo()
    issue_floor.refresh()
    wait(issue_floor)
    assert issue_floor.book.plan is None and steps_said(issue_floor) == before


def test_what_goes_in_otherwise_plans_again_only_what_the_stock_no_longer_allows(issue_floor):
    desk = issue_floor
    desk.record(*desk.issues(printed=True))
    assert desk.book.printed is not None and desk.result.since_printed == []
    before = steps_said(desk)
    wrong = at(desk, "B3")
    stage = desk.result.step(wrong).stage
    desk.record(
        *desk.books(wrong, "6")
    )  # 6 for 1 + 1 + 1: three of 6 mm are still needed elsewhere, seven were to spare
    wait(desk)
    others = {k: v for k, v in before.items() if k[0] != "B3"}
    assert {k: v for k, v in steps_said(desk).items() if k[0] != "B3"} == others
    assert stage
    desk.record(*desk.books(at(desk, "A3")))
    assert desk.result.since_printed in ([], [wrong])
