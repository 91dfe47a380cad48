"""What the numbers say of everything that was brought level and read again: proof, and what stays as it is."""

from __future__ import annotations

import numpy as np

from vivid_keel.core.kinds import Finding
from vivid_keel.core.moving.engine import again_helps, can_go, made_worse
from vivid_keel.core.moving.plan import BOTH
from vivid_keel.core.moving.result import Moved
from vivid_keel.core.proof import NOT_PROVEN, PROVEN_IN, PROVEN_OUT
from vivid_keel.core.quantities import EQUAL, show_amount


def _stop_as_left(result: Moved, unsure: list[str], U: str) -> Finding:
    """Say that what was read as left can't be bettered with this instrument."""
    book = result.book
    return Finding(
        "open",
        "Stop here: this instrument can't tell any better",
        f"{some(unsure)}: too near the limit to tell with U = {U} {book.style.small}, and a further round would as likely harm as "
        "help. A finer scale, a shorter sight, or the mean of several readings would tell.",
        action="instrument",
        action_label="See the instrument",
    )


def proof_findings(result: Moved) -> list[Finding]:
    """Return what there is to say of the points read again: what is out, not proven, still to read, or in."""
    book = result.book
    counts = {v: result.left_verdicts.count(v) for v in (PROVEN_IN, PROVEN_OUT, NOT_PROVEN)}
    out = _worse(result)
    worse = bool(out)
    t = book.tolerance_words
    outs = [book.points[i].name for i, v in enumerate(result.left_verdicts) if v == PROVEN_OUT]
    if outs:
        worst = max(
            (abs(result.deviation_left(i)) for i, v in enumerate(result.left_verdicts) if v == PROVEN_OUT)
        )
        more = " Another round." if again_helps(result) else ""
        out.append(
            Finding(
                "out",
                f"Proven out: {some(outs)}",
                f"Worst {show_amount(worst, book.style)} against {t}.{more}",
            )
        )
    stuck = [
        i
        for i, verdict in enumerate(result.left_verdicts)
        if (
            verdict == PROVEN_OUT
            or (verdict == NOT_PROVEN and abs(result.deviation_left(i)) > float(result.u_left[i]))
        )
        and not can_go(result, i, -result.deviation_left(i))
    ]
    if stuck:
        out.append(_stays_as_it_is(result, stuck))
    unsure = [book.points[i].name for i, v in enumerate(result.left_verdicts) if v == NOT_PROVEN]
    if unsure:
        U = book.style.amount(2 * float(np.nanmax(result.u_left)), up=True)
        if not again_helps(result) and not outs and not result.line_in_doubt and not worse:
            return [*out, _stop_as_left(result, unsure, U)]
        out.append(
            Finding(
                "open",
                f"Not proven: {some(unsure)}",
                f"Too near the limit to tell with U = {U} {book.style.small}. Read again with a finer scale.",
            )
        )
    waiting = result.read - int((~np.isnan(result.left) & ~np.isnan(result.heights)).sum())
    if waiting:
        out.append(
            Finding(
                "todo",
                f"{waiting} still to read as left",
                f"The proof is of every {result.book.thing} that was read.",
            )
        )
    elif counts[PROVEN_IN] == result.read_left:
        whole = result.read_left == result.asked
        title = f"Every {result.book.thing} is proven in" if whole else "All that were read are proven in"
        out.append(Finding("in", title, f"All {result.read_left} within {t} as left."))
    return out


def _worse(result: Moved) -> list[Finding]:
    """Say that the round in hand made it worse, and how it stood before: nothing more is proposed on top of it."""
    was = made_worse(result)
    if was is None:
        return []
    book, style = result.book, result.book.style
    before, now = (show_amount(amount, style) for amount in was)
    back = [
        f"{point.name} {show_amount(-put.put, style, signed=True)}"
        for point in book.points
        if (put := book.booked.get(point.id)) is not None and abs(put.put) > EQUAL
    ]
    return [
        Finding(
            "out",
            f"Stop: this round made it worse, {before} → {now}",
            f"The last good state is the one before this round, {before} at most. To go back to it: {some(back)}. "
            "Look for the cause first: a foot that hangs, one moved the wrong way, a level or a scale that moved.",
            action="round",
            action_label="Another round all the same",
        )
    ]


def _stays_as_it_is(result: Moved, stuck: list[int]) -> Finding:
    """Say which points the means or the limits can't bring nearer, and what would."""
    book = result.book
    high = [i for i in stuck if result.deviation_left(i) > 0]
    worst = show_amount(max(abs(result.deviation_left(i)) for i in stuck), book.style)
    side = "high" if len(high) == len(stuck) else "low" if not high else "off"
    why = (
        f"the limits say {book.limits.ways}"
        if book.limits.ways != BOTH
        else "there is no packing to take out"
        if high
        else "what moves them only takes off"
    )
    cure = (
        "Trim them, or take the target through the highest of them."
        if high
        else "Something else has to raise them."
    )
    return Finding(
        "open",
        f"No round brings {some([book.points[i].name for i in stuck])} nearer",
        f"At most {worst} {side}, and {why}. {cure}",
        action="target",
        action_label="Choose a target",
    )


def some(names: list[str]) -> str:
    """Return the first four names, and how many more there are."""
    return ", ".join(names[:4]) + (f" and {len(names) - 4} more" if len(names) > 4 else "")


def kept_in(result: Moved) -> list[int]:
    """Return the points that are out and stay packed as they are, because the store holds no thinner stack for them."""
    book, moved = result.book, set(result.to_move)
    if not book.stock or result.task.influence is not None:
        return []
    return [
        i
        for i, verdict in enumerate(result.verdicts)
        if verdict == PROVEN_OUT
        and i not in moved
        and book.by_leaves(book.points[i].id)
        and book.points[i].stack > EQUAL
    ]
