"""The money of a change set: prices, costs and margins before and after, and the prices that would keep a margin.

The margin is that of retail arithmetic, taken on the selling price: amount = net price - cost, per cent = amount / net
price; the mark-up on the cost is another thing. A net price is the price without the tax that it includes.
"""

from __future__ import annotations

from typing import TYPE_CHECKING

import polars as pl

from neat_delta.analysis.before_after import exact
from neat_delta.base.errors import InvalidOption
from neat_delta.tables.field_types.number_parsing import NumberFormat

if TYPE_CHECKING:
    from neat_delta.analysis.before_after import BeforeAfter
    from neat_delta.tables import Table
    from neat_delta.tables.settings import Settings
    from neat_delta.tables.settings_sections import MoneySettings

PRICE_WAS, PRICE, COST_WAS, COST = (pl.col(name) for name in ("price_was", "price", "cost_was", "cost"))
CENT = 2


def price_moves(both: BeforeAfter, settings: Settings) -> pl.DataFrame:
    """The items whose price or cost changes, those with the largest move first.

    Returns key, price_was, price, cost_was, cost (as in the shop), margin_was, margin (amounts, net), share_was, share
    (the margin as a part of the net price), keep_amount, keep_share (the prices in the shop that would keep the amount
    or the per cent of the margin at the new cost), move (the relative change of the price, else of the cost). All are
    exact decimals, null where a number is missing or would be divided by zero.

    Raises:
        InvalidOption: the live export has no price and cost, or they are not known as such.
    """
    price, cost = price_and_cost(both.live, settings)
    moves = both.numbers(price).rename({"was": "price_was", "now": "price"})
    moves = moves.join(both.numbers(cost).rename({"was": "cost_was", "now": "cost"}), on="key", maintain_order="left")
    moves = moves.filter(PRICE.ne_missing(PRICE_WAS) | COST.ne_missing(COST_WAS))
    moves = moves.with_columns(margins(settings.money))
    price_move, cost_move = ((now - was) / unless_zero(was) for now, was in ((PRICE, PRICE_WAS), (COST, COST_WAS)))
    moves = moves.with_columns(move=pl.when(PRICE.ne_missing(PRICE_WAS)).then(price_move).otherwise(cost_move))
    return moves.sort(pl.col("move").abs(), descending=True, nulls_last=True, maintain_order=True)


def margins(money: MoneySettings) -> list[pl.Expr]:
    """Margins before and after and the prices that keep them, from price_was, price, cost_was and cost."""
    with_tax = pl.lit(1 + money.tax)
    net_was, net = PRICE_WAS / with_tax, PRICE / with_tax
    margin_was, margin = net_was - COST_WAS, net - COST
    return [
        margin_was.alias("margin_was"),
        margin.alias("margin"),
        (margin_was / unless_zero(net_was)).alias("share_was"),
        (margin / unless_zero(net)).alias("share"),
        # The same amount on top of the new cost.
        in_cents((margin_was + COST) * with_tax).alias("keep_amount"),
        # (p - c) / p is the same for p' = c' * p / c.
        in_cents(COST * PRICE_WAS / unless_zero(COST_WAS)).alias("keep_share"),
    ]


def price_and_cost(live: Table, settings: Settings) -> tuple[str, str]:
    """The fields of price and cost.

    Raises:
        InvalidOption: one of them is not there, or not known as such.
    """
    price, cost = settings.roles.price_and_cost(live)
    lacking = [what for what, name in (("price", price), ("cost", cost)) if name not in live.names]
    if price is None or cost is None or lacking:
        raise InvalidOption(
            f"{live.source.name} has no column for the {' and the '.join(lacking)}",
            hint='Set it in catalogue.toml: [roles], price = "…", cost = "…". Fields: ' + ", ".join(live.names) + ".",
        )
    return price, cost


def in_cents(amount: pl.Expr) -> pl.Expr:
    """An amount rounded to cents, half away from zero."""
    return amount.round(CENT, mode="half_away_from_zero")


def unless_zero(number: pl.Expr) -> pl.Expr:
    """A number to divide by; null if it is zero."""
    return pl.when(number != 0).then(number)


def margins_by(both: BeforeAfter, settings: Settings, field: str) -> pl.DataFrame:
    """Net price and margin of the moved items summed by the value of a field (one of each item, unweighted).

    Returns group, items, share_was and share (margin as a part of net price, before and after), in the order of items.
    """
    moves = price_moves(both, settings).drop_nulls(["margin_was", "margin"])
    groups = both.texts(field).select("key", group=pl.col("now").fill_null("–"))
    with_tax = pl.lit(1 + settings.money.tax)
    summed = (
        moves.join(groups, on="key")
        .group_by("group", maintain_order=True)
        .agg(
            pl.len().alias("items"),
            pl.col("margin_was", "margin").sum(),
            net_was=(PRICE_WAS / with_tax).sum(),
            net=(PRICE / with_tax).sum(),
        )
    )
    return summed.select(
        "group",
        "items",
        share_was=pl.col("margin_was") / unless_zero(pl.col("net_was")),
        share=pl.col("margin") / unless_zero(pl.col("net")),
    ).sort("items", "group", descending=[True, False])


def touched_records(both: BeforeAfter, records: Table, matched: dict[str, str], settings: Settings) -> pl.DataFrame:
    """Open quotes or customer prices whose item changes its cost, those that lose most first.

    ``matched`` names the columns of the records that hold key, quantity and price; without quantity each counts as
    one. Returns line (in the records), key, quantity, price (as agreed), cost_was, cost, margin_was, margin (of one),
    share_was, share, keep_amount, keep_share (agreed prices that would keep them), lost (margin of all of them).
    """
    _, cost = price_and_cost(both.live, settings)
    costs = both.numbers(cost).rename({"was": "cost_was", "now": "cost"})
    costs = costs.filter(COST.ne_missing(COST_WAS))
    cells = records.cells(list(matched.values()))
    form = NumberFormat(records.format.decimal_separator or ".", three_decimals=True)
    profile = pl.DataFrame({"line": records.rows.line, "key": cells[matched["key"]].str.strip_chars()})
    price = exact(cells[matched["price"]].replace("", None), form)
    quantity = exact(cells[matched["quantity"]], form) if "quantity" in matched else price * 0 + 1
    profile = profile.with_columns(quantity=quantity.fill_null(1), price=price, price_was=price)
    moves = profile.join(costs, on="key", maintain_order="left").with_columns(margins(settings.money))
    moves = moves.with_columns(lost=(pl.col("margin_was") - pl.col("margin")) * pl.col("quantity"))
    return moves.drop("price_was").sort("lost", descending=True, nulls_last=True, maintain_order=True)
