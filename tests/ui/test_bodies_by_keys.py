"""Bodies brought in by keys alone, with the settings that a new task has: what Next says is done, and nothing else."""

from __future__ import annotations

import numpy as np

from tests.frames import STEP, Frame
from tests.measure_bodies import TABLES, truth
from tests.trades.axis.test_axis_trade import FIVE
from vivid_keel.core.moving.engine import counts_turns
from vivid_keel.core.moving.plan import FOUND, LEFT
from vivid_keel.trades.bed.book import ALONG

PAIRS = [(0.9 * k, y) for k in range(4) for y in (0.0, 0.5)]


class Hand:
    """A person at the window who turns what it says and types what the level shows."""

    def __init__(self, window, hands, body):
        self.window, self.hands, self.body = window, hands, body
        self.rounds, self.turned = 1, 0

    @property
    def desk(self):
        return self.window.desk

    def begin(self, key, tmp_path, lines):
        self.hands.do("Ctrl+N")
        self.window.new_job.folder.setText(str(tmp_path))
        self.hands.line("Osier Mill")
        self.hands.line("Millstone")
        self.window.new_work.cards[key].setFocus()
        self.hands.key("enter")
        self.window.do_next()
        for line in lines:
            self.hands.line(*line)

    def shows(self, place):
        """What the level shows where it is laid, to a fifth of a division."""
        desk, body = self.desk, self.body
        seen = desk.in_it(place, body.zero * desk.division) + self.tilt(place)
        d = round((seen / desk.division + body.rng.normal(0, 0.15)) / STEP) * STEP
        return f"{d:+.1f}"

    def tilt(self, place):
        """How the body truly lies there; a way between two pairs of feet goes straight from one to the other."""
        desk, h = self.desk, self.body.h
        if getattr(place, "sort", "") != ALONG:
            return float(desk.tilt_row(place) @ h)
        step = desk.book.long / desk.book.steps
        ends = np.interp([place.at * step, (place.at + 1) * step], [x for x, y in PAIRS if y == 0], h[::2])
        return float(ends[1] - ends[0]) / step

    def turn(self, i):
        """Wind a foot so far as the sheet says, or until the level shows what it says, as well as a hand sees it."""
        desk, body, lift = self.desk, self.body, float(self.desk.result.lifts[i])
        if counts_turns(desk.book):
            body.turn(i, lift)
            return
        place, wanted = desk.told(i)
        off, row = body.rng.normal(0, 0.15) * desk.division, desk.tilt_row(place)
        for _ in range(80):
            short = wanted + off - desk.in_it(place, body.zero * desk.division) - float(row @ body.h)
            if abs(short) < 0.05 * desk.division:
                return
            body.turn(i, float(np.clip(0.7 * short / row[i], -5e-5, 5e-5)))

    def work(self):
        """Do what is next until nothing but to look again or to write the report is."""
        for _ in range(400):
            self.hands.rest()
            step = self.desk.next(self.window.stage)
            key, _, rest = step.key.partition(":")
            if key == "take":
                assert isinstance(self.body, Frame)
                self.body.try_feet()
                self.window.do_next()
            elif key in {"read", "left"}:
                wanted = self.desk.wanted(FOUND if key == "read" else LEFT)
                self.window.do_next()
                self.hands.line(self.shows(wanted[0]))
            elif key == "cautions":
                self.window.do_next()
                self.hands.key(" ", text=" ")
            elif key == "book":
                self.window.do_next()
                self.turn(int(rest))
                self.turned += 1
                self.hands.key("enter")
            elif key in {"moves", "round"}:
                self.rounds += key == "round"
                self.window.do_next()
            else:
                return step
        raise AssertionError(f"no end after 400 steps: {step}")


def test_a_table_on_six_springy_feet(window, hands, tmp_path):
    frame = Frame(np.array(TABLES[6]), 0.5, np.random.default_rng(7))
    assert (frame.h - frame.tops > 1e-6).any()  # some of its feet hang
    hand = Hand(window, hands, frame)
    hand.begin("slab", tmp_path, [("ABCDEF"[k], f"{x:g}", f"{y:g}") for k, (x, y) in enumerate(TABLES[6])])
    assert [p.name for p in hand.desk.book.points] == list("ABCDEF")
    hand.work()
    keeper = hand.desk.result.aim.keeper
    assert np.abs(frame.h - frame.h[keeper]).max() <= hand.desk.book.limits.tolerance
    assert hand.rounds <= 3 and hand.turned <= 16


def test_a_bed_on_four_pairs(window, hands, tmp_path):
    bed = Frame(np.array(PAIRS), 0.2, np.random.default_rng(5))
    bed.tops *= 0.2  # roughly level already: a fine vial shows no more
    bed.stand()
    hand = Hand(window, hands, bed)
    hand.begin("bed", tmp_path, [("head", "0"), ("a", "0.9"), ("b", "1.8"), ("tail", "2.7")])
    hand.work()
    across = bed.h[1::2] - bed.h[::2]
    assert np.abs(across - across[0]).max() / 0.5 <= hand.desk.book.facts.values["twist"]
    assert hand.rounds <= 6


def test_an_axis_with_outriggers(window, hands, tmp_path):
    base = truth(list(FIVE), (0.2, 0.3), np.random.default_rng(7))
    hand = Hand(window, hands, base)
    hand.begin("axis", tmp_path, [("FGHIJ"[k], f"{x:.3f}", f"{y:.3f}") for k, (x, y) in enumerate(FIVE)])
    hand.work()
    xy = np.array(FIVE)
    lean = np.linalg.pinv(xy - xy.mean(axis=0)) @ base.h
    assert float(np.hypot(*lean)) <= hand.desk.book.facts.values["tilt"]
    assert hand.rounds <= 3
