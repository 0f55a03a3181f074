"""Where workbook files tell more of a cell than its value: XLSX (ECMA-376) and ODS (OpenDocument)."""

from __future__ import annotations

import io
import zipfile
from dataclasses import dataclass
from typing import TYPE_CHECKING
from xml.etree.ElementTree import ParseError

if TYPE_CHECKING:
    from collections.abc import Iterator
    from xml.etree.ElementTree import Element

TABLE, OPEN, TEXT = (f"{{urn:oasis:names:tc:opendocument:xmlns:{part}:1.0}}" for part in ("table", "office", "text"))
OFFICE = "{http://schemas.openxmlformats.org/officeDocument/2006/relationships}"


@dataclass(frozen=True)
class SheetXml:
    """The XML of one sheet: all of an ODS workbook, or an XLSX worksheet with the workbook's styles."""

    name: str
    content: bytes
    styles: bytes | None

    @property
    def is_ods(self) -> bool:
        """Whether it is ODS, where styles are part of the content."""
        return self.styles is None


def sheet_xml(data: bytes, sheet: str) -> SheetXml | None:
    """The XML of a sheet; ``None`` for workbooks that are neither XLSX nor ODS, or not made as they should be."""
    if not zipfile.is_zipfile(io.BytesIO(data)):
        return None
    with zipfile.ZipFile(io.BytesIO(data)) as parts:
        if "content.xml" in parts.namelist():
            return SheetXml(sheet, parts.read("content.xml"), None)
        styles = parts.read("xl/styles.xml") if "xl/styles.xml" in parts.namelist() else b""
        try:
            return SheetXml(sheet, parts.read(_part_of(parts, sheet)), styles)
        except (KeyError, ParseError, StopIteration):
            return None


def _part_of(parts: zipfile.ZipFile, sheet: str) -> str:
    """The part of an XLSX archive that holds a sheet.

    Raises:
        KeyError, ParseError, StopIteration: the archive is not made as it should be.
    """
    from defusedxml import ElementTree

    book = ElementTree.fromstring(parts.read("xl/workbook.xml"))
    link = next(node.get(f"{OFFICE}id") for node in book.iter() if node.get("name") == sheet and node.get("sheetId"))
    links = ElementTree.fromstring(parts.read("xl/_rels/workbook.xml.rels"))
    target = next(str(node.get("Target")) for node in links if node.get("Id") == link)
    return target.lstrip("/") if target.startswith("/") else f"xl/{target}"


def column_number(letters: bytes) -> int:
    """A column's letters as a number, counted from 0: A is 0, AA is 26."""
    number = 0
    for letter in letters:
        number = number * 26 + letter - ord("A") + 1
    return number - 1


def ods_cells(sheet: SheetXml) -> Iterator[tuple[Element, range, range]]:
    """The cells of an ODS sheet, each with the rows and columns (from 0) in which it is; none if it is damaged."""
    from defusedxml import ElementTree

    try:
        root = ElementTree.fromstring(sheet.content)
    except ParseError:
        return
    table = next((node for node in root.iter(f"{TABLE}table") if node.get(f"{TABLE}name") == sheet.name), None)
    at = 0
    for row in () if table is None else table.iter(f"{TABLE}table-row"):
        rows = int(row.get(f"{TABLE}number-rows-repeated", 1))
        column = 0
        for cell in row:
            columns = int(cell.get(f"{TABLE}number-columns-repeated", 1))
            yield cell, range(at, at + rows), range(column, column + columns)
            column += columns
        at += rows


def shown_text(cell: Element) -> str:
    """The text that an ODS cell shows; a comment in it is no part of that."""
    result = cell.find(f"{TEXT}p")
    return "" if result is None else "".join(result.itertext())
