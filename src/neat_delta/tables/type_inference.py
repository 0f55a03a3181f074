"""Which kind a field is: as configured, or as its live values show."""

from __future__ import annotations

from dataclasses import replace
from typing import TYPE_CHECKING, Any

from neat_delta.tables.field_types import infer_type, type_named
from neat_delta.tables.field_types.multi_value import MultiValue

if TYPE_CHECKING:
    import polars as pl

    from neat_delta.tables.field_types import FieldType
    from neat_delta.tables.settings import FieldSettings
    from neat_delta.tables.table import Table


# So many different codes at least, and so large a share of them, are keys of items.
FEWEST_LINKS, NEARLY_ALL = 3, 0.8


def resolve_type(filled: pl.Series, name: str, configured: FieldSettings) -> FieldType:
    """The kind of a field from the distinct filled values of its live column; of single values or of several a cell."""
    if configured.separator is None:
        return type_named(configured.type) if configured.type else infer_type(filled, name)
    if configured.type:
        return MultiValue(type_named(configured.type), configured.separator, configured.ordered)
    return MultiValue(
        infer_type(split_values(filled, configured.separator), name), configured.separator, configured.ordered
    )


def infer_column_format(table: Table, name: str, kind: FieldType, configured: FieldSettings) -> Any:
    """How a live column writes its kind; one that shows no decimal separator itself has that of its file."""
    return kind.infer_format(
        table.distinct_values(name),
        replace(configured.format_overrides, decimal_separator=table.format.decimal_separator),
    )


def split_values(cells: pl.Series, separator: str | None) -> pl.Series:
    """The distinct single values of cells that may hold several."""
    if separator is None:
        return cells.str.strip_chars().unique()
    singles = cells.str.split(separator).explode().str.strip_chars().unique().drop_nulls()
    return singles.filter(singles != "")


def are_links(singles: pl.Series, keys: pl.Series) -> bool:
    """Whether nearly all single values of a column of codes are other items' keys, whatever it is called."""
    if len(singles) < FEWEST_LINKS:
        return False
    return int(singles.is_in(keys.implode()).sum()) >= NEARLY_ALL * len(singles)


def code_separator(cells: pl.Series) -> str | None:
    """What parts several codes in the cells of a field, where that is not configured."""
    return next((sign for sign in ("|", ";", ",") if cells.str.contains(sign, literal=True).any()), None)
