from dataclasses import replace

import polars as pl
import pytest
from hypothesis import given
from hypothesis import strategies as st

from helpers import write_table
from neat_delta.changeset.invert import invert
from neat_delta.diff.compare import compare
from neat_delta.matching import KEY_SEPARATOR
from neat_delta.reading import read_pair, read_table
from neat_delta.update.field_sets import WAYS, FillRules, field_sets, merge_sets
from neat_delta.update.packing import costs, pack

HEADER = ["name", "sku", "price", "stock"]
LIVE = [HEADER, *([f"n{at}", f"S{at}", "1.00", "5"] for at in range(6))]


def packed(tmp_path, edits):
    """The tables for a live export in which some cells (item, column) are edited."""
    edited = [list(row) for row in LIVE]
    for item, column in edits:
        edited[item + 1][HEADER.index(column)] = {"name": "new", "price": "2.00", "stock": "7"}[column]
    a, b = write_table(tmp_path / "live.csv", LIVE), write_table(tmp_path / "edited.csv", edited)
    live, sheet = read_pair(a, b)
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
    changes, _ = packed(tmp_path, [])
    live = read_table(tmp_path / "live.csv")

    assert [pack(changes, live, strategy=way) for way in WAYS] == [[], [], []]


edits = st.sets(st.tuples(st.integers(0, 5), st.sampled_from(["name", "price", "stock"])), min_size=1)


@given(edits)
def test_no_table_has_a_hole_and_every_change_is_in_one(tmp_path_factory, edits):
    changes, tables = packed(tmp_path_factory.mktemp("pack"), edits)

    long = [table.cells.unpivot(index="sku", variable_name="field", value_name="now") for table in tables]
    cells = pl.concat(long).sort("sku", "field")
    assert cells["now"].null_count() == 0
    assert cells.rows() == changes.cells.select(sku="key", field="field", now="now").sort("sku", "field").rows()


@given(edits, st.sampled_from(["fewest-cells", "balanced", "fewest-files"]), st.randoms())
def test_the_tables_are_the_same_in_whatever_order_the_cells_stand(tmp_path_factory, edits, way, dice):
    folder = tmp_path_factory.mktemp("pack")
    changes, _ = packed(folder, edits)
    live, _ = read_pair(folder / "live.csv", folder / "edited.csv")
    mixed = replace(changes, cells=changes.cells.sample(fraction=1, shuffle=True, seed=dice.randrange(99)))

    one, other = (
        {tuple(table.columns): table.cells for table in pack(told, live, strategy=way)} for told in (changes, mixed)
    )

    assert one.keys() == other.keys()
    assert all(one[columns].equals(other[columns]) for columns in one)


@given(st.lists(st.tuples(st.sets(st.sampled_from("abcdefgh"), min_size=1), st.integers(1, 400)), min_size=1))
def test_a_file_less_is_never_bought_too_dear(sets):
    sizes = {KEY_SEPARATOR.join(sorted(names)): rows for names, rows in sets}
    wanted = sum(rows * len(one.split(KEY_SEPARATOR)) for one, rows in sizes.items())

    groups = merge_sets(sizes, "balanced")

    assert sorted(one for group in groups for one in group) == sorted(sizes)
    unwanted = 0
    for group in groups:
        union = {name for one in group for name in one.split(KEY_SEPARATOR)}
        unwanted += sum(sizes[one] * (len(union) - len(one.split(KEY_SEPARATOR))) for one in group)
    assert unwanted <= (len(sizes) - len(groups)) * max(20, wanted // 100)
    assert len(merge_sets(sizes, "fewest-files")) == 1
    assert len(merge_sets(sizes, "fewest-cells")) == len(sizes)


@given(edits)
def test_the_sets_of_the_way_back_are_those_of_the_change_set_turned(tmp_path_factory, edits):
    changes, _ = packed(tmp_path_factory.mktemp("pack"), edits)

    turned, back = field_sets(changes).inverted(), field_sets(invert(changes))

    assert turned.names == back.names
    assert all(getattr(turned, name).equals(getattr(back, name)) for name in ("keys", "cells", "number"))


def test_holes_are_filled_with_what_is_there(tmp_path):
    changes, _ = packed(tmp_path, [(0, "price"), (1, "stock"), (2, "name")])
    live, _ = read_pair(tmp_path / "live.csv", tmp_path / "edited.csv")

    (table,) = pack(changes, live, strategy="fewest-files")

    assert table.cells.rows() == [("n0", "S0", "2.00", "5"), ("n1", "S1", "1.00", "7"), ("new", "S2", "1.00", "5")]
    assert [(cost.strategy, cost.files, cost.extra_cells) for cost in costs(changes, live)] == [
        ("fewest-cells", 3, 0), ("balanced", 1, 6), ("fewest-files", 1, 6),
    ]  # fmt: skip


def test_holes_stay_blank_where_a_blank_leaves_a_field_alone(tmp_path):
    changes, _ = packed(tmp_path, [(0, "price"), (1, "stock"), (2, "name")])
    live, _ = read_pair(tmp_path / "live.csv", tmp_path / "edited.csv")
    holes = FillRules(leaves=True)

    (table,) = pack(changes, live, strategy="fewest-cells", holes=holes)

    assert table.cells.rows() == [("", "S0", "2.00", ""), ("", "S1", "", "7"), ("new", "S2", "", "")]
    assert table.filled == {}
    assert {(cost.files, cost.extra_cells) for cost in costs(changes, live, holes=holes)} == {(1, 0)}


@pytest.mark.parametrize("way", ["balanced", "fewest-files"])
def test_money_stock_and_the_like_are_never_filled(tmp_path, way):
    changes, _ = packed(tmp_path, [(0, "price"), (1, "stock"), (2, "name")])
    live, _ = read_pair(tmp_path / "live.csv", tmp_path / "edited.csv")
    holes = FillRules(never=frozenset(["price", "stock"]))

    tables = pack(changes, live, strategy=way, holes=holes)

    assert sorted(table.columns for table in tables) == [["name", "sku"], ["sku", "price"], ["sku", "stock"]]
    assert all(table.filled == {} for table in tables)
