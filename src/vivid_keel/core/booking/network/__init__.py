"""A network of levelled lines between marks: least squares, with the uncertainty of every mark."""

from vivid_keel.core.booking.network.adjust import LevelledLine, Network, adjust, pieces

__all__ = ["LevelledLine", "Network", "adjust", "pieces"]
