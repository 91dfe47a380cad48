"""Pure computation: SI units and float64 inside, no files, no clock, no window."""
