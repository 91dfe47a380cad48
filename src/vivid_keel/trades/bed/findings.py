"""What there is to say of a bed: what its readings can't tell, twist, tilt and bow, and what else disagrees."""

from __future__ import annotations

from collections.abc import Callable

from msgspec.structs import replace

from vivid_keel.core.body.model import Adjusted, Tilt
from vivid_keel.core.body.standing import (
    LEVEL,
    answer_findings,
    came_back,
    less_for_the_feet,
    mirrored,
    reading_findings,
)
from vivid_keel.core.cautions import LIFTING, MACHINES, TABLE, Caution
from vivid_keel.core.kinds import Finding
from vivid_keel.core.moving.findings import THREE_FEET, moving_cautions, moving_findings, no_target
from vivid_keel.core.moving.plan import FOUND, LEFT
from vivid_keel.core.proof import VERDICT_WORDS
from vivid_keel.core.quantities import show_amount, show_number
from vivid_keel.trades.bed.book import ACROSS, AGAIN, ALONG, BAR, BedBook, Read
from vivid_keel.trades.bed.result import BedResult, Shape
from vivid_keel.trades.bed.ways import BOB, OUT_OF_LINE, TEST_BAR, observed, ways_of


def bed_cautions(result: BedResult, stage: str) -> tuple[Caution, ...]:
    """Return the cautions before a foot is moved."""
    given = moving_cautions(result, stage)
    kept = tuple(caution for caution in given if caution not in (LIFTING, MACHINES))
    return (TABLE, *kept) if LIFTING in given else given


def bed_findings(result: BedResult, stage: str) -> list[Finding]:
    """Return what there is to say of a bed."""
    out = [
        *no_target(result),
        *_of_the_bed(result),
        *_shapes(result),
        *result.more(LEFT if result.body_left is not None else FOUND)[1],
        *answer_findings(result),
    ]
    takes = show_number(result.book.facts.values["middle"], 1)
    return out + [
        replace(
            finding,
            text=f"They carry it alone and stand firm: wind the others off, and bring these true. Then each other foot up until it just takes, the middle ones last: the bubble may not move by more than {takes} of a division.",
        )
        if finding.title.startswith(THREE_FEET)
        else finding
        for finding in moving_findings(result, stage, result.budget(), "a level", [])
    ]


def _of_the_bed(result: BedResult) -> list[Finding]:
    """What its readings can't tell, and what is taken for granted."""
    book, body = result.book, result.body_left or result.body
    read = book.read[FOUND]
    pairs = [
        (result.where(spot), one.value, turned.value)
        for spot, one in read.items()
        if spot.way == 1 and (turned := read.get(replace(spot, way=-1))) is not None
    ]
    out = [
        *([] if result.book.passes else mirrored(pairs, book.u_tilt)),
        *reading_findings(body, result.unread),
    ]
    if book.long and not book.steps:
        out.append(
            Finding(
                "open",
                "The level is longer than the ways",
                f"Its base is {show_number(book.facts.values['base'], 3)} m, the stations lie over {show_number(book.long, 3)} m. Along can't be read with it; type the base of a shorter one.",
            )
        )
    if body is not None and not any(spot.sort == ALONG for spot in book.read[FOUND]):
        out.append(
            Finding(
                "note",
                "Twist only",
                "Nothing was read along it: the front way is taken as straight and level, and what is moved takes the twist out.",
            )
        )
    now = book.read[FOUND if result.body_left is None else LEFT]
    out += [
        moved
        for spot, again in now.items()
        if spot.sort == AGAIN and (first := now.get(replace(spot, sort=ACROSS))) is not None
        for moved in came_back("the head", first.value, again.value, book.u_tilt, book.division)
    ]
    if body is not None:
        out += _otherwise(book, body, book.read[FOUND if result.body_left is None else LEFT])
    if any(spot.sort == BAR for spot in book.read[FOUND]):
        out.append(
            Finding(
                "note",
                "The test bar speaks of the head too",
                "It tells twist only once the headstock is known to be in line with the ways; and only over its own length.",
            )
        )
    return out


def _otherwise(book: BedBook, body: Adjusted, read: Read) -> list[Finding]:
    """Whether the frame or the bar tells something else than the level does."""
    seen, out = observed(book, read, ways_of(book, read)), []
    for level in (BOB, TEST_BAR):
        worst = max(
            (
                abs(float(v)) / o.u
                for v, o in zip(body.residuals, seen, strict=False)
                if isinstance(o, Tilt) and o.level == level
            ),
            default=0.0,
        )
        if worst > OUT_OF_LINE:
            out.append(
                Finding(
                    "open",
                    f"{level[:1].upper()}{level[1:]} tells another twist",
                    f"It stands {show_number(worst, 1)} times its own uncertainty off what the level says. Wait for the bob; see that bridge and frame sit clean on the ways, and read again.",
                    action="read",
                    action_label="Go to the readings",
                )
            )
    return out


def _shapes(result: BedResult) -> list[Finding]:
    """Twist, tilt and bow, each against what is allowed of it."""
    phase = LEFT if result.body_left is not None else FOUND
    body = result.of(phase)
    if body is None:
        return []
    book, when = result.book, "as left" if phase == LEFT else "as found"

    def sloping(value: float, *, signed: bool = False) -> str:
        return f"{show_number(value * 1000, 3, signed=signed)} mm/m"

    def bowed(value: float, *, signed: bool = False) -> str:
        return show_amount(value, replace(book.style, finer=0), 3, signed=signed)

    said: list[tuple[str, Shape, Callable[..., str]]] = [("Twist", result.twist(body), sloping)]
    if not book.only_itself and LEVEL in body.zeros:
        said += [("Tilt", shape, sloping) for shape in result.tilt(body)]
    bow = result.bow(phase)
    if bow is not None:
        said.append(("Bow", bow, bowed))
    return [
        Finding(
            shape.verdict,
            f"{name} {told(shape.value, signed=name != 'Bow')}",
            f"{shape.show(told)}, {shape.where}, {when}; {told(shape.allowed)} allowed: {VERDICT_WORDS[shape.verdict]}.",
            None,
            *less_for_the_feet(result, shape.verdict),
        )
        for name, shape, told in said
    ]
