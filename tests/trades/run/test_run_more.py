"""A run with all that can happen on it: hairs, looks, events, corrections, pages, marks that follow."""

from __future__ import annotations

import math
import re

import numpy as np
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

from tests.saying import take, what_is_said, works
from vivid_keel.core.booking.layout import BS, FS, IS, ListedMark, lay_out
from vivid_keel.core.booking.pages import page_breaks, page_totals
from vivid_keel.core.booking.reduction import curvature_of, reduce
from vivid_keel.core.errors import KeelError
from vivid_keel.core.instruments.used import WAY as WAYS
from vivid_keel.core.instruments.used import instrument_draft, instrument_from_way
from vivid_keel.core.kinds import numbered
from vivid_keel.core.quantities import parse_length
from vivid_keel.core.record.entries import Draft
from vivid_keel.core.record.journal import Journal
from vivid_keel.core.record.readings import as_read
from vivid_keel.files import JobFile
from vivid_keel.trades.registry import desk_for, job_kinds
from vivid_keel.trades.run.book import EVENT, fold_run
from vivid_keel.trades.run.corrections import corrections
from vivid_keel.trades.run.lines import own_name, run_lines
from vivid_keel.trades.run.register import FoundMark, follow_body, register, run_lends
from vivid_keel.trades.run.result import work_out_run
from vivid_keel.trades.run.slips import doubts, search, told, verdict_words
from vivid_keel.trades.run.standing import leg_words, read_by, stand_for, standing_findings


def _found(result):
    lent = run_lends(result)
    return {
        h.name: FoundMark(h.name, lent.work, lent.name, h.height, h.u, h.closed)
        for h in lent.heights.values()
    }


def read(text, unit="m"):
    return as_read(parse_length(text, unit, "."))


class Job:
    """A job being booked, entry by entry."""

    def __init__(self):
        self.journal, self.act = Journal(), 1
        self.put(Draft(0, "job", {"name": "Osier Mill"}))

    def put(self, *drafts):
        first = len(self.journal.entries) + 1
        entries = numbered(
            job_kinds(), drafts, first, self.act, f"2026-11-24T10:{self.act % 60:02d}:00+00:00", "Ada"
        )
        self.act += 1
        for entry in entries:
            self.journal.add(entry)
        return entries[-1].id

    def run(self, name="run", unit="m"):
        return self.put(Draft(0, "work", {"name": name, "type": "run", "unit": unit}))

    def known(self, work, name, height, unit="m", **more):
        return self.put(
            Draft(work, "mark", {"name": name, "height": read(height, unit), "source": "datum", **more})
        )

    def sight(self, work, kind, mark, reading, unit="m", **more):
        body = {"mark": mark, "sight": kind, "reading": read(reading, unit)}
        body |= {
            k: read(v, unit) if k in {"upper", "lower", "look"} else read(v) if k == "distance" else v
            for k, v in more.items()
        }
        return self.put(Draft(work, "sight", body))

    def event(self, work, what, note=""):
        return self.put(Draft(work, "event", {"what": what, **({"note": note} if note else {})}))

    def out(self, work):
        return work_out_run(fold_run(self.journal, work))


@pytest.fixture
def job():
    return Job()


def titles(result, found=None):
    return [f.title for f in what_is_said("run", result, found=found)]


# Events


@pytest.mark.parametrize("what", ["moved", "knocked", "taken-in"])
def test_no_height_is_carried_over_an_instrument_that_was_touched(job, what):
    run = job.run()
    job.known(run, "BM", "50")
    job.sight(run, "BS", "BM", "1.5")
    job.sight(run, "IS", "sill", "1.2")
    job.event(run, what, "by the barrow")
    job.sight(run, "IS", "drain", "1.9")
    result = job.out(run)
    assert [r.kind for r in result.book.rows] == [BS, IS, EVENT, IS]
    assert math.isnan(result.height(3))
    assert "no backsight yet" in result.trouble[3]
    job.sight(run, "BS", "sill", "1.25")  # a backsight on any mark already read brings the line back
    result = job.out(run)
    assert result.height(3) == pytest.approx(50.3 + 1.25 - 1.9)
    assert not result.trouble


def test_another_staff_leaves_the_line_alive(job):
    run = job.run()
    job.known(run, "BM", "50")
    job.sight(run, "BS", "BM", "1.5")
    job.event(run, "staff")
    job.sight(run, "IS", "sill", "1.2")
    result = job.out(run)
    assert result.height(2) == pytest.approx(50.3)
    assert result.layout.setups == 1


def test_an_event_stands_between_a_foresight_and_its_backsight_on_the_page(job):
    run = job.run()
    job.known(run, "BM", "50")
    for kind, mark, reading in (("BS", "BM", "1.5"), ("FS", "CP", "1.4")):
        job.sight(run, kind, mark, reading)
    knocked = job.event(run, "knocked")
    job.sight(run, "BS", "CP", "1.1")
    assert job.out(run).book.lines == [(0, -1), (1, -1), (2, -1), (3, -1)]
    job.put(Draft(run, "strike", {}, strikes=knocked))
    assert job.out(run).book.lines == [(0, -1), (1, -1), (2, -1)]


# Hairs and looks


def test_the_hairs_give_the_distance_unless_one_was_booked(job):
    run = job.run()
    job.known(run, "BM", "50")
    job.sight(run, "BS", "BM", "1.5", upper="1.62", lower="1.38")
    job.sight(run, "IS", "sill", "1.2", upper="1.30", lower="1.10", distance="21")
    job.sight(run, "FS", "CP", "1.4", upper="1.5")
    assert job.out(run).distances == pytest.approx([24.0, 21.0, 20.0])
    level = instrument_from_way(WAYS["optical"], "Old dumpy")
    from msgspec.structs import replace

    job.put(instrument_draft(run, replace(level, hair_factor=99.0)))
    assert job.out(run).distances[0] == pytest.approx(0.24 * 99)


def test_looks_and_hairs_that_do_not_agree_are_doubted(job):
    run = job.run()
    job.known(run, "BM", "50")
    job.sight(run, "BS", "BM", "1.500", look="1.502")  # two units of the last place
    job.sight(run, "IS", "a", "1.200", look="1.203")
    job.sight(run, "IS", "b", "1.300", upper="1.404", lower="1.200")
    job.sight(run, "IS", "c", "1.300", upper="1.403", lower="1.200")
    result = job.out(run)
    assert [(d.row, d.what) for d in doubts(result)] == [(1, "looks")]
    job.sight(run, "IS", "d", "1.300", upper="1.410", lower="1.200")
    result = job.out(run)
    assert [(d.row, d.what) for d in doubts(result)] == [(1, "looks"), (4, "hairs")]
    assert "a: looks off by +3.0 mm" in titles(result)
    assert result.height(1) == pytest.approx(50.3)  # the second look stands beside the first, never over it


def test_the_last_look_tells_whether_the_instrument_held(job):
    run = job.run()
    job.known(run, "BM", "50")
    job.sight(run, "BS", "BM", "1.500")
    job.sight(run, "IS", "sill", "1.200")
    job.sight(run, "IS", "BM", "1.501")
    result = job.out(run)
    assert [(one.row, one.first, one.difference) for one in result.met] == [(2, 0, pytest.approx(-0.001))]
    assert doubts(result) == []
    assert "1 mark met again agrees" in titles(result)
    moved = job.run("moved")
    job.known(moved, "BM", "50")
    job.sight(moved, "BS", "BM", "1.500")
    job.sight(moved, "IS", "BM", "1.508")
    assert [d.what for d in doubts(job.out(moved))] == ["again"]


# Slips in words


def closed(job, slip="1.958", **more):
    run = job.run()
    job.known(run, "BM", "42.318")
    for kind, mark, reading in (
        ("BS", "BM", "1.482"),
        ("IS", "drain", "1.936"),
        ("FS", "CP 1", "2.214"),
        ("BS", "CP 1", "1.127"),
        ("FS", "CP 2", slip),
        ("BS", "CP 2", "2.346"),
        ("FS", "BM", "0.786"),
    ):
        details = more if mark == "CP 2" and kind == "FS" else {}
        if kind == "BS" and mark != "BM":
            job.put(Draft(run, "setup", {}))
        job.sight(run, kind, mark, reading, **details)
    return run


def test_a_slip_is_told_with_its_row_its_value_and_how_to_settle_it(job):
    result = job.out(closed(job, "2.058", look="1.958"))
    found = search(result)
    first = told(result, found)[0]
    assert (first.title, first.what, first.as_read, first.would_be) == (
        "FS CP 2",
        "100 mm slip",
        "2.058",
        "1.958",
    )
    assert first.settle == "read CP 2 again, both ways"
    assert "share of all explanations" in first.why.numbers
    assert verdict_words(result, found)[0] == "Look at FS CP 2"
    assert "Look at FS CP 2" in titles(result, found)


def test_where_only_the_kind_is_known_the_kind_is_named(job):
    result = job.out(closed(job, "2.958"))
    title, text = verdict_words(result, search(result))
    assert title == "A whole unit, place unknown"
    assert "not where" in text
    honest = job.out(closed(job))
    assert verdict_words(honest, search(honest))[0] == "No single slip stands out"


@pytest.mark.parametrize(
    ("unit", "good", "bad", "what"),
    [("ft-in", "4' 6 1/2\"", "4' 7 1/2\"", "1″ slip"), ("ft", "4.54", "5.54", "1 ft slip")],
)
def test_slips_are_told_in_the_units_of_the_book(job, unit, good, bad, what):
    run = job.run(unit=unit)
    job.known(run, "BM", "100 ft")
    job.sight(run, "BS", "BM", good, unit)
    job.sight(run, "FS", "CP 1", bad, unit, look=good)
    job.put(Draft(run, "setup", {}))
    job.sight(run, "BS", "CP 1", good, unit)
    job.sight(run, "FS", "BM", good, unit)
    result = job.out(run)
    assert what in [t.what for t in told(result, search(result))][:3]


# Corrections


def test_curvature_reads_high_by_two_thirds_of_a_millimetre_at_a_hundred_metres():
    assert curvature_of(np.array([100.0]))[0] == pytest.approx(0.00068, abs=5e-6)


def test_corrections_are_seen_switched_and_balanced_sights_say_what_they_saved(job):
    from msgspec.structs import replace

    run = job.run()
    job.put(instrument_draft(run, replace(instrument_from_way(WAYS["optical"]), collimation=0.0001)))
    job.known(run, "BM", "50")
    job.sight(run, "BS", "BM", "1.500", distance="40")
    job.sight(run, "FS", "CP 1", "1.400", distance="10")
    plain = job.out(run)
    (one,) = corrections(plain).setups
    assert one.collimation == pytest.approx(0.0001 * 30)
    assert one.saved == pytest.approx(0.0001 * 10)
    assert corrections(plain).greatest_collimation == pytest.approx(0.003)
    assert "Collimation is left in: up to 3.0 mm" in titles(plain)
    job.put(Draft(run, "closing", {"use_collimation": True, "use_curvature": True}))
    put_right = job.out(run)
    bend = float(curvature_of(np.array([40.0]))[0] - curvature_of(np.array([10.0]))[0])
    assert put_right.height(1) == pytest.approx(plain.height(1) - 0.003 - bend)
    assert "Collimation taken out: up to 3.0 mm" in titles(put_right)
    assert put_right.collimation_bound() is None  # every sight has its length
    job.put(Draft(run, "setup", {}))
    job.sight(run, "BS", "CP 1", "1.201")
    job.sight(run, "FS", "CP 2", "1.108")
    widened = job.out(run)
    # No distance: a bound is in the U of what hangs on it, a third of 30 m at 0.1 mm/m, and the reading's own u stays.
    assert widened.collimation_bound()[-1] == pytest.approx(0.0001 * 10)
    assert widened.u_readings[2] == pytest.approx(0.0007)
    bare = np.hypot(widened.u_heights()[1], 0.0007 * 2**0.5)
    assert widened.u_heights()[-1] == pytest.approx(bare + 0.001 / 2, rel=1e-6)


# Pages


books = st.lists(
    st.tuples(st.integers(0, 6), st.lists(st.integers(100, 3800), min_size=8, max_size=8)),
    min_size=1,
    max_size=9,
)


@given(books, st.integers(3, 30))
@settings(max_examples=80, deadline=None)
def test_pages_add_up_to_the_book_and_each_checks(drawn, per_page):
    kinds, marks, setup, readings = [], [], [], []
    for s, (inner, values) in enumerate(drawn):
        row = [
            (BS, f"CP {s}" if s else "BM"),
            *((IS, f"p{s}.{k}") for k in range(inner)),
            (FS, f"CP {s + 1}"),
        ]
        for (kind, mark), value in zip(row, values, strict=False):
            kinds.append(kind)
            marks.append(mark)
            setup.append(s)
            readings.append(value / 1000)
    reduction = reduce(lay_out(kinds, marks, setup, {"BM": ListedMark("BM", 50.0)}), np.array(readings))
    breaks = page_breaks(reduction, per_page)
    assert [b[0] for b in breaks] == [0, *(b[1] for b in breaks[:-1])]
    assert breaks[-1][1] == len(kinds)
    assert all(b - a <= per_page for a, b in breaks)
    pages = page_totals(reduction, per_page)
    assert all(p.agrees for p in pages)
    for name in ("sum_bs", "sum_is", "sum_fs"):
        assert sum(getattr(p, name) for p in pages) == pytest.approx(getattr(reduction, name))


# Marks that follow another run


def test_change_the_first_and_the_second_follows(job):
    first = closed(job)
    second = job.run("second")
    crest = _found(job.out(first))["CP 2"]
    assert crest.closed
    job.put(Draft(second, "mark", follow_body(crest, job.out(first).book.style)))
    job.sight(second, "BS", "CP 2", "1.000")
    job.sight(second, "IS", "sill", "1.500")

    def sill():
        return works(job.journal).result(second).height(1)

    assert sill() == pytest.approx(crest.height - 0.5)
    back = next(
        e for e in job.journal.entries.values() if e.body.get("sight") == "BS" and e.body["mark"] == "BM"
    )
    job.put(Draft(first, "sight", {**back.body, "reading": read("1.485")}, strikes=back.id))
    them = works(job.journal)
    assert sill() == pytest.approx(_found(them.result(first))["CP 2"].height - 0.5)
    known = them.result(second).book.known[0]
    assert known.u == pytest.approx(_found(them.result(first))["CP 2"].u)
    assert "CP 2 follows run" in titles(them.result(second))
    assert next(m for m in register(them) if m.name == "CP 2" and m.work == first).followers == ("second",)


def test_open_struck_and_circular_sources_are_said(job):
    first = job.run("first")
    job.known(first, "BM", "50")
    job.sight(first, "BS", "BM", "1.5")
    seen = job.sight(first, "IS", "sill", "1.2")
    second = job.run("second")
    job.put(Draft(second, "mark", follow_body(_found(job.out(first))["sill"], job.out(first).book.style)))
    job.sight(second, "BS", "sill", "1.0")
    job.sight(second, "FS", "step", "0.4")

    def trouble():
        return works(job.journal).result(second).book.known[0].trouble

    assert "no check" in trouble()
    job.put(Draft(first, "strike", {}, strikes=seen))
    assert "no longer reads" in trouble()
    assert works(job.journal).result(second).book.known[0].height == pytest.approx(
        50.3
    )  # as it was when taken
    job.put(
        Draft(
            first,
            "mark",
            follow_body(_found(works(job.journal).result(second))["step"], job.out(first).book.style),
        )
    )
    job.sight(first, "IS", "sill", "1.2")
    assert "lean on each other" in works(job.journal).result(first).book.known[1].trouble
    assert "lean on each other" in trouble()


# A run as lines of a network


def test_change_points_belong_to_their_run_and_names_to_the_job(job):
    lines = run_lines(job.out(closed(job)))
    assert [(x.mark, x.stand) for x in lines[:4]] == [
        ("BM", "set-up 1 (run)"),
        ("drain", "set-up 1 (run)"),
        ("CP 1 (run)", "set-up 1 (run)"),
        ("CP 1 (run)", "set-up 2 (run)"),
    ]
    assert [x.rise for x in lines] == [1.482, 1.936, 2.214, 1.127, 1.958, 2.346, 0.786]
    assert lines[0].sigma == pytest.approx(0.0007)
    assert own_name("Weir crest", "run") == "Weir crest"
    assert own_name("cp 12", "run") == "cp 12 (run)"


def test_a_network_of_one_open_set_up_states_what_its_readings_say(job):
    from vivid_keel.core.booking.network import LevelledLine, adjust

    run = job.run()
    job.known(run, "BM", "50")
    for kind, mark, reading in (("BS", "BM", "1.5"), ("IS", "a", "1.2"), ("IS", "b", "1.3")):
        job.sight(run, kind, mark, reading)
    net = adjust(
        {"BM": (50.0, 0.0)}, [LevelledLine(x.mark, x.stand, x.rise, x.sigma) for x in run_lines(job.out(run))]
    )
    at = {name: i for i, name in enumerate(net.names)}
    assert net.heights[at["a"]] == pytest.approx(50.3)
    assert net.u[at["a"]] == pytest.approx(0.0007 * math.sqrt(2))
    assert net.u[at["set-up 1 (run)"]] == pytest.approx(0.0007)


# Where to stand, in words


def test_planned_marks_get_a_place_to_stand(job):
    run = job.run()
    assert stand_for(job.out(run).book).plan is None
    job.known(run, "BM", "50")
    job.put(Draft(run, "planned", {"name": "sill", "height": read("50.4")}))
    book = job.out(run).book
    standing = stand_for(book)
    assert [w.name for w in standing.way] == ["BM", "sill"]
    assert [f.title for f in standing_findings(standing, book)] == ["One set-up reads it all"]
    assert read_by(standing.plan, "sill") == [0]
    assert leg_words(standing.plan, [0], book.style) == "HC 50.600 to 54.000"
    job.put(Draft(run, "planned", {"name": "quarry", "height": read("70")}))
    book = job.out(run).book
    said = [f.title for f in standing_findings(stand_for(book), book)]
    assert any("set-ups for 3 marks" in title for title in said)
    job.put(Draft(run, "means", {"staff": read("1")}))
    book = job.out(run).book
    assert [f.title for f in standing_findings(stand_for(book), book)] == ["The way can't be planned"]


# A run in feet and inches speaks them throughout


def test_a_run_in_feet_and_inches_is_not_half_metric(tmp_path):
    with JobFile.create(tmp_path / "ft.keel", "Mill", "Ada", unit="ft-in", decimal_mark=".") as file:
        (work,) = file.record([Draft(0, "work", {"name": "Leat", "type": "run", "unit": "ft-in"})])
        desk = desk_for(file, work.id)
        for column, text in enumerate(("BM", "100'", "1/8", "site datum")):
            known = next(s for s in desk.sheets("Set-up") if s.name == "Known marks")
            take(known, 0, column, text)
        assert desk.book.known[0].u == pytest.approx(0.0254 / 16)  # an eighth of an inch, as U
        known = next(s for s in desk.sheets("Set-up") if s.name == "Known marks")
        assert known.columns[2].title == "± U, in" and known.cell(0, 2).text == "⅛"
        book = desk.sheets("Readings")[0]
        take(book, 0, 2, "5' 7 3/8\"")
        book = desk.sheets("Readings")[0]
        take(book, 0, 5, "60") if book.columns[5].title.startswith("Dist") else None
        staff = next(s for s in desk.sheets("Set-up") if s.name == "Staff and eye")
        take(staff, 1, 1, "5")
        assert desk.book.reach.eye == pytest.approx(5 * 0.3048)
        staff = next(s for s in desk.sheets("Set-up") if s.name == "Staff and eye")
        assert staff.cell(1, 1).text == "5 ft" and "100 to 160 ft" in staff.cell(2, 2).text
        classes = next(s for s in desk.sheets("Proof") if s.name == "Class and spread")
        assert classes.cell(2, 2).text == "3/16 in"


@pytest.mark.parametrize(
    ("row", "text", "said"),
    [
        (
            0,
            "9 mm",
            "the length of the staff lies between 0.1 and 20 m; 9 mm is 0.009 m. Was another unit meant?",
        ),
        (1, "150", "the eye height lies between 0.1 and 10 m"),
        (2, "0.5 mm", "the longest sight lies between 1 and 1000 m"),
        (2, "-40", "the longest sight lies between 1 and 1000 m"),
    ],
)
def test_a_wrong_unit_in_what_is_levelled_with_is_refused_at_once(tmp_path, row, text, said):
    with JobFile.create(tmp_path / "m.keel", "Mill", "Ada", decimal_mark=".") as file:
        (work,) = file.record([Draft(0, "work", {"name": "Leat", "type": "run", "unit": "m"})])
        sheet = next(s for s in desk_for(file, work.id).sheets("Set-up") if s.name == "Staff and eye")
        with pytest.raises(KeelError, match=re.escape(said)):
            sheet.accept(row, 1, text)


def test_a_mark_that_was_renamed_is_no_struck_reading(job):
    run = job.run()
    job.known(run, "BM", "50")
    job.sight(run, "BS", "BM", "1.482")
    wrong = job.sight(run, "IS", "sill", "1.104")
    body = {"mark": "door sill", "sight": "IS", "reading": read("1.104")}
    job.put(Draft(run, "sight", body, strikes=wrong))
    assert not any("struck" in title for title in titles(job.out(run)))
    slip = job.sight(run, "IS", "step", "1.205")
    job.put(Draft(run, "sight", {**body, "mark": "step", "reading": read("1.250")}, strikes=slip))
    assert any(title == "1 reading struck" for title in titles(job.out(run)))
