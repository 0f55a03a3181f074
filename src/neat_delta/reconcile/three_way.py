"""A change set against a newer live export: of each cell what it was then, what we want, what it is now.

Values are the same if their kind says so, as in comparing: 12.5 and 12.50, yes and 1.
"""

from __future__ import annotations

from dataclasses import dataclass
from typing import TYPE_CHECKING

import polars as pl

from neat_delta.base.errors import InvalidOption
from neat_delta.changeset.schemas import ADD, CHANGE, RECODE, REMOVE
from neat_delta.matching import Key
from neat_delta.matching.similarity import find_name_field
from neat_delta.reading import require_every_row
from neat_delta.tables.type_inference import infer_column_format, resolve_type

if TYPE_CHECKING:
    from neat_delta.changeset.changeset import ChangeSet
    from neat_delta.tables import Table
    from neat_delta.tables.settings import Settings

# What became of a cell: the shop has our value, still the old one, or a third.
APPLIED, STANDS, MOVED = "applied", "stands", "moved"
# What became of an item: it is there, or not; a recoded one is there under its new code, or that cannot be told.
HERE, GONE, RECODED, UNCLEAR = "here", "gone", "recoded", "unclear"


@dataclass(frozen=True)
class ThreeWayDiff:
    """What a newer live export says of a change set.

    items: key, do, to, line, name, row (in the fresh export, null if it is not there), fate (here, gone, recoded:
           there under its new code, or unclear), taken: whether another item has the new code.
    cells: key, field, was, now, there (null for a blank), state; of items that are not there none, but for those to be
           removed. A new item's cells are compared if it is there by now.
    """

    changes: ChangeSet
    fresh: Table
    items: pl.DataFrame
    cells: pl.DataFrame


def three_way(changes: ChangeSet, fresh: Table, settings: Settings) -> ThreeWayDiff:
    """Lay a change set beside a newer export.

    Raises:
        InvalidOption: the export lacks a field of the change set, or an item is in it twice.
        InvalidInput: an item is not there, and a row that may be it cannot be read.
    """
    lacking = [name for name in (*changes.head.key, *changes.head.fields) if name not in fresh.names]
    if lacking:
        raise InvalidOption(
            f"{fresh.source.name} has no column {lacking[0]}, which the change set needs",
            hint="Export the same columns as before, or set their names in catalogue.toml.",
        )
    items = _items(changes, fresh)
    if (items["fate"] == GONE).any():
        require_every_row(fresh)
    whole = with_blanks_of_removed(changes)
    parts = whole.join(items.drop_nulls("row").select("key", "row"), on="key", how="inner", maintain_order="left")
    frames = [
        cells.with_columns(_state(str(name), cells, fresh, settings))
        for (name,), cells in parts.partition_by("field", as_dict=True, maintain_order=True).items()
    ]
    empty = parts.with_columns(shop=pl.lit(None, pl.String), state=pl.lit(None, pl.String)).clear()
    cells = pl.concat([empty, *frames]).select("key", "field", "was", "now", "shop", "state")
    order = whole.select("key", "field").with_row_index("order")
    cells = order.join(cells, on=["key", "field"], how="inner", maintain_order="left").drop("order")
    return ThreeWayDiff(changes, fresh, items, cells)


def with_blanks_of_removed(changes: ChangeSet) -> pl.DataFrame:
    """The change set's cells, and of items to be removed the blank ones too: somebody may have filled them since."""
    removed = changes.keys_with_action(REMOVE)
    fields = pl.DataFrame({"field": [name for name in changes.head.fields if name not in changes.head.key]})
    every = removed.join(fields.cast({"field": pl.String}), how="cross")
    blank = every.join(changes.cells, on=["key", "field"], how="anti", maintain_order="left")
    nothing = pl.lit(None, pl.String)
    return pl.concat([changes.cells, blank.select("key", "field", was=nothing, now=nothing)])


def _items(changes: ChangeSet, fresh: Table) -> pl.DataFrame:
    codes = pl.DataFrame({"key": Key(changes.head.key, explicit=True).values(fresh)}).with_row_index("row")
    items = changes.items.filter(pl.col("action").is_in([CHANGE, RECODE, ADD, REMOVE]))
    keys = pl.concat([items.select("key"), items.select(key="new_key").drop_nulls()]).unique()
    codes = codes.join(keys, on="key", how="semi", maintain_order="left")
    twice = codes.filter(pl.col("key").is_duplicated())
    if len(twice):
        raise InvalidOption(
            f"{fresh.source.name}: {twice['key'][0]} is in it twice",
            hint="Correct this in the shop first.",
        )
    by_new = codes.select(new_key="key", row_to="row")
    items = items.join(codes, on="key", how="left", maintain_order="left").join(
        by_new, on="new_key", how="left", maintain_order="left"
    )
    items = items.with_columns(_names(items, fresh, changes))
    here, is_under_new_key = pl.col("row").is_not_null(), pl.col("row_to").is_not_null()
    is_known = pl.col("known").is_not_null() & (pl.col("named").is_not_null() | pl.col("named_to").is_not_null())
    as_before, as_after = (pl.col("known").eq_missing(pl.col(side)) & is_known for side in ("named", "named_to"))
    by_identity = pl.col("by_identity")
    old_codes, new_codes = (changes.items.filter(action=RECODE)[side].implode() for side in ("key", "new_key"))
    moves_on = pl.col("new_key").is_in(old_codes)
    # Where both codes are in the shop, as after a swap or a chain, the items' identity tells which of them this is, or
    # else their names.
    status = (
        pl.when((~here & ~is_under_new_key) | (by_identity & ~as_before & ~as_after & is_known))
        .then(pl.lit(GONE))
        .when(by_identity & as_after)
        .then(pl.lit(RECODED))
        .when(by_identity & as_before)
        .then(pl.lit(HERE))
        .when(~here)
        .then(pl.lit(RECODED))
        .when(~is_under_new_key | (as_before & ~as_after))
        .then(pl.lit(HERE))
        .when(as_after & ~as_before)
        .then(pl.lit(RECODED))
        # Another item may have had its code, or come to its new one, in the same change set.
        .when(moves_on | pl.col("key").is_in(new_codes))
        .then(pl.lit(UNCLEAR))
        .otherwise(pl.lit(HERE))
    )
    items = items.with_columns(fate=status)
    return items.select(
        "key", "action", "new_key", "line", "name",
        row=pl.when(pl.col("fate") == RECODED).then("row_to").when(pl.col("fate") == HERE).then("row"),
        fate="fate",
        taken=is_under_new_key & (pl.col("fate") == HERE) & ~moves_on,
    )  # fmt: skip


def _names(items: pl.DataFrame, fresh: Table, changes: ChangeSet) -> list[pl.Series]:
    """What an item is known by, and what the items under its old and its new code have there by now; null if unknown.

    That is its identity where the change set has one, else its name.
    """
    identity = changes.head.identity
    if identity is not None and identity.field in fresh.names:
        identities = items["key"].replace_strict(identity.values, default=None, return_dtype=pl.String)
        field: str | None = identity.field
    else:
        identities, field = items["name"], find_name_field(fresh, Key(changes.head.key, explicit=True))
        if field is None or field in changes.head.fields:
            identities, field = pl.Series([None] * len(items), dtype=pl.String), None
    sides = [("named", "row"), ("named_to", "row_to")]
    if field is None:
        names = [pl.Series(side, [None] * len(items), dtype=pl.String) for side, _ in sides]
    else:
        values = fresh.cells([field])[field]
        names = [values.gather(items[row]).alias(side) for side, row in sides]
    by_identity = (
        identities.is_not_null() & (identity is not None and field == identity.field) & (items["action"] == RECODE)
    )
    return [identities.alias("known"), by_identity.alias("by_identity"), *names]


def _state(name: str, cells: pl.DataFrame, fresh: Table, settings: Settings) -> list[pl.Series]:
    """What is in the fresh export, and what became of each cell."""
    shop = fresh.cells([name], cells["row"])[name]
    state = cell_states(name, cells["was"], cells["now"], shop, fresh, settings)
    return [shop.replace("", None).alias("shop"), state.alias("state")]


def cell_states(
    name: str, was: pl.Series, now: pl.Series, shop: pl.Series, fresh: Table, settings: Settings
) -> pl.Series:
    """Of each cell of a field whether the shop has our value (``now``), still the old one (``was``), or a third."""
    filled = fresh.distinct_values(name)
    kind = resolve_type(filled, name, settings.field(name))
    form = infer_column_format(fresh, name, kind, settings.field(name))

    def reading(texts: pl.Series) -> pl.Series:
        blank_free = texts.to_frame("t").select(pl.when(pl.col("t").str.contains(r"\S")).then("t")).to_series()
        # What cannot be read is compared as it is.
        return kind.normalize(blank_free, form).zip_with(kind.normalize(blank_free, form).is_not_null(), blank_free)

    have = reading(shop)
    applied, stands = have.eq_missing(reading(now)), have.eq_missing(reading(was))
    return pl.select(
        pl.when(applied).then(pl.lit(APPLIED)).when(stands).then(pl.lit(STANDS)).otherwise(pl.lit(MOVED))
    ).to_series()
