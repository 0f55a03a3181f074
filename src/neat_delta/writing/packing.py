"""Packing: the changed cells as rectangles without a hole.

Two items that change different fields leave holes in one table, and a shop that takes a blank for "empty this"
would destroy what stands there. So each set of fields that change together becomes a table of its own, or holes are
filled with what the live export has; that sends cells nobody asked for, which would undo what a colleague changes
meanwhile. Between few files and few such cells somebody has to choose.
"""

from __future__ import annotations

import heapq
from dataclasses import dataclass
from itertools import combinations
from typing import TYPE_CHECKING

import polars as pl

from neat_delta.changes.changeset import ADD, CHANGE, RECODE, REMOVE
from neat_delta.changes.codes import stages
from neat_delta.errors import CannotWrite
from neat_delta.matching import JOINT, Key
from neat_delta.matching.key import key_parts

if TYPE_CHECKING:
    from collections.abc import Callable, Mapping, Sequence

    from neat_delta.catalogue import Catalogue
    from neat_delta.changes import ChangeSet


FEWEST_CELLS, BALANCED, FEWEST_FILES = WAYS = ("fewest-cells", "balanced", "fewest-files")
# Parents of parents of parents are as deep as shops go.
DEEPEST = 8
# A file of code changes has the new code in a column named so, and behind it as the key's own column.
NEW_CODE = "new_"
# A file less is worth at least so many cells that nobody asked for.
FILE_WORTH = 20


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
        columns = {field.name: field.column for field in live.fields}
        return self.cells.rename({name: columns[name] for name in self.cells.columns if name in columns})


@dataclass(frozen=True)
class Cost:
    """What a way of packing costs: files, rows and cells beside the keys, cells nobody asked for, bytes (about)."""

    way: str
    files: int
    rows: int
    cells: int
    unwanted: int
    bytes: int


def pack(
    changes: ChangeSet,
    live: Catalogue,
    insisted: Sequence[str] = (),
    way: str = FEWEST_CELLS,
    *,
    back: bool = False,
) -> list[Table]:
    """The tables in the order to import: codes, new items, changes, removals; columns and rows as in the live export.

    Changes of one set of fields stand in one table, the longest first; which sets share a table, their holes filled
    with the live values, says the ``way``. ``insisted`` fields stand in every table, with the live value where they do
    not change; as what else stands there is what the shop has already, they empty nothing. A blank cell of a new item
    empties nothing either, so that one table does for them all. Whatever comes after code changes names items by their
    new codes. ``back`` says that this is the way back, where recoded items stand in the live export by their new code.
    """
    return [
        *_recodings(changes, live, back=back),
        *_additions(changes, live, insisted),
        *_changes(changes, live, insisted, way, back=back),
        *_removals(changes, live, insisted),
    ]


def costs(changes: ChangeSet, live: Catalogue, insisted: Sequence[str] = ()) -> list[Cost]:
    """What each way of packing would cost, without the limits of one file."""
    found = []
    for way in WAYS:
        tables = pack(changes, live, insisted, way)
        width = len(changes.head.key)
        cells = sum(len(table.cells) * (len(table.columns) - width) for table in tables if table.does == CHANGE)
        found.append(
            Cost(
                way,
                files=len(tables),
                rows=sum(len(table.cells) for table in tables),
                cells=cells + len(changes.cells_to(ADD)),
                unwanted=cells - len(changes.cells_to(CHANGE, RECODE)),
                bytes=sum(map(_bytes, tables)),
            )
        )
    return found


def _bytes(table: Table) -> int:
    cells = table.cells.select(pl.all().str.len_bytes().sum()).row(0)
    return (
        sum(int(size) for size in cells if size)
        + table.cells.width * (len(table.cells) + 1)
        + sum(map(len, table.columns))
    )


def _recodings(changes: ChangeSet, live: Catalogue, *, back: bool) -> list[Table]:
    """A table for each stage: the key as it is, and as it shall be."""
    to = changes.new_keys()
    if not to:
        return []
    taken = set(Key(changes.head.key, told=True).values(live))
    if back:
        taken = (taken - set(to.values())) | set(to)
    tables = []
    for stage in stages(to, taken):
        old, new = (pl.Series(codes, dtype=pl.String) for codes in (list(stage), list(stage.values())))
        tables.append(
            Table(
                pl.concat(
                    [
                        key_parts(old, changes.head.key),
                        key_parts(new, [f"{NEW_CODE}{live.field(name).column}" for name in changes.head.key]),
                    ],
                    how="horizontal",
                ),
                RECODE,
            )
        )
    return tables


def _parents_first(changes: ChangeSet) -> pl.DataFrame:
    """The new items (frame of key), those that others of them name by their codes in front of these."""
    keys = changes.keys_to(ADD)
    references = [name for name, note in changes.head.fields.items() if note.kind == "itemref"]
    named = changes.cells_to(ADD).filter(pl.col("field").is_in(references)).select("key", "now")
    named = named.with_columns(pl.col("now").str.extract_all(r"[^|;,]+")).explode("now")
    named = named.with_columns(pl.col("now").str.strip_chars()).drop_nulls()
    named = named.join(keys, left_on="now", right_on="key", how="semi").filter(pl.col("key") != pl.col("now"))
    depth = dict.fromkeys(keys["key"], 0)
    # Items that name one another in a ring stay as they are after so many rounds.
    for _ in range(DEEPEST if len(named) else 0):
        deeper = {child: depth[parent] + 1 for child, parent in named.iter_rows() if depth[child] <= depth[parent]}
        if not deeper:
            break
        depth |= deeper
    return (
        keys.with_columns(depth=pl.Series(list(depth.values()), dtype=pl.UInt32))
        .sort("depth", maintain_order=True)
        .drop("depth")
    )


def _additions(changes: ChangeSet, live: Catalogue, insisted: Sequence[str]) -> list[Table]:
    keys = _parents_first(changes)
    if keys.is_empty():
        return []
    wide = changes.cells_to(ADD).pivot("field", index="key", values="now", maintain_order=True)
    wide = keys.join(wide, on="key", how="left", maintain_order="left")
    blank = [name for name in insisted if name not in wide.columns]
    filled = wide.drop("key").with_columns(pl.lit(None, pl.String).alias(name) for name in blank)
    filled = filled.select(pl.all().fill_null("")) if filled.columns else filled
    return [_table(wide["key"], filled, changes, live, ADD)]


def _changes(changes: ChangeSet, live: Catalogue, insisted: Sequence[str], way: str, *, back: bool) -> list[Table]:
    cells = changes.cells_to(CHANGE, RECODE)
    to = changes.new_keys()
    if cells.is_empty():
        return []
    fields = pl.Enum(list(changes.head.fields))
    items = cells.group_by("key", maintain_order=True).agg(
        pl.col("field").cast(fields).sort().cast(pl.String).str.join(JOINT).alias("set")
    )
    sizes = dict(items["set"].value_counts().iter_rows())
    group_of = {one: number for number, group in enumerate(grouped(sizes, way)) for one in group}
    items = items.with_columns(group=pl.col("set").replace_strict(group_of, return_dtype=pl.UInt32))
    tables = []
    for (group,), part in items.partition_by("group", as_dict=True, maintain_order=True).items():
        keys, of_group = part["key"], [one for one, number in group_of.items() if number == group]
        names = list(dict.fromkeys(name for one in of_group for name in one.split(JOINT)))
        beside = [name for name in insisted if name not in names]
        known = keys.replace(to) if back else keys
        there = _live_cells(live, changes.head.key, known, [*(names if len(of_group) > 1 else []), *beside])
        tables.append(_table(keys.replace(to), _overlaid(cells, keys, names, there), changes, live))
    return sorted(tables, key=lambda table: (-len(table.cells), table.columns))


def _overlaid(cells: pl.DataFrame, keys: pl.Series, names: Sequence[str], there: pl.DataFrame) -> pl.DataFrame:
    """The new values of these items in these fields, upon what is there where a field of an item does not change."""
    places = keys.to_frame("key").with_row_index("at")
    placed = cells.join(places, on="key", how="inner", maintain_order="left")
    columns = []
    for name in names:
        of_field = placed.filter(field=name)
        base = there[name] if name in there.columns else pl.Series(name, [None] * len(keys), dtype=pl.String)
        columns.append(base.clone().scatter(of_field["at"], of_field["now"]).alias(name))
    return pl.DataFrame([*columns, *(there[name] for name in there.columns if name not in names)])


def grouped(sizes: Mapping[str, int], way: str) -> list[list[str]]:
    """Which sets of fields (names joined, with how many items each) share a file.

    Two files become one as long as that fills fewer holes than a file is worth: one in a hundred of the cells to be
    sent, at least FILE_WORTH. The pair that costs least goes first.
    """
    sets = list(sizes)
    if way == FEWEST_CELLS or len(sets) == 1:
        return [[one] for one in sets]
    if way == FEWEST_FILES:
        return [sets]
    names = {name: at for at, name in enumerate(dict.fromkeys(name for one in sets for name in one.split(JOINT)))}
    masks = {at: sum(1 << names[name] for name in one.split(JOINT)) for at, one in enumerate(sets)}
    rows, members = {at: sizes[one] for at, one in enumerate(sets)}, {at: [one] for at, one in enumerate(sets)}
    worth = max(FILE_WORTH, sum(rows[at] * masks[at].bit_count() for at in masks) // 100)

    def holes(one: int, other: int) -> int:
        union = (masks[one] | masks[other]).bit_count()
        return rows[one] * (union - masks[one].bit_count()) + rows[other] * (union - masks[other].bit_count())

    pairs = [(holes(one, other), one, other) for one, other in combinations(masks, 2)]
    heapq.heapify(pairs)
    following = len(sets)
    while pairs:
        cost, one, other = heapq.heappop(pairs)
        if cost > worth:
            break
        if one in masks and other in masks:
            masks[following], rows[following] = masks[one] | masks[other], rows[one] + rows[other]
            members[following] = members.pop(one) + members.pop(other)
            del masks[one], masks[other]
            for third in list(masks):
                if third != following:
                    heapq.heappush(pairs, (holes(third, following), third, following))
            following += 1
    return list(members.values())


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
    wide = pl.concat([key_parts(keys, key), cells.drop(key, strict=False)], how="horizontal")
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
