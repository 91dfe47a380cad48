"""An axis of rotation on feet, brought to gravity by a level that stays on the turning part."""

from vivid_keel.trades.axis.book import AxisBook, fold_axis, usual_limits
from vivid_keel.trades.axis.entries import KINDS
from vivid_keel.trades.axis.problems import PROBLEMS
from vivid_keel.trades.axis.result import AxisResult, axis_cautions, axis_findings, axis_state, work_out_axis
from vivid_keel.trades.trade import Trade

TRADE: Trade[AxisBook, AxisResult] = Trade(
    key="axis",
    label="Axis",
    blurb="a turning part brought to gravity: one number for every foot and direction",
    kinds=KINDS,
    fold=fold_axis,
    work_out=work_out_axis,
    state=axis_state,
    findings=axis_findings,
    cautions=axis_cautions,
    module=__name__.rpartition(".")[0],
    problems=PROBLEMS,
    begins=usual_limits,
    copies=("foot", "body-fact", "limits", "leaf", "mover"),
)
