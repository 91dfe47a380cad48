"""What a run's two papers hold: hairs, second looks, distances, each mark's ±, and the matters that are open."""

from __future__ import annotations

import numpy as np
import pytest
from msgspec.structs import replace

from tests.trades.run.test_run_more import Job
from vivid_keel.core.booking.closing import close
from vivid_keel.core.booking.reduction import reduce
from vivid_keel.core.instruments.used import WAY, instrument_draft, instrument_from_way
from vivid_keel.core.record.entries import Draft
from vivid_keel.figures.display import Text
from vivid_keel.figures.report import Heading
from vivid_keel.trades.run.book_pages import filled_book
from vivid_keel.trades.run.report import run_report

HEAD = Heading("Osier Mill", "Yard", "level run", "2026-11-24 10:00", "Ada")


def lines_of(pages):
    """What stands on each line of the pages, from left to right."""
    out = []
    for page in pages:
        rows: dict[float, list[Text]] = {}
        for item in page.items:
            if isinstance(item, Text):
                rows.setdefault(round(item.y, 1), []).append(item)
        rows = {
            y: row
            for y, row in rows.items()
            if not row[0].text.startswith(("Local codes", "Osier Mill · Yard"))
        }
        out += [" | ".join(t.text for t in sorted(rows[y], key=lambda t: t.x)) for y in sorted(rows)]
    return out


@pytest.fixture
def job():
    job = Job()
    run = job.run()
    job.known(run, "BM", "50")
    job.sight(run, "BS", "BM", "1.482", upper="1.602", lower="1.362", look="1.483")
    job.sight(run, "IS", "sill", "1.936", distance="11", page="3", read_at="14:20")
    job.sight(run, "FS", "BM", "1.481", distance="24")
    job.run_id = run
    return job


@pytest.mark.parametrize("paper", ["report", "book"])
def test_both_papers_hold_all_that_was_read_and_what_is_open(job, paper):
    run = job.run_id
    job.put(Draft(run, "matter", {"text": "lift the rim"}))
    done = job.put(Draft(run, "matter", {"text": "find the stud"}))
    job.put(Draft(run, "settled", {"matter": done}))
    result = job.out(run)
    made = (
        run_report(result, job.journal, HEAD, [])
        if paper == "report"
        else filled_book(result, job.journal, HEAD)
    )
    lines = lines_of(made)
    assert any(line.startswith("Mark | BS | IS | FS") and "±, mm | Dist" in line for line in lines)
    u = result.u_heights()[1] * 2000
    assert any(line.startswith("sill | 1.936") and f"| {u:.1f} | 11" in line for line in lines)
    assert "BS BM | 1.482 | 1.602 | 1.362 | 0.0 mm | 24 | 1.483 | +1.0 mm" in lines
    assert "IS sill | 1.936 | 11 | page 3 14:20" in lines
    at = lines.index("Open matters")
    assert lines[at + 1].startswith("lift the rim — Ada")
    assert lines[at + 2] == "Settled"
    assert lines[at + 3].startswith("find the stud — Ada") and "settled 2026-11-24 by Ada" in lines[at + 3]


def test_nothing_is_called_open_that_is_settled(job):
    done = job.put(Draft(job.run_id, "matter", {"text": "find the stud"}))
    job.put(Draft(job.run_id, "settled", {"matter": done}))
    lines = lines_of(filled_book(job.out(job.run_id), job.journal, HEAD))
    assert lines[lines.index("Open matters") + 1] == "None is open."


def test_distances_on_paper_are_in_the_books_own_unit():
    job = Job()
    run = job.run(unit="ft")
    job.known(run, "BM", "50", unit="ft")
    job.sight(run, "BS", "BM", "4.86", unit="ft", distance="20")
    lines = lines_of(filled_book(job.out(run), job.journal, HEAD))
    assert any(line.startswith("BM | 4.86") and "| 65.6" in line for line in lines)


def test_a_collimation_left_in_does_nothing_to_the_mark_a_closed_run_sets_out_from():
    job = Job()
    run = job.run()
    job.known(run, "BM", "50")
    level = replace(instrument_from_way(WAY["optical"]), collimation=0.0002, u_collimation=0.00002)
    job.put(instrument_draft(run, level))
    for kind, mark, reading, far in (
        ("BS", "BM", "1.482", "40"),
        ("FS", "CP", "1.281", "10"),
        ("BS", "CP", "1.3", "35"),
        ("FS", "BM", "1.499", "15"),
    ):
        if (kind, mark) == ("BS", "CP"):
            job.put(Draft(run, "setup", {}))
        job.sight(run, kind, mark, reading, distance=far)
    result = job.out(run)
    assert result.closure.spread
    left = result.left_by_collimation()
    by_hand = []
    for c in (0.0, 1e-4):  # the same book, the error put in, closed and spread anew
        readings = result.booked - c * result.distances
        reduced = reduce(result.layout, readings)
        spread = close(reduced, result.distances, result.book.settings.tolerance)
        by_hand.append([spread.correction[s] for s in result.layout.setup] + reduced.heights)
    moved = np.abs(by_hand[1] - by_hand[0]) / 1e-4
    fore = result.layout.kinds != 0
    assert left[fore] == pytest.approx(moved[fore] * left[1] / moved[1], abs=1e-9)
    assert left[0] == 0.0
    assert left[2] == pytest.approx(left[1])  # the change point, seen from both its set-ups
