"""Apache Parquet: columns with types, whose values become exact text."""

from __future__ import annotations

import io
import subprocess
import sys
from typing import TYPE_CHECKING

import polars as pl

from neat_delta.base.errors import InvalidInput
from neat_delta.files.memory import memory_limit
from neat_delta.files.own_process import decoding_words
from neat_delta.reading.frame_rows import MOST_COLUMNS, ParsedColumns, too_many_columns

if TYPE_CHECKING:
    from neat_delta.locations import Location

# A cell takes so many bytes at least.
LEAST_BYTES = 16
# How the process that decodes a file ends; in any other way, the file has ended it.
WHOLE, TOO_WIDE, TOO_LARGE = 40, 41, 42


def read_parquet(data: bytes, path: Location) -> ParsedColumns:
    """The columns as text: decimals with all their digits, dates and times by ISO 8601, truth values as 1 and 0.

    Binary floating-point numbers become the shortest decimal that stands for them; null becomes a blank cell.

    Raises:
        InvalidInput: the file is damaged, too large for the memory, or a column has values that no cell can hold.
    """
    frame = _decoded(data, path)
    return ParsedColumns(frame.select(_as_text(column, path) for column in frame.get_columns()), "Parquet")


def _decoded(data: bytes, path: Location) -> pl.DataFrame:
    """The columns with their types, read by a process of its own.

    Of a damaged file the library may end the process that reads it, and prints what nobody needs to see.
    """
    call = decoding_words(str(memory_limit()), str(MOST_COLUMNS))
    done = subprocess.run(call, input=data, stdout=subprocess.PIPE, stderr=subprocess.DEVNULL, check=False)
    if done.returncode == WHOLE:
        return pl.read_ipc_stream(io.BytesIO(done.stdout))
    told = done.stdout.decode(errors="replace")
    if done.returncode == TOO_WIDE:
        raise too_many_columns(path, None, int(told))
    if done.returncode == TOO_LARGE:
        raise InvalidInput(
            f"{told} are more than the memory of this computer holds",
            file=path,
            hint="Export it in parts, or without the columns that are not needed.",
        )
    raise InvalidInput("the Parquet file is damaged or cut off", file=path, hint="Export it again.")


def decode_for_parent() -> None:
    """In a process of its own: a Parquet file from standard input to an Arrow stream on standard output.

    The exit code says how it went; the arguments are how much memory there is, and the most columns.
    """
    limit, most_columns = map(int, sys.argv[1:])
    data = sys.stdin.buffer.read()
    schema = pl.read_parquet_schema(io.BytesIO(data))
    rows = pl.scan_parquet(io.BytesIO(data)).select(pl.len()).collect().item()
    if len(schema) > most_columns:
        sys.stdout.buffer.write(str(len(schema)).encode())
        sys.exit(TOO_WIDE)
    # (A few bytes can say that a value is there a billion times.)
    if rows * len(schema) * LEAST_BYTES > limit:
        sys.stdout.buffer.write(f"{rows:,} rows × {len(schema)} columns".encode())
        sys.exit(TOO_LARGE)
    pl.read_parquet(io.BytesIO(data)).write_ipc_stream(sys.stdout.buffer)
    sys.exit(WHOLE)


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
