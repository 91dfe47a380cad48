"""The trades: each a folder here and a line in the registry."""
