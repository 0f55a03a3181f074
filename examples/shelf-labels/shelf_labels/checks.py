"""A check: what is put on a shelf should be there."""

from __future__ import annotations

from typing import TYPE_CHECKING

import polars as pl

from neat_delta.plugin_api import Check, Override, concat_findings

if TYPE_CHECKING:
    from neat_delta.plugin_api import CheckContext


def shelf_without_stock(context: CheckContext) -> pl.DataFrame:
    """An item gets a place on a shelf, and has no stock."""
    found = []
    stocks = [name for name in context.live.names if name.startswith("stock")]
    for name, _, cells in context.cells():
        if context.type_of(name) != "shelf" or not stocks:
            continue
        empty = pl.concat([context.numbers(stock).select("key", "now") for stock in stocks])
        without = empty.group_by("key").agg(pl.col("now").sum()).filter(pl.col("now") == 0)
        hit = cells.filter(pl.col("now").is_not_null()).join(without.select("key"), on="key", how="semi")
        found.append(
            context.findings_for(hit, "shelf without stock", "warning", "put on a shelf, but there is no stock")
        )
    return concat_findings(found)


CHECKS = (Check("shelf without stock", "warning", shelf_without_stock, Override.IGNORE),)
