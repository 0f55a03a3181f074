"""Opening a file: what it is, and what its first bytes show of its form, before anything is known of its rows."""

from __future__ import annotations

from dataclasses import dataclass, replace
from typing import TYPE_CHECKING

import polars as pl

from neat_delta.base.errors import InvalidInput, InvalidOption
from neat_delta.files.content import gathered, pieces
from neat_delta.files.memory import largest_file_held
from neat_delta.reading.charset import WORDS_BYTES, DecodedText, decode
from neat_delta.reading.dialect import SAMPLE_BYTES, SAMPLE_ROWS, Dialect, header_at, sniff
from neat_delta.reading.frame_rows import ParsedColumns
from neat_delta.tables import FilePart, Table
from neat_delta.tables.read_options import DEFAULT_OPTIONS, ReadOptions

if TYPE_CHECKING:
    from datetime import datetime

    from neat_delta.locations import Location
    from neat_delta.reading.archives import Payload
    from neat_delta.reading.frame_rows import ParsedFile

WORDS_ROWS = 50_000
MAGIC = b"PAR1"
CONTROLS = bytes(byte for byte in range(32) if byte not in b"\t\n\r")
WORKBOOKS = (b"PK\x03\x04", b"\xd0\xcf\x11\xe0")


@dataclass(frozen=True)
class Delimited:
    """A delimited file's text before anything is known of its rows."""

    text: DecodedText
    dialect: Dialect


@dataclass(frozen=True)
class SeveralParts:
    """What is known of a table of several files: these, those that are missing, remarks, and their oldest time."""

    parts: tuple[FilePart, ...] = ()
    missing: tuple[str, ...] = ()
    remarks: tuple[str, ...] = ()
    time: datetime | None = None


@dataclass(frozen=True)
class Opened:
    """A file whose form is known; or several that have been made one table."""

    path: Location
    payload: Payload
    table: Delimited | ParsedFile | ParsedColumns | Table
    options: ReadOptions
    several: SeveralParts = SeveralParts()

    @property
    def guessed(self) -> bool:
        """Whether the character set was a guess."""
        return isinstance(self.table, Delimited) and self.table.text.guessed

    def header(self) -> list[str]:
        """The names of its columns, as far as its form shows them."""
        if isinstance(self.table, Delimited):
            return list(self.table.dialect.header)
        if isinstance(self.table, ParsedColumns):
            return self.table.frame.columns
        if isinstance(self.table, Table):
            return [field.column for field in self.table.fields]
        rows = [self.table.row(at) for at in range(min(len(self.table), SAMPLE_ROWS))]
        return rows[max(0, header_at(rows))] if rows else []

    def some_text(self) -> str:
        """Text of the file, enough of it to know its words."""
        if isinstance(self.table, Delimited):
            return self.table.text.text.read(0, WORDS_BYTES).decode(errors="replace")
        if isinstance(self.table, ParsedColumns):
            return "\n".join("\n".join(column) for column in self.table.frame.head(WORDS_ROWS))
        if isinstance(self.table, Table):
            some = pl.int_range(min(len(self.table), WORDS_ROWS), eager=True)
            return "\n".join("\n".join(column) for column in self.table.cells(self.table.names, some))
        return "\n".join(cell for column in self.table.columns for cell in column[:WORDS_ROWS])


def open_payload(path: Location, content: Payload, options: ReadOptions = DEFAULT_OPTIONS) -> Opened:
    """What an unpacked file is: a workbook, XML, JSON Lines, Parquet, or delimited text of a certain form.

    Raises:
        InvalidInput: it is no table.
        InvalidOption: an option does not fit such a file.
    """
    # What reads the rarer forms is only loaded for them.
    if is_workbook(content):
        from neat_delta.reading.workbook import read_workbook

        return Opened(path, content, read_workbook(content.data, path, options.worksheet), options)
    if options.worksheet is not None:
        raise InvalidOption(
            "not a workbook, so it has no worksheets", file=path, option="worksheet", hint="Leave it out."
        )
    if content.content.read(0, SAMPLE_BYTES).lstrip(b"\xef\xbb\xbf \t\r\n")[:1] == b"<":
        from neat_delta.reading.xml import read_xml

        _insist_on_no_header(options, path)
        return Opened(path, content, read_xml(content.data, path), options)
    if content.content.read(0, len(MAGIC)) == MAGIC:
        from neat_delta.reading.parquet import read_parquet

        _insist_on_no_header(options, path)
        return Opened(path, content, read_parquet(content.data, path), options)
    text = _with_line_feeds(decode(content.content, options.encoding))
    if all(piece.isspace() for piece in pieces(text.text)):
        raise InvalidInput("the file is empty", file=path, hint="Export it again.")
    sample = text.text.read(0, SAMPLE_BYTES + 1)
    if _is_binary(sample):
        raise InvalidInput(
            "not a table file (CSV, XLSX, ODS, JSON Lines, XML, Parquet)",
            file=path,
            hint="Give the export, or the edited file.",
        )
    if sample.lstrip()[:2] == b'{"':
        from neat_delta.reading.jsonlines import read_json_lines

        _insist_on_no_header(options, path)
        return Opened(path, content, read_json_lines(text.text.read(0, len(text.text)).decode(), path), options)
    dialect = sniff(sample, options)
    if options.header_line and dialect.header_line != options.header_line:
        raise no_header_there(path, options.header_line)
    return Opened(path, content, Delimited(text, dialect), options)


def is_workbook(content: Payload) -> bool:
    """Whether this is a workbook, to judge by its first bytes."""
    return content.content.read(0, len(WORKBOOKS[1])).startswith(WORKBOOKS)


def _insist_on_no_header(options: ReadOptions, path: Location) -> None:
    if options.header_line is not None:
        raise InvalidOption(
            "this format has no header row",
            file=path,
            option="header_line",
            hint="Leave it out.",
        )


def no_header_there(path: Location, line: int) -> InvalidOption:
    """The error for a line on which no row begins."""
    return InvalidOption(
        f"no row starts on line {line}",
        file=path,
        option="header_line",
        hint=f"The header must be in the first {SAMPLE_ROWS} rows.",
    )


def _is_binary(sample: bytes) -> bool:
    """Whether more than one in a hundred characters is a control character; stray ones occur in honest tables."""
    controls = len(sample) - len(sample.translate(None, CONTROLS))
    return controls > max(3, len(sample) // 100)


def _with_line_feeds(text: DecodedText) -> DecodedText:
    if any(b"\n" in piece for piece in pieces(text.text)) or not any(b"\r" in piece for piece in pieces(text.text)):
        return text
    lines = (piece.replace(b"\r", b"\n") for piece in pieces(text.text))
    return replace(text, text=gathered(lines, text.text, largest_file_held()), line_end="\r")
