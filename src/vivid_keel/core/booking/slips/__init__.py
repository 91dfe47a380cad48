"""Finding the slip: which one mistake would explain what doesn't fit in a book."""

from vivid_keel.core.booking.slips.fit import Fit, fit_book
from vivid_keel.core.booking.slips.rank import Search, Suggestion, find_slips
from vivid_keel.core.booking.slips.readings import BookReadings

__all__ = ["BookReadings", "Fit", "Search", "Suggestion", "find_slips", "fit_book"]
