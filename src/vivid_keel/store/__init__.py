"""The job file and the kit file: SQLite files a person can mail; see docs/formats.md for their schema."""

from vivid_keel.store.jobfile import JobFile, KitFile

__all__ = ["KIT_SUFFIX", "JobFile", "KitFile", "kit_path"]
