"""Its part of the demo."""

from vivid_keel.core.quantities import parse_length
from vivid_keel.core.record.entries import Draft
from vivid_keel.core.record.readings import as_read


def build(file, tools, now):
    """A shelf in the mill's store, out of level."""
    (work,) = file.record([Draft(0, "work", {"name": "Store shelf", "type": "shelf", "unit": "m"})])
    for side, text in (("left", "1.482"), ("right", "1.488")):
        file.record(
            [
                Draft(
                    work.id,
                    "bracket",
                    {"side": side, "phase": "found", "height": as_read(parse_length(text, "m", "."))},
                )
            ]
        )


PARTS = {70: build}
