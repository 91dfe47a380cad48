"""A bed on pairs of feet: twist, profile, which foot is turned, which way, until the bubble stands where."""

from vivid_keel.core.moving.findings import moving_state
from vivid_keel.trades.bed.book import BedBook, fold_bed, usual_limits
from vivid_keel.trades.bed.entries import KINDS
from vivid_keel.trades.bed.findings import bed_cautions, bed_findings
from vivid_keel.trades.bed.problems import PROBLEMS
from vivid_keel.trades.bed.result import BedResult, work_out_bed
from vivid_keel.trades.trade import Trade

TRADE: Trade[BedBook, BedResult] = Trade(
    key="bed",
    label="Bed",
    blurb="a long bed on pairs of feet: its twist by level, plumb frame or test bar",
    kinds=KINDS,
    fold=fold_bed,
    work_out=work_out_bed,
    state=lambda result: moving_state(result, "feet"),
    findings=bed_findings,
    cautions=bed_cautions,
    module=__name__.rpartition(".")[0],
    problems=PROBLEMS,
    begins=usual_limits,
    copies=("bed-station", "body-fact", "limits", "leaf", "mover"),
    point_of=lambda number, of: of(number) if number > 0 else -of(-number),
)
