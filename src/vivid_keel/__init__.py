# SPDX-License-Identifier: GPL-3.0-or-later
"""Vivid Keel: from staff readings to heights, and from heights to the packing that brings things level."""

__version__ = "0.19.0"
