"""What there is to say of a piece of ground."""

from __future__ import annotations

import math

import numpy as np

from vivid_keel.core.cautions import GROUND, Caution
from vivid_keel.core.kinds import Finding, State
from vivid_keel.core.quantities import LengthStyle, is_missing, show_amount, show_length, show_number
from vivid_keel.core.quantities.length import UNIT_IN_M
from vivid_keel.core.surface.uncertainty import Known
from vivid_keel.core.working import Working
from vivid_keel.trades.ground.book import DOWN, HYDRO, ZERO
from vivid_keel.trades.ground.breaks import STANDING
from vivid_keel.trades.ground.laid import FEWEST
from vivid_keel.trades.ground.result import GroundResult
from vivid_keel.trades.ground.visits import together

LITRES = 1000.0


def show_volume(volume: float, style: LengthStyle) -> str:
    """Return a volume [m³] in words: m³ and litres, or cubic feet."""
    if style.far == "ft":
        return f"{show_number(volume / UNIT_IN_M['ft'] ** 3, 1)} ft³"
    if abs(volume) < 1:
        return f"{show_number(volume * LITRES, 0)} litres"
    return f"{show_number(volume, 2)} m³"


def show_area(area: float, style: LengthStyle) -> str:
    """Return an area [m²] in words."""
    if style.far == "ft":
        return f"{show_number(area / UNIT_IN_M['ft'] ** 2, 1)} ft²"
    return f"{show_number(area, 2)} m²"


def ground_state(result: GroundResult) -> State:
    """Return how a piece of ground stands."""
    book = result.book
    if result.waits:
        return State("todo", f"{result.all_points} points · being worked out")
    if not result.all_points and not book.points:
        return State("todo", "no points yet")
    if book.missing:
        return State("todo", f"{len(result.read)} of {len(book.points)} points read")
    if result.found is None:
        return State(
            "open" if result.trouble else "todo",
            f"{len(book.points) + len(book.cloud)} points · no plane",
        )
    if book.water:
        return State(
            "open" if result.humps or not result.known.told else "in",
            f"{show_volume(result.found.fill, book.style)} · {show_amount(max(0.0, result.deepest[2]), book.style, 0)}",
        )
    return State("in", in_balance(result))


def ground_cautions(result: GroundResult, stage: str) -> tuple[Caution, ...]:
    """Return the cautions before anything is dug, driven or filled."""
    return (GROUND,) if stage == "Readings" or (stage == "Moves" and result.found is not None) else ()


def ground_findings(result: GroundResult, stage: str) -> list[Finding]:
    """Return what there is to say."""
    book, out = result.book, list[Finding]()
    if result.trouble is not None:
        said = result.trouble.message
        out.append(
            Finding(
                "open",
                "No surface goes through these points",
                f"{said[:1].upper()}{said[1:]}.",
                action="points",
                action_label="Go to the points",
            )
        )
    for _, name, count in book.clouds:
        out.append(
            Finding(
                "note",
                f"{count} points from {name}",
                "Taken as heights, without names; they lie inside. Ctrl+Z takes them out again.",
            )
        )
    if (book.points or book.clouds) and len(book.edge) < FEWEST:
        out.append(
            Finding(
                "open",
                "No outline yet",
                "Say of the points round it, in order, that the outline goes through them: without one the ground ends where its points do.",
                action="points",
                action_label="Go to the points",
            )
        )
    if book.clashes:
        words = f"{', '.join(book.clashes[:6])}: two runs found two heights. The first is taken; settle it in the runs, or type the height here."
        out.append(
            Finding(
                "open", "Two heights of one mark", words, action="points", action_label="Go to the points"
            )
        )
    out += _walked(result) + _string(result) + _liquid(result) + _walls(result) + _since(result)
    if stage in {"Readings", "Target", "Record"}:
        out += _rain(result)
    if result.found is None:
        return out
    return out + (_water(result) if book.water else _earth(result)) + _hidden(result)


def _walked(result: GroundResult) -> list[Finding]:
    """How the walk round the edge closes, and whether its places were taken."""
    walk, style, book = result.walk, result.book.style, result.book
    if result.walk_trouble is not None:
        said = result.walk_trouble.message
        words = f"{said[:1].upper()}{said[1:]}."
        return [
            Finding(
                "open", "The sides are no walk round", words, action="sides", action_label="Go to the sides"
            )
        ]
    if walk is None or not result.to_lay:
        return []
    most = int(np.abs(walk.longer).argmax())
    by = float(walk.longer[most])
    missed = (
        ""
        if is_missing(walk.missed)
        else f"As walked it misses its beginning by {style.place(walk.missed)} {style.far}. "
    )
    words = (
        f"{missed}Closed and squared up, the side from {book.points[book.edge[most]].name} becomes "
        f"{show_amount(abs(by), style, 0)} {'longer' if by > 0 else 'shorter'}, the most of all."
    )
    return [
        Finding("todo", "The edge was walked round", words, action="places", action_label="Take its places")
    ]


def _string(result: GroundResult) -> list[Finding]:
    """How the string came back to its first stake."""
    walk, style, v = result.book.string, result.book.style, result.book.facts.values
    if walk is None or walk.accepted is None:
        return []
    far = f"{style.place(sum(result.book.legs))} {style.far}"
    if walk.accepted:
        words = f"Spread in proportion over {far}, {show_amount(v['allowed'], style, 0)} allowed: a string that comes back above its start has climbed on the way."
        return [
            Finding("in", f"The string comes back {show_amount(walk.misclosure, style, signed=True)}", words)
        ]
    words = f"{show_amount(v['allowed'], style, 0)} allowed over {far}: nothing is spread. Level it again from stake to stake, the farther end always the one that is adjusted."
    return [
        Finding("out", f"The string comes back {show_amount(walk.misclosure, style, signed=True)} off", words)
    ]


def _liquid(result: GroundResult) -> list[Finding]:
    """What the looks at the benchmark say of a liquid level's walk."""
    book, walk = result.book, result.book.hydro
    if book.facts.texts["by"] != HYDRO:
        return []
    if walk is None:
        return [
            Finding(
                "open",
                "Look at the benchmark first",
                "Nothing ties these readings to a height yet.",
                action="looks",
                action_label="Look at the benchmark",
            )
        ]
    out = []
    if walk.void:
        words = f"{', '.join(walk.void[:8])}: before the first look, or between two looks with the base moved. Read them again."
        out.append(
            Finding(
                "out",
                f"{len(walk.void)} reading{'s are' if len(walk.void) > 1 else ' is'} void",
                words,
                action="points",
                action_label="Go to the points",
            )
        )
    if walk.unchecked:
        words = f"{', '.join(walk.unchecked[:8])}: read after the last look. Look at the benchmark once more, and the drift is spread over them."
        out.append(
            Finding(
                "open",
                f"{len(walk.unchecked)} not checked yet",
                words,
                action="looks",
                action_label="Look at the benchmark",
            )
        )
    zeros = [look for _, what, look in book.looks if what == ZERO]
    if len(zeros) > 1:
        drift = zeros[-1].reading - zeros[0].reading
        out.append(
            Finding(
                "note",
                f"It drifted by {show_amount(drift, book.style, signed=True)}",
                f"Over {len(zeros)} looks at the benchmark; between two of them it is taken out in proportion to time.",
            )
        )
    return out


def _walls(result: GroundResult) -> list[Finding]:
    """Walls whose top lies below their foot, or was read nowhere."""
    book = result.book
    upside = [book.points[k].name for k, up in book.stands_up.items() if up < 0]
    if upside:
        return [
            Finding(
                "open",
                "A wall's top lies below its foot",
                f"At {', '.join(upside[:6])}: the two readings are likely exchanged.",
                action="tops",
                action_label="Go to the tops",
            )
        ]
    bare = [
        line.name
        for line in book.lines
        if line.what in STANDING and not any(k in book.tops for k in line.points)
    ]
    if not bare:
        return []
    words = f"{', '.join(bare[:6])}: until its top is read the ground only breaks at its foot."
    return [Finding("open", "A wall without its top", words, action="tops", action_label="Go to the tops")]


def _rain(result: GroundResult) -> list[Finding]:
    """Where rain stands."""
    book, waters, style = result.book, result.rain, result.book.style
    if not waters:
        return []

    def by(x: float, y: float) -> str:
        if not len(book.points):
            return f"{style.place(x)} / {style.place(y)}"
        return book.points[int(np.hypot(*(book.xy - (x, y)).T).argmin())].name

    told = [
        f"by {by(*one.lowest[:2])} {show_volume(one.volume, style)}, {show_amount(one.lowest[2], style, 0)} deep; "
        f"it runs over by {by(*one.spill)} at {show_length(one.level, style)}"
        for one in waters[:3]
    ]
    rest = f" And {len(waters) - 3} more." if len(waters) > 3 else ""
    return [
        Finding(
            "note",
            f"Rain stands in {len(waters)} hollow{'s' if len(waters) > 1 else ''}",
            f"{'. '.join(part[:1].upper() + part[1:] for part in told)}.{rest} Shallower ones than a point's height is good for aren't told.",
        )
    ]


def _since(result: GroundResult) -> list[Finding]:
    """What changed since the visit before."""
    told, style = result.since, result.book.style
    if told is None:
        return []
    names = (
        f" Moved for certain: {', '.join(told.moved[:6])}." if told.moved else " No point moved for certain."
    )
    little = (
        " It may be nothing: read again at the places of then, and it is told far better."
        if max(told.came, told.went) < told.U
        else ""
    )
    by_file = any(told.before == one.file for one in result.book.earlier)
    return [
        Finding(
            "note",
            f"Since {told.before}: {show_volume(told.came, style)} came, {show_volume(told.went, style)} went",
            f"± {show_volume(told.U, style)} each, over {show_area(told.area, style)} where both have ground.{little}{'' if by_file else names}",
        ),
        *_together(result),
    ]


def _together(result: GroundResult) -> list[Finding]:
    """Whether the points went alike: then it was the benchmark, or the line."""
    alike, book = together(result.book), result.book
    if alike is None:
        return []
    what = {
        DOWN: "the line was hung otherwise, or its benchmark moved",
        HYDRO: "the benchmark of the level moved",
    }
    why = what.get(book.facts.texts["by"], "the benchmark that their heights hang on moved")
    went = f"{show_amount(abs(alike.by), book.style)} {'up' if alike.by > 0 else 'down'}"
    rest = ", ".join(
        f"{name} {show_amount(by, book.style, signed=True)}" for name, by in list(alike.others.items())[:6]
    )
    return [
        Finding(
            "open",
            f"{alike.count} of {alike.whole} points went {went} alike",
            f"± {show_amount(alike.U, book.style, up=True)}. Ground hardly does that: likelier {why}. Look at it from another benchmark. "
            + (
                f"Against the others went: {rest}." if rest else "Against one another none moved for certain."
            ),
        )
    ]


def why_volume(result: GroundResult) -> Working:
    """Return how the volume below the plane comes about."""
    assert result.found is not None and result.tin is not None
    found, book = result.found, result.book
    known = result.known
    curves = ""
    how = "2·√(points² + between²) + bias"
    if result.ground is not None:
        how = "the ground drawn 500 times as it may roll between the points; 95 in 100 lie within"
    if known.bias:
        much = "much" if known.bias > 0 else "little"
        curves = f" The ground curves between them: planes give about {show_volume(abs(known.bias), book.style)} too {much}; it stands in U."
    return Working(
        "Volume below the plane",
        "Σ over triangles, wet corners only: a·(d₁ + d₂ + d₃)/3;  cut ones exactly",
        f"{len(result.tin.pieces)} triangles, {show_area(found.below_area, book.style)} wet: {show_volume(found.fill, book.style)};  "
        f"U = {show_volume(known.U, book.style)}, {how}",
        tuple(p.text for p in book.points if p.text)[:24],
        f"A point's height is good to ± {show_amount(book.facts.values['good'], book.style)}; points are off what those round them foretell by {show_amount(known.between, book.style)}.{curves}",
    )


def _at_least(known: Known) -> str:
    """What is added to a U that knows nothing of what lies between the points."""
    return "" if known.told else " and more: no point inside tells what the ground does between them"


def _between(volume: float, known: Known, style: LengthStyle) -> str:
    """What is said of a volume whose ± is as large as itself: within which bounds it lies."""
    if volume > known.U or not known.told:
        return ""
    return f", but between nothing and {show_volume(volume + known.U, style)}: read more points, where the picture looks next"


def _water(result: GroundResult) -> list[Finding]:
    book, found, style = result.book, result.found, result.book.style
    assert found is not None
    x, y, deep = result.deepest
    known = result.known
    plane = book.facts.values["plane"]
    if deep <= 0:
        return [
            Finding(
                "open",
                "It stands dry",
                f"Nowhere does the ground lie below {show_length(plane, style)}.",
                action="plane",
                action_label="Change the plane",
            )
        ]
    litres, flow = found.fill * LITRES, book.facts.values["flow"]
    hours = litres / flow / 60
    time = f"{show_number(hours, 1)} h" if hours >= 1 else f"{show_number(hours * 60, 0)} min"
    named = next((p.name for p in book.points if abs(p.x - x) + abs(p.y - y) < 1e-6), "")
    where = f"at {named}" if named else f"at {style.place(x)} along, {style.place(y)} across"
    out = [
        Finding(
            "note",
            f"{show_volume(found.fill, style)} of water{_between(found.fill, known, style)}",
            f"± {show_volume(known.U, style)}{_at_least(known)}; {show_area(found.below_area, style)} ± {show_area(result.known_area.U, style)} under water. A hose of {show_number(flow, 0)} litres a minute fills it in {time}.",
            why_volume(result),
        ),
        Finding(
            "note",
            f"{show_amount(deep, style, 0)} deep {where}",
            "The deepest place. Not the fall in per cent but this depth is what a board or a wall has to hold.",
        ),
    ]
    humps = result.humps
    if humps:
        words = ", ".join(
            f"{book.points[k].name} by {show_amount(-float(result.below[k]), style, 0)}" for k in humps[:4]
        )
        out.append(
            Finding(
                "open",
                f"{len(humps)} hump{'s stand' if len(humps) > 1 else ' stands'} dry",
                f"{words}. Take {'them' if len(humps) > 1 else 'it'} down, or raise the water.",
            )
        )
    low = [s for s in result.sides if s.first <= 0 and s.last <= 0]
    if low:
        out.append(
            Finding(
                "note",
                f"{len(low)} side{'s want' if len(low) > 1 else ' wants'} no board",
                "The ground there stands above the water.",
            )
        )
    return out


def in_balance(result: GroundResult) -> str:
    """Return how much of the cut is left over once the fill is made, as it is cut, or how much fill is missing: one number everywhere."""
    found, fills, style = result.found, result.book.facts.values["fills"], result.book.style
    assert found is not None
    spare = fills * found.cut - found.fill
    if spare > 0:
        return f"{show_volume(spare / fills, style)} of the cut left over"
    return f"{show_volume(-spare, style)} of fill missing"


def _earth(result: GroundResult) -> list[Finding]:
    book, found, style = result.book, result.found, result.book.style
    assert found is not None
    v, known = book.facts.values, result.known
    spare = v["fills"] * found.cut - found.fill
    height = result.balance_height
    out = [
        Finding(
            "in" if abs(spare) <= known.U else "note",
            f"Cut {show_volume(found.cut, style)}, fill {show_volume(found.fill, style)}",
            f"fill ± {show_volume(known.U, style)}{_at_least(known)}, cut ± {show_volume(result.known_above.U, style)}, over {show_area(found.area, style)}. "
            + f"{in_balance(result)}.",
            why_volume(result),
        )
    ]
    moved = max(found.cut, found.fill / v["fills"]) * v["loose"]
    out.append(
        Finding(
            "note",
            f"{round(moved * LITRES / v['barrow'] + 0.499)} barrows",
            f"{show_volume(moved, style)} loose, a barrow of {show_number(v['barrow'], 0)} litres; or {math.ceil(moved / v['lorry'] - 1e-9)} "
            f"of a lorry that carries {show_number(v['lorry'], 1)} m³.",
        )
    )
    if not is_missing(height):
        out.append(
            Finding(
                "note",
                f"It balances at {show_length(height, style)}",
                "There what is cut fills what is to be filled, and the least earth is moved.",
                action="balance",
                action_label="Take this height",
            )
        )
    return out


def _hidden(result: GroundResult) -> list[Finding]:
    """Where a hump may hide between the points."""
    looks, style = result.looks, result.book.style
    if not looks:
        return []
    near: list[str] = []
    for x, y, k in looks:
        name = result.book.points[k].name if k >= 0 else ""
        near.append(name if name and name not in near else f"{style.place(x)} / {style.place(y)}")
    x, y, _ = looks[0]
    rest = f" Then by {' and by '.join(near[1:])}." if near[1:] else ""
    U = result.looks_known[0] if result.looks_known else math.nan
    known = (
        ""
        if is_missing(U)
        else f" As the ground rolls it is told there to ± {show_amount(U, style, 0, up=True)}."
    )
    if result.diagonal is not None:
        a, b = (result.book.points[k].name for k in result.diagonal)
        rest += f" Or walk from {a} to {b}: on no straight way across is less known."
    return [
        Finding(
            "note",
            f"Look by {near[0]}, to be sure",
            f"At {style.place(x)} along and {style.place(y)} across no point is near: what stands up or falls away there shows in no number.{known}{rest}",
            action="look",
            action_label="Read it there",
        )
    ]
