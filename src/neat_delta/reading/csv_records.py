"""Whole records: the rows of a delimited file, checked line by line, parsed only where somebody asks.

A line is a whole record when it is well formed by RFC 4180 and has the header's number of cells. One regular
expression over all lines tells; only the few that fail it are looked at singly: records that run over several
lines are joined, stray quotes inside a cell are taken as they are, the rest is named as unreadable.
"""

from __future__ import annotations

import codecs
import re
from dataclasses import dataclass, field, replace
from typing import TYPE_CHECKING

import polars as pl

from neat_delta.reading.file_lines import begins_with_mark

if TYPE_CHECKING:
    from collections.abc import Iterator, Mapping, Sequence

    from neat_delta.reading.charset import DecodedText
    from neat_delta.reading.dialect import Dialect
    from neat_delta.tables import Rows

# How total row begins, in the languages of the spreadsheets that people send: English, German, French,
# Dutch, Spanish; and the letters with which these words begin.
SUM_WORDS = (
    r"(?:grand[ -]?|sub[ -]?|sous[ -]?|zwischen)?"
    r"(?:totals?|sum|summe|gesamt(?:summe)?|somme|totaal|subtotaal|suma)"
)
SUM_LETTERS = "gstzGSTZ"
# A quoted cell longer than this many lines is a quote that somebody forgot to close.
LONGEST_CELL = 5_000
# So many rows, of so many cells, that all lack the same last cells are a habit of the program that wrote them.
FEWEST_SHORT, FEWEST_CELLS = 2, 2
SAMPLE_LINES = 100


@dataclass(frozen=True)
class LazyCsvRows:
    """Rows of a delimited file as text; ``buffer`` is the file itself where ``skip`` lines and then the rows are in it.

    Columns that were asked for whole are kept in ``parsed``, for they are asked for again.
    """

    line: pl.Series
    raw: pl.Series
    columns: tuple[str, ...]
    delimiter: str
    buffer: bytes | None
    skip: int = 1
    parsed: dict[str, pl.Series] = field(default_factory=dict, compare=False, repr=False)

    def __len__(self) -> int:
        return len(self.raw)

    def cells(self, names: Sequence[str], rows: pl.Series | None = None) -> pl.DataFrame:
        """The named columns as text, empty cells as ``""``; of the rows at these positions, or of all."""
        if rows is not None and all(name in self.parsed for name in names):
            return pl.DataFrame([self.parsed[name].gather(rows) for name in names])
        if rows is not None and not self._is_every(rows):
            return self._parse((self.raw.gather(rows).str.join("\n").item() or "").encode(), names, len(rows))
        missing = [name for name in names if name not in self.parsed]
        if missing:
            whole = self.buffer or (self.raw.str.join("\n").item() or "").encode()
            self.parsed.update(
                self._parse(whole, missing, len(self), skip=self.skip if self.buffer is not None else 0).to_dict()
            )
        return pl.DataFrame([self.parsed[name] for name in names])

    def without(self, rows: pl.Series) -> LazyCsvRows:
        """The rows but for those at these positions."""
        kept = pl.repeat(True, len(self), dtype=pl.Boolean, eager=True).scatter(rows, False)
        return replace(self, line=self.line.filter(kept), raw=self.raw.filter(kept), buffer=None, parsed={})

    def renamed(self, names: Mapping[str, str]) -> LazyCsvRows:
        """The same rows with some columns under other names."""
        return replace(self, columns=tuple(names.get(name, name) for name in self.columns), parsed={})

    def _is_every(self, rows: pl.Series) -> bool:
        """Whether these positions are simply all rows in their order, which can be parsed as they are."""
        return len(rows) == len(self) and bool((rows == pl.int_range(len(self), eager=True)).all())

    def _parse(self, data: bytes, names: Sequence[str], height: int, skip: int = 0) -> pl.DataFrame:
        if not height:
            return pl.DataFrame(schema=dict.fromkeys(names, pl.String))
        wanted = {self.columns.index(name): name for name in names}
        if begins_with_mark(data, skip):
            for _ in range(skip):
                data = data[data.find(b"\n") + 1 :]
            data, skip = codecs.BOM_UTF8 + data, 0
        frame = pl.read_csv(
            data,
            has_header=False,
            skip_lines=skip,
            separator=self.delimiter,
            infer_schema=False,
            empty_string_is_null=False,
            columns=sorted(wanted),
        )
        return frame.rename(dict(zip(frame.columns, (wanted[at] for at in sorted(wanted)), strict=True))).select(names)


class TooManyUnreadable(ValueError):
    """So many rows cannot be read that this is no table of that form; ``line`` is the last, with the reason."""

    def __init__(self, line: int, say: str) -> None:
        super().__init__(f"more than {MOST_UNREADABLE:,} rows cannot be read, such as this one: {say}")
        self.line = line


@dataclass(frozen=True)
class ParseResult:
    """What the lines of a file gave: good records as rows, and those that are none with the reason (line, raw, say).

    ``cells_added`` are blank cells at the end of every row, where all rows have that many fewer than the header.

    ``odd`` are the positions of rows that may be no data: they begin like a sum or like the header.
    """

    rows: Rows
    bad: pl.DataFrame
    odd: pl.Series
    cells_added: int = 0


MOST_UNREADABLE = 100_000
BAD_SCHEMA = {"line": pl.UInt32, "raw": pl.String, "message": pl.String}


def read_records(
    text: DecodedText,
    lines: pl.DataFrame,
    columns: Sequence[str],
    dialect: Dialect,
    like: LazyCsvRows | None = None,
    parsed: pl.DataFrame | None = None,
) -> ParseResult:
    """Cut a file into whole records; ``lines`` are its lines, ``columns`` names the header's cells in order.

    Lines above the header and those without any value are no rows. Line numbers count from 1, whatever is left out.
    Lines that stand in the same place in ``like``, a file of the same columns and delimiter, are taken to be as whole
    as there. What is ``parsed`` already is kept, if all lines turn out to be whole.
    """
    header_line = dialect.header_line
    grammar = RecordPatterns(dialect.delimiter, dialect.header)
    frame = lines.slice(header_line - 1) if header_line else lines
    found = _whole_records(text, frame, grammar, like if header_line == 1 else None)
    # The header is a record like any other, the first one; where it could not be read, it is the first of the bad.
    has_header = bool(header_line) and len(found.frame) > 0 and found.frame["line"][0] == header_line
    rows, buffer, added = found.frame.rechunk().slice(int(has_header)), found.buffer, 0
    if has_header and rows.is_empty() and len(found.bad) >= FEWEST_SHORT:
        found, rows, added = _without_last_cells(text, frame.slice(1), dialect, found, rows)
    odd = found.odd
    known = {} if parsed is None or buffer is None or len(parsed) != len(rows) else parsed.to_dict()
    records = LazyCsvRows(rows["line"], rows["raw"], tuple(columns), dialect.delimiter, buffer, header_line, known)
    odd = rows["line"].is_in(odd.implode()).arg_true().cast(pl.UInt32) if len(odd) else odd
    return ParseResult(records, found.bad, odd, added)


def _without_last_cells(
    text: DecodedText, lines: pl.DataFrame, dialect: Dialect, found: _Found, rows: pl.DataFrame
) -> tuple[_Found, pl.DataFrame, int]:
    """Rows that all lack the same last cells, with blank ones there; and how many cells that are.

    Where only some rows have fewer cells, they may lack any of them, and are refused.
    """
    for width in range(len(dialect.header) - 1, FEWEST_CELLS - 1, -1):
        grammar = RecordPatterns(dialect.delimiter, dialect.header[:width])
        sample = _whole_records(text, lines.head(SAMPLE_LINES), grammar, None)
        # The sample's last record may go on below it.
        if sample.frame.is_empty() or len(sample.bad) > 1:
            continue
        narrower = _whole_records(text, lines, grammar, None)
        if narrower.bad.is_empty():
            added = len(dialect.header) - width
            full = narrower.frame.rechunk().with_columns(pl.col("raw") + dialect.delimiter * added)
            return narrower, full, added
    return found, rows, 0


@dataclass(frozen=True)
class _Found:
    """The whole records among some lines (frame of line, raw), those that are none, and the lines that begin oddly.

    ``buffer`` are the bytes of the file, if nothing in it had to be mended.
    """

    frame: pl.DataFrame
    bad: pl.DataFrame
    odd: pl.Series
    buffer: bytes | None


def _whole_records(text: DecodedText, frame: pl.DataFrame, grammar: RecordPatterns, like: LazyCsvRows | None) -> _Found:
    whole, blank, odd = _classify(frame, grammar, like)
    if text.undecodable:
        whole &= ~frame["line"].is_in(list(text.undecodable))
    bad = pl.DataFrame(schema=BAD_SCHEMA)
    buffer: bytes | None = text.utf8
    if blank.any():
        frame, whole, buffer = frame.filter(~blank), whole.filter(~blank), None
    if not whole.all():
        # Line ends inside quoted cells belong to the cell, so the lines looked at singly keep theirs.
        suspects = frame["line"].filter(~whole)
        pieces = list(_readable_enough(_repair(text.utf8.decode().split("\n"), suspects, grammar, text.undecodable)))
        taken = pl.Series([n for piece in pieces for n in range(piece.first, piece.last + 1)], dtype=pl.UInt32)
        mended = [(piece.first, piece.text) for piece in pieces if not piece.say]
        frame = pl.concat(
            [
                frame.filter(whole & ~frame["line"].is_in(taken.implode())),
                pl.DataFrame(mended, schema=frame.schema, orient="row"),
            ]
        ).sort("line")
        bad = pl.DataFrame([(p.first, p.text, p.say) for p in pieces if p.say], schema=BAD_SCHEMA, orient="row")
        buffer = None
    return _Found(frame, bad, odd, buffer)


def _classify(
    lines: pl.DataFrame, grammar: RecordPatterns, like: LazyCsvRows | None
) -> tuple[pl.Series, pl.Series, pl.Series]:
    """Which lines are whole records, which hold no value at all, and the numbers of those that begin oddly."""
    known = pl.zeros(len(lines), dtype=pl.Boolean, eager=True)
    if like is not None and like.buffer is not None and like.skip == 1:
        count = min(len(lines) - 1, len(like))
        known = pl.concat([known.head(1), lines["raw"].slice(1, count) == like.raw.head(count), known.slice(1 + count)])
    # The streaming engine shares one column's work among the processor's cores. Two filters in one query would become
    # one, and known lines be looked at for nothing.
    marks = (
        lines.filter(~known)
        .lazy()
        .filter(~pl.col("raw").str.contains(grammar.plainly_whole))
        .select(
            "line",
            whole=pl.col("raw").str.contains(grammar.whole),
            blank=pl.col("raw").str.contains(grammar.blank),
            odd=pl.col("raw").str.contains(grammar.odd),
        )
        .filter(~pl.col("whole") | pl.col("blank") | pl.col("odd"))
        .collect(engine="streaming")
    )
    return (
        ~lines["line"].is_in(marks.filter(~pl.col("whole"))["line"].implode()),
        lines["line"].is_in(marks.filter("blank")["line"].implode()),
        marks.filter("odd")["line"],
    )


def is_suspect_start(header: Sequence[str], separator: str) -> str:
    """The pattern of rows that begin like a sum, or like the header; blank cells may stand in front of a sum."""
    start = separator.join(f'"?{re.escape(name)}"?' for name in header[:2])
    return f'(?i)^(?:["\\s{separator}]*{SUM_WORDS}|{start})(?:["{separator} :(/]|$)'


class RecordPatterns:
    """The regular expressions of one delimiter and width.

    ``whole``, ``blank``, ``odd`` and ``plainly_whole`` (whole and neither of the two, as nearly all records are) are
    for whole columns of records, ``odd_first_cell`` for the first cells of records, of which some may be blank or odd;
    the others are for single records. These never take back what they took (the trailing ``+``), so
    that their time grows with the record's length only, whatever it holds.
    """

    def __init__(self, delimiter: str, header: Sequence[str]) -> None:
        width = len(header)
        sep = delimiter.replace("|", "\\|")
        cell = f'(?:[^"{sep}]*|"(?:[^"]|"")*")'
        self.delimiter = delimiter
        self.width = width
        self.blank = f"^[{sep}\\s]*$"
        self.whole = f"^{cell}(?:{sep}{cell}){{{width - 1}}}$"
        self.odd = is_suspect_start(header, sep)
        self.odd_first_cell = f"(?i)^(?:[\\s{sep}]*(?:{SUM_WORDS})?|{re.escape(header[0])})(?:[{sep} :(/]|$)"
        # Nearly every record begins with a value, and not as a sum or the header does.
        letter = header[0][:1]
        start = f'[^"{sep}\\s{SUM_LETTERS}{re.escape(letter.lower() + letter.upper())}]'
        value = f'(?:{start}[^"{sep}]*|"{start}(?:[^"]|"")*")'
        self.plainly_whole = f"^{value}(?:{sep}{cell}){{{width - 1}}}$"
        quoted = '"(?:[^"]++|"")*+"'
        cell = f'(?:{quoted}|[^"{sep}]*+)'
        loose = f'(?:{quoted}|(?:[^"{sep}\n][^{sep}\n]*+)?+)'
        self.any_width = re.compile(f"{cell}(?:{sep}{cell})*+")
        self.open = re.compile(f'(?:{cell}{sep})*+"(?:[^"]++|"")*+')
        self.stray = re.compile(f"{loose}(?:{sep}{loose})*+")
        self._next = re.compile(f"(?:\\A|{sep})({loose})")

    def is_whole(self, record: str) -> bool:
        """Whether a record is well formed and has the header's number of cells."""
        return bool(self.any_width.fullmatch(record)) and len(self.cut(record)) == self.width

    def cut(self, record: str) -> list[str]:
        """The cells of a record as written, quotes included."""
        return self._next.findall(record)


@dataclass(frozen=True)
class RepairedRecord:
    """A run of lines that was looked at singly: a record if ``say`` is empty, else the reason it is none."""

    first: int
    last: int
    text: str
    say: str = ""


def _repair(
    lines: list[str], suspects: pl.Series, grammar: RecordPatterns, undecodable: dict[int, str]
) -> Iterator[RepairedRecord]:
    """Look at each line that is no whole record by itself, given by its number."""
    after = 0
    for number in suspects:
        if number > after:
            piece = _piece(lines, number - 1, grammar, undecodable)
            after = piece.last
            yield piece


def _readable_enough(pieces: Iterator[RepairedRecord]) -> Iterator[RepairedRecord]:
    """The pieces, as long as not too many of them are no records.

    Raises:
        TooManyUnreadable: they are.
    """
    bad = 0
    for piece in pieces:
        bad += bool(piece.say)
        if bad > MOST_UNREADABLE:
            raise TooManyUnreadable(piece.first, piece.say)
        yield piece


def _piece(lines: list[str], at: int, grammar: RecordPatterns, undecodable: dict[int, str]) -> RepairedRecord:
    number, line = at + 1, lines[at].removesuffix("\r")
    if number in undecodable:
        return RepairedRecord(number, number, line, undecodable[number])
    if grammar.open.fullmatch(line):
        return _joined(lines, at, grammar, undecodable)
    if grammar.any_width.fullmatch(line):
        return RepairedRecord(number, number, line, _ragged(line, grammar))
    if grammar.stray.fullmatch(line):
        cells = grammar.cut(line)
        if len(cells) == grammar.width:
            return RepairedRecord(number, number, grammar.delimiter.join(map(_requoted, cells)))
        return RepairedRecord(number, number, line, _ragged(line, grammar))
    return RepairedRecord(number, number, line, "quote in the middle of a cell")


def _joined(lines: list[str], at: int, grammar: RecordPatterns, undecodable: dict[int, str]) -> RepairedRecord:
    """A record that runs over several lines because a quoted cell holds line ends."""
    number = at + 1
    parts = [lines[at]]
    quotes = lines[at].count('"')
    for following in range(at + 1, min(len(lines), at + LONGEST_CELL)):
        if following + 1 in undecodable:
            break
        parts.append(lines[following])
        quotes += lines[following].count('"')
        if quotes % 2:  # every quote that opens, closes or stands for itself has its partner in a whole record
            continue
        text = "\n".join(parts).removesuffix("\r")
        if grammar.is_whole(text):
            return RepairedRecord(number, following + 1, text)
        if grammar.any_width.fullmatch(text):
            break
        if not grammar.open.fullmatch(text):
            break
    return RepairedRecord(number, number, lines[at], "missing closing quote")


def _ragged(line: str, grammar: RecordPatterns) -> str:
    width = len(grammar.cut(line))
    few_many = "few" if width < grammar.width else "many"
    return f"too {few_many} cells: {width}, but the header has {grammar.width}"


def _requoted(cell: str) -> str:
    """A cell with stray quotes inside, written as RFC 4180 wants it."""
    if cell.startswith('"') or '"' not in cell:
        return cell
    doubled = cell.replace('"', '""')
    return f'"{doubled}"'
