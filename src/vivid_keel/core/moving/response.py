"""Passes: how much of a move took, what the structure answers, the next moves, and why it does not converge.

Source: regularised least squares of what was seen to move on what was moved; a beam over springs, (I + κ·BᵀB)⁻¹.
"""

from __future__ import annotations

import math
from collections.abc import Sequence
from typing import TYPE_CHECKING

import numpy as np
from msgspec import Struct

from vivid_keel.core.quantities import LengthStyle, show_amount, show_thickness

if TYPE_CHECKING:
    import numpy.typing as npt

    Floats = npt.NDArray[np.float64]

STIFF = 0.25
"""How much the response of a pair of points is expected to differ from the rigid model [1]: the prior's spread."""

DAMPING = 0.2
"""Weight of the plain moves against the structure's answer [1], while that is only expected."""
SEEN = 0.06
"""The same once the structure was seen to answer [1]."""
SEEN_OF_A_BODY = 0.08
"""The same for a body on feet [1]: what is stiff is not bent flat by force, which would lift its other feet off."""
LEAST_OWN = 0.3
"""A point answers its own packing by so much at least [1]: what didn't answer at all hung, or was moved the wrong way, and
will answer the next time."""
STIFFNESS = (0.0, *(0.005 * 1.35**k for k in range(18)))
"""Beam stiffnesses looked at, against that of the supports [1]."""


SHARES = tuple(k / 40 for k in range(37))
"""How much of a foot's turn tips the whole body, looked at [1]."""


SHARED, SPREAD = 0.3, 0.3
"""How much that is expected to be once feet were turned, and how far it may be from that [1]: feet rob load from one another, and never give it."""


WATCHED = 0.05
"""How well it is known once levels were watched while feet were turned [1]."""


PRESSED = 0.0005
"""A post, and what it stands on, gives way under its load by about so much [m]."""
STIFFEST = 0.15
"""Nothing that stands on posts is taken to be stiffer than a stone wall, against them [1]."""


def unlikely(off: float, u: float, share: float) -> float:
    """Return how unlikely a share is [1]: by how far off it leaves what was seen, Σ of squares [m²], read to u [m]; and by itself."""
    return off / (2 * u**2) + ((share - SHARED) / SPREAD) ** 2


def _bends(n: int) -> Floats:
    """Second differences along n points (n − 2, n) [1]."""
    b = np.zeros((max(n - 2, 0), n))
    for k in range(n - 2):
        b[k, k : k + 3] = 1, -2, 1
    return b


def _beam(n: int, kappa: float) -> Floats:
    b = _bends(n)
    return np.asarray(np.linalg.inv(np.eye(n) + kappa * b.T @ b))


METRIC = LengthStyle()


class Response(Struct, frozen=True):
    """What a structure answers: change of height = S·moves, S (judged, moved), from a model on."""

    matrix: Floats

    @staticmethod
    def rigid(n: int) -> Response:
        """The model to begin with: each point goes by what is put under it, and no other does."""
        return Response(np.eye(n))

    @staticmethod
    def stiffest(rows: Sequence[Sequence[int]], heights: Floats, most: float = STIFFEST) -> Response:
        """The model of beams over the rows, each as stiff as its heights (n,) [m] allow before anything was moved, and no stiffer than
        `most`, against their supports [1].

        A beam that is bent so far as it is found pushes with κ·BᵀB·h, by which its posts are pressed together more or less; were
        that more than the weight on a post presses it, the beam would have lifted off there and lain straighter.
        """
        out = np.eye(len(heights))
        for row in rows:
            at = list(row)
            if len(at) < 3 or np.isnan(heights[at]).any():
                continue
            b = _bends(len(at))
            bent = float(np.abs(b.T @ b @ heights[at]).max())
            out[np.ix_(at, at)] = _beam(len(at), min(most, PRESSED / max(bent, 1e-9)))
        return Response(out)

    @staticmethod
    def beams(
        n: int, rows: Sequence[Sequence[int]], moves: Sequence[Floats], changes: Sequence[Floats]
    ) -> Response:
        """The model of beams over the rows, as stiff as fits what happened best.

        A beam over springs answers (I + κ·BᵀB)⁻¹ times how much took, B its second differences: κ is
        looked for per row, 0 (each point for itself) among them.

        Parameters
        ----------
        rows : sequences of int
            Points along each beam, in order.
        moves, changes : sequences of float array (n,)
            Of each pass [m]; nan where nothing is to be learned from a point.
        """
        out = np.eye(n)
        m, d = np.array(moves, dtype=float), np.array(changes, dtype=float)
        for row in rows:
            at = np.array(row)
            mine, seen = m[:, at], d[:, at]
            known = ~np.isnan(seen)
            if not known.any(axis=0).all() or float((mine**2).sum()) < 1e-10:
                continue
            best, least = np.eye(len(at)), math.inf
            for kappa in STIFFNESS if len(at) >= 3 else (0.0,):
                shape = _beam(len(at), kappa)
                carried = mine @ shape.T
                share = float((carried * seen)[known].sum()) / max(float((carried[known] ** 2).sum()), 1e-12)
                share = min(max(share, 0.5), 1.2)
                left = float(((seen - share * carried)[known] ** 2).sum())
                if left < least - 1e-15:
                    best, least = share * shape, left
            out[np.ix_(at, at)] = best
        return Response(out)

    @staticmethod
    def tipping(tips: Floats, share: float) -> Response:
        """The model of a body whose feet take load from one another: a foot raises its own corner by 1 − `share` [1] of its turn
        and tips the whole by the rest; `tips` (n, n) [1] is what each foot does to a rigid body."""
        return Response((1 - share) * np.eye(len(tips)) + share * tips)

    @staticmethod
    def on_feet(
        tips: Floats, moves: Sequence[Floats], changes: Sequence[Floats], u: float, watched: float = math.nan
    ) -> Response:
        """The model of `tipping` (by `tips`) whose share fits what happened best: moves (n,) and changes (n,) [m] of each round, read to
        u [m]; `watched` is the share that levels told while feet were turned [1], nan where none was watched."""
        m, d = np.array(moves, dtype=float), np.array(changes, dtype=float)
        middle, spread = (SHARED, SPREAD) if math.isnan(watched) else (watched, WATCHED)

        def worth(share: float) -> float:
            off = float(np.nansum((d - m @ Response.tipping(tips, share).matrix.T) ** 2))
            return off / (2 * u**2) + ((share - middle) / spread) ** 2

        return Response.tipping(tips, min(SHARES, key=worth))

    def learned(
        self, moves: Sequence[Floats], changes: Sequence[Floats], u: float, neighbours: Floats | None = None
    ) -> Response:
        """Return the response that fits what really happened, as near to this one as the noise allows.

        Regularised least squares, row by row: Σ(Δ_i − s_i·m)²/(2u²) + Σ(s_ij − s⁰_ij)²/σ_ij².

        Parameters
        ----------
        moves, changes : sequences of float array (n,)
            Of each pass [m]; nan where a point was not read.
        u : float
            Standard uncertainty of one reading [m].
        neighbours : float array (n, n), optional
            How far apart the points are [m]: near ones may answer each other, far ones hardly.
        """
        n, points = self.matrix.shape
        m = np.array(moves, dtype=float)
        d = np.array(changes, dtype=float)
        out = self.matrix.copy()
        noise = 2 * u**2
        for i in range(n):
            known = ~np.isnan(d[:, i])
            if not known.any():
                continue
            spread = _prior(i, points, neighbours) if n == points else np.full(points, STIFF**2)
            a, left = m[known], d[known, i] - m[known] @ self.matrix[i]
            gain = spread[:, None] * a.T  # Σ·mᵀ
            out[i] += gain @ np.linalg.solve(a @ gain + noise * np.eye(len(a)), left)
            if n == points:
                out[i, i] = max(out[i, i], LEAST_OWN)
        return Response(out)

    def moves_for(
        self,
        wanted: Floats,
        *,
        raise_only: bool = True,
        most: Floats | None = None,
        touched: npt.NDArray[np.bool_] | None = None,
        keeper: int = -1,
        damping: float = DAMPING,
    ) -> Floats:
        """Return the moves that bring every point by what is wanted [m], as well as the limits allow.

        Damped towards moving each point by what it wants: undoing a springy beam altogether would
        turn reading noise into large moves up and down.

        Parameters
        ----------
        wanted : float array (n,)
            Change of height wanted [m]; nan leaves a point out.
        raise_only : bool
        most : float array (n,), optional
            How far down a point can go (its stack) [m], where it may.
        touched : bool array (n,), optional
            Which points are moved at all; None: any.
        keeper : int
            The point that the others are brought level with, which may come along; −1 for a target that stays.
        damping : float
            Weight of the plain moves [1].
        """
        from scipy.optimize import lsq_linear

        known = ~np.isnan(wanted)
        free = known if touched is None else known & touched
        out = np.zeros(len(wanted))
        if not free.any():
            return out
        m = int(free.sum())
        low = np.zeros(m) if raise_only else np.full(m, -np.inf) if most is None else -most[free]
        answer = self.matrix if keeper < 0 else self.matrix - self.matrix[keeper]
        damped = np.vstack([answer[np.ix_(known, free)], math.sqrt(damping) * np.eye(m)])
        right = np.concatenate([wanted[known], math.sqrt(damping) * wanted[free]])
        found = lsq_linear(damped, right, bounds=(np.minimum(low, -1e-12), np.inf))
        out[free] = np.where(np.abs(found.x) < 1e-7, 0.0, found.x)
        return out


def _prior(i: int, n: int, neighbours: Floats | None) -> Floats:
    """Variance of each entry of a row before anything was seen (n,)."""
    spread = np.full(n, (STIFF / 4) ** 2)
    if neighbours is not None:
        near = neighbours[i]
        pitch = float(np.partition(near[near > 0], 0)[0]) if (near > 0).any() else 1.0
        spread = (STIFF * np.exp(-near / (1.5 * pitch))) ** 2
    spread[i] = STIFF**2
    return spread


def took(moves: Floats, change: Floats) -> float:
    """Return how much of the moves took, by the change (n,) [m] they made: Σ(m·Δ)/Σm² [1]; nan where nothing was moved."""
    known = ~np.isnan(change)
    whole = float((moves[known] ** 2).sum())
    return float((moves[known] * change[known]).sum()) / whole if whole > 0 else math.nan


def passes_to_go(worst: float, before: float, tolerance: float, u: float) -> float:
    """Return about how many passes it takes until the worst deviation is within tolerance; inf where it does not shrink.

    Parameters
    ----------
    worst, before : float
        Greatest |deviation| now and before the last pass [m].
    tolerance, u : float
        [m]; within tolerance means so far that 2u more is still inside, where that can be.
    """
    goal = max(tolerance - 2 * u, 0.25 * tolerance)
    if worst <= goal:
        return 0.0
    if before <= 0 or worst >= before:
        return math.inf
    return math.ceil(math.log(goal / worst) / math.log(worst / before))


class Reason(Struct, frozen=True):
    """Why a pass did not do what it should: which point, what is likely, what to do."""

    point: int
    kind: str
    text: str


SURE = 4.5
"""A point is suspected only where it went otherwise than expected by so many times the ordinary scatter [1]: among 24 points
less than one false word in twenty rounds."""


CLOSELY = 2.0
"""What a leaf explains, it explains to so many times the ordinary scatter [1]."""
TWICE = 2.0
"""The next likely leaf explains it worse by so much [1]."""


def _strayed(moves: Floats, change: Floats, u: float, expected: Floats | None) -> tuple[Floats, float]:
    """How far each point went beyond what was expected (n,) [m], 0 where not read, and their ordinary scatter [m]."""
    known = ~np.isnan(change)
    off = np.where(known, change - (moves if expected is None else expected), 0.0)
    # The third of the points that went best tells the ordinary scatter, whatever the others did.
    return off, max(math.sqrt(2) * u, float(np.quantile(np.abs(off[known]), 1 / 3)) / 0.4307)


def to_learn_from(
    moves: Floats, change: Floats, u: float, expected: Floats | None, why: Sequence[Reason]
) -> Floats:
    """Return what a round changed (n,) [m], nan where a hand went wrong or the ground gave: that is no answer of the structure.

    One that didn't answer at all stays in: under a stiff beam that is an answer.

    Parameters
    ----------
    moves, change, u, expected
        As for `reasons` [m].
    why : sequence of Reason
        What those were.
    """
    if np.isnan(change).all():
        return change
    if any(reason.kind == "sense" for reason in why):
        return np.full(len(change), np.nan)
    off, scatter = _strayed(moves, change, u, expected)
    strayed = (np.abs(off) > SURE * scatter) & (np.abs(moves) > math.sqrt(2) * u)
    strayed[[reason.point for reason in why if reason.kind in {"sank", "way", "leaf", "turn", "foot"}]] = True
    strayed[[reason.point for reason in why if reason.kind == "hanging"]] = False
    return np.where(strayed, np.nan, change)


def reasons(
    moves: Floats,
    change: Floats,
    u: float,
    leaves: Sequence[float] = (),
    expected: Floats | None = None,
    style: LengthStyle = METRIC,
    turns: Floats | None = None,
) -> list[Reason]:
    """Return what likely went wrong, point by point, the gravest first; only where it is more likely than ordinary scatter.

    Wrong sense: most points went the other way. Wrong foot: a point did not answer and another that
    was not moved did. Hanging: it did not answer at all. Sank: it went down where nothing let it. Wrong way: it went up where
    it was let down, or down where it was raised. Wrong leaf: it is off by about the thickness of a leaf; or by a whole turn.

    Parameters
    ----------
    moves, change : float array (n,)
        Made, and seen [m].
    u : float
        Standard uncertainty of one reading [m].
    leaves : sequence of float
        Thicknesses in stock [m].
    expected : float array (n,), optional
        What was expected to be seen, neighbours that come along and all [m]; None: the moves.
    style : LengthStyle
        Of the work that it is said in.
    turns : float array (n,), optional
        What a turn raises at each point [m]; 0 where neither a screw nor leaves move it, nan where leaves do.
    """
    known = ~np.isnan(change)
    m, d = np.where(known, moves, 0.0), np.where(known, change, 0.0)
    if not known.any():
        return []
    off, scatter = _strayed(moves, change, u, expected)
    sure = SURE * scatter
    moved = np.abs(m) > math.sqrt(2) * u
    if moved.sum() >= 2 and took(moves, change) < -0.3:
        return [
            Reason(
                -1, "sense", "the points went the other way: the sense of the scale is likely turned round"
            )
        ]
    out = []
    for i in sorted(np.flatnonzero(known & (np.abs(off) > sure)).tolist(), key=lambda i: -abs(float(off[i]))):
        if turns is None or math.isnan(turns[i]):
            parts = [(leaf, f"{show_thickness(leaf, style)} leaf") for leaf in leaves]
        else:
            parts = [(float(turns[i]), "whole turn")] if turns[i] > 0 else []
        kind, text = _likely(i, m, d, off, moved, scatter, parts, style)
        if kind:
            out.append(Reason(i, kind, text))
    return out


def _likely(
    i: int,
    m: Floats,
    d: Floats,
    off: Floats,
    moved: npt.NDArray[np.bool_],
    scatter: float,
    parts: Sequence[tuple[float, str]],
    style: LengthStyle,
) -> tuple[str, str]:
    """What is likely at a point that went otherwise than expected, and the words for it; "" where nothing is."""
    far = show_amount(abs(float(d[i])), style)
    if d[i] < -SURE * scatter and m[i] > -scatter:
        return "sank", f"sank by {far} though nothing let it down: look at what it stands on"
    if not moved[i]:
        return "", ""  # it came along with another that is named
    if abs(d[i]) < max(0.3 * abs(m[i]), 2 * scatter):
        strange = [
            j for j in np.flatnonzero(~moved).tolist() if abs(d[j] - m[i]) < max(0.3 * abs(m[i]), 2 * scatter)
        ]
        if strange:
            return (
                "foot",
                f"did not answer, and point {strange[0] + 1} went by as much: likely packed under the wrong one",
            )
        return "hanging", "did not answer: it hangs, or its blocking sinks"
    if d[i] * m[i] < 0 and abs(d[i]) > 2 * scatter:
        went, was = ("up", "come down") if d[i] > 0 else ("down", "go up")
        return "way", f"went {went} by {far} where it was to {was}: look which way it was moved"
    near = [
        (abs(abs(float(off[i])) - size), size, word)
        for size, word in parts
        if abs(abs(off[i]) - size) < 3 * scatter
    ]
    # Of many thicknesses one is always near: a leaf is named only where it explains it closely, and none other nearly as well.
    misses = sorted({size: miss for miss, size, _ in near}.values())
    if not near or misses[0] > CLOSELY * scatter or (len(misses) > 1 and misses[1] < TWICE * misses[0]):
        return "", ""
    _, _, word = min(near)
    many = "too many" if off[i] > 0 else "missing"
    kind = "turn" if word == "whole turn" else "leaf"
    return kind, f"off by {show_amount(abs(float(off[i])), style)}: likely a {word} {many}"


def learned_interface(stacks: Sequence[int], wanted: Floats, change: Floats, start: float, u: float) -> float:
    """Return what each interface of the packing closes, from predicted against measured [m].

    With n leaves a stack closes by n·δ: the least-squares δ, held to 0 … five times what it started
    from, and to that where too little was packed to tell.

    Parameters
    ----------
    stacks : sequence of int, length k
        Leaves put in at each point that was packed.
    wanted, change : float array (k,)
        Σ leaves of each, and what the point went up [m].
    start : float
        What was reckoned with [m].
    u : float
        Standard uncertainty of one height [m].
    """
    n = np.array(stacks, dtype=float)
    known = ~np.isnan(change) & (n > 0)
    if known.sum() < 3:
        return start
    shut = (wanted - change)[known]
    prior = max(start, 0.00002)
    weight = 2 * u**2
    found = ((n[known] * shut).sum() / weight + start / prior**2) / (
        (n[known] ** 2).sum() / weight + 1 / prior**2
    )
    return float(min(max(found, 0.0), 5 * prior))
