"""No number is read or written with another decimal mark than its column's file has, and none is guessed."""

import polars as pl
import pytest

from helpers import write_table
from neat_delta.diff.adjust import adjust
from neat_delta.diff.compare import CompareOptions, compare
from neat_delta.diff.formulas import parse_formula
from neat_delta.matching import Key
from neat_delta.matching.context import Context
from neat_delta.reading import read_pair, read_table
from neat_delta.tables.settings import Settings


def changed(folder, live, edited, **form):
    a, b = write_table(folder / "live.csv", live, **form), write_table(folder / "edited.csv", edited, **form)
    seen = compare(*read_pair(a, b), CompareOptions())
    return {(key, field): now for key, field, _, now in seen.changes.cells.iter_rows()}, seen.changes.findings


def test_a_column_that_decides_nothing_itself_takes_its_files_mark(tmp_path):
    live = [["sku", "price", "weight"], ["A", "19,90", "15,080"], ["B", "29,50", "2,160"], ["C", "9,90", "1,250"]]
    edited = [live[0], ["A", "19,90", "15,08"], ["B", "29,50", "2,5"], ["C", "9,90", "1,25"]]

    cells, findings = changed(tmp_path, live, edited, delimiter=";")

    assert cells == {("B", "weight"): "2,500"}
    assert findings.is_empty()


def test_a_text_among_the_columns_does_not_hide_the_mark_of_a_sheet(tmp_path):
    live = [["sku", "name", "weight"], *([f"A{at}", "Jar 8.0", f"{at},{at}80"] for at in range(1, 9))]
    edited = [[*row] for row in live]
    edited[1][1], edited[3][2] = "8.0", "5,588"

    cells, findings = changed(tmp_path, live, edited, delimiter=";")

    assert cells == {("A1", "name"): "8.0", ("A3", "weight"): "5,588"}
    assert findings.is_empty()


def test_cells_that_do_not_differ_are_heard_too(tmp_path):
    live = [["sku", "price"], *([f"A{at}", f"{at}.25"] for at in range(1, 23))]
    edited = [[*row] for row in live]
    edited[1][1], edited[2][1] = "7,25", "431.180"

    cells, findings = changed(tmp_path, live, edited, delimiter=";")

    assert cells == {("A1", "price"): "7.25"}
    assert findings.select("key", "code", "value").rows() == [("A2", "unreadable cell", "431.180")]


@pytest.mark.parametrize(
    ("value", "now", "found"),
    [("७.००", None, []), ("１２．００", "12.00", []), ("१२", "12.00", []), ("7٠٠٠.00", None, ["unreadable cell"])],
)
def test_digits_of_other_scripts_are_read_but_not_two_scripts_in_one_number(tmp_path, value, now, found):
    live = [["sku", "price"], ["A", "7.00"], ["B", "8.00"], *([f"C{at}", f"{at}.25"] for at in range(8))]

    cells, findings = changed(tmp_path, live, [live[0], ["A", value], *live[2:]])

    assert cells == ({("A", "price"): now} if now else {})
    assert findings.filter(level="error")["code"].to_list() == found


@pytest.mark.parametrize(
    ("prices", "rule", "got"),
    [
        (["1613", "20"], "price / 3", "538"),
        (["638.32", "2.10"], "price * (1 + 5/100)", "670.24"),
        (["638.32", "2.1"], "price / 3", "212.77"),
        (["1,5", "20"], "price / 7", "0,2"),
    ],
)
def test_what_is_computed_has_the_decimals_of_its_field(tmp_path, prices, rule, got):
    table = [["sku", "price"], *([f"A{at}", price] for at, price in enumerate(prices))]
    live = read_table(write_table(tmp_path / "live.csv", table, delimiter=";"))

    seen = adjust(
        Context(live, Settings(), Key(("sku",), explicit=True)), [parse_formula(f"price = {rule}")],
        pl.Series([0], dtype=pl.UInt32), CompareOptions(),
    )  # fmt: skip

    assert seen.changes.cells["now"].to_list() == [got]
