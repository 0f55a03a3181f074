"""How large a worksheet may be, judged before anything makes room for it.

What reads worksheets makes room for the whole rectangle from the first cell to the last one that is filled, and dies if
there is not enough. One cell typed by mistake in the last row and column of a sheet would ask for 17 billion.
"""

from __future__ import annotations

import re
from collections import Counter
from typing import TYPE_CHECKING
from xml.parsers import expat

from neat_delta.base.errors import InvalidInput
from neat_delta.reading.parse_errors import parse_errors_as
from neat_delta.reading.workbook_parts import CANNOT_READ, MOST_ROWS, SAVE_AGAIN, column_number

if TYPE_CHECKING:
    from collections.abc import Sequence

    from neat_delta.locations import Location
    from neat_delta.reading.workbook_parts import SheetXml, WorkbookParts

# More cells than this are no worksheet that a program could have saved; so many may be blank without being asked about;
# and beyond that, one of so many must be filled.
MOST_CELLS, HARMLESS_CELLS, THINNEST = 50_000_000, 5_000_000, 8
MOST_COLUMNS = 1 << 14
# So many texts may be in a small file; beyond that each takes at least a byte of the packed file.
HARMLESS_TEXTS = 1_000_000
TEXT_TAG = re.compile(rb"<(?:\w+:)?si[\s/>]")
# More than all texts of a worksheet take; a small file could name a long one a million times.
HARMLESS_BYTES = 2 << 30
SHARED_USE = re.compile(rb"<(?:\w+:)?v>\s*([0-9]{1,9})\s*</(?:\w+:)?v>")
SHARED_TEXTS = "xl/sharedStrings.xml"
# ECMA-376 part 1: 18.3.1.73 (row), 18.3.1.4 (c), 18.4.8 (si). No pattern here looks beyond its own tag.
ROW = re.compile(rb'<row\b[^<>]*? r="([0-9]{1,300})"')
UNUSUAL = (b"='", b"r =", b"r= ", b'\nr="', b'\tr="', b'\rr="')
UNUSUAL_IN_ODS = (b"='", b"repeated =", b"repeated= ")
ROW_TAG, CELL_TAG = re.compile(rb"<(?:\w+:)?row[\s/>]"), re.compile(rb"<(?:\w+:)?c[\s/>]")
WIDE = re.compile(rb' r="([A-Za-z]{2,300})[0-9]')
FILLED = re.compile(rb'<c\b[^<>]*? r="([A-Za-z]{1,3})([0-9]{1,7})"[^<>]*>(?=<(?:v|is|f)\b)')
# OpenDocument 1.3 part 3: 9.1.3 (table:table-row), 9.1.4 (table:table-cell), 19.676 and 19.679 (repetition).
ODS_CELL = re.compile(rb"<table:(?:covered-)?table-cell\b([^<>]*)>")
ODS_ROWS = re.compile(rb'number-rows-repeated="([0-9]{1,300})"')
ODS_COLUMNS = re.compile(rb'number-columns-repeated="([0-9]{1,300})"')


def insist_on_bounded_texts(parts: WorkbookParts) -> None:
    """Refuse a workbook whose shared texts are far more than its size allows; raises ``InvalidInput``."""
    texts = len(TEXT_TAG.findall(parts.read(SHARED_TEXTS)))
    if texts > HARMLESS_TEXTS and texts > parts.packed_size(SHARED_TEXTS):
        raise InvalidInput(
            f"the workbook lists {texts} texts, far more than its cells can have", file=parts.path,
            hint="Save it again in a spreadsheet program.",
        )  # fmt: skip


def insist_on_bounded_use(parts: WorkbookParts, sheet: SheetXml) -> None:
    """Refuse a worksheet whose cells would take far more than the file: each has a copy of the shared text it names.

    Raises:
        InvalidInput: it would.
    """
    texts = TEXT_TAG.split(parts.read(SHARED_TEXTS))[1:]
    cells = sheet.content.count(b't="s"') + sheet.content.count(b"t='s'")
    longest = max(map(len, texts), default=0)
    if longest * cells <= HARMLESS_BYTES:
        return
    used = Counter(map(int, SHARED_USE.findall(sheet.content)))
    size = sum(len(texts[at]) * count for at, count in used.items() if at < len(texts))
    if size > HARMLESS_BYTES:
        raise InvalidInput(
            f"the texts of the worksheet would take {size >> 20:,} MB; the limit is {HARMLESS_BYTES >> 20:,} MB",
            file=sheet.path,
            hint="Save it as CSV, which has no such limit.",
        )


def insist_on_well_formed(sheet: SheetXml) -> None:
    """Refuse a sheet that is no whole XML, or declares entities: its reader would look for the end of it for ever.

    Raises:
        InvalidInput: it is none.
    """

    def refuse(*_: object) -> None:
        raise InvalidInput("unsafe XML in the workbook: it declares entities", file=sheet.path, hint=SAVE_AGAIN)

    parser = expat.ParserCreate()
    parser.EntityDeclHandler = refuse
    with parse_errors_as(CANNOT_READ, sheet.path, SAVE_AGAIN):
        parser.Parse(sheet.content, True)


def insist_on_bounded_sheet(sheet: SheetXml) -> None:
    """Refuse a worksheet whose cells would take more room than any table needs.

    Raises:
        InvalidInput: it has too many cells, or one that is far outside its table; the message names that one.
    """
    content = _as_programs_write(sheet.content, UNUSUAL_IN_ODS if sheet.is_ods else UNUSUAL)
    if sheet.is_ods:
        # Every sheet of the file is read at once.
        for table in content.split(b"<table:table ")[1:]:
            _judge(*_ods_extent(table), table.count(b"<table:table-cell"), sheet.path)
        return
    rows = max(map(int, ROW.findall(content)), default=0)
    columns = max((column_number(letters.upper()) + 1 for letters in set(WIDE.findall(content))), default=26)
    # (A row and a cell need not say where they are; and each takes room, filled or not.)
    rows = max(rows, len(ROW_TAG.findall(content)))
    cells = len(CELL_TAG.findall(content))
    if cells > MOST_CELLS:
        _judge(cells, 1, cells, sheet.path)
    # A cell names its row once more; it cannot lie far beyond the last row without having more digits.
    if beyond := re.search(rb' r="[A-Za-z]+([0-9]{%d,300})"' % (len(str(rows)) + 1), content):
        rows = max(rows, int(beyond[1]))
    if rows * columns > HARMLESS_CELLS and rows <= MOST_ROWS and columns <= MOST_COLUMNS:
        # Cells without a value, which programs write for their formats, count for nothing.
        rows, columns, cells = _filled_extent(content)
    _judge(rows, columns, cells, sheet.path)


def _as_programs_write(content: bytes, unusual: Sequence[bytes]) -> bytes:
    """The XML with places and repetitions between double quotes behind a space, as spreadsheet programs write them.

    XML allows other ways, which nobody uses who does not want to hide something.
    """
    if not any(way in content for way in unusual):
        return content
    return re.sub(
        rb"\s+(r|table:number-(?:rows|columns)-repeated)\s*=\s*(?:'([^'<>]*)'|\"([^\"<>]*)\")", _plain, content
    )


def _plain(attribute: re.Match[bytes]) -> bytes:
    return b' %b="%b"' % (attribute[1], attribute[2] or attribute[3] or b"")


def _filled_extent(content: bytes) -> tuple[int, int, int]:
    """The last row and column with a filled cell, and how many there are."""
    rows = columns = cells = 0
    widths: dict[bytes, int] = {}
    for match in FILLED.finditer(content):
        letters, row = match.groups()
        if letters not in widths:
            widths[letters] = column_number(letters.upper()) + 1
            columns = max(columns, widths[letters])
        rows = max(rows, int(row))
        cells += 1
    return rows, columns, cells


def _ods_extent(table: bytes) -> tuple[int, int]:
    """The last row and column of an ODS sheet with a filled cell."""
    at = last_row = last_column = 0
    for row in table.split(b"<table:table-row")[1:]:
        start = row.partition(b">")[0]
        repeated = ODS_ROWS.search(start)
        at += int(repeated[1]) if repeated else 1
        row = row.partition(b"</table:table-row>")[0] if not start.endswith(b"/") else b""
        if b"office:" in row or b"<text:" in row:
            last_row, last_column = at, max(last_column, _ods_width(row))
    return last_row, last_column


def _ods_width(row: bytes) -> int:
    if b"columns-repeated" not in row:
        return row.count(b"<table:table-cell") + row.count(b"<table:covered-table-cell")
    at = last = 0
    for cell in ODS_CELL.finditer(row):
        repeated = ODS_COLUMNS.search(cell[1])
        at += int(repeated[1]) if repeated else 1
        if b"office:" in cell[1] or not cell[1].endswith(b"/"):
            last = at
    return last


def _judge(rows: int, columns: int, cells: int, path: Location) -> None:
    area = rows * columns
    if rows > MOST_ROWS or columns > MOST_COLUMNS:
        raise InvalidInput(
            f"the worksheet has a cell beyond row {MOST_ROWS} or column {_letters(MOST_COLUMNS)}",
            file=path, hint="Save it again in a spreadsheet program.",
        )  # fmt: skip
    if area > HARMLESS_CELLS and area > cells * THINNEST:
        raise InvalidInput(
            f"the worksheet has a cell far outside its table: the last filled row is {rows}, the last filled column "
            f"{_letters(columns)}, and only {cells} cells are filled", file=path,
            hint="Delete the rows and columns beyond the table, and save it.",
        )  # fmt: skip
    if area > MOST_CELLS:
        raise InvalidInput(
            f"the worksheet has {area} cells; the limit is {MOST_CELLS}", file=path,
            hint="Save it as CSV, which has no such limit.",
        )  # fmt: skip


def _letters(number: int) -> str:
    """A column's number, counted from 1, as the letters of a spreadsheet program: 1 is A, 27 is AA."""
    letters = ""
    while number:
        number, digit = divmod(number - 1, 26)
        letters = chr(ord("A") + digit) + letters
    return letters
