"""A delimited file parsed in one go, where adding up its bytes proves that every line is a whole record.

A parser takes nothing from a file but what parts and encloses cells: delimiters, line ends, quotes. If the bytes of all
cells, one delimiter or line end behind each, and every quote and carriage return, are just the file's bytes, then no
line was short of a cell (too many are an error by themselves, but in the last line, which is looked at), and no quote
is inside a cell; and if there are as many rows as lines, no line end does. That is so of most exports, and takes a
fraction of the time of looking at every line. Whatever is otherwise leaves the file to ``records``, which names it.
"""

from __future__ import annotations

from typing import TYPE_CHECKING

import polars as pl

from neat_delta.reading.csv_records import BAD_SCHEMA, ParseResult, RecordPatterns
from neat_delta.reading.file_lines import NO_SEPARATOR, begins_with_mark
from neat_delta.reading.frame_rows import FrameRows

if TYPE_CHECKING:
    from collections.abc import Sequence

    from neat_delta.reading.charset import DecodedText
    from neat_delta.reading.dialect import Dialect


def parse_bulk(text: DecodedText, columns: Sequence[str], dialect: Dialect) -> pl.DataFrame | None:
    """Every cell of a file below its header, as far as a parser sees it; ``None`` where it sees none."""
    if text.undecodable or not text.utf8 or begins_with_mark(text.utf8, dialect.header_line):
        return None
    try:
        return pl.read_csv(
            text.utf8,
            has_header=False,
            skip_lines=dialect.header_line,
            schema=dict.fromkeys(columns, pl.String),
            separator=dialect.delimiter,
            empty_string_is_null=False,
        )
    except pl.exceptions.PolarsError:
        return None


def verify_bulk(text: DecodedText, frame: pl.DataFrame, dialect: Dialect) -> ParseResult | None:
    """What a file parsed at once gave, if every line is a whole record with a value in it.

    It is what ``read_records`` makes of the same file, but that rows have no text of their own. ``None`` where it
    cannot be shown that every line is one.
    """
    data = text.utf8
    grammar = RecordPatterns(dialect.delimiter, dialect.header)
    start = _below_header(data, dialect.header_line, grammar)
    # Behind the last delimiter of a file there is no cell that a parser would stumble over.
    if start is None or not grammar.is_whole(_last_line(data)):
        return None
    ends = _count(data, "\n")
    lines = ends - dialect.header_line + (not data.endswith(b"\n"))
    if not len(frame) or len(frame) != lines:
        return None
    sizes = frame.lazy().select(pl.all().str.len_bytes().cast(pl.UInt64).sum()).collect(engine="streaming")
    parting = lines * (frame.width - 1) + ends - dialect.header_line
    # Quotes, and the carriage returns of line ends, are all that a parser may take away besides.
    taken = sum(_count(data, sign) - data.count(sign.encode(), 0, start) for sign in '"\r')
    if sum(sizes.row(0)) + parting + taken != len(data) - start:
        return None
    first = pl.col(frame.columns[0])
    suspects = (
        frame.lazy()
        .select(first)
        .with_row_index("")
        .filter(first.str.contains(grammar.odd_first_cell))
        .collect(engine="streaming")[""]
    )
    starts = frame[suspects].select(pl.concat_str(pl.all(), separator=dialect.delimiter)).to_series()
    if starts.str.contains(grammar.blank).any():
        return None
    numbers = pl.int_range(dialect.header_line + 1, dialect.header_line + 1 + lines, dtype=pl.UInt32, eager=True)
    odd = suspects.filter(starts.str.contains(grammar.odd))
    return ParseResult(FrameRows(numbers.alias("line"), frame), pl.DataFrame(schema=BAD_SCHEMA), odd)


def _below_header(data: bytes, header_line: int, grammar: RecordPatterns) -> int | None:
    """Where the rows begin; ``None`` if the header is no record of one line."""
    start = 0
    header = b""
    for _ in range(header_line):
        end = data.find(b"\n", start) + 1
        if not end:
            return None
        start, header = end, data[start : end - 1]
    return start if not header_line or grammar.is_whole(header.decode().removesuffix("\r")) else None


def _last_line(data: bytes) -> str:
    end = len(data) - data.endswith(b"\n")
    return data[data.rfind(b"\n", 0, end) + 1 : end].decode().removesuffix("\r")


def _count(data: bytes, sign: str) -> int:
    """How often an ASCII character is in a file, counted as line ends by all the processor's cores."""
    if sign.encode() not in data:  # one line as long as the file would be one core's work
        return 0
    pieces = pl.scan_csv(data, has_header=False, quote_char=None, eol_char=sign, separator=NO_SEPARATOR)
    return int(pieces.select(pl.len()).collect().item()) - (not data.endswith(sign.encode()))
