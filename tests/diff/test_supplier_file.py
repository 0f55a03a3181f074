from dataclasses import replace

import pytest

from helpers import write_table
from neat_delta.base.errors import InvalidInput, InvalidOption
from neat_delta.checks import run_checks
from neat_delta.diff.compare import CompareOptions, with_findings
from neat_delta.diff.supplier_file import compare_supplier_file
from neat_delta.reading import read_pair
from neat_delta.tables.settings import FieldSettings, Settings, SupplierProfile

LIVE = [
    ["sku", "supplier_code", "name", "price", "cost", "stock", "room"],
    ["A", "S-1", "Smoker", "12.50", "7.00", "3", "main"],
    ["B", "S-2", "Veil", "13.00", "6.50", "0", "main"],
    ["C", "S-3", "Glove", "8.75", "4.00", "40", "barn"],
    ["D", "S-3", "Glove, left", "8.75", "4.00", "40", "barn"],
]
HEADER = ["No.", "Article", "Dealer net", "On hand"]
ROWS = [["S-1", "Smoker X", "7,50", "9"], ["S-2", "Veil X", "n/a", "1"], ["S-9", "New", "1,00", "1"]]
NO_OPTIONS = CompareOptions()
COLUMNS = {"No.": "supplier_code", "Dealer net": "cost"}


@pytest.fixture
def listed(tmp_path):
    """The changes that a list makes, by item and field; the comparison; the matches of its columns."""

    def run(header=HEADER, rows=ROWS, options=NO_OPTIONS, fields=None, live=LIVE, **told):
        a = write_table(tmp_path / "live.csv", live)
        b = write_table(tmp_path / "file.csv", [header, *rows], delimiter=";")
        options = replace(options, settings=Settings(fields=fields or {}))
        seen, matches = compare_supplier_file(*read_pair(a, b), SupplierProfile(**told), options)
        return {(key, field): now for key, field, _, now in seen.changes.cells.iter_rows()}, seen, matches

    return run


def test_a_list_is_matched_on_another_field_and_only_its_matched_columns_count(listed):
    changes, seen, matches = listed(columns=COLUMNS, match_on=("supplier_code",))

    assert changes == {("A", "cost"): "7.50"}
    assert [(match.column, match.field, match.first) for match in matches] == [
        ("No.", "supplier_code", "S-1"), ("Article", None, "Smoker X"), ("Dealer net", "cost", "7,50"),
        ("On hand", None, "9"),
    ]  # fmt: skip
    assert seen.rows_in("new")["key"].to_list() == ["supplier_code S-9"]
    assert seen.changes.head.key == ("sku",)


def test_a_code_that_several_items_share_finds_none_of_them(listed):
    rows = [["S-1", "Smoker", "7,00", "3"], ["S-3", "Glove", "3,00", "1"]]

    changes, seen, _ = listed(
        rows=rows, options=CompareOptions(delete_at_most=9), columns=COLUMNS, match_on=("supplier_code",)
    )

    # The two items that the row may be seem gone, but neither they nor any other is removed.
    assert changes == {}
    assert seen.rows_in("rejected")["key"].to_list() == ["supplier_code S-3"]
    assert [message[:60] for message in seen.changes.findings.filter(level="error")["message"]] == [
        "several shop items have this supplier_code. Map it to one SK",
        "Rows of the edited file that match no item: 1. They may belo",
    ]


def test_two_fields_name_an_item_together_and_case_and_zeros_in_front_do_not_matter_where_one_item_fits(listed):
    live = [
        ["sku", "brand", "model", "barcode", "stock"],
        ["A", "Oakdale", "100", "0012345678905", "1"],
        ["B", "Rowan", "100", "0098765432109", "2"],
        ["C", "Rowan", "200", "4006381333931", "3"],
    ]
    rows = [["OAKDALE", "100", "7"], ["Rowan ", "200", "8"], ["Rowan", "300", "9"]]

    changes, seen, _ = listed(["brand", "model", "stock"], rows, live=live, match_on=("brand", "model"))

    assert changes == {("A", "stock"): "7", ("C", "stock"): "8"}
    assert seen.rows_in("new")["key"].to_list() == ["brand + model Rowan + 300"]
    changes, _, _ = listed(["barcode", "stock"], [["12345678905", "7"]], live=live, match_on=("barcode",))
    assert changes == {("A", "stock"): "7"}


def test_an_item_that_a_list_has_no_name_for_is_not_gone_from_it(listed):
    live = [*LIVE, ["E", " ", "Own make", "9.00", "4.00", "1", "barn"]]
    rows = [["S-1", "", "", ""], ["S-3", "", "", ""]]
    told = {"columns": COLUMNS, "match_on": ("supplier_code",), "codes": {"S-3": "C"}}

    _, seen, _ = listed(rows=rows, options=CompareOptions(delete_at_most=2), live=live, **told)

    assert seen.changes.keys_with_action("remove")["key"].to_list() == ["B", "D"]


def test_a_row_named_by_another_field_becomes_an_item_only_under_a_code_of_ours(listed):
    told = {"columns": {"No.": "supplier_code", "Article": "name"}, "match_on": ("supplier_code",)}
    rows = [["S-8", "Hive tool", "1", "1"], ["S-9", "New", "1", "1"], ["S-1", "Smoker", "1", "1"]]

    changes, seen, _ = listed(rows=rows, options=CompareOptions(add_new=True), codes={"S-9": "N"}, **told)

    assert changes == {("N", "supplier_code"): "S-9", ("N", "name"): "New"}
    assert seen.changes.keys_with_action("add")["key"].to_list() == ["N"]
    assert seen.changes.findings.filter(level="error").select("code", "value").rows() == [("no SKU", "S-8")]
    assert seen.changes.counts["rejected"] == 1


def test_of_rows_out_of_scope_nothing_is_said(listed):
    options = CompareOptions(where="name = 'Smoker'", repair_keys=True)
    rows = [["A", "8,00"], ["B", "n/a"], [" c", ""], ["D", "1,00"]]

    changes, seen, _ = listed(["sku", "Net"], rows, options, rules=("price = file.net * 2",))

    assert changes == {("A", "price"): "16.00"}
    assert seen.changes.findings["key"].to_list() == ["A"]
    assert seen.excluded == 3


def test_values_are_computed_from_the_list_and_the_live_item(listed):
    rules = ("price = round(file.cost * 1.6, 2)", "stock = greatest(file.on_hand - 2, 0) + live.stock")

    changes, seen, _ = listed(columns=COLUMNS, match_on=("supplier_code",), skip=("cost",), rules=rules)

    assert changes == {("A", "price"): "12.00", ("A", "stock"): "10"}
    stopped = seen.changes.findings.filter(level="error")
    assert stopped.select("key", "field", "value").rows() == [("B", "price", "cost –")]
    kept = seen.changes.findings.filter(code="computed").select("field", "value").rows()
    assert kept == [("price", "cost 7.5"), ("stock", "on_hand 9, live stock 3")]


def test_a_rule_reads_its_own_item_though_codes_are_repeated_on_both_sides(listed):
    live = [
        LIVE[0],
        ["T", "S-8", "Twin", "1.00", "1.00", "1", "main"],
        ["T", "S-8", "Twin", "5.00", "1.00", "1", "main"],
    ]
    rows = [["T", "1"], ["A", "2"], ["A", "2"], ["B", "2"]]

    cells, *_ = listed(
        ["sku", "times"],
        rows,
        CompareOptions(key=["sku"]),
        live=[*live, *LIVE[1:]],
        rules=("price = live.price * file.times",),
    )

    assert cells == {("A", "price"): "25.00", ("B", "price"): "26.00"}


def test_thousands_and_decimals_of_computed_numbers_are_not_confused(listed):
    rows = [["S-1", "x", "1.234,567", "1"], ["S-2", "x", "0,125", "1"]]

    changes, _, _ = listed(rows=rows, columns=COLUMNS, match_on=("supplier_code",), rules=("price = file.cost * 1000",))

    assert changes[("A", "price")] == "1234567.00"
    assert changes[("B", "price")] == "125.00"


def test_a_column_without_any_value_gives_nothing_on_each_row(listed):
    changes, seen, _ = listed(["sku", "Net"], [["A", ""], ["B", " "]], rules=("price = round(file.net * 2, 2)",))

    assert changes == {}
    assert seen.changes.findings.filter(code="formula", level="error")["key"].to_list() == ["A", "B"]


def test_constants_and_answers_given_before(listed):
    told = {"columns": {"No.": "sku", "On hand": "stock"}, "constants": {"room": "barn"}}

    changes, _, _ = listed(codes={"S-1": "A", "S-2": "B"}, **told)

    assert changes == {("A", "stock"): "9", ("A", "room"): "barn", ("B", "stock"): "1", ("B", "room"): "barn"}


def test_aliases_match_and_a_column_can_be_left_out_by_its_own_name(listed):
    fields = {"cost": FieldSettings(aliases=("Dealer net", "Net")), "sku": FieldSettings(aliases=("No.",))}

    changes, _, _ = listed(["No.", "Dealer net", "Net"], [["A", "7.50", "1"]], fields=fields, skip=("net",))

    assert changes == {("A", "cost"): "7.50"}
    with pytest.raises(InvalidInput, match="two columns are mapped to the field"):
        listed(["No.", "Dealer net", "Net"], [["A", "7.50", "1"]], fields=fields)


@pytest.mark.parametrize(
    ("told", "reason"),
    [
        ({"columns": {"Dealer nett": "cost"}}, "no such column. Did you mean Dealer net?"),
        ({"columns": {"Dealer net": "costs"}}, "no such field. Did you mean cost?"),
        ({"skip": ("colour",)}, "skip colour: there is no such field or column"),
        ({"match_on": ("supplier_code",)}, "no such field of file.csv"),
        ({"match_on": ("gtin",)}, "no such field of live.csv"),
        (
            {"columns": {"No.": "sku"}, "constants": {"rom": "x"}},
            "constant rom=x: there is no such field. Did you mean room?",
        ),
        ({"columns": {"No.": "sku"}, "rules": ("price = file.net",)}, "there is no field file.net"),
        (
            {"columns": {"No.": "sku"}, "rules": ("price = file.article * 2",)},
            "Here file.article holds text.",
        ),
        ({"columns": {**COLUMNS, "Article": "sku"}, "rules": ("price = cost",)}, "cost may be live.cost or file.cost"),
    ],
)
def test_what_does_not_exist_is_refused_with_the_nearest_names(listed, told, reason):
    with pytest.raises(InvalidOption) as found:
        listed(**told)

    assert reason in str(found.value)


def test_new_items_have_rules_of_their_own_and_are_sent_whole_or_not_at_all(listed):
    header, rows = ["sku", "Article", "Net"], [["A", "x", "8,00"], ["N1", "New one", "5,00"], ["N2", "New two", "n/a"]]
    _, seen, _ = listed(
        header, rows, CompareOptions(add_new=True), rules=("price = file.net * 2",),
        rules_new=("price = ending(file.net * 2, .95)", "name = file.article", "stock = 0"),
    )  # fmt: skip

    cells = {(key, field): now for key, field, _, now in seen.changes.cells.iter_rows()}
    assert cells == {
        ("A", "price"): "16.00", ("N1", "price"): "9.95", ("N1", "name"): "New one", ("N1", "stock"): "0",
    }  # fmt: skip
    assert dict(seen.changes.items.select("key", "action").iter_rows()) == {"A": "change", "N1": "add", "N2": "none"}
    assert (seen.changes.counts["new"], seen.changes.counts["rejected"]) == (1, 1)


def test_new_items_get_skus_by_a_formula_but_none_that_an_item_has(listed):
    rows = [
        ["S-1", "Smoker", "7,50", "1"],
        ["S-8", "Hive", "5,00", "2"],
        ["A", "Veil", "1,00", "1"],
        ["S-3", "", "1,00", ""],
    ]
    told = {"columns": COLUMNS | {"Article": "name"}, "match_on": ("supplier_code",)}
    rule = "sku = replace(file.supplier_code, 'S-', 'X-')"

    changes, seen, _ = listed(rows=rows, options=CompareOptions(add_new=True), rules_new=(rule,), **told)

    assert changes[("X-8", "name")] == "Hive"
    assert seen.changes.keys_with_action("add")["key"].to_list() == ["X-8"]
    refused = seen.changes.findings.filter(level="error")["message"].to_list()
    assert refused == [
        f"{rule} gives A, which an item of the shop has",
        "several shop items have this supplier_code. Map it to one SKU",
    ]


def test_a_formula_that_reads_a_column_of_last_time_is_told_so(listed):
    with pytest.raises(InvalidOption, match=r"no field file\.net; the file had this column last time"):
        listed(["sku", "Nett"], [["A", "1"]], rules=("price = file.net",), drift_baseline={"Net": "text"})


def test_a_rule_for_new_items_leaves_a_rescued_row_alone(listed):
    _, seen, _ = listed(
        ["sku", "Net"], [[" a", "8,00"]], CompareOptions(add_new=True, repair_keys=True), rules_new=("stock = 77",)
    )

    assert seen.changes.cells.is_empty()
    assert seen.changes.findings["code"].to_list() == ["repaired SKU"]


def test_a_new_item_without_a_required_field_is_refused_by_name(listed):
    fields = {"room": FieldSettings(required=True)}
    _, seen, _ = listed(["sku", "name"], [["N1", "New one"]], CompareOptions(add_new=True), fields)
    found = run_checks(seen.changes, seen.live, Settings(fields=fields))

    assert found.select("code", "key", "field").rows() == [("required field", "N1", "room")]
    assert with_findings(seen, found).changes.keys_with_action("add").is_empty()


def test_remembered_answers_stand_for_codes_and_values(listed):
    changes, _, _ = listed(
        ["No.", "room"], [["S-9", "Scheune"], ["S-1", "main"]], columns={"No.": "supplier_code"},
        match_on=("supplier_code",), codes={"S-9": "B"}, values={"room": {"Scheune": "barn"}},
    )  # fmt: skip

    assert changes == {("B", "room"): "barn"}


@pytest.mark.parametrize(
    ("seen_before", "said"),
    [
        ({"sku": "text", "Net": "numbers about 0.08"}, "column Net held numbers about 0.08, holds numbers about 8"),
        ({"sku": "text", "Net": "text"}, "column Net held text, holds numbers about 8"),
        ({"sku": "text", "Net": "numbers about 7", "Pack": "text"}, "missing columns (present last time)"),
        ({"sku": "text", "Net": "numbers about 2"}, None),
    ],
)
def test_what_is_another_way_than_last_month_is_said(listed, seen_before, said):
    _, seen, _ = listed(["sku", "Net"], [["A", "8,00"], ["B", "8,50"]], drift_baseline=seen_before)

    found = seen.changes.findings.filter(code="file layout changed")["message"].to_list()
    assert [line.startswith(said) for line in found] == [True] if said else found == []
