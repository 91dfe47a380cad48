"""Rounds of supports: who is the keeper, what is touched, what was put in, and the line between two rounds."""

from __future__ import annotations

import numpy as np
import pytest

from tests.saying import what_is_said
from tests.trades.supports.test_works import Book, titles
from vivid_keel.core.moving.choosing import pack
from vivid_keel.core.proof import NOT_PROVEN, PROVEN_IN
from vivid_keel.core.record.entries import Draft
from vivid_keel.trades.supports.fold import fold_supports
from vivid_keel.trades.supports.measure import work_out_supports

FOUND = {"A1": "1.2598", "A2": "1.2640", "A3": "1.2526", "A4": "1.2637", "A5": "1.2600"}


@pytest.fixture
def floor():
    book = Book("supports")
    book.way(0.0002)
    book.tolerance("1.5 mm")
    book.stock(("6 mm", 20), ("3 mm", 20), ("1.5 mm", 20), ("0.8 mm", 20), ("0.4 mm", 20))
    for k, (name, text) in enumerate(FOUND.items()):
        book.post(name, text, x=2.4 * k)
    return book


def ids(book):
    return {point.name: point.id for point in book.supports().book.points}


def left(book, **readings):
    points = ids(book)
    for name, text in readings.items():
        body = {"point": points[name], "phase": "left", "reading": book.read(text)}
        book.add(Draft(book.work, "reading", body))


def end_round(book, **put):
    points = ids(book)
    body = {"put": {str(points[k]): v for k, v in put.items()}, "leaves": {str(points[k]): 1 for k in put}}
    book.add(Draft(book.work, "pass", body))


def named(book, result):
    return [result.book.points[i].name for i in result.to_move]


def test_the_keeper_stays_though_another_reads_higher_in_the_next_round(floor):
    assert [floor.supports().book.points[i].name for i in floor.supports().keepers] == ["A2"]
    left(floor, A1="1.2640", A2="1.2640", A3="1.2640", A4="1.2645", A5="1.2641")
    end_round(floor, A1=0.0042, A3=0.0114, A5=0.0040)
    second = floor.supports()
    assert [second.book.points[i].name for i in second.keepers] == ["A2"]  # A4 reads half a millimetre higher
    assert second.target == pytest.approx(1.2640)
    assert second.aim.fixed and second.aim.picking == 0.0


def test_a_target_reckoned_from_all_does_not_climb_with_the_posts(floor):
    floor.add(Draft(floor.work, "target", {"kind": "mean"}))
    mean = floor.supports().target
    left(floor, A1="1.2600", A2="1.2640", A3="1.2600", A4="1.2637", A5="1.2600")
    end_round(floor, A3=0.0074)
    assert floor.supports().target == pytest.approx(mean)
    # Chosen anew it begins with what stands now.
    floor.add(Draft(floor.work, "target", {"kind": "mean"}))
    assert floor.supports().target == pytest.approx(np.mean([1.2600, 1.2640, 1.2600, 1.2637, 1.2600]))


def test_a_keeper_that_is_named_holds_until_a_target_is_chosen_again(floor):
    floor.add(Draft(floor.work, "keeper", {"point": ids(floor)["A4"], "name": "A4"}))
    assert floor.supports().target == pytest.approx(1.2637)
    floor.add(Draft(floor.work, "target", {"kind": "highest"}))
    assert floor.supports().target == pytest.approx(1.2640)


def test_a_fixed_keeper_that_is_not_read_is_asked_for(floor):
    floor.add(Draft(floor.work, "keeper", {"point": ids(floor)["A2"], "name": "A2"}))
    read = next(point.found.id for point in floor.supports().book.points if point.name == "A2")
    floor.add(Draft(floor.work, "strike", {"reason": "wrong"}, strikes=read))
    said = what_is_said("supports", floor.supports(), "Moves")
    assert any("A2 is what everything is brought level with" in item.text for item in said)


def test_what_is_on_target_is_not_touched_in_the_next_round(floor):
    """A beam that answers: A2 is exactly right, and must not be told to lose the packing that A1 and A3 carry with them."""
    left(floor, A1="1.2628", A2="1.2640", A3="1.2585", A4="1.2637", A5="1.2620")
    end_round(floor, A1=0.0042, A3=0.0114, A5=0.0040)
    second = floor.supports()
    assert second.learned.response is not None
    still = [i for i in range(5) if i not in second.to_move]
    assert still and not second.lifts[still].any()
    assert all(second.in_words(i) == "" for i in still)


def test_undecided_posts_are_left_where_a_move_would_not_help():
    coarse = Book("supports")
    coarse.way(0.0007)
    coarse.tolerance("1.5 mm")
    coarse.stock(("1.5 mm", 9), ("0.4 mm", 9))
    for k, text in enumerate(("1.2640", "1.2635", "1.2580")):
        coarse.post(f"A{k + 1}", text, x=2.4 * k)
    result = coarse.supports()
    assert result.verdicts[1] == NOT_PROVEN
    assert named(coarse, result) == ["A3"]  # 0.5 mm with u of 1 mm: a move would as likely harm
    left(coarse, A1="1.2640", A2="1.2635", A3="1.2636")
    end_round(coarse, A3=0.006)
    said = what_is_said("supports", coarse.supports(), "Moves")
    assert any("can't tell any better" in item.title for item in said)


def test_what_was_booked_stays_when_stock_target_and_limits_change(floor):
    first = floor.supports()
    i = first.to_move[0]
    name = first.book.points[i].name
    body = {
        "point": first.book.points[i].id,
        "put_m": 0.0105,
        "leaves": 2,
        "used": {"6000": 1},
        "text": "6 + 4.5",
        "planned": False,
    }
    floor.add(Draft(floor.work, "put", body))
    booked = floor.supports()
    assert booked.in_words(i) == "6 + 4.5" and i not in booked.to_pack and i in booked.to_move
    assert next(leaf for leaf in booked.book.stock if leaf.text == "6 mm").count == 19
    floor.add(Draft(floor.work, "target", {"kind": "height", "reading": floor.read("1.2600")}))
    floor.tolerance("9 mm")
    changed = floor.supports()
    assert changed.put_in()[0][ids(floor)[name]] == pytest.approx(0.0105)
    assert changed.in_words(i) == "6 + 4.5"


def test_collimation_that_is_left_in_counts_as_left_as_it_does_as_found(floor):
    body = {
        **floor.journal.latest(floor.work, "instrument").body,
        "collimation_rad": 0.0004,
        "u_collimation_rad": 0.00005,
    }
    floor.add(Draft(floor.work, "instrument", body))
    floor.add(Draft(floor.work, "station", {"x_m": -1.0, "y_m": 0.0}))
    floor.add(Draft(floor.work, "corrections", {"use_collimation": False}))
    left(floor, A1="1.2640", A2="1.2640", A3="1.2640", A4="1.2640", A5="1.2640")
    result = floor.supports()
    assert result.u_left[0] >= result.u_deviation[0] > 0.001
    assert PROVEN_IN not in [v for i, v in enumerate(result.left_verdicts) if i not in result.keepers]
    # Nobody said where it stood: the worst that its posts could have between them.
    floor.add(
        Draft(floor.work, "strike", {"reason": "?"}, strikes=floor.journal.latest(floor.work, "station").id)
    )
    assert floor.supports().u_left[0] > 0.001


def test_every_support_is_proven_in_only_once_every_one_is_read(floor):
    read = {point.name: point.found.id for point in floor.supports().book.points}
    for name in ("A1", "A3", "A5"):
        floor.add(Draft(floor.work, "strike", {"reason": "?"}, strikes=read[name]))
    said = titles(what_is_said("supports", floor.supports(), "Moves"))
    assert "Every support is proven in" not in said
    assert "All that were read are proven in" in said


def test_a_watch_mark_read_only_once_is_asked_for_where_everything_moved_alike(floor):
    floor.add(Draft(floor.work, "reference", {"phase": "found", "reading": floor.read("0.8415")}))
    packed = floor.supports(packing=pack(floor.supports()))
    put, _ = packed.put_in()
    shown = {}
    for i, point in enumerate(packed.book.points):
        # As planned, but the line stands 2.4 mm higher: every hung scale reads that much less.
        shown[point.name] = f"{packed.heights[i] + put.get(point.id, 0.0) - 0.0024:.4f}"
    left(floor, **shown)
    result = floor.supports()
    assert result.line_in_doubt == pytest.approx(-0.0024, abs=0.0004)
    said = what_is_said("supports", result, "Proof")
    assert any(item.verdict == "out" and "watch mark" in item.title for item in said)
    # Once it is read, the line is known to have moved, and nothing is in doubt.
    floor.add(Draft(floor.work, "reference", {"phase": "left", "reading": floor.read("0.8439")}))
    known = floor.supports()
    assert known.line_in_doubt == 0.0
    assert all(v == PROVEN_IN for v in known.left_verdicts)


def test_as_left_is_judged_against_the_keeper_as_it_was_left(floor):
    """It came along by a millimetre: what came up to where it had been is a millimetre low."""
    left(floor, A1="1.2640", A2="1.2650", A3="1.2650", A4="1.2648", A5="1.2651")
    result = floor.supports()
    assert [result.deviation_left(i) for i in range(5)] == pytest.approx([-0.001, 0, 0, -0.0002, 0.0001])
    assert result.u_left[[0, 2, 3, 4]] == pytest.approx([0.0002 * 2**0.5] * 4)


def test_a_line_that_stood_still_is_not_doubted(floor):
    floor.add(Draft(floor.work, "reference", {"phase": "found", "reading": floor.read("0.8415")}))
    left(floor, A1="1.2641", A2="1.2639", A3="1.2638", A4="1.2637", A5="1.2642")
    assert floor.supports().line_in_doubt == 0.0


def next_visit(book, day, mark, found, left=None):
    """Begin a visit on a day, read the watch mark and every post, and again as left."""
    if book.supports().read:
        book.add(Draft(book.work, "visit", {}))
    for phase, reads in (("found", found), ("left", left or {})):
        if reads:
            book.add(Draft(book.work, "reference", {"phase": phase, "reading": book.read(mark)}))
        for name, text in reads.items():
            body = {"point": ids(book)[name], "phase": phase, "reading": book.read(text)}
            book.add(Draft(book.work, "reading", body))


def test_a_look_a_year_later_is_a_visit_of_its_own_and_teaches_nothing_of_the_packing(floor):
    """8 mm needed, 9 put in, all right; a year on it has sunk by 5: that is no answer of the packing."""
    left(floor, A1="1.2640", A2="1.2640", A3="1.2641", A4="1.2637", A5="1.2640")
    end_round(floor, A1=0.0042, A3=0.0114, A5=0.0040)
    before = floor.supports().book
    floor.add(Draft(floor.work, "visit", {}))
    again = floor.supports()
    assert again.read == 0 and again.learned.response is None and not again.book.passes
    assert [p.stack for p in again.book.points] == [
        p.stack for p in before.points
    ]  # the packing is still in there
    for name, text in {
        "A1": "1.2600",
        "A2": "1.2640",
        "A3": "1.2601",
        "A4": "1.2637",
        "A5": "1.2639",
    }.items():
        floor.add(
            Draft(
                floor.work,
                "reading",
                {"point": ids(floor)[name], "phase": "found", "reading": floor.read(text)},
            )
        )
    again = floor.supports()
    i = next(k for k, p in enumerate(again.book.points) if p.name == "A1")
    assert again.lifts[i] == pytest.approx(0.0040)  # as reckoned, not as a packing that took a third
    assert [len(one.found) for one in again.book.occasions] == [5, 5]
    assert {read.text for read in again.book.occasions[0].left.values()} == {"1.2640", "1.2641", "1.2637"}


def test_visits_are_compared_over_the_watch_mark_whatever_the_line(floor):
    from vivid_keel.trades.supports.visits import drifts_of, tied, visits_of

    floor.add(Draft(floor.work, "reference", {"phase": "found", "reading": floor.read("0.8415")}))
    left(floor, A1="1.2640", A2="1.2640", A3="1.2640", A4="1.2637", A5="1.2640")
    floor.add(Draft(floor.work, "reference", {"phase": "left", "reading": floor.read("0.8415")}))
    # The line stands 100 mm higher; A3 has sunk by 3 mm.
    found = {"A1": "1.1640", "A2": "1.1640", "A3": "1.1610", "A4": "1.1637", "A5": "1.1640"}
    next_visit(floor, 0, "0.9415", found)
    result = floor.supports()
    assert tied(result.book) and len(visits_of(result.book)) == 2
    told = drifts_of(result)
    assert told["A3"].change == pytest.approx(-0.003) and told["A3"].moved == "moved"
    assert {told[name].moved for name in ("A1", "A2", "A4", "A5")} == {"not-proven"}


def test_without_a_watch_mark_only_what_moved_against_the_others_is_told(floor):
    from vivid_keel.trades.supports.visits import drifts_of, tied

    left(floor, A1="1.2640", A2="1.2640", A3="1.2640", A4="1.2637", A5="1.2640")
    next_visit(
        floor, 0, "0.9415", {"A1": "1.1640", "A2": "1.1640", "A3": "1.1590", "A4": "1.1637", "A5": "1.1640"}
    )
    floor.add(
        Draft(floor.work, "strike", {"reason": "?"}, strikes=floor.journal.latest(floor.work, "reference").id)
    )
    result = floor.supports()
    assert not tied(result.book)
    assert drifts_of(result)["A3"].change == pytest.approx(-0.004)  # 5 mm, less the mean that went by one


def test_a_reading_set_as_target_does_not_come_along_to_the_next_visit(floor):
    floor.add(Draft(floor.work, "target", {"kind": "height", "reading": floor.read("1.2700")}))
    assert floor.supports().book.target.kind == "height"
    floor.add(Draft(floor.work, "visit", {}))
    assert floor.supports().book.target.kind == "highest"


def test_points_ten_micrometres_off_a_line_are_no_plane(floor):
    for k, entry in enumerate(floor.journal.standing(floor.work, "point")):
        floor.add(Draft(floor.work, "point", {**entry.body, "y_m": 0.00001 * (k % 2)}, strikes=entry.id))
    floor.add(Draft(floor.work, "target", {"kind": "best-fit"}))
    result = floor.supports()
    assert result.trouble is not None and result.trouble.code == "points-in-line"
    assert "tip about it" in result.trouble.message


def test_a_post_set_aside_is_neither_asked_for_nor_judged(floor):
    floor.add(Draft(floor.work, "aside", {"point": ids(floor)["A3"]}))
    left(floor, A1="1.2640", A2="1.2640", A4="1.2637", A5="1.2640")
    result = floor.supports()
    assert (result.asked, result.read, result.read_left) == (4, 4, 4) and result.all_proven
    said = titles(what_is_said("supports", result, "Proof"))
    assert "Set aside: A3" in said and not any("not read" in title for title in said)
    assert result.left_verdicts[2] == ""


def level_posts():
    book = Book("supports")
    book.way(0.0004)
    book.tolerance("1.5 mm")
    for k, text in enumerate(("1.2640", "1.2639", "1.2638", "1.2637", "1.2638", "1.2600")):
        book.post(f"A{k + 1}", text, x=2.4 * k)
    return book


def test_what_picking_adds_stays_in_U_until_the_keeper_is_read_again():
    book = level_posts()
    before = book.supports()
    assert before.aim.picking > 0.0002
    said = next(f for f in what_is_said("supports", before, "Moves") if "picked among" in f.title)
    assert "A1" in said.title and "Once the first move is booked" in said.text
    book.add(Draft(book.work, "keeper", {"point": ids(book)["A1"], "name": "A1"}))
    fixed = book.supports()  # the same reading: nothing is surer for being booked
    assert fixed.u_deviation == pytest.approx(before.u_deviation)
    assert fixed.verdicts == before.verdicts
    old = next(point.found.id for point in fixed.book.points if point.name == "A1")
    again = {"point": ids(book)["A1"], "phase": "found", "reading": book.read("1.2636")}
    book.add(Draft(book.work, "reading", again, strikes=old))
    fresh = book.supports()
    assert fresh.aim.picking == 0.0 and fresh.aim.keeper == 0 and fresh.target == pytest.approx(1.2636)
    assert fresh.u_deviation[5] == pytest.approx(0.0004 * 2**0.5)
    assert not [f for f in what_is_said("supports", fresh, "Moves") if "picked among" in f.title]


def test_one_post_out_of_reach_is_named_alone_with_what_would_reach_it():
    """Two rows hung, ¼, ⅛ and 1/16 in leaves, at most four a stack: only W2 needs more."""
    book = Book("supports")
    book.way(0.0001)
    book.tolerance("1 mm")
    book.stock(("6.35 mm", 200), ("3.175 mm", 200), ("1.5875 mm", 200))
    reads = {
        "E1": "1.2600",
        "E2": "1.2569",
        "E3": "1.2537",
        "E4": "1.2473",
        "W1": "1.2537",
        "W2": "1.2284",
        "W3": "1.2505",
        "W4": "1.2441",
    }
    for k, (name, text) in enumerate(reads.items()):
        book.post(name, text, x=2.0 * (k % 4), row=name[0])
    result = book.supports(packing=pack(book.supports()))
    off = {result.book.points[i].name: result.left_over(i) for i in result.to_move}
    assert off["W2"] == pytest.approx(4 * 0.00635 - 0.0316)
    assert all(abs(x) < 0.0008 for name, x in off.items() if name != "W2")
    assert all(result.stack(i) for i in result.to_move)  # none gets "nothing"
    (said,) = [f for f in what_is_said("supports", result, "Moves") if "is not enough" in f.title]
    assert said.title == "Stock is not enough for W2"
    assert "5 leaves in a stack would do; at most 4 are allowed" in said.text


def test_as_left_of_a_mean_is_judged_against_the_mean_of_before_whoever_was_read_last(floor):
    floor.add(Draft(floor.work, "target", {"kind": "mean"}))
    left(floor, A1="1.2610", A2="1.2640", A3="1.2590", A4="1.2637", A5="1.2660")
    result = floor.supports()
    mean = np.mean([1.2598, 1.2640, 1.2526, 1.2637, 1.2600])
    assert [result.deviation_left(i) for i in range(5)] == pytest.approx(
        [1.2610 - mean, 1.2640 - mean, 1.2590 - mean, 1.2637 - mean, 1.2660 - mean]
    )


def test_what_a_booked_packing_leaves_over_counts_its_interfaces_and_the_gap_it_filled(floor):
    old = floor.journal.latest(floor.work, "limits")
    floor.add(Draft(floor.work, "limits", {**old.body, "interface_m": 0.0001}))
    body = {"point": ids(floor)["A3"], "put_m": 0.0150, "leaves": 3, "text": "by hand", "hung_m": 0.0030}
    floor.add(Draft(floor.work, "put", body))
    result = floor.supports()
    assert result.left_over(2) == pytest.approx(0.0150 - 0.0030 - 3 * 0.0001 - 0.0114)


def test_the_line_let_go_at_a_height_is_the_reading_there_to_the_step_that_is_read(floor):
    from vivid_keel.core.moving.drawn import raised

    choice = raised(floor.supports(), 1.26543)
    assert choice.kind == "height" and choice.reading == pytest.approx(1.2654)
    standing = floor.supports()
    limits = {**floor.journal.latest(floor.work, "limits").body, "sense": "stands"}
    floor.add(Draft(floor.work, "limits", limits))
    assert raised(floor.supports(), 1.26543).reading == pytest.approx(-1.2654)
    assert standing.book.limits.sense == "hangs"


def test_a_post_that_hung_beside_the_keeper_is_not_given_up_for_what_comes_along():
    """S6 and S8 hung by 8 mm: of 14 put in 6 were seen. To raise them lifts the keeper between them too; they make their move all the same."""
    book = Book("supports")
    ids = {}
    for row in ("N", "S"):
        for k in range(9):
            hung = row == "S" and k in (5, 7)
            along = row == "S" and k in (4, 6, 8)
            found, left = ("1.2855", "1.2915") if hung else ("1.3000", "1.3030" if along else "1.3010")
            ids[f"{row}{k + 1}"] = book.post(f"{row}{k + 1}", found, left, x=2.4 * k, row=row)
    book.tolerance("4.5")
    book.stock(("6 mm", 40), ("3 mm", 40), ("1.5 mm", 40))
    book.add(Draft(book.work, "keeper", {"point": ids["S7"], "name": "S7"}))
    put = {str(ids["S6"]): 0.0144, str(ids["S8"]): 0.0144}
    book.add(Draft(book.work, "pass", {"put": put, "leaves": dict.fromkeys(put, 3)}))
    result = work_out_supports(fold_supports(book.journal, book.work))
    at = [p.name for p in result.book.points]
    for name in ("S6", "S8"):
        i = at.index(name)
        assert result.moves[i] == pytest.approx(0.0115, abs=1e-6)
        assert result.lifts[i] >= result.moves[i] - 1e-9
    assert result.lifts[at.index("N1")] == 0.0  # what isn't to be moved is not touched


def test_what_the_limits_rule_out_asks_nothing_of_its_neighbours(floor):
    """A4 stands 10 mm high and may not come down: that is no reason to leave those beside it low."""
    limits = floor.journal.latest(floor.work, "limits").body
    body = {**limits, "ways": "raise only", "beam": "a steel girder"}
    floor.add(Draft(floor.work, "limits", body))
    floor.add(Draft(floor.work, "target", {"kind": "height", "reading": floor.read("1.2538")}))
    result = floor.supports()
    names = [point.name for point in result.book.points]
    assert {names[i] for i in result.broken} == {"A1", "A2", "A4", "A5"}
    a3 = names.index("A3")
    assert result.moves[a3] == pytest.approx(0.0012)
    assert result.lifts[a3] >= 0.0012  # the girder holds it down: rather more than the move than less
    assert result.does(names.index("A4")) == pytest.approx(-0.0099)  # how far it would be, not "raise 0"


def test_what_stands_on_its_target_is_not_said_to_be_out_of_reach():
    """A coarse reading can't prove it: that is said, and not that nothing raises it by nothing."""
    book = Book("supports")
    book.way(0.001)
    book.tolerance("1.5 mm")
    book.stock(("1 mm", 9))
    for k in range(4):
        book.post(f"A{k}", "1.2450", "1.2500", x=2.0 * k)
    book.add(Draft(book.work, "target", {"kind": "height", "reading": book.read("1.2500")}))
    said = what_is_said("supports", book.supports(), "Proof")
    assert book.supports().left_verdicts == [NOT_PROVEN] * 4
    assert not [title for title in titles(said) if title.startswith("No round brings")]
