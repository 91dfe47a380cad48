"""A vehicle while it is shown."""

from __future__ import annotations

import math

from vivid_keel.core.quantities import show_number
from vivid_keel.desk.visits import VisitView
from vivid_keel.desk.work import WorkDesk
from vivid_keel.trades.vehicle.result import VehicleResult
from vivid_keel.trades.vehicle.visits import LEAN, TIP, drifts_of, labels, visits_of


class VehicleDesk(WorkDesk):
    """A vehicle on its wheels."""

    result: VehicleResult

    def visit_view(self) -> VisitView:
        """Return what is shown of its visits."""
        book = self.result.book
        return VisitView(
            "Tilt",
            (LEAN, TIP),
            labels(book),
            "°",
            lambda value, decimals, signed: show_number(math.degrees(value), decimals + 1, signed=signed),
            lambda: (
                visits_of(book),
                drifts_of(book) if len(book.occasions) > 1 else {},
                "By the two-way level at its own place: its offset falls out. Right side high +, nose high +.",
            ),
            book.found is not None or book.left is not None,
            "read the two-way level as found",
        )
