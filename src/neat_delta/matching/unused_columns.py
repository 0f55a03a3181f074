"""Columns of a file that are not used although they hold a field's values: renamed ones, whose edits would get lost."""

from __future__ import annotations

from dataclasses import dataclass
from typing import TYPE_CHECKING

import polars as pl

from neat_delta.matching.positions import positions_of
from neat_delta.replay import read_numbers

if TYPE_CHECKING:
    from collections.abc import Sequence

    from neat_delta.matching.key import Key
    from neat_delta.tables import Table

# So many rows are looked at; so many filled cells at least, of which so large a share is the field's in the same row,
# with so many different values (many fields have the same value in most rows).
MOST_ROWS, FEWEST, SHARE, FEWEST_VALUES = 2_000, 3, 0.6, 3


@dataclass(frozen=True)
class UnusedColumn:
    """A column that holds a field's values: in ``alike`` of ``filled`` rows."""

    column: str
    field: str
    alike: int
    filled: int


def unused_columns(
    live: Table, sheet: Table, key: Key, columns: Sequence[str], fields: Sequence[str]
) -> list[UnusedColumn]:
    """Those of the columns of a sheet that have, row by row, the values of one of these free fields."""
    if not columns or not fields or not set(key.fields) <= set(sheet.names):
        return []
    some = pl.int_range(min(len(sheet), MOST_ROWS), dtype=pl.UInt32, eager=True)
    at = positions_of(key.values(live), key.values(sheet, some))
    rows = some.filter(at.is_not_null())
    shop_cells, sheet_cells = live.cells(fields, at.drop_nulls()), sheet.cells(columns, rows)
    unused = []
    for column in columns:
        cells = sheet_cells[column].str.strip_chars()
        filled = cells != ""
        cells = cells.filter(filled)
        if len(cells) < FEWEST or cells.n_unique() < FEWEST_VALUES:
            continue
        alike = {name: _alike(cells, shop_cells[name].filter(filled)) for name in fields}
        best = max(alike, key=lambda name: alike[name])
        if alike[best] >= max(FEWEST, SHARE * len(cells)):
            unused.append(UnusedColumn(sheet.field(column).column, best, alike[best], len(cells)))
    return unused


def _alike(cells: pl.Series, shop_values: pl.Series) -> int:
    """In how many rows both have one value, as text or as a number."""
    same = cells == shop_values.str.strip_chars()
    for mark in ".,":
        same |= (read_numbers(cells, mark) == read_numbers(shop_values, ".")).fill_null(value=False)
        same |= (read_numbers(cells, mark) == read_numbers(shop_values, ",")).fill_null(value=False)
    return int(same.sum())
