"""Margins before and after, and the prices that would keep them."""

from decimal import Decimal

import pytest
from hypothesis import given
from hypothesis import strategies as st

from helpers import write_table
from neat_delta.analysis.before_after import BeforeAfter
from neat_delta.analysis.grouping import by_group
from neat_delta.analysis.margins import margins_by, price_moves, touched_records
from neat_delta.analysis.stock import by_room, stock_moves
from neat_delta.base.errors import InvalidOption
from neat_delta.diff.compare import CompareOptions, compare
from neat_delta.reading import read_pair, read_table
from neat_delta.tables.settings import MoneySettings, RoleSettings, Settings

NAMES = ["sku", "name", "category", "price", "cost", "stock_main", "stock_barn"]
LIVE = [
    NAMES,
    ["A", "Hive", "Hives", "119.00", "50.00", "4", "1"],
    ["B", "Veil", "Clothing", "23.80", "10.00", "7", ""],
    ["C", "Jar", "Jars", "1.19", "0.00", "0", "9"],
    ["D", "Lid", "Jars", "", "0.10", "5", "5"],
]
TAX = Settings(money=MoneySettings(tax=Decimal("0.19")))


def both(folder, edits, **options):
    edited = [list(row) for row in LIVE]
    for item, column, value in edits:
        edited[item + 1][NAMES.index(column)] = value
    a, b = write_table(folder / "live.csv", LIVE), write_table(folder / "edited.csv", edited)
    live, sheet = read_pair(a, b)
    return BeforeAfter(compare(live, sheet, CompareOptions(**options)).changes, live)


def test_margins_are_net_of_tax_and_taken_on_the_selling_price(tmp_path):
    (move,) = price_moves(both(tmp_path, [(0, "cost", "60.00")]), TAX).to_dicts()

    assert (move["margin_was"], move["margin"]) == (50, 40)
    assert (move["share_was"], move["share"]) == (Decimal("0.5"), Decimal("0.4"))
    assert (move["keep_amount"], move["keep_share"]) == (Decimal("130.90"), Decimal("142.80"))


prices = st.decimals("0.05", 9_999, places=2)


@given(prices, prices, prices)
def test_the_prices_that_keep_a_margin_do(price, cost, new_cost):
    # What the two formulas promise, by the definition of the margin alone.
    import polars as pl

    from neat_delta.analysis.margins import margins
    from neat_delta.analysis.metrics import EXACT

    columns = {"price_was": price, "price": price, "cost_was": cost, "cost": new_cost}
    row = pl.DataFrame({name: [value] for name, value in columns.items()}, schema=dict.fromkeys(columns, EXACT))
    told = row.select(margins(MoneySettings())).row(0, named=True)

    assert abs((told["keep_amount"] - new_cost) - (price - cost)) <= Decimal("0.005")
    kept = new_cost * price / cost
    assert abs(told["keep_share"] - kept) <= Decimal("0.005") + kept * Decimal("1e-9")


def test_what_cannot_be_divided_is_left_open_and_the_largest_change_comes_first(tmp_path):
    edits = [(0, "price", "120.00"), (1, "price", "11.90"), (2, "cost", "0.50"), (3, "price", "2.38")]

    moves = price_moves(both(tmp_path, edits), TAX)

    assert moves["key"].to_list() == ["B", "A", "C", "D"]
    jar, lid = moves.row(2, named=True), moves.row(3, named=True)
    assert (jar["keep_share"], jar["move"]) == (None, None)
    assert (lid["share_was"], lid["margin"]) == (None, Decimal("1.9"))


def test_margins_are_summed_up_by_category(tmp_path):
    summed = margins_by(both(tmp_path, [(0, "cost", "60.00"), (1, "cost", "12.00")]), TAX, "category")

    assert summed.rows() == [
        ("Clothing", 1, Decimal("0.5"), Decimal("0.4")),
        ("Hives", 1, Decimal("0.5"), Decimal("0.4")),
    ]


def test_a_shop_without_costs_is_told_how_to_name_them(tmp_path):
    with pytest.raises(InvalidOption, match="no column for the cost"):
        price_moves(both(tmp_path, [(0, "cost", "60.00")]), Settings(roles=RoleSettings(cost="buying")))


def test_quotes_that_a_new_cost_touches_come_with_what_they_lose(tmp_path):
    quotes = [
        ["sku", "customer", "qty", "price"],
        ["A", "x", "3", "100.00"],
        ["B", "y", "", "20.00"],
        ["C", "z", "1", "9"],
    ]
    records = read_table(write_table(tmp_path / "quotes.csv", quotes))
    seen = both(tmp_path, [(0, "cost", "60.00"), (1, "cost", "9.00")])
    matched = {"key": "sku", "price": "price", "quantity": "qty"}

    told = touched_records(seen, records, matched, Settings())

    assert told.select("key", "quantity", "lost").rows() == [("A", 3, 30), ("B", 1, -1)]
    assert told["keep_share"].to_list() == [120, 18]


def test_stock_is_summed_up_by_room_and_valued_at_cost(tmp_path):
    seen = both(tmp_path, [(0, "stock_main", "6"), (1, "stock_main", "5"), (1, "stock_barn", "2")])

    moves = stock_moves(seen, TAX)

    assert moves.select("room", "key", "units", "value").rows() == [
        ("stock_main", "A", 2, 100), ("stock_main", "B", -2, -20), ("stock_barn", "B", 2, 20),
    ]  # fmt: skip
    assert by_room(moves).rows() == [("stock_main", 2, 2, 2, 100, 20), ("stock_barn", 1, 2, 0, 20, 0)]


def test_groups_add_up_to_the_whole(tmp_path):
    seen = both(tmp_path, [(0, "price", "120.00"), (2, "cost", "0.50"), (3, "cost", "0.05"), (3, "name", "Cap")])

    groups = by_group(seen, "category")

    assert groups.rows() == [("Jars", 2, 0, 0, 3, 1, 1), ("Hives", 1, 0, 0, 1, 1, 0)]
    assert groups["cells"].sum() == len(seen.changes.cells)
