"""A table, slab or machine on feet, read by a level laid between them."""

from vivid_keel.core.moving.findings import moving_state
from vivid_keel.trades.slab.book import SlabBook, fold_slab, usual_limits
from vivid_keel.trades.slab.entries import KINDS
from vivid_keel.trades.slab.problems import PROBLEMS
from vivid_keel.trades.slab.result import SlabResult, slab_cautions, slab_findings, work_out_slab
from vivid_keel.trades.trade import Trade

TRADE: Trade[SlabBook, SlabResult] = Trade(
    key="slab",
    label="Table or machine",
    blurb="a table, slab or machine on feet, read by a level laid between them",
    kinds=KINDS,
    fold=fold_slab,
    work_out=work_out_slab,
    state=lambda result: moving_state(result, "feet"),
    findings=slab_findings,
    cautions=slab_cautions,
    module=__name__.rpartition(".")[0],
    problems=PROBLEMS,
    begins=usual_limits,
    copies=("foot", "body-fact", "limits", "leaf", "mover"),
)
