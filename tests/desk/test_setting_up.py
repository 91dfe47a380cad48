"""Setting up in order: the list of the instrument at hand, ticked by a key a line, recorded and printed; what was skipped counts only where it shows."""

from __future__ import annotations

import pytest

from tests.mill import mill
from tests.saying import press_enter
from vivid_keel.core.instruments.setting_up import (
    AUTOMATIC,
    FOUR_SCREWS,
    LASER,
    LIQUID,
    ORDERS,
    PRECISION,
    TUBE,
    order_for,
    ticked,
)
from vivid_keel.core.record.entries import Draft
from vivid_keel.desk.setting_up import SettingUpSheet, in_hand, setting_up
from vivid_keel.figures.display import Text
from vivid_keel.trades.registry import desk_for


@pytest.mark.parametrize(
    ("way", "more", "order"),
    [
        ("optical", {}, AUTOMATIC),
        ("optical-fine", {"fixed": True}, FOUR_SCREWS),
        ("optical", {"four": True}, FOUR_SCREWS),
        ("rotary-receiver", {}, LASER),
        ("line-eye", {}, LASER),
        ("water", {}, TUBE),
        ("water", {"kind": "hydrostatic"}, LIQUID),
        ("optical", {"kind": "precision"}, PRECISION),
    ],
)
def test_each_instrument_has_its_own_order(way, more, order):
    assert order_for(way, **more) == order


def test_every_order_ends_or_begins_with_what_a_height_hangs_on_and_no_step_stands_twice():
    for steps in ORDERS.values():
        keys = [step.key for step in steps]
        assert len(set(keys)) == len(keys) >= 4 and all(step.does and step.why for step in steps)
    keys = [step.key for step in ORDERS[AUTOMATIC]]
    assert keys.index("hairs") < keys.index("parallax") and keys.index("bubble") < keys.index("round")


@pytest.fixture
def run(tmp_path):
    with mill(tmp_path / "Osier Mill.keel") as job:
        yield desk_for(job, next(w.id for w in job.journal.works() if w.body["type"] == "run"))


def test_steps_are_ticked_one_by_one_taken_away_and_all_at_once(run):
    def sheet():
        return next(s for s in run.sheets("Set-up") if isinstance(s, SettingUpSheet))

    assert in_hand(run).entry == 0 and in_hand(run).skipped == []  # a list that nobody began says nothing
    press_enter(sheet(), 0)
    press_enter(sheet(), 2)
    assert in_hand(run).done == {"legs", "head"} and sheet().first() == (1, 1)
    press_enter(sheet(), 0)
    assert in_hand(run).done == {"head"}
    last = sheet().count - 1
    press_enter(sheet(), last)
    assert len(in_hand(run).done) == last and in_hand(run).skipped == []
    press_enter(sheet(), last)
    assert in_hand(run).done == set()
    run.file.undo()
    run.refresh()
    assert len(in_hand(run).done) == last


def test_what_was_ticked_is_drawn_and_printed_with_what_was_left(run):
    press_enter(next(s for s in run.sheets("Set-up") if isinstance(s, SettingUpSheet)), 0)
    steps = len(ORDERS[AUTOMATIC])
    assert setting_up(run, 760, 300).caption == f"Setting up, 1 of {steps}"
    words = " ".join(i.text for page in run.report()() for i in page.items if isinstance(i, Text))
    assert f"Set up: 1 of {steps} steps ticked by I. Withy" in words.replace("  ", " ")
    assert "Tread the feet in" in words


def test_parallax_that_was_skipped_counts_only_where_hairs_disagree(run):
    journal, work = run.file.journal, run.work
    assert not run.doubted
    run.record(Draft(work, "set-up-order", {"order": AUTOMATIC, "done": "legs"}))
    assert not any("Parallax" in f.title for f in run.findings("Proof"))
    sight = next(e for e in journal.standing(work, "sight") if e.body["sight"] == "IS")
    reading = dict(sight.body["reading"])
    look = {**reading, "text": "1.946", "m": reading["m"] + 0.010}
    run.record(Draft(work, "sight", {**sight.body, "look": look}, strikes=sight.id))
    assert run.doubted
    assert any("Parallax" in f.title for f in run.findings("Proof"))
    old = journal.latest(work, "set-up-order")
    run.record(
        Draft(work, "set-up-order", {"order": AUTOMATIC, "done": "legs hairs parallax"}, strikes=old.id)
    )
    assert not any("Parallax" in f.title for f in run.findings("Proof"))


def test_ticks_of_another_instrument_are_not_this_ones(run):
    run.record(Draft(run.work, "set-up-order", {"order": TUBE, "done": "bubbles side"}))
    assert in_hand(run).order == AUTOMATIC and not in_hand(run).done
    assert ticked(run.file.journal, run.work, TUBE).done == {"bubbles", "side"}
