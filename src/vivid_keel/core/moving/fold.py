"""What is decided of a work that brings points level, folded from its entries."""

from __future__ import annotations

from collections import Counter
from collections.abc import Mapping, Sequence
from datetime import date
from typing import Any

from vivid_keel.core.moving.issued import IssuedPlan, plan_from
from vivid_keel.core.moving.means import KIND, Means
from vivid_keel.core.moving.plan import (
    BEAMS,
    NAN,
    WAYS,
    Hanging,
    Keeper,
    Leaf,
    Limits,
    LookAgain,
    Put,
    TargetChoice,
    Watched,
    leaf_key,
)
from vivid_keel.core.moving.scale import signs
from vivid_keel.core.moving.stages import ORDERS
from vivid_keel.core.record.entries import Entry
from vivid_keel.core.record.journal import Journal
from vivid_keel.core.record.matters import acknowledged
from vivid_keel.core.record.readings import metres, style_of

MOST_LEAVES = 1000
"""No stack has more: a larger number is a stranger's."""


def fold_limits(journal: Journal, work: int) -> Limits:
    """Return the limits of a work: as said, else the usual ones."""
    entry = journal.latest(work, "limits")
    if entry is None:
        return Limits()
    b, usual = entry.body, Limits()
    tolerance = b.get("tolerance")
    order = b.get("order", usual.order)
    return Limits(
        metres(tolerance) if tolerance else usual.tolerance,
        int(b.get("most_leaves", usual.most_leaves)),
        float(b.get("interface_m", usual.interface)),
        b.get("sense", usual.sense),
        None if "neighbours_m" not in b else float(b["neighbours_m"]),
        None if "clearance_m" not in b else float(b["clearance_m"]),
        b["ways"] if b.get("ways") in WAYS else usual.ways,
        float(b.get("most_m", usual.most)),
        min(max(float(b.get("share", usual.share)), 0.05), 1.0),
        order if order in ORDERS else usual.order,
        float(b.get("feet_m", usual.feet)),
        b.get("leaf_size", ""),
        b["beam"] if b.get("beam") in BEAMS else usual.beam,
        bool(b.get("fits", usual.fits)),
        bool(b.get("finest", usual.finest)),
    )


def fold_plan(
    journal: Journal, work: int, passes: Sequence[tuple[int, float]], limits: Limits
) -> dict[str, Any]:
    """Return what every work of that sort has decided, as fields of a `MovingBook`.

    Parameters
    ----------
    journal : Journal
    work : int
    passes : sequence of (int, float)
        Entry of each finished round, and how much higher its as-left line was [m].
    limits : Limits
    """
    target = journal.latest(work, "target")
    visit = begun_at(journal, work)
    # A reading is one on a line: it means nothing at a later visit. A rule, such as the highest, comes along.
    if target is not None and target.id < visit and target.body["kind"] == "height":
        target = None
    return {
        "work": work,
        "name": journal.name_of(work),
        "unit": journal.unit_of(work),
        "stock": sorted(_stock(journal, work), key=lambda s: -s.thickness),
        "target": _target(target, passes, limits.sense) if target else TargetChoice(),
        "target_chosen": target is not None,
        "limits": limits,
        "lifting_acknowledged": acknowledged(journal, work, "lifting") is not None,
        "hanging": [
            Hanging(entry.id, entry.body["name"], entry.body["row"], float(entry.body["x_m"]))
            for entry in journal.standing(work, "hangs")
        ],
        "means": _means(journal, work),
        "apart": _apart(journal, work),
        "looks": _looks(journal, work),
        "booked": fold_booked(
            journal, work, max([visit, *(id for id, _ in passes)]), _thicknesses(journal, work)
        ),
        **_plans(journal, work, max([visit, *(id for id, _ in passes)])),
        "keeper": _keeper(journal, work, max(visit, target.id if target else 0)),
    }


def fold_watched(journal: Journal, work: int, after: int, before: int) -> tuple[Watched, ...]:
    """Return the feet that were turned between two entries until a level showed what it was to, in order."""
    return tuple(
        Watched(int(e.body["point"]), int(w["from"]), int(w["to"]), float(w["tilt_rad"]))
        for e in journal.standing(work, "put")
        if after < e.id < before and {"from", "to", "tilt_rad"} <= set(w := e.body.get("watched", {}))
    )


def begun_at(journal: Journal, work: int) -> int:
    """Return the entry at which the visit in hand begins; 0 for the first."""
    entry = journal.latest(work, "visit")
    return entry.id if entry is not None else 0


def _thicknesses(journal: Journal, work: int) -> dict[str, float]:
    """Return how thick every leaf is that was ever in stock [m], by `leaf_key`."""
    leaves = [metres(entry.body["leaf"]) for entry in journal.standing(work, "leaf")]
    return {leaf_key(leaf): leaf for leaf in leaves}


def fold_booked(journal: Journal, work: int, since: int, thick: Mapping[str, float]) -> dict[int, Put]:
    """Return what was really put in since an entry (the last finished round), by point id; `thick` [m] by `leaf_key`."""
    out: dict[int, Put] = {}
    for entry in journal.standing(work, "put"):
        if entry.id <= since:
            continue
        body = entry.body
        old = out.get(int(body["point"]))
        put, leaves, text = float(body["put_m"]), int(body["leaves"]), str(body["text"])
        ids: tuple[int, ...] = (entry.id,)
        hung = float(body.get("hung_m", 0.0))
        stage = int(body.get("stage", 0))
        for_now = [
            thick.get(key, int(key) * 1e-6)
            for key, n in body.get("for_now", {}).items()
            for _ in range(min(int(n), MOST_LEAVES))
        ]
        used = Counter({k: int(n) for k, n in body.get("used", {}).items()})
        if old is not None:
            hung += old.hung
            used.update(old.used)
            put, leaves, text, ids = (
                old.put + put,
                old.leaves + leaves,
                f"{old.text}, then {text}",
                (*old.ids, entry.id),
            )
        out[int(body["point"])] = Put(
            put,
            leaves,
            text,
            ids,
            hung,
            stage,
            tuple(sorted(for_now, reverse=True)),
            dict(used),
            float(body.get("plan_m", NAN)),
            old,
        )
    return out


def _plans(journal: Journal, work: int, since: int) -> dict[str, IssuedPlan | None]:
    """Return the plan of the round as it was issued last and as it was printed last, since an entry (the last finished round)."""
    issued = [entry for entry in journal.standing(work, "plan") if entry.id > since]
    printed = [entry for entry in issued if entry.body.get("printed")]
    last = plan_from(issued[-1].id, issued[-1].body) if issued else None
    if not printed:
        return {"plan": last, "printed": None}
    return {
        "plan": last,
        "printed": last if printed[-1] is issued[-1] else plan_from(printed[-1].id, printed[-1].body),
    }


def _keeper(journal: Journal, work: int, chosen: int) -> Keeper | None:
    """Return the keeper that was fixed; a target chosen or a visit begun since (entry `chosen`) lets it go."""
    entry = journal.latest(work, "keeper")
    if entry is None or entry.id < chosen:
        return None
    return Keeper(int(entry.body["point"]), entry.body["name"], entry.id)


def _target(entry: Entry, passes: Sequence[tuple[int, float]], sense: str) -> TargetChoice:
    """Return what was chosen; a reading set on the line of an earlier round is brought to the line of this one."""
    body = entry.body
    reading = metres(body["reading"]) if "reading" in body else NAN
    reading -= float(signs([sense])[0]) * sum(shift for id, shift in passes if id > entry.id)
    return TargetChoice(
        body["kind"],
        int(body.get("point", 0)),
        reading,
        (float(body.get("gradient_x", 0.0)), float(body.get("gradient_y", 0.0))),
        float(body.get("lift_m", 0.0)),
        entry.id,
    )


def _looks(journal: Journal, work: int) -> list[LookAgain]:
    out = []
    for entry in journal.standing(work, "look-again"):
        try:
            out.append(LookAgain(entry.id, date.fromisoformat(entry.body["due"]), entry.body.get("note", "")))
        except ValueError:
            continue  # a day that is none, from a file made elsewhere
    return out


def _means(journal: Journal, work: int) -> Means:
    entries = [entry for entry in journal.standing(work, "mover") if "point" not in entry.body]
    style = style_of(journal.unit_of(work), [])
    return (
        Means.of(entries[-1].body["what"], entries[-1].body["values"], style)
        if entries
        else Means(style=style)
    )


def _apart(journal: Journal, work: int) -> dict[int, Means]:
    """Means of single points, by id; their numbers are those last said of that means for the whole work."""
    said: dict[str, Means] = {}
    own: dict[int, str] = {}
    style = style_of(journal.unit_of(work), [])
    for entry in journal.standing(work, "mover"):
        what = entry.body["what"]
        if entry.body.get("point"):
            own[int(entry.body["point"])] = what
        else:
            said[what] = Means.of(what, entry.body["values"], style)
    usual = _means(journal, work).kind
    return {
        point: said.get(what, Means.of(what, {}, style))
        for point, what in own.items()
        if what and what != usual and what in KIND
    }


def _stock(journal: Journal, work: int) -> list[Leaf]:
    """Return the leaves at hand: as counted, less what finished rounds took since."""
    out = []
    rounds = [entry for entry in journal.standing(work, "pass", "put") if "used" in entry.body]
    for entry in journal.standing(work, "leaf"):
        thickness = metres(entry.body["leaf"])
        key = leaf_key(thickness)
        # A count that was corrected after a round is a count of what was there then.
        used = sum(int(r.body["used"].get(key, 0)) for r in rounds if r.id > entry.id)
        out.append(
            Leaf(
                entry.id, thickness, entry.body["leaf"]["text"], max(int(entry.body["count"]) - used, 0), used
            )
        )
    return out
