"""The parts of a workbook file that tell more of a cell than its value: XLSX (ECMA-376) and ODS (OpenDocument)."""

from __future__ import annotations

import io
import zipfile
from dataclasses import dataclass
from functools import cached_property
from typing import TYPE_CHECKING

from neat_delta.reading.archives import unzipped
from neat_delta.reading.parse_errors import parse_errors_as

if TYPE_CHECKING:
    from collections.abc import Iterator
    from xml.etree.ElementTree import Element

    from neat_delta.locations import Location

TABLE, OPEN, TEXT = (f"{{urn:oasis:names:tc:opendocument:xmlns:{part}:1.0}}" for part in ("table", "office", "text"))
OFFICE = "{http://schemas.openxmlformats.org/officeDocument/2006/relationships}"
ZIP = b"PK\x03\x04"
# A sheet has no more rows than this in any program; what an ODS file repeats beyond them is no table.
MOST_ROWS = 1 << 20
CANNOT_READ = "cannot read the workbook"
SAVE_AGAIN = "Open it in a spreadsheet program and save it as XLSX or CSV."


@dataclass(frozen=True)
class SheetXml:
    """The XML of one sheet: all of an ODS workbook, or an XLSX worksheet with the workbook's styles."""

    name: str
    content: bytes
    styles: bytes | None
    path: Location

    @property
    def is_ods(self) -> bool:
        """Whether it is ODS, where styles are part of the content."""
        return self.styles is None


@dataclass(frozen=True)
class WorkbookParts:
    """The archive that a workbook is; one of the older kinds, which are none, has no parts."""

    data: bytes
    path: Location

    @cached_property
    def _archive(self) -> zipfile.ZipFile | None:
        if not self.data.startswith(ZIP):
            return None
        with parse_errors_as(CANNOT_READ, self.path, SAVE_AGAIN):
            return zipfile.ZipFile(io.BytesIO(self.data))

    @cached_property
    def names(self) -> frozenset[str]:
        """The names of all parts."""
        return frozenset(self._archive.namelist() if self._archive else ())

    def packed_size(self, name: str) -> int:
        """How many bytes a part takes in the archive."""
        return self._archive.getinfo(name).compress_size if self._archive else 0

    def read(self, name: str) -> bytes:
        """What a part holds; nothing if there is none of that name.

        Raises:
            InvalidInput: it is damaged.
        """
        if self._archive is None or name not in self.names:
            return b""
        return unzipped(self._archive, self._archive.getinfo(name), self.path)

    def sheet_xml(self, sheet: str) -> SheetXml | None:
        """The XML of a sheet; ``None`` where it is in none of the places that the standards name.

        Raises:
            InvalidInput: a part is damaged, or no XML that is safe to read.
        """
        if "content.xml" in self.names:
            return SheetXml(sheet, self.read("content.xml"), None, self.path)
        part = self._part_of(sheet)
        return SheetXml(sheet, self.read(part), self.read("xl/styles.xml"), self.path) if part in self.names else None

    def _part_of(self, sheet: str) -> str | None:
        """The part of an XLSX archive that holds a sheet."""
        book, links = (self.read(f"xl/{name}") for name in ("workbook.xml", "_rels/workbook.xml.rels"))
        if not book or not links:
            return None
        nodes = parsed_xml(book, self.path).iter()
        link = next((node.get(f"{OFFICE}id") for node in nodes if _is_sheet(node, sheet)), None)
        targets = (node.get("Target") for node in parsed_xml(links, self.path) if node.get("Id") == link)
        target = next(targets, None)
        if target is None:
            return None
        return target.lstrip("/") if target.startswith("/") else f"xl/{target}"


def _is_sheet(node: Element, name: str) -> bool:
    return node.get("name") == name and node.get("sheetId") is not None


def parsed_xml(data: bytes, path: Location) -> Element:
    """A part as XML, by a parser that refuses entities.

    Raises:
        InvalidInput: it is no XML, or declares entities.
    """
    from defusedxml import ElementTree

    with parse_errors_as(CANNOT_READ, path, SAVE_AGAIN):
        root: Element = ElementTree.fromstring(data)
    return root


def column_number(letters: bytes) -> int:
    """A column's letters as a number, counted from 0: A is 0, AA is 26."""
    number = 0
    for letter in letters:
        number = number * 26 + letter - ord("A") + 1
    return number - 1


def ods_cells(sheet: SheetXml) -> Iterator[tuple[Element, range, range]]:
    """The cells of an ODS sheet, each with the rows and columns (from 0) in which it is.

    Raises:
        InvalidInput: it is no XML that is safe to read, or repeats something a number of times that is none.
    """
    root = parsed_xml(sheet.content, sheet.path)
    table = next((node for node in root.iter(f"{TABLE}table") if node.get(f"{TABLE}name") == sheet.name), None)
    at = 0
    for row in () if table is None else table.iter(f"{TABLE}table-row"):
        rows = _repeated(row, "rows", sheet)
        column = 0
        for cell in row:
            columns = _repeated(cell, "columns", sheet)
            yield cell, range(at, at + rows), range(column, column + columns)
            column += columns
        at += rows


def _repeated(node: Element, what: str, sheet: SheetXml) -> int:
    with parse_errors_as(CANNOT_READ, sheet.path, SAVE_AGAIN):
        return min(MOST_ROWS, int(node.get(f"{TABLE}number-{what}-repeated", 1)))


def shown_text(cell: Element) -> str:
    """The text that an ODS cell shows; a comment in it is no part of that."""
    paragraph = cell.find(f"{TEXT}p")
    return "" if paragraph is None else "".join(paragraph.itertext())
