"""The practice shop has the ways of real ones, each of them as it is set."""

import csv
import io

import pytest

from helpers import write_table
from neat_delta.base.errors import InvalidOption, NeatDeltaError
from neat_delta.practice_shop import open_shop
from neat_delta.practice_shop.behaviour import FILE
from neat_delta.practice_shop.shop import does_of, make_shop
from neat_delta.reading import read_table

ITEMS = [
    ["sku", "name", "category", "price", "stock"],
    ["A", "Hive", "Hives", "10.00", "5"],
    ["B", "Veil", "Clothing", "20.00", "6"],
]


@pytest.fixture
def shop(tmp_path):
    """Opens the shop with such ways."""

    def opened(ways=""):
        export = read_table(write_table(tmp_path / "live.csv", ITEMS))
        made = make_shop(tmp_path / "shop", export, "sku", replace=True)
        assert list(csv.reader(io.StringIO(made.export().decode()))) == ITEMS
        (tmp_path / "shop" / FILE).write_text('key = "sku"\n' + ways)
        return open_shop(tmp_path / "shop")

    return opened


def taken(shop, *rows, action="change"):
    data = "".join(",".join(row) + "\n" for row in rows).encode()
    return [(result.code, result.result, result.reason) for result in shop.import_file(data, action).results]


@pytest.mark.parametrize(
    ("ways", "cell", "stored"),
    [
        ("", "", ""),
        ('blank = "leaves"', "", "Hive"),
        ('blank = "leaves"\nmarker = "[clear]"', "[clear]", ""),
        ("trims = true", "  Skep ", "Skep"),
        ("length = {name = 3}", "Longhive", "Lon"),
    ],
)
def test_a_cell_is_stored_as_the_ways_say(shop, ways, cell, stored):
    open_ = shop(ways)

    assert taken(open_, ["sku", "name"], ["A", cell]) == [("A", "updated", "")]
    assert open_.items()[0][1] == stored


def test_numbers_are_rounded_where_it_is_set_and_words_are_no_numbers(shop):
    open_ = shop("decimals = {price = 1}")

    told = taken(open_, ["sku", "price"], ["A", "10.25"], ["B", "dear"])

    assert told == [("A", "updated", ""), ("B", "failed", "price: 'dear' is not a number")]
    assert [row[3] for row in open_.items()] == ["10.3", "20.00"]


def test_one_bad_row_does_not_keep_the_others_out(shop):
    open_ = shop('known_categories = "category"\nlimited = ["name"]')
    rows = [["A", "Veil", "Clothing"], ["X", "Veil", "Hives"], ["B", "Hive", "Bees"], ["B", "Hat", "Hives"]]

    told = taken(open_, ["sku", "name", "category"], *rows)

    assert [result for _, result, _ in told] == ["updated", "failed", "failed", "failed"]
    assert open_.items()[0][:3] == ["A", "Veil", "Clothing"]


def test_items_come_go_and_get_other_codes(shop):
    open_ = shop()

    assert taken(open_, ["sku", "name"], ["C", "Jar"], ["A", "x"], action="add") == [
        ("C", "added", ""), ("A", "skipped", "an item with this SKU exists already"),
    ]  # fmt: skip
    codes = taken(open_, ["sku", "new_sku"], ["A", "A9"], ["B", "C"], action="recode")
    assert codes[1][1:] == ("failed", "another item has the SKU C")
    assert taken(open_, ["sku"], ["B"], action="remove") == [("B", "removed", "")]
    assert [row[:2] for row in open_.items()] == [["A9", "Hive"], ["C", "Jar"]]


@pytest.mark.parametrize(
    ("ways", "header", "action", "reason"),
    [
        ('required = ["name"]', "sku,price", "change", "column name is required"),
        ("rows = 2", "sku,price\nA,1", "change", "3 rows; the limit is 2"),
        ('takes = "change"', "sku,price", "add", "only accepts action change"),
        ("", "sku,colour", "change", "unknown column colour"),
        ("", "code,price", "change", "no column sku"),
    ],
)
def test_a_file_that_the_shop_does_not_take_is_refused_as_a_whole(shop, ways, header, action, reason):
    with pytest.raises(InvalidOption, match=reason):
        shop(ways).import_file(f"{header}\nA,9\n".encode(), action)


@pytest.mark.parametrize("data", [b"", "sku,price\nA,9 €\n".encode("cp1252"), b"PK\x03\x04\xff"])
def test_what_is_no_table_is_refused(shop, data):
    with pytest.raises(InvalidOption, match="file rejected: "):
        shop("").import_file(data)


def test_an_import_may_break_off_half_way(shop):
    open_ = shop("breaks_off_after = 1")

    half = open_.import_file(b"sku,name\nA,one\nB,two\n")

    assert half.broken_off
    assert [row[1] for row in open_.items()] == ["one", "Veil"]


def test_selling_is_the_same_for_the_same_seed_and_never_below_zero(shop):
    first, second = shop().sell(7, 50), shop().sell(7, 50)

    assert first == second
    assert any("sold from stock" in line for line in first)
    assert all(int(row[4]) >= 0 for row in open_shop_items(shop))


def open_shop_items(shop):
    open_ = shop()
    open_.sell(3, 200)
    return open_.items()


@pytest.mark.parametrize("ways", ["blnk = 1", 'blank = "maybe"', "key = "])
def test_ways_that_there_are_not_are_named(shop, ways):
    with pytest.raises(NeatDeltaError, match=r"shop\.toml"):
        shop(ways)


def test_what_a_file_does_is_told_by_its_name():
    assert [does_of(name) for name in ("01-codes.csv", "02-new-items.csv", "03-changes.csv", "04-removals.csv")] == [
        "recode", "add", "change", "remove",
    ]  # fmt: skip
