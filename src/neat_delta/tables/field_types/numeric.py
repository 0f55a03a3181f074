"""What money, number and count have in common: they read and write numerals, and differ in which columns they fit."""

from __future__ import annotations

from dataclasses import dataclass
from typing import TYPE_CHECKING

import polars as pl

from neat_delta.tables.field_types.field_type import sample_has_digits
from neat_delta.tables.field_types.number_parsing import (
    NumberFormat,
    all_simple,
    format_numbers,
    infer_edited_number_format,
    infer_number_format,
    normalize_numbers,
)

if TYPE_CHECKING:
    from collections.abc import Callable

    from neat_delta.tables.field_types.field_type import EditedColumn, FormatOverrides


@dataclass(frozen=True)
class Numeric:
    """A kind whose values are decimal numbers; ``whole`` ones have no decimals."""

    name: str
    priority: int
    expected: str
    matches: Callable[[pl.Series, str], bool]
    whole: bool = False
    numeric: bool = True

    def infer_format(self, values: pl.Series, overrides: FormatOverrides | None = None) -> NumberFormat:
        """The column's number form."""
        return infer_number_format(values, overrides)

    def infer_edited_format(self, sheet: EditedColumn, live_format: NumberFormat) -> NumberFormat:
        """The edited column's number form."""
        return infer_edited_number_format(sheet, live_format)

    def normalize(self, cells: pl.Series, form: NumberFormat) -> pl.Series:
        """Plain decimal text, shortest form; null for what is no such number (12.0 is a whole one)."""
        numbers = normalize_numbers(cells, form)
        if not self.whole:
            return numbers
        return numbers.to_frame("n").select(pl.when(~pl.col("n").str.contains(".", literal=True)).then("n")).to_series()

    def format(self, readings: pl.Series, cells: pl.Series, form: NumberFormat) -> pl.Series:
        """Numbers in the column's form."""
        return format_numbers(readings, form)


def all_numbers(values: pl.Series) -> bool:
    """Whether all values read as numbers when they are taken as one column."""
    if not sample_has_digits(values):
        return False
    return all_simple(values) or not normalize_numbers(values, infer_number_format(values)).has_nulls()
