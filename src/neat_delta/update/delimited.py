"""Delimited text in the form of the live export."""

from __future__ import annotations

import codecs
import io
from dataclasses import replace
from typing import TYPE_CHECKING

import polars as pl

from neat_delta.matching import KEY_SEPARATOR
from neat_delta.tables.formula_text import escaped

if TYPE_CHECKING:
    from neat_delta.tables import FileFormat
    from neat_delta.tables.import_config import ImportConfig


def import_format(live: FileFormat, rules: ImportConfig) -> FileFormat:
    """How a file for the shop is written: as its exports are, but for what is configured for its import."""
    charset = codecs.lookup(rules.encoding).name if rules.encoding else live.encoding
    return replace(
        live,
        delimiter=rules.delimiter or live.delimiter,
        encoding=charset,
        bom=live.bom and charset == live.encoding,
    )


_MARKS = {"utf-8": codecs.BOM_UTF8, "utf-16-le": codecs.BOM_UTF16_LE, "utf-16-be": codecs.BOM_UTF16_BE}


def delimited(cells: pl.DataFrame, form: FileFormat) -> bytes:
    """A table as a file of that form; null and empty cells are written as nothing between two delimiters.

    Raises:
        UnicodeEncodeError: the form's character set lacks a character of some cell.
    """
    stream = io.BytesIO()
    cells.write_csv(
        stream,
        separator=form.delimiter,
        line_terminator=form.line_end,
        quote_style="always" if form.quote_all else "necessary",
    )
    data = stream.getvalue()
    charset = form.writing_encoding
    if charset != "utf-8":
        data = data.decode().encode(charset)
    return (_MARKS[charset] if form.bom else b"") + data


def report_csv(frame: pl.DataFrame) -> bytes:
    """A table for people, as comma-separated UTF-8 that spreadsheet programs recognise by its mark.

    Text that they would run as a formula gets an apostrophe in front; exact decimals lose the zeros behind.
    """
    texts = frame.with_columns(
        pl.col(pl.Decimal).cast(pl.String).str.replace(r"\.?0+$", ""),
        escaped(pl.col(pl.String).str.replace_all(KEY_SEPARATOR, " · ", literal=True)),
    )
    return codecs.BOM_UTF8 + texts.write_csv().encode()


def as_workbook(cells: pl.DataFrame) -> bytes:
    """A table as an XLSX workbook of one sheet, every cell as text, so that codes and numbers stay as they are."""
    import xlsxwriter

    stream = io.BytesIO()
    book = xlsxwriter.Workbook(stream, {"strings_to_formulas": False, "strings_to_urls": False, "in_memory": True})
    sheet, text = book.add_worksheet("update"), book.add_format({"num_format": "@"})
    sheet.set_column(0, max(0, cells.width - 1), 16, text)
    for at, row in enumerate([cells.columns, *cells.iter_rows()]):
        for place, cell in enumerate(row):
            if cell:
                sheet.write_string(at, place, cell, text)
    sheet.freeze_panes(1, 0)
    book.close()
    return stream.getvalue()
