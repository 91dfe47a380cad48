"""Vehicles and trailers brought level on their wheels: which wheel, which step, the nose, which way to stand."""
