"""A catalogue's fields as typed columns, for conditions written in SQL."""

from __future__ import annotations

from types import MappingProxyType
from typing import TYPE_CHECKING

import polars as pl

from neat_delta.catalogue.kinds import BLANK, filled_values, infer_kind, kind_named

if TYPE_CHECKING:
    from collections.abc import Mapping, Sequence

    from neat_delta.catalogue.catalogue import Catalogue
    from neat_delta.catalogue.kinds import Kind

# Exact for any price or measure that a condition would name.
DECIMAL = pl.Decimal(38, 12)
NOTHING: Mapping[str, str] = MappingProxyType({})


def typed(catalogue: Catalogue, names: Sequence[str], told: Mapping[str, str] = NOTHING) -> pl.DataFrame:
    """The named fields: numbers as exact decimals, flags as 1 and 0, dates as ISO 8601 text, the rest as text.

    Blank cells are null. ``told`` names the kinds of fields that are settled.
    """
    cells = catalogue.cells(names)
    return pl.DataFrame([_typed(cells[name], name, kind_of(cells[name], name, told)) for name in names])


def kind_of(cells: pl.Series, field: str, told: Mapping[str, str] = NOTHING) -> Kind:
    """The kind that is told for a field, or that its column's values show."""
    if field in told:
        return kind_named(told[field])
    return infer_kind(filled_values(cells), field)


def _typed(cells: pl.Series, field: str, kind: Kind) -> pl.Series:
    filled = cells.to_frame("c").select(pl.when(~pl.col("c").str.contains(BLANK)).then("c")).to_series()
    if kind.name in ("text", "code", "gtin"):
        return filled.alias(field)
    readings = kind.read(filled, kind.live_form(filled.drop_nulls().unique()))
    if kind.numeric:
        readings = readings.cast(DECIMAL, strict=False)
    elif kind.name == "flag":
        readings = readings.cast(pl.Int8)
    return readings.alias(field)
