"""Counts: whole numbers of things, such as stock."""

from __future__ import annotations

from typing import TYPE_CHECKING

from neat_delta.tables.field_types.field_type import sample_matches
from neat_delta.tables.field_types.number_parsing import PLAIN
from neat_delta.tables.field_types.numeric import Numeric

if TYPE_CHECKING:
    import polars as pl

MOST_DIGITS = 9
FEWEST_OF_A_CODE = 5


def matches(values: pl.Series, field: str) -> bool:
    """Whole numbers of up to nine digits; those of five or more digits that all have one length name things."""
    if not sample_matches(values, PLAIN):
        return False
    lengths = values.str.len_chars()
    shortest, longest = lengths.min(), lengths.max()
    if longest > MOST_DIGITS or shortest == longest >= FEWEST_OF_A_CODE:  # type: ignore[operator]
        return False
    return bool(values.str.contains(PLAIN).all())


TYPE = Numeric("quantity", priority=40, expected="a whole number", matches=matches, whole=True)
