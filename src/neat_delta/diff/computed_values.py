"""Computed values as the live column writes them."""

from __future__ import annotations

from dataclasses import replace
from typing import TYPE_CHECKING

import polars as pl

from neat_delta.tables.field_types.number_parsing import NumberFormat

if TYPE_CHECKING:
    from neat_delta.matching.context import Column, Context

# So many digits behind a separator may be decimals or thousands.
THOUSANDS = 3


def format_computed(values: pl.Series, name: str, context: Context, separator: str | None) -> pl.Series:
    """Computed values of a field as text in the live column's format.

    Numbers are rounded half away from zero to the decimals of the column. Numbers of three decimals, which might be
    thousands, have the edited file's decimal ``separator`` where it shows one.
    """
    column = context.column(name)
    if values.dtype == pl.Boolean:
        values = values.cast(pl.Int8)
    if not values.dtype.is_numeric():
        return values.cast(pl.String)
    decimals, unpadded = _decimals(column, context.live.distinct_values(name))
    if values.dtype.is_decimal() and column.type.numeric and decimals is not None:
        values = values.round(decimals, mode="half_away_from_zero")
    if not isinstance(column.format, NumberFormat):
        text = _shortest(values)
        return column.type.format(text, text, column.format) if column.type.name == "yes/no" else text
    mark = column.format.decimal_separator
    sign = mark if decimals not in (None, THOUSANDS) else separator or mark
    if values.dtype.is_decimal() and decimals is not None and not unpadded:
        exact = values.cast(pl.Decimal(38, decimals)).cast(pl.String)
        return exact if sign in (None, ".") else exact.str.replace(".", sign, literal=True)
    text = _shortest(values)
    number_format = replace(column.format, decimal_separator=sign, group=None, unpadded_integers=unpadded)
    return column.type.format(column.type.normalize(text, PLAIN), text, number_format)


PLAIN = NumberFormat(".", three_decimals=True)


def _decimals(column: Column, filled: pl.Series) -> tuple[int | None, bool]:
    """To how many decimals a column's numbers are rounded, and whether whole ones are written without."""
    number_format = column.format
    decimals: int | None = getattr(number_format, "decimals", None)
    if column.type.numeric and getattr(column.type, "whole", False):
        decimals = 0
    unpadded = getattr(number_format, "unpadded_integers", False)
    if column.type.numeric and decimals is None and isinstance(number_format, NumberFormat):
        # Values with several numbers of decimals: as many as one of them has, none if none has any.
        behind = filled.str.extract(rf"[{number_format.decimal_separator or '.'}]([0-9]+)$").str.len_chars()
        return int(str(behind.max() or 0)), True
    return decimals, unpadded


def _shortest(values: pl.Series) -> pl.Series:
    """Numbers without zeros behind their last digit."""
    plain = values.cast(pl.String)
    short = (
        pl.when(plain.str.contains(".", literal=True))
        .then(plain.str.strip_chars_end("0").str.strip_suffix("."))
        .otherwise(plain)
    )
    return pl.select(short).to_series()
