"""What something is, in facts: one way to declare, read, fold and show them, for trades, instruments and means."""

from __future__ import annotations

import math
from collections.abc import Callable, Iterable

from msgspec import Struct

from vivid_keel.core.errors import KeelError
from vivid_keel.core.quantities import parse_length, parse_tilt
from vivid_keel.core.quantities.number import parse_number, tidy

SCALE = {"mm": 1e-3, "l": 1e-3, "kN": 1e3, "mm/h": 1e-3}
"""What one of a unit is in the unit that is kept, where it isn't one."""
LENGTHS, TILTS = ("m", "mm"), ("mm/m", "°")
NONE = "none"


class Typed(Struct, frozen=True):
    """A value as typed: its text, itself (m, rad, N, or the fact's own unit; nan for words), the step of its last digit."""

    text: str
    value: float
    step: float = 0.0


class Fact(Struct, frozen=True):
    """One fact: what is asked, what is usual, what may be said.

    Attributes
    ----------
    key, label : str
    unit : str
        What a bare number means; "text" for words, "" for a plain number.
    usual : str
        Taken until somebody says otherwise, as it would be typed.
    note : str
        What it means, in a few words.
    least : float or None
        The least that may be said, in the unit asked in; None: it must be above 0.
    most : float
        The most that may be said, in the unit asked in.
    whole : bool
        Whether it is a whole number.
    choices : tuple of str
        The words there are, where it is one of these; the value is the index.
    may_lack : bool
        Whether "none" may be said; the value is nan.
    parse : callable, optional
        Reads what no unit reads: (text, decimal mark) to Typed.
    """

    key: str
    label: str
    unit: str
    usual: str
    note: str = ""
    least: float | None = None
    most: float = math.inf
    whole: bool = False
    choices: tuple[str, ...] = ()
    may_lack: bool = False
    parse: Callable[[str, str | None], Typed] | None = None

    @property
    def scale(self) -> float:
        """What one of its unit is in the unit that is kept [kept unit per unit asked]."""
        return SCALE.get(self.unit, 1.0)

    @property
    def shown_unit(self) -> str:
        """The unit as it stands beside the field; "" for words and counts."""
        return "" if self.unit in {"text", "1"} else self.unit

    def allows(self, value: float) -> bool:
        """Whether a number `value` [the unit asked in] can be an answer; of choices, an index."""
        if self.choices:
            return value in range(len(self.choices))
        enough = value > 0 if self.least is None else value >= self.least
        return enough and value <= self.most and not (self.whole and value != round(value))


def parse_fact(fact: Fact, typed: str, decimal_mark: str | None = None) -> Typed:
    """Return a fact as typed and as it is kept.

    Parameters
    ----------
    fact : Fact
    typed : str
    decimal_mark : {".", ",", None}
        The job's.

    Raises
    ------
    KeelError
        `bad-value` with what was expected, and what the parsers of numbers, lengths and tilts say.
    """
    text = typed.strip()
    if fact.unit == "text":
        return Typed(text, math.nan)
    if fact.choices:
        return _chosen(fact, text)
    if fact.may_lack and text.lower() in {NONE, "no", ""}:
        return Typed(NONE, math.nan)
    if not text:
        raise KeelError("bad-value", f"nothing was typed; expected a value in {fact.unit or 'figures'}")
    found = fact.parse(text, decimal_mark) if fact.parse is not None else _read(fact, text, decimal_mark)
    if math.isnan(found.value):
        return found
    if fact.least is None and found.value <= 0:
        raise KeelError("bad-value", f"“{text}”: {fact.label.lower()} must be above 0")
    if fact.whole and found.value != round(found.value):
        raise KeelError("bad-value", f"“{text}”: {fact.label.lower()} is a whole number")
    if not fact.allows(round(found.value / fact.scale, 12)):
        raise KeelError("bad-value", f"“{text}”: expected {_bounds(fact)}")
    return found


def _chosen(fact: Fact, text: str) -> Typed:
    for index, word in enumerate(fact.choices):
        if text and word.startswith(text.lower()):
            return Typed(word, float(index))
    raise KeelError("bad-value", f"“{text}”: expected {', '.join(fact.choices)}")


def _read(fact: Fact, text: str, decimal_mark: str | None) -> Typed:
    if fact.unit in LENGTHS:
        length = parse_length(text, fact.unit, decimal_mark)
        return Typed(text, length.value, length.resolution)
    if fact.unit in TILTS:
        tilt = parse_tilt(text, fact.unit, decimal_mark)
        return Typed(text, tilt.value, tilt.resolution)
    clean = tidy(text)
    if fact.unit and clean.lower().endswith(fact.unit.lower()):
        clean = clean[: -len(fact.unit)].strip()
    number, decimals = parse_number(clean, decimal_mark)
    return Typed(text, number * fact.scale, fact.scale * 10.0**-decimals)


def _bounds(fact: Fact) -> str:
    unit = f" {fact.shown_unit}" if fact.shown_unit else ""
    least = 0.0 if fact.least is None else fact.least
    if math.isinf(fact.most):
        return f"{least:g}{unit} or more"
    return f"{least:g} to {fact.most:g}{unit}"


class Stated(Struct, frozen=True):
    """Facts as they stand: the value and the text of each by key, and the entries of those that somebody stated."""

    values: dict[str, float]
    texts: dict[str, str]
    ids: dict[str, int]


def usual_facts(facts: Iterable[Fact]) -> Stated:
    """Return facts as they are while nobody has said anything."""
    values, texts = {}, {}
    for fact in facts:
        found = parse_fact(fact, fact.usual, ".")
        values[fact.key], texts[fact.key] = found.value, fact.usual
    return Stated(values, texts, {})


def with_stated(facts: Iterable[Fact], said: Iterable[tuple[str, str, float | None, int]]) -> Stated:
    """Return facts with what was said of them: (key, text, value [as it is kept], entry), the youngest last.

    What was typed was read with the job's own decimal mark: the value stands beside the text, and only that is used.
    A key that no fact has is left alone: a newer program knew it.
    """
    facts = list(facts)
    found = usual_facts(facts)
    known = {fact.key: fact for fact in facts}
    for key, text, value, entry in said:
        if key in known:
            found.texts[key], found.ids[key] = text, entry
            found.values[key] = math.nan if value is None else float(value)
    return found
