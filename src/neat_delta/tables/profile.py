"""What the columns of a table hold, each by itself."""

from __future__ import annotations

from concurrent.futures import ThreadPoolExecutor
from dataclasses import dataclass
from typing import TYPE_CHECKING, TypeVar

import polars as pl

from neat_delta.files.memory import columns_at_once
from neat_delta.tables.distinct import value_counts
from neat_delta.tables.field_types import BLANK, EditedColumn, are_blank
from neat_delta.tables.field_types.number_parsing import all_simple
from neat_delta.tables.settings import Settings
from neat_delta.tables.type_inference import resolve_type

if TYPE_CHECKING:
    from collections.abc import Callable, Sequence

    from neat_delta.tables.field import Field
    from neat_delta.tables.field_types import FieldType
    from neat_delta.tables.settings import FieldSettings
    from neat_delta.tables.table import Table

Found = TypeVar("Found")
NOTHING = Settings()
COMMONEST = 3
TOP = 100
EXAMPLES = 3
# Values are limited if there are few of them and each stands for several items.
MOST_CHOICES = 60
LEAST_USES = 4
# With more distinct values than this share of the filled cells, no value is common.
VARIED = 0.5


@dataclass(frozen=True)
class ColumnProfile:
    """One column: kind, filled cells, distinct values, its range or its commonest values, and its first ones.

    ``values`` are the distinct filled values with their counts (frame of value, count). Where values repeat, the
    commonest come first, as many as limited values may be; the others are in no order.
    """

    field: str
    column: str
    type: str
    filled: int
    values: pl.DataFrame
    smallest: str | None
    largest: str | None
    first: list[str]

    @property
    def limited(self) -> bool:
        """Whether the column holds few values, each of several items."""
        count = len(self.values)
        return 1 < count <= MOST_CHOICES and self.filled >= LEAST_USES * count

    @property
    def distinct(self) -> int:
        """How many distinct filled values there are."""
        return len(self.values)

    @property
    def commonest(self) -> list[tuple[str, int]]:
        """The commonest values and how often they occur, where values repeat at all."""
        if _varied(self.values, self.filled):
            return []
        return list(self.values.head(COMMONEST).iter_rows())


def profile(table: Table, settings: Settings = NOTHING) -> list[ColumnProfile]:
    """Every column of a table, in its order; kinds as they are configured, else as the values show."""
    return of_each_column(table, settings, lambda column: column)


def of_each_column(table: Table, settings: Settings, work: Callable[[ColumnProfile], Found]) -> list[Found]:
    """What some work finds in the profile of each column, in the table's order; see ``profile``."""
    at_once = columns_at_once(len(table))
    parts = (table.fields[at : at + at_once] for at in range(0, len(table.fields), at_once))
    return [one for part in parts for one in _of_some_columns(table, part, settings, work)]


def _of_some_columns(
    table: Table, fields: Sequence[Field], settings: Settings, work: Callable[[ColumnProfile], Found]
) -> list[Found]:
    cells = table.cells([field.name for field in fields])

    def of(field: Field) -> Found:
        return work(_profile(cells[field.name], field.name, field.column, settings.field(field.name)))

    # One column is one thread's work, and the longest work goes first.
    with ThreadPoolExecutor() as workers:
        by_size = sorted(fields, key=lambda field: -cells[field.name].estimated_size())
        results = dict(zip(by_size, workers.map(of, by_size), strict=True))
    return [results[field] for field in fields]


def _profile(cells: pl.Series, field: str, column: str, configured: FieldSettings) -> ColumnProfile:
    counts = value_counts(cells.alias("value"))
    values = counts.filter(~are_blank(counts["value"]))
    filled = int(values["count"].sum())
    if filled and not _varied(values, filled):
        values = _commonest_first(values)
    kind = resolve_type(values["value"], field, configured)
    smallest, largest = _range(values["value"], kind, configured)
    return ColumnProfile(field, column, kind.name, filled, values, smallest, largest, _first(cells))


def _commonest_first(values: pl.DataFrame) -> pl.DataFrame:
    """The values with the ``MOST_CHOICES`` commonest of them in front, in order; equally common ones by the alphabet.

    Sorting a hundred thousand texts takes longer than counting them, and nobody asks which is the thousandth.
    """
    least = values["count"].top_k(MOST_CHOICES).min()
    often = (values["count"] >= least).arg_true()
    first = values[often].with_columns(at=often).sort("count", "value", descending=[True, False]).head(MOST_CHOICES)
    others = pl.repeat(True, len(values), dtype=pl.Boolean, eager=True).scatter(first["at"], False)
    return pl.concat([first.drop("at"), values.filter(others)])


def _first(cells: pl.Series) -> list[str]:
    """Some values from the top of the column, each once."""
    top = cells.head(TOP)
    return top.filter(~top.str.contains(BLANK)).unique(maintain_order=True).head(EXAMPLES).to_list()


def _varied(values: pl.DataFrame, filled: int) -> bool:
    return len(values) > VARIED * filled


def _range(values: pl.Series, kind: FieldType, configured: FieldSettings) -> tuple[str | None, str | None]:
    """The smallest and the largest value as written, for kinds that have an order."""
    if values.is_empty() or configured.separator or not (kind.numeric or kind.name == "date"):
        return None, None
    if kind.numeric and all_simple(values):
        numbers = values.str.replace(",", ".", literal=True).cast(pl.Float64)
        return values[numbers.arg_min()], values[numbers.arg_max()]  # type: ignore[index]
    form = kind.infer_format(values, configured.format_overrides)
    if kind.numeric:
        form = kind.infer_edited_format(EditedColumn(values, values, None), form)
    readings = kind.normalize(values, form)
    order = readings.cast(pl.Float64, strict=False) if kind.numeric else readings
    ordered = pl.DataFrame({"value": values, "order": order}).drop_nulls("order").sort("order")
    return (ordered["value"][0], ordered["value"][-1]) if len(ordered) else (None, None)
