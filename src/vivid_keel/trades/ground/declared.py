"""A piece of ground: its points, the surface through them, and a plane of water or of earth against it."""

from vivid_keel.trades.ground.book import FACTS, GroundBook, fold_ground, ground_needs, take_heights
from vivid_keel.trades.ground.entries import KINDS
from vivid_keel.trades.ground.findings import ground_cautions, ground_findings, ground_state
from vivid_keel.trades.ground.result import GroundResult, work_out_ground
from vivid_keel.trades.trade import Trade

TRADE: Trade[GroundBook, GroundResult] = Trade(
    key="groundwork",
    label="Ground",
    blurb="a yard or a pond: how deep at the low corner, boards, litres, cut and fill",
    kinds=KINDS,
    fold=fold_ground,
    work_out=work_out_ground,
    state=ground_state,
    findings=ground_findings,
    cautions=ground_cautions,
    needs=ground_needs,
    take=take_heights,
    module=__name__.rpartition(".")[0],
    facts=FACTS,
    copies=("ground-fact", "ground-point", "ground-line", "ground-side"),
    bare=lambda kind, body: {k: v for k, v in body.items() if k not in {"reading", "tie"}},
    by_time=("ground-look",),
)
