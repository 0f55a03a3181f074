"""Other tables that formulas look values up in: costs, price lists, translations; by the SKU or by another field."""

from __future__ import annotations

from dataclasses import dataclass
from typing import TYPE_CHECKING

import polars as pl

from neat_delta.base.errors import InvalidOption
from neat_delta.base.nearest import nearest_hint
from neat_delta.locations import parse_location
from neat_delta.reading import read_table, require_every_row
from neat_delta.tables import field_name

if TYPE_CHECKING:
    from collections.abc import Sequence
    from pathlib import Path

    from neat_delta.matching.key import Key
    from neat_delta.tables import Table
    from neat_delta.tables.settings import LookupTable, Settings

# A column holds the values of a field if so large a share of its own are among them.
HOLDS = 0.5


@dataclass(frozen=True)
class Lookup:
    """A table of other values: ``column`` is its own column that holds the values of the live field ``field``.

    ``field`` is ``None`` where ``columns`` together hold the key.
    """

    name: str
    table: Table
    columns: tuple[str, ...]
    fields: tuple[str, ...]

    def rows_for(self, values: pl.DataFrame) -> pl.Series:
        """The row for each of these values of the live fields; null where there is none, or several that differ.

        ``values`` are the columns of the live fields, in their order.
        """
        table_values = _joined(self.table.cells(self.columns)).to_frame("value").with_row_index("at")
        first = table_values.filter(pl.col("value") != "").unique("value", keep="first")
        asked = _joined(values).to_frame("value")
        rows: pl.Series = asked.join(first, on="value", how="left", maintain_order="left")["at"]
        return pl.select(pl.when(~asked["value"].is_in(self._differing().implode())).then(rows)).to_series()

    def why_none(self, values: pl.DataFrame) -> pl.Series:
        """Why there is no row for each of these values."""
        asked = _joined(values)
        several = asked.is_in(self._differing().implode())
        shown = asked.str.replace_all("\x1f", " · ", literal=True)
        none = pl.format("{} has no row for {}", pl.lit(self.name), shown)
        two = pl.format("{} has several rows for {} that differ", pl.lit(self.name), shown)
        return pl.select(pl.when(several).then(two).otherwise(none).alias("why")).to_series()

    def _differing(self) -> pl.Series:
        """Values for which there are several rows that are not the same."""
        cells = self.table.cells(self.table.names)
        keyed = cells.with_columns(_joined(cells.select(self.columns)).alias("\x1fvalue")).unique()
        return keyed.filter(pl.col("\x1fvalue").is_duplicated())["\x1fvalue"].unique()


def read_lookup(name: str, told: LookupTable, settings: Settings, live: Table, key: Key) -> Lookup:
    """The table of a name, and by which of its columns and which live fields its rows are found.

    As told; else by the columns that are named as the key's fields; else by the one column whose values are those of a
    live field that names items, such as a barcode.

    Raises:
        InvalidInput: the file cannot be read as a table, or not whole.
        InvalidOption: a column or field that is told does not exist, or none can be found.
    """
    table = read_table(parse_location(told.file, folder_of(settings)))
    require_every_row(table)
    table = table.renamed({field_name(field.column): field.name for field in table.fields})
    mapped = {settings.names().get(field_name(field.column), field.name): field.name for field in table.fields}
    if told.column is not None:
        field = told.field or (key.fields[0] if len(key.fields) == 1 else "")
        if field_name(told.column) not in table.names:
            hint = nearest_hint(told.column, [one.column for one in table.fields], "Columns")
            raise InvalidOption("the table has no such column", file=table.source.path, value=told.column, hint=hint)
        if field not in live.names:
            hint = nearest_hint(field, live.names)
            raise InvalidOption("there is no such field", file=table.source.path, value=field, hint=hint)
        return Lookup(name, table, (field_name(told.column),), (field,))
    if all(one in mapped for one in key.fields):
        return Lookup(name, table, tuple(mapped[one] for one in key.fields), key.fields)
    lookup = _by_values(table, live, key)
    if lookup is None:
        raise InvalidOption(
            f"no column of this table holds the values of {' and '.join(key.fields)}",
            file=table.source.path,
            hint=f"Columns: {', '.join(one.column for one in table.fields)}.",
            code="no-lookup-column",
            table=name,
        )
    return Lookup(name, table, (lookup[0],), (lookup[1],))


def folder_of(settings: Settings) -> Path:
    """The folder from which the settings' files are meant."""
    from pathlib import Path

    return settings.path.parent if settings.path else Path()


def _by_values(table: Table, live: Table, key: Key) -> tuple[str, str] | None:
    """The column of a table and the field that names items whose values it holds; the best, if any will do."""
    naming = [*key.fields[:1], *(name for name in live.names if name not in key.fields and _names_items(live, name))]
    best, share = None, HOLDS
    for field in naming:
        values = live.distinct_values(field)
        for column in table.names:
            distinct = table.distinct_values(column)
            here = float(distinct.is_in(values.implode()).sum()) / len(distinct) if len(distinct) else 0.0
            if here > share:
                best, share = (column, field), here
    return best


def _names_items(live: Table, name: str) -> bool:
    """Whether a field is filled on most items, and different on all of these."""
    filled = int((live.cells([name])[name] != "").sum())
    return filled > HOLDS * len(live) and len(live.distinct_values(name)) == filled


def _joined(cells: pl.DataFrame) -> pl.Series:
    """Several columns as one text each, without blanks around."""
    plain: Sequence[pl.Expr] = [pl.col(name).str.strip_chars() for name in cells.columns]
    return cells.select(pl.concat_str(plain, separator="\x1f").alias("value")).to_series()
