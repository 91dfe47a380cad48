"""What every test shares: a private place for the user's files."""

from __future__ import annotations

import pytest
from hypothesis import settings

from vivid_keel import trouble

# A busy machine is no failure: what is wrong must be wrong, not late.
settings.register_profile("patient", deadline=None)
settings.load_profile("patient")


@pytest.fixture(autouse=True)
def _own_home(tmp_path, monkeypatch):
    monkeypatch.setenv("XDG_STATE_HOME", str(tmp_path / "state"))
    monkeypatch.setenv("XDG_DATA_HOME", str(tmp_path / "data"))
    yield
    trouble.close()
