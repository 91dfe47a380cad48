"""What the numbers of a run say, in sentences, worst first."""

from __future__ import annotations

import math

import numpy as np

from vivid_keel.core.booking.checks import PageChecks
from vivid_keel.core.booking.layout import KINDS
from vivid_keel.core.booking.odds import SELDOM, odds, often
from vivid_keel.core.booking.slips import Search
from vivid_keel.core.cautions import Caution, for_instrument
from vivid_keel.core.instruments.defaults import WAY
from vivid_keel.core.instruments.used import Use
from vivid_keel.core.kinds import Finding, State
from vivid_keel.core.quantities import is_missing, show_amount, show_length, show_move, show_thickness
from vivid_keel.core.working import Working
from vivid_keel.trades.run.book import EVENT, RunBook
from vivid_keel.trades.run.corrected import corrected_findings
from vivid_keel.trades.run.legs import bad_words, hanging, leg_words, met_title, met_words
from vivid_keel.trades.run.result import RunResult, coefficient_words
from vivid_keel.trades.run.slips import doubts, told, verdict_words


def run_state(result: RunResult) -> State:
    """Return (verdict, words) for the job list."""
    n, closure = len(result.book.sights), result.closure
    if not n:
        return State("todo", "nothing read yet")
    if result.trouble:
        return State(
            "out", f"{len(result.trouble)} row{'s' if len(result.trouble) > 1 else ''} can't be reduced"
        )
    if closure.misclosure is None:
        return State("out", bad_words(result)) if result.bad else State("open", f"{n} read · open")
    said = show_move(closure.misclosure, result.book.style, _decimals(result))
    if result.bad and closure.accepted is not False:
        return State("out", bad_words(result))
    if closure.accepted is None:
        return State("open", f"closes {said} · no limit")
    return State("in", f"closes {said}") if closure.accepted else State("out", f"out by {said}")


def run_findings(
    result: RunResult, stage: str = "", checks: PageChecks | None = None, found: Search | None = None
) -> list[Finding]:
    """Return what there is to say about a run; `checks` and a search for slips are taken where they are known."""
    out: list[Finding] = []
    book = result.book
    for row, message in list(result.trouble.items())[:4]:
        sight = book.rows[row]
        out.append(
            Finding(
                "out",
                f"{sight.mark or 'This sight'} can't be reduced",
                message,
                action=f"row:{row}",
                action_label="Go to it",
            )
        )
    if len(result.trouble) > 4:
        out.append(
            Finding(
                "out",
                f"{len(result.trouble) - 4} more rows can't be reduced",
                "They are marked in the sheet.",
            )
        )
    out += _followed(book)
    if book.sights:
        out += [
            _closing(result),
            *_slip(result, found),
            *_read_again(result),
            *_doubts(result),
            *_class_that_fits(result),
            *_met(result),
            *_arithmetic(result, checks or result.checks()),
            *_balance(result),
            *corrected_findings(result),
            *_worst(result),
        ]
    return out + _struck(result)


def run_uses(result: RunResult) -> list[Use]:
    """Return the instruments that read in a run, each with the sights it read."""
    book = result.book
    read = [sum(book.rows[i].instrument == n for i in book.sights) for n in range(len(book.instruments))]
    last = len(read) - 1
    return [Use(i, read[n], "sight", n == last) for n, i in enumerate(book.instruments)]


def run_cautions(result: RunResult, stage: str) -> tuple[Caution, ...]:
    """Return the cautions of what is read with."""
    return for_instrument(result.book.instrument.way) if stage in {"Instrument", "Set-up"} else ()


def _decimals(result: RunResult) -> int:
    return max(0, result.book.style.decimals - 3) if result.book.style.unit == "m" else 1


def _closing(result: RunResult) -> Finding:
    closure, book = result.closure, result.book
    tolerance = book.settings.tolerance
    if closure.misclosure is None:
        start = next((k.name for k in book.known), "the benchmark")
        return Finding(
            "open",
            "The run is open",
            "Its heights have no check, and neither has anything made from them. "
            f"Close it with a foresight on {start} or another known mark.",
            action="new-sight",
            action_label="Book the next sight",
        )
    w = closure.misclosure
    n = len(closure.path)
    why = Working(
        "Misclosure",
        "w = observed − known;  allowed = k·√n"
        if tolerance.per == "setup"
        else "w = observed − known;  allowed = k·√K",
        f"w = {show_length(result.height(book.sights[closure.row]), book.style)} − "
        f"{show_length(result.layout.listed[closure.mark].height, book.style)} = {show_move(w, book.style)};  "
        + (
            f"{coefficient_words(tolerance.coefficient, book.style)}·√{n}"
            if tolerance.per == "setup"
            else f"{coefficient_words(tolerance.coefficient, book.style)}·√{(closure.length or 0) / 1000:.3f} km"
        )
        + (
            f" = {show_amount(closure.allowed, book.style)}"
            if closure.allowed is not None
            else ": lengths missing"
        ),
        (f"FS {closure.mark}, set-up {result.layout.setup[closure.row] + 1}", f"class: {tolerance.name}"),
        "A closing run finds slips that stay in the heights; it doesn't find what cancels.",
    )
    said = show_move(w, book.style, _decimals(result))
    if closure.allowed is None:
        return Finding(
            "open",
            f"Closes to {said}; no limit yet",
            "This class goes by length and some sights have no distance. Book them, or choose a class by set-ups.",
            why,
            "proof",
            "Choose a class",
        )
    limit = f"{show_amount(closure.allowed, book.style)} allowed"
    rule = f"{coefficient_words(tolerance.coefficient, book.style)}·√{'n' if tolerance.per == 'setup' else 'K'}, {tolerance.name}, {n} set-up{'s' if n != 1 else ''}."
    if closure.accepted and result.bad:
        return Finding(
            "open",
            f"Closes to {said}; {limit}, yet a mark met on the way is out",
            f"{rule} Not spread: a run that says two things of one mark proves nothing by closing.",
            why,
        )
    if closure.accepted:
        spread = "Spread over the set-ups." if closure.spread else "Not spread, as chosen."
        return Finding("in", f"Closes to {said}; {limit}", f"{rule} {spread}", why)
    if closure.spread:
        return Finding(
            "out", f"Out by {said}; {limit}", f"{rule} Spread all the same: {book.settings.reason}", why
        )
    return Finding(
        "out",
        f"Out by {said}; {limit}",
        f"{rule} Not spread. Look for a slip and read again; the last sights first.",
        why,
        "proof",
        "See the proof",
    )


def _class_that_fits(result: RunResult) -> list[Finding]:
    """What the chosen class would let through, where another fits what the run was read with."""
    book, u = result.book, result.u_misclosure()
    tolerance, limit = book.settings.tolerance, result.closure.allowed
    fits = result.fitting_class()
    if result.closure.misclosure is None or limit is None or is_missing(u) or fits in {"", tolerance.name}:
        return []
    found = odds(limit, u)
    wide = found.fails <= SELDOM
    why = Working(
        "What a class is worth",
        "honest runs beyond the limit L: 2·Φ(−L/u);  a slip s passes one time in ten: s = L + 1.28·u",
        f"u = {show_amount(u, book.style)}, L = {show_amount(limit, book.style)}:  {often(found.fails)};  s = {show_amount(found.through, book.style)}",
        ("the u of the sights that the way goes by",),
        "A limit far above the u of the readings never alarms, and lets slips through.",
    )
    return [
        Finding(
            "note",
            f"A slip of {show_amount(found.through, book.style)} may pass this class"
            if wide
            else f"Honest runs fail this class {often(found.fails)}",
            f"“{fits}” fits what it was read with: honest runs of this length seldom fail it"
            + (", and it lets less through." if wide else "."),
            why,
            "proof",
            "Choose a class",
        )
    ]


def _met(result: RunResult) -> list[Finding]:
    """Marks met again: those that don't agree, each by name, then the rest in one line."""
    book, style, out = result.book, result.book.style, []
    at = result.layout.setup
    # On one set-up it is a look that moved: said among the looks.
    bad = [one for one in result.bad if one.first < 0 or at[one.row] != at[one.first]]
    for one in bad[:4]:
        leg = leg_words(result, one)
        if leg:
            lost = hanging(result, one)
            text = f"{leg} was levelled twice and the two differ: the mistake lies in this leg. Say which way counts."
            if lost:
                text += f" With the first way {_listed(lost)} would have to be read again."
        elif one.first < 0:
            text = "It closes the run up to there, and is out. Find the mistake and strike the reading, or say in words why it differs."
        else:
            text = "What was read of it doesn't agree. Find the mistake and strike the reading, or say in words why it differs."
        row = book.sights[one.row]
        out.append(
            Finding("out", met_words(result, one), text, action=f"met:{row}", action_label="Settle it")
        )
    if len(bad) > 4:
        more = len(bad) - 4
        out.append(
            Finding(
                "out",
                f"{more} more mark{'s' if more > 1 else ''} met again off",
                "They stand under Proof, Met again.",
            )
        )
    for one in result.met:
        reason = book.explained.get(book.rows[book.sights[one.row]].id)
        if reason and not one.agrees:
            out.append(Finding("note", f"{met_title(result, one)}: explained", reason))
    for one in result.met:
        if one.first < 0 and one.agrees:
            limit = (
                "no limit is known"
                if is_missing(one.allowed)
                else f"{show_amount(one.allowed, style)} allowed"
            )
            out.append(
                Finding(
                    "note",
                    f"Passed {result.layout.marks[one.row]}: {show_move(one.difference, style)}",
                    f"Observed against listed; {limit}. The run went on from what was observed.",
                )
            )
    good = [one for one in result.met if one.agrees and one.first >= 0]
    if good:
        worst = max(abs(one.difference) for one in good)
        n = len({result.layout.marks[one.row] for one in good})
        again = f"{n} mark{'s' if n > 1 else ''} met again agree{'s' if n == 1 else ''}"
        legs = [leg_words(result, one) for one in good if one.leg is not None]
        text = f"Within {show_amount(worst, style)}."
        if legs:
            text += f" {_listed(legs)}, levelled twice: both ways agree, so a mistake lies elsewhere."
        out.append(Finding("in", again, text))
    return out


def _listed(names: list[str]) -> str:
    return ", ".join(names[:3]) + (f" and {len(names) - 3} more" if len(names) > 3 else "")


def _arithmetic(result: RunResult, checks: PageChecks) -> list[Finding]:
    style = result.book.style
    difference = checks.difference
    why = Working(
        "Page check",
        "ΣBS − ΣFS = last − first = Σrise − Σfall",
        f"{show_length(checks.begun, style)} − {show_length(checks.ended, style)} = "
        f"{show_length(difference.left, style)};  last − first {show_length(difference.right, style)};  "
        f"Σrise − Σfall {show_length(checks.rise_and_fall.left, style)}",
        ("all sights that stand",),
        "These checks catch sums, not readings.",
    )
    if not checks.computed:
        said = (
            "No sight hangs on a known height, so nothing was computed that could agree: list the benchmark."
        )
        return [Finding("open", "No height, no check", said, action="known", action_label="Go to it")]
    if checks.agree:
        return [
            Finding(
                "in",
                "Both schools agree",
                "Height of collimation and rise and fall give the same heights, and the sums check.",
                why,
            )
        ]
    return [Finding("out", "The page does not add up", "Report this: the two schools must agree.", why)]


def _followed(book: RunBook) -> list[Finding]:
    """Known marks that follow another work: that they do, and what is wrong with it."""
    out = []
    for k in book.known:
        if k.trouble:
            out.append(
                Finding(
                    "open",
                    f"{k.name}: its source",
                    f"{k.trouble[:1].upper()}{k.trouble[1:]}.",
                    action="known",
                    action_label="Go to it",
                )
            )
        elif k.from_work:
            out.append(
                Finding(
                    "note",
                    f"{k.name} {k.source}",
                    f"{show_length(k.height, book.style, unit=True)} ± {show_amount(2 * k.u, book.style, up=True)}; "
                    "changes there are taken over here.",
                )
            )
    return out


def _slip(result: RunResult, found: Search | None) -> list[Finding]:
    if found is None:
        return []
    title, text = verdict_words(result, found)
    why = told(result, found)[0].why if found.suggestions else None
    return [Finding("out", title, text, why, "slips", "Find the slip")]


def _read_again(result: RunResult) -> list[Finding]:
    """A reading that was taken again while the mistake is looked for: that it stands, and what that means."""
    again = list(result.book.read_again.values()) if result.sound is False else []
    if not again:
        return []
    names = _listed([f"{KINDS[row.kind]} {row.mark}" for row in again])
    return [
        Finding(
            "note",
            f"Read again, the same: {names}",
            "That place is less likely now; the search goes on without it.",
        )
    ]


def _doubts(result: RunResult) -> list[Finding]:
    """Looks, hairs and closing looks that don't agree; then the good ones in one line."""
    book, style = result.book, result.book.style
    out = []
    found = doubts(result)
    for doubt in found[:4]:
        sight = book.rows[doubt.row]
        by = "" if math.isnan(doubt.by) else f" by {show_move(doubt.by, style)}"
        again = (
            "Take a backsight anew and read again what came after."
            if doubt.what == "again"
            else "Look again before the staff moves."
        )
        out.append(
            Finding(
                "out",
                f"{sight.mark}: {'read again' if doubt.what == 'again' else doubt.what} off{by}",
                f"{doubt.text[:1].upper()}{doubt.text[1:]}. {again}",
                action=f"row:{doubt.row}",
                action_label="Go to it",
            )
        )
    if len(found) > 4:
        out.append(
            Finding("out", f"{len(found) - 4} more looks don't agree", "They are marked in the sheet.")
        )
    return out


def _balance(result: RunResult) -> list[Finding]:
    layout, d, style = result.layout, result.distances, result.book.style
    worst, at = 0.0, -1
    unknown = 0
    for s in range(layout.setups):
        b, f = layout.backsight[s], layout.foresight[s]
        if b < 0 or f < 0:
            continue
        difference = abs(d[b] - d[f])
        if math.isnan(difference):
            unknown += 1
        elif difference > worst:
            worst, at = float(difference), s
    pairs = sum(1 for s in range(layout.setups) if layout.backsight[s] >= 0 and layout.foresight[s] >= 0)
    if pairs == 0:
        return []
    if unknown:
        return [
            Finding(
                "note",
                f"{unknown} of {pairs} set-ups without distances",
                "Whether back and fore sights balance is not known there, so a collimation error would not be seen.",
            )
        ]
    if worst > 10.0:
        return [
            Finding(
                "open",
                f"Set-up {at + 1} is unbalanced by {style.distance(round(worst))} {style.far}",
                "A collimation error goes into its height difference; stand midway, or have the instrument checked.",
            )
        ]
    return [
        Finding(
            "in",
            f"Sights balanced within {style.distance(round(worst))} {style.far}",
            "A collimation error cancels where back and fore sights are as long.",
        )
    ]


def _worst(result: RunResult) -> list[Finding]:
    u = result.u_heights()
    if not len(u) or np.isnan(u).all():
        return []
    row = int(np.nanargmax(u))
    instrument = result.book.instrument
    n = len({int(s) for s in result.layout.setup[: row + 1]})
    ur = result.u_readings
    why = Working(
        f"Uncertainty of {result.layout.marks[row]}",
        "u² = u²(start) + Σ u²(readings on the way);  U = 2·u",
        f"u(reading) = {show_amount(float(ur[row]), result.book.style, 2)}, {n} set-up{'s' if n != 1 else ''} on the way;  u = {show_amount(float(u[row]), result.book.style, 2)};  U = {show_amount(2 * float(u[row]), result.book.style, up=True)}",
        (f"{instrument.name}: {instrument.label}",),
        "" if instrument.stated else "Nobody has said which instrument read these; the default stands in.",
    )
    return [
        Finding(
            "note",
            f"Heights good to ± {show_amount(2 * float(u[row]), result.book.style, up=True)}",
            f"That is U (k = 2) for {result.layout.marks[row]}, the least certain.{_held_in_u(result, row)}",
            why,
        )
    ]


def _held_in_u(result: RunResult, row: int) -> str:
    """Say what U holds beside chance: how coarsely it was read, and a bound for what nobody paced."""
    style, said = result.book.style, ""
    instrument = result.book.instrument
    usual = WAY[instrument.way].step if instrument.way in WAY else 0.001
    step = result.read_to(usual)
    if step > usual:
        said += f" All readings lie on steps of {show_thickness(step, style)}: U holds that."
    bound = result.collimation_bound()
    if bound is not None and bound[row] > 0:
        said += (
            f" {show_amount(float(bound[row]), style)} of it is a bound for collimation in sights without a length, so it may "
            "cover more than 95 in a hundred; pace them, and it goes."
        )
    return said


def _struck(result: RunResult) -> list[Finding]:
    rows = result.book.rows
    # A reading whose mark was only renamed is not struck: it stands beside under its new name.
    n = sum(
        not row.stands
        and row.kind != EVENT
        and not (
            after is not None and (after.text, after.kind) == (row.text, row.kind) and after.mark != row.mark
        )
        for row, after in zip(rows, [*rows[1:], None], strict=False)
    )
    said = Finding(
        "note", f"{n} reading{'s' if n > 1 else ''} struck", "Kept and legible; no height uses it."
    )
    return [said] if n else []
