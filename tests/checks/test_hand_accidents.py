"""Accidents over whole columns, and honest edits that look a little like them."""

from decimal import Decimal

import pytest


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


def replace_everywhere(rows):
    for row in rows[:6]:
        row["name"] = row["name"].replace("brass", "steel")
    for row in rows[:4]:
        row["picture"] = row["picture"].replace("brass", "steel")


@pytest.mark.parametrize(
    ("edit", "check"),
    [
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
        switch_off_and_rename,
    ],
)
def test_an_honest_edit_is_not_stopped(tried, edit):
    seen = tried(edit)

    assert seen.changes.findings.filter(level="error").is_empty()
    assert set(seen.changes.findings["code"]) <= {"many changes", "cost unchanged"}


def test_what_was_dragged_is_held_back_and_the_rest_goes_on(tried):
    def edit(rows):
        series("stock", 19)(rows)
        rows[30]["stock"] = "77"

    seen = tried(edit)

    assert seen.changes.cells.select("key", "now").rows()[-1] == ("K-0030", "77")
    assert len(seen.changes.cells) == 2  # where the drag began, and the honest one
