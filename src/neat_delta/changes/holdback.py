"""Holding back: cells and items that a finding stops are taken out of a change set, and stay in it as findings."""

from __future__ import annotations

from dataclasses import replace
from typing import TYPE_CHECKING

import polars as pl

from neat_delta.changes.changeset import ADD, CHANGE, NONE, REMOVE

if TYPE_CHECKING:
    from neat_delta.changes.changeset import ChangeSet


def hold_back(changes: ChangeSet, findings: pl.DataFrame) -> ChangeSet:
    """The change set with these findings, without the cells that those of level stop name.

    A finding without a field stops its whole item, and so does any on an item to be added or removed: such a one is
    sent whole or not at all. An item to be changed that keeps no cell counts as refused, and so does one not added.
    """
    stops = findings.filter(level="stop").drop_nulls("key").select("key", "field")
    in_whole = changes.keys_to(ADD, REMOVE)
    whole = pl.concat(
        [stops.filter(pl.col("field").is_null()).select("key"), stops.select("key").join(in_whole, "key")]
    )
    cells = changes.cells.join(stops.drop_nulls("field"), on=["key", "field"], how="anti", maintain_order="left")
    cells = cells.join(whole, on="key", how="anti", maintain_order="left")
    kept = (pl.col("do") != CHANGE) | pl.col("key").is_in(cells["key"].unique().implode())
    kept &= ~pl.col("key").is_in(whole["key"].implode())
    items = changes.items.with_columns(do=pl.when(kept).then("do").otherwise(pl.lit(NONE)))
    lost = changes.items["do"].filter(changes.items["do"] != items["do"])
    changed, added = int((lost == CHANGE).sum()), int((lost == ADD).sum())
    counts = changes.head.counts
    counts = counts | {
        "changed": counts["changed"] - changed,
        "new": counts["new"] - added,
        "refused": counts["refused"] + changed + added,
    }
    return replace(
        changes,
        head=replace(changes.head, counts=counts),
        items=items,
        cells=cells,
        findings=pl.concat([findings, changes.findings]),
    )
