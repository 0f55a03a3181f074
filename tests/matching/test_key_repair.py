"""Rows whose key a spreadsheet program has changed go to their item, if nothing speaks against it."""

import pytest

from helpers import write_table
from neat_delta.diff.compare import CompareOptions, compare
from neat_delta.reading import read_pair

HEAD = ["sku", "name", "price", "stock"]


def item(code, at):
    return [code, f"Hive {at}", f"{at}.50", str(at * 3)]


def compared(folder, live, edited, head=HEAD, **options):
    tables = read_pair(
        *(write_table(folder / name, [head, *rows]) for name, rows in (("l.csv", live), ("e.csv", edited)))
    )
    result = compare(*tables, CompareOptions(**options))
    findings = result.changes.findings
    return set(result.changes.cells.select("key", "field", "now").rows()), findings


@pytest.mark.parametrize(
    ("live", "edited"),
    [
        *(("000417", "417"), ("1.10", "1.1"), ("+49", "49"), ("2E3", "2000"), ("2E3", "2.00E+03"), (" 12", "12")),
        *(("12.50", "12,5"), ("1.234", "1234"), ("3/4", "03/04/26"), ("MAR-1", "03/01/2026"), ("May-24", "2026-05-24")),
        *(("10:30", "10:30:00"), ("Größe-1", "GrÃ¶ÃŸe-1"), ("Løg-1", "L?g-1"), ("41123456", "4.11E+07")),
        *(("12345678901234567", "12345678901234600"), ("9521234567899", "9.52E+12"), ("ab-1", "AB-1")),
    ],
)
def test_a_key_that_a_program_explains_is_matched_if_the_row_agrees(tmp_path, live, edited):
    rows = [item(live, 1), item("ZZ", 2)]
    changed = [[edited, *rows[0][1:2], "9.90", rows[0][3]], rows[1]]

    cells, findings = compared(tmp_path, rows, changed)

    assert cells == {(live, "price", "9.90")}
    assert findings["code"].to_list() == ["repaired SKU"]
    assert findings["level"].to_list() == ["warning"]


def test_a_row_that_does_not_agree_is_named_with_the_item_it_may_be(tmp_path):
    rows = [item("000417", 1), item("ZZ", 2)]

    cells, findings = compared(tmp_path, rows, [["417", "Smoker", "77.00", "500"], rows[1]])

    assert cells == set()
    assert "000417" in findings.filter(code="damaged SKU")["message"].item()


def test_in_a_file_of_prices_alone_the_other_rows_speak_for_an_edited_one(tmp_path):
    live = [[f"{at:06}", f"{at}.50"] for at in range(1, 31)]
    edited = [[str(at), "99.00" if at == 7 else f"{at}.50"] for at in range(1, 31)]

    cells, findings = compared(tmp_path, live, edited, ["sku", "price"])

    assert cells == {("000007", "price", "99.00")}
    assert set(findings["code"]) == {"repaired SKU"}


def test_of_two_items_that_come_back_as_one_the_rest_of_the_row_decides(tmp_path):
    """1.1 and 1.10 are both "1.1" to a program; here only the row of 1.10 is in the file."""
    live = [item("1.1", 1), item("1.10", 5), item("ZZ", 2)]

    cells, findings = compared(tmp_path, live, [["1.1", "Hive 5", "6.00", "15"], live[2]])

    assert cells == set()
    assert "those of 1.10" in findings.filter(code="damaged SKU")["message"].item()


def test_both_of_them_in_the_file_are_duplicates(tmp_path):
    live = [item("1.1", 1), item("1.10", 5)]

    cells, findings = compared(tmp_path, live, [["1.1", *live[0][1:]], ["1.1", *live[1][1:]]])

    assert cells == set()
    assert "duplicate SKU" in set(findings["code"])


def test_new_items_are_no_damaged_ones(tmp_path):
    rows = [item("000417", 1), item("ZZ", 2)]

    cells, findings = compared(tmp_path, rows, [*rows, item("418", 9)], add_new=True)

    assert {key for key, _, _ in cells} == {"418"}
    assert "damaged SKU" not in set(findings["code"])
