"""How a delimited file is written: delimiter, quoting, line ends, decimal mark."""

from __future__ import annotations

import csv
import io
import re
from dataclasses import dataclass

DELIMITERS = {",": "comma", ";": "semicolon", "\t": "tab", "|": "pipe"}
SAMPLE_BYTES = 1 << 16
SAMPLE_ROWS = 200


@dataclass(frozen=True)
class Dialect:
    """What the first rows show of a file: its delimiter, header cells and quoting."""

    delimiter: str
    header: tuple[str, ...]
    quote_all: bool


def sniff(utf8: bytes, delimiter: str | None = None) -> Dialect:
    """Judge a delimited file by its first 64 KiB: the delimiter that cuts most rows into as many cells as the header.

    Where two delimiters do equally well, the one that gives more columns wins. A stated one is taken as it is.
    """
    sample = utf8[:SAMPLE_BYTES].decode(errors="ignore")
    if len(utf8) > SAMPLE_BYTES:
        sample = sample[: sample.rfind("\n") + 1] or sample
    best = delimiter or max(DELIMITERS, key=lambda candidate: _fitness(sample, candidate))
    rows = _rows(sample, best)
    header = tuple(rows[0]) if rows else ()
    return Dialect(best, header, _quotes_all(sample, best))


def _rows(sample: str, delimiter: str) -> list[list[str]]:
    reader = csv.reader(io.StringIO(sample, newline=""), delimiter=delimiter)
    rows: list[list[str]] = []
    try:
        for row in reader:
            if any(row):
                rows.append(row)
            if len(rows) > SAMPLE_ROWS:
                break
    except csv.Error:  # a cell larger than the module's limit: judge by the rows before it
        pass
    return rows


def _fitness(sample: str, delimiter: str) -> tuple[float, int]:
    rows = _rows(sample, delimiter)
    if not rows or len(rows[0]) < 2:
        return (0.0, 1)
    width = len(rows[0])
    return (sum(len(row) == width for row in rows) / len(rows), width)


def _quotes_all(sample: str, delimiter: str) -> bool:
    lines = [line for line in sample.splitlines() if line.strip()][:SAMPLE_ROWS]
    cell = '"(?:[^"]|"")*"'
    quoted = re.compile(f"{cell}(?:{re.escape(delimiter)}{cell})*")
    return len(lines) > 1 and all(quoted.fullmatch(line) for line in lines)


def decimal_mark(cells: list[str]) -> str | None:
    """The decimal mark that these cells show without doubt, or ``None`` where they show none or both.

    "1.234" alone shows nothing: it may be a thousand and more. "0.5", "12.50" and "1,234.5" do.
    """
    points = any(_POINT.fullmatch(cell) for cell in cells)
    commas = any(_COMMA.fullmatch(cell) for cell in cells)
    if points == commas:
        return None
    return "." if points else ","


_POINT = re.compile(r"[+-]?(?:\d+\.(?:\d{1,2}|\d{4,})|0\.\d+|\d{1,3}(?:,\d{3})+\.\d+)")
_COMMA = re.compile(r"[+-]?(?:\d+,(?:\d{1,2}|\d{4,})|0,\d+|\d{1,3}(?:\.\d{3})+,\d+)")
