"""Supports under a floor or frame: read against one line, packed to a target, proved."""
