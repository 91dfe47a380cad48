"""What read in a work, as it was that day: instruments and staffs, each a snapshot."""

from __future__ import annotations

from typing import Any

from msgspec import Struct

from vivid_keel.core.instruments.defaults import WAY, WayOfReading
from vivid_keel.core.kinds import Finding
from vivid_keel.core.record.entries import Draft, Entry
from vivid_keel.core.record.journal import Journal


class Instrument(Struct, frozen=True):
    """A snapshot of what took the readings: u = base + per_metre × (D − from), D = reach if unknown.

    `stated` is False while nobody has said what was used and the default stands in. `tool` is its
    number in the kit (0: none), `state` what it was worth that day ("trusted", "corrected", "due",
    "knocked", "unchecked", "out", or "" where nobody knows), `checked` when and how, `decision` what
    its owner decided, `u_collimation` [rad] how well its collimation was known. `axis` [rad] is how far the plane of a
    laser may be off level in any direction, as last checked: its axes' errors with their U; `tips` [rad] by how much it rises towards X+ and
    towards Y+, where both axes were checked.
    """

    name: str
    way: str
    base: float
    per_metre: float
    from_distance: float
    reach: float
    collimation: float | None = None
    hair_factor: float = 100.0
    note: str = ""
    stated: bool = True
    tool: int = 0
    state: str = ""
    checked: str = ""
    u_collimation: float | None = None
    decision: str = ""
    axis: float = 0.0
    tips: tuple[float, float] | None = None

    @property
    def doubtful(self) -> bool:
        """Whether its readings say that it was not to be trusted that day: a warning, never a lock."""
        return self.state in {"due", "knocked", "unchecked", "out", "adjust"}

    @property
    def label(self) -> str:
        return WAY[self.way].label if self.way in WAY else self.way


def instrument_from_way(way: WayOfReading, name: str = "", *, stated: bool = True) -> Instrument:
    """Return an instrument with the stated uncertainties of its way of reading."""
    return Instrument(
        name or way.label, way.key, way.base, way.per_metre, way.from_distance, way.reach, stated=stated
    )


def instrument_draft(work: int, instrument: Instrument) -> Draft:
    """Return the entry that records an instrument for a work."""
    body: dict[str, Any] = {
        "name": instrument.name,
        "way": instrument.way,
        "u_m": instrument.base,
        "per_metre": instrument.per_metre,
        "from_m": instrument.from_distance,
        "reach_m": instrument.reach,
        "note": instrument.note,
    }
    if instrument.collimation is not None:
        body["collimation_rad"] = instrument.collimation
    if instrument.hair_factor != 100.0:
        body["hair_factor"] = instrument.hair_factor
    if instrument.tool:
        body |= {"tool": instrument.tool, "state": instrument.state, "checked": instrument.checked}
    if instrument.decision:
        body["decision"] = instrument.decision
    if instrument.u_collimation is not None:
        body["u_collimation_rad"] = instrument.u_collimation
    if instrument.axis:
        body["axis_rad"] = instrument.axis
    if instrument.tips is not None:
        body |= dict(zip(("axis_x_rad", "axis_y_rad"), instrument.tips, strict=True))
    return Draft(work, "instrument", body)


def instrument_of(journal: Journal, work: int, unit: str) -> Instrument:
    """Return the instrument of a work; until one is entered, the default for its unit."""
    entry = journal.latest(work, "instrument")
    if entry is None:
        way = {"ft-in": "optical-eighths", "in": "optical-eighths"}.get(unit, "optical")
        return instrument_from_way(WAY[way], stated=False)
    return instrument_from(entry)


def instrument_from(entry: Entry) -> Instrument:
    """Return the instrument that an entry records."""
    body = entry.body
    return Instrument(
        body["name"],
        body["way"],
        float(body["u_m"]),
        float(body["per_metre"]),
        float(body["from_m"]),
        float(body["reach_m"]),
        None if "collimation_rad" not in body else float(body["collimation_rad"]),
        float(body.get("hair_factor", 100.0)),
        body.get("note", ""),
        True,
        int(body.get("tool", 0)),
        body.get("state", ""),
        body.get("checked", ""),
        None if "u_collimation_rad" not in body else float(body["u_collimation_rad"]),
        body.get("decision", ""),
        float(body.get("axis_rad", 0.0)),
        (float(body["axis_x_rad"]), float(body["axis_y_rad"])) if "axis_y_rad" in body else None,
    )


def states_of(journal: Journal, work: int) -> list[tuple[int, Instrument]]:
    """Return from which entry on which instrument was used, oldest first; the first holds from the beginning.

    An entry that takes another's place (a detail put right) holds from where that one did.
    """
    from_entry: dict[int, int] = {}
    out = []
    for id in journal.order.get(work, []):
        entry = journal.entries[id]
        if entry.kind != "instrument":
            continue
        from_entry[id] = from_entry.get(entry.strikes, entry.strikes) if entry.strikes is not None else id
        if journal.stands(id):
            out.append((from_entry[id], instrument_from(entry)))
    return sorted(out, key=lambda pair: pair[0])


class Staff(Struct, frozen=True):
    """A staff or scale as it was that day: `foot` is how much too long it reads from a worn or raised foot [m].

    `tool` is its number in the kit, `state` what it was worth, `checked` when and how, `decision` what
    its owner decided.
    """

    name: str
    foot: float
    u_foot: float = 0.0
    tool: int = 0
    state: str = ""
    checked: str = ""
    decision: str = ""


def staff_from(entry: Entry) -> Staff:
    """Return the staff that an entry holds."""
    body = entry.body
    return Staff(
        body["name"],
        float(body["foot_m"]),
        float(body.get("u_foot_m", 0.0)),
        int(body.get("tool", 0)),
        body.get("state", ""),
        body.get("checked", ""),
        body.get("decision", ""),
    )


def staff_draft(work: int, staff: Staff) -> Draft:
    """Return the entry by which a work reads on a staff from here on."""
    body: dict[str, Any] = {
        "name": staff.name,
        "foot_m": staff.foot,
        "u_foot_m": staff.u_foot,
        "tool": staff.tool,
        "state": staff.state,
        "checked": staff.checked,
        "decision": staff.decision,
    }
    return Draft(work, "staff", body)


class Use(Struct, frozen=True):
    """An instrument that read in a work, how much was read with it, what a reading is called, and whether it is in hand."""

    instrument: Instrument
    readings: int
    called: str = "reading"
    in_hand: bool = True


def use_findings(uses: list[Use]) -> list[Finding]:
    """Return what there is to say of the instruments of a work: doubtful ones, and one that nobody has named."""
    out = []
    for use in uses:
        i, n = use.instrument, use.readings
        if i.doubtful and n:
            out.append(
                Finding(
                    "open",
                    f"{n} {use.called}{'s' if n > 1 else ''} with a doubtful instrument",
                    f"{i.name}: {i.checked or i.state}. They say so; check it, and if it is out read them again.",
                    action="instrument",
                    action_label="See the instrument",
                )
            )
    if any(u.in_hand and not u.instrument.stated for u in uses) and any(u.readings for u in uses):
        label = next(u.instrument.label for u in uses if u.in_hand)
        out.append(
            Finding(
                "todo",
                "Which instrument?",
                f"Reckoned as {label} until you say.",
                action="instrument",
                action_label="Name it",
            )
        )
    return out
