"""Blank booking pages, for both schools in every unit."""

from __future__ import annotations

from vivid_keel.figures.display import Picture
from vivid_keel.figures.report import A4, BOTTOM, LEFT, RIGHT

SCHOOLS = ("Height of collimation", "Rise and fall")
PROMPTS = (
    "1  Which benchmark, and how high?   2  Backsight on it.   3  Height of collimation, before anything else.",
    "4  Look at every reading twice before the staff moves.   5  Last of all the mark you began on, then lift the instrument.",
    "Moved, knocked or taken in: the old height of collimation is dead; draw a line and take a new backsight.",
)
LINES = 25


def blank_form(school: str, unit: str, job: str, page: int) -> Picture:
    """Return a blank page for one of the two schools, to print and write on.

    Parameters
    ----------
    school : str
        One of `SCHOOLS`.
    unit : str
        Unit of the readings: "m", "ft" or "ft-in" (with room for eighths).
    job : str
    page : int
        Its number; type it in with the readings, so that the paper is found again.
    """
    picture = Picture(*A4)
    picture.text(LEFT, 46, "Level book", "ink", 16, bold=True)
    picture.text(RIGHT, 46, f"{school} · {UNIT_WORDS.get(unit, unit)}", "ink", 10, bold=True, align="right")
    y = 66.0
    for row in (
        (("Job", job), ("Page", str(page)), ("Date", "")),
        (("Instrument", ""), ("Checked on", ""), ("Staff", "")),
        (("Reader", ""), ("Booker", ""), ("From … to (time)", "")),
    ):
        for k, (name, value) in enumerate(row):
            x = LEFT + k * 168
            picture.text(x, y, name, "muted", 8)
            picture.text(x + 62, y, value, "ink", 9)
            picture.line(x + 60, y + 3, x + 158, y + 3, "rule", 0.6)
        y += 18
    picture.text(LEFT, y, "Benchmark", "muted", 8)
    picture.line(LEFT + 60, y + 3, LEFT + 230, y + 3, "rule", 0.6)
    picture.text(LEFT + 240, y, "its height", "muted", 8)
    picture.line(LEFT + 285, y + 3, LEFT + 370, y + 3, "rule", 0.6)
    picture.text(LEFT + 380, y, "from", "muted", 8)
    picture.line(LEFT + 402, y + 3, RIGHT, y + 3, "rule", 0.6)
    y += 14
    for words in PROMPTS:
        y += 11
        picture.text(LEFT, y, words, "ink", 8)
    middle = ("HC",) if school == SCHOOLS[0] else ("Rise", "Fall")
    columns = [
        ("Mark", 96.0),
        ("BS", 52.0),
        ("IS", 52.0),
        ("FS", 52.0),
        *((m, 62.0 if len(middle) == 1 else 44.0) for m in middle),
        ("Height", 62.0),
        ("Dist", 34.0),
        ("2nd look", 46.0),
    ]
    columns.append(("Remark", RIGHT - LEFT - sum(w for _, w in columns)))
    top, step = y + 14, (BOTTOM - 64 - y - 14) / (LINES + 1)
    x = LEFT
    for name, wide in columns:
        picture.text(x + 3, top + step - 7, name, "ink", 8.5, bold=True)
        picture.line(x, top, x, top + step * (LINES + 1), "rule", 0.6)
        if unit == "ft-in" and name in {"BS", "IS", "FS", "HC", "Height", "2nd look"}:
            picture.text(x + wide - 3, top + step - 7, "′  ″  ⅛", "muted", 7, align="right")
        x += wide
    picture.line(RIGHT, top, RIGHT, top + step * (LINES + 1), "rule", 0.6)
    for n in range(LINES + 2):
        picture.line(
            LEFT,
            top + n * step,
            RIGHT,
            top + n * step,
            "ink" if n in (0, 1) else "rule",
            0.8 if n in (0, 1) else 0.5,
        )
    foot = top + step * (LINES + 1) + 18
    sums = "Σ BS ________   − Σ FS ________   = ________      last − first ________"
    if len(middle) == 2:
        sums += "      Σ rise − Σ fall ________"
    picture.text(LEFT, foot, sums, "ink", 9)
    picture.text(
        LEFT,
        foot + 16,
        "These sums catch sums, not readings. Closing on a known mark catches readings: misclosure ________  allowed ________",
        "muted",
        8,
    )
    picture.text(
        LEFT,
        816,
        "Typing this in: give each reading this page's number and the time it was read.",
        "muted",
        7,
    )
    return picture


UNIT_WORDS = {"m": "metres", "mm": "millimetres", "ft": "decimal feet", "ft-in": "feet, inches, eighths"}


def blank_forms(units: list[str], job: str) -> list[Picture]:
    """Return a blank page for both schools in each of the units."""
    return [blank_form(school, unit, job, 1) for unit in units for school in SCHOOLS]
