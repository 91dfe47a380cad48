"""Works and instruments like those of the mill, with hidden heights and errors, to practise on in the yard."""

from __future__ import annotations

from pathlib import Path
from tempfile import TemporaryDirectory

from vivid_keel.demo.osier_mill import build
from vivid_keel.desk.base import JobLike
from vivid_keel.desk.kit.tool import ToolDesk
from vivid_keel.desk.sheet import Goto
from vivid_keel.files import KitFile
from vivid_keel.places import KIT_SUFFIX
from vivid_keel.trades.registry import desk_for
from vivid_keel.yard.practising import Piece

PIECES = (
    Piece("kit:optical", "Two pegs", "a level's hidden error: found, adjusted, proved"),
    Piece("kit:spirit", "Reversal", "a spirit level that lies: turned round, adjusted"),
    Piece("kit:rotary", "A laser's axes", "a laser with hidden errors along both axes"),
    Piece("supports", "Level a floor on posts", "springy beams answer each round of packing"),
    Piece("vehicle", "Level a trailer", "it leans in a way nobody knows, and sinks in"),
    Piece("bed", "Level a machine bed", "feet that rob one another of load, a bubble that lies"),
    Piece("slab", "Level a table", "three to six feet, one of them sprung"),
    Piece("panels", "Level panels on a frame", "several panels, one surface"),
    Piece("axis", "Set an axis plumb", "a spindle on its wedges"),
    Piece("groundwork", "Level ground", "it rolls, and has humps that no point may meet"),
    Piece("rails", "Lift a track", "a dip, sleepers that hang, chips that bed in"),
)
"""By their kind: of the kit, or of a work."""


def practise_on(key: str, yard: JobLike) -> Goto | None:
    """Make a piece in the yard, from the mill's first of its kind; return where to go."""
    with TemporaryDirectory() as folder:
        path = Path(folder) / "mill.keel"
        with build(path) as job:
            if KitFile.knows(key):
                with KitFile.open(path.with_suffix(KIT_SUFFIX), yard.person) as kit:
                    tool = next(one.id for one in kit.journal.works() if one.body["type"] == key)
                    held = ToolDesk(kit, tool)
                    held.yard = lambda: yard
                    return held.practise()
            work = next(one.id for one in job.journal.works() if one.body["type"] == key)
            desk = desk_for(job, work)
            desk.yard = lambda: yard
            place: Goto | None = desk.practise()
            return place
