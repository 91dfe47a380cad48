"""One number, one U: whatever a screen, a report or a table says of a work stands in its archive, to the last digit that is shown."""

from __future__ import annotations

import csv
import io
import math
import re

import pytest

from tests.mill import mill
from tests.test_said import desk_said
from tests.trades.conftest import wait
from vivid_keel.trades.registry import LISTED, desk_for

UNITS = {"mm/m": 1e-3, "mm": 1e-3, "m³": 1.0, "litres": 1e-3, "m²": 1.0, "m": 1.0, "°": math.pi / 180}
SAID = re.compile(
    r"(?:([+−-]?\d[\d.,]*)(?: (mm/m|mm|litres|m³|m²|m|°))?(?: \|)? )?± (\d[\d.,]*\d|\d)(?: ?(mm/m|mm|litres|m³|m²|m\b|°))?"
)
LIMITS = re.compile(
    r"(?:[Aa]llowed|good to|come back off by 10 mm;[^±]*) ± [\d.]+(?: mm)?|misclosure on [^|]*\|[^|]*\| ± [\d.]+ mm"
)
"""What stands behind "±" but is no U: what is allowed, and what was assumed."""
QUANTITIES = {
    "height (m)": 1.0,
    "height": 1.0,
    "corrected": 1.0,
    "height_m": 1.0,
    "below_plane_m": 1.0,
    "as found mm": 1e-3,
    "as found": 1.0,
    "as left mm": 1e-3,
    "as left": 1.0,
    "off mm": 1e-3,
    "move mm": 1e-3,
    "U mm": 1e-3,
}
"""Columns of tables that tell what was worked out, and their units [SI]."""
NAMED = ("mark", "point", "post", "foot")


def told_of(desk, job):
    """The lines of its archive: of what, value, U (nan where there is none)."""
    head, *rows = desk.face.told(desk.result, job.journal).results
    if head[1] == "quantity":
        return [(of, float(value), float(U) if U else math.nan) for of, _, value, _, U, _ in rows]
    at = {name: k for k, name in enumerate(head)}
    return [
        (row[0], float(row[at[name]]), float(row[at["U_m"]] or "nan"))
        for row in rows
        for name in ("height_m", "adjusted_m", "corrected_m")
        if name in at and row[at[name]]
    ]


def number(text):
    """A number and half of its last digit, as it is shown."""
    text = text.replace("−", "-").rstrip(".,").replace(",", "")
    return float(text), 10.0 ** -len(text.partition(".")[2])


def shown_as(text, value, units):
    """Whether `text` shows a value of the archive, rounded (U may be rounded up), in one of `units`."""
    shown, step = number(text)
    return any(abs(abs(shown) - abs(value) / unit) <= 1.001 * step for unit in units)


def not_kept(lines, rows):
    """What is said with a U that no line of the archive has, value and U together."""
    out = []
    for line in lines:
        for match in SAID.finditer(LIMITS.sub("", line)):
            value, unit, U, unit_of_U = match.groups()
            units = [UNITS[unit_of_U]] if unit_of_U else [UNITS[unit]] if unit else [1e-3, 1.0]
            own = [UNITS[unit]] if unit else [1e-3, 1.0]
            if not any(
                shown_as(U, kept_U, units) and (value is None or shown_as(value, kept, own))
                for _, kept, kept_U in rows
                if not math.isnan(kept_U)
            ):
                out.append((match.group(0), line[:120]))
    return out


def works(job, key):
    """The desks of all works of a trade in the demo, worked out."""
    for work in job.journal.works():
        desk = desk_for(job, work.id)
        if desk.type == key:
            wait(desk)
            yield desk


@pytest.mark.parametrize("trade", [one.key for one in LISTED])
def test_every_uncertainty_that_is_said_is_kept(tmp_path, trade):
    with mill(tmp_path / "mill.keel") as job:
        for desk in works(job, trade):
            rows = told_of(desk, job)
            assert rows
            assert not not_kept(desk_said(desk), rows)
            pages = desk.report()()
            assert not not_kept([text for page in pages for text in page.texts()], rows)


@pytest.mark.parametrize("trade", [one.key for one in LISTED])
def test_what_a_table_says_is_what_is_kept(tmp_path, trade):
    with mill(tmp_path / "mill.keel") as job:
        for desk in works(job, trade):
            rows = told_of(desk, job)
            for writer in desk.face.writers:
                if "CSV" not in writer.label or writer.write is None:
                    continue
                path = tmp_path / "table.csv"
                writer.write(desk, path)
                lines = list(csv.DictReader(io.StringIO(path.read_text(encoding="utf-8-sig"))))
                assert lines
                for line in lines:
                    name = next((line[key] for key in NAMED if key in line), None)
                    for column, unit in QUANTITIES.items():
                        if not line.get(column):
                            continue
                        assert any(
                            shown_as(line[column], number, [unit])
                            for of, *both in rows
                            if name is None or of == name or of.startswith(f"{name},")
                            for number in both
                            if not math.isnan(number)
                        ), (trade, writer.key, column, line)
