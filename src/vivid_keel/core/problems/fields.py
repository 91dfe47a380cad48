"""Reading a problem field by field, every one checked on the way in."""

from __future__ import annotations

import math
from collections.abc import Callable, Mapping, Sequence
from typing import Any

from vivid_keel.core.errors import KeelError

LARGEST, SMALLEST = 1e9, 1e-15
"""Nothing on a site is larger or smaller, whatever the unit: such a number is a slip, and leaves the range of computing."""
Solved = tuple[dict[str, Any], list[str]]
"""A result and its warnings."""


class Fields:
    """A JSON object being read field by field; what was not asked for is refused at the end."""

    def __init__(self, value: Any, where: str) -> None:
        if not isinstance(value, Mapping):
            raise KeelError("wrong-type", "expected an object", where)
        self.value, self.where = value, where
        self._asked: set[str] = set()

    def _get(self, name: str, needed: bool) -> Any:
        self._asked.add(name)
        if name not in self.value:
            if needed:
                raise KeelError("missing-field", f"“{name}” is missing", f"{self.where}/{name}")
            return None
        return self.value[name]

    def has(self, name: str) -> bool:
        return name in self.value

    def number(self, name: str, *, above: float | None = None, least: float | None = None) -> float:
        """Return a finite number [as the problem says], bounded if asked: above or at least so much; see `number`."""
        return number(self._get(name, True), f"{self.where}/{name}", above=above, least=least)

    def maybe(self, name: str, default: float | None = None, **bounds: float) -> float | None:
        """Return a number [as the problem says], or the default where the field is absent."""
        value = self._get(name, False)
        return default if not self.has(name) else number(value, f"{self.where}/{name}", **bounds)

    def count(self, name: str, default: int | None = None, *, least: int = 0) -> int:
        """Return a whole number of at least `least`."""
        value = self._get(name, default is None)
        if not self.has(name) and default is not None:
            return default
        return whole(value, f"{self.where}/{name}", least)

    def text(self, name: str, choices: Sequence[str] = (), default: str | None = None) -> str:
        """Return a text, one of the choices if there are any.

        Raises
        ------
        KeelError
            `wrong-type`, `bad-value`.
        """
        value = self._get(name, default is None)
        if not self.has(name) and default is not None:
            return default
        where = f"{self.where}/{name}"
        if not isinstance(value, str):
            raise KeelError("wrong-type", "expected a text", where)
        if choices and value not in choices:
            raise KeelError("bad-value", f"“{value}” is none of {', '.join(choices)}", where)
        return value

    def flag(self, name: str) -> bool:
        """Return true or false.

        Raises
        ------
        KeelError
            `wrong-type`.
        """
        value = self._get(name, True)
        if not isinstance(value, bool):
            raise KeelError("wrong-type", "expected true or false", f"{self.where}/{name}")
        return value

    def items(self, name: str) -> list[tuple[Any, str]]:
        """Return the entries of a list, each with its pointer.

        Raises
        ------
        KeelError
            `wrong-type`.
        """
        value = self._get(name, True)
        if not isinstance(value, list):
            raise KeelError("wrong-type", "expected a list", f"{self.where}/{name}")
        return [(item, f"{self.where}/{name}/{i}") for i, item in enumerate(value)]

    def mapping(self, name: str) -> dict[str, float]:
        """Return an object of name → finite number.

        Raises
        ------
        KeelError
            `wrong-type`.
        """
        value, where = self._get(name, True), f"{self.where}/{name}"
        if not isinstance(value, Mapping):
            raise KeelError("wrong-type", "expected an object of name and number", where)
        return {key: number(item, f"{where}/{pointer(key)}") for key, item in value.items()}

    def inner(self, name: str, *, needed: bool = True) -> Fields | None:
        """Return an object inside this one."""
        value = self._get(name, needed)
        return Fields(value, f"{self.where}/{name}") if self.has(name) else None

    def done(self) -> None:
        """Refuse fields nobody asked for.

        Raises
        ------
        KeelError
            `unknown-field`.
        """
        for name in self.value:
            if name not in self._asked:
                raise KeelError(
                    "unknown-field", f"there is no field “{name}” here", f"{self.where}/{pointer(name)}"
                )


def pointer(name: str) -> str:
    """Return a name escaped for a JSON pointer (RFC 6901)."""
    return name.replace("~", "~0").replace("/", "~1")


def number(value: Any, where: str, *, above: float | None = None, least: float | None = None) -> float:
    """Return a JSON value as a finite float [as the problem says], above or at least so much.

    Raises
    ------
    KeelError
        `wrong-type`, `not-finite`, `bad-value`.
    """
    if isinstance(value, bool) or not isinstance(value, int | float):
        raise KeelError("wrong-type", "expected a number", where)
    try:
        out = float(value)
    except OverflowError:
        out = math.inf
    if not math.isfinite(out):
        raise KeelError("not-finite", "the number is not finite", where)
    if abs(out) > LARGEST or 0 < abs(out) < SMALLEST:
        raise KeelError(
            "bad-value",
            f"expected 0, or between {SMALLEST:g} and {LARGEST:g}; {value:g} is no such number",
            where,
        )
    if above is not None and out <= above:
        raise KeelError("bad-value", f"must be above {above:g}", where)
    if least is not None and out < least:
        raise KeelError("bad-value", f"must not be below {least:g}", where)
    return out


def whole(value: Any, where: str, least: int = 0) -> int:
    """Return a JSON value as a whole number.

    Raises
    ------
    KeelError
        `bad-value`.
    """
    out = number(value, where)
    if out != math.floor(out):
        raise KeelError("bad-value", "a count is a whole number", where)
    if out < least:
        raise KeelError("bad-value", f"must not be below {least}", where)
    return int(out)


def all_finite(value: Any) -> None:
    """

    Raises
    ------
    KeelError
        `not-finite`.
    """
    if isinstance(value, float) and not math.isfinite(value):
        raise KeelError(
            "not-finite", "the numbers are too large: the result leaves the range of computing", "/problem"
        )
    if isinstance(value, Mapping):
        for item in value.values():
            all_finite(item)
    elif isinstance(value, list):
        for item in value:
            all_finite(item)


def names_once(names: Sequence[str], where: str, field: str = "name") -> None:
    """

    Raises
    ------
    KeelError
        `duplicate-name`.
    """
    seen: set[str] = set()
    for i, name in enumerate(names):
        if name in seen:
            raise KeelError("duplicate-name", f"{name} is named twice", f"{where}/{i}/{field}")
        seen.add(name)


def filled(items: list[tuple[Any, str]], where: str) -> list[tuple[Any, str]]:
    """

    Raises
    ------
    KeelError
        `bad-value`.
    """
    if not items:
        raise KeelError("bad-value", "the list is empty", where)
    return items


def numbers(f: Fields, name: str) -> list[float]:
    """Return a field that is a list of numbers, none missing."""
    return [number(item, where) for item, where in filled(f.items(name), f"/problem/{name}")]


Solvers = Mapping[str, Callable[[Fields], Solved]]
"""What solves each kind of problem."""
