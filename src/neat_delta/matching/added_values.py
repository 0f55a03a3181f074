"""Values that are added to the shop's: a delivery of 8 (``+8``), a correction by 2 (``-2``), instead of a new stock."""

from __future__ import annotations

from dataclasses import replace
from typing import TYPE_CHECKING

import polars as pl

from neat_delta.base.errors import InvalidOption
from neat_delta.base.nearest import nearest_hint
from neat_delta.reading.frame_rows import OverlaidRows
from neat_delta.tables import field_name

if TYPE_CHECKING:
    from neat_delta.tables import Table
    from neat_delta.tables.settings import Settings, SupplierProfile


def with_added_values(
    live: Table, sheet: Table, settings: Settings, profile: SupplierProfile
) -> tuple[Table, SupplierProfile]:
    """An edited file and its profile with a formula for each field whose values are added to the shop's.

    A blank cell adds nothing. A field with a value for each location stands for the columns of all of them.

    Raises:
        InvalidOption: there is no such field, or the edited file does not have it.
    """
    if not profile.added:
        return sheet, profile
    mapped = settings.names() | {field_name(column): field for column, field in profile.columns.items()}
    sheet_columns = {mapped.get(field_name(field.column), field.name): field.name for field in sheet.fields}
    rules, blanks = list(profile.rules), {}
    for asked in profile.added:
        spread = [field_name(column) for column in settings.field(asked).columns.values()]
        fields = [name for name in ([asked] if asked in live.names else spread) if name in live.names]
        if not fields:
            hint = nearest_hint(asked, live.names)
            raise InvalidOption("there is no such field", option="add", value=asked, hint=hint)
        present = [name for name in fields if name in sheet_columns]
        if not present:
            raise InvalidOption("the edited file does not have this field", option="add", value=asked)
        for name in present:
            cells = sheet.cells([sheet_columns[name]])[sheet_columns[name]]
            blank = cells.str.strip_chars() == ""
            blanks[sheet_columns[name]] = pl.select(
                pl.when(blank).then(pl.lit("0")).otherwise(cells).alias(sheet_columns[name])
            ).to_series()
            rules.append(f"{name} = live.{name} + file.{name}")
    return replace(sheet, rows=OverlaidRows(sheet.rows, blanks)), replace(profile, rules=tuple(rules))
