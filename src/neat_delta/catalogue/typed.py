"""A catalogue's fields as typed columns, for conditions written in SQL."""

from __future__ import annotations

from typing import TYPE_CHECKING

import polars as pl

from neat_delta.catalogue.kinds import infer_kind

if TYPE_CHECKING:
    from collections.abc import Sequence

    from neat_delta.catalogue.catalogue import Catalogue
    from neat_delta.catalogue.kinds import Kind

# Exact for any price or measure that a condition would name.
DECIMAL = pl.Decimal(38, 12)
BLANK = r"^[\s\u00a0]*$"


def typed(catalogue: Catalogue, names: Sequence[str]) -> pl.DataFrame:
    """The named fields: numbers as exact decimals, flags as 1 and 0, dates as ISO 8601 text, the rest as text.

    Blank cells are null.
    """
    cells = catalogue.cells(names)
    return pl.DataFrame([_typed(cells[name], name) for name in names])


def kind_of(cells: pl.Series, field: str) -> Kind:
    """The kind that a column's values show."""
    distinct = cells.unique()
    return infer_kind(distinct.filter(~distinct.str.contains(BLANK)), field)


def _typed(cells: pl.Series, field: str) -> pl.Series:
    filled = cells.to_frame("c").select(pl.when(~pl.col("c").str.contains(BLANK)).then("c")).to_series()
    kind = kind_of(cells, field)
    if kind.name in ("text", "code", "gtin"):
        return filled.alias(field)
    readings = kind.read(filled, kind.live_form(filled.drop_nulls().unique()))
    if kind.numeric:
        readings = readings.cast(DECIMAL, strict=False)
    elif kind.name == "flag":
        readings = readings.cast(pl.Int8)
    return readings.alias(field)
