"""A network of levelled lines between marks: least squares, with the uncertainty of every mark."""

from vivid_keel.core.booking.network.adjust import Line, Network, adjust, pieces

__all__ = ["Line", "Network", "adjust", "pieces"]
