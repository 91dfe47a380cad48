"""The journal: place, strikes, undo and redo, and what it refuses."""

from __future__ import annotations

import pytest

from vivid_keel.core.errors import KeelError
from vivid_keel.core.kinds import check_body, numbered
from vivid_keel.core.record.entries import Draft, Entry
from vivid_keel.core.record.journal import Journal
from vivid_keel.trades.registry import job_kinds


def entry(id, kind="matter", work=2, strikes=None, after=None, act=None, **body):
    if kind == "matter" and not body:
        body = {"text": f"m{id}"}
    return Entry(id, work, kind, body, "2026-11-24T10:00:00+00:00", "Ada", strikes, after, act or id)


@pytest.fixture
def journal():
    made = Journal(
        [entry(1, "job", 0, name="Osier Mill"), entry(2, "work", 2, name="Floor", type="run", unit="m")]
    )
    for id in (3, 4, 5):
        made.add(entry(id))
    return made


def ids(journal, *kinds):
    return [e.id for e in journal.standing(2, *kinds)]


def test_in_order_of_the_book_not_of_time(journal):
    journal.add(entry(6, after=3))
    journal.add(entry(7, after=3))
    journal.add(entry(8, after=2))  # behind the work's own entry: at its head
    assert ids(journal) == [8, 3, 7, 6, 4, 5]
    assert ids(journal, "matter") == ids(journal)
    assert journal.latest(2, "matter").id == 8


def test_kinds_keep_the_order_of_the_book(journal):
    journal.add(entry(6, "settled", after=3, matter=3))
    journal.add(entry(7, "settled", after=5, matter=5))
    journal.add(entry(8, "settled", after=4, matter=4))
    assert ids(journal, "settled") == [6, 8, 7]
    assert ids(journal, "settled", "matter") == [3, 6, 4, 8, 5, 7]


def test_names_follow_the_last_renaming(journal):
    journal.add(entry(6, "rename", name="Mill floor"))
    journal.add(entry(7, "rename", 0, name="Mill"))
    assert journal.name_of(2) == "Mill floor"
    assert journal.name_of(0) == "Mill"
    journal.add(Entry(8, 2, "undo", {"act": 6}, "t", "Ada", None, None, 8))
    assert journal.name_of(2) == "Floor"


def test_struck_twice_stands_only_when_neither_strike_does(journal):
    journal.add(entry(6, "strike", strikes=4))
    journal.add(entry(7, "strike", strikes=4, reason="smudged"))
    assert not journal.stands(4)
    assert journal.reason(4) == "smudged"
    for act, id in ((7, 8), (6, 9)):
        journal.add(Entry(id, 2, "undo", {"act": act}, "t", "Ada", None, None, id))
        assert journal.stands(4) == (id == 9)
    assert journal.struck_by(4) is None


@pytest.mark.parametrize(
    ("wrong", "says"),
    [
        (entry(5), "out of turn"),
        (entry(9, strikes=99), "refers to entry 99"),
        (entry(9, after=99), "refers to entry 99"),
        (entry(9, work=99), "refers to entry 99"),
        (Entry(9, 2, "undo", {"act": 77}, "t", "Ada", None, None, 9), "undoes act 77"),
    ],
)
def test_what_does_not_fit_is_refused(journal, wrong, says):
    before = dict(journal.entries)
    with pytest.raises(KeelError, match=says):
        journal.add(wrong)
    assert journal.entries == before


@pytest.mark.parametrize(
    ("kind", "body", "code"),
    [
        ("leaf", {"leaf": {"text": "3", "unit": "mm", "m": 0.003}, "count": 2}, "wrong-type"),
        (
            "leaf",
            {"leaf": {"text": "3", "unit": "mm", "m": 0.003, "step_m": 0.001}, "count": 2.0},
            "wrong-type",
        ),
        ("point", {"name": "A", "row": "A", "x_m": float("inf"), "y_m": 0}, "wrong-type"),
        ("closing", {"override": 1}, "wrong-type"),
        ("mark", {"name": "A"}, "missing-field"),
        ("matter", {"text": "x", "colour": "red"}, "unknown-field"),
        ("dream", {}, "unknown-kind"),
        ("matter", ["x"], "wrong-type"),
    ],
)
def test_bodies_are_held_to_their_kind(kind, body, code):
    with pytest.raises(KeelError, match=kind) as refused:
        check_body(job_kinds(), kind, body, "/entries/3/body")
    assert refused.value.code == code
    assert refused.value.where.startswith("/entries/3/body")


def test_drafts_of_one_act_may_refer_to_each_other():
    drafts = [
        Draft(0, "work", {"name": "w", "type": "run", "unit": "m"}),
        Draft(-1, "setup", {}),
        Draft(-1, "matter", {"text": "x"}, after=-2),
    ]
    made = numbered(job_kinds(), drafts, 10, 4, "t", "Ada")
    assert [(e.id, e.work, e.after, e.act) for e in made] == [
        (10, 10, None, 4),
        (11, 10, None, 4),
        (12, 10, 11, 4),
    ]
