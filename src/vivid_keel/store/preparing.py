"""What an act writes, made ready before the file is held: entries checked and numbered, their rows, their chain."""

from __future__ import annotations

import json
import re
import zlib
from collections.abc import Callable, Mapping, Sequence
from dataclasses import dataclass
from typing import Any

import orjson

from vivid_keel.core.errors import Stopped
from vivid_keel.core.kinds import check_shown
from vivid_keel.core.record.entries import Entry
from vivid_keel.store.chain import Chain

SUSPECT = re.compile(r"\\(?:u00|[bfr])|[\x7f\x85\u2028\u2029\ufffe\uffff]")
"""What a text that can't be shown leaves in the JSON of its entry; other texts may too, and are looked at closely."""
AT_ONCE = 4000
"""So many entries are made ready between two looks at whether to go on."""

CarryOn = Callable[[float], bool]
"""Is told how much is done (0 … 1); False means: leave it."""

_encoded = json.JSONEncoder(ensure_ascii=False, allow_nan=False).encode


def _written(body: Mapping[str, Any]) -> str:
    """Return a body as JSON, by the quick encoder wherever it says the same: it writes null for what is no number."""
    try:
        quick = orjson.dumps(body)
    except TypeError:
        return _encoded(body)
    return _encoded(body) if b"null" in quick else quick.decode()


def go_on(done: float) -> bool:
    """Nobody is told, and nothing is left."""
    return True


@dataclass(frozen=True)
class Prepared:
    """What one act writes.

    Attributes
    ----------
    entries : list of Entry
    rows : list of tuple
        As they are stored, the hash of each last.
    packed : list of (int, bytes)
        Bytes kept beside an entry.
    end : bytes
        The chain's end behind them.
    """

    entries: list[Entry]
    rows: list[tuple[Any, ...]]
    packed: list[tuple[int, bytes]]
    end: bytes


def prepare(
    entries: Sequence[Entry],
    sources: Mapping[int, bytes],
    before: bytes,
    *,
    new: bool,
    carry_on: CarryOn = go_on,
) -> Prepared:
    """Return what entries write behind the hash `before`; texts of new ones are looked at, those of others stand.

    Raises
    ------
    KeelError
        `bad-value`: a text that can't be shown.
    Stopped
    """
    chain, rows = Chain(before), []
    for k, entry in enumerate(entries):
        if not k % AT_ONCE and not carry_on(k / len(entries)):
            raise Stopped
        body = _written(entry.body)
        if new and ("\\" in body or not body.isascii() or "\x7f" in body) and SUSPECT.search(body):
            check_shown(entry.body)
        row = (
            entry.id,
            entry.work,
            entry.kind,
            body,
            entry.time,
            entry.person,
            entry.strikes,
            entry.after,
            entry.act,
        )
        rows.append((*row, chain.add(row)))
    # The lightest packing takes a fifth of the time and a seventh more room.
    packed = [(id, zlib.compress(raw, 1)) for id, raw in sources.items()]
    return Prepared(list(entries), rows, packed, chain.end)
