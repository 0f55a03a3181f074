"""Undo: the change set that puts things back."""

from __future__ import annotations

from dataclasses import replace
from typing import TYPE_CHECKING

import polars as pl

from neat_delta.changeset.changeset import normalize
from neat_delta.changeset.schemas import ADD, CHANGE, NONE, RECODE, REMOVE, Cells, Findings, Items

if TYPE_CHECKING:
    from neat_delta.changeset.changeset import ChangeSet


def invert(changes: ChangeSet, irreversible: pl.DataFrame | None = None) -> ChangeSet:
    """The change set with was and now exchanged, and adding with removing; undoing twice gives the same again.

    Cells in ``irreversible`` (key, field) are left as the change set makes them, and so are items without any others.
    """
    cells: pl.DataFrame = changes.cells
    items: pl.DataFrame = changes.items
    if irreversible is not None and len(irreversible):
        cells = cells.join(irreversible, on=["key", "field"], how="anti", maintain_order="left")
        is_left = (pl.col("action") == CHANGE) & ~pl.col("key").is_in(cells["key"].implode())
        items = items.with_columns(action=pl.when(is_left).then(pl.lit(NONE)).otherwise("action"))
    recoded = pl.col("action") == RECODE
    items = items.with_columns(
        action=pl.col("action").replace({ADD: REMOVE, REMOVE: ADD}),
        key=pl.when(recoded).then("new_key").otherwise("key"),
        new_key=pl.when(recoded).then("key"),
    )
    new_keys = changes.new_keys()
    key = pl.col("key").replace(new_keys) if new_keys else pl.col("key")
    identity = changes.head.identity
    head = replace(changes.head, identity=identity.rekeyed(new_keys)) if identity and new_keys else changes.head
    cells = cells.select(key, "field", was=pl.col("now"), now=pl.col("was"))
    findings = changes.findings.with_columns(key)
    frames = Items.checked(items), Cells.checked(cells), Findings.checked(findings)
    return normalize(replace(changes, head=head, items=frames[0], cells=frames[1], findings=frames[2]))
