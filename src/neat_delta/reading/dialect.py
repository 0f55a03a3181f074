"""How a table is laid out: delimiter, header line, quoting, decimal separator."""

from __future__ import annotations

import csv
import io
import re
from collections import Counter
from dataclasses import dataclass
from typing import TYPE_CHECKING

from neat_delta.tables import DELIMITERS
from neat_delta.tables.read_options import DEFAULT_OPTIONS, ReadOptions

if TYPE_CHECKING:
    from collections.abc import Sequence

SAMPLE_BYTES = 1 << 16
SAMPLE_ROWS = 200
# A row with fewer filled cells than this share of the usual width is above the table, not in it.
FULL_ENOUGH = 0.6


@dataclass(frozen=True)
class Dialect:
    """What the first rows show of a delimited file.

    ``header_line`` is the line on which the header begins, counted from 1; 0 if there is none. ``delimiter_certain``
    says whether nearly every row of the sample has the header's width.
    """

    delimiter: str
    header: tuple[str, ...]
    header_line: int
    quote_all: bool
    sure: bool


def sniff(head: bytes, options: ReadOptions = DEFAULT_OPTIONS) -> Dialect:
    """Judge a delimited file by its first 64 KiB: the delimiter that cuts most rows into the same number of cells.

    ``head`` is so much of the file, and of a longer one a byte more.

    Where two delimiters do equally well, the one that gives more columns wins. The header is the first row that is
    nearly as wide as the others; lines above it are titles and comments. What is given is taken as it is, but for a
    line on which no row begins.
    """
    sample = head[:SAMPLE_BYTES].decode(errors="ignore")
    if len(head) > SAMPLE_BYTES:
        sample = sample[: sample.rfind("\n") + 1] or sample
    best = options.delimiter or max(DELIMITERS, key=lambda candidate: _fitness(sample, candidate))
    rows = _rows(sample, best)
    at = header_at([row for _, row in rows])
    if options.header_line:
        at = next((at for at, (line, _) in enumerate(rows) if line == options.header_line), at)
    line, header = rows[at] if rows else (1, [])
    if options.header_line == 0:
        return Dialect(best, _numbered(len(header)), 0, _quotes_all(sample, best), sure=True)
    fit, width = _fitness(sample, best)
    sure = width == 1 or fit > FULL_ENOUGH
    return Dialect(best, tuple(header), line, _quotes_all(sample, best), sure)


def header_at(rows: Sequence[Sequence[str]]) -> int:
    """The position of the header among the first rows: the first that is nearly as full as most are wide."""
    widths = [sum(bool(cell.strip()) for cell in row) for row in rows[:SAMPLE_ROWS]]
    usual = Counter(filter(None, widths)).most_common(1)
    least = usual[0][0] * FULL_ENOUGH if usual else 0
    return next((at for at, width in enumerate(widths) if width and width >= least), 0)


def _numbered(width: int) -> tuple[str, ...]:
    """Names for the columns of a file without a header."""
    return tuple(f"column_{at}" for at in range(1, width + 1))


def _rows(sample: str, delimiter: str) -> list[tuple[int, list[str]]]:
    """Rows of the sample that hold anything, each with the line on which it begins."""
    reader = csv.reader(io.StringIO(sample, newline=""), delimiter=delimiter)
    rows: list[tuple[int, list[str]]] = []
    line = 1
    try:
        for row in reader:
            if any(row):
                rows.append((line, row))
            line = reader.line_num + 1
            if len(rows) > SAMPLE_ROWS:
                break
    except csv.Error:  # a cell larger than the module's limit: judge by the rows before it
        pass
    return rows


def _fitness(sample: str, delimiter: str) -> tuple[float, int]:
    """The share of rows that have the usual width, and that width; one column fits least."""
    widths = Counter(len(row) for _, row in _rows(sample, delimiter))
    if not widths:
        return (0.0, 1)
    width, count = widths.most_common(1)[0]
    return (count / widths.total(), width) if width > 1 else (0.0, 1)


def _quotes_all(sample: str, delimiter: str) -> bool:
    lines = [line for line in sample.splitlines() if line.strip()][:SAMPLE_ROWS]
    cell = '"(?:[^"]|"")*+"'
    quoted = re.compile(f"{cell}(?:{re.escape(delimiter)}{cell})*+")
    return len(lines) > 1 and all(quoted.fullmatch(line) for line in lines)


def decimal_mark(cells: Sequence[str]) -> str | None:
    """The decimal separator that these cells show without doubt, or ``None`` where they show none or both.

    "1.234" alone shows nothing: it may be a thousand and more. "0.5", "12.50" and "1,234.5" do.
    """
    points = any("." in cell and _POINT.fullmatch(cell) for cell in cells)
    commas = any("," in cell and _COMMA.fullmatch(cell) for cell in cells)
    if points == commas:
        return None
    return "." if points else ","


_POINT = re.compile(r"[+-]?(?:[0-9]+\.(?:[0-9]{1,2}|[0-9]{4,})|0\.[0-9]+|[0-9]{1,3}(?:,[0-9]{3})+\.[0-9]+)")
_COMMA = re.compile(r"[+-]?(?:[0-9]+,(?:[0-9]{1,2}|[0-9]{4,})|0,[0-9]+|[0-9]{1,3}(?:\.[0-9]{3})+,[0-9]+)")
