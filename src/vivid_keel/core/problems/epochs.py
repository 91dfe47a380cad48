"""Problems of the level book: the book itself, one sight, a network, two epochs."""

from __future__ import annotations

from vivid_keel.core.errors import KeelError
from vivid_keel.core.problems.fields import Fields, Solved
from vivid_keel.core.record.epochs import compare_epochs


def epochs(f: Fields) -> Solved:
    """The same marks measured twice."""
    first, second = f.mapping("first"), f.mapping("second")
    u_first, u_second = f.number("u_first_m", least=0.0), f.number("u_second_m", least=0.0)
    tolerance = f.maybe("tolerance_m", least=0.0)
    f.done()
    try:
        found = compare_epochs(first, second, u_first, u_second, tolerance)
    except KeelError as error:
        raise error.at("/problem/second") from None
    warnings = []
    if found.missing:
        warnings.append(f"in the first epoch only: {', '.join(found.missing)}")
    if found.new:
        warnings.append(f"in the second epoch only: {', '.join(found.new)}")
    return {"change_m": found.change, "u_change_m": found.u, "verdict": found.verdict}, warnings
