"""The way in: a path becomes a Catalogue, whatever form the table has."""

from __future__ import annotations

from concurrent.futures import ThreadPoolExecutor
from dataclasses import dataclass, replace
from functools import partial
from typing import TYPE_CHECKING

import polars as pl

from neat_delta.errors import Unreadable
from neat_delta.prefetch import Begun
from neat_delta.progress import SILENCE, Voice
from neat_delta.reading.archives import Content, unpacked
from neat_delta.reading.bulk_parse import as_records, parse_at_once
from neat_delta.reading.charset import FALLBACK, WORDS_BYTES, Text, charset_by_words, decode, words_beyond_ascii
from neat_delta.reading.csv_records import BAD_SCHEMA, Records, read_records, split_lines
from neat_delta.reading.dialect import SAMPLE_BYTES, SAMPLE_ROWS, Dialect, decimal_mark, header_at, sniff
from neat_delta.reading.frame_rows import Sheet, as_grid
from neat_delta.reading.non_data_rows import SetApart, odd_rows, set_apart
from neat_delta.reading.read_options import NOTHING_TOLD, Told
from neat_delta.tables import Catalogue, Field, FileFormat, Rows, Source, field_name, name_fields

if TYPE_CHECKING:
    from collections.abc import Sequence

    from neat_delta.remote import Where

MARK_SAMPLE_ROWS = 1_000
WORDS_ROWS = 50_000
LINE_END_SAMPLE_BYTES = 1 << 20
MOST_COLUMNS = 4_096
CONTROLS = bytes(byte for byte in range(32) if byte not in b"\t\n\r")
WORKBOOKS = (b"PK\x03\x04", b"\xd0\xcf\x11\xe0")


def read_catalogue(
    path: Where, voice: Voice = SILENCE, told: Told = NOTHING_TOLD, begun: Begun | None = None
) -> Catalogue:
    """Read a table file as it is: delimited text, a workbook, JSON Lines or XML, also packed with gzip or zip.

    Its form is recognised, but for what is told. ``begun`` is the file, where somebody has begun with it.

    Raises:
        Unreadable: there is no such file, it is no table, or its header cannot be used.
    """
    voice.step(f"reading {path.name}")
    begun = begun or Begun(path)
    return _catalogue(_open(path, begun, told), begun)


def read_whole(path: Where, voice: Voice = SILENCE, told: Told = NOTHING_TOLD) -> Catalogue:
    """Read a table of which every row counts and none can be held back, such as answers, offers or a result list.

    Raises:
        Unreadable: also where a single row cannot be read.
    """
    table = read_catalogue(path, voice, told)
    insist_on_every_row(table)
    return table


def insist_on_every_row(table: Catalogue) -> None:
    """Refuse a table of which a row cannot be read; raises ``Unreadable`` with the first such row."""
    if len(table.bad):
        line, _, say = table.bad.row(0)
        raise Unreadable(f"this row cannot be read: {say}", file=table.source.path, line=line, remedy="Mend that row.")


def read_both(
    live: Where,
    edited: Where,
    voice: Voice = SILENCE,
    told: Told = NOTHING_TOLD,
    begun: Begun | None = None,
    exported: Told = NOTHING_TOLD,
) -> tuple[Catalogue, Catalogue]:
    """Read two files at once, which saves time twice; what is ``told`` is told of the edited one.

    Much of the work is one thread's, and lines of the edited sheet that stand in the live export need no second
    inspection. ``begun`` are the two files, where somebody has begun with them; ``exported`` is told of the live one.
    """
    begun = begun or Begun(live, edited)
    voice.step(f"reading {live.name} and {edited.name}")
    with ThreadPoolExecutor(max_workers=2) as openers:
        ours, theirs = openers.submit(_open, live, begun, exported), openers.submit(_open, edited, begun, told)
        first, second = _agreed(ours.result(), _on_best_sheet(theirs.result(), ours.result(), begun), begun)
    if not _alike(first, second):
        return _catalogue(first, begun), _catalogue(second, begun)
    read = _catalogue(first, begun, by_line=True)
    return read, _catalogue(second, begun, by_line=True, like=read.rows)


@dataclass(frozen=True)
class _Delimited:
    """A delimited file's text before anything is known of its rows."""

    text: Text
    dialect: Dialect


@dataclass(frozen=True)
class _Opened:
    """A file whose form is known."""

    path: Where
    content: Content
    table: _Delimited | Sheet
    told: Told

    @property
    def guessed(self) -> bool:
        """Whether the character set was a guess."""
        return isinstance(self.table, _Delimited) and self.table.text.guessed

    def some_text(self) -> str:
        """Text of the file, enough of it to know its words."""
        if isinstance(self.table, _Delimited):
            return self.table.text.utf8[:WORDS_BYTES].decode(errors="replace")
        return "\n".join(cell for column in self.table.columns for cell in column[:WORDS_ROWS])


def _on_best_sheet(opened: _Opened, live: _Opened, begun: Begun) -> _Opened:
    """A workbook on the sheet that has the live export's columns, unless it was told which one is meant."""
    if not opened.content.inner.startswith(WORKBOOKS) or opened.told.sheet is not None:
        return opened
    from neat_delta.reading.workbook import best_sheet

    if isinstance(live.table, _Delimited):
        header = list(live.table.dialect.header)
    else:
        rows = [live.table.row(at) for at in range(min(len(live.table), SAMPLE_ROWS))]
        header = rows[max(0, header_at(rows))] if rows else []
    best = best_sheet(opened.content.inner, {field_name(column) for column in header} - {""})
    return opened if best is None else _open(opened.path, begun, replace(opened.told, sheet=best))


def _agreed(one: _Opened, other: _Opened, begun: Begun) -> tuple[_Opened, _Opened]:
    """Two files about the same items, of which one's character set was a guess that the other's words settle.

    A guess that is wrong would make a change of every name with an accent.
    """
    if one.guessed == other.guessed:
        return one, other
    if one.guessed:
        return _opened_by_words(one, other, begun), other
    return one, _opened_by_words(other, one, begun)


def _opened_by_words(guessed: _Opened, sure: _Opened, begun: Begun) -> _Opened:
    """The file in the character set that the other one's words speak for.

    Raises:
        Unreadable: both have words enough to tell, and in no character set are they the same.
    """
    guess = guessed.table.text.charset if isinstance(guessed.table, _Delimited) else FALLBACK
    told = charset_by_words(guessed.content.inner, words_beyond_ascii(sure.some_text()), guess)
    if told.doubtful:
        shown = "; ".join(f"as {charset}: {words}" for charset, words in told.readings.items())
        raise Unreadable(
            f"its character set cannot be told, for in none are its words those of {sure.path.name}; {shown}",
            file=guessed.path,
            remedy="Save it as UTF-8, or say which it is with --encoding NAME.",
        )
    charset = told.charset
    return guessed if charset is None else _open(guessed.path, begun, replace(guessed.told, charset=charset))


def _open(path: Where, begun: Begun, told: Told = NOTHING_TOLD) -> _Opened:
    content = unpacked(begun.data(path), path)
    # What reads the rarer forms is only loaded for them.
    if content.inner.startswith(WORKBOOKS):
        from neat_delta.reading.workbook import read_workbook

        return _Opened(path, content, read_workbook(content.inner, path, told.sheet), told)
    if told.sheet is not None:
        raise Unreadable("this is no workbook, so it has no sheets", file=path, remedy="Leave --sheet out.")
    if content.inner[:SAMPLE_BYTES].lstrip(b"\xef\xbb\xbf \t\r\n")[:1] == b"<":
        from neat_delta.reading.xml import read_xml

        _insist_on_no_header(told, path)
        return _Opened(path, content, read_xml(content.inner, path), told)
    text = _with_line_feeds(decode(content.inner, told.charset))
    if not text.utf8 or text.utf8.isspace():
        raise Unreadable("the file is empty", file=path, remedy="Export it again.")
    if _is_binary(text.utf8[:SAMPLE_BYTES]):
        raise Unreadable("this is no text, so it is no table", file=path, remedy="Name the export or the sheet.")
    if text.utf8[:SAMPLE_BYTES].lstrip()[:2] == b'{"':
        from neat_delta.reading.jsonlines import read_json_lines

        _insist_on_no_header(told, path)
        return _Opened(path, content, read_json_lines(text.utf8.decode(), path), told)
    dialect = sniff(text.utf8, told)
    if told.header_line and dialect.header_line != told.header_line:
        raise _no_header_there(path, told.header_line)
    return _Opened(path, content, _Delimited(text, dialect), told)


def _insist_on_no_header(told: Told, path: Where) -> None:
    if told.header_line is not None:
        raise Unreadable(
            "each item names its values, so no line is a header", file=path, remedy="Leave --header-line out."
        )


def _no_header_there(path: Where, line: int) -> Unreadable:
    return Unreadable(
        f"no row begins on line {line}, so it cannot be the header",
        file=path,
        remedy=f"Say the line of the column names with --header-line; they stand among the first {SAMPLE_ROWS} rows.",
    )


def _alike(one: _Opened, other: _Opened) -> bool:
    """Whether two files have one form, so that lines which are equal need not be parsed."""
    if isinstance(one.table, Sheet) or isinstance(other.table, Sheet):
        return False
    ours, theirs = one.table.dialect, other.table.dialect
    return ours.delimiter == theirs.delimiter and [*map(field_name, ours.header)] == [*map(field_name, theirs.header)]


def _catalogue(opened: _Opened, begun: Begun, *, by_line: bool = False, like: Rows | None = None) -> Catalogue:
    source = Source(opened.path, partial(begun.sha256, opened.path))
    if isinstance(opened.table, Sheet):
        found = _from_sheet(source, opened.table, opened.told)
    else:
        found = _from_text(source, opened.table, opened.told, by_line, like)
    form = found.form
    if opened.content.packing:
        form = replace(form, packing=opened.content.packing)
    if opened.told.mark:
        form = replace(form, mark=opened.told.mark)
    return replace(found, form=form)


def _from_sheet(source: Source, sheet: Sheet, told: Told) -> Catalogue:
    at = header_at([sheet.row(at) for at in range(min(len(sheet), SAMPLE_ROWS))])
    if told.header_line is not None:
        at = told.header_line - 1
        if not -1 <= at < len(sheet):
            raise _no_header_there(source.path, told.header_line)
    if not sheet.columns or at >= len(sheet):
        raise Unreadable("the sheet holds no table", file=source.path, remedy="Name another with --sheet.")
    header = sheet.row(at) if at >= 0 else [f"column_{number}" for number in range(1, len(sheet.columns) + 1)]
    fields, columns = _named(header, source.path, sheet.numbers[at] if at >= 0 else 0)
    grid = as_grid(sheet, at, columns)
    faults = pl.DataFrame(list(sheet.faults), schema=BAD_SCHEMA, orient="row")
    parted = SetApart(grid, faults, faults.clear())
    if not told.every_row:
        parted = set_apart(grid, faults, odd_rows(grid, columns, header), header, columns)
    named = [field.name for field in fields if field]
    return Catalogue(
        source=source,
        form=FileFormat(
            charset="utf-8",
            made_of=sheet.made_of,
            header_line=sheet.numbers[at] if at >= 0 else 0,
            mark=_mark(grid.cells(named).head(MARK_SAMPLE_ROWS)),
        ),
        fields=tuple(field for field in fields if field),
        rows=parted.rows,
        bad=parted.bad,
        apart=parted.apart,
        unnamed=sum(field is None for field in fields),
        origin=sheet.origin,
    )


def _from_text(source: Source, table: _Delimited, told: Told, by_line: bool, like: Rows | None) -> Catalogue:
    dialect = table.dialect
    fields, columns = _named(dialect.header, source.path, dialect.header_line)
    parsed = None if by_line or not dialect.plain else parse_at_once(table.text, columns, dialect)
    reading = None if parsed is None else as_records(table.text, parsed, dialect)
    if reading is None:
        known = like if isinstance(like, Records) else None
        reading = read_records(table.text, split_lines(table.text.utf8), columns, dialect, known, parsed)
    if len(reading.bad) and reading.bad["line"][0] <= dialect.header_line:
        line, _, say = reading.bad.row(0)
        raise Unreadable(
            f"the header row cannot be read: {say}", file=source.path, line=line, remedy="Mend that row first."
        )
    parted = SetApart(reading.rows, reading.bad, reading.bad.clear())
    if not told.every_row:
        parted = set_apart(reading.rows, reading.bad, reading.odd, dialect.header, columns, dialect.delimiter)
    return Catalogue(
        source=source,
        form=_form(table.text, dialect, reading.rows, [field.name for field in fields if field]),
        fields=tuple(field for field in fields if field),
        rows=parted.rows,
        bad=parted.bad,
        apart=parted.apart,
        unnamed=sum(field is None for field in fields),
    )


def _named(header: Sequence[str], path: Where, line: int) -> tuple[tuple[Field | None, ...], tuple[str, ...]]:
    """The header's fields, ``None`` where it names none, and a name for every column, also for those."""
    if len(header) > MOST_COLUMNS:
        raise Unreadable(
            f"the header has {len(header)} columns, more than {MOST_COLUMNS}",
            file=path,
            line=line,
            remedy="Check the file.",
        )
    fields = name_fields(header, path.name, line or None)
    return fields, tuple(field.name if field else f" {at}" for at, field in enumerate(fields))


def _is_binary(sample: bytes) -> bool:
    """Whether more than one in a hundred characters is a control character; stray ones occur in honest tables."""
    controls = len(sample) - len(sample.translate(None, CONTROLS))
    return controls > max(3, len(sample) // 100)


def _with_line_feeds(text: Text) -> Text:
    if b"\n" in text.utf8 or b"\r" not in text.utf8:
        return text
    return replace(text, utf8=text.utf8.replace(b"\r", b"\n"), line_end="\r")


def _form(text: Text, dialect: Dialect, rows: Rows, named: Sequence[str]) -> FileFormat:
    sample = text.utf8[:LINE_END_SAMPLE_BYTES]
    mostly_crlf = sample.count(b"\r\n") * 2 > sample.count(b"\n")
    first = pl.int_range(min(len(rows), MARK_SAMPLE_ROWS), eager=True)
    return FileFormat(
        delimiter=dialect.delimiter,
        charset=text.charset,
        bom=text.bom,
        line_end=text.line_end or ("\r\n" if mostly_crlf else "\n"),
        quote_all=dialect.quote_all,
        mark=_mark(rows.cells(named, first)),
        header_line=dialect.header_line,
        sure=dialect.sure,
        charset_sure=not text.guessed,
    )


def _mark(cells: pl.DataFrame) -> str | None:
    return decimal_mark([cell for column in cells.get_columns() for cell in column.unique().to_list()])
