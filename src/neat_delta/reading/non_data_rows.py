"""Rows that are no data: footers, totals and subtotals, headers that stand there again."""

from __future__ import annotations

import re
from dataclasses import dataclass
from typing import TYPE_CHECKING

import polars as pl

from neat_delta.reading.record_patterns import SUM_WORDS, is_suspect_start
from neat_delta.tables.schemas import BadRows

if TYPE_CHECKING:
    from collections.abc import Sequence

    from neat_delta.tables import Rows

SUM = re.compile(rf"(?i){SUM_WORDS}(?:[ :(/].*)?")
SUM_ALONE = re.compile(rf"(?i){SUM_WORDS}[ :]*")
# What a line below a table speaks of.
FOOTER = re.compile(
    r"(?i)^\W*(?:#|//|--|end\b|page\b|printed\b|exported\b|generated\b|created\b|source\b|"
    r"[0-9]+ (?:rows|records|items|lines|articles|products)\b|(?:rows|records|items)\b)|\b(?:sub)?totals?\b"
)
# So many rows at the end are looked at; a row of so many words and nothing else is a sentence, in a table this wide.
MOST_BELOW = 10
SENTENCE = 4
FEWEST_COLUMNS = 3
SHOWN = 200
JOINT = "\x1f"


@dataclass(frozen=True)
class RowSplit:
    """Rows that are data, those that cannot be read, and those that are no data (both frames of line, raw, say)."""

    rows: Rows
    bad: pl.DataFrame
    apart: pl.DataFrame


def split_rows(
    rows: Rows, bad: pl.DataFrame, odd: pl.Series, header: Sequence[str], names: Sequence[str], delimiter: str = ","
) -> RowSplit:
    """Take out what is no data: rows that repeat the header, sums, and short lines below the table that say so.

    ``odd`` are the positions of rows that begin like a sum or like the header, ``header`` the header's cells, ``names``
    the columns' names in the rows. A row is a sum if its first filled cell says so and cells are blank, at least half
    of them where it says more than that: an item called "Total" has more to it.
    """
    cells = rows.cells(names, odd)
    filled = [[cell.strip() for cell in row] for row in cells.iter_rows()]
    reasons = [_reason(row, header) for row in filled]
    kinds = [
        (rows.line[at], delimiter.join(row)[:SHOWN], message)
        for at, row, message in zip(odd, filled, reasons, strict=True)
        if message
    ]
    away = pl.Series([at for at, message in zip(odd, reasons, strict=True) if message], dtype=pl.UInt32)
    last = int(rows.line[-1]) if len(rows) else 0
    footers = [
        (line, raw, "footer")
        for line, raw, message in bad.iter_rows()
        if line > last and message.startswith("too few") and FOOTER.search(raw.strip(delimiter + '" '))
    ]
    below = _below(rows, names, delimiter)
    kinds += [row[1:] for row in below]
    away = pl.concat([away, pl.Series([at for at, *_ in below], dtype=pl.UInt32)]).unique().sort()
    differing = pl.DataFrame([*kinds, *footers], schema=BadRows.dtypes(), orient="row").sort("line")
    return RowSplit(
        rows.without(away) if len(away) else rows,
        bad.filter(~pl.col("line").is_in([line for line, _, _ in footers])) if footers else bad,
        differing,
    )


def _below(rows: Rows, names: Sequence[str], delimiter: str) -> list[tuple[int, int, str, str]]:
    """The last rows of a table of several columns, where each is one sentence and nothing more (at, line, raw, say)."""
    start = max(0, len(rows) - MOST_BELOW)
    if len(names) < FEWEST_COLUMNS:
        return []
    last = rows.cells(names, pl.int_range(start, len(rows), dtype=pl.UInt32, eager=True)).rows()
    below = []
    for at, row in zip(range(len(rows) - 1, start - 1, -1), reversed(last), strict=True):
        filled = [cell for cell in row if cell.strip()]
        if len(filled) != 1 or filled[0] != row[0] or len(row[0].split()) < SENTENCE:
            break
        below.append((at, int(rows.line[at]), delimiter.join(row)[:SHOWN], "footer"))
    return below[::-1]


def suspect_rows(grid: Rows, names: Sequence[str], header: Sequence[str]) -> pl.Series:
    """The positions of rows that begin like a sum or like the header, where rows come as cells."""
    text = grid.cells(names).select(pl.concat_str(names, separator=JOINT)).to_series()
    return text.str.contains(is_suspect_start(header, JOINT)).arg_true().cast(pl.UInt32)


def _reason(cells: Sequence[str], header: Sequence[str]) -> str:
    if list(cells) == [name.strip() for name in header]:
        return "repeated header"
    filled = [cell for cell in cells if cell]
    enough = len(cells) - 1 if filled and SUM_ALONE.fullmatch(filled[0]) else len(cells) // 2
    if filled and SUM.fullmatch(filled[0]) and len(filled) <= enough:
        return "total row"
    return ""
