"""Numbers that a workbook shows with zeros in front: 417 under the format 000000 is 000417 to everybody who looks."""

from __future__ import annotations

import re
from typing import TYPE_CHECKING

from neat_delta.reading.workbook_parts import OPEN, column_number, ods_cells, parsed_xml, shown_text

if TYPE_CHECKING:
    from collections.abc import Iterator

    from neat_delta.reading.workbook_parts import SheetXml

# ECMA-376 part 1: 18.8.30 (numFmt), 18.8.10 (cellXfs), 18.3.1.4 (c).
ZEROS = re.compile(r"0{2,}")
# No pattern looks beyond its own tag, or a file made for it would take a minute for each kilobyte.
CELL = re.compile(rb'<c\b(?=[^<>]*?\br="([A-Z]{1,9})([0-9]{1,12})")(?=[^<>]*?\bs="([0-9]{1,9})")')
# OpenDocument 1.3 part 3: 9.1.4 (table:table-cell), 19.387 (office:value).
PADDED = re.compile(rb'office:value="[^"<>]*"[^<>]{0,200}><text:p>0[0-9]+</text:p>')
LEADING_ZERO = re.compile(r"0[0-9]+")


def zeros_shown(sheet: SheetXml) -> Iterator[tuple[int, int, int]]:
    """The cells of a sheet with a format of zeros only: row and column, counted from 0, and how many digits."""
    if sheet.styles is None:
        yield from _zeros_in_ods(sheet)
        return
    digits = _zero_styles(sheet)
    if not digits:
        return
    for column, row, style in CELL.findall(sheet.content):
        if style in digits:
            yield int(row) - 1, column_number(column), digits[style]


def _zeros_in_ods(sheet: SheetXml) -> Iterator[tuple[int, int, int]]:
    """The same of an ODS sheet, where each number is beside the text that is shown for it."""
    # Few sheets show such numbers, and looking for one is far quicker than parsing.
    if not PADDED.search(sheet.content):
        return
    for cell, rows, columns in ods_cells(sheet):
        shown = shown_text(cell) if cell.get(f"{OPEN}value") is not None else ""
        if LEADING_ZERO.fullmatch(shown):
            yield from ((row, column, len(shown)) for row in rows for column in columns)


def _zero_styles(sheet: SheetXml) -> dict[bytes, int]:
    """How many digits each cell style shows that has a format of zeros, by the style's number as cells have it."""
    if not sheet.styles:
        return {}
    root = parsed_xml(sheet.styles, sheet.path)
    space = root.tag.partition("}")[0] + "}"
    formats = {
        form.get("numFmtId"): len(form.get("formatCode", ""))
        for form in root.iter(f"{space}numFmt")
        if ZEROS.fullmatch(form.get("formatCode", ""))
    }
    styles = root.find(f"{space}cellXfs")
    return {
        str(at).encode(): formats[style.get("numFmtId")]
        for at, style in enumerate(styles if styles is not None else ())
        if style.get("numFmtId") in formats
    }
