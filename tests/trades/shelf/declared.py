"""A shelf on two brackets: the smallest trade there can be, to see what one costs. Only the tests know it."""

from tests.trades.shelf.book import ShelfBook, fold_shelf
from tests.trades.shelf.entries import KINDS
from tests.trades.shelf.result import ShelfResult, shelf_findings, work_out_shelf
from vivid_keel.core.moving.findings import moving_cautions, moving_state
from vivid_keel.trades.trade import Trade

TRADE: Trade[ShelfBook, ShelfResult] = Trade(
    key="shelf",
    label="Shelf",
    blurb="a shelf on two brackets",
    kinds=KINDS,
    fold=fold_shelf,
    work_out=work_out_shelf,
    state=lambda result: moving_state(result, "brackets"),
    findings=shelf_findings,
    cautions=moving_cautions,
    module=__name__.rpartition(".")[0],
)
