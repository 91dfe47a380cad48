"""The kinds of instrument in a kit: what each senses, what matters for it, and how it is checked."""

from __future__ import annotations

from dataclasses import dataclass


@dataclass(frozen=True, slots=True)
class Trait:
    """A quantity that matters for a kind.

    Attributes
    ----------
    key, label : str
    unit : str
        What a bare number means: "m", "mm", "mm/m", "div", "s", "days", "N", "N/m", "1", or "text".
    usual : str
        Taken until the owner says otherwise, as it would be typed.
    meaning : str
    """

    key: str
    label: str
    unit: str
    usual: str
    meaning: str = ""


@dataclass(frozen=True, slots=True)
class Kind:
    """A kind of instrument.

    Attributes
    ----------
    key, label, senses : str
    traits : tuple of Trait
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
    traits: tuple[Trait, ...]
    checks: tuple[str, ...]
    way: str = ""
    good: str = ""
    bad: str = ""
    round_corners: bool = False
    needs_sight: bool = False
    swims: bool = False
    alone: bool = True


_EVERY = Trait("every", "check every", "days", "30", "days between checks; a knock or a repair makes it due at once")
_IDENTITY = Trait("identity", "identity mark", "text", "", "which end is A; maker's number on the body")


def _level(
    length: str, division: str, limit: str, settle: str, share: str, every: str, called: str
) -> tuple[Trait, ...]:
    return (
        Trait("length", called, "m", length, "between its bearing ends or feet"),
        Trait("division", "one division", "mm/m", division, "what the surface rises when the bubble moves one division"),
        Trait("share", "read to", "div", share, "standard uncertainty of one look at the bubble"),
        Trait("reach", "marks to each side", "div", "5", "divisions either side of the middle; beyond them nothing can be read"),
        Trait("settle", "settles in", "s", settle, "hands off that long before reading"),
        Trait("limit", "may be out by", "mm/m", limit, "own error up to which it is trusted as it is"),
        Trait("bow-limit", "may be bowed by", "mm", "0.5", "at the middle of its length"),
        Trait("every", "check every", "days", every, "days between checks; a knock or a repair makes it due at once"),
        _IDENTITY,
    )  # fmt: skip


_SIGHT = (
    Trait("limit", "line may be out by", "mm/m", "0.067", "2 mm in 30 m unless the work wants better"),
    Trait("u", "one reading, u", "mm", "0.7", "standard uncertainty of one reading close by"),
    Trait("grows", "grows by", "mm/m", "0.03", "for every metre beyond the next line"),
    Trait("from", "beyond", "m", "30", "sights up to here are worth the same"),
)

KINDS = (
    Kind("spirit", "spirit level", "tilt over its length; plumb",
         _level("1.2", "0.5", "0.5", "3", "0.2", "7", "length"), ("reversal", "plumb", "straightness"),
         good="at hand, needs nobody", bad="a light section twists; reaches only its own length"),
    Kind("precision", "precision level", "tilt over its base",
         _level("0.2", "0.05", "0.02", "30", "0.15", "30", "base between its feet"), ("reversal", "plumb"),
         good="the finest tilt there is", bad="short: on a bowed surface it misleads unless walked along the whole length"),
    Kind("electronic", "electronic level", "tilt as a number",
         (Trait("length", "base", "m", "0.6", "between its bearing ends"),
          Trait("last-digit", "last digit", "mm/m", "0.05", "smallest step it shows"),
          Trait("noise", "noise", "mm/m", "0.05", "standard deviation of one reading put down afresh"),
          Trait("settle", "settles in", "s", "5", "hands off that long before reading"),
          Trait("limit", "may be out by", "mm/m", "0.2", "own error up to which it is trusted as it is"),
          Trait("bow-limit", "may be bowed by", "mm", "0.5", "at the middle of its length"),
          Trait("port", "port", "text", "", "where its numbers come in: a serial port such as /dev/ttyUSB0"),
          Trait("baud", "speed of the port", "1", "9600", "baud"),
          Trait("pattern", "the number in a line", "text", r"([+-]?\d+(?:\.\d+)?)", "a pattern; its first group is the number"),
          Trait("sends", "the number's unit", "text", "mm/m", "mm/m, %, °, arcsec, in/ft"),
          Trait("sign-side", "plus means", "text", "A high", "A high: the end A is up; B high: turned about"),
          _EVERY, _IDENTITY), ("reversal", "plumb", "straightness"),
         good="a number anybody can read", bad="wanders with warmth; wants a battery"),
    Kind("string", "string level", "level of a taut string",
         (Trait("span", "span", "m", "7.5", "between its fixings"), Trait("weight", "weight of the string", "N/m", "0.006", "per metre"),
          Trait("tension", "pulled with", "N", "40", ""), Trait("hung", "weight of the level", "N", "0.25", "it usually outweighs the string"),
          Trait("division", "one division", "mm/m", "2", ""), Trait("share", "read to", "div", "0.2", ""), Trait("reach", "marks to each side", "div", "3", ""),
          Trait("settle", "settles in", "s", "5", ""), Trait("limit", "may be out by", "mm/m", "0.5", ""), _EVERY, _IDENTITY),
         ("reversal", "string"), good="needs no power", bad="sags; a breath of wind moves it", needs_sight=True),
    Kind("tube", "water tube", "equal height of two water surfaces",
         (Trait("filled", "filled length", "m", "15", "of water in the tube"), Trait("bore", "bore, radius", "mm", "5", "inside"),
          Trait("basin", "basin at one end", "text", "no", "yes or no; a wide basin swings slower"),
          Trait("column", "height of the legs", "m", "1.5", "of water standing in each"),
          Trait("u", "one mark, u", "mm", "1.0", ""), Trait("limit", "ends may differ by", "mm", "2", "side by side"),
          Trait("every", "check every", "days", "1", "before each use"), _IDENTITY), ("tube",), "water",
         good="goes round corners, needs no power", bad="one leg in the sun stands too high", round_corners=True, alone=False),
    Kind("hydrostatic", "hydrostatic digital level", "height against a zeroed base",
         (Trait("u", "one reading, u", "mm", "2", ""), Trait("last-digit", "last digit", "mm", "1", ""),
          Trait("limit", "may drift by", "mm/h", "2", "in an hour"), _EVERY, _IDENTITY), ("hydrostatic",), "water",
         good="one person, round corners", bad="drifts; the base must stay put", round_corners=True),
    Kind("optical", "optical level", "staff reading on a horizontal line",
         (*_SIGHT, Trait("sort", "kind of line", "text", "automatic", "automatic (compensator) or fixed (plate bubble)"),
          Trait("screws", "foot screws", "1", "3", "three or four"), Trait("hair", "hair constant", "1", "100", "× (upper − lower)"),
          Trait("bubble", "one division of the plate bubble", "mm/m", "0.1", "fixed line only"),
          Trait("bubble-limit", "bubble may wander by", "mm", "0.5", "after half a turn"),
          Trait("claim", "claimed for 1 km double run", "mm", "2.0", "standard deviation"), _EVERY, _IDENTITY),
         ("two-peg", "circular", "plate", "field"), "optical", good="long sights, fine readings", bad="wants a second person and a clear line",
         needs_sight=True, swims=True, alone=False),
    Kind("rotary", "rotating laser", "height of a light plane",
         (Trait("limit", "axis may be out by", "mm/m", "0.1", ""), Trait("u", "one reading, u", "mm", "0.7", "with a receiver"),
          Trait("grows", "grows by", "mm/m", "0.03", "for every metre"), Trait("from", "beyond", "m", "0", ""),
          Trait("spot", "spot widens by", "mm/m", "0.1", "for every metre"), _EVERY, _IDENTITY),
         ("axes", "cone"), "rotary-receiver", good="one person alone, a whole room at once", bad="the beam widens with distance; light hides it",
         needs_sight=True, swims=True),
    Kind("line", "line laser", "height of a light line",
         (Trait("limit", "may be out by", "mm/m", "0.2", ""), Trait("u", "one reading, u", "mm", "0.7", ""), Trait("grows", "grows by", "mm/m", "0.1", ""),
          Trait("from", "beyond", "m", "0", ""), Trait("spot", "line widens by", "mm/m", "0.2", ""), _EVERY, _IDENTITY),
         ("line", "line-plumb", "cone"), "line-eye", good="one room, one person", bad="short reach; always the same edge of the line",
         needs_sight=True, swims=True),
    Kind("plumb-frame", "plumb bob frame", "twist between two stations",
         (Trait("string", "string", "m", "1.5", "from its fixing to the bob"), Trait("u", "one mark, u", "mm", "0.3", ""),
          Trait("limit", "frame may be out by", "mm", "0.5", "at the mark"), _EVERY, _IDENTITY), ("plumb-frame",),
         good="needs no power", bad="draught and trembling keep it swinging"),
    Kind("straightedge", "straightedge", "gap under it, with feelers",
         (Trait("length", "length", "m", "2", ""), Trait("u", "one gap, u", "mm", "0.015", "half the step to the next leaf /√3"),
          Trait("bow-limit", "may be bowed by", "mm", "0.1", "at its middle"), _EVERY, _IDENTITY), ("straightness",),
         good="shows the shape itself", bad="no longer than it is"),
    Kind("boards", "sighting boards", "height off a sighted line",
         (Trait("unit-step", "scale unit", "mm", "6", "one step of the scale"), Trait("u", "one sight, u", "mm", "3", ""),
          Trait("division", "one division of the board level", "mm/m", "1", ""), Trait("share", "read to", "div", "0.2", ""),
          Trait("reach", "marks to each side", "div", "3", ""), Trait("settle", "settles in", "s", "3", ""),
          Trait("limit", "may be out by", "mm/m", "1", ""), _EVERY, _IDENTITY), ("reversal",),
         good="needs nothing but eyes", bad="coarse; wants three people", needs_sight=True, alone=False),
    Kind("staff", "staff or tape", "length",
         (Trait("length", "length", "m", "4", "fully drawn"), Trait("joints", "joints", "1", "3", ""),
          Trait("u", "one measure, u", "mm", "0.5", "with a tape"), Trait("limit", "may be out by", "mm", "1", "at foot and joints"),
          Trait("every", "check every", "days", "90", ""), _IDENTITY), ("staff",),
         good="", bad="a worn foot or a joint not home adds the same to every reading"),
)  # fmt: skip
KIND = {kind.key: kind for kind in KINDS}
