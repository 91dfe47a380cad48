"""One floor read from several stations: tied by the watch mark and by posts read twice, with U and a check."""

from __future__ import annotations

import numpy as np
import pytest

from tests.saying import take, what_is_said
from tests.trades.conftest import wait
from tests.trades.supports.test_plan_holds import read
from tests.trades.supports.test_works import Book, titles
from vivid_keel.core.errors import KeelError
from vivid_keel.core.moving.plan import FOUND
from vivid_keel.core.moving.stations import Sighted, groups, tie
from vivid_keel.core.record.entries import Draft
from vivid_keel.files import JobFile
from vivid_keel.trades.registry import desk_for
from vivid_keel.trades.supports.lay_out import grid_drafts


class Floor:
    """Posts at true heights; the line of each station at its own; scales hang, the mark's stands."""

    def __init__(self, rng, n=8, hidden=4, u=0.0005, ties=2):
        self.book, self.rng, self.u = Book("supports"), rng, u
        self.true = 3.0 + rng.uniform(-0.012, 0.0, n)
        self.mark, self.lines = 1.4, {"1": 1.75, "2": 1.75 + rng.uniform(-0.3, 0.3)}
        self.book.way(u)
        self.ids = [
            self.post(i, "1") if i < n - hidden else self.book.post(f"A{i}", None, x=2.0 * i)
            for i in range(n)
        ]
        self.reference("1")
        self.sight("2", 0)
        for i in range(n - hidden, n):
            self.sight("2", i + 1)
        for i in range(ties - 1):
            self.sight("2", i + 1)

    def hung(self, station, i):
        return self.true[i] - self.lines[station] + self.rng.normal(0, self.u)

    def post(self, i, station):
        return self.book.post(f"A{i}", f"{self.hung(station, i):.5f}", x=2.0 * i)

    def reference(self, station):
        value = self.lines[station] - self.mark + self.rng.normal(0, self.u)
        self.book.add(Draft(self.book.work, "reference", {"phase": "found", "reading": read(f"{value:.5f}")}))

    def sight(self, station, k, off=0.0):
        """Read the mark (0), or a post from 1, from another station."""
        value = (
            self.hung(station, k - 1) if k else self.lines[station] - self.mark + self.rng.normal(0, self.u)
        )
        body = {"station": station, "phase": "found", "reading": read(f"{value + off:.5f}")}
        if k:
            body["point"] = self.ids[k - 1]
        self.book.add(Draft(self.book.work, "from-station", body))


def test_stations_that_posts_connect_are_one_group():
    assert groups([("1", "a"), ("2", "b"), ("2", "a"), ("3", "c")]) == [["1", "2"], ["3"]]


def test_hidden_posts_stand_where_they_are_and_the_stated_u_covers():
    """Simulated truth: heights against the first post, over both stations, and their U."""
    rng, inside, total, hidden = np.random.default_rng(11), 0, 0, 0
    for _ in range(150):
        floor = Floor(rng)
        result = floor.book.supports()
        assert not np.isnan(result.heights).any()
        errors = (result.heights - result.heights[1]) - (floor.true - floor.true[1])
        c = result.task.together
        U = 2 * np.sqrt(np.maximum(np.diag(c) + c[1, 1] - 2 * c[1], 0.0))
        others = np.arange(8) != 1
        inside += int((np.abs(errors[others]) <= U[others]).sum())
        hidden += int((U[4:] > U[2]).sum())  # what is carried over the tie is known worse
        total += 7
    assert 0.93 <= inside / total <= 0.98
    assert hidden == 150 * 4


def test_the_finish_reading_of_a_hidden_post_is_one_on_its_own_stations_line():
    floor = Floor(np.random.default_rng(3), u=1e-9)
    result = floor.book.supports()
    for i in range(len(floor.true)):
        station = "2" if i >= 4 else "1"
        assert result.shown(i, float(result.targets[i])) == pytest.approx(
            float(result.targets[i] + floor.lines["1"] - floor.lines[station]), abs=2e-5
        )
    assert result.task.shows.read(7) == pytest.approx(floor.true[7] - floor.lines["2"], abs=2e-5)


def test_a_tie_by_one_alone_is_said_and_a_second_one_checks_it():
    said = what_is_said("supports", Floor(np.random.default_rng(4), ties=1).book.supports(), "Readings")
    assert "The tie by Watch mark has no check" in titles(said)
    said = what_is_said("supports", Floor(np.random.default_rng(4), ties=2).book.supports(), "Readings")
    assert "2 stations tied and checked" in titles(said)


def test_a_wrong_reading_is_named_where_three_ties_leave_it_to_be_told():
    floor = Floor(np.random.default_rng(5), ties=3)
    floor.sight("2", 3, off=0.012)
    (said,) = [
        f for f in what_is_said("supports", floor.book.supports(), "Readings") if "disagree" in f.title
    ]
    assert "A2 from 2" in said.title and "A0" not in said.title
    two = Floor(np.random.default_rng(5), ties=1)
    two.sight("2", 1, off=0.012)
    (said,) = [f for f in what_is_said("supports", two.book.supports(), "Readings") if "disagree" in f.title]
    assert "can't be told" in said.text and "Watch mark" in said.title


def test_honest_stations_are_hardly_ever_accused():
    rng, accused = np.random.default_rng(6), 0
    for _ in range(100):
        found = what_is_said("supports", Floor(rng, ties=4).book.supports(), "Readings")
        accused += any("disagree" in one.title for one in found)
    assert accused <= 5


def test_nothing_in_common_is_said_and_takes_no_reading_over():
    book = Book("supports")
    book.post("A1", "1.2500")
    hidden = book.post("A2", None, x=2.0)
    body = {"station": "2", "point": hidden, "phase": "found", "reading": read("1.3000")}
    book.add(Draft(book.work, "from-station", body))
    result = book.supports()
    assert result.book.points[1].found is None and np.isnan(result.heights[1])
    (said,) = [f for f in what_is_said("supports", result, "Readings") if f.title.startswith("Nothing ties")]
    assert said.verdict == "out" and said.action == "stations"


def test_the_same_station_twice_is_no_second_tie():
    one = [Sighted("1", "A", 1.0, 0.001), Sighted("2", "A", 1.1, 0.001), Sighted("2", "A", 1.1, 0.001)]
    assert tie(one).unchecked == ("A",)


@pytest.fixture
def desk(tmp_path):
    with JobFile.create(tmp_path / "floor.keel", "Mill", "Ada", decimal_mark=".") as file:
        (work,) = file.record([Draft(0, "work", {"name": "Floor", "type": "supports", "unit": "m"})])
        file.record(
            [Draft(work.id, "caution", {"key": "lifting"}), *grid_drafts(work.id, ("A", "B"), 3, 2.0, 2.0)]
        )
        desk = desk_for(file, work.id)
        for row, text in enumerate(("1.2500", "1.2440", "1.2410")):
            take(desk.sheets("Readings")[0], row, 2, text)
        take(desk.sheets("Readings")[0], 6, 2, "0.8150")
        yield desk


def test_two_stations_typed_with_the_keys_that_are_proposed(desk):
    """From the second station 30 mm higher: the mark, a post again, and row B."""
    place = (0, 0)
    for text in ("2", "", "0.8450", "A2", "1.2140", "", "1.2100", "", "1.2080", "", "1.2150"):
        place = take(desk.sheets("Readings")[1], *place, text)
    book = desk.book
    assert [p.found.text for p in book.points[3:]] == ["1.2100 from 2", "1.2080 from 2", "1.2150 from 2"]
    assert [round(p.found.value, 6) for p in book.points[3:]] == [1.24, 1.238, 1.245]
    sheet = desk.sheets("Readings")[0]
    assert sheet.cell(3, 2).text == "1.210 from 2" or sheet.cell(3, 2).text == "1.2100 from 2"
    assert desk.result.read == 6
    lines = desk.sheets("Readings")[1]
    assert [lines.cell(k, 1).text for k in range(lines.count - 1)] == ["Watch mark", "A2", "B1", "B2", "B3"]
    with pytest.raises(KeelError, match="is the station of the sheet As found"):
        take(lines, lines.count - 1, 0, "1")
    with pytest.raises(KeelError, match="is no post here"):
        take(lines, lines.count - 1, 1, "Z9")
    wait(desk)
    pages = desk.report()()
    on_paper = " ".join(t for page in pages for t in page.texts())
    assert all(text in on_paper for text in ("0.8450", "1.2140", "1.2100"))


def test_a_round_ends_and_what_was_read_as_left_from_two_stations_counts_as_found(desk):
    work = desk.work
    ids = [p.id for p in desk.book.points]

    def sight(point, text, phase):
        body = {"station": "2", "phase": phase, "reading": read(text)} | ({"point": point} if point else {})
        desk.record(Draft(work, "from-station", body))

    for point, text in (
        (0, "0.8450"),
        (ids[1], "1.2140"),
        (ids[3], "1.2100"),
        (ids[4], "1.2080"),
        (ids[5], "1.2150"),
    ):
        sight(point, text, "found")
    put = {"put": {str(ids[3]): 0.010}, "leaves": {str(ids[3]): 1}}
    for i, text in enumerate(("1.2500", "1.2440", "1.2410")):
        desk.record(Draft(work, "reading", {"point": ids[i], "phase": "left", "reading": read(text)}))
    desk.record(Draft(work, "reference", {"phase": "left", "reading": read("0.8150")}))
    for point, text in (
        (0, "0.8550"),
        (ids[1], "1.2040"),
        (ids[3], "1.2098"),
        (ids[4], "1.1980"),
        (ids[5], "1.2050"),
    ):
        sight(point, text, "left")  # set up 10 mm higher again; B1 went up by 9.8
    assert desk.result.left[3] - desk.result.heights[3] == pytest.approx(0.0098, abs=1e-6)
    desk.record(Draft(work, "pass", put))
    (_, _, change) = desk.result.task.happened[0]
    assert change[3] == pytest.approx(0.0098, abs=1e-6) and change[4] == pytest.approx(0.0, abs=1e-6)
    assert desk.book.points[3].found.station == "2" and FOUND in desk.book.ties
