"""Rounds of supports: staged, learned from a simulated building, what hangs on them, and refusals."""

from __future__ import annotations

import numpy as np
import pytest

from tests.saying import press_enter, take
from vivid_keel.core.errors import KeelError
from vivid_keel.core.moving.choosing import pack
from vivid_keel.core.quantities import parse_length
from vivid_keel.core.record.entries import Draft
from vivid_keel.core.record.readings import as_read
from vivid_keel.files import JobFile
from vivid_keel.stands.building import Building, building, line_moved
from vivid_keel.trades.registry import desk_for
from vivid_keel.trades.supports.lay_out import grid_drafts

LEAVES = ("10 mm", "6 mm", "3 mm", "1.5 mm", "0.8 mm", "0.4 mm", "0.2 mm")
LINE = 1.25


@pytest.fixture
def floor(tmp_path):
    """The mill floor's twelve posts over a simulated building: (desk, building)."""
    rng = np.random.default_rng(8)
    xy = np.array([(2.4 * k, 3.1 * r) for r in range(2) for k in range(6)])
    like = building(rng, springy=0.2, u=0.0002)
    carry = np.zeros((12, 12))
    size = min(6, int((like.xy[:, 1] == 0).sum()))
    block = like.carry[:size, :size]
    for r in range(2):
        carry[r * 6 : r * 6 + 6, r * 6 : r * 6 + 6] = np.eye(6)
        carry[r * 6 : r * 6 + size, r * 6 : r * 6 + size] = block
    heights = rng.normal(0, 0.004, 12)
    site = Building(xy, heights - heights.max(), carry, np.full(12, 0.00006), np.full(12, 0.04), 0.0002, rng)
    with JobFile.create(tmp_path / "floor.keel", "Mill", "Ada") as file:
        (work,) = file.record([Draft(0, "work", {"name": "Floor", "type": "supports", "unit": "m"})])
        body = {
            "name": "Amber",
            "way": "optical-fine",
            "u_m": 0.0002,
            "per_metre": 0.0,
            "from_m": 30.0,
            "reach_m": 10.0,
        }
        limits = {
            "tolerance": as_read(parse_length("1.5 mm", "mm", ".")),
            "sense": "hangs",
            "neighbours_m": 0.0048,
        }
        file.record(
            [
                Draft(work.id, "instrument", body),
                Draft(work.id, "limits", limits),
                *grid_drafts(work.id, ("Upstream", "Downstream"), 6, 2.4, 3.1),
            ]
        )
        file.record(
            [
                Draft(work.id, "leaf", {"leaf": as_read(parse_length(t, "mm", ".")), "count": 40})
                for t in LEAVES
            ]
        )
        yield desk_for(file, work.id), site


def book(desk, site, phase):
    for p, height in zip(desk.book.points, site.read(), strict=True):
        reading = as_read(parse_length(f"{LINE + height:.4f}", "m", "."))
        desk.record(Draft(desk.work, "reading", {"point": p.id, "phase": phase, "reading": reading}))


def one_round(desk, site):
    desk.long_work_done(desk._key(desk.result), pack(desk.result))
    put, _ = desk.result.put_in()
    stacks = [()] * site.n
    for i in desk.result.to_move:
        stacks[i] = desk.result.stack(i)
    assert {desk.book.points[i].id for i in desk.result.to_move} == set(put)
    site.pack(stacks)
    book(desk, site, "left")


def test_the_mill_floor_is_brought_to_proof_in_two_rounds(floor):
    desk, site = floor
    book(desk, site, "found")
    first = [p.found.text for p in desk.book.points]
    worst = float(np.nanmax(np.abs(desk.result.moves)))
    assert worst > 0.005
    one_round(desk, site)
    assert any(v != "in" for v in desk.result.left_verdicts)
    assert desk.next("Proof").title == "Next: round 2"
    goto = desk.go("round")
    assert (goto.stage, len(desk.book.passes)) == ("Moves", 1)
    assert all(p.left is None for p in desk.book.points)
    assert [p.first.text for p in desk.book.points] == first  # as found stays what it was
    told = desk.result.learned.told[0]
    assert 0.5 < told.took < 1.0  # springs, closing and sinking took the rest
    assert desk.result.learned.interface > 0.00002
    after = float(np.nanmax(np.abs(desk.result.moves)))
    assert after < 0.5 * worst
    lifted = desk.result.to_move
    assert desk.result.lifts[lifted] != pytest.approx(
        desk.result.moves[lifted], abs=1e-6
    )  # the packing follows what it answered
    assert any(f.title.startswith("Round 1: ") for f in desk.findings("Moves"))
    one_round(desk, site)
    assert set(desk.result.left_verdicts) <= {"in", "open"}
    assert float(np.abs(site.heights - site.heights.max()).max()) < 0.003
    rounds = desk.sheets("Proof")[1]
    assert rounds.cell(0, 4).text.endswith("%")


def test_undoing_the_end_of_a_round_brings_its_readings_back(floor):
    desk, site = floor
    book(desk, site, "found")
    one_round(desk, site)
    before = [(p.found.text, p.left.text, p.stack) for p in desk.book.points]
    desk.another_round()
    assert sum(p.stack for p in desk.book.points) > 0
    desk.file.undo()
    desk.refresh()
    assert [(p.found.text, p.left.text, p.stack) for p in desk.book.points] == before


def test_a_lift_is_staged_and_says_what_hangs_on_it(floor):
    desk, site = floor
    book(desk, site, "found")
    assert len(desk.result.stages()) == int(np.ceil(np.nanmax(desk.result.moves) / 0.0038 - 1e-9))
    desk.record(Draft(desk.work, "caution", {"key": "lifting"}))
    desk.long_work_done(desk._key(desk.result), pack(desk.result))
    count = desk.result.stage_count
    assert count >= len(desk.result.stages()) > 1
    titles = [column.title for column in desk.sheets("Moves")[0].columns]
    assert titles[1] == f"Stage 1 of {count}, mm"
    for steps in desk.result.walk.values():
        assert all(abs(step.after - step.before) <= 0.0048 + 1e-9 for step in steps)
    hangs = desk.sheets("Set-up")[1]
    with pytest.raises(KeelError, match="its name first"):
        take(hangs, 0, 2, "2.4")
    take(hangs, 0, 0, "wheel-side step")
    with pytest.raises(KeelError, match="is no row"):
        take(hangs, 0, 1, "Roof")
    take(hangs, 0, 1, "up")
    take(hangs, 0, 2, "3.6")
    points = desk.book.points
    expected = (
        sum(float(desk.result.moves[i]) if i in desk.result.to_move else 0.0 for i in (1, 2)) / 2
    )  # halfway between the second and the third
    assert (points[1].row, points[1].x, points[2].x) == ("Upstream", 2.4, 4.8)
    assert float(desk.sheets("Set-up")[1].rises[0]) == pytest.approx(expected)
    limits = desk.sheets("Target")[2]
    neighbours, clearance = (
        [line[0] for line in limits.lines].index(key) for key in ("neighbours", "clearance")
    )
    with pytest.raises(KeelError, match="uses up"):
        take(limits, clearance, 1, "5 mm")
    take(limits, neighbours, 1, "free")
    assert len(desk.result.stages()) == 1
    with pytest.raises(KeelError, match="expected millimetres"):
        take(desk.sheets("Target")[2], neighbours, 1, "0")


def test_a_sense_turned_round_is_named_after_the_round(floor):
    desk, site = floor
    book(desk, site, "found")
    desk.long_work_done(desk._key(desk.result), pack(desk.result))
    for p, h, move in zip(desk.book.points, site.heights, desk.result.moves, strict=True):
        reading = as_read(parse_length(f"{LINE + h - move:.4f}", "m", "."))  # they went down
        desk.record(Draft(desk.work, "reading", {"point": p.id, "phase": "left", "reading": reading}))
    desk.another_round()
    assert any("went the other way" in f.text for f in desk.findings("Moves"))


def test_planes_and_least_moves_stand_side_by_side(floor):
    desk, site = floor
    book(desk, site, "found")
    targets = desk.sheets("Target")[0]
    kinds = [targets.cell(r, 1).text for r in range(targets.count)]
    row = {
        k: next(i for i, t in enumerate(kinds) if t.startswith(k))
        for k in ("best-fit", "flattest", "least total", "least greatest", "a stated", "to the highest")
    }
    costs = {k: float(targets.cell(r, 3).text) for k, r in row.items() if targets.cell(r, 3).text}
    assert (
        costs["flattest"] <= costs["least greatest"] <= costs["to the highest"]
    )  # a plane needs less than a level line
    assert float(targets.cell(row["least total"], 4).text) <= float(
        targets.cell(row["to the highest"], 4).text
    )
    press_enter(targets, row["best-fit"])
    r = desk.result
    assert r.book.target.plane
    xy = np.column_stack([[p.x for p in r.book.points], [p.y for p in r.book.points], np.ones(12)])
    assert np.linalg.lstsq(xy, r.targets, rcond=None)[1] == pytest.approx(0, abs=1e-15)  # it is a plane
    assert float(r.moves.sum()) == pytest.approx(0, abs=1e-9)
    assert r.stop_at(0) == pytest.approx(r.targets[0] if 0 in r.to_move else r.heights[0], abs=1e-9)
    for stage in ("Target", "Moves", "Heights"):
        assert desk.picture(stage, 0, 740, 310).items
    targets = desk.sheets("Target")[0]
    with pytest.raises(KeelError, match="no floor"):
        take(targets, row["a stated"], 2, "50, 0")
    with pytest.raises(KeelError, match="expected the fall"):
        take(targets, row["a stated"], 2, "1, 2, 3")
    take(targets, row["a stated"], 2, "-0.5, 0")
    r = desk.result
    assert np.nanmin(r.moves) == pytest.approx(0, abs=1e-9)  # through the highest above the fall: raise only
    assert (r.targets[0] - r.targets[1]) == pytest.approx(0.005 * 2.4)


def test_the_uncertainty_of_a_plane_covers(floor):
    from vivid_keel.core.moving.targets import Target, weight_rows, work_out

    rng = np.random.default_rng(3)
    xy = rng.uniform(0, 10, (9, 2))
    names = [str(i) for i in range(9)]
    w = weight_rows(names, np.zeros(9), Target("best-fit"), xy)
    u = np.sqrt(1 * (1 - 2 * np.diag(w)) + (w**2).sum(axis=1))
    moves = np.array([work_out(names, h, Target("best-fit"), xy).moves for h in rng.normal(0, 1, (4000, 9))])
    assert moves.std(axis=0) == pytest.approx(u, rel=0.06)


def test_the_demo_posts_are_practised_to_proof_in_two_rounds(demo, hands):
    """A copy of the demo's posts over a simulated building, by the buttons of the window."""
    demo.open_work(demo.file.journal.works()[1].id)
    real = demo.desk
    with pytest.raises(KeelError, match="real posts answer"):
        real.answer()
    before = [(p.found.text, p.left.text if p.left else "") for p in real.book.points]
    demo.errands.make_stand_in()
    desk = demo.desk
    assert desk.book.name == "Practice: Mill floor posts" and desk.hidden
    assert [p.found.text for p in desk.book.points] == [found for found, _ in before]
    for number in (1, 2):
        hands.rest()
        demo._act("answer")
        assert all(p.left is not None for p in desk.book.points)
        assert desk.next("Proof").title == f"Next: read {desk.book.reference_name} again"
        demo._act("mark")
        if number == 1:
            assert set(desk.result.left_verdicts) != {"in"}  # springs and closing took their share
            demo._act("round")
    # Chance (which building it is) decides whether the last is proven in; none is proven out, and hardly anything is left of it.
    left, U = [abs(desk.result.deviation_left(i)) for i in range(12)], 2 * desk.result.aim.u_left
    assert "out" not in desk.result.left_verdicts
    assert (np.array(left) <= 0.0015 + U + 1e-9).all() and np.median(left) < 0.0015 - float(np.median(U))
    assert any(f.title == "A simulated building" for f in desk.findings("Moves"))
    assert [
        (p.found.text, p.left.text if p.left else "") for p in real.book.points
    ] == before  # the real ones are untouched


def test_practising_goes_on_by_next_alone(demo, hands):
    """As a newcomer: the menu, then nothing but the one button, round after round to the record."""
    demo.open_work(demo.file.journal.works()[1].id)
    demo.errands.make_stand_in()
    desk, said = demo.desk, []
    assert not [f for f in desk.findings("Moves") if f.action == "eye"]  # there is nothing to look at
    for _ in range(30):
        hands.rest()
        step = desk.next(demo.stage)
        said.append(step.title)
        if step.key == "cautions":
            moves = desk.sheets("Moves")[0]
            assert moves.cell(0, 2).text == "read the cautions first" and not desk.result.read_left
            for caution in desk.cautions("Moves"):
                desk.acknowledge(caution)
        elif step.key == "report":
            break
        else:
            demo.do_next()
    first = said.index("Next: pack, let it answer")
    assert said[0] == "Read the cautions first"
    assert [title.split(" of ")[0] for title in said[1:first]] == [
        f"Next: stage {k}" for k in range(1, first)
    ]
    assert said[first + 1 : first + 3] == [f"Next: read {desk.book.reference_name} again", "Next: round 2"]
    assert said[-2:] == ["Next: write the report", "Write the report"]
    rounds = [title for title in said if title.startswith("Next: round")]
    assert rounds == [f"Next: round {k}" for k in range(2, len(rounds) + 2)] and len(rounds) <= 4
    assert "out" not in desk.result.left_verdicts
    titles = [f.title for f in desk.findings("Record")]
    # Every post is proven in, or the instrument can't tell any better and says so.
    assert any(
        t in titles
        for t in ("Every support is proven in", "Stop here: this instrument can't tell any better")
    )
    # All stand within the tolerance as far as it can be told; only what is not proven may be called out of reach.
    left = np.array([desk.result.deviation_left(i) for i in range(desk.result.read_left)])
    assert (np.abs(left) <= desk.book.limits.tolerance + 2 * desk.result.aim.u_left + 1e-9).all()
    proven = [desk.book.points[i].name for i, v in enumerate(desk.result.left_verdicts) if v == "in"]
    for title in titles:
        if title.startswith("No round brings"):
            assert not set(title[len("No round brings ") : -len(" nearer")].split(", ")) & set(proven), title


def test_the_whole_menu_fits_a_small_screen_and_reaches_everything(demo):
    shelves = {a.text(): a.menu() for a in demo.menu.actions() if a.menu() is not None}
    assert set(shelves) == {
        "This work, this job",
        "Bring in",
        "Write",
        "Practise",
        "Show",
        "When it breaks",
    }
    assert len([a for a in demo.menu.actions() if not a.isSeparator()]) <= 20
    for opened, of_its_own in (
        (1, 2),
        (0, 5),
        (0, 5),
    ):  # supports, a run, and the same again: nothing piles up
        demo.open_work(demo.file.journal.works()[opened].id)
        shelves["Write"].aboutToShow.emit()
        own = [w.label for w in demo.desk.writers()]
        assert len(own) == of_its_own
        inside = [a.text() for menu in shelves.values() for a in menu.actions()]
        assert len(inside) == len(set(inside)) == 35 + of_its_own
    inside = [text for text in inside if text not in own]
    everywhere = inside + [a.text() for a in demo.menu.actions() if a.text() and a.menu() is None]
    named = [a.text() for a in demo.actions() if a.text()]
    assert sorted(everywhere) == sorted(named)  # every action with a name stands in a menu, once


def test_the_choice_of_leaves_says_how_near_it_has_come(demo, hands):
    demo.open_work(demo.file.journal.works()[1].id)
    hands.rest()
    desk = demo.desk
    assert desk.busy_words == "Choosing the leaves"
    desk._better(desk.result.packing)
    assert desk.busy_words.startswith("Choosing the leaves: within 0.")
    desk.long_work_done(desk._key(desk.result), desk.result.packing)
    assert desk.busy_words == "Choosing the leaves"


def test_a_round_takes_its_leaves_off_the_stock_and_says_so(floor):
    desk, site = floor
    book(desk, site, "found")
    one_round(desk, site)
    used = desk.result.used()
    counts = {leaf.text: leaf.count for leaf in desk.book.stock}
    desk.another_round()
    after = {leaf.text: (leaf.count, leaf.used) for leaf in desk.book.stock}
    assert sum(n for _, n in after.values()) == sum(used.values()) > 0
    assert all(count + n == counts[text] for text, (count, n) in after.items())
    sheet = desk.sheets("Target")[1]
    row = next(i for i, leaf in enumerate(desk.book.stock) if leaf.used)
    assert sheet.cell(row, 3).text.startswith(f"{desk.book.stock[row].used} went in")


def test_as_left_after_as_left_books_every_post_as_planned_without_waiting_for_the_leaves(demo, hands):
    """Typed fast: what the plan had for the next post stands though the last one is only just booked."""
    demo.open_work(demo.file.journal.works()[1].id)
    hands.rest()
    desk = demo.desk
    planned = {desk.book.points[i].name: desk.result.in_words(i) for i in desk.result.to_pack}
    demo.show_stage("Proof", 0)
    for row, point in enumerate(desk.book.points):
        if point.left is None:
            demo.sheet.go((row, 2))
            hands.line(f"{desk.result.stop_at(row):.4f}")
    booked = {
        p.name: desk.result.booked(i).text for i, p in enumerate(desk.book.points) if desk.result.booked(i)
    }
    assert len(booked) > 3
    assert booked == {name: planned[name] for name in booked}
    assert desk.file.journal.latest(desk.work, "keeper").body["name"] == "U2"


def test_what_went_in_is_booked_by_keys_enter_as_planned_or_typed(demo, hands):
    demo.open_work(demo.file.journal.works()[1].id)
    for caution in demo.desk.cautions("Moves"):
        demo.desk.acknowledge(caution)
    demo.show_stage("Moves")
    hands.rest()
    sheet = demo.sheet.sheet
    put = [column.title for column in sheet.columns].index("Put in")
    rows = [row for row, i in enumerate(sheet.order) if i in sheet.steps]
    first, second = (demo.desk.book.points[sheet.order[row]].id for row in rows[:2])
    planned = demo.desk.result.step_in_words(demo.desk.result.walk[1][0])
    demo.sheet.go((rows[0], put))
    hands.key("enter")
    assert demo.desk.book.booked[first].text == planned
    assert demo.desk.book.keeper.name == "U2"
    hands.rest()
    hands.line("1.5 + 1.5 + 0.8")  # the next row is open already
    assert demo.desk.book.booked[second].text == "1.5 + 1.5 + 0.8"
    demo.sheet.go((rows[1], put))
    hands.line("0.1")
    assert "No leaf in the stock" in demo.sheet.refusal
    hands.key("esc")
    demo.desk.file.undo()
    demo.desk.refresh()
    assert second not in demo.desk.book.booked and first in demo.desk.book.booked


def test_a_new_visit_begins_by_enter_and_goes_to_its_readings(demo, hands):
    demo.open_work(demo.file.journal.works()[1].id)
    demo.show_stage("Proof", 3)
    assert demo.sheet.sheet.name == "Visits"
    demo.sheet.go((12, 0))
    hands.key("enter")
    hands.rest()
    assert demo.stage == "Readings" and demo.desk.result.read == 0
    assert len(demo.desk.book.occasions) == 2
    hands.line("1.2600", "1.2640", "1.2500")
    assert [p.found.text for p in demo.desk.book.points[:3]] == ["1.2600", "1.2640", "1.2500"]
    demo.show_stage("Proof", 3)
    hands.rest()
    assert demo.sheet.sheet.cell(2, 5).text  # what it did since the last visit


def test_site_mode_walks_the_stages_and_then_reads_again_by_keys_alone(demo, hands):
    demo.open_work(demo.file.journal.works()[1].id)
    desk = demo.desk
    for point in desk.book.points:
        if point.left is not None:
            desk.strike(point.left.id, "")
    for entry in desk.file.journal.standing(desk.work, "caution"):
        desk.strike(entry.id, "")
    hands.rest()
    hands.do("F11")
    site = demo.site
    assert demo.stack.currentWidget() is site and site.kinds == []
    assert site.ask.text() == "read the cautions first, at the table"
    hands.key("enter")
    assert "before the cautions were read" in site.said.text() and not desk.book.booked
    hands.key("esc")
    assert demo.stage == "Moves"
    for caution in desk.cautions("Moves"):
        desk.acknowledge(caution)
    limits = desk.file.journal.latest(desk.work, "limits").body
    desk.record(Draft(desk.work, "limits", {**limits, "beam": "", "fits": True}))  # each post for itself
    demo.refresh()
    hands.rest()
    hands.do("F11")
    assert "stage 1 of" in site.head.text() and site.value.text() == "as planned"
    first = desk.result.walk[1][0]
    assert site.name.text() == desk.book.points[first.place].name == "U4"
    assert site.ask.text() == "raise 3.0 mm" and site.take_key.text() == "Done as planned"
    assert [(one.title, one.text) for one in site.cards.figures] == [
        ("1 Jack to", "1.2566"),
        ("2 Shims", "3"),
        ("3 Finish at", "1.2556"),
    ]
    hands.key("enter")
    assert desk.result.begun(first.place).text == "3" and "booked" in site.said.text()
    for key in "1.5+1.5":
        hands.key(key, text=key)
    second = desk.result.step(site.booking.place).place
    hands.key("enter")
    assert desk.result.begun(second).text == "1.5 + 1.5"
    assert site.booking.place not in {first.place, second}  # the others stand: the next is offered at once
    hands.rest()
    site.setFocus()
    for key in "0.1":
        hands.key(key, text=key)
    hands.key("enter")
    assert "No leaf in the stock" in site.said.text() and site.booking.text == "0.1"
    for _ in "0.1":
        hands.key("backspace")
    hands.do("Ctrl+Z")
    assert desk.result.begun(second) is None and site.name.text() == desk.book.points[second].name
    for _ in range(60):
        hands.rest()
        if not desk.result.walk:
            break
        hands.key("enter")
    assert desk.result.to_do == [] and "to read" in site.head.text()
    before = desk.result.read_left
    for key in "1.2640":
        hands.key(key, text=key)
    hands.key("enter")
    assert desk.result.read_left == before + 1
    hands.key("esc")
    assert demo.stage == "Proof"


def test_practice_teaches_stages_and_the_watch_mark(demo, hands):
    """No post further at once than its neighbours bear: stage by stage by Next, then read again, and the mark that tells whether the line moved."""
    demo.open_work(demo.file.journal.works()[1].id)
    demo.errands.make_stand_in()
    desk = demo.desk
    hands.rest()
    assert desk.result.stage_count > 1
    for caution in desk.cautions("Moves"):
        desk.acknowledge(caution)
    said = []
    for _ in range(8):
        hands.rest()
        said.append(desk.next("Moves").title)
        if said[-1].startswith("Next: read"):
            break
        demo._act(desk.next("Moves").key)
    n = len(said) - 2
    assert n >= 3  # how many there are of may lessen, as leaves are chosen anew for what is left
    assert [title.split(" of ")[0] for title in said[:n]] == [f"Next: stage {k}" for k in range(1, n + 1)]
    assert said[n] == "Next: pack, let it answer"
    assert said[-1] == f"Next: read {desk.book.reference_name} again"
    before = [desk.result.deviation_left(i) for i in range(12)]
    demo._act("mark")
    hidden = desk.hidden
    moved = line_moved(hidden, 1)
    assert desk.result.line_shift == pytest.approx(moved, abs=0.00011)
    after = [desk.result.deviation_left(i) for i in range(12)]
    if not desk.result.aim.by_keeper:
        assert np.array(after) - before == pytest.approx(moved, abs=0.0002)


def test_the_second_practice_has_a_short_store_and_does_not_run_away(demo, hands):
    """By the buttons alone: what to buy is said, and rounds end though the leaf that is wanted most is short."""
    real = demo.file.journal.works()[1].id
    stocks = []
    for _ in range(2):
        demo.open_work(real)
        hands.rest()
        demo.errands.make_stand_in()
        hands.rest()
        stocks.append({leaf.text: leaf.count for leaf in demo.desk.book.stock})
    desk = demo.desk
    assert desk.book.name == "Practice 2: Mill floor posts"
    (short,) = [text for text in stocks[0] if stocks[1][text] < stocks[0][text]]
    assert 0 < stocks[1][short] <= stocks[0][short] // 2
    assert any("short of the leaf" in f.text for f in desk.findings("Moves"))
    for caution in desk.cautions("Moves"):
        desk.acknowledge(caution)
    for _ in range(40):
        hands.rest()
        step = desk.next(demo.stage)
        if step.key in {"report", "record"} or not step.key:
            break
        demo._act(step.key)
    assert len(desk.book.passes) <= 4
    assert max(abs(desk.result.deviation_left(i)) for i in range(12)) < 0.004
