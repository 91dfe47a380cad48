"""Sheets of a spreadsheet (.xlsx, .ods, .xls) as rows of text, for whatever reads rows."""

from __future__ import annotations

import datetime
import io
import zipfile
from collections.abc import Sequence

from vivid_keel.core.errors import KeelError
from vivid_keel.exchange.level_columns import find_columns

LARGEST = 200_000_000
"""No spreadsheet unpacks to more [bytes]: such a one is made to fill a memory."""
FINEST = 5
"""Decimals that a number of a sheet is written with at most: sums of floats have sixteen [1]."""
OLD = b"\xd0\xcf\x11\xe0\xa1\xb1\x1a\xe1"
"""How a spreadsheet of the old binary sort begins."""


def is_spreadsheet(raw: bytes) -> bool:
    """Tell whether bytes are a spreadsheet, whole or damaged."""
    if raw.startswith(OLD):
        return True
    if not raw.startswith(b"PK"):
        return False
    try:
        with zipfile.ZipFile(io.BytesIO(raw)) as packed:
            names = set(packed.namelist())
    except (zipfile.BadZipFile, ValueError, OSError):
        return True  # a packed file that doesn't unpack: said where it is read
    return "xl/workbook.xml" in names or {"content.xml", "mimetype"} <= names


def sheets_of(raw: bytes) -> dict[str, str]:
    """Return the sheets of a spreadsheet that hold anything, each as rows of text whose cells tabs part.

    A sheet shows all numbers of a column alike; so they are written here, with as many decimals as the finest of them has.

    Raises
    ------
    KeelError
        `damaged`: it can't be read; `too-large`: it unpacks to more than any book; `no-rows`: nothing stands in it.
    """
    from python_calamine import CalamineError, CalamineWorkbook, PasswordError

    if raw.startswith(b"PK"):
        try:
            packed = zipfile.ZipFile(io.BytesIO(raw))
        except (zipfile.BadZipFile, ValueError, OSError):
            raise KeelError("damaged", "this spreadsheet can't be read: it is not whole") from None
        with packed:
            if sum(part.file_size for part in packed.infolist()) > LARGEST:
                raise KeelError(
                    "too-large",
                    f"it unpacks to more than {LARGEST // 1_000_000} MB, which no level book does",
                )
    try:
        book = CalamineWorkbook.from_filelike(io.BytesIO(raw))
        found = {
            name: book.get_sheet_by_name(name).to_python(skip_empty_area=False) for name in book.sheet_names
        }
    except PasswordError:
        raise KeelError("damaged", "this spreadsheet is locked by a password; save it without one") from None
    except (CalamineError, ValueError, OSError) as error:
        raise KeelError("damaged", f"this spreadsheet can't be read: {error}") from None
    out = {name: text for name, rows in found.items() if (text := _as_text(rows)).strip()}
    if not out:
        raise KeelError("no-rows", "nothing stands in any sheet of it")
    return out


def _as_text(rows: Sequence[Sequence[object]]) -> str:
    finest: dict[int, int] = {}
    for row in rows:
        for i, value in enumerate(row):
            if isinstance(value, float):
                finest[i] = max(finest.get(i, 0), _decimals(value))
    return "\n".join("\t".join(_cell(value, finest.get(i, 0)) for i, value in enumerate(row)) for row in rows)


def _decimals(value: float) -> int:
    text = f"{value:.{FINEST}f}".rstrip("0")
    return len(text) - text.index(".") - 1


def _cell(value: object, decimals: int) -> str:
    if isinstance(value, bool):
        return "yes" if value else "no"
    if isinstance(value, int | float):
        # A name such as 7 and a reading such as 1.500 stand in one column seldom; a whole one stays whole.
        whole = float(value).is_integer() and decimals == 0
        return str(int(value)) if whole else f"{value:.{decimals}f}"
    if isinstance(value, datetime.datetime | datetime.date | datetime.time):
        return value.isoformat(" ") if isinstance(value, datetime.datetime) else value.isoformat()
    return " ".join(str(value).split())


def book_sheet(sheets: dict[str, str], name: str | None = None) -> tuple[str, bytes]:
    """Return the sheet that is a level book, by its name or else the first with such columns, as (name, bytes of text).

    Raises
    ------
    KeelError
        `no-sheet` where there is none of that name.
    """
    if name is not None and name not in sheets:
        listed = ", ".join(sheets)
        raise KeelError("no-sheet", f"there is no sheet “{name}” in it; there are: {listed}")
    chosen = name or next((one for one, text in sheets.items() if _is_book(text)), next(iter(sheets)))
    return chosen, sheets[chosen].encode()


def _is_book(text: str) -> bool:
    try:
        return find_columns(text.split("\n")).enough
    except KeelError:
        return False
