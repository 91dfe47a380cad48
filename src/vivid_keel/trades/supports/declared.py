"""Supports under a floor or frame: read against one line, packed to a target, proved."""

from vivid_keel.trades.supports.book import SupportsBook
from vivid_keel.trades.supports.entries import KINDS
from vivid_keel.trades.supports.findings import (
    supports_cautions,
    supports_findings,
    supports_state,
    supports_uses,
)
from vivid_keel.trades.supports.fold import fold_supports
from vivid_keel.trades.supports.lay_out import usual_limits
from vivid_keel.trades.supports.measure import work_out_supports
from vivid_keel.trades.supports.problems import PROBLEMS
from vivid_keel.trades.supports.result import SupportsResult
from vivid_keel.trades.trade import Trade

TRADE: Trade[SupportsBook, SupportsResult] = Trade(
    key="supports",
    label="Supports",
    blurb="posts or piers read against one line and packed to it",
    kinds=KINDS,
    fold=fold_supports,
    work_out=work_out_supports,
    state=supports_state,
    findings=supports_findings,
    uses=supports_uses,
    cautions=supports_cautions,
    module=__name__.rpartition(".")[0],
    begins=usual_limits,
    problems=PROBLEMS,
    copies=(
        "point",
        "hangs",
        "limits",
        "leaf",
        "mover",
        "upright",
        "station",
        "corrections",
        "instrument",
        "live-fact",
    ),
)
