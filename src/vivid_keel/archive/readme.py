"""The words that go with an archive: what it is, and how to recompute every height with a text editor's worth of code."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from textwrap import indent

PYTHON = """import csv
seen, height, carried, last = {}, {}, set(), None
with open("as-read.csv", encoding="utf-8", newline="") as lines:
    sights = [r for r in csv.DictReader(lines) if r["sight"] in ("BS", "IS", "FS") and not r["struck"] + r["reason"]]
for s in dict.fromkeys(r["setup"] for r in sights):
    here, line = [r for r in sights if r["setup"] == s], None
    for m, known, back in [(r["mark"], r["known_height_m"], float(r["reading_m"])) for r in here if r["sight"] == "BS"]:
        start = seen.get(m) if m == last or not known else float(known)
        if start is None: continue
        line = start + back
        if not known: carried.add(m)
        if not known or m not in height: height[m] = start
    last = None
    for m, sight, read in [(r["mark"], r["sight"], float(r["reading_m"])) for r in here if r["sight"] != "BS"]:
        seen[m], last = None if line is None else line - read, m if sight == "FS" else None
        if m not in carried and line is not None: height[m] = seen[m]
for m, h in height.items(): print(m, format(h, ".6f"), sep=",")
"""
AWK = """awk -F, '{ gsub(/"[^"]*"/, "q") }
NR > 1 && $4 ~ /^[BIF]S$/ && $13 == "" && $14 == "" { n++; s[n] = $2; m[n] = $3; k[n] = $4; x[n] = $7; w[n] = $9 }
END { for (f = 1; f <= n; f = e) { ok = 0
  for (e = f; e <= n && s[e] == s[f]; e++) if (k[e] == "BS") {
    if (m[e] != last && w[e] != "") h = w[e]; else if (m[e] in seen) h = seen[m[e]]; else continue
    ok = 1; line = h + x[e]; if (w[e] == "") carried[m[e]]; if (w[e] == "" || !(m[e] in H)) H[m[e]] = h }
  last = ""
  for (i = f; i < e; i++) if (k[i] != "BS") { last = k[i] == "FS" ? m[i] : ""
    if (!ok) delete seen[m[i]]; else { seen[m[i]] = line - x[i]; if (!(m[i] in carried)) H[m[i]] = line - x[i] } } }
  for (i in H) printf "%s,%.6f\\n", i, H[i] }' as-read.csv
"""
"""Both print every mark with its height as carried, as `height_m` of results.csv has it."""


def readme(
    job: str,
    place: str,
    written: str,
    version: str,
    units: Sequence[str],
    datums: Sequence[str],
    works: Sequence[tuple[str, str, str]],
    mark: str = "",
    rules: Mapping[str, str] | None = None,
) -> str:
    """Return the text of README.txt.

    Parameters
    ----------
    job, place, written, version : str
    units, datums : sequence of str
        Of the works; where heights come from, in words.
    works : sequence of (str, str, str)
        Folder, name and what it is, of each.
    mark : str
        What of the job isn't as it was written, in words; "" where all is.
    rules : mapping of str to str
        How results come about, by the sort of work.
    """
    told = "".join(
        f"\n{kind[:1].upper()}{kind[1:]}\n{indent(rule, '  ')}\n" for kind, rule in (rules or {}).items()
    )
    warned = f"\nNOT AS IT WAS WRITTEN. {mark}\n" if mark else ""
    listed = "\n".join(f"  {folder}: {name} ({trade})" for folder, name, trade in works) or "  none"
    heights = "\n".join(f"  {one}" for one in datums) or "  no work has a mark with a known height"
    return f"""{job}
{"=" * len(job)}
{place}
An archive of a job of levelling and of bringing things level, written {written} by Vivid Keel {version}.
{warned}
It is made to be read without that program. All text is UTF-8, lines end with LF, numbers have a decimal point,
lengths are metres and angles radians unless a header says otherwise, times are ISO 8601 with their offset.
Works were booked in: {", ".join(units) or "metres"}.

Where the heights come from (datum and its source)
{heights}

Works
{listed}

What is in it
  entries.jsonl   everything that was entered, one JSON object a line, in order; nothing is ever rubbed out. A line
                  with "strikes" takes the place of that entry, or, of kind "strike", only strikes it; "undo" takes
                  back all entries of an act; an undo of an undo brings them back.
  schema.json     the JSON Schema of such a line.
  kit.jsonl       the entries of the instruments that took readings here, from the kit they belong to.
  kit-schema.json the JSON Schema of such a line.
  works.csv       the works: number, name, trade, unit, how often it was looked at, folder.
  WORK/as-read.csv   every reading as it was read, with its value in SI; struck ones too, with the reason.
  WORK/results.csv   every height, deviation and move, with U (95 in 100: twice the standard uncertainty) and formula.
  WORK/triangles.csv  of a piece of ground: its surface.
  WORK/report.pdf, WORK/*.svg   the report, and each picture.
  blobs/          what was brought in from other files, byte for byte, by its SHA-256, as entries.jsonl names it.
  SHA256SUMS      of every other file; "sha256sum -c SHA256SUMS" says whether one was changed.

How heights come about
  A set-up's line of sight is level. Height of the line = height of the mark looked back at + the reading there (BS);
  height of any other mark read from there = height of the line - its reading (IS, FS). A backsight on the mark that
  the foresight just before was on goes on from that height; on another mark with a known height from that; else from
  what was read of it last. A mark that a line was carried over keeps the height that it was carried with. An overhead
  staff is booked below zero. In results.csv height_m is that height, from the readings as they stand; corrected_m is
  with the instrument's and the staff's own errors and the earth's curve taken out, where that was asked for (corrections_m is what they
  add), and adjusted_m has the misclosure spread, too.
{told}
Recompute height_m of a level run, in its folder, with Python:

{PYTHON}
or, where no name holds a comma, with awk:

{AWK}"""
