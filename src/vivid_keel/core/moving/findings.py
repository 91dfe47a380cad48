"""What the numbers say of everything that is brought level: moves, stock, rounds, proof."""

from __future__ import annotations

import math

import numpy as np

from vivid_keel.core.cautions import LIFTING, MACHINES, SHIMS, Caution
from vivid_keel.core.errors import KeelError
from vivid_keel.core.kinds import Finding, State
from vivid_keel.core.moving.choosing import guard
from vivid_keel.core.moving.findings_proof import kept_in, proof_findings, some
from vivid_keel.core.moving.means import KIND, LEAVES, SCREW
from vivid_keel.core.moving.result import Moved, target_words
from vivid_keel.core.moving.rounds import clearance_of, clearance_uses_it_up, limit_of, rises, to_go
from vivid_keel.core.proof import NOT_PROVEN, PROVEN_OUT, Budget
from vivid_keel.core.quantities import show_amount, show_number, show_thickness
from vivid_keel.core.working import Working

MANY = 6
"""More rounds than this are no forecast: it isn't getting nearer."""


THREE_FEET = "Three feet first"
"""How what carries the rest alone is headed."""


def moving_state(result: Moved, called: str) -> State:
    """Return how a work stands; `called` are its points."""
    n = len(result.book.points)
    if not n:
        return State("todo", f"no {called} yet")
    if not result.read:
        return State("todo", f"{n} {called} · none read")
    if result.read_left:
        out, unsure = result.left_verdicts.count(PROVEN_OUT), result.left_verdicts.count(NOT_PROVEN)
        if result.read_left == result.read == result.asked and not out and not unsure:
            return State("in", f"{n} {called} · all proven in")
        if out:
            return State("out", f"{result.read_left} read again · {out} out")
        return State("open", f"{result.read_left} of {result.read} read again")
    return State("open", f"{result.read} read · {len(result.to_move)} to move")


def moving_findings(
    result: Moved, stage: str, budget: Budget, read_with: str, line: list[Finding]
) -> list[Finding]:
    """Return what there is to say of moves and proof at a stage.

    Parameters
    ----------
    result : Moved
    stage : str
    budget : Budget
        Of one as-found deviation.
    read_with : str
        What read them, in words.
    line : list of Finding
        How the as-left readings hang together with the as-found ones, said with the proof.
    """
    out: list[Finding] = []
    if result.read and result.trouble is None:
        if result.read_left and (stage == "Proof" or result.all_proven):
            out += [*proof_findings(result), *line]
        else:
            out += [*changed_since(result), *_moves(result, budget, read_with), *_stock(result)]
            if result.read_left:
                out += [*proof_findings(result), *line]
    return out + _rounds(result, stage)


def no_target(result: Moved) -> list[Finding]:
    """Return why there is no target, where something was read and there is none."""
    if result.trouble is None or not result.read:
        return []
    return [
        Finding("out", "No target", result.trouble.message, action="target", action_label="Choose a target")
    ]


def moving_cautions(result: Moved, stage: str) -> tuple[Caution, ...]:
    """Return the cautions before anything is lifted or turned."""
    if stage != "Moves" or not result.to_move:
        return ()
    kinds = {means.kind for means in result.book.all_means}
    own = tuple(caution for kind, caution in ((LEAVES, SHIMS), (SCREW, MACHINES)) if kind in kinds)
    return (LIFTING, *own) if result.lifts_something else own


def _rounds(result: Moved, stage: str) -> list[Finding]:
    """What the finished rounds taught, how many are to go, the stages of this one, and what hangs on it."""
    book, out = result.book, []
    for told in result.learned.told[-1:]:
        share = (
            "nothing was moved"
            if math.isnan(told.took)
            else f"{show_number(told.took * 100, 0)} % of it took"
        )
        go = to_go(
            book,
            result.task.happened,
            -result.moves,
            float(np.fmax.reduce(result.u_deviation, initial=0.0)),
        )
        rest = (
            ""
            if math.isnan(go) or go == 0
            else " It is not getting nearer."
            if go == float("inf") or go > MANY
            else f" About {go:.0f} more round{'s' if go > 1 else ''}."
        )
        out.append(
            Finding(
                "note",
                f"Round {told.number}: {share}",
                f"{told.moved} packed; each interface closes by {show_amount(result.learned.interface, book.style, 2)}.{rest} The packing now follows from that.",
                action="passes",
                action_label="See the rounds",
            )
        )
        for reason in [] if result.all_proven else told.reasons[:4]:
            name = book.points[reason.point].name if reason.point >= 0 else "The scale"
            out.append(Finding("open", f"{name} {reason.text.split(':')[0]}", f"{name} {reason.text}."))
    if stage == "Moves" and result.to_move:
        together = limit_of(book)
        try:
            n = result.stage_count if result.walk else len(result.stages())
        except KeelError as error:
            n = 0
            out.append(
                Finding(
                    "out",
                    "More stages than anybody takes",
                    f"{error.message[:1].upper()}{error.message[1:]} Neighbours may differ by {(together or 0.0) * 1000:.3g} mm "
                    "at a time.",
                    action="target",
                    action_label="Go to the limits",
                )
            )
        if together is not None and clearance_uses_it_up(book):
            out.append(
                Finding(
                    "out",
                    "The jack's clearance brings neighbours too far apart",
                    f"{show_thickness(clearance_of(book), book.style)} above the leaf, and they may differ by "
                    f"{show_amount(together, book.style, 1 if together >= 1e-4 else 3)}. Slip the leaves in with less, or allow more, under Limits and order.",
                    action="target",
                    action_label="Go to the limits",
                )
            )
        if together is not None and n > 1:
            held = any(step.for_now for steps in result.walk.values() for step in steps)
            beyond = [
                step.place for steps in result.walk.values() for step in steps if step.beyond and step.into
            ]
            out.append(
                Finding(
                    "note",
                    f"{n} stages, neighbours within {show_amount(together, book.style)}",
                    "All to the first stage, each booked as it is done; then the next is shown. Nothing is lifted further at once."
                    + (
                        " “For now”, or in brackets: those leaves hold it until thicker ones fit, and come out again."
                        if held
                        else ""
                    ),
                )
            )
            if beyond:
                out.append(
                    Finding(
                        "open",
                        f"No leaf holds {some([book.points[i].name for i in beyond])} between",
                        "The leaves that are left are thicker than a stage. Block it up in between, or get thinner leaves.",
                        action="stock",
                        action_label="See the stock",
                    )
                )
        if result.feet and _wants_to_know_which_carry(result):
            names = ", ".join(book.points[i].name for i in result.feet)
            out.append(
                Finding(
                    "todo",
                    "Which feet carry it?",
                    f"{names} are taken, which stand furthest apart, until you say. Outriggers may stand further out and carry nothing.",
                    action="feet",
                    action_label="Say which carry it",
                )
            )
        if result.feet:
            names = ", ".join(book.points[i].name for i in result.feet)
            out.append(
                Finding(
                    "note",
                    f"{THREE_FEET}: {names}",
                    "They carry it alone and stand firm. Bring them true, then each other foot up until it just takes load: "
                    f"no reading of the three may move by more than {show_thickness(book.limits.feet, book.style)}. Then tighten in small steps, the middle ones last.",
                )
            )
        if book.limits.share < 1:
            out.append(
                Finding(
                    "note",
                    f"{book.limits.share * 100:.0f} % of the way",
                    "What has stood crooked for decades keeps the rest of its sag. "
                    "Days between rounds; look for cracks before the next.",
                )
            )
    for name, rise in (
        rises(book, np.where(np.isin(np.arange(len(result.moves)), result.to_move), result.moves, 0.0))
        if result.to_move
        else []
    ):
        if not math.isnan(rise) and abs(rise) >= 0.0005:
            out.append(
                Finding(
                    "open",
                    f"{name} {'rises' if rise > 0 else 'sinks'} {show_amount(abs(rise), book.style, 0)}",
                    "It hangs on this row: look at it before and after.",
                )
            )
    return out


def _wants_to_know_which_carry(result: Moved) -> bool:
    """Whether more feet than three stand there, and nobody has said which of them carry it."""
    points = result.book.points
    return result.book.asks_which_carry and len(points) > 3 and all(p.carries is None for p in points)


def _moves(result: Moved, budget: Budget, read_with: str) -> list[Finding]:
    book = result.book
    moves = result.moves[result.to_move] if result.to_move else np.empty(0)
    t = book.tolerance_words
    still = result.read - len(result.to_move)
    why = Working(
        f"When a {book.thing} is left alone",
        "in: |move| + U ≤ tolerance;  U = 2·√(u²(point) + u²(target))",
        f"U = 2·√({' + '.join(f'{book.style.amount(line.u, 2)}²' for line in budget.lines)}) = {show_amount(budget.U, book.style, 2)}; tolerance {t}",
        (read_with,),
        f"What is common to one line cancels. Largest share: {budget.dominant.name}.",
    )
    if not len(moves):
        undecided = [i for i, v in enumerate(result.verdicts) if v == NOT_PROVEN]
        if undecided:
            return [_stop(result, undecided, why)]
        if kept := _kept(result):
            return kept
        title = (
            f"Every {book.thing} is proven in"
            if result.read == result.asked
            else "All that were read are proven in"
        )
        return [Finding("in", title, f"Within {t} of {target_words(book, result)}.", why)]
    up, down = int((moves > 0).sum()), int((moves < 0).sum())
    parts = [f"{up} to raise, most {show_amount(moves.max(), book.style)}"] if up else []
    if down:
        parts.append(f"{down} to lower, most {show_amount(-moves.min(), book.style)}")
    text = (
        f"Target: {target_words(book, result)}. {still} {'stands' if still == 1 else 'stand'} within {t} and {'stays' if still == 1 else 'stay'} untouched."
        if still
        else (f"Target: {target_words(book, result)}.")
    )
    out = [Finding("open", "; ".join(parts).capitalize(), text, why)]
    out += _picking(result)
    if book.limits.tolerance <= budget.U:
        out.append(
            Finding(
                "open",
                f"This method can't prove {t}",
                f"U of a deviation is {show_amount(budget.U, book.style, up=True)}. A finer scale or a shorter sight would; or allow more.",
                why,
                "instrument",
                "See the instrument",
            )
        )
    if result.broken:
        out.append(
            Finding(
                "out",
                f"The limits rule it out at {some([book.points[i].name for i in result.broken])}",
                f"To reach {target_words(book, result)} {result.limits_said}. Choose another target, or other limits.",
                action="target",
                action_label="Choose a target",
            )
        )
    for i, said in result.can_not[:4]:
        out.append(
            Finding(
                "out",
                f"{book.points[i].name}: {KIND[book.means_at(book.points[i].id).kind].label} can't",
                f"{said[:1].upper()}{said[1:]}. Another target, or something else to move it by.",
                action="means",
                action_label="See what moves it",
            )
        )
    out += _kept(result)
    return out


def changed_since(result: Moved) -> list[Finding]:
    """Say which lines are no longer what the sheet says that was printed."""
    names = [result.book.points[i].name for i in result.since_printed]
    if not names:
        return []
    return [
        Finding(
            "open",
            f"Changed since the sheet was printed: {some(names)}",
            "What was fitted, read or decided since then changes these lines; all others hold. Print a sheet of the changes and "
            "give it to the person who works from the old one.",
            action="print-changes",
            action_label="Print the changes",
        )
    ]


def _picking(result: Moved) -> list[Finding]:
    """Say what picking the target adds to U, where that is worth another reading, and the cure."""
    to, style = result.aim, result.book.style
    if to.keeper < 0 or result.read_left or to.picking < 0.5 * float(np.nanmax(result.u_deviation)):
        return []
    name = result.book.points[to.keeper].name
    side = "low" if result.book.target.kind == "lowest" else "high"
    cure = (
        f"Read {name} once more, anew: it stays the keeper, and that goes out of U."
        if to.fixed
        else f"Once the first move is booked it stays the keeper; read {name} once more then, and that goes out of U."
    )
    return [
        Finding(
            "note",
            f"{name} was picked among near-level {result.book.called[1]}",
            f"It was picked partly because its reading happens to be {side}: U holds {show_amount(to.picking, style)} for that. {cure}",
            action="readings",
            action_label="Go to the readings",
        )
    ]


def _stop(result: Moved, undecided: list[int], why: Working) -> Finding:
    """Say that a further round would as likely harm as help."""
    book = result.book
    U = book.style.amount(2 * float(np.nanmax(result.u_deviation)), up=True)
    worst = book.style.amount(float(np.nanmax(np.abs(result.moves[undecided]))))
    return Finding(
        "open",
        "Stop here: this instrument can't tell any better",
        f"{some([book.points[i].name for i in undecided])} may be within {show_thickness(book.limits.tolerance, book.style)} or not: at most "
        f"{worst} {book.style.small} off as read, with U = {U} {book.style.small}. A move would as likely harm as help. A finer scale, a shorter sight, "
        "or the mean of several readings would tell.",
        why,
        "instrument",
        "See the instrument",
    )


def _stock(result: Moved) -> list[Finding]:
    book, packing = result.book, result.packing
    if not result.to_pack:
        return []
    out = _cannot_be_packed(result)
    if not book.stock:
        none = Finding(
            "todo",
            "No packing in stock yet",
            "Say which leaves there are and how many, under Target.",
            action="stock",
            action_label="Enter the stock",
        )
        return [*out, none]
    if packing is None:
        return out
    aside = set(result.set_aside)
    over = {i: abs(result.left_over(i)) for i in result.to_pack if i not in result.broken}
    worst = max((gap for i, gap in over.items() if i not in aside), default=0.0)
    tolerance = book.limits.tolerance
    why = _why_leaves(result, worst)
    if len(aside) >= len(over):
        return out
    U = 2 * float(np.nanmax(result.u_left))
    if worst + U <= tolerance + 1e-9:
        title = f"Stock is enough; largest remaining gap {show_amount(worst, book.style)}"
        return [
            *out,
            Finding(
                "in", title, f"{packing.leaves} {'leaf' if packing.leaves == 1 else 'leaves'} in all.", why
            ),
        ]
    if worst <= tolerance:
        return [
            *out,
            Finding(
                "open",
                f"Stock comes within {show_amount(worst, book.style)}",
                f"With U = {show_amount(U, book.style, up=True)} that may not be provable within {show_thickness(tolerance, book.style)}.",
                why,
                "stock",
                "See the stock",
            ),
        ]
    short = [book.points[i].name for i, gap in over.items() if i not in aside and gap > tolerance]
    gap = "" if packing.proven else " The time ran out: this is the best choice found so far."
    return [
        *out,
        Finding(
            "out",
            f"Stock is not enough for {some(short)}",
            f"Largest gap {show_amount(worst, book.style)}, tolerance {show_thickness(tolerance, book.style)}.{gap} {_to_buy(result)}",
            why,
            "stock",
            "See the stock",
        ),
    ]


def _why_leaves(result: Moved, worst: float) -> Working:
    """Return how the leaves were chosen; `worst` is the largest gap that remains where packing can bring a point in [m]."""
    book, packing = result.book, result.packing
    assert packing is not None
    g = book.style.amount(guard(result), 2)
    rule = "g = t/10" if book.limits.finest else "g = max(t − U, t/4)"
    return Working(
        "Leaves for all points together",
        f"every gap within g with the fewest leaves, {rule};  else the largest gap least, then the next largest",
        f"g = {g} {book.style.small};  largest gap {show_amount(worst, book.style, 2)} with {packing.leaves} {'leaf' if packing.leaves == 1 else 'leaves'}",
        tuple(f"{leaf.text} × {leaf.count}" for leaf in book.stock),
        "Points that can't be brought in are set aside and get what is left of the stock."
        if packing.proven
        else "The time ran out before every choice was ruled out; this is the best found.",
    )


def _to_buy(result: Moved) -> str:
    """Return which leaves would bring in those for which the stock is not enough."""
    packing, style = result.packing, result.book.style
    assert packing is not None
    buy = ", ".join(f"{n} of {show_thickness(k, style)}" for k, n in packing.to_buy or ())
    if packing.deeper is not None:
        rest = f"{packing.deeper} leaves in a stack would do; at most {result.book.limits.most_leaves} are allowed."
        return f"{rest} To buy for that: {buy}." if buy else rest
    return (
        f"To buy: {buy}."
        if buy
        else "No number of these thicknesses would do; a thinner leaf, or more in a stack."
    )


def _cannot_be_packed(result: Moved) -> list[Finding]:
    """Return the points that packing can't bring in, by what would cure them: they are planned last and spoil nobody's plan."""
    book = result.book
    high = [i for i in result.set_aside if result.lifts[i] < 0 and not result.stack(i)]
    full = [i for i in result.set_aside if i not in high and result.no_room(i)]
    rest = [i for i in result.set_aside if i not in high and i not in full]
    out = []
    if high:
        amounts = ", ".join(
            f"{book.points[i].name} {show_amount(abs(float(result.wanted_at(i))), book.style)}"
            for i in high[:6]
        )
        out.append(
            Finding(
                "out",
                f"Nothing to take out at {some([book.points[i].name for i in high])}",
                f"Too high by more than the packing that is there: {amounts}. Trim, or choose a higher target. The others are "
                "planned without regard to that.",
                action="target",
                action_label="Choose a target",
            )
        )
    if full:
        out.append(
            Finding(
                "out",
                f"No room for another leaf at {some([book.points[i].name for i in full])}",
                f"{book.limits.most_leaves} leaves lie there, as many as are allowed. Allow more in a stack, or book what was put in "
                "again with thicker leaves.",
                action="target",
                action_label="Go to the limits",
            )
        )
    if rest:
        out.append(
            Finding(
                "out",
                f"Stock is not enough for {some([book.points[i].name for i in rest])}",
                f"Not even with the whole stock: {_to_buy(result)} The others are planned first.",
                action="stock",
                action_label="See the stock",
            )
        )
    return out


def _kept(result: Moved) -> list[Finding]:
    names = [result.book.points[i].name for i in kept_in(result)]
    if not names:
        return []
    stays = "stays" if len(names) == 1 else "stay"
    return [
        Finding(
            "open",
            f"{some(names)} {stays}: no thinner packing in the store",
            "To come down, the packing there would come out for a thinner one, and what is left in the store doesn't make it. Nothing is taken out that nothing takes the place of.",
            action="target",
            action_label="Choose a target",
        )
    ]
