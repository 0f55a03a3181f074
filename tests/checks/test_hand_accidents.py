"""Accidents over whole columns, and honest edits that look a little like them."""

import re
from decimal import Decimal

import pytest

from helpers import write_table
from neat_delta.checks import run_checks
from neat_delta.diff.compare import compare
from neat_delta.reading import read_pair
from neat_delta.tables.settings import Settings


def column(name, values):
    def edit(rows):
        for row, value in zip(rows, values(rows), strict=False):
            row[name] = value

    return edit


def sort_alone(name):
    return column(name, lambda rows: sorted((row[name] for row in rows), key=str))


def times(factor, name="price"):
    return column(name, lambda rows: [f"{Decimal(row[name]) * Decimal(factor):.2f}" for row in rows])


def series(name, start, pattern="{}"):
    def edit(rows):
        for at in range(10, 18):
            rows[at][name] = pattern.format(start + at)

    return edit


def fill(name, value, first=10, last=20):
    def edit(rows):
        for at in range(first, last):
            rows[at][name] = value(rows) if callable(value) else value

    return edit


def shift_right(rows):
    for row in rows[3:5]:
        row["maker"], row["category"], row["price"], row["cost"] = row["name"], row["maker"], row["stock"], row["price"]


def shift_down(rows):
    for name in ("name",):
        for row, value in list(zip(rows[6:], [row[name] for row in rows[5:]], strict=False)):
            row[name] = value


def cut(rows):
    for row in rows[:8]:
        row["name"] = row["name"][:20]


def switch_off_and_rename(rows):
    for row in rows[:8]:
        row["active"] = "0"
    rows[9]["name"] += ", new"


def swap_stocks(rows):
    for row in rows:
        row["stock"], row["stock_barn"] = row["stock_barn"], row["stock"]


def with_products(rows):
    """Some items of one product, in several makes; a second stock, in which some numbers count on."""
    for at, row in enumerate(rows):
        row["stock_barn"] = str(100 + at % 8 if at % 9 else at % 5)
    makes = ("brass", "steel", "oak, with lid", "plastic", "set of 5", "set of 12")
    for at, (row, make) in enumerate(zip(rows[20:26], makes, strict=True)):
        row["name"], row["price"], row["cost"], row["sale_price"] = (
            f"Cell bar, {make}",
            f"{70 - 7 * at}.40",
            "20.00",
            "",
        )


def sizes_of_one_product(rows):
    least = int(Decimal(max((row["price"] for row in rows[20:26]), key=Decimal)))
    for at, row in enumerate(rows[20:26], start=1):
        row["price"], row["stock"] = f"{least + at}.00", str(30 + at)


def replace_everywhere(rows):
    for row in rows[:6]:
        row["name"] = row["name"].replace("brass", "steel")
    for row in rows[:4]:
        row["picture"] = row["picture"].replace("brass", "steel")


def rearranged(names, order):
    """These columns get the contents of other rows, the rest of each row stays."""

    def edit(rows):
        before = [dict(row) for row in rows]
        for row, source in zip(rows, order(before), strict=True):
            row.update({name: before[source][name] for name in names})

    return edit


def sorted_by(name):
    return lambda rows: sorted(range(len(rows)), key=lambda at: rows[at][name])


def pulled_up(rows):
    return [at + 1 if 7 <= at < len(rows) - 1 else at for at in range(len(rows))]


def exchanged(rows):
    return [{5: 21, 21: 5}.get(at, at) for at in range(len(rows))]


def from_above(rows):
    return [10 if 10 < at < 20 else at for at in range(len(rows))]


def split_names(rows):
    for row in rows[3:6]:
        row["name"], row["maker"] = row["name"].split(" of ")[0], "of " + row["name"].split(" of ")[1]


def shift_two(rows):
    rows[4]["maker"], rows[4]["category"] = rows[4]["name"], rows[4]["maker"]


def replace_in_words(rows):
    for row in rows:
        row["name"] = re.sub("hi", "sty", row["name"], flags=re.IGNORECASE)


def replace_digits(rows):
    for row in rows:
        row["price"], row["cost"] = row["price"].replace("8", "3"), row["cost"].replace("8", "3")


@pytest.mark.parametrize(
    ("edit", "fields"),
    [
        (
            rearranged(["name", "category", "active", "price"], sorted_by("price")),
            {"name", "category", "active", "price"},
        ),
        (rearranged(["maker", "price"], sorted_by("price")), {"maker", "price"}),
        (rearranged(["maker"], sorted_by("maker")), {"maker"}),
        (rearranged(["maker", "category"], sorted_by("category")), {"maker", "category"}),
        (rearranged(["category", "bin", "active"], pulled_up), {"category", "bin", "active"}),
        (rearranged(["category", "active"], pulled_up), {"category", "active"}),
        (rearranged(["name", "price", "cost", "category", "maker"], exchanged), {"name", "price", "cost"}),
    ],
)
def test_cells_that_other_rows_held_are_named_also_where_their_values_are_few(tried, shop_rows, edit, fields):
    rows = shop_rows()
    edit(rows)
    moved = {
        (row["sku"], name)
        for row, before in zip(rows, shop_rows(), strict=True)
        for name in fields
        if row[name] != before[name]
    }

    seen = tried(edit)

    stopped = seen.changes.findings.filter(code="column out of step", level="error").select("key", "field")
    assert moved <= set(stopped.rows())
    assert seen.changes.cells.is_empty()


@pytest.mark.parametrize("gone", [True, False])
def test_a_row_with_the_sku_of_another_item_is_held_back_whole(tried, gone):
    """The other row is not in the sheet, or is there twice under two SKUs."""

    def edit(rows):
        rows[30]["stock"] = "77"
        return [{**row, **({**rows[8], "sku": row["sku"]} if at == 21 else {})} for at, row in enumerate(rows)
                if not (gone and at == 8)]  # fmt: skip

    def more_of_one(rows):
        """What the other item has not at all tells nothing."""
        for name in ("width", "depth", "height", "wood", "finish", "lid"):
            for at, row in enumerate(rows):
                row[name] = f"{name} {at}" if at % 2 else ""

    assert tried(edit, before=more_of_one).changes.cells.select("key", "field").rows() == [("K-0030", "stock")]


def test_of_rows_filled_down_every_cell_is_named(tried):
    seen = tried(rearranged(["name", "maker", "category", "price"], from_above))

    assert seen.changes.cells.is_empty()
    assert set(seen.changes.findings.filter(level="error")["code"]) >= {"filled down"}


@pytest.mark.parametrize(
    ("edit", "check"),
    [
        (series("name", 31, "M {}"), "fill series"),
        (split_names, "split text"),
        (shift_two, "shifted cells"),
        (replace_in_words, "search and replace"),
        (replace_digits, "search and replace"),
        (sort_alone("price"), "column out of step"),
        (sort_alone("name"), "column out of step"),
        (sort_alone("bin"), "column out of step"),
        (shift_down, "column out of step"),
        (series("stock", 19), "fill series"),
        (series("price", 20), "fill series"),
        (fill("name", lambda rows: rows[10]["name"], 11), "filled down"),
        (fill("gtin", "9520000000004", 6, 20), "not unique"),
        (shift_right, "shifted cells"),
        (cut, "truncated"),
        (replace_everywhere, "search and replace"),
    ],
)
def test_an_accident_of_a_whole_column_is_found(found, edit, check):
    assert check in found(edit)


@pytest.mark.parametrize(
    "edit",
    [
        times("1.05"),
        times("0.95"),
        column("price", lambda rows: [f"{Decimal(row['price']) + 1:.2f}" for row in rows]),
        lambda rows: sorted(rows, key=lambda row: row["name"]),
        lambda rows: rows[::-1],
        series("bin", 100, "C-{}"),
        series("bin", 100),
        fill("bin", "Z-1"),
        fill("active", "0"),
        fill("stock", "0"),
        fill("maker", "Ouzelmere Joinery"),
        column("stock", lambda rows: [str(int(row["stock"]) * 2 + 3) for row in rows]),
        column("name", lambda rows: [row["name"].replace("Hive", "Beehive") for row in rows]),
        column("name", lambda rows: [row["name"] + ", new" for row in rows]),
        column("name", lambda rows: [f"Brand {row['name']}" for row in rows]),
        column("stock", lambda rows: [str(at * at % 7) for at in range(len(rows))]),
        swap_stocks,
        sizes_of_one_product,
        switch_off_and_rename,
    ],
)
@pytest.mark.parametrize("items", [40, 120])
def test_an_honest_edit_is_not_stopped(tried, edit, items):
    seen = tried(edit, before=with_products, items=items)

    assert seen.changes.findings.filter(level="error").is_empty()
    assert set(seen.changes.findings["code"]) <= {"many changes", "cost unchanged", "large change"}


@pytest.mark.parametrize(("left", "level"), [(0, "warning"), (1, "error")])
def test_a_category_is_renamed_where_all_of_its_items_are(tried, left, level):
    def edit(rows):
        for row in rows[3 * left :]:
            row["category"] = row["category"].replace("Bodies", "Boxes")

    assert tried(edit).changes.findings["level"].unique().to_list() == [level]


def test_prices_and_costs_that_climb_a_ladder_are_no_accident(tmp_path):
    live = [["sku", "price", "cost"], *([f"A{at}", f"{10 + at}.00", f"{5 + at / 2:.2f}"] for at in range(40))]
    risen = [live[0], *([code, f"{11 + at}.00", f"{5.5 + at / 2:.2f}"] for at, (code, _, _) in enumerate(live[1:]))]
    ours, theirs = read_pair(write_table(tmp_path / "a.csv", live), write_table(tmp_path / "b.csv", risen))

    found = run_checks(compare(ours, theirs).changes, ours, Settings())

    assert "error" not in found["level"]


def test_what_was_dragged_is_held_back_and_the_rest_goes_on(tried):
    def edit(rows):
        series("stock", 19)(rows)
        rows[30]["stock"] = "77"

    seen = tried(edit)

    assert seen.changes.cells.select("key", "now").rows()[-1] == ("K-0030", "77")
    assert len(seen.changes.cells) == 1


def test_what_a_program_rewrote_is_not_looked_at_by_the_other_checks(tmp_path):
    live = [["sku", "size"], *([f"A{at}", f"{at}.0" if at % 7 else f"v{at}"] for at in range(60))]
    saved = [live[0], *([code, size.removesuffix(".0")] for code, size in live[1:])]
    ours, theirs = read_pair(write_table(tmp_path / "a.csv", live), write_table(tmp_path / "b.csv", saved))

    seen = compare(ours, theirs)

    assert len(seen.restored) == 51
    assert run_checks(seen.changes, ours, Settings()).is_empty()


def in_grid(rows):
    """Rooms of ten shelves each: neither a room nor a shelf names an item, but both together do."""
    for at, row in enumerate(rows):
        row["maker"], row["bin"] = f"room {at // 10}", f"shelf {at * 7 % 10}"


@pytest.mark.parametrize(("together", "columns"), [(True, ["bin", "maker"]), (False, [])])
def test_columns_that_moved_together_are_known_by_both_of_their_values(tried, together, columns):
    """30 items change places with each other, or are each put to a place that no item had."""
    order = [10 + at * 17 % 30 for at in range(3, 33)]

    def edit(rows):
        was = [dict(row) for row in rows]
        for at, source in zip(range(10, 40), order, strict=True):
            for name in ("maker", "bin"):
                rows[at][name] = was[source][name] if together else f"{was[source][name]}{'b' * (name == 'bin')}"

    found = tried(edit, before=in_grid, items=60).changes.findings.filter(code="column out of step")

    assert sorted(found["field"].unique()) == columns
    assert len(found) == 0 or len(found) > 45
