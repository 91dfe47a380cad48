"""Whatever is booked in whatever order, everything that can be asked of a run has an answer."""

from __future__ import annotations

import math

from hypothesis import given, settings
from hypothesis import strategies as st

from tests.saying import what_is_said, works
from tests.trades.run.test_run_more import Job
from vivid_keel.core.booking.pages import page_totals
from vivid_keel.core.record.entries import Draft
from vivid_keel.exchange.level_csv import read_book
from vivid_keel.figures.report import Heading
from vivid_keel.trades.run.book_pages import filled_book
from vivid_keel.trades.run.corrections import corrections
from vivid_keel.trades.run.csv_out import write_marks, write_sights
from vivid_keel.trades.run.figure import section
from vivid_keel.trades.run.findings import run_state
from vivid_keel.trades.run.lines import run_lines
from vivid_keel.trades.run.register import run_lends
from vivid_keel.trades.run.report import run_report
from vivid_keel.trades.run.section_dxf import stations
from vivid_keel.trades.run.slips import doubts, search, told, verdict_words

HEADING = Heading("Osier Mill", "run", "level run", "2026-11-24 10:00", "Ada")
readings = st.integers(-2500, 3900).map(lambda n: f"{n / 1000:.3f}")
details = st.fixed_dictionaries(
    {}, optional={"look": readings, "upper": readings, "lower": readings, "distance": st.just("21")}
)
sights = st.tuples(
    st.sampled_from(["BS", "IS", "FS"]),
    st.sampled_from(["BM", "a", "CP 1", "CP 2", "weir"]),
    readings,
    details,
)
steps = st.one_of(
    sights,
    sights,
    sights,
    st.sampled_from(["setup", "moved", "knocked", "staff", "strike", "place", "planned", "closing"]),
)


@given(st.lists(steps, max_size=14), st.booleans())
@settings(max_examples=150)
def test_everything_that_can_be_asked_has_an_answer(drawn, listed):
    job = Job()
    run = job.run()
    if listed:
        job.known(run, "BM", "50", u_m=0.001)
    last = None
    for step in drawn:
        if isinstance(step, tuple):
            kind, mark, reading, more = step
            last = job.sight(run, kind, mark, reading, **more)
        elif step == "strike" and last is not None:
            job.put(Draft(run, "strike", {}, strikes=last))
        elif step == "setup":
            job.put(Draft(run, "setup", {}))
        elif step == "closing":
            job.put(
                Draft(
                    run,
                    "closing",
                    {"use_curvature": True, "override": True, "reason": "told to", "spread": "distance"},
                )
            )
        elif step in {"moved", "knocked", "staff"}:
            job.event(run, step)
    result = works(job.journal).result(run)
    book = result.book
    found = search(result)
    assert len(told(result, found)) == len(found.suggestions)
    assert all(verdict_words(result, found))
    assert run_state(result)[1]
    assert all(f.title for f in what_is_said("run", result, found=found))
    assert {d.row for d in doubts(result)} <= set(book.sights)
    assert all(p.agrees for p in page_totals(result.reduction))
    assert len(corrections(result).setups) == result.layout.setups
    assert all(math.isfinite(x.rise) and x.sigma > 0 for x in run_lines(result))
    assert all(m.u >= 0 for m in run_lends(result).heights.values())
    assert set(stations(result)) == set(book.sights)
    assert section(result, 740, 300).caption
    assert filled_book(result, job.journal, HEADING)
    assert run_report(result, job.journal, HEADING, what_is_said("run", result))
    write_marks(result)
    if any(r.stands for r in book.rows):
        again = read_book(write_sights(result, job.journal).encode())
        assert [s.reading.value for s in again.sights] == [book.rows[i].reading for i in book.sights]
        assert [s.kind for s in again.sights] == [book.rows[i].kind for i in book.sights]
