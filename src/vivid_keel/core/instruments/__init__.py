"""Instruments: what one reading is worth."""
