"""A catalogue's fields as typed columns, for conditions written in SQL."""

from __future__ import annotations

from typing import TYPE_CHECKING

import polars as pl

from neat_delta.catalogue.fieldkind import kind_of
from neat_delta.catalogue.kinds import BLANK
from neat_delta.catalogue.kinds.numerals import NumberForm, live_number_form, read_numbers

if TYPE_CHECKING:
    from collections.abc import Sequence

    from neat_delta.catalogue.catalogue import Catalogue
    from neat_delta.catalogue.settings import FieldSettings, Settings

# Exact for any price or measure that a condition would name.
DECIMAL = pl.Decimal(38, 12)
MOSTLY = 0.5


def typed(catalogue: Catalogue, names: Sequence[str], settled: Settings) -> pl.DataFrame:
    """The named fields: numbers as exact decimals, flags as 1 and 0, dates as ISO 8601 text, the rest as text.

    Blank cells are null.
    """
    cells = catalogue.cells(names)
    return pl.DataFrame([_typed(cells[name], name, settled.of(name), catalogue.filled(name)) for name in names])


def typed_rows(catalogue: Catalogue, name: str, told: FieldSettings, mark: str | None = None) -> pl.Series:
    """One field to compute with: numbers with no more decimals than its values have, so that much room is left.

    A column of which at least half are numbers is one of numbers, and other cells are null; ``mark`` is the decimal
    mark where its cells show none.
    """
    cells = catalogue.cells([name])[name]
    filled = catalogue.filled(name)
    column = _typed(cells, name, told, filled)
    if column.dtype == pl.String and not told.kind and not told.separator:
        form = NumberForm(live_number_form(filled).mark if mark is None else mark)
        numbers = read_numbers(cells, form)
        holding = int(cells.str.contains(r"\S").sum())
        if holding and numbers.count() >= MOSTLY * holding:
            column = numbers.cast(DECIMAL, strict=False).alias(name)
    if not column.dtype.is_decimal():
        return column
    fraction = column.cast(pl.String).str.strip_chars_end("0").str.extract(r"\.(\d+)$").str.len_chars().max()
    return column.cast(pl.Decimal(38, max(2, int(str(fraction or 0)))))


def typed_cells(catalogue: Catalogue, name: str, cells: pl.Series, told: FieldSettings) -> pl.Series:
    """Some cells of a field, typed as its whole column in the catalogue is; null where they cannot be read so."""
    return _typed(cells, name, told, catalogue.filled(name))


def _typed(cells: pl.Series, field: str, told: FieldSettings, values: pl.Series) -> pl.Series:
    filled = cells.to_frame("c").select(pl.when(~pl.col("c").str.contains(BLANK)).then("c")).to_series()
    kind = kind_of(values, field, told)
    if told.separator or not (kind.numeric or kind.name in ("flag", "date")):
        return filled.alias(field)
    readings = kind.read(filled, kind.live_form(values, told.form))
    if kind.numeric:
        readings = readings.cast(DECIMAL, strict=False)
    elif kind.name == "flag":
        readings = readings.cast(pl.Int8)
    return readings.alias(field)
