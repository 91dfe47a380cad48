"""What is asked of an instrument that sends its numbers while something is moved.

Source: a number is taken once it stands (`core/instruments/settling`); by itself only once it ran in between, so that one place's
number is never taken for the next one's.
"""

from __future__ import annotations

from collections.abc import Sequence

from vivid_keel.core.facts import Fact, Stated, with_stated
from vivid_keel.core.kinds import EntryKind, Kinds
from vivid_keel.core.record.journal import Journal

BY_HAND, BY_ITSELF = "by a key", "by itself"
OFF, ON = "off", "on"
TAKES = Fact(
    "takes",
    "A number that stands is taken",
    "",
    BY_HAND,
    "F8; or by itself: lay it, hands off, wait, and touch nothing else",
    choices=(BY_HAND, BY_ITSELF),
)
TONE = Fact(
    "tone",
    "A tone while something is moved",
    "",
    OFF,
    "high: up, low: down; quicker the nearer; silent where it is to stop",
    choices=(OFF, ON),
)
NUMBER = r"([+-]?\d+\.?\d*)"


def sent_by(
    who: str,
    units: tuple[str, ...],
    scatters: tuple[str, str, str],
    settles: tuple[str, str],
    numbers: Sequence[Fact] = (),
) -> tuple[Fact, ...]:
    """Return what is asked of an instrument that sends its numbers.

    Parameters
    ----------
    who : str
        "a hydrostatic level".
    units : tuple of str
        It may send in, the usual one first.
    scatters : (str, str, str)
        The unit in which its scatter and its last digit are asked, and both as they usually are.
    settles : (str, str)
        Within how many seconds it usually does, and after what.
    numbers : sequence of Fact, optional
        The patterns of its numbers, where it sends more than one.
    """
    unit, noise, digit = scatters
    one = Fact("pattern", "The number in a line", "text", NUMBER, "a pattern with the number in brackets")
    return (
        Fact("port", f"Port of {who}", "text", "", "/dev/ttyUSB0; empty: there is none"),
        Fact("baud", "Baud", "", "9600", "as it is set there", 50, 4_000_000, whole=True),
        *(numbers or (one,)),
        Fact("sends", "It sends", "", units[0], "a number without its unit is taken for this", choices=units),
        Fact("noise", "Its numbers scatter by", unit, noise, "standing still, hands off"),
        Fact("digit", "Its last digit", unit, digit, ""),
        Fact("settles", "It settles within, s", "", settles[0], settles[1], 0.3, 120),
        TAKES,
        TONE,
    )


HYDRO_FACTS = sent_by(
    "a hydrostatic level",
    ("mm", "m", "in", "ft"),
    ("mm", "0.05", "0.01"),
    ("5", "the liquid swings after it was moved"),
)
"""What is asked of a level that sends a height: it is read where a scale would be, and held as that is (hangs: more is higher)."""
TWO_WAY_FACTS = sent_by(
    "a two-way level",
    ("°", "mm/m", "%"),
    ("°", "0.03", "0.05"),
    ("4", "springs and tyres swing after it was moved"),
    (
        Fact("pattern", "Side to side, in a line", "text", NUMBER, "a pattern with the number in brackets"),
        Fact(
            "nose",
            "Nose to tail, in a line",
            "text",
            r"[+-]?\d+\.?\d*\D+?" + NUMBER,
            "the second number, until you say",
        ),
    ),
)
"""What is asked of a two-way level that sends both tilts in a line."""
LIVE_KINDS: Kinds = {
    "live-fact": EntryKind(
        {"fact": "text!", "text": "text!", "value": "number"},
        lambda entry: f"live number, {entry.body['fact']}: {entry.body['text']}",
    ),
}


def fold_live(journal: Journal, work: int, facts: Sequence[Fact] = HYDRO_FACTS) -> Stated:
    """Return what was said of the level that sends."""
    said = [
        (str(e.body["fact"]), str(e.body["text"]), e.body.get("value"), e.id)
        for e in journal.standing(work, "live-fact")
    ]
    return with_stated(facts, said)
