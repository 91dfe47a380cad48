"""What may happen while a book is kept."""

from __future__ import annotations

EVENTS = {
    "moved": "instrument moved",
    "knocked": "instrument knocked",
    "taken-in": "instrument taken in",
    "staff": "staff changed",
}
"""What may happen; all but the last leave the line of sight dead."""
