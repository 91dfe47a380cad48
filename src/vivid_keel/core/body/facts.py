"""What is asked of every body read by bubble, and of the level it is read with.

Source: u² = (step/√12)² + (laying it anew)², in divisions of the vial.
"""

from __future__ import annotations

import math
from collections.abc import Mapping

from msgspec.structs import replace

from vivid_keel.core.facts import Fact
from vivid_keel.core.kinds import EntryKind, Kinds
from vivid_keel.core.moving.live import sent_by
from vivid_keel.core.quantities import LengthStyle, show_number
from vivid_keel.core.record.readings import style_of

GRAVITY, ITSELF = "true to gravity", "only true to itself"
TRUTH = Fact(
    "truth",
    "What must it be",
    "",
    GRAVITY,
    "a bench is level; a machine may do if it isn't twisted",
    choices=(GRAVITY, ITSELF),
)
LEVEL_FACTS = (
    Fact(
        "division",
        "One division of the level",
        "mm/m",
        "0.05",
        "0.02 to 0.3 of a fine one; 0.0003 in/in is 0.3",
    ),
    Fact(
        "reach", "Vial marked to, divisions either side", "", "20", "further the bubble can't be read", 1, 100
    ),
    Fact("read", "Read to, of a division", "", "0.2", "a fifth, a half: a fact of level and reader", 0.01, 1),
    Fact(
        "zero",
        "How well its own error is known",
        "",
        "not: read it turned round",
        "",
        choices=("not: read it turned round", "set to nothing today"),
    ),
)
"""Of the level in hand."""
LIVE_FACTS = sent_by(
    "a level that sends numbers",
    ("mm/m", "in/ft", '"', "°"),
    ("mm/m", "0.003", "0.001"),
    ("3", "after it was put down, or a foot turned"),
)
"""What is asked of a level that sends its numbers."""
PLACING = 0.15
"""How well a level laid anew shows the same, of a division [1]."""
STEEPEST = 0.05
"""Nothing is levelled finely from more than this [rad]; more is a unit forgotten."""
BODY_KINDS: Kinds = {
    "foot": EntryKind(
        {
            "name": "text!",
            "x_m": "number!",
            "y_m": "number!",
            "stack_m": "number",
            "carries": "yes or no",
        },
        lambda entry: f"foot {entry.body['name']}",
    ),
    "feet-take": EntryKind({}, lambda entry: "every foot tried: all take load"),
    "body-fact": EntryKind(
        {"fact": "text!", "text": "text!", "value": "number"},
        lambda entry: f"{entry.body['fact']}: {entry.body['text']}",
    ),
}
"""What every such work books, by the name it has in a file."""


FINE = 0.00005
"""A tolerance under this [m] is said in micrometres."""


def fine_style(unit: str, tolerance: float) -> LengthStyle:
    """Return how a body's small amounts are shown: a decimal more than a floor's, two where the tolerance [m] is finer still."""
    return replace(style_of(unit, [0.00001]), finer=2 if tolerance < FINE else 1)


def in_divisions(tilt: float, division: float) -> str:
    """Return a tilt [rad] as the bubble of a level shows it whose `division` is so much [rad]; "" for nan."""
    return "" if math.isnan(tilt) else f"{show_number(tilt / division, 1, signed=True)} div"


def u_of_a_reading(facts: Mapping[str, float]) -> float:
    """Return the standard uncertainty of one reading [rad] by `facts`, the values of `LEVEL_FACTS`: the step it is read to, and laying it anew."""
    return facts["division"] * math.hypot(facts["read"] / math.sqrt(12), PLACING)
