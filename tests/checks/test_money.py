"""Guards on money and stock."""

import json
from decimal import Decimal

import pytest

from helpers import neat_delta, write_table
from neat_delta.base.errors import InvalidOption
from neat_delta.changeset.head import Overrides
from neat_delta.checks import run_checks
from neat_delta.diff.compare import CompareOptions, compare
from neat_delta.reading import read_pair
from neat_delta.tables.settings import CheckSettings, Settings
from neat_delta.tables.settings_sections import MoneySettings


def cell(name, value, at=8):
    def edit(rows):
        rows[at][name] = value

    return edit


# Item 8 costs 14.40 and sells for 28.80.
@pytest.mark.parametrize(
    ("edit", "checks"),
    [
        (cell("price", "288.00"), ["decimal slip"]),
        (cell("price", "2900"), ["decimal slip"]),
        (cell("price", "3599.95"), ["decimal slip"]),
        (cell("price", "2.88"), ["below cost", "decimal slip"]),
        (cell("price", "14.00"), ["below cost"]),
        (cell("cost", "29.00"), ["below cost"]),
        (cell("price", "0"), ["below cost", "zero price"]),
        (cell("price", "-28.80"), ["below cost", "negative"]),
        (cell("stock", "-1"), ["negative"]),
        (cell("stock", "9520000000004"), ["implausible stock"]),
        (cell("sale_price", "28.80"), ["sale price too high"]),
    ],
)
def test_a_slip_in_money_or_stock_is_stopped(tried, edit, checks):
    found = tried(edit).changes.findings.filter(level="error")

    assert sorted(set(found["code"])) == checks


@pytest.mark.parametrize(
    ("edit", "settled", "check"),
    [
        (cell("price", "50.00"), Settings(), "large change"),
        (cell("price", "16.00"), Settings(checks=CheckSettings(margin_floor=0.2)), "low margin"),
    ],
)
def test_what_is_unusual_goes_through_with_a_warning(tried, edit, settled, check):
    seen = tried(edit, settled)

    assert len(seen.changes.cells) == 1
    assert seen.changes.findings.select("code", "level").rows() == [(check, "warning")]


@pytest.mark.parametrize("edit", [cell("price", "30.24"), cell("stock", "35"), cell("sale_price", "20.00")])
def test_a_usual_edit_finds_nothing(tried, edit):
    assert tried(edit).changes.findings.is_empty()


def test_taxes_are_taken_off_before_price_and_cost_are_compared(tried):
    settled = Settings(money=MoneySettings(tax=MoneySettings().tax + 1))  # half of the price is tax

    assert tried(cell("price", "28.00"), settled).changes.findings["code"].to_list() == ["below cost"]


@pytest.mark.parametrize("share", ["0.05", "0.3", "0.35", "0.5"])
def test_a_share_that_is_just_the_limit_is_within_it(tried, share):
    """For each price of a shop: in binary, many such shares are a little more or less."""
    moved = CheckSettings(largest_change=float(share))
    kept = CheckSettings(margin_floor=float(share))

    def times(factor, name="price", by="price"):
        def edit(rows):
            for row in rows:
                row[name] = str(Decimal(row[by]) * factor)

        return edit

    def codes(edit, checks):
        return set(tried(edit, Settings(checks=checks), items=100).changes.findings["code"])

    for factor in (1 + Decimal(share), 1 - Decimal(share)):
        assert "large change" not in codes(times(factor), moved)
    assert "large change" in codes(times(1 + Decimal(share) + Decimal("0.001")), moved)
    assert "low margin" not in codes(times(1 - Decimal(share), "cost"), kept)
    assert "low margin" in codes(times(1 - Decimal(share) + Decimal("0.001"), "cost"), kept)


def test_an_item_whose_cost_stayed_while_its_group_moved_wants_a_look(tried):
    def edit(rows):
        for at, row in enumerate(rows):
            if row["maker"] == "Combwick":
                row["price"] = f"{float(row['price']) * 1.1:.2f}"
                if at != 8:
                    row["cost"] = f"{float(row['cost']) * 1.1:.2f}"

    found = tried(edit).changes.findings.filter(code="cost unchanged")

    assert found["key"].to_list() == ["K-0008"]


def test_a_check_can_be_let_pass_for_one_run_or_switched_off(tried):
    edit = cell("price", "14.00")

    assert len(tried(edit, allowed=Overrides(ignore=("below cost",))).changes.cells) == 1
    assert len(tried(edit, Settings(checks=CheckSettings(ignore=("below cost",)))).changes.cells) == 1
    with pytest.raises(InvalidOption, match="there is no check with this name that can be ignored"):
        tried(edit, allowed=Overrides(ignore=("required field",)))


@pytest.mark.parametrize(("price", "found"), [("0.00", ["zero price"]), ("99.00", [])])
def test_a_new_item_is_not_given_away(tried, price, found):
    new = {"sku": "N-1", "name": "New", "maker": "Combwick", "category": "Hives/Bodies", "price": price, "cost": "9.00"}
    seen = tried(lambda rows: [*rows, new], add_new=True)

    errors = seen.changes.findings.filter(level="error")
    assert [code for code in errors["code"] if code != "below cost"] == found
    assert (seen.changes.items.filter(key="N-1")["action"].item() == "add") == (not found)


def test_taxes_are_taken_off_before_a_sale_price_and_the_cost_are_compared(tried):
    """Row 8 had no sale price; that of row 5 was below its cost already, by a tax of 70 %."""
    settled = Settings(money=MoneySettings(tax=Decimal("0.7")))

    def edit(add):
        def edited(rows):
            rows[8]["sale_price"] = f"{Decimal(rows[8]['cost']) * Decimal('1.7') + Decimal(add):.2f}"
            rows[5]["sale_price"] = f"{Decimal(rows[5]['sale_price']) - 1:.2f}"

        return edited

    def held(add):
        findings = tried(edit(add), settled).changes.findings
        return findings.filter(code="sale below cost")["key"].to_list()

    assert held("0") == []
    assert held("-0.01") == ["K-0008"]


def test_thousands_with_points_are_numbers_to_the_checks(tmp_path):
    """1.100 to 9.828 in stock, in an export whose prices have a decimal comma."""
    rows = [[f"K{at:03}", f"{1 + at % 9}.{at * 37 % 900 + 100}", f"{at + 1},50"] for at in range(60)]
    edited = [[*row] for row in rows]
    edited[3][1], edited[7][1], edited[9][1] = "2.500", "999.999", "-1.000"
    header = ["sku", "stock", "price"]
    paths = [
        write_table(tmp_path / name, [header, *table], delimiter=";")
        for name, table in (("live.csv", rows), ("edited.csv", edited))
    ]
    live, sheet = read_pair(*paths)
    changes = compare(live, sheet, CompareOptions()).changes

    findings = run_checks(changes, live, Settings(), Overrides()).select("code", "key").rows()

    assert findings == [("negative", "K009"), ("implausible stock", "K007")]


def test_prices_with_tax_beside_costs_without_are_said_until_the_rate_is_set(tmp_path):
    head = ["Artikelnummer", "Name", "VK brutto", "EK netto"]
    live = [head, *([f"HN-{at}", f"Glas {at}", f"{at + 2},40", f"{at},14"] for at in range(1, 20))]
    edited = [list(row) for row in live]
    edited[2][2] = "2,40"
    write_table(tmp_path / "live.csv", live, delimiter=";")
    write_table(tmp_path / "edited.csv", edited, delimiter=";")

    unset = neat_delta("compare", "live.csv", "edited.csv", "--json", cwd=tmp_path)
    neat_delta("setup", "live.csv", cwd=tmp_path)
    draft = (tmp_path / "catalogue.toml").read_text("utf-8")
    (tmp_path / "catalogue.toml").write_text(draft.replace("# tax = 0.19", "tax = 0.19"), "utf-8")
    done = neat_delta("compare", "live.csv", "edited.csv", "--json", cwd=tmp_path)

    assert "VK brutto includes tax, EK netto does not" in draft
    assert [unset.returncode, [one["code"] for one in json.loads(unset.stdout)["problems"]]] == [1, ["tax not set"]]
    assert [one["code"] for one in json.loads(done.stdout)["problems"]] == ["below cost"]
