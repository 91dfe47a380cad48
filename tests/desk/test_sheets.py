"""Every sheet takes what it should and refuses the rest in words, with nothing recorded."""

from __future__ import annotations

import pytest

from tests.mill import mill
from tests.saying import press_enter, take
from vivid_keel.core.errors import KeelError
from vivid_keel.core.record.entries import Draft
from vivid_keel.files import JobFile
from vivid_keel.trades.registry import desk_for


@pytest.fixture
def file(tmp_path):
    with mill(tmp_path / "mill.keel") as made:
        yield made


@pytest.fixture
def run(file):
    return desk_for(file, 2)


@pytest.fixture
def posts(file):
    return desk_for(file, file.journal.works()[1].id)


@pytest.fixture
def bare(tmp_path):
    with JobFile.create(tmp_path / "bare.keel", "Bare", "Ada") as made:
        made.record([Draft(0, "work", {"name": "floor", "type": "supports", "unit": "m"})])
        yield desk_for(made, 2)


def refused(desk, sheet, row, column, text):
    """The message a typed value is refused with; nothing is recorded by it."""
    before = len(desk.file.journal.entries)
    with pytest.raises(KeelError, match=".") as error:
        take(sheet, row, column, text)
    assert len(desk.file.journal.entries) == before
    return error.value.message


# The instrument, the same for both works


@pytest.mark.parametrize("fixture", ["run", "posts"])
def test_a_way_of_reading_is_taken_with_its_uncertainties(request, fixture):
    desk = request.getfixturevalue(fixture)
    ways, *_ = desk.sheets("Instrument")
    press_enter(ways, 4)
    assert desk.book.instrument.way == "rotary-receiver"
    assert desk.book.instrument.base == 0.0007
    assert desk.book.instrument.name == "Amber level"  # the owner's name stays
    assert desk.sheets("Instrument")[0].cell(4, 0).sign == "in"


@pytest.mark.parametrize(
    ("row", "text", "attribute", "value"),
    [
        (0, "Old dumpy", "name", "Old dumpy"),
        (1, "0.5 mm", "base", 0.0005),
        (2, "0.05 mm/m", "per_metre", pytest.approx(0.00005)),
        (3, "25", "from_distance", 25.0),
        (4, "40 m", "reach", 40.0),
        (5, "-0.05 mm/m", "collimation", pytest.approx(-0.00005)),
        (6, "× 99.5", "hair_factor", 99.5),
        (7, "checked on Monday", "note", "checked on Monday"),
    ],
)
def test_details_of_the_instrument(run, row, text, attribute, value):
    take(run.sheets("Instrument")[1], row, 1, text)
    assert getattr(run.book.instrument, attribute) == value
    assert run.book.instrument.stated


@pytest.mark.parametrize(
    ("row", "text", "says"),
    [
        (0, "  ", "needs a name"),
        (1, "0", "above 0"),
        (1, "much", "not a length"),
        (2, "-1", "can't get better with distance"),
        (3, "-5", "0 m or more"),
        (5, "steep", "not a tilt"),
        (5, "3 div", "choose it first"),
    ],
)
def test_details_refused(run, row, text, says):
    assert says in refused(run, run.sheets("Instrument")[1], row, 1, text)


# Known marks


def test_a_known_mark_is_entered_cell_by_cell(run):
    sheet = run.sheets("Set-up")[0]
    row = sheet.count - 1
    assert take(sheet, row, 0, "BM weir") == (row, 1)
    assert take(sheet, row, 1, "40.5") == (row, 3)
    take(run.sheets("Set-up")[0], row, 3, "published, old")
    known = {k.name: k for k in run.book.known}["BM weir"]
    assert (known.height, known.source, known.u) == (40.5, "published, old", 0.0)
    sheet = run.sheets("Set-up")[0]
    take(sheet, row, 2, "4 mm")
    assert {k.name: k for k in run.book.known}["BM weir"].u == pytest.approx(0.002)


@pytest.mark.parametrize(
    ("row", "column", "text", "says"),
    [
        (1, 0, "", "name the mark"),
        (1, 0, "BM gatepost", "has one height"),
        (1, 1, "high", "not a length"),
        (1, 2, "-3", "U is 0 or more"),
        (1, 3, "", "where the height comes from"),
        (0, 1, "4,231", "may mean"),
    ],
)
def test_known_marks_refused(run, row, column, text, says):
    assert says in refused(run, run.sheets("Set-up")[0], row, column, text)


def test_changing_a_known_height_moves_everything(run):
    before = run.result.height(1)
    take(run.sheets("Set-up")[0], 0, 1, "43.318")
    assert run.result.height(1) == pytest.approx(before + 1)
    run.file.undo()
    run.refresh()
    assert run.result.height(1) == pytest.approx(before)


# The book


@pytest.mark.parametrize(
    ("row", "column", "text", "says"),
    [
        (0, 0, " ", "needs its mark"),
        (0, 1, "", "nothing was typed"),
        (0, 1, "14", "longer than any staff"),
        (0, 4, "0", "at most 500 m"),
        (0, 4, "5/6", "one sight stands on this line"),
        (2, 0, "x", "this line is struck"),
        (11, 4, "20", "book the reading first"),
        (11, 0, "", "name the mark"),
        (11, 2, "1.5", "name the mark first"),
    ],
)
def test_the_book_refuses(run, row, column, text, says):
    assert says in refused(run, run.sheets("Readings")[0], row, column, text)


def test_moving_a_reading_to_another_column_changes_its_kind(run):
    sheet = run.sheets("Readings")[0]
    row = sheet.row_of(1)
    assert run.book.rows[1].kind == 1
    take(sheet, row, 3, "1.936")
    assert [(r.kind, r.stands) for r in run.book.rows[1:3]] == [(1, False), (2, True)]


def test_renaming_a_change_point_renames_both_its_sights(run):
    sheet = run.sheets("Readings")[0]
    row = next(i for i, (_, back) in enumerate(run.book.lines) if back >= 0)
    before = run.result.reduction.heights.copy()
    take(sheet, row, 0, "Flagstone")
    marks = [r.mark for r in run.book.rows if r.stands]
    assert marks.count("Flagstone") == 2
    assert "CP 1" not in marks
    assert run.result.reduction.heights == pytest.approx(before)


def test_both_schools_show_the_same_heights(run):
    collimation, rise, _ = run.sheets("Readings")
    for row in range(collimation.count - 1):
        assert collimation.cell(row, 6).text == rise.cell(row, 7).text
    assert {c.title for c in rise.columns} >= {"Rise", "Fall"}


def test_the_foot_of_the_page(run):
    run.checks()
    assert ("readings freed of c·D", "") in run.sheets("Readings")[0].footer()
    run.record(*run.sheets("Proof")[1]._save(use_collimation=False))
    run.checks()
    said = [text for text, _ in run.sheets("Readings")[0].footer()]
    assert said == ["Σ BS 4.955", "Σ FS 4.958", "Σ BS − Σ FS = −0.003 = last − first"]
    said = [text for text, _ in run.sheets("Readings")[1].footer()]
    assert said[-1] == "Σ rise − Σ fall = −0.003 = last − first"


def test_class_spread_and_reason(run):
    _, classes, *_ = run.sheets("Proof")
    press_enter(classes, 5)  # by distance
    assert run.book.settings.spread == "distance"
    assert run.result.closure.spread
    press_enter(run.sheets("Proof")[1], 6)
    assert not run.result.closure.spread
    sheet = run.sheets("Proof")[1]
    assert "above 0" in refused(run, sheet, 2, 2, "0")
    take(sheet, 2, 2, "1 mm")
    assert run.result.closure.accepted is False
    press_enter(run.sheets("Proof")[1], 4)
    take(run.sheets("Proof")[1], 7, 3, "agreed")
    assert run.result.closure.spread
    take(run.sheets("Proof")[1], 7, 3, "")
    assert not run.book.settings.override


def test_collimation_switch_needs_a_known_error(run):
    press_enter(run.sheets("Proof")[1], 8)
    assert not run.book.settings.use_collimation
    take(run.sheets("Instrument")[1], 5, 1, "0.1")
    press_enter(run.sheets("Proof")[1], 8)
    assert run.book.settings.use_collimation


def test_matters_are_noted_settled_and_struck(run):
    sheet = run.sheets("Record")[0]
    assert "nothing was typed" in refused(run, sheet, sheet.count - 1, 1, " ")
    take(sheet, sheet.count - 1, 1, "ask about the drain")
    sheet = run.sheets("Record")[0]
    assert [m.text for m in sheet.items][-1] == "ask about the drain"
    press_enter(sheet, 0)
    assert run.sheets("Record")[0].cell(0, 0).sign == "in"
    words, entry = run.sheets("Record")[0].strike(1)
    assert "ask about the drain" in words
    run.strike(entry, "asked")
    assert len(run.sheets("Record")[0].items) == 1


def test_the_log_shows_what_was_struck_and_undone(run):
    log = run.sheets("Record")[1]
    texts = [log.cell(r, 3) for r in range(log.count)]
    assert any(c.struck and c.text == "IS Store sill 0.837" for c in texts)
    run.file.undo()
    run.refresh()
    log = run.sheets("Record")[1]
    states = {log.cell(r, 4).text for r in range(log.count)}
    assert states == {"", "struck", "undone"} or states == {"", "struck"}


# Supports


@pytest.mark.parametrize(
    ("row", "text", "says"),
    [
        (0, " , ", "at least one row"),
        (1, "0", "1 or more"),
        (1, "six", "is no count"),
        (2, "-2", "above 0"),
        (3, "wide", "not a length"),
        (4, "leans", "hang from the point or stand on it"),
    ],
)
def test_laying_out_refuses(bare, row, text, says):
    assert says in refused(bare, bare.sheets("Set-up")[0], row, 1, text)


def test_laid_out_as_typed(bare):
    sheet = bare.sheets("Set-up")[0]
    for row, text in enumerate(("North, South, North", "3", "8 ft", "2500 mm", "s")):
        assert take(sheet, row, 1, text) == (row + 1, 1)
    assert sheet.cell(5, 1).text == "don't know"
    with pytest.raises(KeelError, match="expected 1 to 5, as drawn"):
        take(sheet, 5, 1, "9")
    assert take(sheet, 5, 1, "2") == (6, 1)
    press_enter(sheet, 6)
    assert bare.book.limits.beam == "a steel girder"
    assert [p.name for p in bare.book.points] == ["N1", "N2", "N3", "S1", "S2", "S3"]
    assert bare.book.points[1].x == pytest.approx(8 * 0.3048)
    assert bare.book.points[3].y == 2.5
    assert {p.sense for p in bare.book.points} == {"stands"}


@pytest.mark.parametrize(
    ("row", "column", "text", "says"),
    [
        (0, 0, "", "name the post"),
        (0, 0, "U2", "names tell readings apart"),
        (0, 1, " ", "stands in a row"),
        (0, 2, "far", "not a length"),
        (0, 4, "-1", "0 or more"),
        (0, 5, "x", "hang from the point or stand on it"),
        (12, 0, "D6", "names tell readings apart"),
    ],
)
def test_posts_refused(posts, row, column, text, says):
    assert says in refused(posts, posts.sheets("Set-up")[0], row, column, text)


@pytest.mark.parametrize(
    ("sheet", "row", "column", "text", "says"),
    [
        (1, 6, 0, "0", "above 0"),
        (1, 6, 0, "300 mm", "at most 200 mm"),
        (1, 6, 0, "6", "in the list already"),
        (1, 6, 1, "4", "thickness first"),
        (1, 0, 1, "0", "1 or more"),
        (1, 0, 1, "2.5", "is no count"),
        (2, 0, 1, "0 mm", "above 0"),
        (2, "most", 1, "-2", "above 0"),
        (2, "share", 1, "120 %", "5 to 100"),
        (2, "most_leaves", 1, "none", "is no count"),
        (2, "interface", 1, "5 mm", "0 to 2 mm"),
        (2, "sense", 1, "q", "hang from the point"),
        (2, "neighbours", 1, "0", "above 0"),
        (0, 3, 2, "Z9", "has no reading here"),
        (0, 4, 2, "-1", "booked as read"),
    ],
)
def test_target_stock_and_limits_refuse(posts, sheet, row, column, text, says):
    shown = posts.sheets("Target")[sheet]
    row = row if isinstance(row, int) else [line[0] for line in shown.lines].index(row)
    assert says in refused(posts, shown, row, column, text)


@pytest.mark.parametrize(("row", "kind"), [(0, "highest"), (1, "lowest"), (2, "mean")])
def test_targets_are_compared_and_taken(posts, row, kind):
    sheet = posts.sheets("Target")[0]
    greatest, total = sheet.cell(row, 3).text, sheet.cell(row, 4).text
    press_enter(sheet, row)
    assert posts.book.target.kind == kind
    import numpy as np

    assert f"{np.abs(posts.result.moves).max() * 1000:.1f}" == greatest
    assert f"{np.abs(posts.result.moves).sum() * 1000:.1f}" == total


def test_stock_is_changed_and_struck(posts):
    sheet = posts.sheets("Target")[1]
    take(sheet, 0, 1, "9")
    assert posts.book.stock[0].count == 9
    sheet = posts.sheets("Target")[1]
    take(sheet, 0, 0, "5 mm")
    assert posts.book.stock[0].thickness == 0.005
    words, entry = posts.sheets("Target")[1].strike(0)
    assert "5 mm" in words
    posts.strike(entry, "")
    assert len(posts.book.stock) == 5


def test_limits_follow_what_is_typed(posts):
    typed = {
        "tolerance": "2 mm",
        "most_leaves": "3",
        "interface": "0.1",
        "sense": "h",
        "share": "60",
        "most": "20",
        "leaf_size": "60 × 90 mm",
    }
    for key, text in typed.items():
        sheet = posts.sheets("Target")[2]
        take(sheet, [line[0] for line in sheet.lines].index(key), 1, text)
    limits = posts.book.limits
    assert (limits.tolerance, limits.most_leaves, limits.interface, limits.sense) == (
        0.002,
        3,
        0.0001,
        "hangs",
    )
    assert (limits.share, limits.most, limits.leaf_size) == (0.6, 0.02, "60 × 90 mm")


def test_enter_goes_to_the_next_unread_post(posts):
    sheet = posts.sheets("Proof")[0]
    assert sheet.first() == (4, 2)
    assert take(sheet, 4, 2, "1.2639") == (5, 2)
    assert take(posts.sheets("Proof")[0], 5, 2, "1.2640") == (7, 2)
    assert posts.result.read_left == 8


def test_the_worker_is_asked_once_for_each_choice(posts):
    key, operation = posts.long_work()
    posts.long_work_done(key, operation(lambda: 20.0))
    assert posts.long_work() is None
    take(posts.sheets("Target")[1], 0, 1, "1")
    again, _ = posts.long_work()
    assert again != key
    posts.file.undo()
    posts.refresh()
    assert posts.long_work() is None  # chosen before, and kept
    assert posts.result.packing is not None


def test_no_lift_is_offered_before_the_cautions_are_read(bare):
    sheet = bare.sheets("Set-up")[0]
    for row, text in enumerate(("A", "2", "2", "2", "h")):
        take(sheet, row, 1, text)
    press_enter(sheet, 6)
    for row, text in enumerate(("1.2600", "1.2500")):
        take(bare.sheets("Readings")[0], row, 2, text)
    take(bare.sheets("Target")[1], 0, 0, "6 mm")
    take(bare.sheets("Target")[1], 0, 1, "4")
    key, operation = bare.long_work()
    bare.long_work_done(key, operation(lambda: 20.0))
    assert bare.next("Moves").title == "Read the cautions first"
    assert [c.key for c in bare.cautions("Moves")] == ["lifting", "shims"]
    bare.acknowledge(bare.cautions("Moves")[0])
    assert bare.next("Moves").title == "Next: raise A2 10.0 mm"
    assert [c.key for c in bare.cautions("Moves")] == ["shims"]


def test_a_support_is_set_aside_by_a_word_and_taken_back_by_a_reading(tmp_path):
    from tests.mill import mill
    from vivid_keel.trades.registry import desk_for

    with mill(tmp_path / "Osier Mill.keel") as job:
        work = next(w.id for w in job.journal.works() if w.body["type"] == "supports")
        desk = desk_for(job, work)
        row = next(i for i, p in enumerate(desk.book.points) if p.left is None)
        name = desk.book.points[row].name
        before = desk.next("Proof").title
        assert before == f"Next: read {name} as left"
        take(desk.sheets("Proof")[0], row, 2, "aside")
        assert desk.book.points[row].aside and name not in desk.next("Proof").title
        take(desk.sheets("Proof")[0], row, 2, "1.2638")
        assert not desk.book.points[row].aside and desk.book.points[row].left.text == "1.2638"


def test_a_fall_in_a_job_of_decimal_commas(tmp_path, monkeypatch):
    from tests.mill import mill
    from vivid_keel.trades.registry import desk_for

    with mill(tmp_path / "Osier Mill.keel") as job:
        desk = desk_for(job, next(w.id for w in job.journal.works() if w.body["type"] == "supports"))
        sheet = desk.sheets("Target")[0]
        assert sheet._fall("-1.5, 0.5") == pytest.approx((-0.015, 0.005))
        monkeypatch.setattr(type(desk), "decimal_mark", ",")
        assert sheet._fall("-1,5") == pytest.approx((-0.015, 0.0))
        assert sheet._fall("-1,5; 0,5") == pytest.approx((-0.015, 0.005))


def test_practice_keeps_the_persons_own_target(tmp_path):
    from tests.mill import mill
    from vivid_keel.trades.registry import desk_for

    with mill(tmp_path / "Osier Mill.keel") as job:
        work = next(w.id for w in job.journal.works() if w.body["type"] == "supports")
        desk = desk_for(job, work)
        take(desk.sheets("Target")[0], 3, 2, "U6")
        copy = desk_for(job, desk.practise().work)
        assert copy.book.target.kind == "keep"
        assert next(p.name for p in copy.book.points if p.id == copy.book.target.point) == "U6"
        assert copy.book.limits.tolerance == desk.book.limits.tolerance


@pytest.mark.parametrize(("sense", "way"), [("hangs", 1.0), ("stands", -1.0)])
def test_a_post_is_read_by_a_level_laid_from_another(tmp_path, sense, way):
    """+0.5 mm/m over 3 m: 1.5 mm higher; a scale that hangs then reads as much more, one that stands as much less."""
    from vivid_keel.trades.registry import desk_for

    with JobFile.create(tmp_path / "t.keel", "Mill", "Ada", decimal_mark=".") as job:
        work = job.record([Draft(0, "work", {"name": "Floor", "type": "supports", "unit": "m"})])[0].id
        for name, x in (("A1", 0.0), ("A2", 3.0), ("A3", 3.0)):
            body = {"name": name, "row": "A", "x_m": x, "y_m": 0.0, "sense": sense}
            job.record([Draft(work, "point", body)])
        desk = desk_for(job, work)
        with pytest.raises(KeelError, match="no other post that is read here"):
            desk.sheets("Readings")[0].accept(1, 2, "0.5 mm/m from A1")
        take(desk.sheets("Readings")[0], 0, 2, "1.2500")
        take(desk.sheets("Readings")[0], 1, 2, "0.5 mm/m from A1")
        assert desk.book.points[1].found.value - 1.25 == pytest.approx(way * 0.0015)
        assert desk.result.heights[1] - desk.result.heights[0] == pytest.approx(0.0015)
        entry = desk.file.journal.standing(work, "reading")[-1]
        assert entry.body["remark"] == "by a level: 0.5 mm/m from A1"
        for text, says in (("0.5 mm/m from A2", "no other post"), ("0.5 mm/m from A9", "no other post")):
            with pytest.raises(KeelError, match=says):
                desk.sheets("Readings")[0].accept(1, 2, text)
        with pytest.raises(KeelError, match="stand at one place"):
            desk.sheets("Readings")[0].accept(2, 2, "0.5 mm/m from A2")
