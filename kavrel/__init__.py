"""Kavrel: the drawing set of one home storage lab."""

__version__ = "0.1.0"
