"""The way in: a path becomes a Catalogue, whatever form the table has."""

from __future__ import annotations

from concurrent.futures import ThreadPoolExecutor
from contextvars import copy_context
from dataclasses import dataclass, replace
from functools import partial
from typing import TYPE_CHECKING

import polars as pl

from neat_delta.errors import InvalidInput, InvalidOption
from neat_delta.file_content import gathered, pieces
from neat_delta.memory import largest_file_held
from neat_delta.prefetch import FilePrefetch
from neat_delta.progress import NO_PROGRESS, ProgressReporter
from neat_delta.reading.archives import Payload, decompress
from neat_delta.reading.charset import (
    FALLBACK,
    WORDS_BYTES,
    DecodedText,
    decode,
    detect_by_vocabulary,
    words_beyond_ascii,
)
from neat_delta.reading.csv_records import TooManyUnreadable, read_records
from neat_delta.reading.csv_rows import CsvRows
from neat_delta.reading.dialect import SAMPLE_BYTES, SAMPLE_ROWS, Dialect, decimal_mark, header_at, sniff
from neat_delta.reading.frame_rows import BAD_SCHEMA, MOST_COLUMNS, ParsedFile, as_frame_rows, too_many_columns
from neat_delta.reading.non_data_rows import RowSplit, split_rows, suspect_rows
from neat_delta.reading.record_patterns import LineTooLong
from neat_delta.tables import Field, FileFormat, Rows, Source, Table, field_name, parse_header
from neat_delta.tables.read_options import DEFAULT_OPTIONS, ReadOptions
from neat_delta.workers import workers

if TYPE_CHECKING:
    from collections.abc import Sequence

    from neat_delta.remote import Location

MARK_SAMPLE_ROWS = 1_000
WORDS_ROWS = 50_000
LINE_END_SAMPLE_BYTES = 1 << 20
CONTROLS = bytes(byte for byte in range(32) if byte not in b"\t\n\r")
WORKBOOKS = (b"PK\x03\x04", b"\xd0\xcf\x11\xe0")


def read_table(
    path: Location,
    progress: ProgressReporter = NO_PROGRESS,
    options: ReadOptions = DEFAULT_OPTIONS,
    prefetch: FilePrefetch | None = None,
) -> Table:
    """Read a table file as it is: delimited text, a workbook, JSON Lines or XML, also packed with gzip or zip.

    Its form is recognised, but for what is given. ``prefetch`` is the file, where somebody has begun with it.

    Raises:
        InvalidInput: file not found, it is no table, or its header cannot be used.
    """
    progress.step(f"reading {path.name}")
    prefetch = prefetch or FilePrefetch(path)
    return _to_table(_open(path, prefetch, options), prefetch)


def read_strict(
    path: Location, progress: ProgressReporter = NO_PROGRESS, options: ReadOptions = DEFAULT_OPTIONS
) -> Table:
    """Read a table of which every row counts and none can be held back, such as answers, offers or a result list.

    Raises:
        InvalidInput: also where a single row cannot be read.
    """
    table = read_table(path, progress, options)
    require_every_row(table)
    return table


def require_every_row(table: Table) -> None:
    """Refuse a table of which a row cannot be read; raises ``InvalidInput`` with the first such row."""
    if len(table.unreadable_rows):
        line, _, message = table.unreadable_rows.row(0)
        raise InvalidInput(
            f"cannot read this row: {message}", file=table.source.path, line=line, hint="Correct that row."
        )


def read_pair(
    live: Location,
    edited: Location,
    progress: ProgressReporter = NO_PROGRESS,
    edited_options: ReadOptions = DEFAULT_OPTIONS,
    prefetch: FilePrefetch | None = None,
    live_options: ReadOptions = DEFAULT_OPTIONS,
) -> tuple[Table, Table]:
    """Read two files at once, for much of the work is one thread's.

    ``prefetch`` are the two files, where somebody has begun with them.
    """
    prefetch = prefetch or FilePrefetch(live, edited)
    progress.step(f"reading {live.name} and {edited.name}")
    with ThreadPoolExecutor(max_workers=2) as openers:
        # (What holds in this context, such as how much memory may be taken, holds for the threads as well.)
        own, others = (
            openers.submit(copy_context().run, _open, live, prefetch, live_options),
            openers.submit(copy_context().run, _open, edited, prefetch, edited_options),
        )
        first, second = _reconcile_encodings(
            own.result(), _on_best_sheet(others.result(), own.result(), prefetch), prefetch
        )
        if _may_be_copies(first, second):
            read = _to_table(first, prefetch)
            return read, _to_table(second, prefetch, read.rows)
        tables = [openers.submit(copy_context().run, _to_table, one, prefetch) for one in (first, second)]
        return tables[0].result(), tables[1].result()


@dataclass(frozen=True)
class _Delimited:
    """A delimited file's text before anything is known of its rows."""

    text: DecodedText
    dialect: Dialect


@dataclass(frozen=True)
class _Opened:
    """A file whose form is known."""

    path: Location
    payload: Payload
    table: _Delimited | ParsedFile
    options: ReadOptions

    @property
    def guessed(self) -> bool:
        """Whether the character set was a guess."""
        return isinstance(self.table, _Delimited) and self.table.text.guessed

    def some_text(self) -> str:
        """Text of the file, enough of it to know its words."""
        if isinstance(self.table, _Delimited):
            return self.table.text.text.read(0, WORDS_BYTES).decode(errors="replace")
        return "\n".join(cell for column in self.table.columns for cell in column[:WORDS_ROWS])


def _on_best_sheet(opened: _Opened, live: _Opened, prefetch: FilePrefetch) -> _Opened:
    """A workbook on the sheet that has the live export's columns, unless it was given which one is meant."""
    if not _is_workbook(opened.payload) or opened.options.worksheet is not None:
        return opened
    from neat_delta.reading.workbook import best_sheet

    if isinstance(live.table, _Delimited):
        header = list(live.table.dialect.header)
    else:
        rows = [live.table.row(at) for at in range(min(len(live.table), SAMPLE_ROWS))]
        header = rows[max(0, header_at(rows))] if rows else []
    best = best_sheet(opened.payload.data, opened.path, {field_name(column) for column in header} - {""})
    return opened if best is None else _open(opened.path, prefetch, replace(opened.options, worksheet=best))


def _reconcile_encodings(one: _Opened, other: _Opened, prefetch: FilePrefetch) -> tuple[_Opened, _Opened]:
    """Two files about the same items, of which one's character set was a guess that the other's words settle.

    A guess that is wrong would make a change of every name with an accent.
    """
    if one.guessed == other.guessed:
        return one, other
    if one.guessed:
        return _opened_by_words(one, other, prefetch), other
    return one, _opened_by_words(other, one, prefetch)


def _opened_by_words(guessed: _Opened, sure: _Opened, prefetch: FilePrefetch) -> _Opened:
    """The file in the character set that the other one's words speak for.

    Raises:
        InvalidInput: both have words enough to tell, and in no character set are they the same.
    """
    guess = guessed.table.text.encoding if isinstance(guessed.table, _Delimited) else FALLBACK
    sample = guessed.payload.content.read(0, WORDS_BYTES)
    match = detect_by_vocabulary(sample, words_beyond_ascii(sure.some_text()), guess)
    if match.doubtful:
        shown = "; ".join(f"as {charset}: {words}" for charset, words in match.readings.items())
        raise InvalidInput(
            f"unknown encoding: in none are its words those of {sure.path.name}; {shown}",
            file=guessed.path,
            hint="Save it as UTF-8, or give its encoding.",
            code="unknown-encoding",
        )
    charset = match.encoding
    return guessed if charset is None else _open(guessed.path, prefetch, replace(guessed.options, encoding=charset))


def _open(path: Location, prefetch: FilePrefetch, options: ReadOptions = DEFAULT_OPTIONS) -> _Opened:
    content = decompress(prefetch.content(path), path)
    # What reads the rarer forms is only loaded for them.
    if _is_workbook(content):
        from neat_delta.reading.workbook import read_workbook

        return _Opened(path, content, read_workbook(content.data, path, options.worksheet), options)
    if options.worksheet is not None:
        raise InvalidOption(
            "not a workbook, so it has no worksheets", file=path, option="worksheet", hint="Leave it out."
        )
    if content.content.read(0, SAMPLE_BYTES).lstrip(b"\xef\xbb\xbf \t\r\n")[:1] == b"<":
        from neat_delta.reading.xml import read_xml

        _insist_on_no_header(options, path)
        return _Opened(path, content, read_xml(content.data, path), options)
    text = _with_line_feeds(decode(content.content, options.encoding))
    if all(piece.isspace() for piece in pieces(text.text)):
        raise InvalidInput("the file is empty", file=path, hint="Export it again.")
    sample = text.text.read(0, SAMPLE_BYTES + 1)
    if _is_binary(sample):
        raise InvalidInput(
            "not a table file (CSV, XLSX, ODS, JSON Lines, XML)", file=path, hint="Give the export, or the edited file."
        )
    if sample.lstrip()[:2] == b'{"':
        from neat_delta.reading.jsonlines import read_json_lines

        _insist_on_no_header(options, path)
        return _Opened(path, content, read_json_lines(text.text.read(0, len(text.text)).decode(), path), options)
    dialect = sniff(sample, options)
    if options.header_line and dialect.header_line != options.header_line:
        raise _no_header_there(path, options.header_line)
    return _Opened(path, content, _Delimited(text, dialect), options)


def _is_workbook(content: Payload) -> bool:
    return content.content.read(0, len(WORKBOOKS[1])).startswith(WORKBOOKS)


def _insist_on_no_header(options: ReadOptions, path: Location) -> None:
    if options.header_line is not None:
        raise InvalidOption(
            "this format has no header row",
            file=path,
            option="header_line",
            hint="Leave it out.",
        )


def _no_header_there(path: Location, line: int) -> InvalidOption:
    return InvalidOption(
        f"no row starts on line {line}",
        file=path,
        option="header_line",
        hint=f"The header must be in the first {SAMPLE_ROWS} rows.",
    )


def _may_be_copies(one: _Opened, other: _Opened) -> bool:
    """Whether one file may be a copy of the other but for some records; workers elsewhere need not know."""
    if isinstance(one.table, ParsedFile) or isinstance(other.table, ParsedFile) or workers().elsewhere:
        return False
    own, others = one.table.dialect, other.table.dialect
    same = own.delimiter == others.delimiter and own.header == others.header
    return same and bool(own.header_line) and one.options.keep_non_data == other.options.keep_non_data


def _to_table(opened: _Opened, prefetch: FilePrefetch, like: Rows | None = None) -> Table:
    path = opened.path
    source = Source(path, partial(prefetch.sha256, path), partial(prefetch.content, path))
    if isinstance(opened.table, ParsedFile):
        found = _from_sheet(source, opened.table, opened.options)
    else:
        found = _from_text(source, opened.table, opened.options, like)
    form = found.format
    if opened.payload.packing:
        form = replace(form, packing=opened.payload.packing)
    if opened.options.decimal_separator:
        form = replace(form, decimal_separator=opened.options.decimal_separator)
    return replace(found, format=form)


def _from_sheet(source: Source, sheet: ParsedFile, options: ReadOptions) -> Table:
    at = header_at([sheet.row(at) for at in range(min(len(sheet), SAMPLE_ROWS))])
    if options.header_line is not None:
        at = options.header_line - 1
        if not -1 <= at < len(sheet):
            raise _no_header_there(source.path, options.header_line)
    if not sheet.columns or at >= len(sheet):
        raise InvalidInput(
            "the worksheet has no table", file=source.path, hint="Choose another worksheet.", code="no-table-in-sheet"
        )
    header = sheet.row(at) if at >= 0 else [f"column_{number}" for number in range(1, len(sheet.columns) + 1)]
    fields, columns = _named(header, source.path, sheet.numbers[at] if at >= 0 else 0)
    grid = as_frame_rows(sheet, at, columns)
    faults = pl.DataFrame(list(sheet.faults), schema=BAD_SCHEMA, orient="row")
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


def _from_text(source: Source, table: _Delimited, options: ReadOptions, like: Rows | None) -> Table:
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


def _is_binary(sample: bytes) -> bool:
    """Whether more than one in a hundred characters is a control character; stray ones occur in honest tables."""
    controls = len(sample) - len(sample.translate(None, CONTROLS))
    return controls > max(3, len(sample) // 100)


def _with_line_feeds(text: DecodedText) -> DecodedText:
    if any(b"\n" in piece for piece in pieces(text.text)) or not any(b"\r" in piece for piece in pieces(text.text)):
        return text
    lines = (piece.replace(b"\r", b"\n") for piece in pieces(text.text))
    return replace(text, text=gathered(lines, text.text, largest_file_held()), line_end="\r")


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
