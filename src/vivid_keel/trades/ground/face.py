"""What is seen of a piece of ground: its stages, what comes next, its papers."""

from __future__ import annotations

from collections.abc import Callable
from pathlib import Path

from vivid_keel.core.errors import KeelError
from vivid_keel.core.instruments.setting_up import LIQUID
from vivid_keel.core.kinds import Finding
from vivid_keel.core.quantities import is_missing, show_number
from vivid_keel.core.record.journal import Journal
from vivid_keel.desk.base import Next
from vivid_keel.desk.facts_sheet import FactsSheet
from vivid_keel.desk.record_stage import record_stage
from vivid_keel.desk.setting_up import SettingUpSheet, setting_up
from vivid_keel.desk.sheet import Goto, Sheet
from vivid_keel.desk.stage import Draw, Face, NextStep, Stage, Writer, leads
from vivid_keel.desk.visits import VisitsSheet, visits_pictures
from vivid_keel.exchange.csv_lines import written
from vivid_keel.exchange.surface_out import Drawn, surface_dxf, surface_geojson, surface_landxml
from vivid_keel.figures.display import Picture
from vivid_keel.figures.report import Heading, Pages, tail
from vivid_keel.trades.ground.book import FACTS, HYDRO
from vivid_keel.trades.ground.breaks import STANDING
from vivid_keel.trades.ground.desk import GroundDesk
from vivid_keel.trades.ground.figure import edge, plan
from vivid_keel.trades.ground.figure_lines import along, low_sun, rain
from vivid_keel.trades.ground.laid import FEWEST
from vivid_keel.trades.ground.line_sheets import LinesSheet, TopsSheet
from vivid_keel.trades.ground.paper import plan_pages, stake_pages
from vivid_keel.trades.ground.result import GroundResult
from vivid_keel.trades.ground.sheets import BoardsSheet, LooksSheet, PointsSheet, StakesSheet
from vivid_keel.trades.ground.sides_sheet import SidesSheet
from vivid_keel.trades.ground.site import GroundSiteDesk
from vivid_keel.trades.ground.told import told

PLANE = ("plane", "fall", "towards", "above", "fills")
KNOWN = tuple(fact for fact in FACTS if fact.key not in PLANE)
ASKED = tuple(fact for fact in FACTS if fact.key in PLANE)
BOOKED = ("ground-fact", "fact")


def _pictures(desk: GroundDesk) -> list[tuple[str, Draw[GroundDesk]]]:
    return [
        ("From above", lambda d, w, h: plan(d.result, w, h, d.focus)),
        ("Round the edge", lambda d, w, h: edge(d.result, w, h, d.focus)),
        ("Along a line", lambda d, w, h: along(d.result, w, h, d.line)),
        ("Where rain runs", lambda d, w, h: rain(d.result, w, h)),
        ("In low light", lambda d, w, h: low_sun(d.result, w, h)),
    ]


def _plane_pictures(desk: GroundDesk) -> list[tuple[str, Draw[GroundDesk]]]:
    first = _pictures(desk)
    return [first[1], first[0], *first[2:]]


def _work(desk: GroundDesk) -> list[Sheet]:
    boards: list[Sheet] = [BoardsSheet(desk)] if desk.book.water else []
    return [*boards, StakesSheet(desk)]


def _by_liquid(desk: GroundDesk) -> bool:
    return bool(desk.book.facts.texts["by"] == HYDRO)


def _ground_sheets(desk: GroundDesk) -> list[Sheet]:
    facts: list[Sheet] = [FactsSheet(desk, "The ground", KNOWN, desk.book.facts, BOOKED)]
    return [*facts, SettingUpSheet(desk, LIQUID)] if _by_liquid(desk) else facts


def _ground_pictures(desk: GroundDesk) -> list[tuple[str, Draw[GroundDesk]]]:
    if not _by_liquid(desk):
        return [("", lambda d, w, h: plan(d.result, w, h, d.focus))]
    return [
        ("From above", lambda d, w, h: plan(d.result, w, h, d.focus)),
        ("Setting up", lambda d, w, h: setting_up(d, w, h, LIQUID)),
    ]


def _proof_pictures(desk: GroundDesk) -> list[tuple[str, Draw[GroundDesk]]]:
    more = visits_pictures(desk)
    return [("Round the edge" if more else "", lambda d, w, h: plan(d.result, w, h, d.focus)), *more]


STAGES: tuple[Stage[GroundDesk], ...] = (
    Stage(
        "Set-up",
        (
            "Set-up: what is to stand there, water or earth, and how are its heights read?",
            "Down from a string, a beam or a light plane; or heights from a run. Usually not the fall in per cent but the depth at the low corner is what you need.",
        ),
        lambda desk: (min(1.0, len(desk.book.facts.ids) / 3), ""),
        _ground_sheets,
        _ground_pictures,
    ),
    Stage(
        "Readings",
        (
            "Readings: round the edge first, in order; then what lies inside.",
            "Tops and bottoms of walls and banks, humps and dips. What lies between the points is known to no number: walk the diagonals.",
        ),
        lambda desk: (
            len(desk.result.read) / max(1, len(desk.book.points)),
            str(len(desk.book.points) or ""),
        ),
        lambda desk: [
            PointsSheet(desk),
            *([LooksSheet(desk)] if desk.book.facts.texts["by"] == HYDRO else []),
            LinesSheet(desk),
            *([TopsSheet(desk)] if any(line.what in STANDING for line in desk.book.lines) else []),
            *([SidesSheet(desk)] if len(desk.book.edge) >= FEWEST else []),
        ],
        _pictures,
    ),
    Stage(
        "Target",
        (
            "Target: how high is the plane to lie?",
            "Drag it on the edge, or type its height. Water lies level; earth may fall. The balance height moves the least earth.",
        ),
        lambda desk: (1.0 if desk.result.plane is not None else 0.0, ""),
        lambda desk: [FactsSheet(desk, "The plane", ASKED, desk.book.facts, BOOKED)],
        _plane_pictures,
    ),
    Stage(
        "Moves",
        (
            "Moves: the boards along each side, and what is cut or filled at each point.",
            "Cautions first: what is buried, and what water does to children.",
        ),
        lambda desk: (
            1.0 if desk.book.cautions_read and desk.result.found is not None else 0.0,
            str(len(desk.result.sides) or ""),
        ),
        _work,
        _plane_pictures,
    ),
    Stage(
        "Proof",
        (
            "Proof: looked at again, a season or a year later.",
            "The same points over the same benchmark: what each did, what came and what went between the two surfaces.",
        ),
        lambda desk: (1.0 if desk.book.earlier and desk.result.read else 0.0, ""),
        lambda desk: [VisitsSheet(desk)],
        _proof_pictures,
    ),
    record_stage(lambda desk: 1.0 if desk.result.found is not None else 0.0),
)


def _points_first(desk: GroundDesk, stage: str) -> Next | None:
    n = len(desk.book.points)
    if n >= FEWEST or desk.book.clouds:
        return None
    return Next(
        "Next: the points round the edge" if n == 0 else f"Next: point {n + 1}",
        "a name, along, across; then what is read there",
        "points",
    )


def _looks_first(desk: GroundDesk, stage: str) -> Next | None:
    if desk.book.facts.texts["by"] != HYDRO or desk.book.hydro is not None or desk.hidden is not None:
        return None
    return Next("Next: look at the benchmark", "before the first point; then now and then, and last", "looks")


def _looks(desk: GroundDesk, stage: str) -> Next | None:
    book, walk = desk.book, desk.book.hydro
    if book.facts.texts["by"] != HYDRO:
        return None
    if walk is not None and walk.unchecked and not book.missing:
        return Next("Next: look at the benchmark again", f"{len(walk.unchecked)} not checked yet", "looks")
    return None


def _read(desk: GroundDesk, stage: str) -> Next | None:
    missing = desk.book.missing
    if not missing:
        return None
    return Next(f"Next: read {missing[0]}", f"{len(missing)} still to read", "points")


def _places(desk: GroundDesk, rest: str) -> Goto | None:
    return desk.take_places() or _sides(desk, rest) or Goto("Readings")


def _walk_first(desk: GroundDesk, stage: str) -> Next | None:
    if not desk.result.to_lay:
        return None
    return Next(
        "Next: take the places of the walk", "closed and squared up, along from the first side", "places"
    )


def _lie_first(desk: GroundDesk, stage: str) -> Next | None:
    left = desk.result.unplaced
    if not left:
        return None
    return Next(
        f"Next: where does {left[0]} lie?",
        "along and across; by two distances from others; or walk round, under Sides",
        "points",
    )


def _sides(desk: GroundDesk, rest: str) -> Goto | None:
    sheets = [type(sheet) for sheet in STAGES[1].sheets(desk)]
    return Goto("Readings", sheets.index(SidesSheet)) if SidesSheet in sheets else None


def _tops(desk: GroundDesk, rest: str) -> Goto | None:
    sheets = [type(sheet) for sheet in STAGES[1].sheets(desk)]
    return Goto("Readings", sheets.index(TopsSheet)) if TopsSheet in sheets else None


def _tops_first(desk: GroundDesk, stage: str) -> Next | None:
    feet = dict.fromkeys(k for line in desk.book.lines if line.what in STANDING for k in line.points)
    left = [desk.book.points[k].name for k in feet if k not in desk.book.tops]
    if not left:
        return None
    return Next(f"Next: the wall's top at {left[0]}", f"{len(left)} still to read", "tops")


def _plane(desk: GroundDesk, stage: str) -> Next | None:
    if desk.result.tin is None or desk.result.plane is not None:
        return None
    return Next("Next: how high is the plane?", "type it, or drag it on the edge", "plane")


def _see(desk: GroundDesk, stage: str) -> Next | None:
    if desk.result.found is None or desk.book.cautions_read:
        return None
    if stage != "Moves":
        return Next(
            "Next: boards and stakes" if desk.book.water else "Next: cut and fill",
            "which boards, how high; or how much at each stake",
            "moves",
        )
    return Next("Read the cautions first", "then they are recorded as read by the crew", "cautions")


def _look(desk: GroundDesk, rest: str) -> Goto | None:
    return desk.look_there()


def _balance(desk: GroundDesk, rest: str) -> Goto | None:
    height = desk.result.balance_height
    if not is_missing(height):
        desk.record(*desk.set_plane(height))
    return Goto("Target")


def _let_be_read(desk: GroundDesk, stage: str) -> Next | None:
    if desk.hidden is None or not desk.book.missing:
        return None
    return Next("Next: let it be read", "the stand-in, at every point; or type what you like", "answer")


def _answer(desk: GroundDesk, rest: str) -> Goto | None:
    """Let the stand-in be read."""
    desk.answer()
    return Goto("Readings")


STEPS: tuple[NextStep[GroundDesk], ...] = (
    NextStep("looks", leads("Readings", 1), _looks_first),
    NextStep("points", leads("Readings", 0), _points_first),
    NextStep("answer", _answer, _let_be_read),
    NextStep("looks", leads("Readings", 1), _looks),
    NextStep("points", leads("Readings", 0), _read),
    NextStep("places", _places, _walk_first),
    NextStep("points", leads("Readings", 0), _lie_first),
    NextStep("sides", _sides),
    NextStep("tops", _tops, _tops_first),
    NextStep("plane", leads("Target", 0, (0, 1)), _plane),
    NextStep("moves", leads("Moves", 0, None, 0), _see),
    NextStep("look", _look),
    NextStep("balance", _balance),
)


def ground_report(
    result: GroundResult, journal: Journal, heading: Heading, said: list[Finding]
) -> list[Picture]:
    """Return the pages of a piece of ground: from above, round the edge, its points, boards and stakes."""
    book = result.book
    pages = Pages(heading)
    pages.cover()
    pages.figure(plan(result, 760, 420))
    if result.sides:
        pages.figure(edge(result, 760, 260, paper=True))
    pages.findings(said)
    pages.readings()
    tail(pages, journal, book.work)
    return pages.done()


def ground_csv(result: GroundResult) -> str:
    """Return the points as CSV, a line each: metres, a point for the decimal mark."""
    lines: list[list[object]] = [["point", "x_m", "y_m", "height_m", "below_plane_m", "edge"]]
    for k, p in enumerate(result.book.points):
        height, below = float(result.book.heights[k]), float(result.below[k])
        given = ["" if is_missing(v) else show_number(v, 4).replace("−", "-") for v in (height, below)]
        lines.append([p.name, f"{p.x:.4f}", f"{p.y:.4f}", *given, int(p.edge)])
    return written(lines)


def _write_csv(desk: GroundDesk, path: Path) -> None:
    path.write_text(ground_csv(desk.result), encoding="utf-8", newline="")


def drawn(desk: GroundDesk) -> Drawn:
    """Return the surface as it is written. Raises KeelError (`no-positions`) where there is none."""
    result = desk.result
    if result.tin is None:
        raise KeelError(
            "no-positions", "there is no surface yet: three points at least, read, and not in a line"
        )
    one = result.kept
    names = one.names + [""] * (result.tin.given - len(one.names))
    lines = [(name, one.xyz[line]) for name, line in zip(one.called, one.lines, strict=False)]
    return Drawn(result.book.name, names, result.tin, result.contours, lines)


def _writes(made: Callable[[Drawn], str]) -> Callable[[GroundDesk, Path], None]:
    def write(desk: GroundDesk, path: Path) -> None:
        path.write_text(made(drawn(desk)), encoding="utf-8", newline="")

    return write


def _write_svg(desk: GroundDesk, path: Path) -> None:
    from vivid_keel.exchange.drawing import write_svg

    write_svg(plan(desk.result, 1000.0, 700.0), path, desk.book.name)


def _plan(desk: GroundDesk) -> Callable[[], list[Picture]]:
    result, heading = desk.result, desk.heading()
    return lambda: plan_pages(result, heading)


def _stakes(desk: GroundDesk) -> Callable[[], list[Picture]]:
    result, heading = desk.result, desk.heading()
    return lambda: stake_pages(result, heading)


WRITERS: tuple[Writer[GroundDesk], ...] = (
    Writer("plan", "Write the plan to scale, with an index of its spots (PDF)", ", plan.pdf", pages=_plan),
    Writer("stakes", "Write the stakes for the pocket (PDF)", ", stakes.pdf", pages=_stakes),
    Writer("svg", "Write the picture from above (SVG)", ", plan.svg", _write_svg),
    Writer("csv", "Write the points, a line each (CSV)", ", points.csv", _write_csv),
    Writer("dxf", "Write the surface as a drawing (DXF)", ", surface.dxf", _writes(surface_dxf)),
    Writer("geojson", "Write the surface as GeoJSON", ", surface.geojson", _writes(surface_geojson)),
    Writer("landxml", "Write the surface as LandXML", ", surface.xml", _writes(surface_landxml)),
)
FACE = Face(GroundSiteDesk, STAGES, STEPS, ground_report, told, WRITERS, sheets_told=True)
