"""Rows that came as cells rather than lines: from workbooks, JSON Lines and XML."""

from __future__ import annotations

from dataclasses import dataclass, replace
from typing import TYPE_CHECKING

import polars as pl

from neat_delta.base.errors import InvalidInput

if TYPE_CHECKING:
    from collections.abc import Mapping, Sequence

    from neat_delta.locations import Location
    from neat_delta.tables import Rows

MOST_COLUMNS = 2_000


def too_many_columns(path: Location, line: int | None, columns: int | None = None) -> InvalidInput:
    """The error for a file with more columns than any catalogue has; ``columns`` is how many, where that is known."""
    how_many = f"more than {MOST_COLUMNS} columns" if columns is None else f"{columns} columns"
    return InvalidInput(
        f"the file has {how_many}; the limit is {MOST_COLUMNS}", file=path, line=line, hint="Check the file."
    )


@dataclass(frozen=True)
class FrameRows:
    """A frame of text cells, with the line or row number on which each row is in its file."""

    line: pl.Series
    frame: pl.DataFrame

    def __len__(self) -> int:
        return len(self.line)

    def cells(self, names: Sequence[str], rows: pl.Series | None = None) -> pl.DataFrame:
        """The named columns as text, empty cells as ``""``; of the rows at these positions, or of all."""
        frame = self.frame.select(names)
        return frame if rows is None or not len(names) else frame[rows]

    def without(self, rows: pl.Series) -> FrameRows:
        """The rows but for those at these positions."""
        kept = pl.repeat(True, len(self), dtype=pl.Boolean, eager=True).scatter(rows, False)
        return replace(self, line=self.line.filter(kept), frame=self.frame.filter(kept))

    def renamed(self, names: Mapping[str, str]) -> FrameRows:
        """The same rows with some columns under other names."""
        return replace(self, frame=self.frame.rename(dict(names)))


@dataclass(frozen=True)
class OverlaidRows:
    """Rows of a file with other cells in some columns, or with more columns."""

    rows: Rows
    columns: Mapping[str, pl.Series]

    def __len__(self) -> int:
        return len(self.rows)

    @property
    def line(self) -> pl.Series:
        """Line on which each row begins."""
        return self.rows.line

    def cells(self, names: Sequence[str], rows: pl.Series | None = None) -> pl.DataFrame:
        """The named columns as text, empty cells as ``""``; of the rows at these positions, or of all."""
        below = [name for name in names if name not in self.columns]
        columns = self.rows.cells(below, rows).to_dict() if below else {}
        for name in names:
            if name in self.columns:
                columns[name] = self.columns[name] if rows is None else self.columns[name].gather(rows)
        return pl.DataFrame([columns[name].alias(name) for name in names])

    def without(self, rows: pl.Series) -> OverlaidRows:
        """The rows but for those at these positions."""
        kept = pl.repeat(True, len(self), dtype=pl.Boolean, eager=True).scatter(rows, False)
        return OverlaidRows(self.rows.without(rows), {name: cells.filter(kept) for name, cells in self.columns.items()})

    def renamed(self, names: Mapping[str, str]) -> OverlaidRows:
        """The same rows with some columns under other names."""
        moved = {names.get(name, name): cells for name, cells in self.columns.items()}
        return OverlaidRows(self.rows.renamed(names), moved)


@dataclass(frozen=True)
class ParsedFile:
    """Text cells as they are in a file, column by column, the header among them.

    ``numbers`` are the rows' lines or row numbers, ``container`` names the form for people. ``faults`` are rows that
    could not be read (line, raw text, reason). ``source_sha256`` is the checksum of the live export that the sheet
    was made from, if it says so, and ``base`` the packed live values that it carries.
    """

    columns: Sequence[Sequence[str]]
    numbers: Sequence[int]
    made_of: str
    faults: Sequence[tuple[int, str, str]] = ()
    origin: str | None = None
    base: Sequence[str] = ()

    def __len__(self) -> int:
        return len(self.numbers)

    def row(self, at: int) -> list[str]:
        """One row's cells."""
        return [column[at] for column in self.columns]


@dataclass(frozen=True)
class ParsedColumns:
    """Columns of text that have names of their own; ``made_of`` names the form for people."""

    frame: pl.DataFrame
    made_of: str


def as_frame_rows(sheet: ParsedFile, header: int, columns: Sequence[str]) -> FrameRows:
    """The rows below the header (given by its position) that hold any value, under these column names."""
    below = ((name, cells[header + 1 :]) for name, cells in zip(columns, sheet.columns, strict=True))
    series = [pl.Series(name, cells, dtype=pl.String) for name, cells in below]
    line = pl.Series(sheet.numbers[header + 1 :], dtype=pl.UInt32)
    frame = pl.DataFrame(series)
    filled = frame.select(pl.any_horizontal(pl.all() != "")).to_series()
    return FrameRows(line, frame) if filled.all() else FrameRows(line.filter(filled), frame.filter(filled))
