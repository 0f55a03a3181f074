"""A type of field: places on shelves, written in several ways that mean the same."""

from __future__ import annotations

import polars as pl

PLACE = r"(?i)^\s*([A-Z])\s*-?(\d{1,3})\s*[-/]\s*(\d{1,3})\s*$"


class Shelf:
    """A place: a letter, a rack and a board, such as ``A12-3``.

    A *form* is how a column writes its values; all columns may mix them here, so there is none. A *reading* is a text
    that is equal for equal values, and null for what cannot be read.
    """

    name = "shelf"
    priority = 45  # before codes, which places look like
    expected = "a place on a shelf, such as A12-3"
    numeric = False

    def matches(self, values: pl.Series, field: str) -> bool:
        """Whether a column's distinct filled values are all places."""
        return bool(values.str.contains(PLACE).all())

    def infer_format(self, values: pl.Series, overrides: object = None) -> None:
        """There is one form only."""

    def infer_edited_format(self, sheet: object, live_format: object) -> None:
        """There is one form only."""

    def normalize(self, cells: pl.Series, form: object) -> pl.Series:
        """Letter, rack and board without zeros in front."""
        parts = [cells.str.extract(PLACE, group) for group in (1, 2, 3)]
        letter, rack, board = parts[0].str.to_uppercase(), *(part.cast(pl.Int64).cast(pl.String) for part in parts[1:])
        return (letter + rack + "-" + board).rename(cells.name)

    def format(self, readings: pl.Series, cells: pl.Series, form: object) -> pl.Series:
        """Cells as the shop has them."""
        return readings


SHELF = Shelf()
