"""Removal: items that the sheet no longer has leave the live catalogue, where somebody says so and says how many."""

from __future__ import annotations

from dataclasses import replace
from typing import TYPE_CHECKING

import polars as pl

from neat_delta.catalogue.fieldkind import kind_of
from neat_delta.catalogue.kinds import filled_values
from neat_delta.changes.changeset import CELLS, ITEMS, REMOVE, FieldNote, findings_frame
from neat_delta.errors import WrongChoice

if TYPE_CHECKING:
    from neat_delta.catalogue import Catalogue
    from neat_delta.catalogue.settings import Settings
    from neat_delta.changes.changeset import ChangeSet
    from neat_delta.matching import Key


def with_removals(
    changes: ChangeSet, live: Catalogue, key: Key, gone: pl.DataFrame, most: int, nameless: int, settled: Settings
) -> ChangeSet:
    """The change set with the gone items (frame of key, line, name, and the live row) to be removed, at most so many.

    Rows of the sheet that are ``nameless`` may be any item, so none is removed as long as there are some.

    Raises:
        WrongChoice: more items are gone than may be removed.
    """
    if len(gone) > most:
        raise WrongChoice(
            f"--include gone: {len(gone)} live items have no row in the sheet, and --at-most allows {most}",
            remedy="Nothing was removed. See them with --show gone; raise --at-most if they shall all go.",
        )
    if gone.is_empty():
        return changes
    if nameless:
        said = (
            f"{nameless} of the sheet's rows cannot be given to an item and may be among the {len(gone)} items that "
            "seem gone, so none was removed; mend these rows first"
        )
        return replace(changes, findings=pl.concat([changes.findings, findings_frame("removal", "stop", say=said)]))
    cells = live.cells([name for name in live.names if name not in key.fields], gone["row"])
    long = cells.insert_column(0, gone["key"]).unpivot(index="key", variable_name="field", value_name="was")
    long = long.filter(pl.col("was") != "").with_columns(now=pl.lit(None, pl.String)).select(*CELLS)
    items = gone.select("key", pl.lit(REMOVE).alias("do"), pl.lit(None, ITEMS["line"]).alias("line"), "name")
    items = items.with_columns(to=pl.lit(None, pl.String))
    notes = {name: changes.head.fields.get(name) or _note(live, name, settled) for name in live.names}
    known = changes.items.filter(~pl.col("key").is_in(gone["key"].implode()))
    order = pl.DataFrame({"key": key.values(live)}).with_row_index("place").unique("key", keep="first")
    placed = pl.concat([known, items]).join(order, on="key", how="left", maintain_order="left")
    placed = placed.sort("place", nulls_last=True, maintain_order=True).drop("place")
    return replace(
        changes,
        head=replace(changes.head, fields=notes),
        items=placed,
        cells=_in_order(pl.concat([changes.cells, long]), placed, live),
    )


def _in_order(cells: pl.DataFrame, items: pl.DataFrame, live: Catalogue) -> pl.DataFrame:
    """Cells in the order of their items, those of one item in the order of the live export's columns."""
    at = items.select("key").with_row_index("item")
    fields = pl.DataFrame({"field": live.names}).with_row_index("place")
    return cells.join(at, on="key").join(fields, on="field").sort("item", "place").select(*CELLS)


def _note(live: Catalogue, name: str, settled: Settings) -> FieldNote:
    filled, told = filled_values(live.cells([name])[name]), settled.of(name)
    kind = kind_of(filled, name, told)
    return FieldNote(live.field(name).column, kind.name, getattr(kind.live_form(filled, told.form), "mark", None))
