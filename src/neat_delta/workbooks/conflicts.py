"""The conflicts as a workbook: a row for each, with a decision to choose; it is read back."""

from __future__ import annotations

import io
from typing import TYPE_CHECKING

import polars as pl

from neat_delta.matching.key import key_parts
from neat_delta.reconcile.decisions import CONFLICTS_SHEET, DECISION, FIELD
from neat_delta.tables.formula_text import escaped

if TYPE_CHECKING:
    from collections.abc import Sequence

WIDTHS = {"name": 32, FIELD: 14, DECISION: 16}
USUAL, ROOM = 18, 100_000


def conflicts_workbook(
    conflicts: pl.DataFrame, names: pl.DataFrame, key: Sequence[str], sides: Sequence[str], choices: Sequence[str]
) -> bytes:
    """An XLSX workbook of conflicts (key, field, a column for each side) with the names of the items (key, name).

    ``choices`` are what may be decided: they are a drop-down list in the last column.
    """
    import xlsxwriter

    named = conflicts.join(names.unique("key", keep="first"), on="key", how="left", maintain_order="left")
    parts = key_parts(named["key"], key)
    frame = pl.concat([parts, named.select("name", "field", *sides)], how="horizontal")
    frame = frame.with_columns(escaped(pl.col(pl.String).fill_null("")), pl.lit("").alias(DECISION))
    stream = io.BytesIO()
    book = xlsxwriter.Workbook(stream, {"strings_to_formulas": False, "strings_to_urls": False, "in_memory": True})
    sheet = book.add_worksheet(CONFLICTS_SHEET)
    head = book.add_format({"bold": True, "bg_color": "#E8E6E1", "bottom": 1, "num_format": "@"})
    text = book.add_format({"num_format": "@", "valign": "top", "text_wrap": True})
    open_cell = book.add_format({"num_format": "@", "valign": "top", "bg_color": "#FBF0C8"})
    for at, name in enumerate(frame.columns):
        sheet.set_column(at, at, WIDTHS.get(name, USUAL), text)
        sheet.write_string(0, at, name, head)
    for number, row in enumerate(frame.iter_rows(), start=1):
        for at, cell in enumerate(row[:-1]):
            sheet.write_string(number, at, cell, text)
        sheet.write_string(number, frame.width - 1, "", open_cell)
    last = frame.width - 1
    how = f"Whose value goes on? Choose {' or '.join(choices)}. A blank cell leaves the conflict open."
    sheet.write_comment(0, last, how, {"x_scale": 2})
    if len(frame):
        sheet.data_validation(1, last, len(frame), last, {"validate": "list", "source": list(choices)})
        sheet.autofilter(0, 0, len(frame), last)
    sheet.freeze_panes(1, len(key))
    book.close()
    return stream.getvalue()
