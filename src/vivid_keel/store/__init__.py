"""The job file: one SQLite file a person can mail; see docs/formats.md for its schema."""

from vivid_keel.store.jobfile import JobFile

__all__ = ["JobFile"]
