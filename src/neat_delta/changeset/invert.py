"""Undo: the change set that puts things back."""

from __future__ import annotations

from dataclasses import replace
from typing import TYPE_CHECKING

import polars as pl

from neat_delta.changeset.changeset import ADD, CHANGE, NONE, RECODE, REMOVE

if TYPE_CHECKING:
    from neat_delta.changeset.changeset import ChangeSet


def invert(changes: ChangeSet, irreversible: pl.DataFrame | None = None) -> ChangeSet:
    """The change set with was and now exchanged, and adding with removing; undoing twice gives the same again.

    Cells in ``stays`` (key, field) are left as the change set makes them, and so are items without any others.
    """
    cells, items = changes.cells, changes.items
    if irreversible is not None and len(irreversible):
        cells = cells.join(irreversible, on=["key", "field"], how="anti", maintain_order="left")
        is_left = (pl.col("do") == CHANGE) & ~pl.col("key").is_in(cells["key"].implode())
        items = items.with_columns(do=pl.when(is_left).then(pl.lit(NONE)).otherwise("do"))
    turned = pl.col("do").replace({ADD: REMOVE, REMOVE: ADD})
    recoded = pl.col("do") == RECODE
    items = items.with_columns(
        do=turned, key=pl.when(recoded).then("to").otherwise("key"), to=pl.when(recoded).then("key")
    )
    to = changes.new_keys()
    key = pl.col("key").replace(to) if to else pl.col("key")
    known = changes.head.identity
    head = replace(changes.head, identity=known.rekeyed(to)) if known and to else changes.head
    return replace(
        changes, head=head, items=items, cells=cells.select(key, "field", was=pl.col("now"), now=pl.col("was"))
    )
