"""Reference marks carried to columns and walls: star or chain, slabs, what to measure up, cut or make up."""

from vivid_keel.core.works.marks.book import ColumnRow, MarksBook, fold_marks
from vivid_keel.core.works.marks.findings import marks_findings, marks_state
from vivid_keel.core.works.marks.result import MarksResult, work_out_marks

__all__ = ["ColumnRow", "MarksBook", "MarksResult", "fold_marks", "marks_findings", "marks_state", "work_out_marks"]
