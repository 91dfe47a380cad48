"""Supports under a floor or frame: read against one line, packed to a target, proved."""

from vivid_keel.core.works.supports.book import (
    Leaf,
    Limits,
    PointRow,
    SupportsBook,
    TargetChoice,
)
from vivid_keel.core.works.supports.findings import supports_findings, supports_state
from vivid_keel.core.works.supports.fold import fold_supports
from vivid_keel.core.works.supports.reckon import Measured, leaves_in_words, measure, pack, work_out_supports
from vivid_keel.core.works.supports.result import SupportsResult

__all__ = [
    "Leaf",
    "Limits",
    "Measured",
    "PointRow",
    "SupportsBook",
    "SupportsResult",
    "TargetChoice",
    "fold_supports",
    "leaves_in_words",
    "measure",
    "pack",
    "supports_findings",
    "supports_state",
    "work_out_supports",
]
