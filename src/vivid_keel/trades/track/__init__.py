"""Two rails on sleepers: how many cans of chips go under which, by sights at rest and by what hollows show under load."""
