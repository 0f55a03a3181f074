"""SKUs for new items by a pattern, counted on from the shop's."""

import pytest

from helpers import write_table
from neat_delta.base.errors import InvalidOption
from neat_delta.diff.compare import CompareOptions
from neat_delta.reading import read_pair
from neat_delta.tables.settings import SupplierProfile
from neat_delta.workflows.plan import PlanOptions, plan_comparison

LIVE = [
    ["sku", "ean", "name"],
    ["KT-0007", "1", "a"],
    ["KT-12", "2", "b"],
    ["QX-0099", "3", "c"],
    ["KT-0100-B", "4", "d"],
]


def new_items(folder, sheet, pattern, match_on=(), add_new=True):
    tables = read_pair(write_table(folder / "live.csv", LIVE), write_table(folder / "sheet.csv", sheet))
    options = PlanOptions(CompareOptions(add_new=add_new), SupplierProfile(new_sku=pattern, match_on=match_on))
    result, _ = plan_comparison(*tables, options)
    return dict(result.changes.items.filter(action="add").select("key", "name").iter_rows())


@pytest.mark.parametrize(
    ("pattern", "first"), [("KT-{number:4}", "KT-0013"), ("KT-{number}", "KT-13"), ("{number:6}", "000001"),
                           ("KT-{number:4}-B", "KT-0101-B")],
)  # fmt: skip
def test_numbers_count_on_and_given_skus_stay(tmp_path, pattern, first):
    sheet = [["sku", "name"], ["", "new one"], ["KT-12", "b"], ["ZZ-1", "given"], ["", "new two"]]
    found = new_items(tmp_path, sheet, pattern)
    assert (found.get(first), found.get("ZZ-1"), len(found)) == ("new one", "given", 3)


def test_a_number_that_the_sheet_uses_is_not_given_twice(tmp_path):
    found = new_items(tmp_path, [["sku", "name"], ["", "one"], ["KT-0013", "given"]], "KT-{number:4}")
    assert found == {"KT-0014": "one", "KT-0013": "given"}


def test_rows_that_another_field_names_get_no_new_number(tmp_path):
    found = new_items(tmp_path, [["ean", "name"], ["2", "b"], ["9", "new"]], "KT-{number:4}", match_on=("ean",))
    assert found == {"KT-0013": "new"}


@pytest.mark.parametrize("pattern", ["KT-", "{number}{number}", "KT-{numbr:4}"])
def test_patterns_that_will_not_do(tmp_path, pattern):
    with pytest.raises(InvalidOption, match="one number"):
        new_items(tmp_path, [["sku", "name"], ["", "x"]], pattern)


def test_without_new_items_it_is_refused(tmp_path):
    with pytest.raises(InvalidOption, match="no new items are added"):
        new_items(tmp_path, [["sku", "name"], ["", "x"]], "KT-{number}", add_new=False)
