"""What heights over the years say: which benchmarks stood, what moved for certain, what will be out."""

from __future__ import annotations

from vivid_keel.core.kinds import Finding, State
from vivid_keel.core.quantities import is_missing, show_amount, show_number
from vivid_keel.core.record.stood import ONCE, Movement
from vivid_keel.core.record.visits import CROSSES, HORIZON
from vivid_keel.core.working import Working
from vivid_keel.trades.years.book import ASIDE
from vivid_keel.trades.years.result import ANOTHER, MOVED, STOOD, MarkOver, YearsResult

SHOWN = 3
"""Marks told of one by one."""


def years_state(result: YearsResult) -> State:
    """Return how it stands, for the list of works."""
    if len(result.occasions) < 2:
        return State("todo", "one occasion only" if result.occasions else "nothing levelled yet")
    if not result.marks:
        return State("todo", "no mark in common")
    moved = sum(one.verdict == MOVED for one in result.marks if not one.benchmark)
    words = f"{len(result.occasions)} occasions · {moved or 'no'} mark{'' if moved == 1 else 's'} moved"
    if result.frame.moved:
        return State("out", f"{words} · a benchmark too")
    if not result.tied or result.frame.freedom <= 0:
        return State("open", words)
    return State("out" if _leaving(result) else "in", words)


def years_findings(result: YearsResult, stage: str = "") -> list[Finding]:
    """Return what the numbers say, whatever the rest hangs on first."""
    if len(result.occasions) < 2:
        return [
            Finding(
                "todo",
                "Another year is wanted",
                "Bring in the job file of an earlier year (Ctrl+I), or level again: “Copy for a new visit” in the menu makes a run's list of marks anew.",
            )
        ]
    if not result.marks:
        return [
            Finding(
                "todo",
                "The occasions have no mark in common",
                "A mark is the same where its name is the same, to the letter. Rename it in one of them, under Readings there.",
            )
        ]
    return [
        *_occasions(result),
        *_datum(result),
        *_strangers(result),
        *_marks(result),
        *_leaving(result),
    ]


def _went(by: float, result: YearsResult) -> str:
    return f"{'up' if by > 0 else 'down'} {show_amount(abs(by), result.book.style)}"


def _datum(result: YearsResult) -> list[Finding]:
    frame, style = result.frame, result.book.style
    if not result.tied:
        return [
            Finding(
                "open",
                "No benchmark ties the years",
                "Only how the marks moved against one another is told, over the mean of all. Say under Set-up which of them stands on something that doesn't move.",
                action="roles",
                action_label="Say which",
            )
        ]
    out = [_movement(one, result) for one in frame.moved]
    if frame.undecided:
        return out
    count = len(frame.stood)
    names = ", ".join(frame.stood[:4]) + (" …" if count > 4 else "")
    if frame.freedom <= 0:
        return [
            *out,
            Finding(
                "open",
                f"Nothing checks {names or 'the benchmark'}",
                "One benchmark alone carries all heights: had it sunk, all else would seem to have risen. Read two more of them each time.",
            ),
        ]
    shows = [f"{name} {show_amount(by, style)}" for name, by in frame.smallest.items() if by < 10][:4]
    told = (
        f"A movement would have been told from so much on: {', '.join(shows)}."
        if shows
        else "With two of them it could be told that one moved, not which."
    )
    working = Working(
        "Benchmarks that stood",
        "Σ(v/σ)² over all their readings, each occasion shifted as a whole;  a movement is named from |Δ|/σ = 3.29 on, "
        "where any other's explains less by 4",
        f"Σ(v/σ)² = {show_number(frame.sum_squares, 1)} with {frame.freedom} to spare",
        tuple(frame.stood),
        "Told nine times in ten: 4.57 σ, or more where another's movement would look much alike.",
    )
    stood = Finding(
        "in",
        f"{count} benchmark{'s' if count > 1 else ''} stood",
        f"{names}: they agree on every occasion. {told}",
        working,
    )
    return [*out, stood]


def _movement(one: Movement, result: YearsResult) -> Finding:
    style, name = result.book.style, result.occasions[one.occasion].name
    size = f"{_went(one.by, result)} ± {show_amount(2 * one.u, style, up=True)}"
    if one.rivals:
        others = " or ".join([one.name, *one.rivals])
        return Finding(
            "out",
            f"{others} moved: which can't be told",
            f"Since {name} they lie otherwise against one another, by {show_amount(abs(one.by), style)}. Both are kept; every change since then is in doubt by a share of that, which stands in its U. "
            "Read a third benchmark, or one of them from a mark outside.",
            action="benchmarks",
            action_label="See them",
        )
    if one.how == ONCE:
        return Finding(
            "open",
            f"{one.name} was read otherwise in {name}",
            f"{size}, and before and after that as it was: rather a slip or a stone under the staff than a movement. That reading carries no datum.",
            action="benchmarks",
            action_label="See it",
        )
    how, once = result.when(one), result.once(one)
    return Finding(
        "out",
        f"{one.name} moved{', or was misread' if once else ''}: {size}",
        f"{how[:1].upper()}{how[1:]}, against the other benchmarks. {'One reading alone tells it: read it again. ' if once else ''}It carries the datum no more; {'if it moved, ' if once else ''}what was reduced from it since then is wrong by as much.",
        action="benchmarks",
        action_label="See it",
    )


def _strangers(result: YearsResult) -> list[Finding]:
    """Marks of one name that can hardly be the same mark."""
    return [
        Finding(
            "out",
            f"Is “{one.name}” another mark?",
            f"It lies {show_amount(abs(one.since_first[0]), result.book.style, 0)} elsewhere than when it was first read. Say under Set-up that it is another mark, and it is left out.",
            action=f"mark:{one.name}",
            action_label="Say what it is",
        )
        for one in result.marks
        if abs(one.since_first[0]) > ANOTHER
    ]


def _watched(result: YearsResult) -> list[MarkOver]:
    return [one for one in result.marks if not one.benchmark and abs(one.since_first[0]) <= ANOTHER]


def _marks(result: YearsResult) -> list[Finding]:
    style, watched = result.book.style, _watched(result)
    moved = sorted((one for one in watched if one.verdict == MOVED), key=lambda one: -abs(one.since_first[0]))
    out = []
    for one in moved[:SHOWN]:
        change, U = one.since_first
        rate = one.drift
        speed = (
            ""
            if is_missing(rate.rate)
            else f" That is {show_amount(rate.rate, style, signed=True)} ± {style.amount(rate.U_rate)} a year."
        )
        first = result.occasions[int(one.series.occasions[0])].name
        out.append(
            Finding(
                "note",
                f"{one.name} went {_went(change, result)}",
                f"± {show_amount(U, style, up=True)} since {first}.{speed}",
                result.why(one),
                f"over:{one.name}",
                "See it",
            )
        )
    if len(moved) > SHOWN:
        out.append(
            Finding(
                "note",
                f"{len(moved) - SHOWN} more moved",
                ", ".join(one.name for one in moved[SHOWN : SHOWN + 8]),
            )
        )
    rest = [one for one in watched if one.verdict not in {MOVED, STOOD}]
    if rest:
        U = max(one.since_first[1] for one in rest)
        out.append(
            Finding(
                "note",
                f"{len(rest)} not proven either way",
                f"They changed by less than ± {show_amount(U, style, up=True)}, which these readings can't tell from nothing. That isn't proof that they stood.",
            )
        )
    stood = [one for one in watched if one.verdict == STOOD]
    if stood:
        out.append(
            Finding(
                "in",
                f"{len(stood)} within what is allowed",
                f"Change and U together: {', '.join(one.name for one in stood[:6])}{' …' if len(stood) > 6 else ''}.",
            )
        )
    return out


def _leaving(result: YearsResult) -> list[Finding]:
    """Marks that are out of what is allowed, or will be."""
    allowed, style = result.book.facts.values["allowed"], result.book.style
    out = []
    for one in _watched(result):
        if one.drift.crosses != CROSSES:
            continue
        if one.drift.latest <= 0:
            proven = result.out_already(one)
            title = f"{one.name} {'is' if proven else 'may be'} out of its {show_amount(allowed, style, 0)}"
            told = f"It went {_went(one.since_first[0], result)} ± {show_amount(one.since_first[1], style)} since it was first read."
            out.append(Finding("out" if proven else "open", title, told, result.why(one)))
        else:
            title = f"{one.name} will be out in {show_number(one.drift.earliest, 1)} to {show_number(one.drift.latest, 1)} years"
            told = f"At the rate so far it leaves its {show_amount(allowed, style, 0)} then; a rate need not stay. Not looked farther ahead than {HORIZON:g} years."
            out.append(Finding("open", title, told, result.why(one)))
    return out


def _occasions(result: YearsResult) -> list[Finding]:
    out = []
    for one in result.occasions:
        if not one.fits:
            out.append(
                Finding(
                    "open",
                    f"{one.name} doesn't fit together",
                    f"What is read more than once there differs {show_number(one.factor, 1)} times as much as its readings promise; its U is taken so much larger. Look for the slip in that run first.",
                    action="occasions",
                    action_label="See them",
                )
            )
        wide = [levelling.name for levelling in one.levellings if not levelling.closed]
        if wide and one.fits:
            out.append(
                Finding(
                    "open",
                    f"{', '.join(wide)} doesn't close",
                    "It is open or over its limit: nothing checks what was read there.",
                    action="occasions",
                    action_label="See them",
                )
            )
    if result.loose:
        out.append(
            Finding(
                "open",
                f"{', '.join(result.loose)} hangs on nothing",
                "No benchmark of the other occasions was read there, so it can't be laid beside them; it is left out.",
            )
        )
    left = sum(result.book.roles.get(mark) != ASIDE for mark in result.common) - len(result.names)
    if left > 0:
        out.append(
            Finding(
                "note",
                f"{left} marks more",
                "So many are laid side by side at the most; benchmarks come first.",
            )
        )
    return out
