"""Cells of a workbook that are no blanks though they come as such: failed formulas, and formulas without a value.

A program that computes keeps each formula's value beside it. An error is kept by its name (#N/A), and a formula that no
program has computed yet has no value at all; both must be seen, for a blank may mean "empty this field".
"""

from __future__ import annotations

import re
from html import unescape
from typing import TYPE_CHECKING

from neat_delta.reading.workbook_parts import OPEN, TABLE, TEXT, column_number, ods_cells, shown_text

if TYPE_CHECKING:
    from collections.abc import Iterator

    from neat_delta.reading.workbook_parts import SheetXml

# ECMA-376 part 1: 18.3.1.4 (c, its type t: "e" is an error, "str" a formula's text), 18.3.1.40 (f), 18.3.1.96 (v).
# Each cell's pattern ends where the next cell begins, whatever is missing in it.
# (No possessive repeat: the re module of Python 3.11.2 loses what a group around one captures.)
CELL = re.compile(rb"<c\b([^<>]*?)(?:/>|>((?:[^<]|<(?!/?c\b))*)</c>)")
PLACE, TYPE = re.compile(rb'\br="([A-Z]{1,9})([0-9]{1,12})"'), re.compile(rb'\bt="([A-Za-z]+)"')
VALUE, FORMULA = re.compile(rb"<v\b[^<>]*>([^<]+)</v>"), re.compile(rb"<f\b[^<>]*?(?:/>|>([^<]*)</f>)")
# OpenDocument 1.3 knows no type of errors; programs add one of their own, beside the text that is shown.
ODS_ERROR = "{urn:org:documentfoundation:names:experimental:calc:xmlns:calcext:1.0}value-type"
ERROR_TEXT = re.compile(r"#[A-Z/0-9]+[!?]?|Err:[0-9]+|#+")


def unread_cells(sheet: SheetXml) -> Iterator[tuple[int, int, str]]:
    """Such cells of a sheet: row and column, counted from 0, and the error, or the formula behind its equals sign."""
    if sheet.is_ods:
        yield from _in_ods(sheet)
        return
    if b'"e"' not in sheet.content and b"<f" not in sheet.content:
        return
    for attributes, body in CELL.findall(sheet.content):
        place, of_type = PLACE.search(attributes), TYPE.search(attributes)
        unread = _unread(of_type[1] if of_type else b"", body)
        if place and unread is not None:
            yield int(place[2]) - 1, column_number(place[1]), unescape(unread.decode(errors="replace"))


def _unread(of_type: bytes, body: bytes) -> bytes | None:
    """What is in a cell that comes as a blank; ``None`` if it is one, or comes as it is."""
    value, formula = VALUE.search(body), FORMULA.search(body)
    if of_type == b"e":
        return value[1] if value else b"#N/A"
    if formula and not value and of_type not in (b"str", b"inlineStr"):
        return b"=" + (formula[1] or b"")
    return None


def _in_ods(sheet: SheetXml) -> Iterator[tuple[int, int, str]]:
    if b"table:formula" not in sheet.content and b'value-type="error"' not in sheet.content:
        return
    for cell, rows, columns in ods_cells(sheet):
        formula, shown = cell.get(f"{TABLE}formula"), shown_text(cell)
        if cell.get(ODS_ERROR) == "error" or (formula and ERROR_TEXT.fullmatch(shown)):
            text = shown or "#N/A"
        elif formula and cell.get(f"{OPEN}value-type") is None and cell.find(f"{TEXT}p") is None:
            text = "=" + formula.partition("=")[2]
        else:
            continue
        yield from ((row, column, text) for row in rows for column in columns)
