"""The handbook: its pages in order, their headings, and what is found in them. No interface code."""

from __future__ import annotations

import re
from collections.abc import Sequence
from functools import cache
from pathlib import Path

from msgspec import Struct

from vivid_keel.trades.registry import LISTED

PACKAGE = Path(__file__).parent.parent
_HEADING = re.compile(r"^#{1,3} +(.+)$", re.M)


class Page(Struct, frozen=True):
    """A page: its file within the package, its title, its text in Markdown, and of which trade it is ("" of none)."""

    path: str
    title: str
    text: str
    trade: str = ""

    @property
    def headings(self) -> list[str]:
        """Its headings below the title."""
        return list(_HEADING.findall(self.text))[1:]


class Hit(Struct, frozen=True):
    """A place where a word is found: the page, the heading above it ("" at its beginning), and the line."""

    page: Page
    heading: str
    line: str


@cache
def pages() -> Sequence[Page]:
    """Return the pages in the order in which they are read."""
    own = [_page("handbook/first-steps.md")]
    trades = [
        Page(f"{'/'.join(one.module.split('.')[1:])}/help.md", one.label, one.resource("help.md"), one.key)
        for one in LISTED
    ]
    others = ("desk/kit/help.md", "desk/kit/checks.md", "yard/help.md")
    last = ("handbook/files.md", "handbook/keys.md", "handbook/words.md", "handbook/changes.md")
    return [*own, *trades, *(_page(path) for path in (*others, *last))]


def _page(path: str) -> Page:
    text = (PACKAGE / path).read_text(encoding="utf-8")
    return Page(path, _HEADING.findall(text)[0], text)


def page_of(path: str) -> Page:
    """Return a page by its file; the first where there is none such."""
    return next((one for one in pages() if one.path == path), pages()[0])


def search(words: str) -> list[Hit]:
    """Return every line that holds all words, whatever their case; those in headings first."""
    wanted = [word.casefold() for word in words.split()]
    if not wanted:
        return []
    hits: list[tuple[bool, Hit]] = []
    for page in pages():
        heading = ""
        for line in page.text.splitlines():
            head = _HEADING.match(line)
            heading = (head[1] if head and head[1] != page.title else heading) if head else heading
            if line.strip() and not line.startswith("![") and all(word in line.casefold() for word in wanted):
                hits.append((head is None, Hit(page, heading, plain(line))))
    return [hit for _, hit in sorted(hits, key=lambda one: one[0])]


def plain(line: str) -> str:
    """Return a line of Markdown without its marks."""
    bare = re.sub(r"[*`#]+|^\s*(?:-|\d+\.)\s+", "", line).replace("|", " ")
    return " ".join(bare.split())
