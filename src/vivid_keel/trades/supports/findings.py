"""What the numbers of the supports say, beside what is said of everything that is moved."""

from __future__ import annotations

import numpy as np

from vivid_keel.core.cautions import Caution, for_instrument
from vivid_keel.core.instruments.used import Use
from vivid_keel.core.kinds import Finding, State
from vivid_keel.core.moving.findings import moving_cautions, moving_findings, moving_state, no_target
from vivid_keel.core.moving.findings_proof import some
from vivid_keel.core.moving.plan import FOUND, LEFT
from vivid_keel.core.moving.scale import AGREES, CONTRADICTS, UNSURE, sense_by_eye
from vivid_keel.core.moving.stations import CRITICAL
from vivid_keel.core.proof import NOT_PROVEN, PROVEN_OUT
from vivid_keel.core.quantities import is_missing, show_amount, show_number
from vivid_keel.trades.supports.line import distances, u_reading
from vivid_keel.trades.supports.plumb import name_of, verdict_of
from vivid_keel.trades.supports.result import SupportsResult


def supports_state(result: SupportsResult) -> State:
    """Return how the supports stand."""
    return moving_state(result, "supports")


def supports_findings(result: SupportsResult, stage: str) -> list[Finding]:
    """Return what there is to say about the supports at a stage."""
    book = result.book
    out = no_target(result)
    missing = [point.name for point in book.points if point.found is None and not point.aside]
    aside = [point.name for point in book.points if point.aside]
    if result.read and missing:
        out.append(
            Finding(
                "open",
                f"{len(missing)} not read: {some(missing)}",
                "Left out of target and moves; shown hollow.",
                action="readings",
                action_label="Read them",
            )
        )
    if aside:
        out.append(
            Finding("note", f"Set aside: {some(aside)}", "Not read and not judged; a reading takes it back.")
        )
    out += _stations(result, stage)
    out += _eye(result)
    i = book.instrument
    read_with = f"{i.name}: {i.label}" if i is not None else ""
    out += moving_findings(result, stage, result.budget(), read_with, _line(result))
    out += _collimation(result)
    out += _plumb(result) if stage in {"Heights", "Proof"} else []
    struck = sum(len(point.struck) for point in book.points)
    if struck:
        said = f"{struck} reading{'s' if struck > 1 else ''} struck"
        out.append(Finding("note", said, "Kept and legible; no height uses it."))
    return out


def _stations(result: SupportsResult, stage: str) -> list[Finding]:
    """What ties the stations that the posts were read from, and what checks that."""
    book = result.book
    ties = book.ties.get(LEFT if stage == "Proof" and LEFT in book.ties else FOUND)
    if ties is None:
        return []
    others = list(dict.fromkeys(one.station for one in ties.seen))
    names = {str(point.id): point.name for point in book.points} | {"0": book.reference_name}

    def said(verdict: str, title: str, text: str) -> list[Finding]:
        return [Finding(verdict, title, text, action="stations", action_label="Go to the stations")]

    if ties.tied is None:
        return said(
            "out",
            f"Nothing ties station {some(others)} to the first",
            f"{ties.trouble[:1].upper()}{ties.trouble[1:]}. Read {book.reference_name}, or a post, from both stations.",
        )
    tied, u = ties.tied, u_reading(book)
    worst = np.nan_to_num(tied.standardised) / u
    if worst.max(initial=0.0) > CRITICAL:
        odd = np.flatnonzero(worst >= worst.max() - 1e-6).tolist()
        at = [f"{names[ties.readings[k].post]} from {ties.readings[k].station}" for k in odd]
        off = show_amount(float(np.abs(tied.residuals).max()), book.style)
        several = len(odd) > 1
        return said(
            "open",
            f"The stations disagree: {some(at)}",
            f"Readings differ by up to {off} from where all of them together put the lines"
            + ("; which of these is wrong can't be told from these readings." if several else ".")
            + f" Read {'them' if several else 'it'} again.",
        )
    if tied.unchecked:
        alone = some([names[post] for post in tied.unchecked])
        return said(
            "open",
            f"The tie by {alone} has no check",
            "One post, or the mark, ties the stations alone: a mistake there shifts all that is read from one of them. Read a second one "
            "from both, at sights as long from either.",
        )
    fits = (
        "" if is_missing(tied.variance_factor) else f" Ratio {show_number(tied.variance_factor**0.5 / u, 1)}."
    )
    n = len(tied.stations)
    return [Finding("note", f"{n} stations tied and checked", f"Their readings fit what one is worth.{fits}")]


def _collimation(result: SupportsResult) -> list[Finding]:
    """What is known of the line's own slope, and whether it is taken out."""
    book, i = result.book, result.book.instrument
    if i is None or i.collimation is None or not result.read:
        return []
    if book.station is None:
        return [
            Finding(
                "note",
                "The line's own slope is known, its station isn't",
                "Say where the instrument stands, under Heights, Corrections; then it can be taken out.",
                action="corrections",
                action_label="Go to it",
            )
        ]
    worst = float(np.nanmax(np.abs(i.collimation * distances(book))))
    said = "taken out" if book.use_collimation else "left in"
    return [
        Finding(
            "note" if book.use_collimation else "open",
            f"Collimation {said}: up to {show_amount(worst, book.style, 2)}",
            "Readings stay as read; each post's part is under Heights, Corrections.",
            action="corrections",
            action_label="Go to it",
        )
    ]


def _plumb(result: SupportsResult) -> list[Finding]:
    """What leans, and by how much the worst of it."""
    book = result.book
    if not book.leans:
        return []
    judged = [(verdict_of(book, one.lean), one) for one in book.leans]
    worst = max(judged, key=lambda pair: abs(pair[1].lean.tilt))[1]
    name = name_of(book, worst.point)
    n = len({one.point for verdict, one in judged if verdict == PROVEN_OUT})
    unsure = len({one.point for verdict, one in judged if verdict == NOT_PROVEN})
    within = f"1 in {1 / book.upright.within:.0f}"
    off = show_amount(abs(worst.lean.off), book.style)
    if n:
        verdict, title = "out", f"{n} out of plumb, most {name} by {off}"
    elif unsure:
        verdict, title = "open", f"{unsure} may lean more than {within}"
    else:
        verdict, title = "in", f"{len({one.point for one in book.leans})} plumb within {within}"
    text = (
        "Turned round, a level tells its own error from the lean; a longer one, or a bob, tells finer."
        if unsure
        else ""
    )
    return [Finding(verdict, title, text, action="plumb", action_label="See plumb" if n or unsure else "")]


def _line(result: SupportsResult) -> list[Finding]:
    """How the as-left line hangs together with the as-found one."""
    book, out = result.book, list[Finding]()
    if result.line_in_doubt:
        far = f"{show_amount(result.line_in_doubt, book.style, signed=True)}"
        marked = FOUND in book.reference
        out.append(
            Finding(
                "out",
                f"Read the watch mark again: all went {far}"
                if marked
                else f"All went {far}: the line, or the work?",
                "Posts that nobody touched went as far as those that were packed. Either the line has moved or the whole work "
                + (
                    f"has; {book.reference_name}, read again, tells which. Nothing more is offered until then."
                    if marked
                    else "has, and no watch mark ties the two. Read everything again from one stand, a mark off the structure too."
                ),
                action="watch",
                action_label="Read it" if marked else "Go to the readings",
            )
        )
    elif {FOUND, LEFT} <= book.reference.keys():
        out.append(
            Finding(
                "note",
                f"Line tied by {book.reference_name}: {show_amount(result.line_shift, book.style, signed=True)}",
                "The as-left line against the as-found one; taken out of every as-left reading.",
            )
        )
    elif result.read_left:
        out.append(
            Finding(
                "note",
                "Taken as read on the same line",
                "No watch mark ties the two sets of readings. Had the instrument moved, they would all be out alike.",
            )
        )
    return out


def supports_uses(result: SupportsResult) -> list[Use]:
    """Return the instruments that read the supports, each with its readings."""
    book = result.book
    reads = [r for point in book.points for r in (point.found, point.left) if r is not None]
    last = len(book.instruments) - 1
    return [
        Use(i, sum(reading.instrument == k for reading in reads), "reading", k == last)
        for k, i in enumerate(book.instruments)
    ]


def supports_cautions(result: SupportsResult, stage: str) -> tuple[Caution, ...]:
    """Return the cautions of what is read with, and before anything is lifted."""
    if stage in {"Instrument", "Set-up"} and result.book.instrument is not None:
        return for_instrument(result.book.instrument.way)
    return moving_cautions(result, stage)


def eye_check(result: SupportsResult) -> str:
    """Return what the readings say about the post that looks high (see `sense_by_eye`); "" where nobody was asked."""
    i = next((k for k, point in enumerate(result.book.points) if point.id == result.book.by_eye), -1)
    if i < 0 or np.isnan(result.heights[i]):
        return ""
    return sense_by_eye(result.heights, i, 2 * 2**0.5 * u_reading(result.book))


def _eye(result: SupportsResult) -> list[Finding]:
    book = result.book
    if result.read < 3 or result.read_left or book.passes or len(book.occasions) > 1:
        return []
    said = eye_check(result)
    name = next((point.name for point in book.points if point.id == book.by_eye), "")
    if said == CONTRADICTS:
        return [
            Finding(
                "out",
                f"{name} looks high and reads low",
                "The sense of the scale is likely turned round: hangs, a larger reading is higher; stands, lower. "
                "Every move would go the wrong way.",
                action="turn-sense",
                action_label="Turn the sense round",
            )
        ]
    if said == UNSURE:
        return [
            Finding(
                "note",
                f"{name} is neither high nor low",
                "It can't confirm the sense of the scale; name one that looks high for certain.",
                action="eye",
                action_label="Name another",
            )
        ]
    if said == AGREES:
        return []
    return [
        Finding(
            "todo",
            "Which post looks high?",
            "Name one by eye: it tells at once if the sense of the scale is turned round.",
            action="eye",
            action_label="Name it",
        )
    ]
