"""Removal: items that the sheet no longer has leave the live catalogue, where somebody says so and says how many."""

from __future__ import annotations

from dataclasses import replace
from typing import TYPE_CHECKING

import polars as pl

from neat_delta.changeset.changeset import CELLS, CHANGE, ITEMS, REMOVE, FieldInfo, findings_frame
from neat_delta.errors import InvalidOption
from neat_delta.tables.type_inference import infer_column_format, resolve_type

if TYPE_CHECKING:
    from collections.abc import Mapping

    from neat_delta.changeset.changeset import ChangeSet
    from neat_delta.matching import Key
    from neat_delta.tables import Table
    from neat_delta.tables.settings import Settings


def add_deletions(
    changes: ChangeSet, live: Table, key: Key, gone: pl.DataFrame, most: int, nameless: int, settled: Settings
) -> ChangeSet:
    """The change set with the gone items (frame of key, line, name, and the live row) to be removed, at most so many.

    Where it is settled that they only become something else, such as switched off, that is a change like any other.
    Rows of the sheet that are ``nameless`` may be any item, so none is removed as long as there are some.

    Raises:
        WrongChoice: more items are gone than may be removed.
    """
    if len(gone) > most:
        raise InvalidOption(
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
    instead = settled.imports.instead_of_removal
    _insist_on_fields(instead, live)
    names = [name for name in live.names if name in instead] if instead else live.names
    cells = live.cells([name for name in names if name not in key.fields], gone["row"])
    long = cells.insert_column(0, gone["key"]).unpivot(index="key", variable_name="field", value_name="was")
    now = pl.col("field").replace_strict(dict(instead), default=None, return_dtype=pl.String)
    long = long.with_columns(was=pl.col("was").replace("", None), now=now)
    long = long.filter(pl.col("was").ne_missing(pl.col("now"))).select(*CELLS)
    if instead:
        # What is so already has nothing to change.
        gone = gone.join(long, on="key", how="semi", maintain_order="left")
    items = gone.select(
        "key", pl.lit(CHANGE if instead else REMOVE).alias("do"), pl.lit(None, ITEMS["line"]).alias("line"), "name"
    )
    items = items.with_columns(to=pl.lit(None, pl.String))
    wanted = {*key.fields, *names, *changes.head.fields}
    notes = {name: changes.head.fields.get(name) or _note(live, name, settled) for name in live.names if name in wanted}
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


def _insist_on_fields(instead: Mapping[str, str], live: Table) -> None:
    for name in instead:
        if name not in live.names:
            raise InvalidOption(
                f"instead_of_removal in catalogue.toml: there is no field {name}",
                remedy="Fields: " + ", ".join(live.names) + ".",
            )


def _in_order(cells: pl.DataFrame, items: pl.DataFrame, live: Table) -> pl.DataFrame:
    """Cells in the order of their items, those of one item in the order of the live export's columns."""
    at = items.select("key").with_row_index("item")
    fields = pl.DataFrame({"field": live.names}).with_row_index("place")
    return cells.join(at, on="key").join(fields, on="field").sort("item", "place").select(*CELLS)


def _note(live: Table, name: str, settled: Settings) -> FieldInfo:
    filled, told = live.distinct_values(name), settled.field(name)
    kind = resolve_type(filled, name, told)
    return FieldInfo(
        live.field(name).column,
        kind.name,
        getattr(infer_column_format(live, name, kind, told), "decimal_separator", None),
    )
