"""Guards on money and stock: what is possible, and yet nearly always a slip.

What was so before is nobody's slip of today: a guard speaks only of what a change brings about.
"""

from __future__ import annotations

import re
from typing import TYPE_CHECKING

import polars as pl

from neat_delta.analysis.before_after import exact
from neat_delta.changeset.findings import TAX_NOT_SET, findings_frame, no_findings
from neat_delta.changeset.schemas import CHANGE, RECODE
from neat_delta.checks.check import Check, Override, cells_of, concat_findings
from neat_delta.tables.field_types import type_named
from neat_delta.tables.roles import taxed_otherwise
from neat_delta.tables.typed_values import cast_cells

if TYPE_CHECKING:
    from collections.abc import Iterable

    from neat_delta.checks.check import CheckContext

WAS, NOW = pl.col("was"), pl.col("now")
# Under these names shops keep from when and until when a sale price holds.
_SALE = "(sale|special|offer|promo|promotion|discount)"
SALE_DATE = {
    "start": re.compile(rf"(^|_){_SALE}(_price)?_(date_)?(from|start|starts|begin|begins|since)(_|$)"),
    "end": re.compile(rf"(^|_){_SALE}(_price)?_(date_)?(to|until|end|ends|till)(_|$)"),
}
# A lost decimal separator or a digit too many makes a number 10 or 100 times larger; the price may also have changed,
# by the share that is here. The larger the slip, the less else there is that it might be.
SLIPS = {10: 0.15, 100: 0.3, 1000: 0.3}
# An item stands out if so many of its group, and so large a share, moved otherwise.
FEWEST_ALIKE, SHARE_ALIKE = 8, 0.8
# So large a share of the changes goes the same way, if they are one decision.
ONE_WAY = 0.8
FEW_CHANGES = 50
# Shares are computed in binary; one that is just the limit, as 0.39 of 1.30, is no more and no less.
JUST_ABOVE = 1 + 1e-12
TIMES_LARGEST = 10


def negative(context: CheckContext) -> pl.DataFrame:
    """A price or a stock becomes negative."""
    message = "negative value not allowed. Correct it"
    return _each(
        context, _money(context) + _stock(context), (NOW < 0) & ~(WAS < 0).fill_null(value=False), "negative", message
    )


def zero_price(context: CheckContext) -> pl.DataFrame:
    """A price becomes zero."""
    price = context.settings.roles.field_for("price", context.live)
    message = "price is zero. Write the price, or leave it blank"
    return _each(
        context, [price] if price else [], (NOW == 0) & (WAS != 0).fill_null(value=True), "zero price", message
    )


def price_emptied(context: CheckContext) -> pl.DataFrame:
    """A price that is filled would be emptied."""
    price = context.settings.roles.field_for("price", context.live)
    cells = context.typed_cells.filter(pl.col("field") == (price or ""), NOW.is_null(), WAS.is_not_null())
    return context.findings_for(cells, "price emptied", "error", "the price would be empty. Intended?")


def decimal_slip(context: CheckContext) -> pl.DataFrame:
    """A price becomes about 10, 100 or 1,000 times larger or smaller."""
    ratio = (NOW.cast(pl.Float64) / WAS.cast(pl.Float64)).abs()
    near = [((times / step - 1).abs() < about) for step, about in SLIPS.items() for times in (ratio, 1 / ratio)]
    message = "10 or 100 times more, or less, than before: decimal separator wrong?"
    return _each(context, _money(context), (WAS > 0) & (NOW > 0) & pl.any_horizontal(near), "decimal slip", message)


def large_move(context: CheckContext) -> pl.DataFrame:
    """A price changes by more than largest_change."""
    most = context.settings.checks.largest_change
    share = ((NOW - WAS).cast(pl.Float64) / WAS.cast(pl.Float64)).abs()
    message = f"changes by more than {most * 100:.0f} % (limit: largest_change in [checks])"
    return _each(context, _money(context), (WAS > 0) & (share > most * JUST_ABOVE), "large change", message, "warning")


def implausible_stock(context: CheckContext) -> pl.DataFrame:
    """A stock is far above all others of the shop."""
    findings = []
    for name in _stock(context):
        both = context.numbers(name)
        shop_amounts = exact(context.live.distinct_values(name), context.both.form(name))
        largest = int(shop_amounts.max() or 0)  # type: ignore[arg-type]
        hit = both.filter((TIMES_LARGEST * largest < NOW) & (WAS != NOW).fill_null(value=True))
        if largest:
            message = f"far above any other item (most: {largest}): barcode or price in the stock column?"
            findings.append(context.findings_for(_cells(context, name, hit), "implausible stock", "error", message))
    return concat_findings(findings)


def below_cost(context: CheckContext) -> pl.DataFrame:
    """A price falls below the cost."""
    pair = _price_and_cost(context)
    if pair is None:
        return no_findings()
    bad = pair.filter((pl.col("price") < pl.col("cost")) & ~(pl.col("price_was") < pl.col("cost_was")).fill_null(False))
    message = "price is below cost. Correct one of the two"
    return context.findings_for(
        _moved(context, bad, context.settings.roles.price_and_cost(context.live)),
        "below cost",
        "error",
        message,
    )


def low_margin(context: CheckContext) -> pl.DataFrame:
    """A margin falls below margin_floor."""
    floor = context.settings.checks.margin_floor
    if floor is None or (pair := _price_and_cost(context)) is None:
        return no_findings()

    def margin(price: str, cost: str) -> pl.Expr:
        return (pl.col(price) - pl.col(cost)).cast(pl.Float64) / pl.col(price).cast(pl.Float64)

    now, was = margin("price", "cost"), margin("price_was", "cost_was")
    lowest = floor / JUST_ABOVE
    bad = pair.filter((now >= 0) & (now < lowest) & ~(was < lowest).fill_null(value=False))
    message = f"margin falls below {floor * 100:.0f} % (limit: margin_floor in [checks])"
    return context.findings_for(
        _moved(context, bad, context.settings.roles.price_and_cost(context.live)),
        "low margin",
        "warning",
        message,
    )


def _price_and_cost(context: CheckContext) -> pl.DataFrame | None:
    """Net price and cost of touched items (key, price, cost, and both as they were); ``None`` if nothing moves them."""
    price, cost = context.settings.roles.price_and_cost(context.live)
    if not (price and cost) or not {price, cost} & set(context.changes.head.fields):
        return None
    tax = 1 + context.settings.money.tax
    pair = context.numbers(price).rename({"was": "price_was", "now": "price"})
    if tax != 1:
        pair = pair.with_columns((pl.col(side) / pl.lit(tax)).alias(side) for side in ("price", "price_was"))
    costs = context.numbers(cost)
    return pair.with_columns(costs["was"].alias("cost_was"), costs["now"].alias("cost"))


def tax_not_set(context: CheckContext) -> pl.DataFrame:
    """Prices include tax by their name and costs do not, but no tax is set: margins and costs are compared wrongly."""
    price, cost = context.settings.roles.price_and_cost(context.live)
    if price is None or cost is None or not {price, cost} & set(context.changes.head.fields):
        return no_findings()
    columns = [context.live.field(name).column for name in (price, cost)]
    if context.settings.money.tax or not taxed_otherwise(*columns):
        return no_findings()
    message = (
        f"{columns[0]} includes tax, {columns[1]} does not: margins and prices below cost are not seen. Write the rate "
        "into catalogue.toml, such as tax = 0.19 after a line [money]"
    )
    return findings_frame(TAX_NOT_SET, "warning", field=price, message=message)


def sale_not_below_price(context: CheckContext) -> pl.DataFrame:
    """A sale price is not below the regular price."""
    price, sale = (
        context.settings.roles.field_for("price", context.live),
        context.settings.roles.field_for("sale_price", context.live),
    )
    if not (price and sale) or not {price, sale} & set(context.changes.head.fields):
        return no_findings()
    sales = context.numbers(sale)
    both = context.numbers(price).with_columns(sales["was"].alias("was_sale"), sales["now"].alias("now_sale"))
    bad = both.filter(
        (pl.col("now_sale") >= NOW) & (pl.col("now_sale") > 0) & ~(pl.col("was_sale") >= WAS).fill_null(value=False)
    )
    message = "sale price is not below the regular price. Correct one of the two"
    return context.findings_for(_moved(context, bad, (price, sale)), "sale price too high", "error", message)


def sale_below_cost(context: CheckContext) -> pl.DataFrame:
    """A sale price falls below the cost."""
    sale, cost = (
        context.settings.roles.field_for("sale_price", context.live),
        context.settings.roles.price_and_cost(context.live)[1],
    )
    if not (sale and cost) or not {sale, cost} & set(context.changes.head.fields):
        return no_findings()
    tax = pl.lit(1 + context.settings.money.tax)
    sales, costs = context.numbers(sale), context.numbers(cost)
    both = sales.with_columns(costs["was"].alias("cost_was"), costs["now"].alias("cost"))
    bad = both.filter(
        (NOW > 0)
        & (NOW / tax < pl.col("cost"))
        & ~((WAS > 0) & (WAS / tax < pl.col("cost_was"))).fill_null(value=False)
    )
    message = "sale price is below cost. Correct one of the two"
    return context.findings_for(_moved(context, bad, (sale, cost)), "sale below cost", "error", message)


def sale_ends_early(context: CheckContext) -> pl.DataFrame:
    """A sale ends before it starts."""
    names = {
        side: next((name for name in context.live.names if SALE_DATE[side].search(name)), None) for side in SALE_DATE
    }
    start, end = names["start"], names["end"]
    if not (start and end) or not {start, end} & set(context.changes.head.fields):
        return no_findings()
    sides = {name: context.beside(name) for name in (start, end)}
    typed = {
        (name, side): cast_cells(context.live, name, sides[name][side], context.settings.field(name))
        for name in (start, end)
        for side in ("was", "now")
    }
    before = pl.Series(typed[end, "now"] < typed[start, "now"]).fill_null(value=False)
    already = pl.Series(typed[end, "was"] < typed[start, "was"]).fill_null(value=False)
    bad = context.affected_items.select("key").filter(before & ~already)
    message = "the sale ends before it starts. Correct one of the two"
    return context.findings_for(_moved(context, bad, (start, end)), "sale dates", "error", message)


def cost_left_behind(context: CheckContext) -> pl.DataFrame:
    """In a group of items with new prices and costs, the cost of one did not change."""
    price, cost = context.settings.roles.price_and_cost(context.live)
    group = context.settings.roles.field_for("brand", context.live)
    if not (price and cost and group) or len(context.outgoing_cells.filter(field=cost)) < FEWEST_ALIKE:
        return no_findings()
    moved = (
        context.outgoing_cells.filter(field=price)
        .select("key")
        .join(context.changes.keys_with_action(CHANGE, RECODE), on="key", how="semi")
    )
    of_group = moved.join(context.beside(group).select("key", group="now"), on="key")
    of_group = of_group.with_columns(
        with_cost=pl.col("key").is_in(context.outgoing_cells.filter(field=cost)["key"].implode()),
    ).with_columns(alike=pl.col("with_cost").sum().over("group"), all=pl.len().over("group"))
    alone = of_group.filter(
        ~pl.col("with_cost") & (pl.col("alike") >= FEWEST_ALIKE) & (pl.col("alike") >= SHARE_ALIKE * pl.col("all"))
    )
    message = f"price changed but {cost} did not, unlike other items of this {group}"
    return context.findings_for(_moved(context, alone, (price,)), "cost unchanged", "warning", message)


def many_changes(context: CheckContext) -> pl.DataFrame:
    """A field changes in more items than most_changed.

    Stock does so every day; and what all values undergo alike, such as 5 % more, is one decision.
    """
    most, items = context.settings.checks.most_changed, len(context.live)
    findings = [no_findings()]
    stock = _stock(context)  # (which changes every day)
    for name, _, cells in context.cells():
        if name in stock or len(cells) < FEW_CHANGES or len(cells) <= most * items or _in_one_way(context, name, cells):
            continue
        message = f"{len(cells)} of {items} items change. Intended? (limit: most_changed in [checks])"
        findings.append(findings_frame("many changes", "warning", field=name, message=message))
    return pl.concat(findings)


def _in_one_way(context: CheckContext, name: str, cells: pl.DataFrame) -> bool:
    """Whether nearly all values change by the same share or amount, or get the same words: one decision."""
    was, now = WAS, NOW
    if type_named(context.type_of(name)).numeric:
        both = cells_of(context.numbers(name), cells).drop_nulls(["was", "now"]).filter(was != 0)
        old, new = was.cast(pl.Float64), now.cast(pl.Float64)
        ways = [both.select((new / old).round(2)).to_series(), both.select((new - old).round(2)).to_series()]
    else:
        texts = cells.drop_nulls(["was", "now"])
        around = now.str.splitn(was, 2).struct  # (null behind the old words where they are not in the new ones)
        rest = texts.filter(was != "").select(
            pl.when(was.str.to_lowercase() == now.str.to_lowercase())
            .then(pl.lit(""))
            .otherwise(pl.concat_str(around[0], around[1], separator="\x00"))
        )
        ways = [rest.to_series().drop_nulls()]
    return any(len(way) and _most_often(way) >= ONE_WAY * len(cells) for way in ways)


def _most_often(values: pl.Series) -> int:
    return int(values.value_counts(sort=True)["count"][0])


def _money(context: CheckContext) -> list[str]:
    return [name for name, _, _ in context.cells() if context.type_of(name) == "price"]


def _stock(context: CheckContext) -> list[str]:
    return [name for name, _, _ in context.cells() if context.settings.roles.is_stock(name, context.type_of(name))]


def _each(
    context: CheckContext, names: Iterable[str], wrong: pl.Expr, check: str, message: str, level: str = "error"
) -> pl.DataFrame:
    """Findings on the changed cells of these fields for which a condition over was and now holds."""
    return concat_findings(
        context.findings_for(_cells(context, name, context.numbers(name).filter(wrong)), check, level, message)
        for name in names
        if name in context.changes.head.fields
    )


def _cells(context: CheckContext, name: str, hit: pl.DataFrame) -> pl.DataFrame:
    """The sent cells of a field on some items."""
    if hit.is_empty():
        return context.outgoing_cells.clear()
    return context.outgoing_cells.filter(field=name).join(
        hit.select("key"), on="key", how="semi", maintain_order="left"
    )


def _moved(context: CheckContext, items: pl.DataFrame, names: Iterable[str | None]) -> pl.DataFrame:
    """The sent cells of these fields on some items."""
    if items.is_empty():
        return context.outgoing_cells.clear()
    cells = context.outgoing_cells.filter(pl.col("field").is_in([name for name in names if name]))
    return cells.join(items.select("key"), on="key", how="semi", maintain_order="left")


CHECKS = (
    Check("negative", "error", negative),
    Check("zero price", "error", zero_price, Override.IGNORE, needs=("price",)),
    Check("price emptied", "error", price_emptied, Override.IGNORE, needs=("price",)),
    Check("decimal slip", "error", decimal_slip, Override.IGNORE),
    Check(TAX_NOT_SET, "warning", tax_not_set, Override.IGNORE, needs=("price", "cost")),
    Check("below cost", "error", below_cost, Override.IGNORE, needs=("price", "cost")),
    Check("sale price too high", "error", sale_not_below_price, Override.IGNORE, needs=("price", "sale_price")),
    Check("sale below cost", "error", sale_below_cost, Override.IGNORE, needs=("sale_price", "cost")),
    Check("sale dates", "error", sale_ends_early, Override.IGNORE),
    Check("implausible stock", "error", implausible_stock, Override.IGNORE, needs=("stock",)),
    Check("low margin", "warning", low_margin, Override.IGNORE, needs=("price", "cost")),
    Check("large change", "warning", large_move, Override.IGNORE),
    Check("cost unchanged", "warning", cost_left_behind, Override.IGNORE, needs=("price", "cost", "brand")),
    Check("many changes", "warning", many_changes, Override.IGNORE),
)
