"""What there is to say of a top made of panels."""

from __future__ import annotations

import math

import numpy as np

from vivid_keel.core.body.model import Adjusted
from vivid_keel.core.body.standing import answer_findings, mirrored, reading_findings
from vivid_keel.core.bounds import Bounds, longest_of
from vivid_keel.core.cautions import LIFTING, MACHINES, PANELS, Caution
from vivid_keel.core.kinds import Finding, State
from vivid_keel.core.moving.findings import moving_cautions, moving_findings, moving_state, no_target
from vivid_keel.core.moving.plan import FOUND, LEFT
from vivid_keel.core.proof import VERDICT_WORDS
from vivid_keel.core.quantities import show_amount, show_number
from vivid_keel.trades.panels.book import ALONG, SEAM, Place
from vivid_keel.trades.panels.frame import frame_findings
from vivid_keel.trades.panels.result import (
    PanelsResult,
    fitted,
    shown_by,
)

AGAINST = 3.5
"""A reading that is so many u from what all others have is said to contradict them [1]."""
NOTHING = 1e-5
"""What lies within so much lies level, and a step of less than that is none [m]."""
ALIKE = 0.02
"""Readings that contradict the rest to within so much of the same can't be told apart [1]."""


def panels_state(result: PanelsResult) -> State:
    """Return how a top stands: proven in with its seams."""
    state = moving_state(result, "points")
    stepped = [seam.name for seam in result.seams(LEFT) if seam.verdict != "in"]
    if state.verdict == "in" and stepped:
        return State("open", f"all points in · seam {stepped[0]} steps")
    return state


def panels_cautions(result: PanelsResult, stage: str) -> tuple[Caution, ...]:
    """Return the cautions before a panel is moved."""
    given = moving_cautions(result, stage)
    kept = tuple(caution for caution in given if caution not in (LIFTING, MACHINES))
    return (PANELS, *kept) if LIFTING in given else given


def panels_findings(result: PanelsResult, stage: str) -> list[Finding]:
    """Return what there is to say of a top."""
    phase = LEFT if result.body_left is not None else FOUND
    frame = []
    if result.book.frame is not None:
        told = LEFT if result.book.frame.heights(LEFT) is not None else FOUND
        frame = frame_findings(result.book.frame, told)
    out = [
        *no_target(result),
        *_rocking(result),
        *_of_the_top(result, phase),
        *_contradictions(result, phase),
    ]
    out += [
        *result.more(phase)[1],
        *_blame(result, phase),
        *_readings(result, phase),
        *frame,
        *answer_findings(result),
    ]
    return out + moving_findings(result, stage, result.budget(), "a level and a fingernail", [])


def _rocking(result: PanelsResult) -> list[Finding]:
    return [
        Finding(
            "open",
            f"{one.name} rocks",
            "Nothing read on it holds until it stands: drive the wedge under the corner that rises, hand on the far one, until it is quiet; then read it again, along and across.",
            action="read",
            action_label="Go to the readings",
        )
        for one in result.book.rocking
    ]


def _sloping(tilt: float) -> str:
    return f"{show_number(tilt * 1000, 3)} mm/m"


def falls_most(result: PanelsResult, body: Adjusted) -> Bounds:
    """Return between what the fall of the panel that falls most lies [rad]."""
    rows = np.zeros((2 * len(result.book.panels), len(body.heights)))
    for k, one in enumerate(result.book.panels):
        at = result.top.begins[one.id]
        for part, far in ((0, one.long), (1, one.wide)):
            rows[2 * k + part, [at, at + 1 + part]] = -1 / far, 1 / far
    return longest_of((rows @ body.heights).reshape(-1, 2), rows @ body.covariance @ rows.T)


def _of_the_top(result: PanelsResult, phase: str) -> list[Finding]:
    """The fall of the panel that falls most, what it means, and every seam."""
    book, body, style = result.book, result.of(phase), result.book.style
    if body is None:
        return []
    when, out = ("as left" if phase == LEFT else "as found"), []
    allowed = book.facts.values["tilt"]
    falls = [(one, g) for one in book.panels if (g := result.gradient(one, phase)) is not None]
    worst, g = max(falls, key=lambda pair: math.hypot(*pair[1]))
    bounds = falls_most(result, body)
    feet = np.array(result.top.feet)
    h = body.heights[feet]
    high, low = book.points[int(h.argmax())].name, book.points[int(h.argmin())].name
    band = show_amount(float(h.max() - h.min()), style)
    verdict = bounds.verdict(allowed)
    whole = f"Over the whole top {band} from {high} down to {low}: that way a ball rolls, there water stands, and what is set up there stands lower by as much."
    if h.max() - h.min() < NOTHING:
        whole = f"The whole top lies within {show_amount(NOTHING, style, 2)}: nothing rolls on it."
    out.append(
        Finding(
            verdict,
            f"{worst.name} falls most: {_sloping(bounds.value)}",
            f"{bounds.show(_sloping)}, {when}; {show_number(allowed * 1000, 3)} mm/m allowed: {VERDICT_WORDS[verdict]}. {whole}",
        )
    )
    for seam in result.seams(phase):
        k = seam.worst
        end, step, more = (
            ("far" if k else "near"),
            abs(seam.steps[k]),
            seam.right if seam.steps[k] > 0 else seam.left,
        )
        higher = f", {more.name} higher" if step >= NOTHING else ""
        title = f"Seam {seam.name}: {show_amount(step, style)} at the {end} end"
        text = f"± {show_amount(seam.U[k], style, up=True)}, {when}{higher}; {show_amount(result.seam_allowed, style)} is felt for certain: {VERDICT_WORDS[seam.verdict]}."
        if phase == LEFT and seam.verdict == "out":
            text += f" Take the wedge of {more.name} there back by a hair, draw it down, and feel again."
        out.append(Finding(seam.verdict, title, text))
    return out


def _contradictions(result: PanelsResult, phase: str) -> list[Finding]:
    """The reading that contradicts all others most, where one does: left out, the rest agree on something else there."""
    book, read = result.book, result.book.read[phase]
    if result.of(phase) is None or len(read) < 4:
        return []
    whole = result.of(phase)
    off: list[tuple[float, Place]] = []
    for place in read:
        # What leaving it out takes off Σ(v/u)² is the square of its own standardised residual (Baarda's w).
        rest, error = fitted(book, {p: s for p, s in read.items() if p != place})
        if whole is not None and rest is not None and error is None:
            off.append((math.sqrt(max(_misfit(whole) - _misfit(rest), 0.0)), place))
    if not off or max(off)[0] <= AGAINST:
        return []
    worst = max(off)[0]
    alike = [place for by, place in off if by > worst * (1 - ALIKE)]
    cure = (
        "Feel again at both ends" if all(place[0] == SEAM for place in alike) else "Lay the level there again"
    )
    one = "It contradicts" if len(alike) == 1 else "One of these contradicts"
    return [
        Finding(
            "open",
            f"{one} the rest: {' · '.join(result.where(place) for place in alike)}",
            f"{', '.join(read[place].text for place in alike)}: that doesn't go with all that was read round it. {cure}; read with the sign of the panel's high side, not the level's.",
            action="read",
            action_label="Go to the readings",
        )
    ]


def _misfit(body: Adjusted) -> float:
    """Σ(v/u)² [1]."""
    return 0.0 if body.variance_factor is None else body.variance_factor * body.freedom


def _blame(result: PanelsResult, phase: str) -> list[Finding]:
    """At a later visit: whether the frame moved and took the panels along, or a panel moved on its frame."""
    book, now = result.book, result.body
    if not book.before or now is None:
        return []
    was, error = fitted(book, book.before)
    if was is None or error is not None or len(was.heights) != len(now.heights):
        return []
    style = book.style
    moved = []
    for left, right in zip(book.panels, book.panels[1:], strict=False):
        for end in (0, 1):
            place = (SEAM, left.id, end)
            by = shown_by(book, result.top, now, place) - shown_by(book, result.top, was, place)
            if abs(by) > 2 * book.nail:
                moved.append((abs(by), f"{left.name} – {right.name}"))
    feet = np.array(result.top.feet)
    change = (now.heights - was.heights)[feet]
    bent = float((change - change.mean()).max() - (change - change.mean()).min())
    if bent <= 2 * book.limits.tolerance and not moved:
        return [
            Finding(
                "in",
                "Nothing moved since the visit before",
                "Neither frame nor panels, as far as these readings tell.",
            )
        ]
    if moved:
        step, name = max(moved)
        return [
            Finding(
                "open",
                f"A panel moved on the frame: seam {name}",
                f"Its step changed by {show_amount(step, style)} since the visit before: a wedge or screw of one of the two gave way. Tighten, and set it by touch.",
            )
        ]
    return [
        Finding(
            "open",
            "The frame moved, and the panels with it",
            f"By {show_amount(bent, style)} from end to end since the visit before, while every seam stayed as it was: look at its legs, and at what they stand on.",
        )
    ]


def _readings(result: PanelsResult, phase: str) -> list[Finding]:
    read = result.book.read[FOUND]
    pairs = [
        (result.where(place), one.value, turned.value)
        for place, one in read.items()
        if place[0] == ALONG and place[2] == 1 and (turned := read.get((ALONG, place[1], -1))) is not None
    ]
    return [
        *([] if result.book.passes else mirrored(pairs, result.book.u_tilt)),
        *reading_findings(result.of(phase), result.unread),
    ]
