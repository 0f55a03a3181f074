"""Somebody else's list in our terms: its columns under our fields, its rows under our codes."""

from __future__ import annotations

from dataclasses import dataclass, replace
from typing import TYPE_CHECKING

import polars as pl

from neat_delta.base.errors import InvalidOption
from neat_delta.base.nearest import nearest_hint
from neat_delta.reading.frame_rows import FrameRows
from neat_delta.tables import Field, field_name
from neat_delta.tables.field import ADD, TAKE

if TYPE_CHECKING:
    from collections.abc import Mapping, Sequence

    from neat_delta.tables import Table
    from neat_delta.tables.settings import Settings, SupplierProfile

TOP_ROWS = 50


@dataclass(frozen=True)
class ColumnMatch:
    """A column of a file: the field it stands for (``None``: none), its first filled value as read, and the shop's."""

    column: str
    field: str | None
    first: str | None
    ours: str | None = None


def map_columns(sheet: Table, live: Table, settings: Settings, profile: SupplierProfile) -> Table:
    """A file with its columns under our fields: as given for this file, else by name or alias; with constants.

    Fields to be left out are still there, for rules may read them; a column to be left out by its own name is not.

    Raises:
        InvalidOption: a match names a column or field that does not exist.
        InvalidInput: two columns would be one field.
    """
    columns = {field_name(field.column): field.column for field in sheet.fields}
    for column, field in profile.columns.items():
        insist_on(field_name(column), list(columns), ("map", f"{column}={field}"), "column", columns)
        insist_on(field, live.names, ("map", f"{column}={field}"), "field")
    for name in profile.skip:
        insist_on(name, [*columns, *live.names], ("skip", name), "field or column")
    names = settings.names() | {field_name(column): field for column, field in profile.columns.items()}
    meant = {name: names.get(name, name) for name in columns}
    # Of two columns for one field, the one whose own name is to be left out gives way to the other.
    doubled = [name for name in meant if list(meant.values()).count(meant[name]) > 1]
    gives_way = {name for name in doubled if name in profile.skip and columns[name] not in profile.columns}
    kept = tuple(field for field in sheet.fields if field_name(field.column) not in gives_way)
    mapped = replace(sheet, fields=kept).renamed(names)
    if profile.constants:
        mapped = _with_constants(mapped, live, profile.constants)
    for name, values in profile.values.items():
        insist_on(name, live.names, ("map_value", name), "field")
        if name in mapped.names:
            mapped = with_column(
                mapped, live, name, _with_live_values(mapped, name, values, settings.field(name).separator)
            )
    return mapped


def without_fields(sheet: Table, names: Sequence[str]) -> Table:
    """The sheet as if it said nothing of these fields."""
    return replace(sheet, fields=tuple(field for field in sheet.fields if field.name not in names))


def column_matches(sheet: Table, ours: Table, live: Table) -> list[ColumnMatch]:
    """Every column of a file, in its order, with the live field it stands for."""
    targets = {*live.names, *(f"{name}{sign}" for name in live.names for sign in (ADD, TAKE))}
    fields = {field.column: field.name for field in ours.fields if field.name in targets}
    top = sheet.cells(sheet.names, pl.int_range(min(len(sheet), TOP_ROWS), dtype=pl.UInt32, eager=True))
    present = sorted({name for name in fields.values() if name in live.names})
    shop_cells = (
        live.cells(present, pl.int_range(min(len(live), TOP_ROWS), dtype=pl.UInt32, eager=True)) if present else None
    )
    shown = (
        {name: next(filter(str.strip, shop_cells[name]), None) for name in present} if shop_cells is not None else {}
    )
    return [
        ColumnMatch(
            field.column,
            fields.get(field.column),
            next(filter(str.strip, top[field.name]), None),
            shown.get(fields.get(field.column, "")),
        )
        for field in sheet.fields
    ]


def _with_live_values(sheet: Table, name: str, values: Mapping[str, str], separator: str | None) -> pl.Series:
    """A field's cells with their values turned into ours, also where a cell holds several."""
    cells = sheet.cells([name])[name]
    if separator is None:
        return cells.str.strip_chars().replace_strict(dict(values), default=cells, return_dtype=pl.String)
    single = pl.element().str.strip_chars()
    live = cells.str.split(separator).list.eval(single.replace_strict(dict(values), default=single))
    return live.list.join(separator)


def _with_constants(sheet: Table, live: Table, constants: Mapping[str, str]) -> Table:
    for name, value in constants.items():
        insist_on(name, live.names, ("constant", f"{name}={value}"), "field")
        sheet = with_column(sheet, live, name, pl.repeat(value, len(sheet), dtype=pl.String, eager=True))
    return sheet


def with_column(sheet: Table, live: Table, name: str, cells: pl.Series) -> Table:
    """The sheet with this column in place of its own of that name, or besides."""
    # (A sheet without a named column has no cells, but rows nevertheless.)
    other_columns = [column for column in sheet.cells(sheet.names).get_columns() if column.name != name]
    frame = pl.DataFrame([*other_columns, cells.alias(name)])
    fields = sheet.fields if name in sheet.names else (Field(name, live.field(name).column), *sheet.fields)
    return replace(sheet, rows=FrameRows(sheet.rows.line, frame), fields=fields)


def insist_on(
    name: str, names: Sequence[str], option: tuple[str, str], what: str, shown: Mapping[str, str] | None = None
) -> None:
    """See that a name is known; ``option`` is the option that gave it and its value."""
    if name in names:
        return
    hint = nearest_hint(name, [shown[one] if shown else one for one in names], "Choose from")
    raise InvalidOption(f"there is no such {what}", option=option[0], value=option[1], hint=hint)
