"""Neat Delta: from a live export and an edited sheet to the smallest proved update file."""

__version__ = "0.1.0"
