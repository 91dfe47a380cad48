"""What panels on a frame come to, as rows that outlive the program."""

from __future__ import annotations

from collections.abc import Iterator

from vivid_keel.core.body.told import body_told
from vivid_keel.core.moving.plan import FOUND, LEFT
from vivid_keel.core.moving.told import RULE, moved_told
from vivid_keel.core.record.journal import Journal
from vivid_keel.core.record.told import Tables, Told, told_rows
from vivid_keel.trades.panels.result import PanelsResult


def told(result: PanelsResult, journal: Journal) -> Tables:
    """Return the frame, the seams as found and as left, and the points that are moved."""
    return Tables(told_rows([*_frame(result), *_seams(result), *moved_told(result)]), rule=RULE)


def _frame(result: PanelsResult) -> Iterator[Told]:
    """The frame alone, how far apart its highest and its lowest leg stand; the level's own error."""
    frame = result.book.frame
    for phase in (FOUND, LEFT):
        yield from body_told(result.of(phase), (), phase)
        heights = None if frame is None else frame.heights(phase)
        if frame is not None and heights is not None:
            yield Told(
                "frame",
                f"within, as {phase}",
                float(heights.max() - heights.min()),
                "m",
                frame.U,
                "highest − lowest",
            )


def _seams(result: PanelsResult) -> Iterator[Told]:
    for phase in (FOUND, LEFT):
        for seam in result.seams(phase):
            for end, step, U in zip(("near", "far"), seam.steps, seam.U, strict=True):
                yield Told(seam.name, f"step at the seam as {phase}, {end}", step, "m", U, "right − left")
