"""The kinds of instrument in a kit: what each senses, what matters for it, and how it is checked."""

from __future__ import annotations

from msgspec import Struct

from vivid_keel.core.facts import Fact


class Kind(Struct, frozen=True):
    """A kind of instrument.

    Attributes
    ----------
    key, label, senses : str
    traits : tuple of Fact
    checks : tuple of str
        Procedures, the usual one first.
    way : str
        How a job reads with it (`defaults.WAYS`), "" where it reads no heights on a staff.
    good, bad : str
        What to weigh before it is chosen, in a few words.
    round_corners, needs_sight, swims, alone : bool
        Reads round a corner; wants a clear line of sight; unsteady on a trembling floor; one person can use it.
    """

    key: str
    label: str
    senses: str
    traits: tuple[Fact, ...]
    checks: tuple[str, ...]
    way: str = ""
    good: str = ""
    bad: str = ""
    round_corners: bool = False
    needs_sight: bool = False
    swims: bool = False
    alone: bool = True


_EVERY = Fact(
    "every",
    "check every",
    "days",
    "30",
    "days between checks; a knock or a repair makes it due at once",
    whole=True,
)
_IDENTITY = Fact("identity", "identity mark", "text", "", "which end is A; maker's number on the body")


def _level(
    length: str, division: str, limit: str, settle: str, share: str, every: str, called: str
) -> tuple[Fact, ...]:
    return (
        Fact("length", called, "m", length, "between its bearing ends or feet"),
        Fact(
            "division",
            "one division",
            "mm/m",
            division,
            "what the surface rises when the bubble moves one division",
        ),
        Fact("share", "one look is good to", "div", share, "standard uncertainty of one look at the bubble"),
        Fact("step", "read to", "div", "0", "½, ⅕ or 1/10 of a division; 0: judged from the readings", 0, 2),
        Fact(
            "reach",
            "marks to each side",
            "div",
            "5",
            "divisions either side of the middle; beyond them nothing can be read",
        ),
        Fact("settle", "settles in", "s", settle, "hands off that long before reading"),
        Fact("limit", "may be out by", "mm/m", limit, "own error up to which it is trusted as it is"),
        Fact("bow-limit", "may be bowed by", "mm", "0.5", "at the middle of its length"),
        Fact(
            "every",
            "check every",
            "days",
            every,
            "days between checks; a knock or a repair makes it due at once",
            whole=True,
        ),
        _IDENTITY,
    )


_SIGHT = (
    Fact("limit", "line may be out by", "mm/m", "0.067", "2 mm in 30 m unless the work wants better"),
    Fact("u", "one reading, u", "mm", "0.7", "standard uncertainty of one reading close by"),
    Fact("grows", "grows by", "mm/m", "0.03", "for every metre beyond the next line", least=0),
    Fact("from", "beyond", "m", "30", "sights up to here are worth the same", least=0),
)

KINDS = (
    Kind("spirit", "spirit level", "tilt over its length; plumb",
         _level("1.2", "0.5", "0.5", "3", "0.2", "7", "length"), ("reversal", "plumb", "straightness", "certificate"),
         good="at hand, needs nobody", bad="a light section twists; reaches only its own length"),
    Kind("precision", "precision level", "tilt over its base",
         _level("0.2", "0.05", "0.02", "30", "0.15", "30", "base between its feet"), ("reversal", "plumb", "certificate"),
         good="the finest tilt there is", bad="short: on a bowed surface it misleads unless walked along the whole length"),
    Kind("electronic", "electronic level", "tilt as a number",
         (Fact("length", "base", "m", "0.6", "between its bearing ends"),
          Fact("last-digit", "last digit", "mm/m", "0.05", "smallest step it shows"),
          Fact("noise", "noise", "mm/m", "0.05", "standard deviation of one reading put down afresh", least=0),
          Fact("settle", "settles in", "s", "5", "hands off that long before reading"),
          Fact("limit", "may be out by", "mm/m", "0.2", "own error up to which it is trusted as it is"),
          Fact("bow-limit", "may be bowed by", "mm", "0.5", "at the middle of its length"),
          Fact("port", "port", "text", "", "where its numbers come in: a serial port such as /dev/ttyUSB0"),
          Fact("baud", "speed of the port", "1", "9600", "baud", whole=True),
          Fact("pattern", "the number in a line", "text", r"([+-]?\d+(?:\.\d+)?)", "a pattern; its first group is the number"),
          Fact("sends", "the number's unit", "text", "mm/m", "mm/m, %, °, arcsec, in/ft"),
          Fact("sign-side", "plus means", "text", "A high", "A high: the end A is up; B high: turned about"),
          _EVERY, _IDENTITY), ("reversal", "plumb", "straightness", "certificate"),
         good="a number anybody can read", bad="wanders with warmth; wants a battery"),
    Kind("string", "string level", "level of a taut string",
         (Fact("span", "span", "m", "7.5", "between its fixings"), Fact("weight", "weight of the string", "N/m", "0.006", "per metre"),
          Fact("tension", "pulled with", "N", "40", ""), Fact("hung", "weight of the level", "N", "0.25", "it usually outweighs the string"),
          Fact("division", "one division", "mm/m", "2", ""), Fact("share", "read to", "div", "0.2", ""), Fact("reach", "marks to each side", "div", "3", ""),
          Fact("settle", "settles in", "s", "5", ""), Fact("limit", "may be out by", "mm/m", "0.5", ""), _EVERY, _IDENTITY),
         ("reversal", "string"), good="needs no power", bad="sags; a breath of wind moves it", needs_sight=True),
    Kind("tube", "water tube", "equal height of two water surfaces",
         (Fact("filled", "filled length", "m", "15", "of water in the tube"), Fact("bore", "bore, radius", "mm", "5", "inside"),
          Fact("basin", "basin at one end", "text", "no", "yes or no; a wide basin swings slower"),
          Fact("column", "height of the legs", "m", "1.5", "of water standing in each"),
          Fact("u", "one mark, u", "mm", "1.0", ""), Fact("limit", "ends may differ by", "mm", "2", "side by side"),
          Fact("every", "check every", "days", "1", "before each use", whole=True), _IDENTITY), ("tube",), "water",
         good="goes round corners, needs no power", bad="one leg in the sun stands too high", round_corners=True, alone=False),
    Kind("hydrostatic", "hydrostatic digital level", "height against a zeroed base",
         (Fact("u", "one reading, u", "mm", "2", ""), Fact("last-digit", "last digit", "mm", "1", ""),
          Fact("limit", "may drift by", "mm/h", "2", "in an hour"), _EVERY, _IDENTITY), ("hydrostatic",), "water",
         good="one person, round corners", bad="drifts; the base must stay put", round_corners=True),
    Kind("optical", "optical level", "staff reading on a horizontal line",
         (*_SIGHT, Fact("sort", "kind of line", "text", "automatic", "automatic (compensator) or fixed (plate bubble)"),
          Fact("screws", "foot screws", "1", "3", "three or four", 3, 4, whole=True), Fact("hair", "hair constant", "1", "100", "× (upper − lower)"),
          Fact("bubble", "one division of the plate bubble", "mm/m", "0.1", "fixed line only"),
          Fact("bubble-limit", "bubble may wander by", "mm", "0.5", "after half a turn"),
          Fact("claim", "claimed for 1 km double run", "mm", "2.0", "standard deviation"), _EVERY, _IDENTITY),
         ("two-peg", "circular", "plate", "field", "certificate"), "optical", good="long sights, fine readings", bad="wants a second person and a clear line",
         needs_sight=True, swims=True, alone=False),
    Kind("rotary", "rotating laser", "height of a light plane",
         (Fact("limit", "axis may be out by", "mm/m", "0.1", ""), Fact("u", "one reading, u", "mm", "0.7", "with a receiver"),
          Fact("grows", "grows by", "mm/m", "0.03", "for every metre", least=0), Fact("from", "beyond", "m", "0", "", least=0),
          Fact("spot", "spot widens by", "mm/m", "0.1", "for every metre", least=0), _EVERY, _IDENTITY),
         ("axes", "cone", "certificate"), "rotary-receiver", good="one person alone, a whole room at once", bad="the beam widens with distance; light hides it",
         needs_sight=True, swims=True),
    Kind("line", "line laser", "height of a light line",
         (Fact("limit", "may be out by", "mm/m", "0.2", ""), Fact("u", "one reading, u", "mm", "0.7", ""), Fact("grows", "grows by", "mm/m", "0.1", "", least=0),
          Fact("from", "beyond", "m", "0", "", least=0), Fact("spot", "line widens by", "mm/m", "0.2", "", least=0), _EVERY, _IDENTITY),
         ("line", "line-plumb", "cone", "certificate"), "line-eye", good="one room, one person", bad="short reach; always the same edge of the line",
         needs_sight=True, swims=True),
    Kind("plumb-frame", "plumb bob frame", "twist between two stations",
         (Fact("string", "string", "m", "1.5", "from its fixing to the bob"), Fact("u", "one mark, u", "mm", "0.3", ""),
          Fact("limit", "frame may be out by", "mm", "0.5", "at the mark"), _EVERY, _IDENTITY), ("plumb-frame",),
         good="needs no power", bad="draught and trembling keep it swinging"),
    Kind("straightedge", "straightedge", "gap under it, with feelers",
         (Fact("length", "length", "m", "2", ""), Fact("u", "one gap, u", "mm", "0.015", "half the step to the next leaf /√3"),
          Fact("bow-limit", "may be bowed by", "mm", "0.1", "at its middle"), _EVERY, _IDENTITY), ("straightness", "certificate"),
         good="shows the shape itself", bad="no longer than it is"),
    Kind("boards", "sighting boards", "height off a sighted line",
         (Fact("unit-step", "scale unit", "mm", "6", "one step of the scale"), Fact("u", "one sight, u", "mm", "3", ""),
          Fact("division", "one division of the board level", "mm/m", "1", ""), Fact("share", "read to", "div", "0.2", ""),
          Fact("reach", "marks to each side", "div", "3", ""), Fact("settle", "settles in", "s", "3", ""),
          Fact("limit", "may be out by", "mm/m", "1", ""), _EVERY, _IDENTITY), ("reversal", "certificate"),
         good="needs nothing but eyes", bad="coarse; wants three people", needs_sight=True, alone=False),
    Kind("staff", "staff or tape", "length",
         (Fact("length", "length", "m", "4", "fully drawn"), Fact("joints", "joints", "1", "3", "", 0, 12, whole=True),
          Fact("u", "one measure, u", "mm", "0.5", "with a tape"), Fact("limit", "may be out by", "mm", "1", "at foot and joints"),
          Fact("every", "check every", "days", "90", "", whole=True), _IDENTITY), ("staff", "certificate"),
         good="", bad="a worn foot or a joint not home adds the same to every reading"),
)  # fmt: skip
KIND = {kind.key: kind for kind in KINDS}
