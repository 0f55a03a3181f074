"""A row for each item and location beside a column for each location; and values that are added to the shop's."""

import pytest
from hypothesis import given
from hypothesis import strategies as st

from helpers import neat_delta, write_table
from neat_delta.base.errors import InvalidInput, InvalidOption
from neat_delta.diff.compare import CompareOptions
from neat_delta.reading import read_pair
from neat_delta.tables.settings import FieldSettings, Settings, SupplierProfile
from neat_delta.workflows.plan import PlanOptions, plan_comparison

PLACES = {"harbour": "stock_harbour", "barn": "stock_barn"}
BY = {"stock": FieldSettings(by="location", columns=PLACES)}
WIDE = [["sku", "name", *PLACES.values()], ["A-1", "lid", "3", "5"], ["B-2", "jar", "7", ""], ["C-3", "wax", "", "12"]]
LONG = [
    ["sku", "location", "stock"],
    *([row[0], place, row[2 + at]] for row in WIDE[1:] for at, place in enumerate(PLACES)),
]
NOTHING = SupplierProfile()
CONFIG = """
[fields.stock]
by = "location"
columns = { harbour = "stock_harbour", barn = "stock_barn" }
"""


def planned(folder, live, edited, key=("sku",), profile=NOTHING, fields=BY, **more):
    tables = read_pair(write_table(folder / "live.csv", live), write_table(folder / "edited.csv", edited))
    options = CompareOptions(settings=Settings(key=key, fields=fields), **more)
    return plan_comparison(*tables, PlanOptions(options, profile))[0]


def changed(result):
    return {(key, field): now for key, field, now in result.changes.cells.select("key", "field", "now").iter_rows()}


def errors(result):
    return result.changes.findings.filter(level="error")["message"].to_list()


@given(st.lists(st.sampled_from(["", "0", "3", "8", "15"]), min_size=6, max_size=6))
def test_a_long_sheet_changes_a_wide_export_just_as_a_wide_one_does(tmp_path_factory, stock):
    folder = tmp_path_factory.mktemp("long")
    rows = [[*row[:2], *stock[2 * at : 2 * at + 2]] for at, row in enumerate(WIDE[1:])]
    long = [["Location", "SKU", "Stock"]]
    long += [[place, row[0], row[2 + at]] for at, place in enumerate(PLACES) for row in rows]
    assert changed(planned(folder, WIDE, long)) == changed(planned(folder, WIDE, [WIDE[0], *rows]))


@given(st.lists(st.sampled_from(["", "0", "3", "8", "15"]), min_size=6, max_size=6))
def test_a_wide_sheet_changes_a_long_export_just_as_a_long_one_does(tmp_path_factory, stock):
    folder = tmp_path_factory.mktemp("wide")
    rows = [[*row[:2], *stock[2 * at : 2 * at + 2]] for at, row in enumerate(WIDE[1:])]
    long = [LONG[0], *([row[0], place, row[2 + at]] for row in rows for at, place in enumerate(PLACES))]
    key = ("sku", "location")
    assert changed(planned(folder, LONG, [WIDE[0], *rows], key)) == changed(planned(folder, LONG, long, key))


def test_the_update_goes_in_the_shops_own_shape(tmp_path):
    (tmp_path / "catalogue.toml").write_text('key = ["sku", "location"]\n' + CONFIG)
    write_table(tmp_path / "live.csv", LONG)
    write_table(tmp_path / "edited.csv", [WIDE[0], ["A-1", "lid", "3", "9"], *WIDE[2:]])
    made = neat_delta("compare", "live.csv", "edited.csv", "--write", "up", "--ignore", "large change", cwd=tmp_path)
    assert "proved" in made.stdout, made.stdout + made.stderr
    assert (tmp_path / "up" / "01-changes.csv").read_text() == "sku,location,stock\nA-1,barn,9\n"


def test_unknown_places_are_listed_with_candidates_and_remembered(tmp_path):
    sheet = [LONG[0], ["A-1", "Harbor", "4"], ["B-2", "quay", "4"], ["C-3", "", "4"]]
    told = errors(planned(tmp_path, WIDE, sheet))
    assert any("unknown location 'Harbor' (did you mean harbour?)" in text for text in told)
    assert any("unknown location 'quay' (known: harbour, barn)" in text for text in told)
    assert any("the row has no location" in text for text in told)
    known = SupplierProfile(values={"location": {"Harbor": "harbour", "quay": "barn"}})
    assert changed(planned(tmp_path, WIDE, sheet[:3], profile=known)) == {
        ("A-1", "stock_harbour"): "4", ("B-2", "stock_barn"): "4",
    }  # fmt: skip


def test_columns_of_other_names_are_mapped(tmp_path):
    sheet = [["Artikel", "Lager", "Menge"], ["A-1", "harbour", "4"]]
    profile = SupplierProfile(columns={"Artikel": "sku", "Lager": "location", "Menge": "stock"})
    assert changed(planned(tmp_path, WIDE, sheet, profile=profile)) == {("A-1", "stock_harbour"): "4"}


def test_two_values_for_one_place_are_an_error_and_neither_is_taken(tmp_path):
    sheet = [
        LONG[0],
        ["A-1", "barn", "4"],
        ["A-1", "barn", "6"],
        ["A-1", "harbour", "8"],
        ["B-2", "barn", "1"],
        ["B-2", "barn", "1"],
    ]
    result = planned(tmp_path, WIDE, sheet)
    assert changed(result) == {("A-1", "stock_harbour"): "8", ("B-2", "stock_barn"): "1"}
    assert any("several rows with different values for stock_barn" in text for text in errors(result))


def test_what_differs_among_the_rows_of_an_item_is_refused(tmp_path):
    sheet = [["sku", "location", "stock", "name"], ["A-1", "barn", "4", "lid"], ["A-1", "harbour", "4", "cap"]]
    with pytest.raises(InvalidInput, match="line 3, column name, value 'cap': this column has several values"):
        planned(tmp_path, WIDE, sheet)


def test_a_missing_row_empties_nothing(tmp_path):
    with pytest.raises(InvalidOption, match="blank cells cannot clear fields here"):
        planned(tmp_path, WIDE, LONG[:2], clear_blanks=True)


def test_what_differs_by_place_in_a_long_export_is_not_taken_from_a_wide_sheet(tmp_path):
    live = [["sku", "location", "stock", "bin"], ["A-1", "harbour", "3", "H1"], ["A-1", "barn", "5", "B1"]]
    sheet = [["sku", "stock_harbour", "stock_barn", "bin"], ["A-1", "4", "5", "H1"]]
    assert changed(planned(tmp_path, live, sheet, ("sku", "location"))) == {("A-1\x1fharbour", "stock"): "4"}


def test_setup_sees_a_long_export(tmp_path):
    write_table(tmp_path / "live.csv", LONG)
    made = neat_delta("setup", "live.csv", cwd=tmp_path)
    drafted = (tmp_path / "catalogue.toml").read_text()
    assert (made.returncode, 'key = ["sku", "location"]' in drafted) == (0, True), made.stderr
    assert '# by = "location"\n# columns = { ' in drafted
    text = drafted.replace('# by = "location"', 'by = "location"').replace("# columns = { ", "columns = { ")
    (tmp_path / "catalogue.toml").write_text(text)
    write_table(tmp_path / "edited.csv", [WIDE[0], ["A-1", "lid", "3", "9"]])
    assert "changed 1" in neat_delta("compare", "live.csv", "edited.csv", cwd=tmp_path).stdout


@pytest.mark.parametrize("long", [False, True])
def test_a_delivery_is_added(tmp_path, long):
    sheet = [["sku", "stock_harbour"], ["A-1", "+8"], ["B-2", "-2"], ["C-3", ""]]
    if long:
        sheet = [LONG[0], ["A-1", "harbour", "+8"], ["B-2", "harbour", "-2"]]
    profile = SupplierProfile(added=("stock" if long else "stock_harbour",))
    result = planned(tmp_path, WIDE, sheet, profile=profile)
    assert changed(result) == {("A-1", "stock_harbour"): "11", ("B-2", "stock_harbour"): "5"}


def test_what_is_no_number_adds_nothing_unseen(tmp_path):
    result = planned(
        tmp_path,
        WIDE,
        [["sku", "stock_harbour"], ["A-1", "two"], ["B-2", "0"]],
        profile=SupplierProfile(added=("stock_harbour",)),
    )
    assert changed(result) == {}
    assert any("file.stock_harbour is 'two'" in text for text in errors(result))
    with pytest.raises(InvalidOption, match="no such field"):
        planned(tmp_path, WIDE, LONG, profile=SupplierProfile(added=("stok",)))
