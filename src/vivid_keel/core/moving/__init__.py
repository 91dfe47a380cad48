"""Everything that is brought level, whatever it is: targets, limits, means, packing, stages, response."""
