"""Where everything is to come to: the target at each place, how far each is from it, and what that is worth.

Source: deviation = height − target, move = −deviation; U with what the target took from the same readings, what its
picking adds, and what one systematic error leaves between the places.
"""

from __future__ import annotations

from typing import TYPE_CHECKING

import numpy as np
from msgspec import Struct
from msgspec.structs import replace

from vivid_keel.core.errors import KeelError
from vivid_keel.core.moving.picking import covering, is_picked, picked
from vivid_keel.core.moving.plan import MovingBook
from vivid_keel.core.moving.targets import Target, weight_rows, work_out
from vivid_keel.core.moving.task import Task
from vivid_keel.core.quantities import EQUAL

if TYPE_CHECKING:
    import numpy.typing as npt

    Floats = npt.NDArray[np.float64]


class Aim(Struct, frozen=True):
    """Where everything is to come to; arrays run over the judged places, nan where not read.

    Attributes
    ----------
    level : float
        Of the target [m], of a plane its mean; nan without readings.
    targets, moves : float array (n,)
        [m]; move = target − height.
    left_targets : float array (n,)
        What the as-left heights are judged against [m]: through the keeper as it was left, where it was read again.
    u_deviation, u_left : float array (n,)
        Standard uncertainty of height − target, as found and as left [m].
    own : float array (n,)
        Share of each place's own reading in a level target [1].
    keeper : int
        The place that the target goes through; −1 where it goes through none.
    by_keeper : bool
        Whether the others are judged against it as it stands, not against a height.
    fixed : bool
        Whether that stands, or follows the readings still.
    picking : float
        What picking the target adds to u at most [m].
    trouble : KeelError or None
        Why there is no target.
    """

    level: float
    targets: Floats
    left_targets: Floats
    moves: Floats
    u_deviation: Floats
    u_left: Floats
    own: Floats
    keeper: int = -1
    by_keeper: bool = False
    fixed: bool = False
    picking: float = 0.0
    trouble: KeelError | None = None


def aim(book: MovingBook, task: Task, *, quick: bool = False) -> Aim:
    """Return where everything is to come to; `quick` leaves out what only a long sum could tell of U."""
    n = len(task.found)
    none = np.full(n, np.nan)
    out = Aim(float("nan"), none, none, none, none, none, np.zeros(n))
    try:
        return _aimed(book, task, out, quick)
    except KeelError as error:
        return replace(out, trouble=error)


def _aimed(book: MovingBook, task: Task, out: Aim, quick: bool) -> Aim:
    has, u, heights = task.has, task.u[task.has], task.found[task.has]
    share = book.limits.share
    target, fixed = _target(book, task)
    # What is reckoned from all readings is reckoned from those before any round, brought to this line: it would climb
    # from round to round else. What keeps some of an old sag keeps it of the sag as it was at first.
    begun = bool(book.passes) if share < 1 else begun_since_chosen(book)
    earlier = (
        task.first
        if share < 1
        else task.since
        if target.kind not in {"keep", "height"} and target.through != "point"
        else None
    )
    from_first = begun and earlier is not None and not np.isnan(earlier[has]).any()
    base = earlier[has] if from_first and earlier is not None else heights
    drawn = task.drawn[has] if book.target.kind == "given" else np.zeros(len(heights))
    _tells_a_plane(target, task, float(u.max()) if len(u) else 0.0)
    worked = work_out(task.names, base - drawn, target, task.xy)
    goal = base + share * (worked.target + drawn + book.target.lift - base)
    moves, targets, own = out.moves.copy(), out.targets.copy(), out.own.copy()
    moves[has], targets[has] = goal - heights, goal
    moves[np.abs(moves) < 1e-12] = 0.0
    level = float(np.mean(worked.target)) + book.target.lift
    w = weight_rows(task.names, base - drawn, target, task.xy)
    if not book.target.plane and share == 1:
        own[has] = w[0]
        targets[:] = level  # a level line stands under a point that wasn't read, too
    if share < 1:
        w = share * w + (1 - share) * np.eye(len(w))
    # u² of (e_i − w_i)·h; readings of another round share nothing with these.
    spread = task.spread
    own_u, carried = np.diag(spread) if spread.ndim > 1 else spread, _spread_of(w, spread)
    tied = task.first_tied * own_u if from_first else 0.0
    u_each = np.sqrt(own_u + carried + tied if from_first else _spread_of(np.eye(len(w)) - w, spread))
    bias, u_target = np.zeros(len(u)), np.sqrt(carried)
    how = _picked_how(book, task, target)
    if is_picked(how) and share == 1 and not (quick and how.kind == "minimum-zone"):
        bias, (u_target, between) = picked(task.names, base - drawn, how, task.xy, u, spread)
        if from_first:
            between = np.sqrt(own_u + u_target**2 + tied)  # other readings than those it was picked from
        u_each = np.where(u_each > 0, between, 0.0)
    u_dev, u_left = out.u_deviation.copy(), out.u_left.copy()
    systematic = task.own_error
    plain = np.where(u_each > 0, np.hypot(u_each, systematic), 0.0)
    u_dev[has] = np.where(plain > 0, covering(bias, plain), 0.0) if bias.any() else plain
    whole, off = (
        np.full(len(task.found), float(u_target.max())),
        np.full(len(task.found), float(np.abs(bias).max())),
    )
    whole[has], off[has] = u_target, np.abs(bias)
    u_left[:] = np.sqrt(task.u_again**2 * (1.0 + task.both) + whole**2 + systematic**2)
    if off.any():
        u_left = covering(off, u_left)
    places = np.flatnonzero(has)
    through = int(places[int(np.argmax(w[0]))]) if w[0].max() > 0.5 else -1
    left_targets = targets
    by_keeper = through >= 0 and _goes_through_a_point(target) and share == 1
    if by_keeper and not np.isnan(task.left[through]):
        # It may have come along with its neighbours, and it is read on the very line of the others: the line's own
        # going, and the noise it was picked by, are out of it.
        left_targets = targets + (task.left[through] - task.found[through])
        u_left = np.hypot(task.again_against(through), systematic)
        u_left[through] = 0.0
    if task.bound > 0:
        u_dev = np.where(u_dev > 0, u_dev + task.bound / 2, u_dev)
        u_left = np.where(u_left > 0, u_left + task.bound / 2, u_left)
    return Aim(
        level,
        targets,
        left_targets,
        moves,
        u_dev,
        u_left,
        own,
        through,
        by_keeper,
        fixed,
        float(np.abs(bias).max()),
    )


def _spread_of(sums: Floats, spread: Floats) -> Floats:
    """u² of sums of heights (k,) [m²], by their rows (k, n) [1]; `spread` is u² of each (n,) or their covariance (n, n) [m²]."""
    if spread.ndim == 1:
        return np.asarray((sums**2) @ spread)
    return np.asarray(np.maximum(((sums @ spread) * sums).sum(axis=1), 0.0))


def _picked_how(book: MovingBook, task: Task, target: Target) -> Target:
    """Return the target as it was picked: a keeper that was fixed by booking is judged by the very reading it was picked for,
    until it is read again."""
    choice = book.target
    if book.keeper is None or not choice.follows or begun_since_chosen(book):
        return target
    at = next((i for i, point in enumerate(book.points) if point.id == book.keeper.point), -1)
    if not 0 <= at < len(task.found_at) or task.found_at[at] > book.keeper.id:
        return target
    return Target("highest" if choice.kind == "given" else choice.kind, gradient=choice.gradient)


STEEP = 0.01
"""A plane whose slope isn't known to this means nothing [1]: a per cent."""


def _tells_a_plane(target: Target, task: Task, u: float) -> None:
    """Refuse a plane through points that stand so nearly in line that their readings' u tips it as it likes.

    Raises
    ------
    KeelError
        `points-in-line`.
    """
    if target.kind not in {"best-fit", "minimum-zone"} or len(task.xy) < 3:
        return
    across = float(np.linalg.svd(task.xy - task.xy.mean(axis=0), compute_uv=False)[1])
    if across > EQUAL and u / across > STEEP:
        raise KeelError(
            "points-in-line",
            "the points stand so nearly in one line that a plane through them may tip about it as the readings scatter; "
            "read one beside it",
        )


def _goes_through_a_point(target: Target) -> bool:
    return target.kind in {"highest", "lowest", "keep"} or (
        target.kind == "fall" and target.through != "mean"
    )


def begun_since_chosen(book: MovingBook) -> bool:
    """Whether a round was booked since the target was chosen."""
    return any(done.id > book.target.id for done in book.passes)


def _target(book: MovingBook, task: Task) -> tuple[Target, bool]:
    """Return the target for the engine, and whether the point it goes through stands: fixed by the first booking, or chosen."""
    choice, names = book.target, {point.id: point.name for point in book.points}
    if choice.kind == "keep":
        return Target("keep", name=names.get(choice.point, "")), True
    if choice.kind == "height":
        return Target("height", height=task.shows.height_of(choice.reading)), True
    kind = "highest" if choice.kind == "given" else choice.kind
    if not choice.follows:
        return Target(kind), begun_since_chosen(book)
    name = _keeper(book, task, kind)
    if not name:
        return Target(kind, gradient=choice.gradient), False
    if kind == "fall":
        return Target("fall", name=name, gradient=choice.gradient, through="point"), True
    return Target("keep", name=name), True


def _keeper(book: MovingBook, task: Task, kind: str) -> str:
    """Return the name of the point that was fixed, or that the first booked round of an older job fixes; "" while none is.

    Raises
    ------
    KeelError
        `unread-keeper`: it was fixed and isn't read in this round.
    """
    name = ""
    if book.keeper is not None:
        name = next((point.name for point in book.points if point.id == book.keeper.point), "")
    elif begun_since_chosen(book) and task.since is not None:
        base = task.since[task.has] - (task.drawn[task.has] if book.target.kind == "given" else 0.0)
        rest = base - task.xy @ np.array(book.target.gradient) if kind == "fall" else base
        known = np.flatnonzero(~np.isnan(rest))
        if len(known):
            at = known[int(np.argmin(rest[known]) if kind == "lowest" else np.argmax(rest[known]))]
            name = task.names[int(at)]
    if name and name not in task.names:
        raise KeelError(
            "unread-keeper",
            f"{name} is what everything is brought level with, and it isn't read in this round; read it, or choose another target",
        )
    return name
