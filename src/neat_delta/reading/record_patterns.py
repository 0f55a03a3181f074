"""What a record of a delimited file is, and what can be made of lines that are none.

Only the few lines that fail a look at the whole file come here: records that run over several lines are joined, stray
quotes inside a cell are taken as they are, the rest is named as unreadable.
"""

from __future__ import annotations

import re
from dataclasses import dataclass
from typing import TYPE_CHECKING

import numpy as np

if TYPE_CHECKING:
    from collections.abc import Iterator, Mapping, Sequence

    from numpy.typing import NDArray

    from neat_delta.files.content import Content

# How total row begins, in the languages of the spreadsheets that people send: English, German, French,
# Dutch, Spanish.
SUM_WORDS = (
    r"(?:grand[ -]?|sub[ -]?|sous[ -]?|zwischen)?"
    r"(?:totals?|sum|summe|gesamt(?:summe)?|somme|totaal|subtotaal|suma)"
)
# The letters with which these words begin.
SUM_LETTERS = "gstzGSTZ"
# A quoted cell longer than this many lines is a quote that somebody forgot to close.
LONGEST_CELL = 5_000
# Longer than any row, in bytes.
LONGEST_LINE = 16 << 20


def is_suspect_start(header: Sequence[str], separator: str) -> str:
    """The pattern of rows that begin like a sum, or like the header; blank cells may stand in front of a sum."""
    start = separator.join(f'"?{re.escape(name)}"?' for name in header[:2])
    return f'(?i)^(?:["\\s{separator}]*{SUM_WORDS}|{start})(?:["{separator} :(/]|$)'


class RecordPatterns:
    """The regular expressions of one delimiter and width.

    ``blank`` and ``odd`` are for columns of records, ``odd_first_cell`` for the first cells of records, of which some
    may be blank or odd; ``suspect_bytes`` tells for each byte whether a record that is may begin with it. The others
    are for single records. These never take back what they took (the trailing ``+``),
    so that their time grows with the record's length only, whatever it holds.
    """

    def __init__(self, delimiter: str, header: Sequence[str]) -> None:
        width = len(header)
        sep = delimiter.replace("|", "\\|")
        self.delimiter = delimiter
        self.width = width
        self.blank = f"^[{sep}\\s]*$"
        self._blank = re.compile(self.blank)
        self.suspect_bytes = _suspect_bytes(delimiter, header[0])
        self.odd = is_suspect_start(header, sep)
        self.odd_first_cell = f'(?i)^(?:["\\s{sep}]*(?:{SUM_WORDS})?|{re.escape(header[0])})(?:[{sep} :(/]|$)'
        quoted = '"(?:[^"]++|"")*+"'
        cell = f'(?:{quoted}|[^"{sep}]*+)'
        loose = f'(?:{quoted}|(?:[^"{sep}\n][^{sep}\n]*+)?+)'
        self.any_width = re.compile(f"{cell}(?:{sep}{cell})*+")
        self.open = re.compile(f'(?:{cell}{sep})*+"(?:[^"]++|"")*+')
        self.stray = re.compile(f"{loose}(?:{sep}{loose})*+")
        self._next = re.compile(f"(?:\\A|{sep})({loose})")

    def is_blank(self, record: str) -> bool:
        """Whether a record holds no value at all."""
        return bool(self._blank.match(record))

    def is_whole(self, record: str) -> bool:
        """Whether a record is well formed and has the header's number of cells."""
        return bool(self.any_width.fullmatch(record)) and len(self.cut(record)) == self.width

    def cut(self, record: str) -> list[str]:
        """The cells of a record as written, quotes included."""
        return self._next.findall(record)


def _suspect_bytes(delimiter: str, name: str) -> NDArray[np.bool_]:
    """For each byte whether a record that is blank, or begins like a sum or like the header, may begin with it."""
    suspect = np.zeros(256, np.bool_)
    signs = f'{delimiter}"{SUM_LETTERS}{name[:1].lower()}{name[:1].upper()}'
    suspect[list(signs.encode())] = True
    suspect[: ord(" ") + 1] = True
    suspect[128:] = True  # (white space and letters beyond ASCII)
    return suspect


class LineTooLong(ValueError):
    """A line that is longer than any row of a table; ``line`` is its number."""

    def __init__(self, line: int) -> None:
        super().__init__(f"the line is longer than {LONGEST_LINE >> 20} MB")
        self.line = line


@dataclass(frozen=True)
class RepairedRecord:
    """A run of lines that was looked at singly: a record if ``say`` is empty, else the reason it is none.

    ``start`` and ``end`` are its place in the text, ``first`` and ``last`` its lines; ``text`` is what it should say.
    """

    start: int
    end: int
    first: int
    last: int
    text: str
    say: str = ""


def records_singly(
    text: Content, start: int, line: int, grammar: RecordPatterns, undecodable: Mapping[int, str]
) -> Iterator[RepairedRecord]:
    """Look at each line from a position on, which is on this line; ``undecodable`` are lines that are no text.

    Raises:
        LineTooLong: a line is longer than any row.
    """
    while start < len(text):
        record = _record(text, start, line, grammar, undecodable)
        yield record
        start, line = record.end + 1, record.last + 1


def _record(
    text: Content, start: int, line: int, grammar: RecordPatterns, undecodable: Mapping[int, str]
) -> RepairedRecord:
    raw = text.line(start, LONGEST_LINE)
    if len(raw) > LONGEST_LINE:
        raise LineTooLong(line)
    end, record = start + len(raw), raw.decode().removesuffix("\r")
    if line in undecodable:
        return RepairedRecord(start, end, line, line, record, undecodable[line])
    if grammar.open.fullmatch(record):
        return _joined(text, start, line, grammar, undecodable)
    if grammar.any_width.fullmatch(record):
        return RepairedRecord(start, end, line, line, record, _ragged(record, grammar))
    if grammar.stray.fullmatch(record):
        cells = grammar.cut(record)
        if len(cells) == grammar.width:
            return RepairedRecord(start, end, line, line, grammar.delimiter.join(map(_requoted, cells)))
        return RepairedRecord(start, end, line, line, record, _ragged(record, grammar))
    return RepairedRecord(start, end, line, line, record, "quote in the middle of a cell")


def _joined(
    text: Content, start: int, line: int, grammar: RecordPatterns, undecodable: Mapping[int, str]
) -> RepairedRecord:
    """A record that runs over several lines because a quoted cell holds line ends."""
    first = text.line(start, LONGEST_LINE)
    parts, end = [first], start + len(first)
    quotes = first.count(b'"')
    for last in range(line + 1, line + LONGEST_CELL):
        if last in undecodable or end + 1 > len(text):
            break
        parts.append(text.line(end + 1, LONGEST_LINE))
        end += 1 + len(parts[-1])
        quotes += parts[-1].count(b'"')
        if quotes % 2:  # every quote that opens, closes or stands for itself has its partner in a whole record
            continue
        record = b"\n".join(parts).decode().removesuffix("\r")
        if grammar.is_whole(record):
            return RepairedRecord(start, end, line, last, record)
        if grammar.any_width.fullmatch(record) or not grammar.open.fullmatch(record):
            break
    return RepairedRecord(
        start, start + len(first), line, line, first.decode().removesuffix("\r"), "missing closing quote"
    )


def _ragged(record: str, grammar: RecordPatterns) -> str:
    """What is wrong with the number of a record's cells; nothing where it is the header's."""
    width = len(grammar.cut(record))
    few_many = "few" if width < grammar.width else "many"
    return "" if width == grammar.width else f"too {few_many} cells: {width}, but the header has {grammar.width}"


def _requoted(cell: str) -> str:
    """A cell with stray quotes inside, written as RFC 4180 wants it."""
    if cell.startswith('"') or '"' not in cell:
        return cell
    doubled = cell.replace('"', '""')
    return f'"{doubled}"'
