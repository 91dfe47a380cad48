"""With the settings a new task has: what fits goes in, and what nobody knows stands there is as stiff as the readings allow."""

from __future__ import annotations

import numpy as np
import pytest

from tests.saying import press_enter, take
from vivid_keel.core.errors import KeelError
from vivid_keel.core.moving.booking import read_put
from vivid_keel.core.moving.plan import BEAMS, NOT_KNOWN
from vivid_keel.core.moving.response import PRESSED, STIFFEST, Response
from vivid_keel.core.quantities import parse_length
from vivid_keel.core.record.entries import Draft
from vivid_keel.core.record.readings import as_read
from vivid_keel.files import JobFile
from vivid_keel.trades.registry import desk_for, trade
from vivid_keel.trades.supports.lay_out import CARRIED, stands_on


@pytest.fixture
def begun(tmp_path):
    with JobFile.create(tmp_path / "mill.keel", "Osier Mill") as file:
        new = Draft(0, "work", {"name": "Floor", "type": "supports", "unit": "m"})
        work = file.record([new, *trade("supports").begins("m")])[0].id
        desk = desk_for(file, work)
        sheet = desk.sheets("Set-up")[0]
        for row, text in enumerate(("A", "4", "2.4", "3.1", "h")):
            take(sheet, row, 1, text)
        press_enter(sheet, 5)
        press_enter(sheet, 6)
        for text, count in (("6 mm", "9"), ("3 mm", "9"), ("1.5 mm", "9"), ("0.4 mm", "9")):
            leaf = Draft(work, "leaf", {"leaf": as_read(parse_length(text, "mm")), "count": int(count)})
            file.record([leaf])
        desk = desk_for(file, work)
        for row, text in enumerate(("1.2600", "1.2540", "1.2580", "1.2590")):
            take(desk.sheets("Readings")[0], row, 2, text)
        for caution in desk.cautions("Moves"):
            desk.acknowledge(caution)
        key, operation = desk.long_work()
        desk.long_work_done(key, operation(lambda: 20.0))
        yield desk


def test_a_new_task_packs_what_fits_and_a_task_of_an_earlier_version_as_it_did(begun):
    assert begun.book.limits.fits and begun.book.limits.beam == NOT_KNOWN
    old = begun.file.record([Draft(0, "work", {"name": "Older", "type": "supports", "unit": "m"})])[0].id
    assert not desk_for(begun.file, old).book.limits.fits
    begun.record(
        Draft(begun.work, "limits", {**begun.file.journal.latest(begun.work, "limits").body, "fits": False})
    )
    assert not begun.book.limits.fits


def test_the_gap_that_stands_open_is_asked_for_and_filled_with_leaves(begun):
    sheet = begun.sheets("Moves")[0]
    assert "the gap that stands open" in sheet.hint
    i = begun.result.to_do[0]
    put = read_put(begun.result, i, "7.6", None)
    assert put.words == "6 + 1.5 in a gap of 7.6 mm" and put.put == pytest.approx(0.0075)
    assert read_put(begun.result, i, "6", None).words == "6"
    assert read_put(begun.result, i, "gap 10.5", None).put <= 0.0105
    with pytest.raises(KeelError, match="no leaf in the stock goes into a gap of 0.1 mm; type the leaves"):
        read_put(begun.result, i, "0.1", None)
    with pytest.raises(KeelError, match="is no leaf in the stock"):
        read_put(begun.result, i, "6 + 2", None)


def test_a_gap_wider_than_the_forecast_is_booked_as_having_hung(begun):
    result = begun.result
    i = result.to_do[0]
    step = result.step(i)
    wide = sum(step.into) + 0.003
    drafts = begun.books(i, f"{wide * 1000:.1f}")
    put = next(draft for draft in drafts if draft.kind == "put")
    assert put.body["hung_m"] == pytest.approx(put.body["put_m"] - step.put)
    as_forecast = begun.books(i, f"{sum(step.into) * 1000 + 0.1:.1f}")
    assert "hung_m" not in next(draft for draft in as_forecast if draft.kind == "put").body


def test_what_stands_on_the_posts_is_answered_by_a_number_or_a_name():
    assert [stands_on(str(k + 1)) for k in range(len(CARRIED))] == list(CARRIED)
    assert stands_on("girder") == "a steel girder" and stands_on("Don't") == NOT_KNOWN
    assert set(CARRIED) | {""} == set(BEAMS)
    for text in ("", "0", "6", "a", "roof"):
        with pytest.raises(KeelError, match="expected 1 to 5, as drawn"):
            stands_on(text)


def test_as_stiff_as_the_readings_allow_and_no_stiffer():
    row = [list(range(6))]
    bent = np.array([0.0, 0.004, -0.006, 0.003, -0.002, 0.001])
    straight = np.linspace(0.0, 0.03, 6)
    b = np.diff(np.eye(6), 2, axis=0)

    def kappa(heights):
        S = Response.stiffest(row, heights).matrix
        push = np.linalg.inv(S) - np.eye(6)
        return float(np.trace(push) / np.trace(b.T @ b))

    assert kappa(bent) == pytest.approx(PRESSED / np.abs(b.T @ b @ bent).max())
    assert kappa(straight) == pytest.approx(STIFFEST)
    # Its posts are pressed no more than their load presses them.
    push = (np.linalg.inv(Response.stiffest(row, bent).matrix) - np.eye(6)) @ bent
    assert np.abs(push).max() == pytest.approx(PRESSED)
    unread = np.where(np.arange(6) == 2, np.nan, bent)
    assert (Response.stiffest(row, unread).matrix == np.eye(6)).all()
