"""Simulated instruments and sites with known hidden truth."""
