from decimal import ROUND_HALF_UP, Decimal

import polars as pl
import pytest
from hypothesis import given
from hypothesis import strategies as st

from helpers import write_table
from neat_delta.base.errors import InvalidOption
from neat_delta.checks import run_checks
from neat_delta.diff.adjust import adjust
from neat_delta.diff.compare import CompareOptions
from neat_delta.diff.formulas import parse_formula
from neat_delta.expressions.ending import rounding_of
from neat_delta.expressions.value import column
from neat_delta.matching import Key
from neat_delta.matching.context import Context
from neat_delta.reading import read_table
from neat_delta.tables.settings import FieldSettings, Settings
from neat_delta.tables.settings_file import load_settings

LIVE = [
    ["sku", "name", "price", "cost", "stock", "active", "sale"],
    ["A", "Smoker", "12.50", "7.00", "3", "1", "9.99"],
    ["B", "Veil", "82.50", "40.00", "0", "1", ""],
    ["C", "Glove", "8.75", "", "40", "0", ""],
]


@pytest.fixture
def adjusted(tmp_path):
    def run(*rules, live=LIVE, finish=None, rows=None, **fields):
        ours = read_table(write_table(tmp_path / "live.csv", live))
        chosen = pl.Series(range(len(ours)) if rows is None else rows, dtype=pl.UInt32)
        options = CompareOptions(settings=Settings(fields=fields))
        parsed = [parse_formula(rule, finish) for rule in rules]
        return adjust(Context(ours, options.settings, Key(("sku",), explicit=True)), parsed, chosen, options)

    return run


def now(seen):
    return {(key, field): cell for key, field, _, cell in seen.changes.cells.iter_rows()}


def test_rules_change_the_chosen_items_only_and_no_item_is_gone(adjusted):
    seen = adjusted("price = price * 1.05", rows=[0, 1])

    assert now(seen) == {("A", "price"): "13.13", ("B", "price"): "86.63"}
    assert seen.changes.counts["changed"] == seen.changes.head.edited.rows == 2
    assert seen.changes.counts["missing"] == 0


def test_all_rules_see_the_values_as_they_were_before(adjusted):
    assert now(adjusted("price = cost", "cost = price", rows=[0])) == {("A", "price"): "7.00", ("A", "cost"): "12.50"}


@pytest.mark.parametrize(
    ("rule", "changes"),
    [
        ("price = price", {}),
        ("name = 'New: ' || name", {("A", "name"): "New: Smoker"}),
        ("stock = stock + 1.4", {("A", "stock"): "4"}),
        ("active = CASE WHEN stock > 2 THEN 0 ELSE active END", {("A", "active"): "0"}),
        ("price = live.cost * 2", {("A", "price"): "14.00"}),
        ("sale = NULL", {("A", "sale"): None}),
        ("price = ending(price, .95)", {("A", "price"): "12.95"}),
        ("price = ending(price, 9.90, 'up')", {("A", "price"): "19.90"}),
        ("price = multiple(price, 5, 'down')", {("A", "price"): "10.00"}),
        ("price = multiple(0 - price, 5, 'down')", {("A", "price"): "-15.00"}),
    ],
)
def test_what_rules_can_say(adjusted, rule, changes):
    assert now(adjusted(rule, rows=[0])) == changes


def test_a_row_on_which_a_rule_gives_nothing_is_refused_and_the_others_go_on(adjusted):
    seen = adjusted("price = cost / stock")

    assert now(seen) == {("A", "price"): "2.33"}
    stopped = seen.changes.findings.filter(level="error")
    assert stopped.select("key", "field", "line", "value").rows() == [
        ("B", "price", 3, "live cost 40, live stock 0"),
        ("C", "price", 4, "live cost –, live stock 40"),
    ]
    assert stopped["message"].to_list() == [
        "price = cost / stock has no result: it divides by zero or gives NULL",
        "price = cost / stock has no result: cost is blank",
    ]
    assert seen.changes.counts["rejected"] == 2
    assert (seen.blanks_ignored, len(seen.rows_in("rejected"))) == (0, 2)


@pytest.mark.parametrize(
    "rule",
    [
        "ending(cost, .95)",
        "multiple(cost, 5, 'up')",
        "round(cost, 0)",
        "greatest(cost, 1)",
        "least(cost, price)",
        "greatest(cost * 2, NULL)",
        "1 / (cost - cost)",
    ],
)
def test_nothing_never_becomes_a_number(adjusted, rule):
    seen = adjusted(f"price = {rule}", rows=[2])

    assert now(seen) == {}
    assert seen.changes.counts["rejected"] == 1


@pytest.mark.parametrize("rule", ["coalesce(cost, 4)", "CASE WHEN cost IS NULL THEN 4 ELSE cost END"])
def test_a_rule_may_say_what_becomes_of_blanks(adjusted, rule):
    assert now(adjusted(f"price = {rule}", rows=[2])) == {("C", "price"): "4.00"}


def test_what_a_value_was_computed_from_is_kept(adjusted):
    (note,) = adjusted("price = cost * 2", rows=[0]).changes.findings.rows(named=True)

    assert (note["level"], note["value"], note["message"]) == ("note", "live cost 7", "calculated by price = cost * 2")


@pytest.mark.parametrize(
    ("rules", "reason"),
    [
        (["price"], "is not a formula"),
        (["price = "], "is not a formula"),
        (["prise = 1"], "there is no field prise"),
        (["sku = 'X' || sku"], "sku is the key"),
        (["price = pirce * 2"], "there is no field pirce. Did you mean price?"),
        (["price = file.net"], "there is no field file.net"),
        (["price = name * 2"], "* needs a number, not a text"),
        (["price = read_csv('/etc/passwd')"], "there is no function read_csv"),
        (["price = (SELECT 1)"], "formula '"),
        (["price = 1; DROP TABLE x"], "formula '"),
        (["price = 1", "Price = 2"], "two formulas for the field"),
        (["price = price * price * price * price * price * 100000000000000000000000000"], "formula '"),
    ],
)
def test_a_wrong_rule_is_refused_with_the_reason(adjusted, rules, reason):
    with pytest.raises(InvalidOption) as found:
        adjusted(*rules)

    assert reason in str(found.value)


def test_what_an_input_holds_instead_of_a_value_is_said(adjusted):
    live = [
        LIVE[0],
        *LIVE[1:],
        *([f"D{at}", "x", f"{at}.50", "n/a" if at else "#N/A", "1", "1", ""] for at in range(2)),
    ]

    seen = adjusted("price = cost * 2", live=live)

    assert seen.changes.findings.filter(level="error")["message"].to_list() == [
        f"price = cost * 2 has no result: cost is {what}" for what in ("blank", "'#N/A'", "'n/a'")
    ]


def test_a_number_of_too_many_digits_is_an_error_of_its_row(adjusted):
    live = [[*LIVE[0]], *([f"A{at}", "x", f"{at}.00", "1", "1", "1", ""] for at in range(1, 30))]
    live[9][2] = "99999999999999999999.00"

    seen = adjusted("price = price * price", live=live)

    assert len(now(seen)) == 27  # 1 * 1 is no change
    (refused,) = seen.changes.findings.filter(level="error").rows(named=True)
    assert (refused["key"], "too large to be exact" in refused["message"]) == ("A9", True)


def test_a_text_made_of_a_blank_one_is_left_as_it_is_and_a_short_one_is_no_accident(adjusted):
    live = [
        LIVE[0],
        *([f"A{at}", f"Smoker with guard {at}" if at else "", "1.00", "1", "1", "1", ""] for at in range(9)),
    ]

    seen = adjusted("name = left(name, 8)", live=live)
    found = run_checks(seen.changes, seen.live, Settings())

    assert now(seen) == {(f"A{at}", "name"): "Smoker w" for at in range(1, 9)}
    assert "error" not in {*seen.changes.findings["level"], *found["level"]}


def test_rates_are_settled_once_and_exact(tmp_path):
    (tmp_path / "catalogue.toml").write_text("[rates]\nCrown = 0.0395\n")
    ours = read_table(write_table(tmp_path / "live.csv", LIVE))
    options = CompareOptions(settings=load_settings(tmp_path / "catalogue.toml"))
    rules = [parse_formula("cost = round(price * rates.crown, 4) * 100")]

    seen = adjust(
        Context(ours, options.settings, Key(("sku",), explicit=True)), rules, pl.Series([0], dtype=pl.UInt32), options
    )

    assert now(seen) == {("A", "cost"): "49.38"}
    assert seen.changes.findings["value"].to_list() == ["live price 12.5, rates.crown 0.0395"]


def test_numbers_are_written_in_the_live_form(adjusted):
    live = [["sku", "price", "rate"], ["A", "1.234,50", "7,5 %"], ["B", "8,00", "19,0 %"]]

    seen = adjusted("price = price * 2", live=live, price=FieldSettings(type="price"))

    assert now(seen) == {("A", "price"): "2.469,00", ("B", "price"): "16,00"}


prices = st.decimals(min_value="0.01", max_value="99999.99", places=2)


@given(prices, st.sampled_from([".95", ".99", "9.90", "4.50"]), st.sampled_from(["nearest", "up", "down"]))
def test_an_ending_is_that_ending_and_lies_on_the_right_side(price, ending, way):
    step = Decimal(10) if Decimal(ending) >= 1 else Decimal(1)
    frame = pl.DataFrame({"p": [price]}, schema={"p": pl.Decimal(38, 2)})

    got = frame.select(rounding_of("ending", ending, way).of(column(frame["p"])).expr).item()

    assert got % step == Decimal(ending)
    if got > Decimal(ending):
        assert {"up": got >= price, "down": got <= price, "nearest": abs(got - price) <= step / 2}[way]
    assert abs(got - price) < step or got == Decimal(ending)


@given(st.lists(prices, min_size=1, max_size=5), st.decimals(min_value="0.5", max_value="3", places=3))
def test_products_are_exact_before_they_are_rounded_half_up(values, factor):
    frame = pl.DataFrame({"p": values}, schema={"p": pl.Decimal(38, 2)})

    got = parse_formula(f"x = round(p * {factor}, 2)").value.over(frame).to_list()

    assert got == [(value * factor).quantize(Decimal("0.01"), ROUND_HALF_UP) for value in values]
