"""Measures of a change set: by how much numbers move, per field and per item."""

from __future__ import annotations

from typing import TYPE_CHECKING

import polars as pl

from neat_delta.changeset.schemas import CHANGE, RECODE
from neat_delta.tables.field_types import type_named
from neat_delta.tables.field_types.number_parsing import NumberFormat, normalize_numbers

if TYPE_CHECKING:
    from neat_delta.changeset.changeset import ChangeSet
    from neat_delta.changeset.head import FieldInfo

# Enough for any price or stock; the exact texts are kept beside and are what people are shown.
EXACT = pl.Decimal(38, 12)


def measured(changes: ChangeSet) -> pl.DataFrame:
    """The cells of changed items with their numbers beside them, where the field is numeric.

    Adds before and after (plain decimal texts, null where there is no number), and effect: the share by which a
    number moves, from 0 to 2, |now - was| / ((|now| + |was|) / 2), the relative percent difference; 2 where it
    starts or ends at zero or blank; null for what is no number.
    """
    parts = []
    changed = changes.cells_with_action(CHANGE, RECODE)
    for name, note in changes.head.fields.items():
        cells = changed.filter(pl.col("field") == name)
        none = pl.lit(None, pl.String)
        if type_named(note.type).numeric:
            cells = cells.with_columns(before=_numbers(cells["was"], note), after=_numbers(cells["now"], note))
        else:
            cells = cells.with_columns(before=none, after=none)
        parts.append(cells)
    if not parts:
        return changes.cells.with_columns(
            before=pl.lit(None, pl.String), after=pl.lit(None, pl.String), effect=pl.lit(None, pl.Float64)
        )
    before, after = (pl.col(side).fill_null("0").cast(pl.Float64) for side in ("before", "after"))
    middle = (before.abs() + after.abs()) / 2
    share = pl.when(middle == 0).then(0.0).otherwise((after - before).abs() / middle)
    is_number = pl.col("before").is_not_null() | pl.col("after").is_not_null()
    return pl.concat(parts).with_columns(effect=pl.when(is_number).then(share))


def _numbers(cells: pl.Series, note: FieldInfo) -> pl.Series:
    """The numbers of a field's cells; per cent signs are no part of them."""
    return normalize_numbers(cells.str.strip_chars_end("% \u00a0\u202f"), NumberFormat(note.decimal_separator))


def totals_by_field(changes: ChangeSet) -> pl.DataFrame:
    """Per field, in the live export's order: items, up, down, filled, emptied.

    ``up`` and ``down`` count numbers that were there before and after, and are null for fields without numbers.
    """
    both = pl.col("before").is_not_null() & pl.col("after").is_not_null()
    difference = pl.col("after").cast(EXACT, strict=False) - pl.col("before").cast(EXACT, strict=False)
    counted = (
        measured(changes)
        .group_by("field")
        .agg(
            items=pl.len(),
            up=(both & (difference > 0)).sum(),
            down=(both & (difference < 0)).sum(),
            filled=pl.col("was").is_null().sum(),
            emptied=pl.col("now").is_null().sum(),
        )
    )
    fields = pl.DataFrame({"field": list(changes.head.fields)}, schema={"field": pl.String})
    numeric = [name for name, note in changes.head.fields.items() if type_named(note.type).numeric]
    totals = fields.join(counted, on="field", how="inner", maintain_order="left")
    only_numbers = pl.when(pl.col("field").is_in(numeric))
    return totals.with_columns(up=only_numbers.then("up"), down=only_numbers.then("down"))


def sort_by_impact(changes: ChangeSet) -> pl.DataFrame:
    """The measured cells, items of the largest effect first, cells of one item together in the fields' order."""
    items = changes.items.select("key").with_row_index("item")
    fields = pl.DataFrame({"field": list(changes.head.fields)}, schema={"field": pl.String}).with_row_index("place")
    cells = measured(changes).join(items, on="key").join(fields, on="field")
    largest = pl.col("effect").max().over("key").fill_null(-1.0)
    return cells.sort(-largest, "item", "place").drop("item", "place")
