"""Packing: the changed cells as rectangles without a hole, in the order in which a shop must take them."""

from __future__ import annotations

from dataclasses import dataclass, field, replace
from typing import TYPE_CHECKING

import polars as pl

from neat_delta.base.errors import WriteError
from neat_delta.changeset.schemas import ADD, CHANGE, RECODE, REMOVE
from neat_delta.diff.rekey_plan import schedule
from neat_delta.matching import KEY_SEPARATOR, Key
from neat_delta.matching.key import key_parts
from neat_delta.update.field_sets import EXACT, NO_FILL_RULES, WAYS, FillRules, field_sets
from neat_delta.update.file_plan import plan_files

if TYPE_CHECKING:
    from collections.abc import Callable, Mapping, Sequence

    from neat_delta.changeset.changeset import ChangeSet
    from neat_delta.tables import Table
    from neat_delta.tables.settings import Settings
    from neat_delta.update.field_sets import FieldSets


# Parents of parents of parents are as deep as shops go.
DEEPEST = 8
# A file of code changes has the new code in a column named so, and behind it as the key's own column.
NEW_CODE = "new_"
# Live values looked at for how long they are.
SAMPLE = 1_000


@dataclass(frozen=True)
class OutputTable:
    """One file to be: columns by field name in the live export's order, the key among them; null empties a cell.

    ``action`` says what becomes of its items: they are changed, added or removed. ``filled`` counts by field the cells
    that hold what the live export has, for items that do not change there.
    """

    cells: pl.DataFrame
    action: str = CHANGE
    filled: Mapping[str, int] = field(default_factory=dict)

    @property
    def columns(self) -> list[str]:
        """The fields of the file."""
        return self.cells.columns

    def headed(self, live: Table) -> pl.DataFrame:
        """The same under the live export's own column names."""
        columns = {field.name: field.column for field in live.fields}
        return self.cells.rename({name: columns[name] for name in self.cells.columns if name in columns})


@dataclass(frozen=True)
class Cost:
    """What a way of packing costs: files, rows and cells beside the keys, cells nobody asked for, bytes (about)."""

    strategy: str
    files: int
    rows: int
    cells: int
    extra_cells: int
    bytes: int


def pack(
    changes: ChangeSet,
    live: Table,
    insisted: Sequence[str] = (),
    strategy: str = EXACT,
    *,
    holes: FillRules = NO_FILL_RULES,
    back: bool = False,
    sets: FieldSets | None = None,
) -> list[OutputTable]:
    """The tables in the order to import: codes, new items, changes, removals; columns and rows as in the live export.

    Which fields share a table of changes says the ``strategy``, the longest table first; the rules for ``holes`` say
    whether these stay blank or are filled with the live values. ``insisted`` fields stand in every table, with the live
    value where they do not change. A blank cell of a new item empties nothing, so that
    one table does for them all. Whatever comes after code changes names items by their new codes. ``back`` says that
    this is the way back, where recoded items stand in the live export by their new code. ``sets`` are the change set's
    sets of fields, where somebody knows them.
    """
    return [
        *_recodings(changes, live, back=back),
        *_additions(changes, live, insisted),
        *_changes(changes, live, insisted, strategy, holes, sets or field_sets(changes), back=back),
        *_removals(changes, live, insisted),
    ]


def costs(
    changes: ChangeSet,
    live: Table,
    insisted: Sequence[str] = (),
    holes: FillRules = NO_FILL_RULES,
    sets: FieldSets | None = None,
) -> list[Cost]:
    """What each way of packing would cost, without the limits of one file; bytes by how long live values are.

    ``sets`` are the change set's sets of fields, where somebody knows them.
    """
    key = changes.head.key
    others = [*_recodings(changes, live, back=False), *_additions(changes, live, insisted)]
    others += _removals(changes, live, insisted)
    sets = sets or field_sets(changes)
    usual = _usual_bytes(live, [*insisted, *changes.head.fields])
    changing = len(sets.cells)
    new_bytes = int(sets.cells["now"].str.len_bytes().sum()) + int(sets.keys.str.len_bytes().sum())
    by_strategy = []
    for way in WAYS:
        planned = plan_files(sets.sizes, way, holes)
        rows = [sum(sets.sizes[one] for one in file.sets) for file in planned]
        columns = [{*insisted, *file.fields} - {*key} for file in planned]
        cells = sum(height * len(names) for height, names in zip(rows, columns, strict=True))
        if holes.leaves:
            beside = [name for name in insisted if name not in key]
            asked_there = len(sets.cells.filter(pl.col("field").is_in(beside)))
            cells = changing + sum(rows) * len(beside) - asked_there
        asked = dict(sets.cells["field"].value_counts().iter_rows())
        filled = -sum(count * usual[name] for name, count in asked.items())
        filled += sum(height * usual[name] for height, names in zip(rows, columns, strict=True) for name in names)
        signs = sum((height + 1) * (len(names) + len(key)) for height, names in zip(rows, columns, strict=True))
        headers = sum(len(name) for names in columns for name in [*names, *key])
        by_strategy.append(
            Cost(
                way,
                files=len(planned) + len(others),
                rows=sum(rows) + sum(len(table.cells) for table in others),
                cells=cells + len(changes.cells_with_action(ADD)),
                extra_cells=cells - changing,
                bytes=new_bytes + round(filled) + signs + headers + sum(map(_bytes, others)),
            )
        )
    return by_strategy


def _usual_bytes(live: Table, names: Sequence[str]) -> dict[str, float]:
    """How many bytes a value of these fields has, by some of the live ones."""
    some = live.cells(list(dict.fromkeys(names)), pl.int_range(min(len(live), SAMPLE), eager=True))
    return {name: float(some[name].str.len_bytes().mean() or 0) for name in some.columns}  # type: ignore[arg-type]


def _bytes(table: OutputTable) -> int:
    cells = table.cells.select(pl.all().str.len_bytes().sum()).row(0)
    signs = table.cells.width * (len(table.cells) + 1)
    return sum(int(size) for size in cells if size) + signs + sum(map(len, table.columns))


def _recodings(changes: ChangeSet, live: Table, *, back: bool) -> list[OutputTable]:
    """A table for each stage: the key as it is, and as it shall be."""
    to = changes.new_keys()
    if not to:
        return []
    taken = set(Key(changes.head.key, explicit=True).values(live))
    if back:
        taken = (taken - set(to.values())) | set(to)
    tables = []
    for stage in schedule(to, taken):
        old, new = (pl.Series(codes, dtype=pl.String) for codes in (list(stage), list(stage.values())))
        tables.append(
            OutputTable(
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


def _parents_first(changes: ChangeSet, action: str, side: str) -> pl.DataFrame:
    """The new or removed items (frame of key), those that others of them name by their codes in front of these.

    ``side`` is where the cells have these codes: "now" for new items, "was" for those to be removed.
    """
    keys = changes.keys_with_action(action)
    references = [name for name, note in changes.head.fields.items() if note.type == "item link"]
    named = changes.cells_with_action(action).filter(pl.col("field").is_in(references)).select("key", now=side)
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


def _additions(changes: ChangeSet, live: Table, insisted: Sequence[str]) -> list[OutputTable]:
    keys = _parents_first(changes, ADD, "now")
    if keys.is_empty():
        return []
    wide = _by_field(changes.cells_with_action(ADD), "now", keys["key"])
    blank = [name for name in insisted if name not in wide.columns]
    filled = wide.with_columns(pl.lit(None, pl.String).alias(name) for name in blank)
    filled = filled.select(pl.all().fill_null("")) if filled.columns else filled
    return [_table(keys["key"], filled, changes, live, ADD)]


def _changes(
    changes: ChangeSet,
    live: Table,
    insisted: Sequence[str],
    strategy: str,
    holes: FillRules,
    sets: FieldSets,
    *,
    back: bool,
) -> list[OutputTable]:
    to = changes.new_keys()
    cells_of = sets.cells.select("field", "item", "now").partition_by("field", as_dict=True, include_key=False)
    tables = []
    for file in plan_files(sets.sizes, strategy, holes):
        inside = pl.Series([name in file.sets for name in sets.names], dtype=pl.Boolean).gather(sets.number)
        # Where each item is in this table.
        place, keys = inside.cum_sum() - 1, sets.keys.filter(inside)
        beside = [name for name in insisted if name not in file.fields]
        pieces = {
            name: cells_of[name,].filter(inside.gather(cells_of[name,]["item"]))
            for name in [*file.fields, *beside]
            if (name,) in cells_of
        }
        shop_keys = keys.replace(to) if back and to else keys
        full = [name for name in file.fields if name in insisted or not holes.leaves]
        holed = [name for name in full if len(pieces[name]) < len(keys)]
        shop_cells = _live_cells(live, changes.head.key, shop_keys, [*holed, *beside])
        # (An item that stands in several tables has the same value of an insisted field in each of them.)
        new = [
            _upon(shop_cells, name, place.gather(pieces[name]["item"]), pieces[name]["now"], len(keys))
            for name in pieces
        ]
        cells = pl.DataFrame([*new, *(shop_cells[name] for name in beside if name not in pieces)])
        filled = {name: len(keys) - (len(pieces[name]) if name in pieces else 0) for name in [*full, *beside]}
        table = _table(keys.replace(to) if to else keys, cells, changes, live)
        tables.append(replace(table, filled={name: count for name, count in filled.items() if count}))
    return sorted(tables, key=lambda table: (-len(table.cells), table.columns))


def _upon(shop_cells: pl.DataFrame, name: str, at: pl.Series, now: pl.Series, height: int) -> pl.Series:
    """The new values of a field, at these places, upon what is there where an item of the table does not change.

    Where nothing is to stand there the cell is an empty text, which empties nothing.
    """
    if len(at) == height and at.is_sorted():
        return now.alias(name)
    base = (
        shop_cells[name].clone() if name in shop_cells.columns else pl.repeat("", height, dtype=pl.String, eager=True)
    )
    return base.scatter(at, now).alias(name)


def _removals(changes: ChangeSet, live: Table, insisted: Sequence[str]) -> list[OutputTable]:
    # A parent is removed after its variants.
    keys = _parents_first(changes, REMOVE, "was")["key"].reverse()
    if keys.is_empty():
        return []
    cells = changes.cells_with_action(REMOVE).filter(pl.col("field").is_in(insisted))
    wide = _by_field(cells, "was", keys)
    beside = wide.with_columns(pl.lit(None, pl.String).alias(name) for name in insisted if name not in wide.columns)
    return [_table(keys, beside, changes, live, REMOVE)]


def _by_field(cells: pl.DataFrame, side: str, keys: pl.Series) -> pl.DataFrame:
    """The cells of these items as a column for each field, rows in the order of the keys."""
    # (A field may be called "key".)
    by_key = cells.rename({"key": KEY_SEPARATOR})
    wide = by_key.pivot("field", index=KEY_SEPARATOR, values=side, maintain_order=True)
    return (
        keys.alias(KEY_SEPARATOR)
        .to_frame()
        .join(wide, on=KEY_SEPARATOR, how="left", maintain_order="left")
        .drop(KEY_SEPARATOR)
    )


def _table(keys: pl.Series, cells: pl.DataFrame, changes: ChangeSet, live: Table, action: str = CHANGE) -> OutputTable:
    """A table of these items with their key's parts in front of other cells, columns in the live export's order."""
    key = list(changes.head.key)
    wide = pl.concat([key_parts(keys, key), cells.drop(key, strict=False)], how="horizontal")
    return OutputTable(wide.select(name for name in live.names if name in wide.columns), action)


def _live_cells(live: Table, key: Sequence[str], codes: pl.Series, names: Sequence[str]) -> pl.DataFrame:
    """The live cells of these items, in this order; blank ones null."""
    if not names:
        return pl.DataFrame()
    rows = pl.DataFrame({"key": Key(tuple(key), explicit=True).values(live)}).with_row_index("row")
    at = codes.to_frame("key").join(rows, on="key", how="left", maintain_order="left")["row"]
    return live.cells(names, at).select(pl.when(pl.all() != "").then(pl.all()))


def parts_of(cells: pl.DataFrame, rows: int | None, fits: Callable[[pl.DataFrame], bool]) -> list[pl.DataFrame]:
    """A table in as many parts as the limits ask for: ``rows`` with the header, and ``fits`` for the size as a file.

    Raises:
        WriteError: one row alone is too large.
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
        raise WriteError(
            "one single row is larger than the shop's file limit",
            value=str(cells.row(0)[0]),
            hint="Raise bytes in [import] of catalogue.toml, if the shop allows it.",
        )
    half = len(cells) // 2
    return _fitting(cells.head(half), fits) + _fitting(cells.slice(half), fits)


@dataclass(frozen=True)
class Packing:
    """How the cells of a change set, by their sets of fields, go into files; ``back`` for the way back."""

    strategy: str
    holes: FillRules
    sets: FieldSets
    back: bool = False

    def may_fill(self, name: str) -> bool:
        """Whether a hole in this field may hold what the live export has."""
        return self.strategy != EXACT and not self.holes.leaves and name not in self.holes.never


def fill_rules(changes: ChangeSet, live: Table, settings: Settings) -> FillRules:
    """What may become of holes: money, stock, differences and locked fields are never sent unless they change."""
    never = {
        name
        for name, info in changes.head.fields.items()
        if info.type == "price" or settings.roles.is_stock(name, info.type or "") or settings.is_locked(name)
    }
    prices = (settings.roles.field_for("price", live), settings.roles.field_for("sale_price", live))
    never.update(settings.refresh.difference, (name for name in prices if name))
    return FillRules(settings.imports.leaves_blanks, frozenset(never))
