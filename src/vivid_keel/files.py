"""Job and kit files with the kinds of entries that this program knows."""

from __future__ import annotations

from collections.abc import Mapping

from vivid_keel import store
from vivid_keel.core.kinds import Kinds
from vivid_keel.trades.registry import is_listed, job_kinds, kit_kinds


class JobFile(store.JobFile):
    """A job."""

    @classmethod
    def kinds(cls) -> Kinds:
        return job_kinds()

    @classmethod
    def knows(cls, type: str) -> bool:
        return is_listed(type)


class KitFile(JobFile):
    """A kit: the same store and rules as a job, in a file of its own that outlives jobs. Its works are the instruments."""

    what = store.KitFile.what
    application_id = store.KitFile.application_id
    migrations = store.KitFile.migrations

    @classmethod
    def kinds(cls) -> Kinds:
        return kit_kinds()

    @classmethod
    def knows(cls, type: str) -> bool:
        from vivid_keel.core.instruments.tool import (
            kind_of,
        )  # the instruments are slow to load; most starts can wait

        return kind_of(type) is not None


class YardFile(JobFile):
    """The record of the practice yard. Its works are the people who practise, and the simulated works and instruments that they practise
    on; nothing read there is ever a job's."""

    what = store.YardFile.what
    application_id = store.YardFile.application_id
    migrations = store.YardFile.migrations
    begun_with: Mapping[str, str] = {"practice": "for practice only"}

    @property
    def practice(self) -> bool:
        return True  # those of 0.11 don't say so in their job entry

    @classmethod
    def kinds(cls) -> Kinds:
        from vivid_keel.core.record.common import COMMON
        from vivid_keel.yard.entries import YARD_KINDS

        return {**COMMON, **job_kinds(), **kit_kinds(), **YARD_KINDS}

    @classmethod
    def knows(cls, type: str) -> bool:
        return type == LEARNER or JobFile.knows(type) or KitFile.knows(type)


LEARNER = "learner"
"""What a work of the yard's record is."""
