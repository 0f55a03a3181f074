"""Rows that came as cells rather than lines: from workbooks, JSON Lines and XML."""

from __future__ import annotations

from dataclasses import dataclass, replace
from typing import TYPE_CHECKING

import polars as pl

if TYPE_CHECKING:
    from collections.abc import Mapping, Sequence


@dataclass(frozen=True)
class Grid:
    """A frame of text cells, with the line or row number on which each row stands in its file."""

    line: pl.Series
    frame: pl.DataFrame
    raw: pl.Series | None = None

    def __len__(self) -> int:
        return len(self.line)

    def cells(self, names: Sequence[str], rows: pl.Series | None = None) -> pl.DataFrame:
        """The named columns as text, empty cells as ``""``; of the rows at these positions, or of all."""
        frame = self.frame.select(names)
        return frame if rows is None else frame[rows]

    def without(self, rows: pl.Series) -> Grid:
        """The rows but for those at these positions."""
        kept = pl.repeat(True, len(self), dtype=pl.Boolean, eager=True).scatter(rows, False)
        return replace(self, line=self.line.filter(kept), frame=self.frame.filter(kept))

    def renamed(self, names: Mapping[str, str]) -> Grid:
        """The same rows with some columns under other names."""
        return replace(self, frame=self.frame.rename(dict(names)))


@dataclass(frozen=True)
class Sheet:
    """Rows of text cells as they stand in a file, the header among them.

    ``numbers`` are the rows' lines or row numbers, ``made_of`` names the form for people. ``faults`` are rows that
    could not be read (line, raw text, reason). ``origin`` is the fingerprint of the live export that the sheet was
    made from, if it says so.
    """

    rows: Sequence[Sequence[str]]
    numbers: Sequence[int]
    made_of: str
    faults: Sequence[tuple[int, str, str]] = ()
    origin: str | None = None


def as_grid(sheet: Sheet, header: int, columns: Sequence[str]) -> Grid:
    """The rows below the header (given by its position) that hold any value, under these column names."""
    body = [
        (number, row)
        for number, row in zip(sheet.numbers[header + 1 :], sheet.rows[header + 1 :], strict=True)
        if any(row)
    ]
    by_column = zip(*(row for _, row in body), strict=True) if body else ([] for _ in columns)
    series = [pl.Series(name, cells, dtype=pl.String) for name, cells in zip(columns, by_column, strict=True)]
    return Grid(pl.Series([number for number, _ in body], dtype=pl.UInt32), pl.DataFrame(series))
