"""Three-way: a sheet beside what it was made from and the shop of now, against a merge that is written here."""

import os
from pathlib import Path

import openpyxl
import pytest
from hypothesis import HealthCheck, given, settings
from hypothesis import strategies as st

from helpers import examples, neat_delta, read_rows, write_table
from neat_delta.diff.compare import CompareOptions
from neat_delta.reading import read_pair, read_table
from neat_delta.reconcile.conflicts import ConflictPolicy
from neat_delta.tables.settings import RefreshSettings, Settings, SupplierProfile
from neat_delta.workflows.base import GIVEN, Base
from neat_delta.workflows.plan import compare_with_base

HEAD = ["sku", "name", "size", "qty"]
VALUES = {"name": ["Hive", "Veil, fine", "Jar\nof glass"], "size": ["1.50", "12.25", "3.75"], "qty": ["5", "6", "17"]}
rows = st.fixed_dictionaries({name: st.sampled_from(values) for name, values in VALUES.items()})
tables = st.dictionaries(st.sampled_from("ABCDEF"), rows, min_size=2)
edits = st.dictionaries(st.sampled_from("ABCDEF"), rows)


def as_table(items):
    return [HEAD, *([sku, *(row[name] for name in HEAD[1:])] for sku, row in sorted(items.items()))]


def three_way(folder, base, shop, sheet, policy=None, **options):
    edited = write_table(folder / "edited.csv", sheet) if isinstance(sheet, list) else sheet
    own, theirs = read_pair(write_table(folder / "shop.csv", shop), edited)
    made_from = Base(read_table(write_table(folder / "base.csv", base)), GIVEN)
    options = CompareOptions(**options)
    result, _ = compare_with_base(own, theirs, made_from, SupplierProfile(), options, policy or ConflictPolicy())
    return result


def merged(base, shop, sheet):
    """The changes and the conflicts of a merge, cell by cell."""
    changes, conflicts = {}, set()
    for sku in sheet.keys() & base.keys() & shop.keys():
        for name in HEAD[1:]:
            then, now, ours = base[sku][name], shop[sku][name], sheet[sku][name]
            if ours in (then, now):
                continue
            if now == then:
                changes[sku, name] = (now, ours)
            else:
                conflicts.add((sku, name))
    return changes, conflicts


@given(tables, edits, edits, st.sets(st.sampled_from("ABCDEF"), max_size=2), st.booleans())
@settings(max_examples=examples(20), suppress_health_check=[HealthCheck.function_scoped_fixture])
def test_it_is_the_merge_of_what_was_typed_and_what_the_shop_did(tmp_path, base, ours, theirs, gone, commas):
    sheet = {sku: row | ours.get(sku, {}) for sku, row in base.items()}
    shop = {sku: row | theirs.get(sku, {}) for sku, row in {**base, **theirs}.items() if sku not in gone or sku == "A"}
    if not shop:
        return
    typed = [[cell.replace(".", ",") if at == 2 else cell for at, cell in enumerate(row)] for row in as_table(sheet)]

    seen = three_way(tmp_path, as_table(base), as_table(shop), typed if commas else as_table(sheet))

    changes, conflicts = merged(base, shop, sheet)
    assert {(key, field): (was, now) for key, field, was, now in seen.changes.cells.rows()} == changes
    held = seen.changes.findings.filter(code="conflict")
    assert set(held.select("key", "field").rows()) == conflicts
    touched = {sku for sku in base if sku not in shop and sheet[sku] != base[sku]}
    assert set(seen.changes.findings.filter(code="deleted since", level="error")["key"]) == touched
    assert sum(seen.changes.counts.get(state, 0) for state in ("changed", "unchanged", "new", "rejected")) == len(sheet)


BASE = [HEAD, ["A", "Hive", "1.50", "5"], ["B", "Veil", "12.25", "6"], ["C", "Jar", "3", "7"]]
SHOP = [HEAD, ["A", "Hive", "1.75", "4"], ["B", "Veil", "12.25", "6"], ["D", "Lid", "2", "1"]]


def test_decisions_policies_and_differences_say_whose_value_goes_on(tmp_path):
    sheet = [HEAD, ["A", "Hive", "1.60", "9"], ["B", "Veil", "12.25", "6"], ["C", "Jar", "3", "7"]]
    sells = Settings(refresh=RefreshSettings(difference=("qty",)))

    ours = three_way(tmp_path, BASE, SHOP, sheet, ConflictPolicy("ours"), settings=sells)
    theirs = three_way(tmp_path, BASE, SHOP, sheet, ConflictPolicy("ours", {"size": "shop"}), settings=sells)

    assert ours.changes.cells.rows() == [("A", "size", "1.75", "1.60"), ("A", "qty", "4", "8")]
    assert theirs.changes.cells.rows() == [("A", "qty", "4", "8")]
    assert ours.base.added_up == 1


def test_blank_cells_leave_and_deletions_and_additions_are_about_the_items_of_the_sheet(tmp_path):
    sheet = [HEAD, ["A", "", "1.50", "5"], ["C", "Jar", "3", "70"], ["N", "New", "1", "1"]]
    shop = [*SHOP, ["E", "Hat", "2", "2"]]

    seen = three_way(tmp_path, BASE, shop, sheet, add_new=True, delete_at_most=9)
    cleared = three_way(tmp_path, BASE, shop, sheet, clear_blanks=True)

    acts = {(key, action) for key, action in seen.changes.items.select("key", "action").rows() if action != "none"}
    assert acts == {("B", "remove"), ("N", "add")}  # D and E came later, and C has gone
    assert cleared.changes.cells.rows() == [("A", "name", "Hive", None)]


@pytest.mark.parametrize("marks", [".,", ",."])
def test_rows_that_the_base_lacks_are_read_as_the_sheet_is_written(tmp_path, marks):
    of_shop, of_sheet = (
        lambda rows, mark=mark: [[cell.replace(".", mark) for cell in row] for row in rows] for mark in marks
    )
    head = ["sku", "price", "weight"]
    base = [["A1", "1.10", "5.436"], ["A2", "2.20", "6.120"], ["A3", "3.30", "7.250"], ["A4", "4.40", "8.111"]]
    since = [["B1", "6.60", "4.555"], ["B2", "6.60", "4.555"], ["B3", "6.60", "4.555"], ["B4", "6.60", "4.555"]]
    typed = [
        ["A4", "4.40", "8.333"],
        ["B1", "6.75", "4.777"],
        ["B2", "6.60", "4.555"],
        *(["B3", "6.60", weight] for weight in ("4.555", "4.666")),
        ["B4", "6.60", "unknown"],
        ["N1", "1234.50", "2.436"],
        ["N2", "7.5", "2.500"],
    ]

    result = three_way(
        tmp_path,
        [head, *of_shop(base)],
        [head, *of_shop(base[1:] + base[:1] + since)],
        [head, *of_sheet(base[:3] + typed)],
        add_new=True,
    )

    now = {(cell["key"], cell["field"]): cell["now"] for cell in result.changes.cells.iter_rows(named=True)}
    wanted = {
        ("A4", "weight"): "8.333",
        ("B1", "price"): "6.75",
        ("B1", "weight"): "4.777",
        ("N1", "price"): "1234.50",
        ("N1", "weight"): "2.436",
        ("N2", "price"): "7.50",
        ("N2", "weight"): "2.500",
    }
    assert {place: value for place, value in now.items() if place[1] != "sku"} == {
        place: value.replace(".", marks[0]) for place, value in wanted.items()
    }
    assert set(result.changes.findings.filter(level="error")["key"]) == {"B3", "B4"}
    assert result.base.edited_format.decimal_separator == marks[1]


def test_a_cell_that_cannot_be_read_is_shown_as_typed_beside_the_values_of_now(tmp_path):
    sheet = [HEAD, ["A", "Hive", "wide", "5"], ["B", "Veil", "12.25", "6"]]

    seen = three_way(tmp_path, BASE, SHOP, sheet)

    assert seen.changes.cells.is_empty()
    assert seen.changes.findings.select("code", "key", "field", "value").row(0) == (
        "unreadable cell",
        "A",
        "size",
        "wide",
    )
    assert seen.original.cells(["size", "qty"]).row(0) == ("wide", "4")


@pytest.fixture
def shop(tmp_path):
    rows = [["sku", "name", "price", "stock"], *([f"00{at}", f"Item {at}", f"{at}.50", "5"] for at in range(10, 40))]
    write_table(tmp_path / "morning.csv", rows)
    rows[1][2], rows[2][3] = "12.00", "3"
    write_table(tmp_path / "evening.csv", rows)
    return tmp_path


def typed(path: Path, saved: Path, **cells):
    book = openpyxl.load_workbook(path)
    for place, value in cells.items():
        book["items"][place] = value
    book.save(saved)


def test_a_sheet_carries_what_it_was_made_from_and_conflicts_are_decided_in_a_workbook(shop):
    neat_delta("sheet", "morning.csv", "-o", "work.xlsx", cwd=shop)
    typed(shop / "work.xlsx", shop / "edited.xlsx", C2=11.25, D4=50, A32="NEW-1", B32="Item", C32=1, D32=1)
    (shop / "morning.csv").unlink()

    first = neat_delta("compare", "evening.csv", "edited.xlsx", "--conflicts", "k.xlsx", "-o", "c.jsonl", cwd=shop)
    typed_in = openpyxl.load_workbook(shop / "k.xlsx")
    typed_in.active["G2"] = "Ours"
    typed_in.save(shop / "k.xlsx")
    second = neat_delta("compare", "evening.csv", "edited.xlsx", "--decisions", "k.xlsx", "--add-new", "--write", "up",
                        cwd=shop)  # fmt: skip

    assert first.returncode == 1
    assert "conflict: changed on both sides; not sent" in first.stdout or "conflict, 1" in first.stdout
    assert "1 cell that the shop has changed since" in " ".join(first.stdout.split())
    assert second.returncode == 0, second.stdout
    written = sorted(path for path in (shop / "up").glob("*.csv"))
    assert read_rows(written[0]) == [["sku", "name", "price", "stock"], ["NEW-1", "Item", "1.00", "1"]]
    assert [read_rows(path) for path in written[1:]] == [
        [["sku", "price"], ["0010", "11.25"]],
        [["sku", "stock"], ["0012", "50"]],
    ]
    stale = neat_delta("compare", "evening.csv", "edited.xlsx", "--base", "none", cwd=shop)
    assert "changed 3" in stale.stdout


def test_decisions_about_other_values_than_now_are_refused(shop):
    neat_delta("sheet", "morning.csv", "-o", "work.xlsx", cwd=shop)
    typed(shop / "work.xlsx", shop / "edited.xlsx", C2=11.25)
    neat_delta("compare", "evening.csv", "edited.xlsx", "--conflicts", "k.xlsx", cwd=shop)
    book = openpyxl.load_workbook(shop / "k.xlsx")
    book.active["G2"] = "shop"
    book.save(shop / "k.xlsx")
    rows = read_rows(shop / "evening.csv")
    rows[1][2] = "13.00"
    write_table(shop / "night.csv", rows)

    done = neat_delta("compare", "night.csv", "edited.xlsx", "--decisions", "k.xlsx", cwd=shop)

    assert done.returncode == 3
    assert "k.xlsx, line 2, column price, value '0010': the values of this conflict have changed since" in done.stderr


def test_an_export_that_is_newer_than_the_live_one_explains_nothing_away(shop):
    rows = read_rows(shop / "morning.csv")
    for row in rows[1::3]:
        row[3] = "7"
    write_table(shop / "night.csv", rows)
    neat_delta("compare", "night.csv", "night.csv", cwd=shop)  # it is kept

    done = neat_delta("compare", "morning.csv", "night.csv", cwd=shop)

    assert "base" not in done.stdout
    assert "changed 10 ·" in done.stdout


def test_without_a_base_an_older_file_is_pointed_out_and_the_base_can_be_given(shop):
    (shop / "catalogue.toml").write_text("[store]\nkeep = false\n")
    rows = read_rows(shop / "morning.csv")
    rows[5][1] = "Renamed"
    edited = write_table(shop / "edited.csv", rows)
    an_hour_ago = edited.stat().st_mtime - 3600
    os.utime(edited, (an_hour_ago, an_hour_ago))

    without = " ".join(neat_delta("compare", "evening.csv", "edited.csv", cwd=shop).stdout.split())
    given = " ".join(
        neat_delta("compare", "evening.csv", "edited.csv", "--base", "morning.csv", cwd=shop).stdout.split()
    )

    assert "edited.csv is older than evening.csv: its 3 changed cells may undo newer changes of the shop" in without
    assert "morning.csv" in given
    assert ", given: only what was edited since is a change" in given
    assert "result 1 item will change" in given


def test_a_sheet_whose_live_values_are_damaged_is_refused(shop):
    neat_delta("sheet", "morning.csv", "-o", "work.xlsx", cwd=shop)
    book = openpyxl.load_workbook(shop / "work.xlsx")
    book["live values"]["A2"] = "zKLUv"
    book.save(shop / "work.xlsx")

    done = neat_delta("compare", "evening.csv", "work.xlsx", cwd=shop)

    assert done.returncode == 3
    assert "the live values in this sheet are damaged. Use --base none" in done.stderr


@pytest.mark.parametrize("way", ["identity", "sku-changes"])
def test_a_new_sku_in_a_sheet_puts_no_old_value_back(shop, way):
    """The price has gone up in the shop since the sheet was made; the row has a new SKU and another name."""
    rows = [["sku", "id", "name", "price"], *([f"A{at}", f"{at}", f"Item {at}", "1.00"] for at in range(1, 9))]
    write_table(shop / "morning.csv", rows)
    rows[1][3] = rows[2][3] = "1.10"
    write_table(shop / "evening.csv", rows)
    if way == "identity":
        (shop / "catalogue.toml").write_text('identity = "id"\n')
    neat_delta("sheet", "morning.csv", "-o", "work.xlsx", "--unlock", "sku", "--unlock", "id", cwd=shop)
    typed(shop / "work.xlsx", shop / "edited.xlsx", A2="N1", C2="Renamed")
    write_table(shop / "codes.csv", [["old", "new"], ["A1", "N1"]])
    words = ["compare", "evening.csv", "edited.xlsx", *(["--sku-changes", "codes.csv"] if way != "identity" else [])]

    done = neat_delta(*words, "-o", "c.jsonl", "--write", "up", cwd=shop)

    assert done.returncode == 0, done.stdout + done.stderr
    assert "changed 1 ·" in done.stdout
    assert [read_rows(path) for path in sorted((shop / "up").glob("*.csv"))] == [
        [["sku", "new_sku"], ["A1", "N1"]],
        [["sku", "name"], ["N1", "Renamed"]],
    ]
    for again in (["write", "c.jsonl", "-o", "again"], ["pick", "c.jsonl", "--only", "name", "-o", "p.jsonl"]):
        assert neat_delta(*again, cwd=shop).returncode == 0
