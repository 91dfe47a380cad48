"""A taut string: how it hangs, and what a level hung off its middle does to it.

Source: the parabola of a tight string, sag w·L²/(8T).
"""

from __future__ import annotations


def sag(weight: float, span: float, tension: float) -> float:
    """Return the sag in the middle, w·L²/(8T) [m]; weight w [N/m], span L [m], tension T [N]."""
    return weight * span**2 / (8 * tension)


def below_chord(weight: float, span: float, tension: float, x: float) -> float:
    """Return how far the string hangs below its chord at x from an end, w·x·(L − x)/(2T) [m].

    weight w [N/m], span L [m], tension T [N], x [m].
    """
    return weight * x * (span - x) / (2 * tension)


def off_middle(weight: float, span: float, tension: float, hung: float, off: float) -> float:
    """Return how much the far end is out where the level hangs `off` the middle, x·(w·L + W)/T [m].

    Parameters
    ----------
    weight, span, tension : float
        Of the string [N/m, m, N].
    hung : float
        Weight W of the level [N].
    off : float
        From the middle [m].
    """
    return off * (weight * span + hung) / tension
