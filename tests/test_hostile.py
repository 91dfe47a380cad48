"""A seeded sample of ./run hostile: whatever comes in is answered, nothing accepted is lost, nothing is half made."""

from __future__ import annotations

import random
import sys

import pytest

from tests import hostile

SAMPLE = {
    "problems": 1200,
    "jobs": 400,
    "books": 1200,
    "files": 200,
    "names": 20,
    "archives": 70,
    "monkey": 600,
}
"""About a quarter of a minute of it; kills are tried by the store's own tests, a real screen by ./run hostile."""


@pytest.mark.filterwarnings("ignore")
@pytest.mark.qt_log_level_fail("CRITICAL")
@pytest.mark.parametrize("part", SAMPLE)
def test_a_sample_of_what_strangers_do(part, monkeypatch):
    for name in ("excepthook",):
        monkeypatch.setattr(sys, name, getattr(sys, name))
    for name in ("uncaught", "described"):
        monkeypatch.setattr(hostile_trouble(), name, getattr(hostile_trouble(), name))
    for name in ("XDG_STATE_HOME", "XDG_DATA_HOME"):
        monkeypatch.setenv(name, "")
    tally = hostile.PARTS[part][0](random.Random(f"7 {part}"), SAMPLE[part])
    assert tally.tried == SAMPLE[part]
    assert not tally.said, tally.said.most_common(9)
    assert (tally.lost, tally.uncaught, tally.silent, tally.half_made) == (0, 0, 0, 0)


def hostile_trouble():
    """The program's own net, which the monkey listens at."""
    from vivid_keel import trouble

    return trouble


def test_the_tally_sees_what_it_is_there_for(monkeypatch):
    """A reader that falls over, and one that takes anything, are both counted."""
    from vivid_keel.exchange import level_csv

    monkeypatch.setattr(level_csv, "read_book", lambda *_: 1 / 0)
    assert hostile.books(random.Random(1), 20).uncaught == 20
    from vivid_keel.store import reading
    from vivid_keel.store.chain import Chain

    class Blind(Chain):
        def follow(self, row, stored):
            self.end = stored or self.end

    monkeypatch.setattr(reading, "Chain", Blind)
    assert hostile.files(random.Random(3), 150).silent > 0
