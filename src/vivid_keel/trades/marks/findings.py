"""What the numbers of carried marks say, worst first."""

from __future__ import annotations

from vivid_keel.core.cautions import Caution, for_instrument
from vivid_keel.core.instruments.used import Use
from vivid_keel.core.kinds import Finding, State
from vivid_keel.core.quantities import is_missing, show_amount, show_length, show_move, show_piece
from vivid_keel.core.working import Working
from vivid_keel.trades.marks.carry import CHAIN
from vivid_keel.trades.marks.result import MarksResult


def marks_state(result: MarksResult) -> State:
    """Return (verdict, words) for the job list."""
    n = len(result.carried)
    if not n:
        return State("todo", "no columns yet")
    taped = len(result.slabs)
    if result.accepted is False:
        what = "chain" if result.book.order == CHAIN else "closing look"
        return State("out", f"{what} out by {show_move(result.misclosure, result.book.style)}")
    if result.book.order == CHAIN and result.accepted is None:
        return State("open", f"{n} carried · chain open")
    if taped == n and result.book.steps_back and result.accepted is None:
        return State("open", f"{n} taped · not closed")
    return State("in" if taped == n else "open", f"{taped} of {n} taped")


def marks_findings(result: MarksResult, stage: str = "") -> list[Finding]:
    """Return what there is to say about carried marks."""
    b, style = result.book, result.book.style
    out: list[Finding] = []
    if b.reference is None:
        return [
            Finding(
                "todo",
                "No reference mark yet",
                "Name the first mark, its height and where that comes from.",
                action="reference",
                action_label="Enter it",
            )
        ]
    if not b.columns:
        out.append(
            Finding(
                "todo",
                "No columns yet",
                "Name the columns the mark is carried to.",
                action="columns",
                action_label="Enter them",
            )
        )
    if b.order == CHAIN and b.columns:
        why = Working(
            "Closing of the chain",
            "w = first mark as found by the last step − its height;  allowed = 2·u·√n",
            f"allowed = 2·{b.style.amount(b.u_step, 2)}·√{len(b.columns) + 1} = {show_amount(result.allowed, b.style)}",
            (f"{len(b.columns)} steps and one back",),
            "Spread evenly over the steps; u at step k of n is u·√(k(n − k)/n).",
        )
        if result.accepted is None:
            out.append(
                Finding(
                    "open",
                    "The chain is open",
                    f"Its last mark is u·√{len(b.columns)} worse than one step. Carry it back to {b.reference.name}.",
                    why,
                    "closing",
                    "Book the closing",
                )
            )
        elif result.accepted:
            out.append(
                Finding(
                    "in",
                    f"Closes to {show_move(result.misclosure, style)}; {show_amount(result.allowed, style)} allowed",
                    "Spread over the steps.",
                    why,
                )
            )
        else:
            out.append(
                Finding(
                    "out",
                    f"Out by {show_move(result.misclosure, style)}; {show_amount(result.allowed, style)} allowed",
                    "Not spread. A basin was moved, or water lost: carry it again from the last mark you trust.",
                    why,
                    "closing",
                    "See it",
                )
            )
    if b.order != CHAIN and b.steps_back:
        out.append(_closing_look(result))
    cuts = [c for c in result.carried if c.cut is not None]
    if cuts:
        high, low = (
            [c for c in cuts if c.sure and (c.cut or 0) > 0],
            [c for c in cuts if c.sure and (c.cut or 0) < 0],
        )
        unsure = len(cuts) - len(high) - len(low)
        text = "; ".join(
            f"{column.name} {show_piece(abs(column.cut or 0), b.style)} {'to cut' if (column.cut or 0) > 0 else 'to make up'}"
            for column in (high + low)[:4]
        )
        out.append(
            Finding(
                "open" if high or low else "in",
                f"{len(high)} to cut, {len(low)} to make up",
                (text or "Every top is within its ±.")
                + (f"; {unsure} within their ±" if unsure and text else ""),
                action="measures",
                action_label="See the sheet",
            )
        )
    if not is_missing(result.unevenness):
        worst = max(result.slabs, key=lambda s: abs(s[1] - result.slab_mean))
        out.append(
            Finding(
                "note",
                f"Slabs differ by {show_amount(result.unevenness, style)}",
                f"Mean {show_length(result.slab_mean, style)}; furthest from it: {worst[0]}.",
            )
        )
    if result.steps:
        star = sum(step.depth == 1 for step in result.steps)
        out.append(
            Finding(
                "note",
                f"{star} of {len(result.steps)} straight from {result.steps[0].start}",
                f"A tube that spans {b.style.distance(b.reach)} {b.style.far}; the others in steps.",
            )
        )
    if result.out_of_reach:
        out.append(
            Finding(
                "open",
                f"Out of reach: {', '.join(result.out_of_reach[:4])}",
                "No mark stands near enough for this tube; a longer one, or a mark between.",
            )
        )
    return out


def _closing_look(result: MarksResult) -> Finding:
    """What the last look at a star's first mark says."""
    b, style = result.book, result.book.style
    assert b.reference is not None
    why = Working(
        "Closing look",
        "w = first mark as it is seen at the end − its height;  allowed = 2·u",
        f"allowed = 2·{b.style.amount(b.u_step, 2)} = {show_amount(result.allowed, b.style)}",
        (),
        "Two looks at one mark, as one carrying is. Nothing is spread: it tells only whether the line stayed.",
    )
    allowed = f"{show_amount(result.allowed, style)} allowed"
    if result.accepted is None:
        return Finding(
            "open",
            f"Look at {b.reference.name} once more before leaving",
            "Only then is it known that the level stood still while the marks were carried.",
            why,
            "closing",
            "Book the closing look",
        )
    if result.accepted:
        return Finding(
            "in",
            f"The line stayed: {b.reference.name} found {show_move(result.misclosure, style)}; {allowed}",
            "Nothing is spread.",
            why,
        )
    return Finding(
        "out",
        f"{b.reference.name} found {show_move(result.misclosure, style)} at the end; {allowed}",
        "The level moved while the marks were carried, and nobody knows when. Set it up again and carry them again; compare each with the mark that is there.",
        why,
        "closing",
        "See it",
    )


def marks_uses(result: MarksResult) -> list[Use]:
    """Return what carried the marks."""
    return [Use(result.book.instrument, len(result.book.columns), "mark")]


def marks_cautions(result: MarksResult, stage: str) -> tuple[Caution, ...]:
    """Return the cautions of what carries the marks."""
    return for_instrument(result.book.instrument.way) if stage in {"Instrument", "Set-up"} else ()
