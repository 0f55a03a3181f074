"""The command line: one module per command; options in, one call into the core, a view out."""

from neat_delta.cli.app import main

__all__ = ["main"]
