"""What the columns of a level book mean: our names, strangers' names for them, and what a person said."""

from __future__ import annotations

import itertools
import re
from collections.abc import Collection, Mapping, Sequence

from msgspec import Struct, field
from msgspec.structs import replace

from vivid_keel.core.errors import KeelError
from vivid_keel.exchange.csv_lines import parted

COLUMN_NAMES = {
    "setup": ("set-up", "setup", "set up", "station", "stn", "instrument position"),
    "mark": (
        "mark",
        "point",
        "pt",
        "name",
        "staff at",
        "point no",
        "point no.",
        "id",
        "punkt",
        "punkt-nr",
        "punkt-nr.",
        "punktnummer",
        "pkt",
        "punto",
        "ponto",
        "repère",
        "no de point",
        "n° point",
        "punt",
        "station/point",
    ),
    "sight": ("sight", "kind", "type", "kind of sight", "art", "genre", "tipo", "soort", "visée"),
    "reading": (
        "reading",
        "staff",
        "staff reading",
        "value",
        "ablesung",
        "lecture",
        "lectura",
        "lettura",
        "aflezing",
        "leitura",
    ),
    "bs": (
        "bs",
        "back",
        "backsight",
        "back sight",
        "b.s.",
        "rückblick",
        "rück",
        "r",
        "visée arrière",
        "arrière",
        "lecture arrière",
        "atrás",
        "lectura atrás",
        "espalda",
        "indietro",
        "battuta indietro",
        "achter",
        "achterwaarts",
        "ré",
        "leitura atrás",
    ),
    "is": (
        "is",
        "inter",
        "intermediate",
        "intermediate sight",
        "i.s.",
        "int",
        "side",
        "zwischenblick",
        "zwischen",
        "z",
        "visée intermédiaire",
        "intermédiaire",
        "intermedia",
        "lectura intermedia",
        "intermedio",
        "tussen",
        "intermédia",
    ),
    "fs": (
        "fs",
        "fore",
        "foresight",
        "fore sight",
        "f.s.",
        "vorblick",
        "vor",
        "v",
        "visée avant",
        "avant",
        "lecture avant",
        "adelante",
        "lectura adelante",
        "frente",
        "avanti",
        "battuta avanti",
        "voor",
        "voorwaarts",
        "vante",
    ),
    "upper": ("upper", "upper hair", "top hair", "u"),
    "lower": ("lower", "lower hair", "bottom hair", "l"),
    "look": ("second look", "look", "2nd look", "check reading"),
    "page": ("page", "page no", "page no."),
    "read_at": ("on paper", "read at", "time on paper"),
    "distance": (
        "distance",
        "dist",
        "length",
        "sight length",
        "paced",
        "strecke",
        "entfernung",
        "zielweite",
        "distancia",
        "distanza",
        "afstand",
        "distância",
    ),
    "remark": (
        "remark",
        "remarks",
        "note",
        "notes",
        "comment",
        "bemerkung",
        "bemerkungen",
        "remarque",
        "remarques",
        "observación",
        "observaciones",
        "opmerking",
        "annotazioni",
        "observações",
    ),
    "known": (
        "known height",
        "known",
        "given height",
        "listed height",
        "benchmark height",
        "bekannte höhe",
        "sollhöhe",
        "cote connue",
        "altitude connue",
        "altitude donnée",
        "cota nota",
        "bekende hoogte",
        "cota conocida",
        "quota nota",
    ),
    "source": ("source", "where from", "datum"),
    "struck": ("struck",),
    "height": (
        "height",
        "level",
        "reduced level",
        "r.l.",
        "rl",
        "elevation",
        "höhe",
        "altitude",
        "cote",
        "cota",
        "quota",
        "hoogte",
    ),
    "left": (
        "hc",
        "hpc",
        "height of collimation",
        "rise",
        "fall",
        "corrected",
        "time",
        "who",
        "person",
        "no",
        "no.",
        "",
        "gerätehorizont",
        "steigt",
        "fällt",
        "steigung",
        "gefälle",
        "horizont",
        "plan de visée",
        "uhrzeit",
        "datum zeit",
    ),
}
"""Our column names and the strangers' that are taken for them. `left` ones are computed and left alone."""

EMPTY = {"", "-", "–", "—", "n/a", "na", "."}
UNITS = {
    "m": "m",
    "metres": "m",
    "mm": "mm",
    "cm": "cm",
    "ft": "ft",
    "feet": "ft",
    "ft-in": "ft-in",
    "in": "in",
}
NEEDED = {"reading", "bs", "is", "fs"}
READ = {*NEEDED, "upper", "lower", "look"}
"""Columns that are read on the staff."""


HEIGHTS = {"known", "height"}
"""Columns of heights: what they are in is apart from what is read on the staff."""


class BookRefused(KeelError):  # noqa: N818 - it reads as the event it is
    """A file that was refused; `problems` are its places, each with `where` a line and column."""

    def __init__(self, problems: list[KeelError]) -> None:
        first = problems[0]
        super().__init__("book-refused", f"{first.where}: {first.message}", first.where)
        self.problems = problems


class Columns(Struct, frozen=True):
    """Which column is which.

    Attributes
    ----------
    separator : str
    header_line : int
        Line that names the columns, counted from 0; -1 where no line does.
    header : list of str
    at : dict of str to int
        Our name to the column's number.
    units : dict of str to str
        The unit a header states, by our name.
    unknown : list of str
        Headers left alone because nobody knows them.
    under : list of str
        Cells of the line below, where that states the units; empty where it doesn't.
    skip : frozenset of int
        Lines that a person said are no part of the book, counted from 0.
    heights_in : str
        The unit of its heights, as a person said; "" where the file says it or it follows from the readings'.
    kinds : dict of str to str
        What the file's own words for a kind of sight mean, as a person said: "bs", "is" or "fs".
    """

    separator: str
    header_line: int
    header: list[str]
    at: dict[str, int] = field(default_factory=dict)
    units: dict[str, str] = field(default_factory=dict)
    unknown: list[str] = field(default_factory=list)
    under: list[str] = field(default_factory=list)
    skip: frozenset[int] = frozenset()
    heights_in: str = ""
    kinds: dict[str, str] = field(default_factory=dict)

    @property
    def fingerprint(self) -> str:
        """The header as it is remembered by."""
        return "|".join(c.strip().lower() for c in self.header)

    @property
    def enough(self) -> bool:
        """Whether the marks and at least one kind of reading are known."""
        return (
            "mark" in self.at
            and bool(NEEDED & set(self.at))
            and ("reading" not in self.at or "sight" in self.at)
        )


def said(
    columns: Columns,
    meaning: Mapping[int, str],
    unit: str = "",
    kinds: Mapping[str, str] | None = None,
    skip: Collection[int] = (),
    heights: str = "",
) -> Columns:
    """Return the columns as a person said they are: number of a column to our name ("" leaves it alone).

    `unit` is that of the readings, `heights` that of the heights, "" where the file says it; `kinds` and `skip` as `Columns` has them.

    Raises
    ------
    KeelError
        `two-columns` where two are said to be the same; `no-header` where marks or readings are missing.
    """
    at: dict[str, int] = {}
    units: dict[str, str] = {}
    for i, name in sorted(meaning.items()):
        if not name:
            continue
        if name in at:
            raise KeelError(
                "two-columns", f"two columns can't both be {name}; leave one alone", f"column {letter(i)}"
            )
        at[name] = i
        stated = _unit_of(columns, i)
        if unit and name in READ:
            units[name] = unit
        elif heights and name in HEIGHTS:
            units[name] = heights
        elif stated:
            units[name] = stated
    out = Columns(
        columns.separator,
        columns.header_line,
        columns.header,
        at,
        units,
        under=columns.under,
        skip=frozenset(skip),
        heights_in=heights,
        kinds=dict(kinds or {}),
    )
    if not out.enough:
        raise KeelError(
            "no-header", "say which column names the mark, and which hold BS, IS, FS (or sight and reading)"
        )
    return out


def in_units(columns: Columns, readings: str = "", heights: str = "") -> Columns:
    """Return the columns with the unit of the readings and that of the heights, as a person said; "" leaves it to the file."""
    units = dict(columns.units)
    for name in columns.at:
        told = readings if name in READ else heights if name in HEIGHTS else ""
        if told:
            units[name] = told
    return replace(columns, units=units, heights_in=heights)


def _unit_of(columns: Columns, i: int) -> str | None:
    """The unit that a column's header states, or the line under it."""
    head = meaning_of(columns.header[i])[1] if i < len(columns.header) else None
    return head or (UNITS.get(_bare(columns.under[i])) if i < len(columns.under) else None)


def _bare(cell: str) -> str:
    """A unit without what it stands in: [m], (mm)."""
    return cell.strip().strip("[]()").strip().lower()


def text_of(raw: bytes) -> str:
    """Return a file's text: UTF-8 with or without a BOM, UTF-16 with one or told by its zeros, failing that Windows-1252."""
    if raw[:2] in (b"\xff\xfe", b"\xfe\xff"):
        return _ends(raw.decode("utf-16", "replace"))
    if raw[1::2].count(0) > len(raw) // 4:
        return _ends(raw.decode("utf-16-le", "replace"))
    try:
        text = raw.decode("utf-8-sig")
    except UnicodeDecodeError:
        text = raw.decode("cp1252", "replace")
    return _ends(text)


def _ends(text: str) -> str:
    return text.replace("\r\n", "\n").replace("\r", "\n")


def find_columns(lines: list[str]) -> Columns:
    """Find the line that names the columns, and what parts them.

    Raises
    ------
    BookRefused
        Where no line does, or two columns say the same.
    """
    for number, line in enumerate(lines[:40]):
        for separator in (";", "\t", "|", ","):
            cells = parted(line, separator)
            found = {k for cell in cells if (k := meaning_of(cell)[0]) not in {"", "left"}}
            if found & {"mark", "setup"} and found & NEEDED:
                return _with_units(_named(separator, number, cells), lines)
    raise BookRefused(
        [
            KeelError(
                "no-header",
                "no line names the columns; expected mark with BS, IS, FS or with sight and reading",
                "line 1",
            )
        ]
    )


def guess_columns(lines: list[str]) -> Columns:
    """Return what can be made of a stranger's columns: the line with the most cells that are no numbers."""
    best: tuple[float, Columns] | None = None
    for number, line in enumerate(lines[:40]):
        for separator in (";", "\t", "|", ","):
            cells = parted(line, separator)
            words = sum(bool(re.search(r"[^\W\d_]", cell)) for cell in cells)
            if len(cells) > 1 and words and (best is None or words > best[0]):
                best = words, Columns(separator, number, cells)
    if best is None:
        first = next((n for n, line in enumerate(lines) if line.strip()), 0)
        separator = max((";", "\t", "|", ","), key=lambda s: lines[first].count(s) if lines else 0)
        cells = parted(lines[first] if lines else "", separator)
        return Columns(separator, first - 1, [f"column {letter(i)}" for i in range(len(cells))])
    _, columns = best
    return _with_units(_named(columns.separator, columns.header_line, columns.header, strict=False), lines)


def _with_units(columns: Columns, lines: list[str]) -> Columns:
    """Return the columns with the units that a line of its own states under the header."""
    below = columns.header_line + 1
    cells = parted(lines[below], columns.separator) if 0 < below < len(lines) else []
    filled = [_bare(cell) for cell in cells if cell.strip() not in EMPTY]
    if not filled or any(cell not in UNITS for cell in filled):
        return columns
    out = replace(columns, under=cells)
    for name, i in out.at.items():
        unit = _unit_of(out, i)
        if unit:
            out.units[name] = unit
    return out


def sample(lines: Sequence[str], columns: Columns, most: int = 6) -> list[tuple[int, list[str]]]:
    """Return the first filled lines under the header with their numbers, counted from 0, to be looked at."""
    first = columns.header_line + 1 + bool(columns.under)
    filled = (n for n in range(first, len(lines)) if lines[n].strip())
    return [(n, parted(lines[n], columns.separator)) for n in itertools.islice(filled, most)]


HEADING = re.compile(r"^(.*?) ?(?:[\(\[,] ?([\w'\"µ-]+) ?[\)\]]?)?$")
LONGEST_HEADING = 100
"""What is longer is no heading [characters]."""


def meaning_of(cell: str) -> tuple[str, str | None]:
    """Return our name for a header cell and the unit it states."""
    plain = " ".join(cell.split()).lower()
    m = HEADING.match(plain) if len(plain) <= LONGEST_HEADING else None
    base, unit = (m[1].strip(), m[2]) if m else (plain, None)
    for ours, theirs in COLUMN_NAMES.items():
        if base in theirs:
            return ours, UNITS.get(unit or "")
    return "", None if unit is None else UNITS.get(unit)


def _named(separator: str, line: int, header: list[str], *, strict: bool = True) -> Columns:
    out = Columns(separator, line, header)
    for i, cell in enumerate(header):
        ours, unit = meaning_of(cell)
        if not ours:
            out.unknown.append(cell.strip())
        elif ours != "left":
            if ours in out.at:
                if not strict:
                    continue
                raise BookRefused(
                    [
                        KeelError(
                            "two-columns", f"two columns say {ours}", f"line {line + 1}, column {letter(i)}"
                        )
                    ]
                )
            out.at[ours] = i
            if unit:
                out.units[ours] = unit
    if "mark" not in out.at and "setup" in out.at and {"bs", "is", "fs"} & set(out.at):
        # "Station, Backsight, Foresight": what stands there is where the staff stood.
        out.at["mark"] = out.at.pop("setup")
    return out


def letter(i: int) -> str:
    """Return a column's letter, as spreadsheets have it."""
    return chr(65 + i) if i < 26 else f"{i + 1}"
