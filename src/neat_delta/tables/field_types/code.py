"""Codes: article numbers, bins, barcodes of unknown sort. Every character counts, zeros in front first of all."""

from __future__ import annotations

from typing import TYPE_CHECKING

from neat_delta.tables.field_types.exact_text import ExactText
from neat_delta.tables.field_types.field_type import has_any, sample_matches

if TYPE_CHECKING:
    import polars as pl

LONGEST = 40
SHORT = rf"^[^ \t\r\n]{{0,{LONGEST - 1}}}$"
SPACES = " \t\n\r\x0b\x0c"  # within ASCII
MOSTLY, SAMPLE = 0.9, 10_000


def matches(values: pl.Series, field: str) -> bool:
    """No spaces, not long, and a digit in nearly all of them, by some from the whole of the column."""
    if not sample_matches(values, SHORT) or _spaced_or_long(values):
        return False
    some = values.gather_every(max(1, len(values) // SAMPLE))
    return int(some.str.contains(r"[0-9]").sum()) > MOSTLY * len(some)


def _spaced_or_long(values: pl.Series) -> bool:
    lengths = values.str.len_chars()
    if (lengths >= LONGEST).any():
        return True
    is_ascii = (lengths == values.str.len_bytes()).all()
    return has_any(values, SPACES) if is_ascii else bool(values.str.contains(r"\s").any())


def normalize(cells: pl.Series) -> pl.Series:
    """The code itself; what a spreadsheet program makes of codes can only be told beside the live one."""
    return cells


TYPE = ExactText(
    "code", priority=60, expected="a code as text (not a number like 9.52E+12)", matches=matches, reading=normalize
)
