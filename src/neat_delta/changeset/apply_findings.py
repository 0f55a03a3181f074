"""What findings do to a change set: block cells and items, or give cells their live value back."""

from __future__ import annotations

from dataclasses import replace
from typing import TYPE_CHECKING

import polars as pl

from neat_delta.changeset.changeset import normalize
from neat_delta.changeset.findings import BLOCK, NO_EFFECT, REPAIR, no_findings
from neat_delta.changeset.schemas import ADD, NONE, REMOVE, Cells, Findings, Items

if TYPE_CHECKING:
    from neat_delta.changeset.changeset import ChangeSet


def with_more_findings(changes: ChangeSet, findings: pl.DataFrame) -> ChangeSet:
    """The change set with these findings behind its own."""
    return apply_findings(
        replace(changes, findings=Findings.checked(no_findings())), pl.concat([changes.findings, findings])
    )


def with_findings_replaced(changes: ChangeSet, findings: pl.DataFrame) -> ChangeSet:
    """The change set with these findings instead of its own."""
    return apply_findings(replace(changes, findings=Findings.checked(no_findings())), findings)


def apply_findings(changes: ChangeSet, findings: pl.DataFrame) -> ChangeSet:
    """The change set with these findings in front of its own, and with what they do done.

    A finding that blocks takes the cell away that it names; without a field it takes the whole item, and so does any on
    an item to be added or removed: such a one is sent whole or not at all. Cells that get their live value back are no
    changes any more.
    """
    both = replace(changes, findings=Findings.checked(pl.concat([findings, changes.findings])))
    if (findings["effect"] == NO_EFFECT).all():
        return both
    blocks = findings.filter(effect=BLOCK).drop_nulls("key").select("key", "field")
    in_whole = changes.keys_with_action(ADD, REMOVE)
    whole = pl.concat(
        [blocks.filter(pl.col("field").is_null()).select("key"), blocks.select("key").join(in_whole, "key")]
    )
    repairs = findings.filter(effect=REPAIR).select("key", "field")
    away = pl.concat([blocks.drop_nulls("field"), repairs])
    is_whole = pl.col("key").is_in(whole["key"].implode())
    cells = changes.cells.join(away, on=["key", "field"], how="anti", maintain_order="left").filter(~is_whole)
    items = changes.items.with_columns(action=pl.when(is_whole).then(pl.lit(NONE)).otherwise("action"))
    return normalize(replace(both, items=Items.checked(items), cells=Cells.checked(cells)))
