"""Packing: the changed cells as rectangles without a hole.

Two items that change different fields leave holes in one table, and a shop that takes a blank for "empty this"
would destroy what stands there. So each set of fields that change together becomes a table of its own.
"""

from __future__ import annotations

from dataclasses import dataclass
from typing import TYPE_CHECKING

import polars as pl

from neat_delta.matching import JOINT

if TYPE_CHECKING:
    from neat_delta.catalogue import Catalogue
    from neat_delta.changes import ChangeSet


@dataclass(frozen=True)
class Table:
    """One file to be: columns by the live export's header, the key among them; null empties a cell."""

    cells: pl.DataFrame

    @property
    def columns(self) -> list[str]:
        """Header of the file."""
        return self.cells.columns


def pack(changes: ChangeSet, live: Catalogue) -> list[Table]:
    """One table for each set of fields, the longest first; columns and rows in the live export's order."""
    if changes.cells.is_empty():
        return []
    key = changes.head.key
    fields = pl.Enum(list(changes.head.fields))
    sets = changes.cells.group_by("key", maintain_order=True).agg(
        pl.col("field").cast(fields).sort().cast(pl.String).str.join(JOINT).alias("set")
    )
    parts = changes.cells.join(sets, on="key", how="left", maintain_order="left").partition_by(
        "set", maintain_order=True
    )
    tables = []
    for part in parts:
        wide = part.pivot("field", index="key", values="now", maintain_order=True)
        codes = wide["key"].str.split_exact(JOINT, len(key) - 1).struct.rename_fields(list(key)).struct.unnest()
        wide = pl.concat([codes, wide.drop("key")], how="horizontal")
        tables.append(Table(wide.select(pl.col(f.name).alias(f.column) for f in live.fields if f.name in wide.columns)))
    return sorted(tables, key=lambda table: (-len(table.cells), table.columns))
