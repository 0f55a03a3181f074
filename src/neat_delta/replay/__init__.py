"""What a spreadsheet program makes of a text that nobody touched: the one room that knows such programs."""

from neat_delta.replay.explain import EXACT, explain
from neat_delta.replay.numbers import read_numbers

__all__ = ["EXACT", "explain", "read_numbers"]
