"""Update files as Apache Parquet: numbers with their type, exact; everything else as text."""

from __future__ import annotations

import io
from typing import TYPE_CHECKING

import polars as pl

if TYPE_CHECKING:
    from collections.abc import Mapping

DIGITS = 38
# Zeros that are only there because the type has so many decimals.
ZEROS_BEHIND = r"^([+-]?\d+)[.,]0+$|^([+-]?\d+[.,]\d*[1-9])0+$"


def as_parquet(cells: pl.DataFrame, decimals: Mapping[str, int]) -> bytes:
    """A table as a Parquet file; ``decimals`` are the columns of numbers, and how many decimals they have at most.

    A column of numbers with a cell that is none, such as a marker, or that is written in another way, is text.
    """
    stream = io.BytesIO()
    cells.select(_typed(column, decimals.get(column.name)) for column in cells).write_parquet(stream)
    return stream.getvalue()


def _typed(column: pl.Series, decimals: int | None) -> pl.Series:
    if decimals is None:
        return column
    kind = pl.Decimal(DIGITS, decimals) if decimals else pl.Int64()
    typed = column.cast(kind, strict=False)
    same = without_zeros_behind(typed.cast(pl.String)) == without_zeros_behind(column)
    return typed if typed.null_count() == column.null_count() and same.fill_null(True).all() else column


def without_zeros_behind(numbers: pl.Series) -> pl.Series:
    """Numerals without the zeros that they have only because their type has so many decimals."""
    return numbers.str.replace(ZEROS_BEHIND, "${1}${2}")
