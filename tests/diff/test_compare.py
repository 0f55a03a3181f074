import pytest

from helpers import write_table
from neat_delta.analysis.metrics import sort_by_impact, totals_by_field
from neat_delta.base.errors import InvalidOption
from neat_delta.checks import run_checks
from neat_delta.diff.compare import CompareOptions, compare, with_findings
from neat_delta.reading import read_pair
from neat_delta.tables.settings import Settings

LIVE = [
    ["sku", "name", "price", "stock", "active", "added", "bin"],
    ["000417", "Smoker", "12.50", "3", "1", "2024-01-05", "00417"],
    ["000418", "Veil", "13.00", "0", "0", "2024-02-25", "A-1"],
    ["000419", "Glove", "8.75", "40", "1", "2024-03-15", "B-2"],
]


@pytest.fixture
def compared(tmp_path):
    def run(edited, delimiter=",", live=LIVE, charset="utf-8", **options):
        a = write_table(tmp_path / "live.csv", live, charset=charset)
        b = write_table(tmp_path / "edited.csv", edited, delimiter=delimiter)
        ours, theirs = read_pair(a, b)
        seen = compare(ours, theirs, CompareOptions(**options))
        return with_findings(seen, run_checks(seen.changes, ours, Settings()))

    return run


def with_cells(**cells):
    """The live table with some cells of its first item replaced."""
    first = [cells.get(column, cell) for column, cell in zip(LIVE[0], LIVE[1], strict=True)]
    return [LIVE[0], first, *LIVE[2:]]


def changed(seen):
    return {(key, field): (was, now) for key, field, was, now in seen.changes.cells.iter_rows()}


def test_a_difference_of_form_is_counted_and_not_a_change(compared):
    edited = [
        ["SKU", "Name", "Price", "Stock", "Active", "Added", "Bin"],
        ["000419", "Glove", "8,75", "40", "true", "15.03.2024", "B-2"],
        ["000417", "Smoker", "12,5", "3.0", "yes", "05.01.2024", "00417"],
        ["000418", "Veil", "13", "0", "no", "25.02.2024", "A-1"],
    ]

    seen = compared(edited, delimiter=";")

    assert changed(seen) == {}
    assert seen.reformatted == 10
    assert seen.changes.counts["unchanged"] == 3


def test_zeros_in_front_count_in_codes(compared):
    assert changed(compared(with_cells(bin="0417"))) == {("000417", "bin"): ("00417", "0417")}


@pytest.mark.parametrize(
    ("field", "cell", "now"),
    [("price", "13,9", "13.90"), ("price", "13.955", "13.955"), ("active", "no", "0"), ("added", "2024-1-06", None)],
)
def test_values_are_written_in_the_live_form(compared, field, cell, now):
    seen = compared(with_cells(**{field: cell}))

    assert seen.changes.cells["now"].to_list() == ([now] if now else [])


@pytest.mark.parametrize(("clear", "now", "left"), [(False, {}, 1), (True, {("000417", "stock"): ("3", None)}, 0)])
def test_a_blank_leaves_the_live_value_unless_told(compared, clear, now, left):
    seen = compared(with_cells(stock=" "), clear_blanks=clear)

    assert changed(seen) == now
    assert seen.blanks_ignored == left


def test_a_cell_that_is_not_of_the_kind_is_refused_and_the_rest_of_its_row_goes_on(compared):
    seen = compared(with_cells(price="ask", stock="5"))

    assert changed(seen) == {("000417", "stock"): ("3", "5")}
    (finding,) = seen.changes.findings.rows(named=True)
    assert (finding["level"], finding["field"], finding["line"], finding["value"]) == ("error", "price", 2, "ask")
    assert "Correct the cell" in finding["message"]
    assert changed(compared(with_cells(price="ask"), types={"price": "text"})) == {
        ("000417", "price"): ("12.50", "ask")
    }


def test_a_row_with_nothing_but_refused_cells_is_refused(compared):
    assert compared(with_cells(price="ask")).changes.counts["rejected"] == 1


def test_a_character_that_the_live_charset_lacks_is_refused(compared):
    live = [*LIVE, ["000420", "Café", "1.00", "1", "1", "2024-01-01", "C-1"]]

    seen = compared([*with_cells(name="Smoker 3″"), live[-1]], live=live, charset="cp1252")

    assert changed(seen) == {}
    assert seen.changes.findings["code"].to_list() == ["unsupported character"]


def test_beyond_ascii_in_a_plain_export_wants_a_look(compared):
    seen = compared(with_cells(name="Smöker"))

    assert changed(seen) == {("000417", "name"): ("Smoker", "Smöker")}
    assert seen.changes.findings.select("code", "level").rows() == [("unknown encoding", "warning")]


def test_counts_add_up_and_every_state_can_be_listed(compared):
    edited = [
        *with_cells(price="13.75"),
        ["000418", "Other veil", "13.00", "0", "0", "2024-02-25", "A-1"],
        ["000999", "New", "1.00", "1", "1", "2024-01-01", "C"],
        ["", "Nameless", "1.00", "1", "1", "2024-01-01", "C"],
        ["short"],
    ]

    seen = compared(edited)
    counts = dict(seen.changes.counts)

    assert counts.pop("missing") == 0
    assert counts == {"changed": 1, "unchanged": 1, "new": 1, "duplicate": 2, "unreadable": 2, "rejected": 0}
    assert sum(counts.values()) == seen.changes.head.edited.rows
    assert {state: len(seen.rows_in(state)) for state in counts} == counts


def test_rivals_are_laid_side_by_side(compared):
    seen = compared([*LIVE, ["000418", "Veil", "14.00", "0", "0", "2024-02-25", "A-1"]])

    found = seen.changes.findings.filter(code="duplicate SKU")
    assert found.select("field", "line", "value").rows() == [("price", 3, "13.00"), ("price", 5, "14.00")]
    assert seen.rows_in("missing").is_empty()


@pytest.mark.parametrize(
    ("codes", "written", "meant"),
    [
        (["000417", "000418"], "417", "000417"),
        (["QX-1", "QX-2"], " qx-1", "QX-1"),
        (["9520000000004", "9530000000003"], "9.52E+12", "9520000000004"),
        (["9520000000004", "9521000000003"], "9.52E+12", "9520000000004"),
        (["9520000000004", "B", "9521000000003"], "9.52E+12", None),
        (["000417", "0417"], "417", None),
        (["000417", "000418"], "419", None),
    ],
)
def test_a_damaged_code_is_rescued_where_it_can_be_one_item_only(compared, codes, written, meant):
    live = [["sku", "stock"], *([code, "1"] for code in codes)]
    edited = [["sku", "stock"], [written, "5"], [codes[1], "1"]]

    seen = compared(edited, live=live, repair_keys=True)

    assert changed(seen) == ({(meant, "stock"): ("1", "5")} if meant else {})
    listed = seen.changes.findings.filter(code="repaired SKU").select("key", "value").rows()
    assert listed == ([(meant, written)] if meant else [])
    assert seen.changes.counts["new"] + seen.changes.counts["rejected"] == (0 if meant else 1)


def test_two_rows_that_could_be_one_item_are_both_left_out(compared):
    live = [["sku", "stock"], ["000417", "1"], ["B", "1"]]

    seen = compared([["sku", "stock"], ["417", "5"], ["0417", "6"]], live=live, repair_keys=True)

    assert changed(seen) == {}
    assert seen.changes.counts["rejected"] == 2


NEIGHBOURS = [
    ["sku", "name", "maker", "stock"],
    ["000417", "Smoker", "Combwick", "1"],
    ["00417", "Veil", "Thrumhive", "2"],
    ["B", "Jar", "Thrumhive", "3"],
]


def test_the_rest_of_a_row_decides_between_two_items_that_its_code_may_be(compared):
    edited = [NEIGHBOURS[0], ["417", "Smoker", "Combwick", "5"], ["417", "Veil", "Thrumhive", "6"], NEIGHBOURS[3]]

    seen = compared(edited, live=NEIGHBOURS, repair_keys=True)

    assert changed(seen) == {("000417", "stock"): ("1", "5"), ("00417", "stock"): ("2", "6")}


@pytest.mark.parametrize("row", [["417", "Smoker", "Thrumhive", "5"], ["417", "Hat", "Combwick", "5"]])
def test_a_row_that_may_be_two_items_is_held_back_with_both(compared, row):
    seen = compared([NEIGHBOURS[0], row, NEIGHBOURS[3]], live=NEIGHBOURS, repair_keys=True, add_new=True)

    (finding,) = seen.changes.findings.filter(code="damaged SKU").to_dicts()
    assert "000417 or 00417 is missing" in finding["message"]
    assert seen.changes.items.filter(action="add").is_empty()


def test_largest_changes_come_first_and_fields_are_summed_up(compared):
    edited = [list(row) for row in LIVE]
    edited[1][2], edited[2][2], edited[3][3], edited[3][1] = "12.00", "26.00", "41", "Mitten"

    seen = compared(edited)

    assert sort_by_impact(seen.changes)["key"].unique(maintain_order=True).to_list() == ["000418", "000417", "000419"]
    assert totals_by_field(seen.changes).rows() == [
        ("name", 1, None, None, 0, 0),
        ("price", 2, 1, 1, 0, 0),
        ("stock", 1, 1, 0, 0, 0),
    ]


@pytest.mark.parametrize("kinds", [{"nothing": "text"}, {"price": "cash"}])
def test_a_kind_or_field_that_does_not_exist_is_refused(compared, kinds):
    with pytest.raises(InvalidOption, match=r"not in both files|there is no such type"):
        compared(LIVE, types=kinds)


def test_a_row_without_a_code_is_unreadable_whatever_is_chosen(compared):
    """Of such a row nobody knows whose it is, so it is none of an item that was not chosen."""
    edited = [*with_cells(price="13.75"), ["", "Nameless", "1.00", "1", "1", "2024-01-01", "C"]]
    seen = compared(edited, where="sku = '000417'")

    assert seen.changes.counts["unreadable"] == 1
    assert seen.excluded == len(LIVE) - 2
