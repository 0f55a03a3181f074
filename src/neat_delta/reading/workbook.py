"""XLSX and ODS workbooks: one sheet's cells as the text that people see."""

from __future__ import annotations

import gc
import io
import re
import zipfile
from datetime import date, datetime, time, timedelta
from decimal import Decimal
from typing import TYPE_CHECKING, Any, TypeVar

from neat_delta.errors import InvalidInput
from neat_delta.reading.frame_rows import ParsedFile
from neat_delta.reading.sheet_base import BASE_SHEET
from neat_delta.reading.unread_cells import unread_cells
from neat_delta.reading.workbook_parts import sheet_xml
from neat_delta.reading.zero_padding import zeros_shown
from neat_delta.tables import ORIGIN_PROPERTY, field_name

if TYPE_CHECKING:
    from collections.abc import Callable, Sequence

    from neat_delta.remote import Location

T = TypeVar("T")
# Among so many rows of a sheet its header is looked for.
HEADER_ROWS = 20
# Spreadsheet programs keep fifteen significant digits; what is behind them is the noise of binary fractions.
SIGNIFICANT = 15


def read_workbook(data: bytes, path: Location, wanted: str | None) -> ParsedFile:
    """One sheet of a workbook: the wanted one by name or number, else the first that is visible and holds a table.

    Whole numbers come without a decimal point and never as powers of ten, dates as ISO 8601, flags as TRUE and FALSE.

    Raises:
        InvalidInput: it is no workbook, or has no such sheet.
    """
    from python_calamine import CalamineError, CalamineWorkbook, SheetVisibleEnum

    try:
        book = CalamineWorkbook.from_filelike(io.BytesIO(data))
        visible = [sheet.name for sheet in book.sheets_metadata if sheet.visible == SheetVisibleEnum.Visible]
        names = book.sheet_names
        chosen = _chosen(names, visible, wanted, path)
        tables = ((name, book.get_sheet_by_name(name)) for name in chosen)
        name, sheet = next(((n, s) for n, s in tables if s.height > 1 and s.width > 1), (chosen[0], None))
        table = sheet or book.get_sheet_by_name(name)
        values = _without_collecting(lambda: table.to_python(skip_empty_area=False))
    except (CalamineError, OSError, ValueError) as error:
        raise InvalidInput(
            f"cannot read the workbook ({error})",
            file=path,
            hint="Open it in a spreadsheet program and save it as XLSX or CSV.",
        ) from error
    own = [one for one in names if one not in (BASE_SHEET, name)]
    others = f" of {len(own) + 1}" if own else ""
    columns = _without_collecting(lambda: [_texts(column) for column in zip(*values, strict=True)])
    xml = sheet_xml(data, name)
    for row, at, digits in zeros_shown(xml) if xml else ():
        # Text is shown as it is, whatever the format; a column of nothing but text is left as it came.
        if row < len(values) and at < len(columns) and not isinstance(values[row][at], str):
            columns[at][row] = columns[at][row].zfill(digits)  # type: ignore[index]
    for row, at, text in unread_cells(xml) if xml else ():
        if row < len(values) and at < len(columns) and not columns[at][row]:
            if not isinstance(columns[at], list):
                columns[at] = list(columns[at])
            columns[at][row] = text  # type: ignore[index]
    return ParsedFile(
        columns,
        range(1, len(values) + 1),
        f"workbook, worksheet {name}{others}",
        origin=_origin(data),
        base=_base(book, path) if BASE_SHEET in names and name != BASE_SHEET else (),
    )


def _base(book: Any, path: Location) -> tuple[str, ...]:
    """The texts of the worksheet with the live values from which the sheet was made."""
    from python_calamine import CalamineError

    try:
        rows = book.get_sheet_by_name(BASE_SHEET).to_python()
    except (CalamineError, OSError, ValueError) as error:
        raise InvalidInput(
            f"cannot read the worksheet {BASE_SHEET!r} ({error})", file=path, hint="Delete that worksheet."
        ) from error
    return tuple(str(row[0]) for row in rows if row)


def best_sheet(data: bytes, known: set[str]) -> str | None:
    """The visible sheet whose header has most of these field names; ``None`` where the first table has as many."""
    from python_calamine import CalamineError, CalamineWorkbook, SheetVisibleEnum

    try:
        book = CalamineWorkbook.from_filelike(io.BytesIO(data))
        visible = [sheet.name for sheet in book.sheets_metadata if sheet.visible == SheetVisibleEnum.Visible]
        shares: dict[str, int] = {}
        for name in visible or book.sheet_names:
            sheet = book.get_sheet_by_name(name)
            if sheet.height > 1:
                rows = sheet.to_python(skip_empty_area=False, nrows=HEADER_ROWS)
                shares[name] = max(len(known & {field_name(str(cell)) for cell in row}) for row in rows)
    except (CalamineError, OSError, ValueError):
        return None  # whoever reads it says what is wrong
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
        known = {value: _TEXT[type(value)](value) for value in set(cells)}
        return [known[value] for value in cells]
    return [_TEXT[type(value)](value) for value in cells]


def _origin(data: bytes) -> str | None:
    """The checksum that our own sheets carry among the document's properties, in XLSX and in ODS alike."""
    if not zipfile.is_zipfile(io.BytesIO(data)):
        return None
    with zipfile.ZipFile(io.BytesIO(data)) as parts:
        names = [name for name in ("docProps/custom.xml", "meta.xml") if name in parts.namelist()]
        for properties in (parts.read(name).decode(errors="replace") for name in names):
            _, found, after = properties.partition(f'name="{ORIGIN_PROPERTY}"')
            fingerprint = re.search(r">([0-9a-f]{64})<", after) if found else None
            if fingerprint:
                return fingerprint[1]
    return None


def _chosen(names: list[str], visible: list[str], wanted: str | None, path: Location) -> list[str]:
    if wanted is None:
        return visible or names
    if wanted in names:
        return [wanted]
    if wanted.isdigit() and 1 <= int(wanted) <= len(names):
        return [names[int(wanted) - 1]]
    raise InvalidInput(f"the workbook has no worksheet {wanted!r}", file=path, hint=f"Worksheets: {', '.join(names)}.")


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


_TEXT: dict[type, Callable[[Any], str]] = {
    str: str,
    float: number_text,
    int: str,
    bool: lambda value: "TRUE" if value else "FALSE",
    datetime: _moment,
    date: date.isoformat,
    time: time.isoformat,
    timedelta: str,
    type(None): lambda _: "",
}
