"""Fields of the touched items in the order of the sheet's rows, for what happens from one row to the next."""

from __future__ import annotations

from typing import TYPE_CHECKING

import polars as pl

if TYPE_CHECKING:
    from neat_delta.checks.check import CheckContext


def numbers_in_sheet_order(context: CheckContext, name: str) -> pl.DataFrame:
    """A numeric field of the touched items in the order of the sheet's rows.

    A frame of key, was, now, line, changed; next: whether the row is next below the one before; between: how many
    items further in the live export it is, if any.
    """
    return _placed(context, name, context.numbers(name))


def texts_in_sheet_order(context: CheckContext, name: str) -> pl.DataFrame:
    """As ``numbers_in_sheet_order``, for the texts of any field."""
    return _placed(context, name, context.beside(name))


def _placed(context: CheckContext, name: str, both: pl.DataFrame) -> pl.DataFrame:
    beside = both.with_columns(
        context.affected_items["line"], context.affected_items["row"], context.both.changed(name).alias("changed")
    )
    rows = beside.drop_nulls("row").with_columns(_heights(context).alias("height"))
    rows = rows if rows["line"].is_sorted() else rows.sort("line")
    # A row of delimited text runs over several lines where its cells do; one of a workbook never does.
    differing = pl.col("line") - pl.col("line").shift()
    further = pl.col("row").cast(pl.Int64) - pl.col("row").cast(pl.Int64).shift()
    return rows.with_columns(
        next=((differing == 1) | (differing == pl.col("height").shift())).fill_null(value=False),
        between=pl.when(further > 0).then(further),
    )


def _heights(context: CheckContext) -> pl.Series:
    """On how many lines the touched rows stand in delimited text."""
    rows, lines = context.affected_items["row"].drop_nulls(), context.live.rows.line
    if len(lines) and int(lines[-1]) - int(lines[0]) == len(lines) - 1:
        return pl.repeat(1, len(rows), dtype=pl.UInt32, eager=True)
    cells = context.live.cells(context.live.names, rows)
    return cells.select(pl.concat_str(pl.all()).str.count_matches("\n") + 1).to_series()
