"""Apache Parquet: columns with types, whose values become exact text."""

from __future__ import annotations

import io
from typing import TYPE_CHECKING

import polars as pl

from neat_delta.errors import InvalidInput
from neat_delta.memory import memory_limit
from neat_delta.reading.frame_rows import MOST_COLUMNS, ParsedColumns, too_many_columns
from neat_delta.reading.parse_errors import parse_errors_as

if TYPE_CHECKING:
    from neat_delta.locations import Location

# A cell takes so many bytes at least.
LEAST_BYTES = 16


def read_parquet(data: bytes, path: Location) -> ParsedColumns:
    """The columns as text: decimals with all their digits, dates and times by ISO 8601, truth values as 1 and 0.

    Binary floating-point numbers become the shortest decimal that stands for them; null becomes a blank cell.

    Raises:
        InvalidInput: the file is damaged, or a column has values that no cell can hold.
    """
    with parse_errors_as("the Parquet file is damaged or cut off", path, "Export it again."):
        schema = pl.read_parquet_schema(io.BytesIO(data))
        rows = pl.scan_parquet(io.BytesIO(data)).select(pl.len()).collect().item()
    if len(schema) > MOST_COLUMNS:
        raise too_many_columns(path, None, len(schema))
    # (A few bytes can say that a value is there a billion times.)
    if rows * len(schema) * LEAST_BYTES > memory_limit():
        raise InvalidInput(
            f"{rows:,} rows × {len(schema)} columns are more than the memory of this computer holds",
            file=path,
            hint="Export it in parts, or without the columns that are not needed.",
        )
    with parse_errors_as("the Parquet file is damaged or cut off", path, "Export it again."):
        frame = pl.read_parquet(io.BytesIO(data))
    return ParsedColumns(frame.select(_as_text(column, path) for column in frame.get_columns()), "Parquet")


def _as_text(column: pl.Series, path: Location) -> pl.Series:
    if column.dtype.is_nested() or column.dtype in (pl.Object, pl.Binary):
        raise InvalidInput(
            f"a cell cannot hold values of the type {column.dtype}",
            file=path,
            column=column.name,
            hint="Export the column as text, or leave it out.",
        )
    if column.dtype.is_float() and not column.is_finite().fill_null(True).all():
        raise InvalidInput("a number is infinite or none", file=path, column=column.name, hint="Export it as blank.")
    if column.dtype == pl.Boolean:
        column = column.cast(pl.Int8)
    if column.dtype == pl.Datetime:
        text = column.dt.to_string("iso:strict")
        return text.str.replace(r"(?:\.0+)?([+-]\d\d:\d\d)?$", "${1}").fill_null("")
    text = column.cast(pl.String)
    if column.dtype.is_float():
        # Large and small ones come with an exponent, and whole ones with a zero behind the point.
        text = _plain(text)
    return text.fill_null("")


def _plain(numbers: pl.Series) -> pl.Series:
    """Numerals without an exponent, and without a lone zero behind the point."""
    from decimal import Decimal

    odd = numbers.str.contains("[eE]").fill_null(False)
    if odd.any():
        at = odd.arg_true()
        numbers = numbers.scatter(at, [format(Decimal(numbers[int(place)]), "f") for place in at])
    return numbers.str.replace(r"\.0$", "")
