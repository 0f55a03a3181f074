"""What a spreadsheet program makes of a text that nobody touched: the one room that knows such programs."""

from neat_delta.replay.encodings import LOST, WRONG, reads_back
from neat_delta.replay.explain import explain, explain_forms
from neat_delta.replay.numbers import read_numbers

__all__ = ["LOST", "WRONG", "explain", "explain_forms", "read_numbers", "reads_back"]
