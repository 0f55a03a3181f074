from dataclasses import replace
from decimal import Decimal

import polars as pl
import pytest

from helpers import write_table
from neat_delta.analysis.before_after import BeforeAfter
from neat_delta.diff.compare import CompareOptions, compare
from neat_delta.reading import read_pair, read_table

HEADER = ["sku", "name", "price", "stock"]
LIVE = [HEADER, ["A", "a", "1.00", "5"], ["B", "", "2.00", "6"], ["C", "c", "3.00", "7"], ["D", "d", "4.00", "8"]]
EDITED = [HEADER, ["D", "d", "4.50", "8"], ["N", "new", "9.00", "1"], ["B", "b", "2.00", "9"]]


@pytest.fixture
def both(tmp_path):
    a, b = write_table(tmp_path / "live.csv", LIVE), write_table(tmp_path / "edited.csv", EDITED)
    live, sheet = read_pair(a, b)
    return BeforeAfter(compare(live, sheet, CompareOptions(add_new=True)).changes, live)


def test_the_touched_items_stand_in_the_live_exports_order_new_ones_behind(both):
    assert both.affected_items.select("key", "row").rows() == [("B", 1), ("D", 3), ("N", None)]


def test_a_field_before_and_after_whether_it_changes_or_not(both):
    assert both.texts("name").rows() == [("B", None, "b"), ("D", "d", "d"), ("N", None, "new")]
    assert both.texts("sku").rows() == [("B", "B", "B"), ("D", "D", "D"), ("N", None, "N")]
    assert both.numbers("price").rows() == [
        ("B", Decimal(2), Decimal(2)),
        ("D", Decimal(4), Decimal("4.5")),
        ("N", None, Decimal(9)),
    ]
    assert both.changed("stock").to_list() == [True, False, True]


def test_asking_for_numbers_leaves_the_texts_as_they_are(both):
    before = both.texts("price").clone()
    both.numbers("price")
    assert both.texts("price").equals(before)


def test_cells_and_items_may_stand_in_any_order(both):
    mixed = replace(both.changes, items=both.changes.items.reverse(), cells=both.changes.cells.reverse())
    for name in ("name", "price", "stock"):
        assert BeforeAfter(mixed, both.live).texts(name).sort("key").equals(both.texts(name).sort("key"))


def test_of_an_item_that_a_newer_export_has_twice_the_first_one_counts(tmp_path, both):
    newer = read_table(write_table(tmp_path / "newer.csv", [HEADER, ["D", "x", "7.00", "1"], *LIVE[1:], LIVE[4]]))
    seen = BeforeAfter(both.changes, newer)
    assert seen.affected_items.select("key", "row").rows() == [("B", 2), ("D", 0), ("N", None)]
    assert seen.texts("name").filter(pl.col("key") == "D").rows() == [("D", "x", "x")]
