import random
from collections import Counter
from dataclasses import replace

import polars as pl
from hypothesis import given
from hypothesis import strategies as st

from helpers import write_table
from neat_delta.changeset.invert import invert
from neat_delta.diff.compare import compare
from neat_delta.matching import KEY_SEPARATOR
from neat_delta.reading import read_pair, read_table
from neat_delta.update.field_sets import ONE_FILE, WAYS, FillRules, field_sets
from neat_delta.update.file_plan import plan_files
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

    assert [pack(changes, live, strategy=way) for way in WAYS] == [[], []]


edits = st.sets(st.tuples(st.integers(0, 5), st.sampled_from(["name", "price", "stock"])), min_size=1)


@given(edits)
def test_no_table_has_a_hole_and_every_change_is_in_one(tmp_path_factory, edits):
    changes, tables = packed(tmp_path_factory.mktemp("pack"), edits)

    long = [table.cells.unpivot(index="sku", variable_name="field", value_name="now") for table in tables]
    cells = pl.concat(long).sort("sku", "field")
    assert cells["now"].null_count() == 0
    assert cells.rows() == changes.cells.select(sku="key", field="field", now="now").sort("sku", "field").rows()


@given(edits, st.sampled_from(WAYS), st.randoms())
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


def cost(files, sizes):
    return 50 * len(files) + sum(sizes[one] for file in files for one in file.sets)


sets_of_fields = st.lists(st.tuples(st.sets(st.sampled_from("abcdefgh"), min_size=1), st.integers(1, 400)), min_size=1)


@given(sets_of_fields)
def test_exact_files_have_each_cell_once_and_are_no_more_than_the_fields(sets):
    sizes = {KEY_SEPARATOR.join(sorted(names)): rows for names, rows in sets}
    fields = {name for one in sizes for name in one.split(KEY_SEPARATOR)}

    files = plan_files(sizes)

    for one in sizes:
        cells = [name for file in files if one in file.sets for name in file.fields]
        assert sorted(cells) == one.split(KEY_SEPARATOR)
    assert len(files) <= len(fields)
    of_each_field = sum(rows * len(one.split(KEY_SEPARATOR)) for one, rows in sizes.items())
    assert cost(files, sizes) <= 50 * len(fields) + of_each_field
    if len(sizes) <= len(fields):
        assert cost(files, sizes) <= 50 * len(sizes) + sum(sizes.values())
    assert set(files) == set(plan_files(dict(reversed(sizes.items()))))


@given(sets_of_fields, st.sets(st.sampled_from("abcdefgh")))
def test_one_file_never_fills_what_must_not_be_filled(sets, never):
    sizes = {KEY_SEPARATOR.join(sorted(names)): rows for names, rows in sets}
    files = plan_files(sizes, ONE_FILE, FillRules(never=frozenset(never)))

    for file in files:
        assert all(name in one.split(KEY_SEPARATOR) for one in file.sets for name in never.intersection(file.fields))
    for one in sizes:
        cells = [name for file in files if one in file.sets for name in file.fields]
        assert len(cells) == len(set(cells))
        assert set(one.split(KEY_SEPARATOR)) <= set(cells)
    changing = {name for one in sizes for name in one.split(KEY_SEPARATOR)}
    assert len(files) <= len(never & changing) + bool(changing - never)


def test_hundreds_of_sets_of_ten_fields_are_ten_files():
    dice = random.Random(7)
    sets = (KEY_SEPARATOR.join(sorted(dice.sample("abcdefghij", dice.randint(1, 10)))) for _ in range(500))
    assert len(plan_files(dict(Counter(sets)))) == 10


def test_a_set_gets_a_file_of_its_own_where_that_saves_more_rows_than_a_file_is_worth():
    sizes = {"a": 100, "b\x1fc": 200, "a\x1fb\x1fc": 300, "d": 1, "b\x1fd": 1}
    assert {(file.fields, len(file.sets)) for file in plan_files(sizes)} == {
        (("a",), 2), (("b", "c"), 2), (("b", "d"), 1), (("d",), 1),
    }  # fmt: skip


def test_an_item_of_two_files_has_the_new_value_of_a_required_field_in_both(tmp_path):
    edits = [(at, "price") for at in range(4)] + [(at, "stock") for at in range(2, 6)] + [(3, "name")]
    changes, _ = packed(tmp_path, edits)
    live, _ = read_pair(tmp_path / "live.csv", tmp_path / "edited.csv")

    tables = pack(changes, live, ["name"])

    names = {(code, name) for table in tables for code, name in table.cells.select("sku", "name").iter_rows()}
    assert len(tables) == 3
    assert names == {(f"S{at}", "new" if at == 3 else f"n{at}") for at in range(6)}


@given(edits)
def test_the_sets_of_the_way_back_are_those_of_the_change_set_turned(tmp_path_factory, edits):
    changes, _ = packed(tmp_path_factory.mktemp("pack"), edits)

    turned, back = field_sets(changes).inverted(), field_sets(invert(changes))

    assert turned.names == back.names
    assert all(getattr(turned, name).equals(getattr(back, name)) for name in ("keys", "cells", "number"))


def test_holes_are_filled_with_what_is_there(tmp_path):
    changes, _ = packed(tmp_path, [(0, "price"), (1, "stock"), (2, "name")])
    live, _ = read_pair(tmp_path / "live.csv", tmp_path / "edited.csv")

    (table,) = pack(changes, live, strategy="one-file")

    assert table.cells.rows() == [("n0", "S0", "2.00", "5"), ("n1", "S1", "1.00", "7"), ("new", "S2", "1.00", "5")]
    assert [(cost.strategy, cost.files, cost.extra_cells) for cost in costs(changes, live)] == [
        ("exact", 3, 0), ("one-file", 1, 6),
    ]  # fmt: skip


def test_holes_stay_blank_where_a_blank_leaves_a_field_alone(tmp_path):
    changes, _ = packed(tmp_path, [(0, "price"), (1, "stock"), (2, "name")])
    live, _ = read_pair(tmp_path / "live.csv", tmp_path / "edited.csv")
    holes = FillRules(leaves=True)

    (table,) = pack(changes, live, strategy="exact", holes=holes)

    assert table.cells.rows() == [("", "S0", "2.00", ""), ("", "S1", "", "7"), ("new", "S2", "", "")]
    assert table.filled == {}
    assert {(cost.files, cost.extra_cells) for cost in costs(changes, live, holes=holes)} == {(1, 0)}


def test_money_stock_and_the_like_are_never_filled(tmp_path):
    changes, _ = packed(tmp_path, [(0, "price"), (1, "stock"), (2, "name")])
    live, _ = read_pair(tmp_path / "live.csv", tmp_path / "edited.csv")
    holes = FillRules(never=frozenset(["price", "stock"]))

    tables = pack(changes, live, strategy="one-file", holes=holes)

    assert sorted(table.columns for table in tables) == [["name", "sku"], ["sku", "price"], ["sku", "stock"]]
    assert all(table.filled == {} for table in tables)
