"""Values that are odd in a way nobody thought of are named, and never a fault of the program."""

import json
import sqlite3
from contextlib import closing

import openpyxl
import pytest

from helpers import neat_delta, write_table

LIVE = [
    ["sku", "name", "description", "price", "barcode"],
    ["A", "lid", "round", "1,00", "9520000000011"],
    ["B", "jar", "", "1.002,00", ""],
    ["C", "wax", "", "3,00", ""],
]
FAULT = "internal error"


@pytest.fixture
def work(tmp_path):
    write_table(tmp_path / "live.csv", LIVE, delimiter=";")
    return tmp_path


def edited(work, **cells):
    """The edited file: some cells of the first item are others."""
    first = [cells.get(name, was) for name, was in zip(LIVE[0], LIVE[1], strict=True)]
    write_table(work / "edited.csv", [LIVE[0], first, *LIVE[2:]], delimiter=";")


def compared(work, *options):
    return neat_delta("compare", "live.csv", "edited.csv", "-o", "c.changes.jsonl", *options, cwd=work)


@pytest.mark.parametrize("value", ["9.52E+40", "9,52E+400", "1E+12", "9520000000011E9"])
def test_a_barcode_that_is_no_number_of_any_length_is_not_sent(work, value):
    edited(work, barcode=value)
    done = compared(work, "--json")

    told = json.loads(done.stdout)
    assert (done.returncode, told["problems"][0]["field"], told["problems"][0]["level"]) == (1, "barcode", "error")
    assert told["result"]["counts"]["changed"] == 0


def test_a_role_that_no_column_has_is_named_with_the_columns_there_are(work):
    edited(work, price="1,10")
    (work / "catalogue.toml").write_text('[roles]\nprice = "nowhere"\n')
    done = compared(work)

    assert (done.returncode, (work / "c.changes.jsonl").exists()) == (2, False)
    assert "price in [roles] of catalogue.toml: there is no field nowhere. Fields: sku, name" in done.stderr


@pytest.mark.parametrize("when", ["0001-01-01", "9999-12-31", "2026-02-30"])
def test_a_time_at_which_no_export_was_made_is_refused(work, when):
    edited(work, price="1,10")
    compared(work)
    done = neat_delta("write", "c.changes.jsonl", "-o", "up", "--as-of", when, cwd=work)

    assert (done.returncode, FAULT in done.stderr, (work / "up").exists()) == (2, False, False)


def test_a_history_with_a_time_that_is_none_is_named(work):
    edited(work, price="1,10")
    compared(work, "--write", "up")
    (work / "inbox").mkdir()
    neat_delta("send", "up", "--to", "inbox", "--yes", "--history", "h.sqlite", cwd=work)
    with closing(sqlite3.connect(work / "h.sqlite")) as base, base:
        base.execute("UPDATE entries SET begun = 'yesterday'")
    done = neat_delta("history", "--since", "2020-01-01", "--history", "h.sqlite", cwd=work)

    assert done.returncode == 3
    assert "h.sqlite" in done.stderr
    assert "yesterday" in done.stderr


def test_a_share_of_all_items_is_shown_in_json(work):
    edited(work, price="1,10")
    (work / "n.toml").write_text('live = "live.csv"\nedited = "edited.csv"\n[limits]\nshare = 0.3\n')
    done = neat_delta("run", "n.toml", "--validate", "--json", cwd=work)

    assert json.loads(done.stdout)["result"]["settings"]["limits"]["share"] == "0.3"
    assert neat_delta("run", "n.toml", cwd=work).returncode == 1  # (one of three is more)


def test_a_sku_with_the_sign_that_joins_keys_of_several_columns_is_named(work):
    rows = [["sku", "price"], ["A\x1fB", "1.00"], ["C", "2.00"]]
    write_table(work / "live.csv", rows)
    write_table(work / "edited.csv", [rows[0], ["A\x1fB", "1.10"], rows[2]])
    done = compared(work, "--write", "up")

    assert (done.returncode, (work / "up").exists()) == (3, False)
    assert "line 2, column sku" in done.stderr
    assert "control character (U+001F)" in done.stderr


def test_numbers_in_a_review_workbook_are_numbers_whatever_sign_the_shop_writes(work):
    edited(work, price="1,45", description="A text of many words that is " + "much " * 60 + "longer than its column")
    compared(work)
    neat_delta("preview", "c.changes.jsonl", "--review", "r.xlsx", cwd=work)
    neat_delta("preview", "c.changes.jsonl", "--review", "i.xlsx", "--review-by", "item", cwd=work)

    sheet = openpyxl.load_workbook(work / "r.xlsx").worksheets[0]
    moved = [cell.value for row in sheet.iter_rows() for cell in row if isinstance(cell.value, int | float)]
    assert moved == [0.45, 0.45]  # (the amount, and per cent of 1)
    by_item = openpyxl.load_workbook(work / "i.xlsx").worksheets[0]
    long = [cell for row in by_item.iter_rows() for cell in row if "much much" in str(cell.value)]
    assert long
    assert all(cell.alignment.wrap_text for cell in long)
    assert all((by_item.row_dimensions[cell.row].height or 0) > 30 for cell in long)


def test_the_kept_export_is_named_where_the_file_of_its_name_is_another(work):
    edited(work, price="1,10")
    compared(work)
    write_table(work / "live.csv", [LIVE[0], *LIVE[2:], LIVE[1]], delimiter=";")
    done = neat_delta("write", "c.changes.jsonl", "-o", "up", cwd=work)
    undone = neat_delta("undo", "c.changes.jsonl", "-o", "back", cwd=work)

    for one in (done, undone):
        assert one.returncode == 0
        assert "kept" in " ".join(one.stdout.split())
