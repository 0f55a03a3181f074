"""XLSX and ODS workbooks: one sheet's cells as the text that people see."""

from __future__ import annotations

import gc
import io
import re
from datetime import date, datetime, time, timedelta
from decimal import Decimal
from typing import TYPE_CHECKING, Any, TypeVar

from neat_delta.base.errors import InvalidInput
from neat_delta.reading.frame_rows import ParsedFile
from neat_delta.reading.parse_errors import parse_errors_as
from neat_delta.reading.sheet_base import BASE_SHEET
from neat_delta.reading.unread_cells import unread_cells
from neat_delta.reading.workbook_bounds import (
    insist_on_bounded_sheet,
    insist_on_bounded_texts,
    insist_on_bounded_use,
    insist_on_well_formed,
)
from neat_delta.reading.workbook_parts import CANNOT_READ, SAVE_AGAIN, WorkbookParts
from neat_delta.reading.zero_padding import zeros_shown
from neat_delta.tables import ORIGIN_PROPERTY, field_name

if TYPE_CHECKING:
    from collections.abc import Callable, Sequence

    from neat_delta.locations import Location
    from neat_delta.reading.workbook_parts import SheetXml

T = TypeVar("T")
# Among so many rows of a sheet its header is looked for.
HEADER_ROWS = 20
# Spreadsheet programs keep fifteen significant digits; what is behind them is the noise of binary fractions.
SIGNIFICANT = 15
# The part by which a workbook of binary parts is known, of which zeros and failed formulas could not be told.
BINARY = "xl/workbook.bin"


def read_workbook(data: bytes, path: Location, worksheet: str | None) -> ParsedFile:
    """One sheet of a workbook: the wanted one by name or number, else the first that is visible and holds a table.

    Whole numbers come without a decimal point and never as powers of ten, dates as ISO 8601, flags as TRUE and FALSE.

    Raises:
        InvalidInput: it is no workbook, it has no such sheet, or more cells than a table has.
    """
    book = _Workbook(data, path)
    chosen = _chosen(book.names, book.visible, worksheet, path)
    sheets = ((name, book.sheet(name)) for name in chosen)
    name = next((name for name, sheet in sheets if sheet.height > 1 and sheet.width > 1), chosen[0])
    values = _without_collecting(lambda: book.rows(name))
    columns = _without_collecting(lambda: [_texts(column) for column in zip(*values, strict=True)])
    _as_shown(columns, values, book.parts.sheet_xml(name))
    other_sheets = [one for one in book.names if one not in (BASE_SHEET, name)]
    others = f" of {len(other_sheets) + 1}" if other_sheets else ""
    return ParsedFile(
        columns,
        range(1, len(values) + 1),
        f"workbook, worksheet {name}{others}",
        origin=_origin(book.parts),
        base=_base(book) if BASE_SHEET in book.names and name != BASE_SHEET else (),
    )


class _Workbook:
    """A workbook that was opened, its sheets looked at before they are read."""

    def __init__(self, data: bytes, path: Location) -> None:
        from python_calamine import CalamineWorkbook, SheetVisibleEnum

        self.path = path
        self.parts = WorkbookParts(data, path)
        if BINARY in self.parts.names:
            raise InvalidInput("cannot read this kind of workbook (XLSB)", file=path, hint=SAVE_AGAIN)
        insist_on_bounded_texts(self.parts)
        if xml := self.parts.sheet_xml("") if "content.xml" in self.parts.names else None:
            insist_on_well_formed(xml)
            insist_on_bounded_sheet(xml)
        with parse_errors_as(CANNOT_READ, path, SAVE_AGAIN):
            self._book = CalamineWorkbook.from_filelike(io.BytesIO(data))
            sheets = self._book.sheets_metadata
            self.visible = [sheet.name for sheet in sheets if sheet.visible == SheetVisibleEnum.Visible]
            self.names: list[str] = self._book.sheet_names
        self._sheets: dict[str, Any] = {}

    def sheet(self, name: str) -> Any:
        """A sheet by its name.

        Raises:
            InvalidInput: it cannot be read, or is too large.
        """
        if name not in self._sheets:
            xml = self.parts.sheet_xml(name)
            if xml is not None and not xml.is_ods:
                insist_on_bounded_sheet(xml)
                insist_on_bounded_use(self.parts, xml)
            with parse_errors_as(CANNOT_READ, self.path, SAVE_AGAIN):
                self._sheets[name] = self._book.get_sheet_by_name(name)
        return self._sheets[name]

    def rows(self, name: str, most: int | None = None) -> list[list[Any]]:
        """The cells of a sheet's rows, of all or of so many.

        Raises:
            InvalidInput: it cannot be read, or is too large.
        """
        sheet = self.sheet(name)
        with parse_errors_as(CANNOT_READ, self.path, SAVE_AGAIN):
            rows: list[list[Any]] = sheet.to_python(skip_empty_area=False, nrows=most)
        return rows


def _as_shown(columns: list[Sequence[str]], values: list[list[Any]], xml: SheetXml | None) -> None:
    """Put in what is shown in place of what is stored: zeros in front of numbers, errors, formulas without a value."""
    if xml is None:
        return
    for row, at, digits in zeros_shown(xml):
        # Text is shown as it is, whatever the format; a column of nothing but text is left as it came.
        if 0 <= row < len(values) and 0 <= at < len(columns) and not isinstance(values[row][at], str):
            columns[at][row] = columns[at][row].zfill(digits)  # type: ignore[index]
    for row, at, text in unread_cells(xml):
        if 0 <= row < len(values) and 0 <= at < len(columns) and not columns[at][row]:
            if not isinstance(columns[at], list):
                columns[at] = list(columns[at])
            columns[at][row] = text  # type: ignore[index]


def _base(book: _Workbook) -> tuple[str, ...]:
    """The texts of the worksheet with the live values from which the sheet was made."""
    return tuple(str(row[0]) for row in book.rows(BASE_SHEET) if row)


def best_sheet(data: bytes, path: Location, headers: set[str]) -> str | None:
    """The visible sheet whose header has most of these field names; ``None`` where the first table has as many."""
    book = _Workbook(data, path)
    shares: dict[str, int] = {}
    for name in book.visible or book.names:
        if book.sheet(name).height > 1:
            rows = book.rows(name, HEADER_ROWS)
            shares[name] = max(len(headers & {field_name(str(cell)) for cell in row}) for row in rows)
    best = max(shares, key=lambda name: shares[name], default=None)
    return None if best is None or best == next(iter(shares)) else best


def _without_collecting(make: Callable[[], T]) -> T:
    """What is made, without looking for garbage among the million objects that come into being: there is none."""
    collecting = gc.isenabled()
    gc.disable()
    try:
        return make()
    finally:
        if collecting:
            gc.enable()


def _texts(cells: Sequence[Any]) -> Sequence[str]:
    """A column's cells as people see them; each value is worked out once, however often it occurs."""
    types = set(map(type, cells))
    if types == {str}:
        return cells
    # Values of two types may be equal and yet read differently: 1 and TRUE.
    if len(types - {str}) == 1:
        texts = {value: _TEXT[type(value)](value) for value in set(cells)}
        return [texts[value] for value in cells]
    return [_TEXT[type(value)](value) for value in cells]


def _origin(parts: WorkbookParts) -> str | None:
    """The checksum that our own sheets carry among the document's properties, in XLSX and in ODS alike."""
    for name in ("docProps/custom.xml", "meta.xml"):
        _, marker, after = parts.read(name).decode(errors="replace").partition(f'name="{ORIGIN_PROPERTY}"')
        fingerprint = re.search(r">([0-9a-f]{64})<", after) if marker else None
        if fingerprint:
            return fingerprint[1]
    return None


def _chosen(names: list[str], visible: list[str], worksheet: str | None, path: Location) -> list[str]:
    if not names:
        raise InvalidInput("the workbook has no worksheets", file=path, hint=SAVE_AGAIN)
    if worksheet is None:
        return visible or names
    if worksheet in names:
        return [worksheet]
    if worksheet.isascii() and worksheet.isdigit() and len(worksheet) < 9 and 1 <= int(worksheet) <= len(names):
        return [names[int(worksheet) - 1]]
    raise InvalidInput(
        f"the workbook has no worksheet {worksheet!r}", file=path, hint=f"Worksheets: {', '.join(names)}."
    )


def number_text(value: float) -> str:
    """A spreadsheet's number as people see it: 4 rather than 4.0, 4006381333931 rather than 4.01E+12."""
    if value.is_integer() and abs(value) < 10**SIGNIFICANT:
        return str(int(value))
    text = repr(value)
    if len(text) <= SIGNIFICANT and "e" not in text:
        return text  # the shortest text that gives this number is what was typed
    text = format(Decimal(format(value, f".{SIGNIFICANT}g")), "f")
    return text.rstrip("0").rstrip(".") if "." in text else text


def _moment(value: datetime) -> str:
    return value.date().isoformat() if value.time() == time() else value.isoformat(" ")


def _hours(value: timedelta) -> str:
    """A length of time as programs show it, in hours: 36:10:00."""
    seconds = round(value.total_seconds())
    sign, seconds = ("-", -seconds) if seconds < 0 else ("", seconds)
    return f"{sign}{seconds // 3600:02}:{seconds // 60 % 60:02}:{seconds % 60:02}"


_TEXT: dict[type, Callable[[Any], str]] = {
    str: str,
    float: number_text,
    int: str,
    bool: lambda value: "TRUE" if value else "FALSE",
    datetime: _moment,
    date: date.isoformat,
    time: time.isoformat,
    timedelta: _hours,
    type(None): lambda _: "",
}
