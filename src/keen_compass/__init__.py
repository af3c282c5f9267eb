"""Keen Compass: make a test piece, measure it, get the corrected number."""

__version__ = "0.1.0"
