"""A top made of panels on a frame, brought to one plane without a step that a finger feels."""

from vivid_keel.trades.panels.book import MANY, PanelsBook, fold_panels
from vivid_keel.trades.panels.entries import KINDS
from vivid_keel.trades.panels.findings import panels_cautions, panels_findings, panels_state
from vivid_keel.trades.panels.result import PanelsResult, work_out_panels
from vivid_keel.trades.trade import Trade

TRADE: Trade[PanelsBook, PanelsResult] = Trade(
    key="panels",
    label="Top of panels",
    blurb="panels on a frame: level, and no step at a seam that a finger feels",
    kinds=KINDS,
    fold=fold_panels,
    work_out=work_out_panels,
    state=panels_state,
    findings=panels_findings,
    cautions=panels_cautions,
    module=__name__.rpartition(".")[0],
    copies=("panel", "body-fact", "limits", "leaf", "mover"),
    point_of=lambda number, of: of(number // MANY) * MANY + number % MANY,
)
