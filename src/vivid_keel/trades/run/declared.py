"""A level run: booked, reduced in both schools, closed and spread."""

from vivid_keel.trades.run.again import read_again
from vivid_keel.trades.run.book import RunBook, fold_run
from vivid_keel.trades.run.bring_in import LevelBook
from vivid_keel.trades.run.entries import KINDS
from vivid_keel.trades.run.findings import run_cautions, run_findings, run_state, run_uses
from vivid_keel.trades.run.follow import grown
from vivid_keel.trades.run.problems import level_book, sight
from vivid_keel.trades.run.register import follow_marks, run_lends, run_needs
from vivid_keel.trades.run.result import RunResult, work_out_run
from vivid_keel.trades.trade import Trade

TRADE: Trade[RunBook, RunResult] = Trade(
    key="run",
    label="Level run",
    blurb="heights carried from a benchmark, booked and closed",
    kinds=KINDS,
    fold=fold_run,
    work_out=work_out_run,
    follow=grown,
    needs=run_needs,
    take=follow_marks,
    lends=run_lends,
    state=run_state,
    findings=run_findings,
    uses=run_uses,
    cautions=run_cautions,
    problems={"level_book": level_book, "sight": sight},
    brings_in=LevelBook(),
    copies=("mark", "instrument", "staff", "closing", "means", "place"),
    plans=read_again,
    module=__name__.rpartition(".")[0],
)
