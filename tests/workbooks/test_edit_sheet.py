"""An untouched sheet changes nothing, whatever the shop's texts and numbers are."""

import tempfile
from pathlib import Path

import polars as pl
from hypothesis import example, given, settings
from hypothesis import strategies as st

from helpers import examples, write_table
from neat_delta.diff.compare import CompareOptions, compare
from neat_delta.reading import read_table
from neat_delta.tables.settings import Settings
from neat_delta.workbooks.edit_sheet import delimited_sheet, sheet_columns, workbook
from neat_delta.workflows.plan import context_of

HEADER = ["sku", "näme", "price", "stock", "on", "day"]
signs = st.characters(codec="utf-8", exclude_categories=("Cc", "Cs", "Cn")) | st.sampled_from("\n\t=_x")
text = st.text(signs, max_size=12)
number = st.decimals(min_value=-(10**12), max_value=10**12, allow_nan=False).map(lambda n: format(n, "f"))
day = st.dates().filter(lambda d: d.year >= 1900).map(lambda d: d.isoformat())
row = st.tuples(text, st.one_of(number, st.just("")), st.integers(0, 10**20).map(str), st.sampled_from("01"), day)


@settings(max_examples=examples(25))
@given(st.lists(row, min_size=1, max_size=6), st.sampled_from([".xlsx", ".csv"]))
@example([("", "90.9130", "0", "0", "2000-01-01")], ".xlsx")
def test_an_untouched_sheet_changes_nothing(rows, suffix):
    with tempfile.TemporaryDirectory() as name:
        path = write_table(Path(name) / "live.csv", [HEADER, *([f"{at:04}", *cells] for at, cells in enumerate(rows))])
        live = read_table(path)
        every = pl.int_range(len(live), dtype=pl.UInt32, eager=True)
        columns = sheet_columns(context_of(live, Settings(), ["sku"]), live.names, every)
        sheet = Path(name) / f"work{suffix}"
        sheet.write_bytes((workbook if suffix == ".xlsx" else delimited_sheet)(columns, live))

        seen = compare(live, read_table(sheet), CompareOptions(clear_blanks=True))

    assert seen.changes.cells.is_empty()
    assert seen.changes.findings.is_empty()
