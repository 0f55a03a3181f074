"""From an opened file to a table: its header, its rows, and what of them is no data."""

from __future__ import annotations

from dataclasses import replace
from functools import partial
from typing import TYPE_CHECKING

import polars as pl

from neat_delta.base.errors import InvalidInput
from neat_delta.files.content import Content, ContentInMemory
from neat_delta.reading.csv_records import TooManyUnreadable, read_records
from neat_delta.reading.csv_rows import CsvRows
from neat_delta.reading.dialect import SAMPLE_BYTES, SAMPLE_ROWS, Dialect, decimal_mark, header_at
from neat_delta.reading.frame_rows import (
    MOST_COLUMNS,
    FrameRows,
    ParsedColumns,
    ParsedFile,
    as_frame_rows,
    too_many_columns,
)
from neat_delta.reading.non_data_rows import RowSplit, split_rows, suspect_rows
from neat_delta.reading.opening import Delimited, Opened, no_header_there
from neat_delta.reading.record_patterns import LineTooLong
from neat_delta.tables import Field, FileFormat, Rows, Source, Table, parse_header
from neat_delta.tables.schemas import BadRows

if TYPE_CHECKING:
    from collections.abc import Sequence

    from neat_delta.locations import Location
    from neat_delta.locations.prefetch import FilePrefetch
    from neat_delta.reading.charset import DecodedText
    from neat_delta.tables.read_options import ReadOptions

MARK_SAMPLE_ROWS = 1_000
LINE_END_SAMPLE_BYTES = 1 << 20


def to_table(opened: Opened, prefetch: FilePrefetch, like: Rows | None = None) -> Table:
    """The table of an opened file; ``like`` are rows of another of which this one may be a copy.

    Raises:
        InvalidInput: it has no header that can be used, or too much of it cannot be read.
    """
    path = opened.path
    if isinstance(opened.table, Table):
        return opened.table
    source = Source(path, partial(prefetch.sha256, path), partial(prefetch.content, path), opened.several.time)
    if isinstance(opened.table, ParsedColumns):
        table = _from_columns(source, opened.table)
    elif isinstance(opened.table, ParsedFile):
        table = _from_sheet(source, opened.table, opened.options)
    else:
        table = _from_text(source, opened.table, opened.options, like)
    form = table.format
    if opened.payload.packing:
        form = replace(form, packing=opened.payload.packing)
    if opened.options.decimal_separator:
        form = replace(form, decimal_separator=opened.options.decimal_separator)
    return replace(
        table,
        format=form,
        parts=opened.several.parts,
        missing_parts=opened.several.missing,
        remarks=opened.several.remarks,
    )


def sample_table(opened: Opened) -> Table:
    """The first rows of an opened delimited file, as a table."""
    assert isinstance(opened.table, Delimited)
    text = opened.table.text
    sample = replace(opened.table, text=replace(text, text=ContentInMemory(first_lines(text.text))))
    return _from_text(Source(opened.path, str), sample, replace(opened.options, keep_non_data=True), None)


def first_lines(content: Content) -> bytes:
    """So much of a text as its form is judged by, in whole lines where it is longer."""
    head = content.read(0, SAMPLE_BYTES)
    return head if len(head) == len(content) else head[: head.rfind(b"\n") + 1] or head


def _from_sheet(source: Source, sheet: ParsedFile, options: ReadOptions) -> Table:
    at = header_at([sheet.row(at) for at in range(min(len(sheet), SAMPLE_ROWS))])
    if options.header_line is not None:
        at = options.header_line - 1
        if not -1 <= at < len(sheet):
            raise no_header_there(source.path, options.header_line)
    if not sheet.columns or at >= len(sheet):
        raise InvalidInput(
            "the worksheet has no table", file=source.path, hint="Choose another worksheet.", code="no-table-in-sheet"
        )
    header = sheet.row(at) if at >= 0 else [f"column_{number}" for number in range(1, len(sheet.columns) + 1)]
    fields, columns = _named(header, source.path, sheet.numbers[at] if at >= 0 else 0)
    grid = as_frame_rows(sheet, at, columns)
    faults = pl.DataFrame(list(sheet.faults), schema=BadRows.dtypes(), orient="row")
    parted = RowSplit(grid, faults, faults.clear())
    if not options.keep_non_data:
        parted = split_rows(grid, faults, suspect_rows(grid, columns, header), header, columns)
    named = [field.name for field in fields if field]
    return Table(
        source=source,
        format=FileFormat(
            encoding="utf-8",
            container=sheet.made_of,
            header_line=sheet.numbers[at] if at >= 0 else 0,
            decimal_separator=_mark(grid.cells(named).head(MARK_SAMPLE_ROWS)),
        ),
        fields=tuple(field for field in fields if field),
        rows=parted.rows,
        unreadable_rows=parted.bad,
        non_data_rows=parted.apart,
        unnamed_columns=sum(field is None for field in fields),
        source_sha256=sheet.origin,
        base=tuple(sheet.base),
    )


def _from_columns(source: Source, table: ParsedColumns) -> Table:
    fields, columns = _named(table.frame.columns, source.path, 0)
    rows = table.frame.rename(dict(zip(table.frame.columns, columns, strict=True)))
    nothing = BadRows.none()
    return Table(
        source=source,
        format=FileFormat(container=table.made_of, header_line=0, decimal_separator="."),
        fields=tuple(field for field in fields if field),
        rows=FrameRows(pl.int_range(1, len(rows) + 1, dtype=pl.UInt32, eager=True), rows),
        unreadable_rows=nothing,
        non_data_rows=nothing,
        unnamed_columns=sum(field is None for field in fields),
    )


def _from_text(source: Source, table: Delimited, options: ReadOptions, like: Rows | None) -> Table:
    dialect = table.dialect
    fields, columns = _named(dialect.header, source.path, dialect.header_line)
    try:
        reading = read_records(table.text, columns, dialect, like if isinstance(like, CsvRows) else None)
    except LineTooLong as error:
        raise InvalidInput(str(error), file=source.path, line=error.line, hint="Export it again.") from error
    except TooManyUnreadable as error:
        hint = "Check quotes and column separator; export it again."
        raise InvalidInput(str(error), file=source.path, line=error.line, hint=hint) from error
    if len(reading.bad) and reading.bad["line"][0] <= dialect.header_line:
        line, _, message = reading.bad.row(0)
        raise InvalidInput(
            f"cannot read the header row: {message}", file=source.path, line=line, hint="Correct that row first."
        )
    parted = RowSplit(reading.rows, reading.bad, reading.bad.clear())
    if not options.keep_non_data:
        parted = split_rows(reading.rows, reading.bad, reading.odd, dialect.header, columns, dialect.delimiter)
    return Table(
        source=source,
        format=_form(table.text, dialect, reading.rows, [field.name for field in fields if field]),
        fields=tuple(field for field in fields if field),
        rows=parted.rows,
        unreadable_rows=parted.bad,
        non_data_rows=parted.apart,
        unnamed_columns=sum(field is None for field in fields),
        blank_columns=reading.cells_added,
    )


def _named(header: Sequence[str], path: Location, line: int) -> tuple[tuple[Field | None, ...], tuple[str, ...]]:
    """The header's fields, ``None`` where it names none, and a name for every column, also for those."""
    if len(header) > MOST_COLUMNS:
        raise too_many_columns(path, line, len(header))
    fields = parse_header(header, path.name, line or None)
    return fields, tuple(field.name if field else f" {at}" for at, field in enumerate(fields))


def _form(text: DecodedText, dialect: Dialect, rows: Rows, named: Sequence[str]) -> FileFormat:
    sample = text.text.read(0, LINE_END_SAMPLE_BYTES)
    mostly_crlf = sample.count(b"\r\n") * 2 > sample.count(b"\n")
    first = pl.int_range(min(len(rows), MARK_SAMPLE_ROWS), eager=True)
    return FileFormat(
        delimiter=dialect.delimiter,
        encoding=text.encoding,
        bom=text.bom,
        line_end=text.line_end or ("\r\n" if mostly_crlf else "\n"),
        quote_all=dialect.quote_all,
        decimal_separator=_mark(rows.cells(named, first)),
        header_line=dialect.header_line,
        delimiter_certain=dialect.sure,
        encoding_certain=not text.guessed,
    )


def _mark(cells: pl.DataFrame) -> str | None:
    return decimal_mark([cell for column in cells.get_columns() for cell in column.unique().to_list()])
