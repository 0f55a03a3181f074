"""Holding back: cells and items that a finding stops are taken out of a change set, and stay in it as findings."""

from __future__ import annotations

from dataclasses import replace
from typing import TYPE_CHECKING

import polars as pl

from neat_delta.changeset.changeset import ADD, CHANGE, NONE, RECODE, REMOVE, REPAIRED

if TYPE_CHECKING:
    from neat_delta.changeset.changeset import ChangeSet


def apply_findings(changes: ChangeSet, findings: pl.DataFrame) -> ChangeSet:
    """The change set with these findings, without the cells that those of level stop name.

    A finding without a field stops its whole item, and so does any on an item to be added or removed: such a one is
    sent whole or not at all. Cells that get their live value back are no changes any more. An item to be changed that
    keeps no cell counts as refused, or as the same if nothing but repairs is left; one that is not added as refused.
    """
    if not ((findings["level"] == "stop") | (findings["check"] == REPAIRED)).any():
        return replace(changes, findings=pl.concat([findings, changes.findings]))
    stops = findings.filter(level="stop").drop_nulls("key").select("key", "field")
    in_whole = changes.keys_with_action(ADD, REMOVE)
    whole = pl.concat(
        [stops.filter(pl.col("field").is_null()).select("key"), stops.select("key").join(in_whole, "key")]
    )
    repairs = findings.filter(check=REPAIRED).select("key", "field")
    away = pl.concat([stops.drop_nulls("field"), repairs])
    cells = changes.cells.join(away, on=["key", "field"], how="anti", maintain_order="left")
    cells = cells.join(whole, on="key", how="anti", maintain_order="left")
    left = replace(changes, cells=cells)
    has_cells = pl.repeat(False, len(changes.items), dtype=pl.Boolean, eager=True).scatter(left.item_of_cell, True)
    kept = ((pl.col("do") != CHANGE) | has_cells) & ~pl.col("key").is_in(whole["key"].implode())
    items = changes.items.with_columns(do=pl.when(kept).then("do").otherwise(pl.lit(NONE)))
    items = items.with_columns(to=pl.when(pl.col("do") == RECODE).then("to"))
    # What follows a code change stands in no row, and is not counted as one.
    lost = changes.items.filter((changes.items["do"] != items["do"]) & changes.items["line"].is_not_null())
    changed, added = (int(lost["do"].is_in(does).sum()) for does in ([CHANGE, RECODE], [ADD]))
    whole_again = len(lost.filter(do=CHANGE).join(stops, on="key", how="anti"))
    counts = changes.head.counts
    counts = counts | {
        "changed": counts["changed"] - changed,
        "same": counts["same"] + whole_again,
        "new": counts["new"] - added,
        "refused": counts["refused"] + changed - whole_again + added,
    }
    return replace(
        changes,
        head=replace(changes.head, counts=counts),
        items=items,
        cells=cells,
        findings=pl.concat([findings, changes.findings]),
    )
