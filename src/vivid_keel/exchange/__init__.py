"""In and out: open formats only."""
