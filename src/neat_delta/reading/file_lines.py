"""The lines of a file, as they are."""

from __future__ import annotations

import codecs

import polars as pl

# A sign that hardly any text holds.
NO_SEPARATOR = "\x01"


def split_lines(utf8: bytes) -> pl.DataFrame:
    """The lines of a file (frame of line, raw), numbered from 1, without their line ends.

    A table of one column without quotes is just that, and is cut by all the processor's cores; only the sign that
    would part its columns must not occur.
    """
    if NO_SEPARATOR.encode() in utf8:
        lines = pl.read_lines(utf8, name="raw")
    else:
        lines = pl.read_csv(
            utf8,
            has_header=False,
            new_columns=["raw"],
            separator=NO_SEPARATOR,
            quote_char=None,
            infer_schema=False,
            empty_string_is_null=False,
        )
    return lines.with_row_index("line", offset=1).rechunk()


def begins_with_mark(data: bytes, skip: int) -> bool:
    """Whether the first cell below so many lines begins with a byte-order mark of its own, which Polars would drop."""
    begin = 0
    for _ in range(skip):
        begin = data.find(b"\n", begin) + 1
    return data.startswith(codecs.BOM_UTF8, begin)
