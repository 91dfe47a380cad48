"""Problems of a bed: its twist and profile by level, its twist by a plumb frame."""

from __future__ import annotations

from vivid_keel.core.body import shapes
from vivid_keel.core.errors import KeelError
from vivid_keel.core.problems.fields import Fields, Solved, numbers


def bed(f: Fields) -> Solved:
    """Twist of a bed by its cross tilts, and the profile of a way.

    Raises
    ------
    KeelError
        `bad-value`.
    """
    stations, cross = numbers(f, "stations_m"), numbers(f, "cross_rad")
    if len(stations) != len(cross):
        raise KeelError(
            "bad-value", f"{len(stations)} stations want as many cross tilts", "/problem/cross_rad"
        )
    for i, (a, b) in enumerate(zip(stations, stations[1:], strict=False)):
        if b <= a:
            raise KeelError("bad-value", "stations go on from the head", f"/problem/stations_m/{i + 1}")
    spacing = f.number("foot_spacing_m", above=0.0)
    along = numbers(f, "along_rad") if f.has("along_rad") else None
    step = f.number("step_m", above=0.0) if along is not None or f.has("step_m") else 0.0
    f.done()
    result: dict[str, object] = {"twist_m": shapes.twist_at_feet(cross, spacing).tolist()}
    if along is not None:
        heights = shapes.profile(along, step)
        result |= {"profile_m": heights.tolist(), "straightness_m": shapes.straightness(heights)}
    return result, []


def plumb_frame(f: Fields) -> Solved:
    """Twist of a bed by a frame with a bob."""
    shift, string = f.number("bob_shift_m"), f.number("string_m", above=0.0)
    spacing = f.number("foot_spacing_m", above=0.0)
    pitch = f.number("pitch_m", above=0.0) if f.has("pitch_m") else None
    f.done()
    found = shapes.from_plumb_frame(shift, string, spacing, pitch)
    return {
        "twist_rad": found.twist,
        "front_foot_move_m": found.front_foot,
        "turns": found.turns,
    }, []


PROBLEMS = {"bed": bed, "plumb_frame": plumb_frame}
