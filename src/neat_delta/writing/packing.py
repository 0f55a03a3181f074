"""Packing: the changed cells as rectangles without a hole.

Two items that change different fields leave holes in one table, and a shop that takes a blank for "empty this"
would destroy what stands there. So each set of fields that change together becomes a table of its own.
"""

from __future__ import annotations

from dataclasses import dataclass
from typing import TYPE_CHECKING

import polars as pl

from neat_delta.changes.changeset import ADD, CHANGE, REMOVE
from neat_delta.errors import CannotWrite
from neat_delta.matching import JOINT, Key

if TYPE_CHECKING:
    from collections.abc import Callable, Sequence

    from neat_delta.catalogue import Catalogue
    from neat_delta.changes import ChangeSet


@dataclass(frozen=True)
class Table:
    """One file to be: columns by field name in the live export's order, the key among them; null empties a cell.

    ``does`` says what becomes of its items: they are changed, added or removed.
    """

    cells: pl.DataFrame
    does: str = CHANGE

    @property
    def columns(self) -> list[str]:
        """The fields of the file."""
        return self.cells.columns

    def headed(self, live: Catalogue) -> pl.DataFrame:
        """The same under the live export's own column names."""
        return self.cells.rename({name: live.field(name).column for name in self.cells.columns})


def pack(changes: ChangeSet, live: Catalogue, insisted: Sequence[str] = ()) -> list[Table]:
    """The tables in the order to import: new items, changes, removals; columns and rows in the live export's order.

    There is a table of changes for each set of fields, the longest first. ``insisted`` fields stand in every table,
    with the live value where they do not change; as what else stands there is what the shop has already, they empty
    nothing. A blank cell of a new item empties nothing either, so that one table does for them all.
    """
    return [
        *_additions(changes, live, insisted),
        *_changes(changes, live, insisted),
        *_removals(changes, live, insisted),
    ]


def _additions(changes: ChangeSet, live: Catalogue, insisted: Sequence[str]) -> list[Table]:
    keys = changes.keys_to(ADD)
    if keys.is_empty():
        return []
    wide = changes.cells_to(ADD).pivot("field", index="key", values="now", maintain_order=True)
    wide = keys.join(wide, on="key", how="left", maintain_order="left")
    blank = [name for name in insisted if name not in wide.columns]
    filled = wide.drop("key").with_columns(pl.lit(None, pl.String).alias(name) for name in blank)
    filled = filled.select(pl.all().fill_null("")) if filled.columns else filled
    return [_table(wide["key"], filled, changes, live, ADD)]


def _changes(changes: ChangeSet, live: Catalogue, insisted: Sequence[str]) -> list[Table]:
    cells = changes.cells_to(CHANGE)
    if cells.is_empty():
        return []
    fields = pl.Enum(list(changes.head.fields))
    sets = cells.group_by("key", maintain_order=True).agg(
        pl.col("field").cast(fields).sort().cast(pl.String).str.join(JOINT).alias("set")
    )
    tables = []
    for part in cells.join(sets, on="key", how="left", maintain_order="left").partition_by("set", maintain_order=True):
        wide = part.pivot("field", index="key", values="now", maintain_order=True)
        names = [name for name in insisted if name not in wide.columns]
        unchanged = _live_cells(live, changes.head.key, wide["key"], names)
        tables.append(_table(wide["key"], pl.concat([wide.drop("key"), unchanged], how="horizontal"), changes, live))
    return sorted(tables, key=lambda table: (-len(table.cells), table.columns))


def _removals(changes: ChangeSet, live: Catalogue, insisted: Sequence[str]) -> list[Table]:
    keys = changes.keys_to(REMOVE)["key"]
    if keys.is_empty():
        return []
    there = changes.cells_to(REMOVE).filter(pl.col("field").is_in(insisted))
    wide = there.pivot("field", index="key", values="was", maintain_order=True)
    beside = keys.to_frame().join(wide, on="key", how="left", maintain_order="left").drop("key")
    beside = beside.with_columns(pl.lit(None, pl.String).alias(name) for name in insisted if name not in wide.columns)
    return [_table(keys, beside, changes, live, REMOVE)]


def _table(keys: pl.Series, cells: pl.DataFrame, changes: ChangeSet, live: Catalogue, does: str = CHANGE) -> Table:
    """A table of these items with their key's parts in front of other cells, columns in the live export's order."""
    key = list(changes.head.key)
    codes = keys.str.split_exact(JOINT, len(key) - 1).struct.rename_fields(key).struct.unnest()
    wide = pl.concat([codes, cells.drop(key, strict=False)], how="horizontal")
    return Table(wide.select(name for name in live.names if name in wide.columns), does)


def _live_cells(live: Catalogue, key: Sequence[str], codes: pl.Series, names: Sequence[str]) -> pl.DataFrame:
    """The live cells of these items, in this order; blank ones null."""
    if not names:
        return pl.DataFrame()
    rows = pl.DataFrame({"key": Key(tuple(key), told=True).values(live)}).with_row_index("row")
    at = codes.to_frame("key").join(rows, on="key", how="left", maintain_order="left")["row"]
    return live.cells(names, at).select(pl.when(pl.all() != "").then(pl.all()))


def parts_of(cells: pl.DataFrame, rows: int | None, fits: Callable[[pl.DataFrame], bool]) -> list[pl.DataFrame]:
    """A table in as many parts as the limits ask for: ``rows`` with the header, and ``fits`` for the size as a file.

    Raises:
        CannotWrite: one row alone is too large.
    """
    most = len(cells) if rows is None else rows - 1
    parts = []
    for start in range(0, len(cells), most):
        parts += _fitting(cells.slice(start, most), fits)
    return parts


def _fitting(cells: pl.DataFrame, fits: Callable[[pl.DataFrame], bool]) -> list[pl.DataFrame]:
    if fits(cells):
        return [cells]
    if len(cells) == 1:
        raise CannotWrite(
            "one row alone is larger than the shop takes in one file",
            value=str(cells.row(0)[0]),
            remedy="Raise the number of bytes in the [import] table of catalogue.toml, if the shop allows it.",
        )
    half = len(cells) // 2
    return _fitting(cells.head(half), fits) + _fitting(cells.slice(half), fits)
