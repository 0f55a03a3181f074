"""A workbook of findings: a sheet for each level, the rows as they came beside the reasons, to be mended and sent back.

Mended and compared again, such a sheet changes just its own rows: its columns are those of the edited sheet, with the
findings in front. All cells are text, so that codes survive; and what a spreadsheet program would run
as a formula is behind an apostrophe, which comparing takes off again.
"""

from __future__ import annotations

import io
from typing import TYPE_CHECKING, Any

import polars as pl

from neat_delta.changeset.findings import data_of
from neat_delta.matching import KEY_SEPARATOR, Key
from neat_delta.tables.formula_text import escaped, escaped_text, unescaped
from neat_delta.tables.line_names import lines_as_text

if TYPE_CHECKING:
    from neat_delta.changeset.changeset import ChangeSet
    from neat_delta.tables import Table

LEVELS = {"error": "#F3D3BF", "warning": "#FBF0C8", "note": "#E8E6E1"}
FRONT = {"problem: line": 12, "problem: what is wrong": 52}
AS_IT_CAME = {"problem: original row": 40}
LINE_HEIGHT = 15
WIDEST, NARROWEST = 40, 10
MOST_ROWS = 100_000
SAMPLE = 200


def problems_workbook(changes: ChangeSet, rows: Table, *, as_edited: bool) -> bytes:
    """An XLSX workbook of all findings of a change set.

    ``rows`` is the edited sheet, if that is at hand (``as_edited``), else the live export: where a finding's row is
    taken from.
    """
    import xlsxwriter

    stream = io.BytesIO()
    book = xlsxwriter.Workbook(stream, {"strings_to_formulas": False, "strings_to_urls": False, "in_memory": True})
    for level, colour in LEVELS.items():
        findings = changes.findings.filter(level=level).head(MOST_ROWS)
        _level_sheet(
            book, level, colour, _by_row(findings, changes, rows, as_edited=as_edited), rows, as_edited=as_edited
        )
    book.close()
    return stream.getvalue()


def _by_row(findings: pl.DataFrame, changes: ChangeSet, rows: Table, *, as_edited: bool) -> pl.DataFrame:
    """The findings of one row together (line, key, fields, says, raw, place), with its position (at; null if none)."""
    about = pl.when(pl.col("field").is_null()).then(pl.lit("")).otherwise(pl.col("field") + ": ")
    message = about + pl.col("message")
    grouped = findings.group_by("line", "key", maintain_order=True).agg(
        fields=pl.col("field").drop_nulls().unique(maintain_order=True),
        says=message.unique(maintain_order=True).str.join("\n"),
        raw=data_of("row").drop_nulls().first(),
    )
    named = lines_as_text(changes.head.edited.parts, grouped["line"]).alias("place")
    grouped = grouped.with_columns(named)
    if as_edited:
        places = pl.DataFrame({"line": rows.rows.line}).with_row_index("at")
        return grouped.join(places, on="line", how="left", maintain_order="left")
    keys = pl.DataFrame({"key": Key(changes.head.key, explicit=True).values(rows)}).with_row_index("at")
    return grouped.join(keys.unique("key", keep="first"), on="key", how="left", maintain_order="left")


def _level_sheet(book: Any, level: str, colour: str, findings: pl.DataFrame, rows: Table, *, as_edited: bool) -> None:
    sheet = book.add_worksheet(level)
    head = book.add_format({"bold": True, "bg_color": "#E8E6E1", "bottom": 1, "num_format": "@"})
    plain = book.add_format({"num_format": "@", "valign": "top"})
    text_format = book.add_format({"num_format": "@", "valign": "top", "text_wrap": True})
    marked = book.add_format({"num_format": "@", "valign": "top", "bg_color": colour, "bold": True})
    front = FRONT | (AS_IT_CAME if findings["raw"].count() else {})
    for at, (name, width) in enumerate(front.items()):
        sheet.set_column(at, at, width, text_format)
        sheet.write_string(0, at, name, head)
    cells = rows.cells(rows.names, findings["at"].drop_nulls()).select(
        escaped(unescaped(pl.all()) if as_edited else pl.all())
    )
    findings = findings.with_columns(escaped(pl.col("says", "raw", "key")))
    for at, field in enumerate(rows.fields, start=len(front)):
        longest = cells[field.name].head(SAMPLE).str.len_chars().max() or 0
        width = max(NARROWEST, min(WIDEST, max(int(str(longest)), len(field.column)) + 2))
        sheet.set_column(at, at, width, plain)
        sheet.write_string(0, at, escaped_text(field.column), head)
    row_cells = iter(cells.iter_rows())
    shown = findings.select("place", "key", "fields", "says", "raw", "at")
    for number, (line, key, fields, says, raw, at) in enumerate(shown.iter_rows(), start=1):
        # Whoever has no row of its own is at least known by its code.
        message = says if at is not None or not key or raw else f"{key.replace(KEY_SEPARATOR, ' · ')}: {says}"
        for place, text in enumerate((line or "", message, raw or "")[: len(front)]):
            sheet.write_string(number, place, text, text_format)
        room = FRONT["problem: what is wrong"]
        sheet.set_row(number, LINE_HEIGHT * sum(1 + len(part) // room for part in message.split("\n")))
        if at is None:
            continue
        for place, (name, cell) in enumerate(zip(rows.names, next(row_cells), strict=True), start=len(front)):
            if cell or name in fields:
                sheet.write_string(number, place, cell, marked if name in fields else plain)
    sheet.freeze_panes(1, len(FRONT))
    if len(findings):
        sheet.autofilter(0, 0, len(findings), len(front) + len(rows.fields) - 1)
