"""A lift booked stage by stage, and one work moved by several means, each point by its own."""

from __future__ import annotations

import pytest

from tests.saying import take
from vivid_keel.core.errors import KeelError
from vivid_keel.core.moving.choosing import pack
from vivid_keel.core.quantities import parse_length
from vivid_keel.core.record.entries import Draft
from vivid_keel.core.record.readings import as_read
from vivid_keel.files import JobFile
from vivid_keel.trades.registry import desk_for
from vivid_keel.trades.supports.lay_out import grid_drafts

FOUND = ("1.2500", "1.2380", "1.2410", "1.2500", "1.2390", "1.2440")
LIMITS = {
    "neighbours_m": 0.005,
    "clearance_m": 0.0,
    "interface_m": 0.0,
    "tolerance": as_read(parse_length("1.5 mm", "mm", ".")),
}


@pytest.fixture
def floor(tmp_path):
    """Six posts, hung, the keeper at 1.2500; stages of 5 mm."""
    with JobFile.create(tmp_path / "floor.keel", "Mill", "Ada", decimal_mark=".") as file:
        (work,) = file.record([Draft(0, "work", {"name": "Floor", "type": "supports", "unit": "m"})])
        file.record(
            [
                Draft(work.id, "limits", LIMITS),
                Draft(work.id, "caution", {"key": "lifting"}),
                *grid_drafts(work.id, ("A", "B"), 3, 2.4, 3.0),
                *(
                    Draft(work.id, "leaf", {"leaf": as_read(parse_length(t, "mm", ".")), "count": n})
                    for t, n in (("12 mm", 4), ("5 mm", 9), ("4 mm", 9), ("2 mm", 9), ("1 mm", 9))
                ),
            ]
        )
        desk = desk_for(file, work.id)
        for point, text in zip(desk.book.points, FOUND, strict=True):
            reading = as_read(parse_length(text, "m", "."))
            desk.record(Draft(work.id, "reading", {"point": point.id, "phase": "found", "reading": reading}))
        yield desk


def packed(desk):
    """Choose the leaves, as the worker does while the window rests."""
    work = desk.long_work()
    if work is not None:
        desk.long_work_done(work[0], work[1](lambda: 20.0))
    return desk.result


def without_thick(desk):
    """Take the 12 mm leaves out of the stock, so that every leaf goes in at a stage and stays."""
    leaf = next(leaf for leaf in desk.book.stock if leaf.thickness > 0.01)
    body = desk.file.journal.entries[leaf.id].body
    desk.record(Draft(desk.work, "leaf", {**body, "count": 0}, strikes=leaf.id))


def names(desk, places):
    return [desk.book.points[i].name for i in places]


def test_the_keeper_stays_and_a_lift_of_twelve_takes_three_stages_of_five(floor):
    without_thick(floor)
    result = packed(floor)
    assert names(floor, result.to_move) == ["A2", "B2", "A3", "B3"]
    assert (result.stage_in_hand, result.stage_count) == (1, 3)
    a2 = result.to_move[0]
    first = result.step(a2)
    assert result.part(first) == pytest.approx(sum(first.into)) and not first.last
    assert 0.0025 < sum(first.into) <= 0.005
    assert result.stop_after(first) == pytest.approx(1.2380 + sum(first.into))
    assert result.first_of(first) == pytest.approx(result.stop_after(first))  # nothing closes, no clearance


def test_booked_stage_by_stage_it_ends_where_it_would_at_once_and_the_stock_agrees(floor):
    whole = packed(floor)
    planned = {i: sum(whole.stack(i)) for i in whole.to_move}
    counts = {leaf.thickness: leaf.count for leaf in floor.book.stock}
    seen = []
    while packed(floor).walk:
        result = floor.result
        stage = result.stage_in_hand
        for step in result.walk[stage]:
            assert floor.result.step(step.place).into == step.into  # what others booked changes nothing here
            floor.record(*floor.books(step.place))
            packed(floor)
            seen.append((stage, names(floor, [step.place])[0]))
            assert floor.result.stage_in_hand in {stage, stage + 1, 0}
    assert [s for s, _ in seen] == sorted(s for s, _ in seen)
    assert floor.result.to_do == []
    for i, thickness in planned.items():
        put = floor.result.booked(i)
        assert put.put == pytest.approx(thickness)
        assert sum(int(key) * n for key, n in put.used.items()) == pytest.approx(thickness * 1e6)
    gone = sum((counts[leaf.thickness] - leaf.count) * leaf.thickness for leaf in floor.book.stock)
    assert gone == pytest.approx(sum(planned.values()))
    floor.another_round()
    assert floor.book.passes[0].put == pytest.approx(
        {floor.book.points[i].id: thickness for i, thickness in planned.items()}
    )


def test_opened_again_between_two_stages_the_rest_is_what_adds_up(floor, tmp_path):
    without_thick(floor)
    result = packed(floor)
    for step in result.walk[1]:
        floor.record(*floor.books(step.place))
    floor.file.close()
    with JobFile.open(tmp_path / "floor.keel", "Ada") as file:
        desk = desk_for(file, floor.work)
        result = packed(desk)
        assert (result.stage_in_hand, result.stage_count) == (2, 3)
        for i in result.to_do:
            lying = result.begun(i)
            assert lying.put + sum(result.stack(i)) == pytest.approx(float(result.lifts[i]), abs=0.0005)
            assert lying.leaves + len(result.stack(i)) <= desk.book.limits.most_leaves


def test_a_leaf_that_holds_for_now_comes_back_into_the_stock(floor):
    for leaf in list(floor.book.stock):
        entry = floor.file.journal.entries[leaf.id]
        count = {0.012: 1, 0.005: 1, 0.002: 2}.get(round(leaf.thickness, 6), 0)
        floor.record(Draft(floor.work, "leaf", {**entry.body, "count": count}, strikes=entry.id))
    for place, point in enumerate(floor.book.points):
        if point.name not in {"A1", "A2", "B1"}:
            floor.record(Draft(floor.work, "aside", {"point": point.id}))
            assert place
    result = packed(floor)
    a2 = names(floor, range(6)).index("A2")
    assert result.stack(a2) == (0.012,)
    assert result.step_in_words(result.step(a2)) == "for now 5"
    floor.record(*floor.books(a2))
    assert {leaf.text: leaf.count for leaf in floor.book.stock}["5 mm"] == 0
    step = packed(floor).step(a2)
    assert floor.result.step_in_words(step) in {"change 5, for now 5 + 2 + 2", "change 5, for now 5 + 4"}
    floor.record(*floor.books(a2))
    step = packed(floor).step(a2)
    assert step.last and step.into == (0.012,)
    floor.record(*floor.books(a2))
    assert {leaf.text: leaf.count for leaf in floor.book.stock} | {"4 mm": 0, "1 mm": 0} == {
        "12 mm": 0,
        "5 mm": 1,
        "4 mm": 0,
        "2 mm": 2,
        "1 mm": 0,
    }
    assert floor.result.booked(a2).put == pytest.approx(0.012)


def test_what_was_booked_at_a_stage_is_booked_anew_without_losing_the_stage_before(floor):
    without_thick(floor)
    result = packed(floor)
    a2 = result.to_move[0]
    for step in result.walk[1]:
        floor.record(*floor.books(step.place))
    packed(floor)
    floor.record(*floor.books(a2))
    planned = floor.result.begun(a2)
    assert len(planned.ids) == 2 and planned.stage == 2
    packed(floor)
    floor.record(*floor.books(a2, "2 + 2"))
    put = floor.result.begun(a2)
    assert put.stage == 2 and put.ids[0] == planned.ids[0] and put.ids[1] != planned.ids[1]
    assert put.put == pytest.approx(put.before.put + 0.004)
    step = [s for steps in packed(floor).walk.values() for s in steps if s.place == a2]
    assert sum(s.put for s in step) == pytest.approx(
        0.012 - put.put, abs=2e-4
    )  # the rest still ends on target


def test_booked_anew_in_the_school_of_what_fits_a_gap_is_not_forgotten(floor):
    floor.record(Draft(floor.work, "limits", {**LIMITS, "neighbours_m": 0.0, "fits": True}))
    result = packed(floor)
    a2 = result.to_move[0]
    floor.record(*floor.books(a2, "12 + 2"))
    assert floor.result.booked(a2).hung == pytest.approx(0.002)
    floor.record(*floor.books(a2, "12 + 1"))
    assert floor.result.booked(a2).hung == pytest.approx(0.001)
    floor.record(*floor.books(a2, "12"))
    assert floor.result.booked(a2).hung == 0.0


def test_a_frame_that_stands_alone_is_not_staged_unless_asked(floor):
    body = {key: value for key, value in LIMITS.items() if key != "neighbours_m"}
    floor.record(Draft(floor.work, "limits", body))
    assert packed(floor).stage_count > 1  # 2.4 m apart: 4.8 mm
    floor.record(Draft(floor.work, "limits", {**body, "beam": "a frame standing alone"}))
    assert packed(floor).stage_count == 1
    floor.record(
        Draft(floor.work, "limits", {**body, "beam": "a frame standing alone", "neighbours_m": 0.005})
    )
    assert packed(floor).stage_count == 3
    floor.record(
        Draft(floor.work, "limits", body), Draft(floor.work, "mover", {"what": "screw", "values": {}})
    )
    assert floor.result.stage_count == 1


def test_a_place_in_the_wrong_unit_is_told_of_by_the_stages_it_would_take(floor):
    """A post half a millimetre from its neighbour: they may differ by a thousandth of one, and thousands of stages are none."""
    floor.record(Draft(floor.work, "limits", {k: v for k, v in LIMITS.items() if k != "neighbours_m"}))
    take(floor.sheets("Set-up")[0], 1, 2, "0.0005")
    (said,) = [one for one in floor.findings("Moves") if one.title == "More stages than anybody takes"]
    assert said.verdict == "out" and "off by a thousand? Neighbours may differ by 0.001 mm" in said.text
    assert floor.go(said.action).stage == "Target"
    floor.file.undo()
    floor.refresh()
    assert not [one for one in floor.findings("Moves") if one.title.startswith("More stages")]


# Each point by its own means


def on_screws(desk, *posts):
    for name in posts:
        sheet = desk.sheets("Set-up")[0]
        row = next(k for k, point in enumerate(desk.book.points) if point.name == name)
        take(sheet, row, 6, "screws")


def test_corners_on_screws_of_twelve_threads_and_packing_between(floor):
    floor.record(Draft(floor.work, "limits", {**LIMITS, "neighbours_m": 0.0}))
    on_screws(floor, "A1", "A3", "B1", "B3")
    means = next(s for s in floor.sheets("Target") if s.name == "Moved by")
    texts = [[means.cell(r, c).text for c in range(3)] for r in range(means.count)]
    assert texts[0][:2] == ["They are moved by", "packing leaves"]
    assert texts[1] == ["Some are moved by", "screws or levelling feet", "A1, A3, B1, B3"]
    take(means, 2, 1, "12 tpi")
    result = packed(floor)
    assert {
        n: floor.book.by_leaves(p.id) for n, p in zip(names(floor, range(6)), floor.book.points, strict=True)
    } == {
        "A1": False,
        "A2": True,
        "A3": False,
        "B1": False,
        "B2": True,
        "B3": False,
    }
    at = {name: i for i, name in enumerate(names(floor, range(6)))}
    pitch = 0.0254 / 12
    assert result.instructions[at["A3"]].done == pytest.approx(round(0.009 / pitch * 8) / 8 * pitch)
    assert result.instructions[at["A3"]].words == "4¼ turns clockwise"
    assert result.stack(at["A2"]) == (0.012,) and result.stack(at["A3"]) is None
    assert len(result.to_pack) == 2 and len(result.to_do) == 4
    sheet = floor.sheets("Moves")[0]
    hand = [column.title for column in sheet.columns].index("What the hand does")
    said = {sheet.cell(r, 0).text.split()[-1]: sheet.cell(r, hand).text for r in range(4)}
    assert said == {
        "A2": "12",
        "B2": result.step_in_words(result.step(at["B2"])),
        "A3": "4¼ turns clockwise",
        "B3": "2⅞ turns clockwise",
    }
    put = len(sheet.columns) - 1
    for name, text in (("A3", "4 1/4"), ("A2", ""), ("B3", "2 3/4"), ("B2", "")):
        sheet = floor.sheets("Moves")[0]
        take(sheet, sheet.row_of(at[name]), put, text)
        packed(floor)
    assert floor.result.booked(at["A3"]).put == pytest.approx(4.25 * pitch)
    assert floor.result.booked(at["B3"]).text == "2 3/4 turns clockwise"
    assert floor.result.booked(at["A2"]).used == {"12000": 1}
    floor.another_round()
    assert floor.book.points[at["A2"]].stack == pytest.approx(0.012)


def test_a_screw_turned_in_stages_stops_where_it_would_at_once(floor):
    floor.record(Draft(floor.work, "limits", {**LIMITS, "neighbours_m": 0.004}))
    on_screws(floor, "A2", "B2")
    at = names(floor, range(6)).index("A2")
    assert packed(floor).stop_at(at) == pytest.approx(1.2500, abs=0.0002)
    assert floor.result.stage_count == 3
    stops = []
    while floor.result.walk:
        step = floor.result.step(at)
        if step is not None:
            stops.append(floor.result.stop_after(step))
        for i in [s.place for s in floor.result.walk[floor.result.stage_in_hand]]:
            floor.record(*floor.books(i))
            packed(floor)
    assert len(stops) == 3 and stops == sorted(stops)
    assert stops[-1] == pytest.approx(1.2500, abs=0.0002)  # not where the last turn alone would bring it
    assert abs(floor.result.left_over(at)) < 0.0002


def test_a_post_is_like_the_rest_again_by_an_empty_cell_and_a_wrong_word_is_refused(floor):
    on_screws(floor, "A1")
    sheet = floor.sheets("Set-up")[0]
    with pytest.raises(KeelError, match="moves nothing; type packing, screws"):
        take(sheet, 0, 6, "prayer")
    take(sheet, 0, 6, "")
    assert floor.book.apart == {} and floor.book.all_means == [floor.book.means]
    take(floor.sheets("Set-up")[0], 0, 6, "p")  # what moves the rest anyway is nothing of its own
    assert floor.book.apart == {}


def test_the_numbers_of_what_moves_some_do_not_make_it_what_moves_the_rest(floor):
    on_screws(floor, "A1")
    means = next(s for s in floor.sheets("Target") if s.name == "Moved by")
    take(means, 2, 1, "3")
    assert floor.book.means.kind == "leaves"
    assert floor.book.apart[floor.book.points[0].id].values == {"pitch": 3.0}


def test_the_leaves_are_chosen_only_for_what_is_packed(floor):
    on_screws(floor, "A2", "A3", "B2", "B3")
    assert floor.result.to_pack == [] and floor.long_work() is None
    assert pack(floor.result) is None


def test_a_post_that_can_only_come_down_and_has_nothing_to_take_out_owns_no_further_round(floor):
    """Seen in practice: rounds were offered for ever, each doing nothing."""
    packed(floor)
    floor.another_round()
    keeper = floor.book.points[0].id
    floor.record(Draft(floor.work, "target", {"kind": "keep", "point": keeper}))
    found = {"A1": "1.2500", "A2": "1.2500", "A3": "1.2500", "B1": "1.2530", "B2": "1.2500", "B3": "1.2500"}
    for phase in ("found", "left"):
        for point in floor.book.points:
            reading = as_read(parse_length(found[point.name], "m", "."))
            floor.record(
                Draft(floor.work, "reading", {"point": point.id, "phase": phase, "reading": reading})
            )
    assert "round" not in floor.next("Proof").key
    (said,) = [f for f in floor.findings("Proof") if f.title.startswith("No round brings")]
    assert said.title == "No round brings B1 nearer"
    assert "3.0 mm high, and there is no packing to take out" in said.text
    a2 = next(p for p in floor.book.points if p.name == "A2")
    reading = as_read(parse_length("1.2530", "m", "."))
    floor.record(Draft(floor.work, "reading", {"point": a2.id, "phase": "left", "reading": reading}))
    assert floor.next("Proof").key == "round"  # this one stands on leaves that can come out


def test_a_clearance_that_uses_the_limit_up_is_said_and_nothing_fails(floor):
    """A frame standing alone may have any clearance; said to be a beam after all, the work has to open still."""
    body = {key: value for key, value in LIMITS.items() if key != "neighbours_m"}
    floor.record(
        Draft(floor.work, "limits", {**body, "beam": "a frame standing alone", "clearance_m": 0.010})
    )
    assert packed(floor).stage_count == 1
    floor.record(Draft(floor.work, "limits", {**body, "beam": "a light timber beam", "clearance_m": 0.010}))
    result = packed(floor)
    assert result.stage_count > 1
    (said,) = [f for f in floor.findings("Moves") if "too far apart" in f.title]
    assert said.verdict == "out" and "10 mm above the leaf" in said.text and "4.8 mm" in said.text
