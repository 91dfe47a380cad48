"""Decimal commas: the one door that all a person is shown passes, on screen and on paper, in a job whose mark is a comma.

Inside, numbers are written with a point, whoever writes them; files in open formats keep it. What people named keeps
its points: a mark called BM 1.2 is called that on every page.
"""

from __future__ import annotations

import re
from collections.abc import Iterable, Iterator, Mapping
from typing import Any, TypeVar

from msgspec import Struct
from msgspec.structs import replace

from vivid_keel.core.kinds import Finding
from vivid_keel.core.working import Working
from vivid_keel.figures.display import Picture, Text

T = TypeVar("T", bound=Struct)
SHOWN = ("title", "text", "hint", "narrow")
"""Fields of what is shown that are read by people."""
POINT = re.compile(r"(?<=\d)\.(?=\d)")


def names_in(bodies: Iterable[Mapping[str, Any]]) -> Iterator[str]:
    """Return all texts in the bodies of entries but those of readings."""
    for body in bodies:
        for value in body.values():
            if isinstance(value, str):
                yield value
            elif isinstance(value, Mapping) and "step_m" not in value:
                yield from names_in([value])
            elif isinstance(value, list):
                yield from (item for item in value if isinstance(item, str))


class Comma:
    """Puts commas for the points of numbers; `names` are left as they are."""

    def __init__(self, names: Iterable[str]) -> None:
        self._names = frozenset(name for name in names if POINT.search(name))
        own = sorted(self._names, key=len, reverse=True)
        self._own = (
            re.compile("|".join(rf"(?<![\d.]){re.escape(name)}(?![\d.]*\d)" for name in own)) if own else None
        )

    def with_names(self, names: Iterable[str]) -> Comma:
        """Return the same with more names left as they are; itself where none of them holds a number with a point."""
        more = {name for name in names if POINT.search(name)} - self._names
        return Comma(self._names | more) if more else self

    def __call__(self, text: str) -> str:
        """Return a text with decimal commas."""
        if "." not in text:
            return text
        if self._own is None:
            return POINT.sub(",", text)
        out, at = [], 0
        for found in self._own.finditer(text):
            out += [POINT.sub(",", text[at : found.start()]), found[0]]
            at = found.end()
        return "".join([*out, POINT.sub(",", text[at:])])

    def of(self, thing: T) -> T:
        """Return a cell, a finding, a next step or a piece of a picture as it is shown."""
        words = {name: getattr(thing, name) for name in SHOWN if "." in getattr(thing, name, "")}
        return replace(thing, **{name: self(word) for name, word in words.items()}) if words else thing

    def working(self, why: Working | None) -> Working | None:
        """Return a working as it is shown."""
        if why is None:
            return None
        sources = tuple(self(source) for source in why.sources)
        return Working(self(why.title), self(why.formula), self(why.numbers), sources, self(why.note))

    def finding(self, finding: Finding) -> Finding:
        """Return a finding as it is shown, with its working."""
        return replace(self.of(finding), why=self.working(finding.why))

    def picture(self, picture: Picture) -> Picture:
        """Return a picture, or a page, as it is shown."""
        picture.items = [self.of(item) if isinstance(item, Text) else item for item in picture.items]
        picture.caption = self(picture.caption)
        return picture


def with_comma(picture: Picture, comma: Comma | None) -> Picture:
    """Return a picture as it is shown in a job with that mark."""
    return picture if comma is None else comma.picture(picture)
