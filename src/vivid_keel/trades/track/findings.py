"""What there is to say of a stretch of track."""

from __future__ import annotations

import numpy as np

from vivid_keel.core.cautions import TRACK, Caution
from vivid_keel.core.kinds import Finding, State
from vivid_keel.core.moving.plan import FOUND, LEFT
from vivid_keel.core.proof import NOT_PROVEN, PROVEN_IN, PROVEN_OUT
from vivid_keel.core.quantities import is_missing, show_amount, show_number
from vivid_keel.trades.track.book import CROSS, ROUND
from vivid_keel.trades.track.lifts import in_words
from vivid_keel.trades.track.result import OFF, TrackResult

ENOUGH = 0.5
"""What is left after traffic may be so much [measures]."""
HIGH = 0.5
"""A sleeper that stands more above the line is said [measures]."""


def track_state(result: TrackResult) -> State:
    """Return how a stretch stands."""
    book = result.book
    if not book.dips(FOUND):
        return State("todo", f"none of {book.sleepers} sighted")
    if result.to_sight:
        return State("todo", f"{len(book.sighted) - len(result.to_sight)} of {len(book.sighted)} sighted")
    left = book.dips(LEFT)
    if left:
        most = max(left.values())
        if result.outstanding:
            return State("open", f"{in_words(result.outstanding)} cans of round 2 to go")
        done = most <= ENOUGH and not result.to_sight_again
        return State("in" if done else "open", f"{in_words(most)} left after traffic")
    return State("open", f"{in_words(result.total)} cans")


def track_cautions(result: TrackResult, stage: str) -> tuple[Caution, ...]:
    """Return the cautions before anybody steps on the track; nothing is offered before."""
    return (TRACK,) if stage in {"Readings", "Moves", "Proof"} else ()


def track_findings(result: TrackResult, stage: str) -> list[Finding]:
    """Return what there is to say."""
    book, out = result.book, list[Finding]()
    if book.facts.texts["ballast"] == ROUND:
        out.append(
            Finding(
                "out",
                "Not in round gravel or sand",
                "Chips roll out of it again, and sand lets them sink. Tamp it, or dig it out and lay broken stone; this sheet packs nothing there.",
                action="facts",
                action_label="Change the ballast",
            )
        )
    if book.facts.texts["tight"] != "yes":
        out.append(
            Finding(
                "open",
                "Fastenings first",
                "A loose chair or dog shows as a void that no chip cures. Walk over every one, tighten, and say so.",
                action="facts",
                action_label="Say so",
            )
        )
    if book.beyond:
        out.append(
            Finding(
                "open",
                f"No sleeper {book.beyond[0]} here",
                f"Something was read at sleeper {', '.join(map(str, book.beyond[:6]))}; this stretch has {book.sleepers}. Misnumbered, or is the stretch longer?",
                action="facts",
                action_label="Change the number",
            )
        )
    if not book.dips(FOUND):
        return out
    high = {k: -below for k, below in book.below_line(FOUND).items() if below < -HIGH}
    if high:
        k = max(high, key=lambda at: high[at])
        words = show_amount(high[k] * book.facts.values["measure"], book.style, 1)
        out.append(
            Finding(
                "open",
                f"Sleeper {k + 1} stands {words} above the line",
                "A sleeper is lifted, never lowered: a high one ends the stretch. Measure from it, and the other part by itself.",
                action="read",
                action_label="Go to the sleepers",
            )
        )
    return out + _cans(result) + _levels(result) + _still(result) + _learned(result)


def _cans(result: TrackResult) -> list[Finding]:
    left, right = result.cans
    deep = max(float(left.max()), float(right.max()))
    rail, k = ("left", int(left.argmax())) if left.max() >= right.max() else ("right", int(right.argmax()))
    out = [
        Finding(
            "note",
            f"{in_words(result.total)} cans of chips",
            f"{in_words(float(left.sum()))} under the left rail, {in_words(float(right.sum()))} under the right; the most {in_words(deep)}, sleeper {k + 1} {rail}. The sights are along the {'right' if result.datum_right else 'left'} rail.",
            result.why(k),
        )
    ]
    hollow = int(((result.voids[0] > 0) | (result.voids[1] > 0)).sum())
    if hollow:
        out.append(
            Finding(
                "note",
                f"{hollow} sleeper{'s hang' if hollow > 1 else ' hangs'}",
                "They show level till a wheel stands on them; their hollow goes in with the rest.",
            )
        )
    if result.outstanding:
        out.append(
            Finding(
                "out",
                f"Round 2 is still to go in: {in_words(result.outstanding)} cans",
                "Traffic has passed over the first round. Put the rest in, let traffic pass, and sight it again.",
                action="packed",
                action_label="Round 2 is in",
            )
        )
    elif len(result.rounds) > 1:
        again = int(((result.rounds[1][0] > 0) | (result.rounds[1][1] > 0)).sum())
        out.append(
            Finding(
                "open",
                "Two rounds, with traffic between",
                f"{again} sleeper{'s are' if again > 1 else ' is'} lifted by more than {in_words(result.book.facts.values['split'])} measures: half first, then a passage, then the rest.",
            )
        )
    return out


def _levels(result: TrackResult) -> list[Finding]:
    book = result.book
    if not book.of("found", CROSS):
        return [
            Finding(
                "open",
                "No cross level yet",
                "The other rail goes as the sighted one does until its cross level is read.",
                action="read",
                action_label="Go to the sleepers",
            )
        ]
    if unread := result.no_cross_level:
        n = len(book.sighted)
        return [
            Finding(
                "open",
                f"Cross level read at {n - len(unread)} of {n} sleepers",
                f"Between them it is taken as straight, beyond them as it was read last. Read sleeper {unread[0]} next.",
                action="read",
                action_label="Go to the sleepers",
            )
        ]
    at = [k for k, verdict in enumerate(result.levels) if verdict]
    off, U = result.predicted - result.wanted, 2 * result.u_predicted
    k = max(at, key=lambda k: abs(float(off[k])))
    most, allowed = show_amount(float(np.nanmax(U)), book.style, up=True), show_amount(OFF, book.style)
    words, known = (
        show_amount(float(off[k]), book.style, signed=True),
        f"± {show_amount(float(U[k]), book.style, up=True)}",
    )
    out = [k for k in at if result.levels[k] == PROVEN_OUT]
    if not out and all(result.levels[k] == PROVEN_IN for k in at):
        return [
            Finding(
                PROVEN_IN,
                "The cross level comes right",
                f"Within {show_amount(abs(float(off[k])), book.style)} wherever it was read, at rest and packed, with U of {most} at most; {allowed} allowed.",
            )
        ]
    cure = "The other rail can't be lowered by chips: lift the sighted rail more there, or take out what lies under the other one."
    if not out:
        unsure = ", ".join(str(k + 1) for k in at if result.levels[k] == NOT_PROVEN)
        return [
            Finding(
                NOT_PROVEN,
                f"Cross level not proven at sleeper {unsure}",
                f"{words} {known} at sleeper {k + 1}, {allowed} allowed: too near the limit to tell before it is packed. Read it again after traffic. {cure}",
            )
        ]
    return [
        Finding(
            PROVEN_OUT, f"Cross level {words} off at sleeper {k + 1}", f"{known}, {allowed} allowed. {cure}"
        )
    ]


def _still(result: TrackResult) -> list[Finding]:
    """What is left after traffic."""
    left = result.book.dips(LEFT)
    if not left:
        return []
    k = max(left, key=lambda at: left[at])
    if result.outstanding:
        return []
    if left[k] <= ENOUGH:
        return [
            Finding(
                "in", "Within half a measure of the aimed line", "After traffic, wherever it was sighted."
            )
        ]
    return [
        Finding(
            "open",
            f"{in_words(left[k])} measures are left at sleeper {k + 1}",
            "Another round: what was sighted after traffic is how it lies now; hollows and cross level are read anew.",
            action="round",
            action_label="Begin another round",
        )
    ]


def _learned(result: TrackResult) -> list[Finding]:
    share, u = result.learned
    if is_missing(share):
        if result.book.dips(LEFT):
            return [
                Finding(
                    "open",
                    "Too few to learn from",
                    "Sight two sleepers again at least that chips were put under.",
                )
            ]
        return []
    measure = result.book.facts.values["measure"] * 1000
    return [
        Finding(
            "note",
            f"One measure gave {show_number(share, 2)} of one",
            f"± {show_number(2 * u, 2)}: {show_number(share * measure, 1)} mm where {show_number(measure, 1)} was reckoned with. Chips bed in: reckon with that from now on.",
            action="learn",
            action_label="Reckon with it",
        )
    ]
