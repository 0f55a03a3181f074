"""Holding back: cells and items that a finding stops are taken out of a change set, and stay in it as findings."""

from __future__ import annotations

from dataclasses import replace
from typing import TYPE_CHECKING

import polars as pl

if TYPE_CHECKING:
    from neat_delta.changes.changeset import ChangeSet


def hold_back(changes: ChangeSet, findings: pl.DataFrame) -> ChangeSet:
    """The change set with these findings, without the cells that those of level stop name.

    A finding without a field stops its whole item. An item that keeps no cell counts as refused.
    """
    stops = findings.filter(level="stop").drop_nulls("key")
    whole = stops.filter(pl.col("field").is_null())
    cells = changes.cells.join(stops.drop_nulls("field"), on=["key", "field"], how="anti", maintain_order="left")
    cells = cells.join(whole, on="key", how="anti", maintain_order="left")
    has_cells = pl.col("key").is_in(cells["key"].unique().implode())
    items = changes.items.with_columns(do=pl.when(has_cells).then("do").otherwise(pl.lit("none")))
    emptied = int((changes.items["do"] != items["do"]).sum())
    counts = changes.head.counts
    counts = counts | {"changed": counts["changed"] - emptied, "refused": counts["refused"] + emptied}
    return replace(
        changes,
        head=replace(changes.head, counts=counts),
        items=items,
        cells=cells,
        findings=pl.concat([findings, changes.findings]),
    )
