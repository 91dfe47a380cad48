"""A body read by bubble: heights of its nodes from tilts, heights, gaps and steps, and what beds, tables and frames make of them."""
