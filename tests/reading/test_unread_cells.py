"""What a workbook's cells hold that come as blanks: errors, and formulas that nobody has computed."""

import shutil
import subprocess

import openpyxl
import pytest

from helpers import write_table
from neat_delta.diff.compare import CompareOptions, compare
from neat_delta.reading import read_pair, read_table

LIVE = [["sku", "price", "name"], *([f"A{at}", f"{at}.50", f"Jar {at}"] for at in range(1, 9))]


def book(path, cells):
    made = openpyxl.Workbook()
    sheet = made.active
    for row in LIVE:
        sheet.append(row)
    for place, (value, of_type) in cells.items():
        sheet[place] = value
        sheet[place].data_type = of_type
    made.save(path)
    return path


def test_errors_and_formulas_without_a_value_are_no_blanks(tmp_path):
    cells = {"B2": ("#N/A", "e"), "B3": ("=B2*2", "f"), "C4": ("#REF!", "e"), "B5": (None, "n")}
    sheet = read_table(book(tmp_path / "s.xlsx", cells))

    assert sheet.cells(["price"])["price"].to_list()[:4] == ["#N/A", "=B2*2", "3.50", ""]
    assert sheet.cells(["name"])["name"][2] == "#REF!"


def test_with_clearing_on_no_error_empties_a_field(tmp_path):
    cells = {f"B{at}": ("#N/A", "e") for at in range(2, 8)}
    ours, edited = read_pair(write_table(tmp_path / "live.csv", LIVE), book(tmp_path / "s.xlsx", cells))

    changes = compare(ours, edited, CompareOptions(clear_blanks=True)).changes

    assert changes.cells.is_empty()
    assert len(changes.findings.filter(level="error", field="price")) == 6


@pytest.mark.skipif(shutil.which("soffice") is None, reason="no spreadsheet program is installed here")
@pytest.mark.parametrize("form", ["xlsx", "ods"])
def test_a_spreadsheet_programs_errors_are_seen_and_values_of_formulas_taken(tmp_path, form):
    table = [["sku", "a", "b", "c", "d"], ["A", "=1/0", "=NA()", "=NOSUCH()", "=1+1"], ["B", "1", "2", "3", '=""']]
    write_table(tmp_path / "t.csv", table)
    subprocess.run(
        ["soffice", f"-env:UserInstallation=file://{tmp_path}/profile", "--headless", "--convert-to", form,
         "--infilter=CSV:44,34,76,1,,0,false,true,false,false,false,-1", "t.csv"],
        cwd=tmp_path, check=True, capture_output=True, timeout=600,
    )  # fmt: skip

    sheet = read_table(tmp_path / f"t.{form}")

    assert sheet.cells(sheet.names).rows() == [("A", "#DIV/0!", "#N/A", "#NAME?", "2"), ("B", "1", "2", "3", "")]
