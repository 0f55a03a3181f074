"""Numbers that a workbook shows with zeros in front: 417 under the format 000000 is 000417 to everybody who looks."""

from __future__ import annotations

import io
import re
import zipfile
from typing import TYPE_CHECKING
from xml.etree.ElementTree import ParseError

if TYPE_CHECKING:
    from collections.abc import Iterator

# ECMA-376 part 1: 18.8.30 (numFmt), 18.8.10 (cellXfs), 18.3.1.4 (c).
ZEROS = re.compile(r"0{2,}")
CELL = re.compile(rb'<c\b(?=[^>]*\br="([A-Z]+)(\d+)")(?=[^>]*\bs="(\d+)")')
# OpenDocument 1.3 part 3: 9.1.4 (table:table-cell), 19.387 (office:value).
PADDED = re.compile(rb'office:value="[^"]*"[^>]*><text:p>0\d+</text:p>')
LEADING_ZERO = re.compile(r"0\d+")
TABLE, OPEN, TEXT = (f"{{urn:oasis:names:tc:opendocument:xmlns:{part}:1.0}}" for part in ("table", "office", "text"))
OFFICE = "{http://schemas.openxmlformats.org/officeDocument/2006/relationships}"


def zeros_shown(data: bytes, sheet: str) -> Iterator[tuple[int, int, int]]:
    """The cells of a sheet with a format of zeros only: row and column, counted from 0, and how many digits.

    Nothing for workbooks that are neither XLSX nor ODS.
    """
    if not zipfile.is_zipfile(io.BytesIO(data)):
        return
    with zipfile.ZipFile(io.BytesIO(data)) as parts:
        if "content.xml" in parts.namelist():
            yield from _zeros_in_ods(parts.read("content.xml"), sheet)
            return
        try:
            digits = _zero_styles(parts)
            if not digits:
                return
            text = parts.read(_part_of(parts, sheet))
        except (KeyError, ParseError, StopIteration):
            return
    for column, row, style in CELL.findall(text):
        if style in digits:
            yield int(row) - 1, _column(column), digits[style]


def _zeros_in_ods(content: bytes, sheet: str) -> Iterator[tuple[int, int, int]]:
    """The same of an ODS sheet, where each number stands beside the text that is shown for it."""
    from defusedxml import ElementTree

    # Few sheets show such numbers, and looking for one is far quicker than parsing.
    if not PADDED.search(content):
        return
    try:
        root = ElementTree.fromstring(content)
    except ParseError:
        return
    table = next((node for node in root.iter(f"{TABLE}table") if node.get(f"{TABLE}name") == sheet), None)
    at = 0
    for row in () if table is None else table.iter(f"{TABLE}table-row"):
        rows = int(row.get(f"{TABLE}number-rows-repeated", 1))
        column = 0
        for cell in row:
            columns = int(cell.get(f"{TABLE}number-columns-repeated", 1))
            # A comment in the cell is no part of it.
            told = cell.find(f"{TEXT}p") if cell.get(f"{OPEN}value") is not None else None
            shown = "" if told is None else "".join(told.itertext())
            if LEADING_ZERO.fullmatch(shown):
                yield from ((at + down, column + right, len(shown)) for down in range(rows) for right in range(columns))
            column += columns
        at += rows


def _zero_styles(parts: zipfile.ZipFile) -> dict[bytes, int]:
    """How many digits each cell style shows that has a format of zeros, by the style's number as cells have it."""
    from defusedxml import ElementTree

    root = ElementTree.fromstring(parts.read("xl/styles.xml"))
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


def _part_of(parts: zipfile.ZipFile, sheet: str) -> str:
    """The part of the archive that holds a sheet."""
    from defusedxml import ElementTree

    book = ElementTree.fromstring(parts.read("xl/workbook.xml"))
    link = next(node.get(f"{OFFICE}id") for node in book.iter() if node.get("name") == sheet and node.get("sheetId"))
    links = ElementTree.fromstring(parts.read("xl/_rels/workbook.xml.rels"))
    target = next(str(node.get("Target")) for node in links if node.get("Id") == link)
    return target.lstrip("/") if target.startswith("/") else f"xl/{target}"


def _column(letters: bytes) -> int:
    """A column's letters as a number, counted from 0: A is 0, AA is 26."""
    number = 0
    for letter in letters:
        number = number * 26 + letter - ord("A") + 1
    return number - 1
