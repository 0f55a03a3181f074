"""Whole records: the rows of a delimited file, found by their quotes and line ends, parsed only where somebody asks.

Most files are whole, and a look at the places of their delimiters, quotes and line ends shows it. Where a record is
not, it is looked at by itself: what can be mended is, the rest is named as unreadable.
"""

from __future__ import annotations

from dataclasses import dataclass, field
from functools import cached_property
from typing import TYPE_CHECKING

import numpy as np
import polars as pl

from neat_delta.files.content import Content, ContentInMemory
from neat_delta.reading.csv_rows import CsvRows
from neat_delta.reading.record_blocks import RecordSpans
from neat_delta.reading.record_patterns import LONGEST_CELL, LONGEST_LINE, RecordPatterns, records_singly
from neat_delta.reading.record_scan import Candidates, scan_block
from neat_delta.reading.records_in_common import Gap, records_in_common
from neat_delta.reading.scanned_elsewhere import scanned_elsewhere
from neat_delta.tables.schemas import BadRows

if TYPE_CHECKING:
    from collections.abc import Sequence

    from numpy.typing import NDArray

    from neat_delta.reading.charset import DecodedText
    from neat_delta.reading.dialect import Dialect
from neat_delta.reading.record_patterns import RepairedRecord

# So many rows, of so many cells, that all lack the same last cells are a habit of the program that wrote them.
FEWEST_SHORT, FEWEST_CELLS = 2, 2
SAMPLE_BYTES = 1 << 16
# A text is looked at in blocks of so many bytes, and where it is damaged, in smaller ones at first.
BLOCK, SMALL_BLOCK, GROWTH = 1 << 20, 1 << 14, 4
# A byte with which neither a blank nor an odd record begins.
PLAIN_BYTE = ord("0")
# A record that has no end in so many bytes is looked at by itself.
ENOUGH = 1 << 18
# Where so few records begin as a blank or odd one may, they are looked at singly.
FEW_SUSPECTS = 0.01
NO_RECORDS = tuple(np.empty(0, kind) for kind in (np.int64, np.int64, np.uint32, np.uint8))
MOST_UNREADABLE = 100_000


class TooManyUnreadable(ValueError):
    """So many rows cannot be read that this is no table of that form; ``line`` is the last, with the reason."""

    def __init__(self, line: int, say: str) -> None:
        super().__init__(f"more than {MOST_UNREADABLE:,} rows cannot be read, such as this one: {say}")
        self.line = line


@dataclass(frozen=True)
class ParseResult:
    """What a file gave: good records as rows, and lines that are none with the reason (line, raw, message).

    ``cells_added`` are blank cells at the end of every row, where all rows have that many fewer than the header.

    ``odd`` are the positions of rows that may be no data: they begin like a sum or like the header.
    """

    rows: CsvRows
    bad: pl.DataFrame
    odd: pl.Series
    cells_added: int = 0


def read_records(
    text: DecodedText, columns: Sequence[str], dialect: Dialect, like: CsvRows | None = None
) -> ParseResult:
    """Cut a file into whole records; ``columns`` names the header's cells in order.

    ``like`` are the rows of a file of the same form, of which this one may be a copy; that saves time where it is.
    Lines above the header and those without any value are no rows. Line numbers count from 1, whatever is left out.

    Raises:
        TooManyUnreadable: more rows cannot be read than a table would have.
    """
    source = text.text
    start = _start_of_line(source, dialect.header_line or 1)
    grammar = RecordPatterns(dialect.delimiter, dialect.header)
    if like is not None and not text.undecodable:
        copied = _read_copy(source, tuple(columns), start, dialect, grammar, like)
        if copied is not None:
            return copied
    search = _Search(source, grammar, text.undecodable)
    records = search.records(start, dialect.header_line or 1)
    # The header is a record like any other, the first one; where it could not be read, it is the first of the bad.
    has_header = bool(dialect.header_line) and len(records.spans) > 0 and records.spans.line[0] == dialect.header_line

    def rows_of(records: _Found, width: int, above: int) -> tuple[CsvRows, pl.Series]:
        spans = records.spans[above:]
        rows = CsvRows(source, spans, tuple(columns), dialect.delimiter, width, records.mended, start)
        return _without_blank(rows, records.first[above:], grammar)

    rows, odd = rows_of(records, grammar.width, int(has_header))
    if has_header and not len(rows) and len(records.bad) >= FEWEST_SHORT:
        below = int(records.spans.end[0]) + 1
        line = dialect.header_line + source.read(start, below).count(b"\n")
        narrower = _without_last_cells(source, below, line, dialect, text.undecodable)
        if narrower:
            records, width = narrower
            rows, odd = rows_of(records, width, 0)
    bad = pl.DataFrame(records.bad, schema=BadRows.dtypes(), orient="row")
    return ParseResult(rows, bad, odd, grammar.width - rows.width)


def header_end(text: DecodedText, dialect: Dialect) -> int:
    """Where the header of a text ends, its line end with it; 0 where it has none.

    Raises:
        LineTooLong: it is longer than any row.
    """
    if not dialect.header_line:
        return 0
    start = _start_of_line(text.text, dialect.header_line)
    grammar = RecordPatterns(dialect.delimiter, dialect.header)
    header = next(records_singly(text.text, start, dialect.header_line, grammar, text.undecodable))
    return min(header.end + 1, len(text.text))


def _read_copy(
    text: Content, columns: tuple[str, ...], start: int, dialect: Dialect, grammar: RecordPatterns, like: CsvRows
) -> ParseResult | None:
    """The rows of a text that is a copy of a file but for some records; ``None`` where it is none.

    What it has in common with that file was looked at there, and what it has not must be whole records.
    """
    above = like.header()
    if like.mended or like.width != grammar.width or not above or text.read(start, start + len(above)) != above:
        return None
    common = records_in_common(like, text, start + len(above), dialect.header_line + above.count(b"\n"))
    if common is None:
        return None
    gap_records = _records_of_gaps(text, common.gaps, grammar)
    if gap_records is None:
        return None
    common_rows, spans = common.spans()
    order = np.argsort(np.concatenate((spans.start, gap_records.spans.start)), kind="stable")
    both = spans.followed_by(gap_records.spans)[order]
    # (Rows in common are neither blank nor odd, or they would have been taken out of the other file.)
    first = np.concatenate((np.full(len(spans), PLAIN_BYTE, np.uint8), gap_records.first))[order]
    every = CsvRows(text, both, columns, dialect.delimiter, grammar.width)
    rows, odd = _without_blank(every, first, grammar)
    if rows is not every:
        return None
    place = np.concatenate((common_rows, np.full(len(gap_records.spans), -1)))[order]
    height = min(len(rows), len(like))
    like.equal_to[id(both)] = both, pl.Series(place[:height] == np.arange(height))
    return ParseResult(rows, BadRows.none(), odd)


def _records_of_gaps(text: Content, gaps: Sequence[Gap], grammar: RecordPatterns) -> _Found | None:
    """The records of stretches of a text, if they are all whole; else ``None``."""
    parts = [text.read(gap.start, gap.end) for gap in gaps]
    sizes = np.array([len(part) for part in parts], np.int64)
    begins = np.cumsum(sizes) - sizes
    records = _Search(ContentInMemory(b"".join(parts)), grammar, {}).records(0, 1)
    if records.bad or records.mended:
        return None
    spans = records.spans
    gap = np.searchsorted(begins, spans.start, side="right") - 1
    # Each stretch must begin with a record, if it has any, and none may go on beyond its stretch.
    filled = np.array([bool(part.strip()) for part in parts], np.bool_)
    if np.any(spans.end > (begins + sizes)[gap]) or not np.isin(begins[filled], spans.start).all():
        return None
    moved = np.array([one.start for one in gaps], np.int64)[gap] - begins[gap]
    lines_before = np.cumsum([0, *(part.count(b"\n") for part in parts)])[:-1]
    lines = np.array([one.line for one in gaps], np.int64)[gap] - lines_before[gap] - 1
    placed = RecordSpans(spans.start + moved, spans.end + moved, (spans.line + lines).astype(np.uint32))
    return _Found(placed, records.first, {}, [])


def _start_of_line(text: Content, line: int) -> int:
    start = 0
    for _ in range(line - 1):
        start += len(text.line(start, LONGEST_LINE)) + 1
    return start


def _without_last_cells(
    text: Content, start: int, line: int, dialect: Dialect, undecodable: dict[int, str]
) -> tuple[_Found, int] | None:
    """Rows that all lack the same last cells, and how many they have.

    Where only some rows have fewer cells, they may lack any of them, and are refused.
    """
    for width in range(len(dialect.header) - 1, FEWEST_CELLS - 1, -1):
        grammar = RecordPatterns(dialect.delimiter, dialect.header[:width])
        sample = _Search(ContentInMemory(text.read(start, start + SAMPLE_BYTES)), grammar, undecodable).records(0, line)
        # The sample's last record may go on below it.
        if not len(sample.spans) or len(sample.bad) > 1:
            continue
        narrower = _Search(text, grammar, undecodable).records(start, line)
        if not narrower.bad:
            return narrower, width
    return None


def _without_blank(rows: CsvRows, first: NDArray[np.uint8], grammar: RecordPatterns) -> tuple[CsvRows, pl.Series]:
    """The rows that hold any value, and the positions of those that begin oddly."""
    suspects = pl.Series(np.flatnonzero(grammar.suspect_bytes[first]), dtype=pl.UInt32)
    if len(suspects) > FEW_SUSPECTS * len(rows):
        cells = rows.cells(rows.columns[:1]).to_series()
        suspects = suspects.filter(cells.gather(suspects).str.contains(grammar.odd_first_cell))
    if suspects.is_empty():
        return rows, suspects
    texts = pl.Series([record.decode().removesuffix("\r") for record in rows.records(suspects)], dtype=pl.String)
    blank, odd = (texts.str.contains(pattern) for pattern in (grammar.blank, grammar.odd))
    if not blank.any():
        return rows, suspects.filter(odd)
    gone, at = suspects.filter(blank), suspects.filter(odd & ~blank)
    return rows.without(gone), at - gone.search_sorted(at).cast(pl.UInt32)


@dataclass(frozen=True)
class _Found:
    """Whole records, those among them that have to be read as another text, and what is none (line, raw, message).

    ``first`` are the records' first bytes.
    """

    spans: RecordSpans
    first: NDArray[np.uint8]
    mended: dict[int, bytes]
    bad: list[tuple[int, str, str]]


@dataclass
class _Search:
    """A search for the records of a text, block by block."""

    text: Content
    grammar: RecordPatterns
    undecodable: dict[int, str]
    places: list[tuple[NDArray[np.generic], ...]] = field(default_factory=list)
    mended: dict[int, bytes] = field(default_factory=dict)
    bad: list[tuple[int, str, str]] = field(default_factory=list)

    def records(self, start: int, line: int) -> _Found:
        """All records from a position on, which is the start of this line."""
        elsewhere = scanned_elsewhere(self.text, self.grammar.delimiter)
        largest = BLOCK if elsewhere is None else SMALL_BLOCK
        size = largest
        while start < len(self.text):
            records = elsewhere.at(start) if elsewhere else None
            if records is None:
                data = self.text.view(start, start + size)
                records = scan_block(data, self.grammar.delimiter, last=start + len(data) >= len(self.text))
            if not len(records) and size < ENOUGH:  # a record that is longer than the block
                size *= GROWTH
            elif not len(records):
                last = self._one_by_one(start, line, start)
                start, line, size = last.end + 1, last.last + 1, SMALL_BLOCK
            else:
                start, line, in_step = self._settled(records, start, line)
                size = min(size * GROWTH, largest) if in_step else SMALL_BLOCK
        start_, end, line_, first = (np.concatenate(parts) for parts in zip(NO_RECORDS, *self.places, strict=True))
        order = np.argsort(start_, kind="stable")
        return _Found(RecordSpans(start_, end, line_.astype(np.uint32))[order], first[order], self.mended, self.bad)

    def _settled(self, candidates: Candidates, start: int, line: int) -> tuple[int, int, bool]:
        """Take the records of a block; where it stopped, and whether it came to the block's end."""
        spans = RecordSpans(
            candidates.start + start, candidates.end + start, (candidates.lines + line).astype(np.uint32)
        )
        flawed = ~candidates.sound | (candidates.cells != self.grammar.width)
        flawed |= np.diff(candidates.lines, append=candidates.lines_before_rest) > LONGEST_CELL
        flawed |= self._undecodable_in(spans, line + candidates.lines_before_rest)
        kept, reached = ~(flawed | candidates.empty), len(candidates)
        after = start + candidates.rest, line + candidates.lines_before_rest, True
        for at in np.flatnonzero(flawed & ~candidates.empty).tolist():
            last = self._one_by_one(int(spans.start[at]), int(spans.line[at]), int(spans.end[at]))
            if last.end != spans.end[at]:
                reached, after = at, (last.end + 1, last.last + 1, False)
                break
        kept[reached:] = False
        taken = spans[kept]
        self.places.append((taken.start, taken.end, taken.line, candidates.first[kept]))
        return after

    def _one_by_one(self, start: int, line: int, end: int) -> RepairedRecord:
        """Take records, each looked at by itself, until one ends here or behind; gives that one."""
        for record in records_singly(self.text, start, line, self.grammar, self.undecodable):
            self._take(record)
            if record.end >= end:
                break
        return record

    def _take(self, record: RepairedRecord) -> None:
        if self.grammar.is_blank(record.text):
            return
        if not record.say:
            text = record.text.encode()
            self.places.append(tuple(np.array([at]) for at in (record.start, record.end, record.first, text[0])))
            if self.text.read(record.start, record.end).removesuffix(b"\r") != text:
                self.mended[record.start] = text
            return
        self.bad.append((record.first, record.text, record.say))
        if len(self.bad) > MOST_UNREADABLE:
            raise TooManyUnreadable(record.first, record.say)

    def _undecodable_in(self, spans: RecordSpans, end: int) -> NDArray[np.bool_]:
        """Which records have a line that is no text; ``end`` is the line behind the last of them."""
        first, behind = (np.searchsorted(self._no_text, at) for at in (spans.line, np.append(spans.line[1:], end)))
        return np.asarray(behind > first)

    @cached_property
    def _no_text(self) -> NDArray[np.int64]:
        """The lines that are no text, in order."""
        return np.array(sorted(self.undecodable), np.int64)
