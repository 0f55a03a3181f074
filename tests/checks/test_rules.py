import pytest

from helpers import write_table
from neat_delta.base.errors import InvalidOption
from neat_delta.changeset.head import Overrides
from neat_delta.checks import run_checks
from neat_delta.diff.compare import CompareOptions, compare, with_findings
from neat_delta.reading import read_pair
from neat_delta.tables.settings import CheckSettings, Condition, FieldSettings, ImportConfig, Settings

NOTHING_ALLOWED, NO_CHECKS = Overrides(), CheckSettings()
LIVE = [
    ["sku", "name", "price", "colour", "tags", "tax_class"],
    ["A", "Smoker", "12.50", "dark oak", "new|gift", "full"],
    ["B", "Veil", "13.00", "red", "gift", "full"],
    ["C", "Glove", "8.75", "red", "", "half"],
]


@pytest.fixture
def tried(tmp_path):
    """Compares the live table with a copy in which item A has other cells, and tries the changes out."""

    def run(cells, clear=False, imports=None, allowed=NOTHING_ALLOWED, checks=NO_CHECKS, **fields):
        settled = Settings(fields=fields, imports=imports or ImportConfig(), checks=checks)
        first = [cells.get(column, cell) for column, cell in zip(LIVE[0], LIVE[1], strict=True)]
        a = write_table(tmp_path / "live.csv", LIVE)
        b = write_table(tmp_path / "edited.csv", [LIVE[0], first, *LIVE[2:]])
        ours, edited = read_pair(a, b)
        seen = compare(ours, edited, CompareOptions(clear_blanks=clear, settings=settled))
        return with_findings(seen, run_checks(seen.changes, ours, settled, allowed))

    return run


@pytest.mark.parametrize(
    ("field", "cell", "told", "check", "said"),
    [
        ("tax_class", "half", {"locked": True}, "locked field", "locked field (catalogue.toml)"),
        ("name", "", {"required": True}, "required field", "required field cannot be empty"),
        ("name", "Smoker, large", {"length": 8}, "too long", "max. 8 characters"),
        ("price", "12.505", {"decimals": 2}, "too many decimals", "max. 2 decimals"),
        ("colour", "Dark  Oak", {"allowed": ("dark oak", "red")}, "unknown value", "did you mean 'dark oak'?"),
        ("colour", "reed", {"type": "choice"}, "unknown value", "no item has this category yet; did you mean 'red'?"),
        ("colour", "r", {"labels": {"dark oak": "Oak", "red": "Red"}}, "unknown value", "choose from: Oak, Red"),
        ("tags", "new|gitf", {"allowed": ("gift", "new"), "separator": "|"}, "unknown value", "did you mean 'gift'?"),
    ],
)
def test_a_cell_against_a_rule_is_held_back_and_the_rest_of_its_row_goes_on(tried, field, cell, told, check, said):
    other = "price" if field != "price" else "name"
    seen = tried({field: cell, other: "9.99"}, clear=True, **{field: FieldSettings(**told)})

    assert seen.changes.cells.select("field", "now").rows() == [(other, "9.99")]
    (finding,) = seen.changes.findings.rows(named=True)
    assert (finding["code"], finding["level"], finding["key"], finding["line"]) == (check, "error", "A", 2)
    assert said in finding["message"]


def test_a_row_of_which_nothing_is_left_is_refused_and_the_counts_add_up(tried):
    seen = tried({"tax_class": "half"}, tax_class=FieldSettings(locked=True))

    assert seen.changes.counts == {
        "changed": 0, "unchanged": 2, "new": 0, "duplicate": 0, "unreadable": 0, "rejected": 1, "missing": 0,
    }  # fmt: skip
    assert seen.changes.items.select("key", "action").rows() == [("A", "none")]
    assert seen.rows_in("rejected")["line"].to_list() == [2]


def test_what_a_run_allows_goes_through(tried):
    rules = {"tax_class": FieldSettings(locked=True), "colour": FieldSettings(type="choice")}

    seen = tried({"tax_class": "none", "colour": "blue"}, allowed=Overrides(("Tax class",), ("colour",)), **rules)

    assert seen.changes.cells["now"].to_list() == ["blue", "none"]
    assert seen.changes.findings.is_empty()
    with pytest.raises(InvalidOption, match="unlock size: there is no field with this name"):
        tried({}, allowed=Overrides(unlock=("size",)))


def test_values_that_stand_there_already_are_nobodys_fault(tried):
    rule = FieldSettings(allowed=("gift",), separator="|")

    assert tried({"tags": "gift|new "}, tags=rule).changes.cells.is_empty()
    assert tried({"tags": "new"}, tags=rule).changes.cells["now"].to_list() == ["new"]


def test_what_the_import_cannot_take_is_held_back(tried):
    leaves = ImportConfig(blank="leaves")
    marked = ImportConfig(blank="leaves", marker="(none)")

    assert tried({"tags": ""}, clear=True, imports=leaves).changes.findings["code"].to_list() == ["cannot be emptied"]
    assert tried({"tags": ""}, clear=True, imports=marked).changes.cells["now"].to_list() == [None]
    assert tried({"tags": "(none)"}, imports=marked).changes.findings["code"].to_list() == ["import marker"]
    narrow = tried({"name": "Smoker 3\u2033"}, imports=ImportConfig(encoding="windows-1252"))
    assert narrow.changes.findings["code"].to_list() == ["unsupported character"]


@pytest.mark.parametrize(
    ("must", "level", "kept"),
    [
        ("price < 20", "error", []),
        ("price < 20", "warning", ["25.00"]),
        ("price > 5 or colour = 'red'", "error", ["25.00"]),
    ],
)
def test_a_condition_of_the_shop_holds_for_what_changes(tried, must, level, kept):
    seen = tried({"price": "25.00"}, checks=CheckSettings(conditions=(Condition(must, level, "too dear"),)))

    assert seen.changes.cells["now"].to_list() == kept
    said = seen.changes.findings.filter(code="validation rule")["message"].to_list()
    assert said == ([] if kept and level == "error" else ["too dear"])


def test_a_condition_that_names_no_field_says_which_there_are(tried):
    with pytest.raises(InvalidOption, match="there is no field cost"):
        tried({"price": "25.00"}, checks=CheckSettings(conditions=(Condition("price > cost"),)))


def test_a_condition_that_was_broken_before_is_nobodys_slip_of_today(tried):
    never = CheckSettings(conditions=(Condition("price < 1"),))
    assert tried({"price": "13.00"}, checks=never).changes.findings.is_empty()
