"""A workbook of findings: a sheet for each level, the rows as they came beside the reasons, to be mended and sent back.

Mended and compared again, such a sheet changes just its own rows: its columns are those of the edited sheet, with the
findings in front. All cells are text, so that codes survive and nothing is run as a formula.
"""

from __future__ import annotations

import io
from typing import TYPE_CHECKING, Any

import polars as pl

from neat_delta.matching import JOINT, Key

if TYPE_CHECKING:
    from neat_delta.catalogue import Catalogue
    from neat_delta.changes import ChangeSet

LEVELS = {"stop": "#F3D3BF", "warn": "#FBF0C8", "note": "#E8E6E1"}
FRONT = ("finding: line", "finding: field", "finding: what is wrong", "finding: row as it came")
WIDTHS = (12, 18, 70, 24)
WIDEST, NARROWEST = 40, 10
MOST_ROWS = 100_000
SAMPLE = 200


def findings_book(changes: ChangeSet, rows: Catalogue, *, as_edited: bool) -> bytes:
    """An XLSX workbook of all findings of a change set.

    ``rows`` is the edited sheet, if that is at hand (``as_edited``), else the live export: where a finding's row is
    taken from.
    """
    import xlsxwriter

    stream = io.BytesIO()
    book = xlsxwriter.Workbook(stream, {"strings_to_formulas": False, "strings_to_urls": False, "in_memory": True})
    for level, colour in LEVELS.items():
        found = changes.findings.filter(level=level).head(MOST_ROWS)
        _level_sheet(book, level, colour, _by_row(found, changes, rows, as_edited=as_edited), rows)
    book.close()
    return stream.getvalue()


def _by_row(found: pl.DataFrame, changes: ChangeSet, rows: Catalogue, *, as_edited: bool) -> pl.DataFrame:
    """The findings of one row together (line, key, fields, says, raw), with its position (at; null if unknown)."""
    about = pl.when(pl.col("field").is_null()).then(pl.lit("")).otherwise(pl.col("field") + ": ")
    said = about + pl.col("say")
    unreadable = pl.col("check") == "unreadable row"
    grouped = found.group_by("line", "key", maintain_order=True).agg(
        fields=pl.col("field").drop_nulls().unique(maintain_order=True),
        says=said.unique(maintain_order=True).str.join("\n"),
        raw=pl.col("value").filter(unreadable).first(),
    )
    if as_edited:
        places = pl.DataFrame({"line": rows.rows.line}).with_row_index("at")
        return grouped.join(places, on="line", how="left", maintain_order="left")
    keys = pl.DataFrame({"key": Key(changes.head.key, told=True).values(rows)}).with_row_index("at")
    return grouped.join(keys.unique("key", keep="first"), on="key", how="left", maintain_order="left")


def _level_sheet(book: Any, level: str, colour: str, found: pl.DataFrame, rows: Catalogue) -> None:
    sheet = book.add_worksheet(level)
    head = book.add_format({"bold": True, "bg_color": "#E8E6E1", "bottom": 1, "num_format": "@"})
    plain = book.add_format({"num_format": "@", "valign": "top"})
    told = book.add_format({"num_format": "@", "valign": "top", "text_wrap": True})
    marked = book.add_format({"num_format": "@", "valign": "top", "bg_color": colour, "bold": True})
    columns = [field.column for field in rows.fields]
    cells = rows.cells(rows.names, found["at"].drop_nulls())
    for at, (name, width) in enumerate(zip(FRONT, WIDTHS, strict=True)):
        sheet.set_column(at, at, width, told)
        sheet.write_string(0, at, name, head)
    for at, (column, field) in enumerate(zip(columns, rows.names, strict=True), start=len(FRONT)):
        longest = cells[field].head(SAMPLE).str.len_chars().max() or 0
        width = max(NARROWEST, min(WIDEST, max(int(str(longest)), len(column)) + 2))
        sheet.set_column(at, at, width, plain)
        sheet.write_string(0, at, column, head)
    row_cells = iter(cells.iter_rows())
    for number, (line, key, fields, says, raw, at) in enumerate(found.iter_rows(), start=1):
        known = raw or ("" if at is not None else (key or "").replace(JOINT, " · "))
        front = (str(line or ""), ", ".join(fields), says, known)
        for place, text in enumerate(front):
            sheet.write_string(number, place, text, told)
        if at is None:
            continue
        for place, (name, cell) in enumerate(zip(rows.names, next(row_cells), strict=True), start=len(FRONT)):
            if cell or name in fields:
                sheet.write_string(number, place, cell, marked if name in fields else plain)
    sheet.freeze_panes(1, 0)
    if len(found):
        sheet.autofilter(0, 0, len(found), len(FRONT) + len(columns) - 1)
