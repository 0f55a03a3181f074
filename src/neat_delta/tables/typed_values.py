"""A catalogue's fields as typed columns, for conditions written in SQL."""

from __future__ import annotations

from typing import TYPE_CHECKING

import polars as pl

from neat_delta.tables.field_types import BLANK
from neat_delta.tables.field_types.number_parsing import (
    NumberFormat,
    all_simple,
    infer_number_format,
    normalize_numbers,
)
from neat_delta.tables.field_types.numeric import Numeric
from neat_delta.tables.type_inference import infer_column_format, resolve_type

if TYPE_CHECKING:
    from collections.abc import Sequence

    from neat_delta.tables.field_types import FieldType
    from neat_delta.tables.settings import FieldSettings, Settings
    from neat_delta.tables.table import Table

# Exact for any price or measure that a condition would name.
DECIMAL = pl.Decimal(38, 12)
MOSTLY = 0.5


def typed_frame(table: Table, names: Sequence[str], settings: Settings) -> pl.DataFrame:
    """The named fields: numbers as exact decimals, flags as 1 and 0, dates as ISO 8601 text, the rest as text.

    Blank cells are null.
    """
    cells = table.cells(names)
    return pl.DataFrame([_typed(cells[name], name, settings.field(name), table) for name in names])


def typed_column(
    table: Table, name: str, configured: FieldSettings, mark: str | None = None, rows: pl.Series | None = None
) -> pl.Series:
    """One field to compute with, of the rows at these positions (null: of none) or of all; typed as by ``typed``.

    Numbers have no more decimals than these cells have, so that much room is left. A column of which at least half are
    numbers is one of numbers, and other cells are null; ``decimal_separator`` is the decimal separator where its
    cells show none.
    """
    cells = table.cells([name])[name]
    cells = cells if rows is None else cells.gather(rows)
    filled = table.distinct_values(name)
    kind = resolve_type(filled, name, configured)
    if isinstance(kind, Numeric) and not kind.whole and all_simple(filled):
        return _decimals(cells.str.replace(",", ".", literal=True), name)
    if kind.numeric and not configured.separator:
        return _decimals(_read(cells, kind, name, configured, table), name)
    if kind.name not in ("yes/no", "date") and not configured.type and not configured.separator:
        form = NumberFormat(infer_number_format(filled).decimal_separator if mark is None else mark)
        numbers = normalize_numbers(cells, form)
        holding = int(cells.str.contains(r"\S").sum())
        if holding and numbers.count() >= MOSTLY * holding:
            return _decimals(numbers, name)
    return _typed(cells, name, configured, table)


def cast_cells(table: Table, name: str, cells: pl.Series, configured: FieldSettings) -> pl.Series:
    """Some cells of a field, typed as its whole column in the catalogue is; null where they cannot be read so."""
    return _typed(cells, name, configured, table)


def _typed(cells: pl.Series, field: str, configured: FieldSettings, table: Table) -> pl.Series:
    kind = resolve_type(table.distinct_values(field), field, configured)
    if configured.separator or not (kind.numeric or kind.name in ("yes/no", "date")):
        return _filled(cells).alias(field)
    readings = _read(cells, kind, field, configured, table)
    if kind.numeric:
        readings = readings.cast(DECIMAL, strict=False)
    elif kind.name == "yes/no":
        readings = readings.cast(pl.Int8)
    return readings.alias(field)


def _read(cells: pl.Series, kind: FieldType, field: str, configured: FieldSettings, table: Table) -> pl.Series:
    return kind.normalize(_filled(cells), infer_column_format(table, field, kind, configured))


def _filled(cells: pl.Series) -> pl.Series:
    """The cells, null where they hold nothing but space."""
    return cells.to_frame("c").select(pl.when(~pl.col("c").str.contains(BLANK)).then("c")).to_series()


def _decimals(readings: pl.Series, field: str) -> pl.Series:
    """Plain decimal texts as numbers with as many decimals as the longest has, two at least, ``DECIMAL``'s at most."""
    # Zeros that end the decimals would take room from what is computed with them.
    short = readings.str.strip_chars_end("0")
    longest = (short.str.len_bytes() - 1 - short.str.find(".", literal=True)).max()
    scale = min(DECIMAL.scale, max(2, int(str(longest or 0))))
    return readings.cast(pl.Decimal(38, scale), strict=False).alias(field)
