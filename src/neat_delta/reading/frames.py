"""Tables from data frames: what a program has in memory, as if it had been read from a file."""

from __future__ import annotations

import io
from pathlib import Path

import polars as pl

from neat_delta.base.errors import InvalidInput
from neat_delta.locations.prefetch import sha256_hex
from neat_delta.reading.frame_rows import FrameRows
from neat_delta.tables import FileFormat, Source, Table, parse_header
from neat_delta.tables.schemas import BadRows


def table_from_frame(frame: pl.DataFrame, name: str = "frame.csv") -> Table:
    """A table with a frame's columns as its fields and their values as text; null becomes an empty cell.

    Numbers of binary floating point are refused, for what a shop would get is not what the frame shows; cast them to
    decimals or to text. Dates are written as ISO 8601 has them, truth values as 1 and 0.

    Args:
        frame: the columns, whose names are those of the shop's export.
        name: what messages and change sets call it.

    Raises:
        InvalidInput: a column is of binary floats or of nested values, or two columns would be one field.
    """
    for column in frame.get_columns():
        if column.dtype.is_float() or column.dtype.is_nested() or column.dtype == pl.Object:
            raise InvalidInput(
                f"a column of type {column.dtype} has no exact text",
                file=name,
                column=column.name,
                hint="Cast it to pl.String or pl.Decimal first.",
            )
    # (Every name is filled, so none of the fields is missing.)
    fields = tuple(field for field in parse_header(frame.columns, name) if field is not None)
    if len(fields) < len(frame.columns):
        raise InvalidInput("a column has no name", file=name, hint="Give each column a name.")
    cells = frame.select(_as_text(column).alias(field.name) for column, field in zip(frame, fields, strict=True))
    header = FileFormat(decimal_separator=".")
    lines = pl.int_range(2, len(frame) + 2, dtype=pl.UInt32, eager=True)

    def digest() -> str:
        stream = io.BytesIO()
        cells.write_csv(stream)
        return sha256_hex(stream.getvalue())

    nothing = BadRows.none()
    return Table(Source(Path(name), digest), header, fields, FrameRows(lines, cells), nothing, nothing)


def _as_text(column: pl.Series) -> pl.Series:
    if column.dtype == pl.Boolean:
        column = column.cast(pl.Int8)
    return column.cast(pl.String).fill_null("")
