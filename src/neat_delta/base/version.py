"""The version of the program, which the package takes from here."""

__version__ = "0.1.0"
