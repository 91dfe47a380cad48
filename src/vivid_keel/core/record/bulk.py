"""Many values at once: the source's own bytes are kept, and a mapping reads them into columns.

An entry of such a kind holds the mapping, the size and the SHA-256 of the bytes; the store keeps the bytes beside it.
Columns are derived whenever they are wanted: a million points never become a million objects.
"""

from __future__ import annotations

import hashlib
import io
import json
import math
import warnings
import zlib
from collections.abc import Mapping
from typing import Any, TypeAlias

import numpy as np
import numpy.typing as npt

from vivid_keel.core.errors import KeelError
from vivid_keel.core.quantities.length import UNIT_IN_M

Arrays: TypeAlias = dict[str, npt.NDArray[np.float64]]
"""Columns by name, each (n,) [m, or as it was read where its unit is 1]."""
FIELDS = {"sha256", "bytes", "mapping"}
MAPPING = {"columns", "units", "delimiter", "decimal_mark", "skip", "form"}
MOST = 1 << 28
"""No more bytes are kept beside one entry [1]."""
ROWS, LANDXML, GEOJSON = "rows", "landxml", "geojson"
"""What the bytes are: a text of rows, or one of the two open formats of points."""


def describe(raw: bytes, mapping: Mapping[str, Any]) -> dict[str, Any]:
    """Return what an entry says of the bytes that go with it.

    Parameters
    ----------
    raw : bytes
        The source as it was, a text of rows.
    mapping : mapping
        `columns`: where each named column stands, from 0; `units`: its unit, a length or "1" (m where it isn't named);
        `delimiter`: "" where blanks part the columns; `decimal_mark`: "." or ","; `skip`: lines before the first row; `form`: "landxml" or
        "geojson" where the points of such a file are meant, x, y and z by their place in `columns`.
    """
    return {"sha256": hashlib.sha256(raw).hexdigest(), "bytes": len(raw), "mapping": dict(mapping)}


def is_described(value: Any) -> bool:
    """Whether a value is what `describe` returns."""
    if not (isinstance(value, Mapping) and set(value) == FIELDS):
        return False
    sha, size, mapping = value["sha256"], value["bytes"], value["mapping"]
    if not (isinstance(sha, str) and len(sha) == 64 and _is_count(size) and isinstance(mapping, Mapping)):
        return False
    columns, units = mapping.get("columns"), mapping.get("units", {})
    return (
        set(mapping) <= MAPPING
        and isinstance(columns, Mapping)
        and len(columns) > 0
        and all(isinstance(name, str) and _is_count(at) for name, at in columns.items())
        and isinstance(units, Mapping)
        and set(units) <= set(columns)
        and all(unit == "1" or unit in UNIT_IN_M for unit in units.values())
        and isinstance(mapping.get("delimiter", ""), str)
        and mapping.get("decimal_mark", ".") in {".", ","}
        and mapping.get("decimal_mark", ".") != mapping.get("delimiter", "")
        and _is_count(mapping.get("skip", 0))
        and mapping.get("form", ROWS) in {ROWS, LANDXML, GEOJSON}
    )


def _is_count(value: Any) -> bool:
    return isinstance(value, int) and not isinstance(value, bool) and value >= 0


def unpacked(packed: bytes) -> bytes:
    """Return bytes that were packed, no more than `MOST` of them: a small file may hold what would fill the memory.

    Raises
    ------
    zlib.error
        They are cut short, something else, or too many.
    """
    made = zlib.decompressobj()
    raw = made.decompress(packed, MOST)
    if not made.eof:
        raise zlib.error("more than any file that is brought in" if made.unconsumed_tail else "cut short")
    return raw


def check_bytes(raw: bytes, described: Mapping[str, Any], where: str = "") -> None:
    """Check that bytes are those an entry speaks of.

    Raises
    ------
    KeelError
        `damaged`: they are not the ones that were brought in.
    """
    if len(raw) != described["bytes"] or hashlib.sha256(raw).hexdigest() != described["sha256"]:
        raise KeelError(
            "damaged", "what was brought in with this entry is not what its check sum says", where
        )


def read_columns(raw: bytes, mapping: Mapping[str, Any]) -> Arrays:
    """Return the columns that a mapping reads from bytes.

    Raises
    ------
    KeelError
        `not-a-number`, naming the line; `no-rows`; `not-text`. Nothing is guessed and no row is passed over but empty ones.
    """
    try:
        text = raw.decode("utf-8-sig")
    except UnicodeDecodeError as error:
        raise KeelError(
            "not-text", f"byte {error.start + 1} is no text in UTF-8; save the file as such"
        ) from None
    if mapping.get("decimal_mark", ".") == ",":
        text = text.replace(",", ".")
    if mapping.get("form", ROWS) != ROWS:
        table = points_of(text, str(mapping["form"]))
        return {name: table[:, int(at)] for name, at in mapping["columns"].items()}
    skip, names = int(mapping.get("skip", 0)), list(mapping["columns"])
    with warnings.catch_warnings():
        warnings.simplefilter("ignore", UserWarning)  # that there is no row is said below
        try:
            table = np.loadtxt(
                io.StringIO(text),
                delimiter=mapping.get("delimiter") or None,
                skiprows=skip,
                usecols=[int(mapping["columns"][name]) for name in names],
                ndmin=2,
                comments=None,
            )
        except (ValueError, IndexError):
            raise _first_wrong(text, mapping, skip) from None
    if not len(table):
        raise KeelError("no-rows", "there is no row of numbers in it")
    if not np.isfinite(table).all():
        raise _first_wrong(text, mapping, skip)
    units = mapping.get("units", {})
    factors = [1.0 if (unit := units.get(name, "m")) == "1" else UNIT_IN_M[unit] for name in names]
    return {name: table[:, k] * factors[k] for k, name in enumerate(names)}


def points_of(text: str, form: str) -> npt.NDArray[np.float64]:
    """Return the points that a LandXML or a GeoJSON file holds: along, across, up (n, 3) [m].

    Parameters
    ----------
    text : str
    form : str
        "landxml": the corners of its surfaces, or, where it has none, its coordinate points, northing, easting and height in its
        linear unit; "geojson": its features that are points with a height, in metres.

    Raises
    ------
    KeelError
        `not-text`: it isn't well formed; `no-rows`: no point with a height is in it; `not-a-number`.
    """
    try:
        found = _of_landxml(text) if form == LANDXML else _of_geojson(text)
        table = np.array(found, dtype=np.float64).reshape(-1, 3)
    except (SyntaxError, json.JSONDecodeError, RecursionError) as error:  # XML's own error is a SyntaxError
        raise KeelError("not-text", f"this is no well-formed {form} file: {error}") from None
    except (ValueError, TypeError, KeyError, AttributeError, OverflowError):
        raise KeelError("not-a-number", "a point in it has something else than three numbers") from None
    if not len(table):
        raise KeelError("no-rows", "no point with a height is in it")
    if not np.isfinite(table).all():
        raise KeelError("not-a-number", "a point in it has something else than three numbers")
    return table


def _of_landxml(text: str) -> list[list[float]]:
    from xml.etree import ElementTree  # when it is wanted: the window stands sooner

    try:
        root = ElementTree.fromstring(text.encode())
    except LookupError as error:
        raise SyntaxError(str(error)) from None
    units = [str(e.get("linearUnit", "")).casefold() for e in root.iter() if "linearUnit" in e.attrib]
    factor = {"foot": UNIT_IN_M["ft"], "ussurveyfoot": 1200 / 3937, "millimeter": 0.001}.get(
        units[0] if units else "", 1.0
    )
    for name in ("P", "CgPoint"):
        found = [
            [float(word) * factor for word in (e.text or "").split()]
            for e in root.iter()
            if e.tag.rpartition("}")[2] == name and len((e.text or "").split()) == 3
        ]
        if found:
            return [[east, north, up] for north, east, up in found]
    return []


def _of_geojson(text: str) -> list[list[float]]:
    told = json.loads(text)
    features = told["features"] if told.get("type") == "FeatureCollection" else [told]
    points = [
        f["geometry"]["coordinates"] for f in features if (f.get("geometry") or {}).get("type") == "Point"
    ]
    return [[float(v) for v in place] for place in points if len(place) == 3]


def _first_wrong(text: str, mapping: Mapping[str, Any], skip: int) -> KeelError:
    """Return the fault of the first row that can't be read."""
    for number, line in enumerate(text.splitlines()[skip:], skip + 1):
        cells = line.split(mapping.get("delimiter") or None)
        for name, at in mapping["columns"].items() if line.strip() else ():
            try:
                good = math.isfinite(float(cells[at]))
            except (ValueError, IndexError):
                good = False
            if not good:
                found = f"“{cells[at].strip()}”" if at < len(cells) else "nothing"
                return KeelError(
                    "not-a-number",
                    f"line {number}: expected a number for {name}, found {found}",
                    f"line {number}",
                )
    return KeelError("not-a-number", "its rows of numbers can't be read")
