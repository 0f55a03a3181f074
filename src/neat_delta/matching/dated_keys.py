"""Keys that became dates or times in a spreadsheet program, of whatever language: 14-04-11 came back as 2014-04-11."""

from __future__ import annotations

from typing import TYPE_CHECKING

import polars as pl

from neat_delta.replay.dates import DATE_SHAPES, TIME_SHAPES, is_shown_date

if TYPE_CHECKING:
    from neat_delta.matching.key import Key
    from neat_delta.tables import Table


def dated_keys(live: Table, edited: Table, key: Key, rows: pl.Series) -> pl.Series:
    """Of these rows of the edited file, whose keys no item has, those whose key has the shape of a date or a time.

    Only shapes count that no key of the shop has.
    """
    is_dated = pl.repeat(value=False, n=len(rows), dtype=pl.Boolean, eager=True)
    if rows.is_empty():
        return rows
    cells = edited.cells(key.fields, rows)
    for name in key.fields:
        keys = cells[name].str.strip_chars()
        for shape in (*DATE_SHAPES, *TIME_SHAPES):
            hit = keys.str.contains(shape).fill_null(value=False)
            hit = hit.scatter(hit.arg_true(), [is_shown_date(one) for one in keys.filter(hit)])
            if hit.any() and not live.distinct_values(name).str.strip_chars().str.contains(shape).any():
                is_dated = is_dated | hit
    return rows.filter(is_dated)
