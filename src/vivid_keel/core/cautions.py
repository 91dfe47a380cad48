"""Cautions, shown at the step where they apply and acknowledged where someone can be hurt."""

from __future__ import annotations

from msgspec import Struct


class Caution(Struct, frozen=True):
    """A caution: a key for the record, a title, and short sentences."""

    key: str
    title: str
    sentences: tuple[str, ...]
    must_acknowledge: bool = False


FIRST = "Local codes, the maker's instructions and licensed practice come first; this sheet computes, it does not authorise."

LIFTING = Caution(
    "lifting",
    "Before anyone lifts",
    (
        "Rated jacks on solid, level blocking; the load of each is known.",
        "One person commands; everyone knows the stop word. Floor above cleared.",
        "Lift a little, pack as it rises; never trust a jack alone. Nobody under it, no hands in the gap.",
        "Watch the posts not being lifted. Stop at cracking sounds, tilting or sinking blocking.",
        "Gas, electricity, water and drains made safe by those licensed; ties and wind thought of.",
        "More than re-packing existing supports wants an engineer's design.",
        FIRST,
    ),
    must_acknowledge=True,
)
OPTICS = Caution("optics", "Never near the sun", ("Don't point a telescope at or close to the sun.",))
LASER = Caution(
    "laser",
    "Beam at work",
    (
        "Look at the class on the label. Not at eye height of others, no optics into the beam; mind mirrors and glass.",
    ),
)
STAFF = Caution(
    "staff",
    "Staff and surroundings",
    ("Look up for power lines before the staff goes up, and round for traffic.",),
)
MACHINES = Caution(
    "machines",
    "Before a machine's feet are turned",
    ("Power isolated and locked off; guards back before it runs.",),
)
TABLE = Caution(
    "lifting",
    "Before its feet are moved",
    (
        "Power isolated and locked off; guards back before it runs.",
        "One foot at a time, a little; see that it can't tip or slide.",
        "Nothing but packing under it while it is raised, and no hands in the gap.",
        "A jack only on solid blocking, its load known; never trust a jack alone.",
        FIRST,
    ),
    must_acknowledge=True,
)
"""A lift like any other, in the words of a machine: it is recorded, and asked for, under the same key."""
PANELS = Caution(
    "lifting",
    "Before a panel is moved",
    (
        "Heavy panels: two people or more; fingers never between panel and frame, nor in a seam.",
        "The frame stands by itself, its legs packed over their full area, before a panel lies on it.",
        "Edges cut; wedges are driven a little at a time, the other side held.",
        FIRST,
    ),
    must_acknowledge=True,
)
"""A lift like any other, in the words of a panel: it is recorded, and asked for, under the same key."""
GROUND = Caution(
    "ground",
    "Before a stake is driven",
    (
        "Buried gas, power, water and drains are found and marked before a stake, a peg or a spade goes in.",
        "Edges of a dig are sloped or held; nobody beneath one. Spoil lies back from the edge.",
        "Water and children: even a hand's depth drowns. Fence it, and see that ice bears before anybody steps on it.",
        "Strings at trip and throat height are flagged; look up for power lines before a staff goes up.",
        FIRST,
    ),
    must_acknowledge=True,
)
TRACK = Caution(
    "track",
    "Before anybody steps on the track",
    (
        "Possession of the line, or a lookout, under the railway's own rules and by people it has passed as competent.",
        "Nothing on the rails moves while a hand is under a sleeper; a wagon is chocked, and nobody is between it and the work.",
        "Every tool and can off the track before a passage; stand where the gauges can be seen from outside.",
        "Lift a little, pack both sides of the rail, never a joint by itself.",
        FIRST,
    ),
    must_acknowledge=True,
)
SHIMS = Caution("shims", "Edges and springs", ("Snapped shim and ground edges cut: eyes and hands.",))


def for_instrument(way: str) -> tuple[Caution, ...]:
    """Return the cautions that belong to a way of reading."""
    if way.startswith("optical"):
        return (OPTICS, STAFF)
    if way.startswith(("rotary", "line")):
        return (LASER, STAFF)
    return ()
