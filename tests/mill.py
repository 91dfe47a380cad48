"""The demo job for tests: made once by each process that runs them, and copied from then on."""

from __future__ import annotations

import atexit
import shutil
import tempfile
from pathlib import Path

from vivid_keel.demo import build
from vivid_keel.files import JobFile
from vivid_keel.places import KIT_SUFFIX

_made: dict[tuple[str, ...], Path] = {}


def mill(path: Path) -> JobFile:
    """Return the demo job, its kit beside it, as `build` makes it; with whatever trades the program knows now."""
    from vivid_keel.trades import registry

    known = tuple(one.key for one in registry.LISTED)
    if known not in _made:
        folder = Path(tempfile.mkdtemp())
        atexit.register(shutil.rmtree, folder, ignore_errors=True)
        build(folder / "mill.keel").close()
        _made[known] = folder / "mill.keel"
    for suffix in (path.suffix, KIT_SUFFIX):
        shutil.copy(_made[known].with_suffix(suffix), path.with_suffix(suffix))
    return JobFile.open(path, "I. Withy")
