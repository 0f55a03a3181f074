"""A change set summed up by what its items have in common: their category, their brand, or any other field."""

from __future__ import annotations

from typing import TYPE_CHECKING

import polars as pl

from neat_delta.analysis.metrics import EXACT, measured
from neat_delta.base.errors import InvalidOption
from neat_delta.base.nearest import nearest_hint
from neat_delta.changeset.schemas import ADD, REMOVE
from neat_delta.matching.key import key_parts

if TYPE_CHECKING:
    from neat_delta.analysis.before_after import BeforeAfter
    from neat_delta.tables import Table
    from neat_delta.tables.settings import Settings

NONE = "–"


def field_of(live: Table, what: str, settings: Settings) -> str:
    """The field that holds the category or the brand.

    Raises:
        InvalidOption: no field is named so.
    """
    field = settings.roles.field_for(what, live)
    if field is None:
        raise InvalidOption(
            f"no field of {live.source.name} has this name",
            option="by",
            value=what,
            hint=nearest_hint(what, live.names),
        )
    return field


def by_group(both: BeforeAfter, field: str) -> pl.DataFrame:
    """Per value of a field, as it will be: items, cells, up, down (numbers), new, gone; those with most items first."""
    changes = both.changes
    groups = both.texts(field).select("key", group=pl.col("now").fill_null(NONE))
    gone = changes.keys_with_action(REMOVE)
    if field in changes.head.key:
        gone = gone.with_columns(key_parts(gone["key"], changes.head.key)[field].alias("group"))
    else:
        removed = changes.cells_with_action(REMOVE).filter(field=field).select("key", group="was")
        gone = gone.join(removed, on="key", how="left", maintain_order="left")
    groups = pl.concat([groups, gone.with_columns(pl.col("group").fill_null(NONE))])
    action = groups.join(changes.items.select("key", "action"), on="key")
    items = action.group_by("group", maintain_order=True).agg(
        items=pl.len(), new=(pl.col("action") == ADD).sum(), gone=(pl.col("action") == REMOVE).sum()
    )
    cells = measured(changes).join(groups, on="key")
    move = pl.col("after").cast(EXACT, strict=False) - pl.col("before").cast(EXACT, strict=False)
    moved = cells.group_by("group").agg(cells=pl.len(), up=(move > 0).sum(), down=(move < 0).sum())
    grouped = items.join(moved, on="group", how="left", maintain_order="left")
    return grouped.with_columns(pl.col("cells", "up", "down").fill_null(0)).sort(
        "items", "cells", "group", descending=[True, True, False]
    )
