"""Reference marks: one carried to columns and walls as a star or a chain; what to measure up, cut or make up."""

from vivid_keel.trades.marks.book import MEASURED, MarksBook, fold_marks
from vivid_keel.trades.marks.entries import KINDS
from vivid_keel.trades.marks.findings import marks_cautions, marks_findings, marks_state, marks_uses
from vivid_keel.trades.marks.problems import carried_marks
from vivid_keel.trades.marks.result import MarksResult, work_out_marks
from vivid_keel.trades.trade import Trade

TRADE: Trade[MarksBook, MarksResult] = Trade(
    key="marks",
    label="Reference marks",
    blurb="one mark carried to columns; what to measure up, cut or make up",
    kinds=KINDS,
    fold=fold_marks,
    work_out=work_out_marks,
    state=marks_state,
    findings=marks_findings,
    uses=marks_uses,
    cautions=marks_cautions,
    problems={"marks": carried_marks},
    module=__name__.rpartition(".")[0],
    copies=("mark", "column", "carrying", "instrument"),
    bare=lambda kind, body: {k: v for k, v in body.items() if k not in {*MEASURED, "visit"}},
)
