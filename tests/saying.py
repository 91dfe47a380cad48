"""What is said of a work, as its desk would say it, without one."""

from __future__ import annotations

from vivid_keel.core.instruments.used import use_findings
from vivid_keel.core.kinds import worst_first
from vivid_keel.core.record.lending import Works
from vivid_keel.core.record.matters import matter_findings
from vivid_keel.trades.registry import trade


def what_is_said(key, result, stage="", job=None, **more):
    """Return all findings of a result of a trade; `job` (a journal) adds its open matters."""
    one = trade(key)
    own = one.findings(result, stage, **more)
    matters = matter_findings(job, result.book.work) if job is not None else []
    return worst_first([*own, *use_findings(one.uses(result)), *matters])


def works(journal):
    """Return the works of a journal, worked out together."""
    return Works(journal, trade)


def added(desk, kind):
    """Add an instrument of a kind to a kit; return its work."""
    desk.record(desk.adding(kind))
    return desk.file.journal.works()[-1].id


def booked(desk, taken, sheet=None):
    """Record what was made of something typed, as its window would; return where that leads, on the sheet as it stands then."""
    desk.enter_in_record(taken)
    desk.changed()
    now = (
        s
        for stage in desk.stage_names
        for s in desk.sheets(stage)
        if type(s) is type(sheet) and s.name == sheet.name
    )
    return taken.where(next(now, sheet))


def take(sheet, row, column, text):
    """Type a text into a cell and Enter; return where that leads."""
    return booked(sheet.desk, sheet.accept(row, column, text), sheet)


def press_enter(sheet, row):
    """Press Enter on a row that isn't edited; return where that leads."""
    taken = sheet.enter(row)
    return booked(sheet.desk, taken, sheet) if taken.drafts or taken.place is not None else None


def tries_every_foot(desk):
    """Before a body on more feet than three is read every foot is tried: one key says that all take load, once."""
    step = desk.next("Readings")
    assert (step.title, step.key) == ("Next: try every foot", "take")
    desk.go("take")
    assert [e.kind for e in desk.file.journal.standing(desk.work, "feet-take")] == ["feet-take"]
    desk.go("take")
    assert len(desk.file.journal.standing(desk.work, "feet-take")) == 1
