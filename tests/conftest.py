"""What every test shares: a private place for the user's files."""

from __future__ import annotations

import time
from types import SimpleNamespace

import pytest
from hypothesis import settings

from vivid_keel import trouble

# A busy machine is no failure: what is wrong must be wrong, not late.
settings.register_profile("patient", deadline=None, max_examples=60)
settings.load_profile("patient")


@pytest.fixture(autouse=True)
def _own_home(tmp_path, monkeypatch):
    monkeypatch.setenv("XDG_STATE_HOME", str(tmp_path / "state"))
    monkeypatch.setenv("XDG_DATA_HOME", str(tmp_path / "data"))
    yield
    trouble.close()


QUICK = 4.0
"""How much sooner what stands in for an instrument comes to rest in a test that waits for it."""


@pytest.fixture
def quick(monkeypatch):
    """Let the clocks of what sends numbers and of who hears them run several times as fast; `quick(s)` waits so many of their seconds."""
    from vivid_keel.desk.kit import practice
    from vivid_keel.exchange import number_door
    from vivid_keel.stands import streaming

    fast = SimpleNamespace(monotonic=lambda: time.monotonic() * QUICK)
    for module in (practice, number_door, streaming):
        monkeypatch.setattr(module, "time", fast)
    monkeypatch.setattr(streaming, "EVERY", streaming.EVERY / QUICK)
    return lambda seconds: time.sleep(seconds / QUICK)
