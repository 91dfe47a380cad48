"""The job file and the kit file: SQLite files a person can mail; see docs/formats.md for their schema."""

from vivid_keel.store.door import Patience
from vivid_keel.store.jobfile import JobFile, KitFile, YardFile

__all__ = ["JobFile", "KitFile", "Patience", "YardFile"]
