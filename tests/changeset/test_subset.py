"""A part of a change set, and what people marked in a review workbook."""

import openpyxl
import polars as pl
import pytest
from hypothesis import HealthCheck, given, settings
from hypothesis import strategies as st

from helpers import examples, import_into, update_files, write_table
from neat_delta.analysis.cell_selection import Selection, cells_in
from neat_delta.base.errors import InvalidInput, InvalidOption
from neat_delta.changeset.serialization import load_changes, save_changes
from neat_delta.changeset.subset import subset
from neat_delta.diff.compare import CompareOptions, compare
from neat_delta.diff.recode import code_pairs, recode
from neat_delta.matching import Key
from neat_delta.matching.context import Context
from neat_delta.reading import read_pair, read_table
from neat_delta.reconcile.review import read_review, subset_with_review
from neat_delta.tables.settings import Settings
from neat_delta.update.write import write_update
from neat_delta.workbooks.review import review_workbook

NAMES = ["sku", "name", "price", "stock"]
LIVE = [NAMES, *([f"0{at}", f"Hive {at}", f"{at}.00", str(at)] for at in range(1, 7))]
EDITED = [
    NAMES,
    ["01", "Hive one", "1.50", "1"],
    ["02", "Hive 2", "2.50", "20"],
    ["03", "Hive 3", "3.00", "30"],
    ["04", "Hive 4", "4.40", "4"],
    ["05", "=Hive", "5.00", "5"],
    ["99", "New", "9.00", "9"],
]


@pytest.fixture
def seen(tmp_path):
    a, b = write_table(tmp_path / "live.csv", LIVE), write_table(tmp_path / "edited.csv", EDITED)
    live, sheet = read_pair(a, b)
    return compare(live, sheet, CompareOptions(add_new=True, delete_at_most=9)).changes, live


@pytest.mark.parametrize(
    ("part", "kept"),
    [
        (Selection(only=("Price",)), {"01 price", "02 price", "04 price"}),
        (Selection(leave=("price", "name")), {"02 stock", "03 stock", "99", "06"}),
        (Selection(where="price >= 3 AND stock < 9"), {"03 stock", "04 price", "05 name", "06"}),
        (Selection(where="name LIKE 'New%'"), {"99"}),
        (Selection(items=("01", "06", "77")), {"01 name", "01 price", "06"}),
        (Selection(only=("stock",), where="stock = 2", items=("02", "03")), {"02 stock"}),
    ],
)
def test_a_part_is_named_by_fields_conditions_and_codes(seen, part, kept):
    changes, live = seen
    found = cells_in(changes, part, live, Settings())

    assert {" ".join(filter(None, row)) for row in found.rows()} == kept


@pytest.mark.parametrize(
    ("part", "reason"),
    [
        (Selection(only=("colour",)), "no change of this field in this change set"),
        (Selection(items=("77",)), "not in the change set"),
        (Selection(where="colour = 'red'"), "there is no field colour"),
        (Selection(where="price +"), "where "),
    ],
)
def test_a_part_that_cannot_be_is_refused(seen, part, reason):
    with pytest.raises(InvalidOption, match=reason):
        cells_in(*seen[:1], part, seen[1], Settings())


@settings(suppress_health_check=[HealthCheck.function_scoped_fixture], max_examples=examples(15))
@given(data=st.data())
def test_what_is_taken_is_sent_and_all_the_rest_is_noted(seen, tmp_path_factory, data):
    changes, live = seen
    every = cells_in(changes, Selection(), live, Settings())
    keep = every.filter(pl.Series(data.draw(st.lists(st.booleans(), min_size=len(every), max_size=len(every)))))
    folder = tmp_path_factory.mktemp("picked")

    less = subset_with_review(changes, keep, None, "a part")
    save_changes(less, folder / "c.jsonl")
    less = load_changes(folder / "c.jsonl")

    left = less.findings.filter(code="not accepted").select("key", "field")
    assert sorted(map(str, left.rows())) == sorted(
        map(str, every.join(keep, on=["key", "field"], how="anti", nulls_equal=True).rows())
    )
    counts = less.counts
    assert sum(counts[state] for state in counts if state != "missing") == less.head.edited.rows
    write_update(less, live, folder / "up")
    got = import_into(LIVE, update_files(folder / "up")) if (folder / "up").exists() else LIVE
    whole = set(keep.filter(pl.col("field").is_null())["key"])
    wanted = {row[0]: list(row) for row in LIVE[1:] if not (row[0] == "06" and "06" in whole)}
    for key, field in keep.drop_nulls().iter_rows():
        wanted[key][NAMES.index(field)] = next(row for row in EDITED if row[0] == key)[NAMES.index(field)]
    wanted |= {"99": EDITED[-1]} if "99" in whole else {}
    assert sorted(got[1:]) == sorted(wanted.values())


RELATED = [
    ["sku", "name", "related"],
    ["A1", "Ant", "B1"],
    ["B1", "Bee", "C1"],
    ["C1", "Cat", "A1"],
    ["D1", "Dog", "C1"],
]


def recoded(folder, *pairs):
    live = read_table(write_table(folder / "live.csv", RELATED))
    codes = read_table(write_table(folder / "codes.csv", [["old", "new"], *pairs]))
    key = Key(("sku",), explicit=True)
    return recode(codes, Context(live, Settings(), key), code_pairs(codes, key), CompareOptions()).changes, live


def test_code_changes_are_taken_or_left_together_with_what_follows_them(tmp_path):
    changes, live = recoded(tmp_path, ["A1", "A9"], ["B1", "B9"])
    every = {("A1", "related"), ("C1", "related")}
    assert set(changes.cells.select("key", "field").rows()) == every

    with pytest.raises(InvalidOption, match="all together"):
        subset(changes, cells_in(changes, Selection(items=("A1",)), live, Settings()))
    # A reference alone would point at a code that there is not.
    left = subset(changes, cells_in(changes, Selection(only=("related",)), live, Settings()))
    both = subset(changes, cells_in(changes, Selection(items=("A1", "B1")), live, Settings()))

    assert (left.new_keys(), left.cells["key"].to_list()) == ({}, [])
    assert set(both.cells.select("key", "field").rows()) == every
    assert both.new_keys() == {"A1": "A9", "B1": "B9"}


def marked(path, marks, *, by_item=False):
    """The workbook with a mark and a comment for some rows, by code and field."""
    book = openpyxl.load_workbook(path)
    sheet = book["review"]
    for row in sheet.iter_rows(min_row=2):
        told = (row[2].value, None if by_item else row[4].value)
        if told in marks:
            row[0].value, row[1].value = marks[told]
    book.save(path)


@pytest.fixture
def book(seen, tmp_path):
    def make(marks, *, by_item=False):
        path = tmp_path / "review.xlsx"
        path.write_bytes(review_workbook(seen[0], seen[0], by_item=by_item))
        marked(path, marks, by_item=by_item)
        return path

    return make


def test_a_review_takes_what_is_marked_and_remembers_why_the_rest_is_left(seen, book):
    path = book(
        {("01", "price"): ("accept", ""), ("02", "stock"): (" Take ", "ok"), ("04", "price"): ("reject", "ask Ann")}
    )

    less = subset_with_review(
        seen[0], cells_in(seen[0], Selection(), None, Settings()), read_review(path, seen[0]), "review.xlsx"
    )

    assert less.cells.select("key", "field").rows() == [("01", "price"), ("02", "stock")]
    assert less.head.exclusions[0].comments == ("ask Ann",)
    said = dict(less.findings.filter(code="not accepted").select("key", "message").rows())
    assert said["04"] == "rejected: ask Ann"
    assert said["03"] == "rejected in review.xlsx"


def test_unmarked_rows_may_be_taken_and_a_row_may_stand_for_a_whole_item(seen, book):
    path = book({("01", None): ("leave", ""), ("06", None): ("leave", "")}, by_item=True)

    review = read_review(path, seen[0], unmarked=True)

    taken_items = set(review.keep["key"])
    assert taken_items == {"02", "03", "04", "05", "99"}


def test_no_text_of_the_shop_is_run_by_the_workbook(seen, book):
    sheet = openpyxl.load_workbook(book({}))["review"]
    cells = [cell for row in sheet.iter_rows() for cell in row if isinstance(cell.value, str) and "=Hive" in cell.value]

    assert cells
    assert all(cell.data_type == "s" for cell in cells)


@pytest.mark.parametrize(
    ("spoil", "error", "reason"),
    [
        (lambda sheet: sheet.cell(2, 1, "maybe"), InvalidInput, "line 2, column accept or reject, value 'maybe'"),
        (lambda sheet: sheet.cell(3, 3, "0815"), InvalidInput, "this change is not in the change set"),
        (lambda sheet: sheet.cell(1, 3, "code"), InvalidInput, "a column is missing"),
        (
            lambda sheet: sheet.append(["leave", "", *[cell.value for cell in sheet[2]][2:]]),
            InvalidInput,
            "conflicting marks for the same change",
        ),
    ],
)
def test_a_spoilt_review_is_refused_with_its_place(seen, book, spoil, error, reason):
    path = book({("01", "price"): ("take", ""), ("02", "stock"): ("take", "")})
    workbook = openpyxl.load_workbook(path)
    workbook["review"].cell(2, 1, "take")
    spoil(workbook["review"])
    workbook.save(path)

    with pytest.raises(error, match=reason):
        read_review(path, seen[0])


def test_a_review_of_another_change_set_is_refused(seen, book, tmp_path):
    path = book({})
    other = subset(seen[0], cells_in(seen[0], Selection(only=("price",)), None, Settings()))

    with pytest.raises(InvalidOption, match="belongs to another change set"):
        read_review(path, other)
