"""Works of every trade, the shelf of these tests too, in one job."""

from __future__ import annotations

import pytest

from tests.mill import mill
from vivid_keel.trades import registry

SHELF = registry.Listed("shelf", "tests.trades.shelf", "Shelf", "a shelf on two brackets")
EVERY = [one.key for one in registry.LISTED] + [SHELF.key]
CACHED = (registry.trade, registry.job_kinds, registry.problem_kinds)


@pytest.fixture(autouse=True)
def shelf(monkeypatch):
    """Let the program know the shelf: one line of the registry."""
    monkeypatch.setattr(registry, "LISTED", (*registry.LISTED, SHELF))
    for cached in CACHED:
        cached.cache_clear()
    yield
    for cached in CACHED:
        cached.cache_clear()


@pytest.fixture
def job(tmp_path):
    """The demo job, the shelf in it."""
    with mill(tmp_path / "Osier Mill.keel") as file:
        yield file


@pytest.fixture(params=EVERY)
def desk(request, job):
    """A work of each trade, on its desk."""
    work = next(w.id for w in job.journal.works() if w.body["type"] == request.param)
    desk = registry.desk_for(job, work)
    wait(desk)
    return desk


def wait(desk):
    """Let what a worker would compute be computed."""
    for _ in range(3):
        waiting = desk.long_work()
        if waiting is None:
            return
        key, operation = waiting
        desk.long_work_done(key, operation(lambda: 20.0))
