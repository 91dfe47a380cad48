"""A shelf on two brackets: the smallest trade there can be, to see what one costs. Only the tests know it."""
