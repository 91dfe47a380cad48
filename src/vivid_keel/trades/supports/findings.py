"""What the numbers of the supports say, in sentences, worst first."""

from __future__ import annotations

import numpy as np

from vivid_keel.core.cautions import LIFTING, MACHINES, SHIMS, Caution, for_instrument
from vivid_keel.core.instruments.used import Use
from vivid_keel.core.kinds import Finding, State
from vivid_keel.core.moving.means import KIND, LEAVES, SCREW
from vivid_keel.core.moving.scale import AGREES, CONTRADICTS, UNSURE, sense_by_eye
from vivid_keel.core.proof import NOT_PROVEN, PROVEN_IN, PROVEN_OUT
from vivid_keel.core.quantities import show_number
from vivid_keel.core.working import Working
from vivid_keel.trades.supports.book import FOUND, LEFT
from vivid_keel.trades.supports.line import distances, u_reading
from vivid_keel.trades.supports.passes import limit_of, rises, to_go
from vivid_keel.trades.supports.result import SupportsResult, target_words


def supports_state(result: SupportsResult) -> State:
    """Return (verdict, words) for the job list."""
    n = len(result.book.points)
    if not n:
        return State("todo", "no supports yet")
    if not result.read:
        return State("todo", f"{n} supports · none read")
    if result.read_left:
        out, unsure = _count(result.left_verdicts, PROVEN_OUT), _count(result.left_verdicts, NOT_PROVEN)
        if result.read_left == result.read and not out and not unsure:
            return State("in", f"{n} supports · all proven in")
        if out:
            return State("out", f"{result.read_left} read again · {out} out")
        return State("open", f"{result.read_left} of {result.read} read again")
    return State("open", f"{result.read} read · {len(result.to_move)} to move")


def supports_findings(result: SupportsResult, stage: str) -> list[Finding]:
    """Return what there is to say about the supports at a stage."""
    book = result.book
    out: list[Finding] = []
    if result.trouble is not None and result.read:
        out.append(
            Finding("out", "No target", result.trouble.message, action="target", action_label="Choose a target")
        )
    missing = [p.name for p in book.points if p.found is None]
    if result.read and missing:
        out.append(Finding("open", f"{len(missing)} not read: {_some(missing)}", "Left out of target and moves; shown hollow.",
                           action="readings", action_label="Read them"))  # fmt: skip
    out += _eye(result)
    if result.read and result.trouble is None:
        if result.read_left and (stage == "Proof" or result.all_proven):
            out += _proof(result)
        else:
            out += [*_moves(result), *_stock(result)]
            if result.read_left:
                out += _proof(result)
    i = book.instrument
    out += _rounds(result, stage)
    if i is not None and i.collimation is not None and result.read:
        worst = float(np.nanmax(np.abs(i.collimation * distances(book)))) if book.station is not None else 0.0
        if book.station is None:
            out.append(Finding("note", "The line's own slope is known, its station isn't",
                               "Say where the instrument stands, under Heights, Corrections; then it can be taken out.",
                               action="corrections", action_label="Go to it"))  # fmt: skip
        else:
            said = "taken out" if book.use_collimation else "left in"
            out.append(Finding("note" if book.use_collimation else "open", f"Collimation {said}: up to {show_number(worst * 1000, 2)} mm",
                               "Readings stay as read; each post's part is under Heights, Corrections.",
                               action="corrections", action_label="Go to it"))  # fmt: skip
    struck = sum(len(p.struck) for p in book.points)
    if struck:
        out.append(
            Finding(
                "note", f"{struck} reading{'s' if struck > 1 else ''} struck", "Kept and legible; no height uses it."
            )
        )
    return out


def supports_uses(result: SupportsResult) -> list[Use]:
    """Return the instruments that read the supports, each with its readings."""
    book = result.book
    reads = [r for p in book.points for r in (p.found, p.left) if r is not None]
    last = len(book.instruments) - 1
    return [Use(i, sum(r.instrument == k for r in reads), "reading", k == last) for k, i in enumerate(book.instruments)]


def supports_cautions(result: SupportsResult, stage: str) -> tuple[Caution, ...]:
    """Return the cautions of what is read with, and before anything is lifted."""
    if stage in {"Instrument", "Set-up"} and result.book.instrument is not None:
        return for_instrument(result.book.instrument.way)
    if stage != "Moves" or not result.to_move:
        return ()
    own = {LEAVES: (SHIMS,), SCREW: (MACHINES,)}.get(result.book.means.kind, ())
    return (LIFTING, *own) if result.lifts_something else own


def _rounds(result: SupportsResult, stage: str) -> list[Finding]:
    """What the finished rounds taught, how many are to go, the stages of this one, and what hangs on it."""
    book, out = result.book, []
    for told in result.learned.told[-1:]:
        share = "nothing was moved" if told.took != told.took else f"{told.took * 100:.0f} % of it took"
        go = to_go(book, -result.moves, float(np.nanmax(result.u_deviation)) if result.read else 0.0)
        rest = (
            ""
            if go != go or go == 0
            else " It is not getting nearer."
            if go == float("inf")
            else f" About {go:.0f} more round{'s' if go > 1 else ''}."
        )
        out.append(Finding("note", f"Round {told.number}: {share}",
                           f"{told.moved} packed; each interface closes by {result.learned.interface * 1000:.2f} mm.{rest} The packing now follows from that.",
                           action="passes", action_label="See the rounds"))  # fmt: skip
        for reason in [] if result.all_proven else told.reasons[:4]:
            name = book.points[reason.point].name if reason.point >= 0 else "The scale"
            out.append(Finding("open", f"{name} {reason.text.split(':')[0]}"[:60], f"{name} {reason.text}."))
    if stage == "Moves" and result.to_move:
        together = limit_of(book)
        if together is not None and (n := len(result.stages())) > 1:
            out.append(
                Finding(
                    "note",
                    f"{n} stages, neighbours within {together * 1000:.3g} mm",
                    "All to the first stage, then all to the next: nothing is lifted further at once.",
                )
            )
        if result.feet:
            names = ", ".join(book.points[i].name for i in result.feet)
            out.append(Finding("note", f"Three feet first: {names}",
                               "They carry it alone and stand firm. Bring them true, then each other foot up until it just takes load: "
                               f"no reading of the three may move by more than {book.limits.feet * 1000:g} mm. Then tighten in small steps, the middle ones last."))  # fmt: skip
        if book.limits.share < 1:
            out.append(Finding("note", f"{book.limits.share * 100:.0f} % of the way", "What has stood crooked for decades keeps the rest of its sag. "
                               "Days between rounds; look for cracks before the next."))  # fmt: skip
    for name, rise in (
        rises(book, np.where(np.isin(np.arange(len(result.moves)), result.to_move), result.moves, 0.0))
        if result.to_move
        else []
    ):
        if rise == rise and abs(rise) >= 0.0005:
            out.append(
                Finding(
                    "open",
                    f"{name} {'rises' if rise > 0 else 'sinks'} {abs(rise) * 1000:.0f} mm",
                    "It hangs on this row: look at it before and after.",
                )
            )
    return out


def _moves(result: SupportsResult) -> list[Finding]:
    book = result.book
    moves = result.moves[result.to_move] if result.to_move else np.empty(0)
    t = book.limits.tolerance * 1000
    still = result.read - len(result.to_move)
    budget = result.budget()
    why = Working(
        "When a support is left alone", "in: |move| + U ≤ tolerance;  U = 2·√(u²(point) + u²(target))",
        f"U = 2·√({' + '.join(f'{line.u * 1000:.2f}²' for line in budget.lines)}) = {budget.U * 1000:.2f} mm; tolerance {t:g} mm",
        (f"{book.instrument.name}: {book.instrument.label}" if book.instrument else "",),
        f"What is common to one line cancels. Largest share: {budget.dominant.name}.",
    )  # fmt: skip
    if not len(moves):
        return [Finding("in", "Every support is proven in", f"Within {t:g} mm of {target_words(book, result)}.", why)]
    up, down = int((moves > 0).sum()), int((moves < 0).sum())
    parts = [f"{up} to raise, most {moves.max() * 1000:.1f} mm"] if up else []
    if down:
        parts.append(f"{down} to lower, most {-moves.min() * 1000:.1f} mm")
    text = f"Target: {target_words(book, result)}. {still} stand within {t:g} mm and stay untouched." if still else (
        f"Target: {target_words(book, result)}.")  # fmt: skip
    out = [Finding("open", "; ".join(parts).capitalize(), text, why)]
    if book.limits.tolerance <= budget.U:
        out.append(Finding("open", f"This method can't prove {t:g} mm",
                           f"U of a deviation is {budget.U * 1000:.1f} mm. A finer scale or a shorter sight would; or allow more.",
                           why, "instrument", "See the instrument"))  # fmt: skip
    if result.broken:
        out.append(Finding("out", f"The limits rule it out at {_some([book.points[i].name for i in result.broken])}",
                           f"To reach {target_words(book, result)} {result.limits_said}. Choose another target, or other limits.",
                           action="target", action_label="Choose a target"))  # fmt: skip
    for i, said in result.can_not[:4]:
        out.append(Finding("out", f"{book.points[i].name}: {KIND[book.means.kind].label} can't", f"{said[:1].upper()}{said[1:]}. "
                           "Another target, or something else to move it by.", action="means", action_label="See what moves it"))  # fmt: skip
    stuck = [] if book.means.kind != LEAVES else [book.points[i].name for i, w in zip(result.to_move, result.wanted, strict=True) if w < -1e-9]
    if stuck:
        out.append(Finding("out", f"Nothing to take out at {_some(stuck)}",
                           "They would have to come down by more than the packing that is there. Trim, or choose a higher target.",
                           action="target", action_label="Choose a target"))  # fmt: skip
    return out


def _stock(result: SupportsResult) -> list[Finding]:
    book, packing = result.book, result.packing
    if not result.to_move or book.means.kind != LEAVES:
        return []
    if not book.stock:
        return [Finding("todo", "No packing in stock yet", "Say which leaves there are and how many, under Target.",
                        action="stock", action_label="Enter the stock")]  # fmt: skip
    if packing is None:
        return []
    worst = packing.greatest_residual
    t = book.limits.tolerance
    why = Working(
        "Leaves for all points together", "least greatest |left over| first, then fewest leaves",
        f"greatest {worst * 1000:.2f} mm with {packing.leaves} leaves; no choice is better than {packing.bound * 1000:.2f} mm",
        tuple(f"{leaf.text} × {leaf.count}" for leaf in book.stock),
        "" if packing.proven else "The time ran out before every choice was ruled out; this is the best found.",
    )  # fmt: skip
    U = 2 * float(np.nanmax(result.u_left))
    if worst + U <= t + 1e-9:
        return [
            Finding(
                "in",
                f"Stock reaches it: worst left over {worst * 1000:.1f} mm",
                f"{packing.leaves} leaves in all.",
                why,
            )
        ]
    if worst <= t:
        return [Finding("open", f"Stock comes within {worst * 1000:.1f} mm",
                        f"With U = {U * 1000:.1f} mm that may not be provable within {t * 1000:g} mm.", why,
                        "stock", "See the stock")]  # fmt: skip
    short = [book.points[i].name for i in result.to_move if abs(result.left_over(i)) > t]
    gap = "" if packing.proven else f" The best found; no choice is better than {packing.bound * 1000:.2f} mm."
    if packing.to_buy:
        buy = ", ".join(f"{n} of {k * 1000:g} mm" for k, n in packing.to_buy)
        rest = f"To buy: {buy}."
    elif packing.to_buy is None:
        rest = "No number of these thicknesses would; a thinner leaf, or more in a stack."
    else:
        rest = "They would have to come down."
    return [Finding("out", f"Stock can't reach {_some(short)}",
                    f"Worst left over {worst * 1000:.1f} mm, tolerance {t * 1000:g} mm.{gap} {rest}",
                    why, "stock", "See the stock")]  # fmt: skip


def eye_check(result: SupportsResult) -> str:
    """Return what the readings say about the post that looks high (see `sense_by_eye`); "" where nobody was asked."""
    i = next((k for k, p in enumerate(result.book.points) if p.id == result.book.by_eye), -1)
    if i < 0 or np.isnan(result.heights[i]):
        return ""
    return sense_by_eye(result.heights, i, 2 * 2**0.5 * u_reading(result.book))


def _eye(result: SupportsResult) -> list[Finding]:
    book = result.book
    if result.read < 3 or result.read_left or book.passes:
        return []
    said = eye_check(result)
    name = next((p.name for p in book.points if p.id == book.by_eye), "")
    if said == CONTRADICTS:
        return [Finding("out", f"{name} looks high and reads low", "The sense of the scale is likely turned round: hangs, a larger reading is higher; stands, lower. "
                        "Every move would go the wrong way.", action="turn-sense", action_label="Turn the sense round")]  # fmt: skip
    if said == UNSURE:
        return [Finding("note", f"{name} is neither high nor low", "It can't confirm the sense of the scale; name one that looks high for certain.",
                        action="eye", action_label="Name another")]  # fmt: skip
    if said == AGREES:
        return []
    return [Finding("todo", "Which post looks high?", "Name one by eye: it tells at once if the sense of the scale is turned round.",
                    action="eye", action_label="Name it")]  # fmt: skip


def _proof(result: SupportsResult) -> list[Finding]:
    book = result.book
    counts = {v: _count(result.left_verdicts, v) for v in (PROVEN_IN, PROVEN_OUT, NOT_PROVEN)}
    out = []
    t = book.limits.tolerance * 1000
    outs = [book.points[i].name for i, v in enumerate(result.left_verdicts) if v == PROVEN_OUT]
    if outs:
        worst = max((abs(result.deviation_left(i)) for i, v in enumerate(result.left_verdicts) if v == PROVEN_OUT))
        out.append(
            Finding(
                "out", f"Proven out: {_some(outs)}", f"Worst {worst * 1000:.1f} mm against {t:g} mm. Another round."
            )
        )
    unsure = [book.points[i].name for i, v in enumerate(result.left_verdicts) if v == NOT_PROVEN]
    if unsure:
        U = 2 * float(np.nanmax(result.u_left)) * 1000
        out.append(Finding("open", f"Not proven: {_some(unsure)}",
                           f"Too near the limit to tell with U = {U:.1f} mm. Read again with a finer scale."))  # fmt: skip
    waiting = result.read - sum(1 for p in book.points if p.left is not None and p.found is not None)
    if waiting:
        out.append(
            Finding("todo", f"{waiting} still to read as left", "The proof is of every support that was read.")
        )
    elif counts[PROVEN_IN] == result.read_left:
        out.append(Finding("in", "Every support is proven in", f"All {result.read_left} within {t:g} mm as left."))
    if {FOUND, LEFT} <= book.reference.keys():
        out.append(Finding("note", f"Line tied by {book.reference_name}: {show_number(result.line_shift * 1000, 1, signed=True)} mm",
                           "The as-left line against the as-found one; taken out of every as-left reading."))  # fmt: skip
    elif result.read_left:
        out.append(Finding("note", "Taken as read on the same line",
                           "No watch mark ties the two sets of readings. Had the instrument moved, they would all be out alike."))  # fmt: skip
    return out


def _count(verdicts: list[str], which: str) -> int:
    return sum(v == which for v in verdicts)


def _some(names: list[str]) -> str:
    return ", ".join(names[:4]) + (f" and {len(names) - 4} more" if len(names) > 4 else "")
