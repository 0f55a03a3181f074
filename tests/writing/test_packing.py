import polars as pl
from hypothesis import given
from hypothesis import strategies as st

from helpers import write_table
from neat_delta.changes import compare
from neat_delta.reading import read_both
from neat_delta.writing.packing import pack

HEADER = ["name", "sku", "price", "stock"]
LIVE = [HEADER, *([f"n{at}", f"S{at}", "1.00", "5"] for at in range(6))]


def packed(tmp_path, edits):
    """The tables for a live export in which some cells (item, column) are edited."""
    edited = [list(row) for row in LIVE]
    for item, column in edits:
        edited[item + 1][HEADER.index(column)] = {"name": "new", "price": "2.00", "stock": "7"}[column]
    a, b = write_table(tmp_path / "live.csv", LIVE), write_table(tmp_path / "edited.csv", edited)
    live, sheet = read_both(a, b)
    changes = compare(live, sheet).changes
    return changes, pack(changes, live)


def test_columns_and_rows_keep_the_order_of_the_live_export(tmp_path):
    _, (table,) = packed(tmp_path, [(4, "stock"), (4, "name"), (1, "name"), (1, "stock")])

    assert table.columns == ["name", "sku", "stock"]
    assert table.cells["sku"].to_list() == ["S1", "S4"]


def test_the_longest_table_comes_first(tmp_path):
    _, tables = packed(tmp_path, [(0, "price"), (1, "stock"), (2, "stock")])

    assert [(table.columns, len(table.cells)) for table in tables] == [(["sku", "stock"], 2), (["sku", "price"], 1)]


def test_nothing_packs_to_nothing(tmp_path):
    assert packed(tmp_path, [])[1] == []


edits = st.sets(st.tuples(st.integers(0, 5), st.sampled_from(["name", "price", "stock"])), min_size=1)


@given(edits)
def test_no_table_has_a_hole_and_every_change_is_in_one(tmp_path_factory, edits):
    changes, tables = packed(tmp_path_factory.mktemp("pack"), edits)

    long = [table.cells.unpivot(index="sku", variable_name="field", value_name="now") for table in tables]
    cells = pl.concat(long).sort("sku", "field")
    assert cells["now"].null_count() == 0
    assert cells.rows() == changes.cells.select(sku="key", field="field", now="now").sort("sku", "field").rows()
