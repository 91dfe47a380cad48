"""The practice yard: exercises on instruments that lie, what was done in them, and what a learner slips at."""
