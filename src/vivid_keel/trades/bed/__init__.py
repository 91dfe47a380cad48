"""A bed on pairs of feet: twist, profile, which foot is turned, which way, until the bubble stands where."""
