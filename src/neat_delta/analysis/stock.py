"""The stock of a change set: units and value up and down, by stock room."""

from __future__ import annotations

from typing import TYPE_CHECKING

import polars as pl

from neat_delta.analysis.before_after import exact
from neat_delta.changeset.schemas import REMOVE

if TYPE_CHECKING:
    from neat_delta.analysis.before_after import BeforeAfter
    from neat_delta.changeset.changeset import ChangeSet
    from neat_delta.tables.settings import Settings


def stock_rooms(changes: ChangeSet, settings: Settings) -> list[str]:
    """The fields that change and hold a number of units."""
    return [name for name, note in changes.head.fields.items() if settings.roles.is_stock(name, note.type)]


def stock_moves(both: BeforeAfter, settings: Settings) -> pl.DataFrame:
    """How the units of each item move in each stock room (room, key, was, now, units, value), largest value first.

    Blank counts as none, so that new items come with all their units and removed ones leave with theirs. The value is
    that of the units which come or go, at the new cost, or at the new price where no cost is known; null without both.
    """
    price, cost = settings.roles.price_and_cost(both.live)
    worth = cost or price
    parts = [pl.DataFrame(schema={"room": pl.String, "key": pl.String, "was": pl.Int64, "now": pl.Int64})]
    gone = both.changes.cells_with_action(REMOVE)
    for room in stock_rooms(both.changes, settings):
        units = both.numbers(room)
        left = gone.filter(field=room).select("key", "was")
        left = left.with_columns(was=exact(left["was"], both.form(room)), now=pl.lit(None).cast(units["now"].dtype))
        units = pl.concat([units, left]).with_columns(pl.col("was", "now").fill_null(0).cast(pl.Int64))
        parts.append(
            units.filter(pl.col("was") != pl.col("now")).select(pl.lit(room).alias("room"), "key", "was", "now")
        )
    moves = pl.concat(parts).with_columns(units=pl.col("now") - pl.col("was"))
    if worth is None:
        return moves.with_columns(value=pl.lit(None, pl.Decimal(38, 2)))
    left = gone.filter(field=worth).select("key", each="was")
    left = left.with_columns(each=exact(left["each"], both.form(worth)))
    each = pl.concat([both.numbers(worth).select("key", each="now"), left])
    moves = moves.join(each, on="key", how="left", maintain_order="left")
    moves = moves.with_columns(value=pl.col("each") * pl.col("units")).drop("each")
    return moves.sort(pl.col("value").abs(), descending=True, nulls_last=True, maintain_order=True)


def by_room(moves: pl.DataFrame) -> pl.DataFrame:
    """Stock moves summed up: room, items, units_up, units_down, value_up, value_down (all without a sign)."""
    up, down = pl.col("units") > 0, pl.col("units") < 0
    return moves.group_by("room", maintain_order=True).agg(
        pl.len().alias("items"),
        units_up=pl.col("units").filter(up).sum(),
        units_down=-pl.col("units").filter(down).sum(),
        value_up=pl.col("value").filter(up).sum(),
        value_down=-pl.col("value").filter(down).sum(),
    )
