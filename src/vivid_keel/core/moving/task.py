"""What a trade hands over to have it brought level: what is judged, as read, and what each instrument shows."""

from __future__ import annotations

from collections.abc import Sequence
from typing import TYPE_CHECKING, Protocol

import numpy as np
from msgspec import Struct, field

from vivid_keel.core.moving.rounds import Learned

if TYPE_CHECKING:
    import numpy.typing as npt

    Floats = npt.NDArray[np.float64]
    Happened = tuple[Floats, Floats, Floats]


class Shows(Protocol):
    """What the instruments show at the judged places."""

    def at(self, place: int, height: float) -> float:
        """Return the reading at a judged place when it is at a height on the line [m], its own errors in it."""

    def nominal(self, place: int, height: float) -> float:
        """Return the reading at a height [m] were its line without a slope of its own [m]."""

    def read(self, place: int) -> float:
        """Return what was read there as found [m]; nan where nothing was."""

    def hangs(self, place: int) -> bool:
        """Whether the scale hangs from the place down to the line, or stands on it."""

    def height_of(self, reading: float) -> float:
        """Return the height on the line that a reading set by hand means [m]."""


class Task(Struct, frozen=True):
    """What is judged, whatever the target: arrays run over the judged places, nan where not read.

    Attributes
    ----------
    names : list of str
        Of the places that were read; `xy` [m] are theirs (k, 2).
    rank : int array (n,)
        Order of all their names.
    has : bool array (n,)
        Which were read.
    found, left, first : float array (n,)
        Heights as found, as left, and as they were before any round, on the line of the as-found readings [m].
    u, u_again : float array (n,)
        Standard uncertainty of one reading, as found and as left [m].
    shift : float
        How much higher the as-left line is [m].
    own_error : float
        What one systematic error leaves between the places [m].
    bound : float
        How far an error that stays in may put one place out against another [m]: on top of U, not in its root.
    both, first_tied : float
        Readings that tie the as-left line to this one, and this one to that of the first readings.
    learned : Learned
        What the finished rounds taught; `happened` is what they did: put in, leaves, change (n,) each.
    shows : Shows
    influence : float array (n, m) or None
        What the judged places answer to the moved points before anything was seen [1]; None where the points
        that are moved are those that are judged, each for itself.
    since : float array (n,), optional
        Heights before the first round since the target was chosen, on the line of the as-found readings [m]; nan
        where not read then.
    wanted : float array (n,), optional
        How high each place is drawn above the rest [m].
    found_at : sequence of int
        Entry of each as-found reading; empty where nobody says.
    together, together_again : float array (n, n), optional
        Covariance of the heights as found and as left [m²], where readings tell several of them at once; `u` and `u_again` then
        speak of no pair of them better than of any other.
    rounds_left : sequence of float array (n,)
        Heights at the end of every finished round since the target was chosen, each on its own line [m].
    tied : sequence of (int, int)
        Pairs of judged places whose readings hang together, such as both ends of one level.
    one_line : bool
        Whether all were read against one line, which may have moved between two rounds; tilts of a body have none.
    """

    names: list[str]
    xy: Floats
    rank: npt.NDArray[np.int_]
    has: npt.NDArray[np.bool_]
    found: Floats
    left: Floats
    first: Floats
    u: Floats
    u_again: Floats
    shift: float
    own_error: float
    both: float
    first_tied: float
    learned: Learned
    happened: Sequence[Happened]
    shows: Shows
    influence: Floats | None = None
    tied: Sequence[tuple[int, int]] = field(default_factory=tuple)
    since: Floats | None = None
    wanted: Floats | None = None
    rounds_left: Sequence[Floats] = ()
    bound: float = 0.0
    found_at: Sequence[int] = ()
    together: Floats | None = None
    together_again: Floats | None = None
    one_line: bool = True

    @property
    def drawn(self) -> Floats:
        """How high each judged place is drawn above the rest (n,) [m]."""
        return np.zeros(len(self.found)) if self.wanted is None else self.wanted

    @property
    def spread(self) -> Floats:
        """Of the heights as found that were read: u² of each (k,), or their covariance (k, k) [m²]."""
        return self.u[self.has] ** 2 if self.together is None else self.together[np.ix_(self.has, self.has)]

    def again_against(self, keeper: int) -> Floats:
        """The u of each height as left against a keeper's (n,) [m]."""
        c = self.together_again
        if c is None:
            return np.hypot(self.u_again, float(self.u_again[keeper]))
        return np.asarray(np.sqrt(np.maximum(np.diag(c) + c[keeper, keeper] - 2 * c[keeper], 0.0)))
