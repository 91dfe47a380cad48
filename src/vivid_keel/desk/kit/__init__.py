"""The kit on the desk: the whole of it, and each instrument."""
