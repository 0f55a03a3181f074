"""A sheet for editing: a workbook that a spreadsheet program cannot hurt, or the safe subset of it as CSV."""

from __future__ import annotations

import io
from dataclasses import dataclass
from datetime import date
from typing import TYPE_CHECKING, Any

import polars as pl

from neat_delta.base.errors import WriteError
from neat_delta.reading.sheet_base import BASE_SHEET, packed_base
from neat_delta.reading.workbook import SIGNIFICANT
from neat_delta.tables import ORIGIN_PROPERTY
from neat_delta.tables.field_types.number_parsing import NumberFormat
from neat_delta.tables.formula_text import escaped_series, escaped_text
from neat_delta.tables.profile import LEAST_USES, MOST_CHOICES
from neat_delta.tables.settings import CLEAR

if TYPE_CHECKING:
    from collections.abc import Sequence

    from neat_delta.matching.context import Context
    from neat_delta.tables import Table
    from neat_delta.tables.field_types import FieldType
    from neat_delta.tables.settings import FieldSettings

ITEMS_SHEET = "items"
LISTS_SHEET = "choices"
# Limits of a workbook by ECMA-376; beyond them text would be cut and rows dropped without a word.
MOST_ROWS = 1_048_576
LONGEST_TEXT = 32_767
NARROWEST, WIDEST = 8, 48
# Rows below the data in which drop-down lists are offered for new items.
ROOM_FOR_NEW = 1_000
PLAIN_COLOURS = {"bg_color": "#FFFFFF", "font_color": "#000000"}
WIDTH_SAMPLE = 2_000


@dataclass(frozen=True)
class SheetColumn:
    """One column of the sheet: its field, header, cells, kind, choices if limited, locked or not, and its rules.

    ``live`` are the cells as the live export has them, where the sheet shows labels.

    ``typed`` says that its cells are numbers or dates to a spreadsheet program, ``form`` how the live column writes
    them; all others are text.
    """

    field: str
    header: str
    cells: pl.Series
    live: pl.Series
    type: FieldType
    format: Any
    choices: list[str]
    locked: bool
    described: FieldSettings

    @property
    def typed(self) -> bool:
        """Whether cells are written as what they are rather than as text; nobody types 0.19 where the shop has 19 %."""
        if self.described.labels or self.described.separator:
            return False
        return self.type.name == "date" or isinstance(self.format, NumberFormat)

    @property
    def note(self) -> str:
        """What the header's note says."""
        rules = [f"{self.field}: {self.type.name}"]
        if self.locked:
            rules.append("Locked: do not edit.")
        elif self.choices:
            rules.append("Choose a value from the list; other values need confirmation.")
        else:
            rules.append(f"Type {self.type.expected}.")
        if not self.locked:
            emptied = self.described.blank == CLEAR and not self.described.required
            rules.append("A blank cell " + ("empties it." if emptied else "keeps the shop's value."))
            if self.described.length is not None:
                rules.append(f"At most {self.described.length} characters.")
            if self.described.decimals is not None:
                rules.append(f"At most {self.described.decimals} decimals.")
        return "\n".join(rules)


def sheet_columns(
    context: Context, names: Sequence[str], rows: pl.Series, unlocked: Sequence[str] = ()
) -> list[SheetColumn]:
    """The columns of a sheet: kinds and choices are judged by the whole live export, cells are those of the rows."""
    whole = context.live.cells(names)
    columns = []
    for name in names:
        configured, column = context.configured(name), context.column(name)
        locked = name in context.key.fields or (context.settings.is_locked(name) and name not in unlocked)
        choices = [configured.labels.get(value, value) for value in configured.allowed_values]
        choices = choices or _choices(whole[name], column.type)
        cells = whole[name].gather(rows)
        columns.append(
            SheetColumn(
                field=name,
                header=context.live.field(name).column,
                cells=cells.replace(configured.labels) if configured.labels else cells,
                live=cells,
                type=column.type,
                format=column.format,
                choices=[] if configured.separator else choices,
                locked=locked,
                described=configured,
            )
        )
    return columns


def _choices(cells: pl.Series, kind: FieldType) -> list[str]:
    """The values of a limited field, in order; none for a field that is not limited."""
    if kind.numeric or kind.name in ("date", "barcode"):
        return []
    filled = cells.filter(cells.str.strip_chars() != "")
    values = filled.unique()
    limited = 1 < len(values) <= MOST_CHOICES and len(filled) >= LEAST_USES * len(values)
    # A drop-down holds one value a line.
    return sorted(values) if limited and not values.str.contains("\n").any() else []


def workbook(columns: Sequence[SheetColumn], live: Table) -> bytes:
    """An XLSX workbook: codes and text as text, exact numbers, header in view, drop-downs, locked columns, notes.

    Text that a spreadsheet program would run as a formula gets an apostrophe in front, for a workbook may be saved as
    CSV; comparing takes it off again. The live export's checksum is among the document's properties; the live values of
    all cells are in a hidden worksheet, so that only what somebody has typed becomes a change, whatever the shop did
    meanwhile.

    Raises:
        WriteError: there are more items, or a longer text, than a workbook holds; it would be cut off.
    """
    import xlsxwriter

    _insist_on_room(columns, live)
    stream = io.BytesIO()
    book = xlsxwriter.Workbook(stream, {"strings_to_formulas": False, "strings_to_urls": False, "in_memory": True})
    book.set_custom_property(ORIGIN_PROPERTY, live.source.sha256)
    sheet = book.add_worksheet(ITEMS_SHEET)
    head = book.add_format({"bold": True, "bg_color": "#E8E6E1", "bottom": 1, "locked": True, "num_format": "@"})
    rows = len(columns[0].cells)
    lists = book.add_worksheet(LISTS_SHEET) if any(column.choices for column in columns) else None
    for at, column in enumerate(columns):
        style = book.add_format(_style(column))
        # Below the data is room for new items.
        sheet.set_column(at, at, _width(column), book.add_format(_style(column) | {"locked": False} | PLAIN_COLOURS))
        sheet.write_string(0, at, escaped_text(column.header), head)
        sheet.write_comment(0, at, column.note, {"x_scale": 2})
        _write_cells(sheet, at, column, style)
        if column.choices and lists is not None and not column.locked and rows:
            for row, choice in enumerate(map(escaped_text, column.choices)):
                lists.write_string(row, at, choice, book.add_format({"num_format": "@"}))
            _drop_down(sheet, at, rows, column)
    sheet.set_landscape()
    sheet.fit_to_pages(1, 0)
    sheet.repeat_rows(0)
    sheet.freeze_panes(1, sum(column.locked for column in columns[:1]))
    sheet.autofilter(0, 0, rows, len(columns) - 1)
    sheet.protect("", {"sort": True, "autofilter": True, "format_columns": True, "format_rows": True})
    if lists is not None:
        lists.hide()
    base = book.add_worksheet(BASE_SHEET)
    base.very_hidden()
    values = pl.DataFrame([column.live.alias(column.field) for column in columns])
    for row, text in enumerate(packed_base(live, values.columns, values)):
        base.write_string(row, 0, text)
    book.close()
    return stream.getvalue()


def _insist_on_room(columns: Sequence[SheetColumn], live: Table) -> None:
    hint = "Choose fewer items or fields, or make a .csv."
    if len(columns[0].cells) >= MOST_ROWS:
        raise WriteError(f"a workbook holds {MOST_ROWS:,} rows, with the header", hint=hint)
    for column in columns:
        # Characters are counted as UTF-16 counts them, in which a sign beyond the basic plane is two.
        lengths = column.cells.str.len_chars() + column.cells.str.count_matches(r"[\x{10000}-\x{10ffff}]")
        if (lengths > LONGEST_TEXT).any():
            at = int(lengths.arg_max() or 0)
            raise WriteError(
                f"a cell of a workbook holds {LONGEST_TEXT:,} characters; this text has {lengths[at]:,}",
                file=live.source.name,
                column=column.header,
                value=columns[0].cells[at],
                hint=hint,
            )


def _style(column: SheetColumn) -> dict[str, Any]:
    style: dict[str, Any] = {"locked": column.locked, "num_format": "@", "valign": "top"}
    if column.locked:
        style |= {"bg_color": "#EFEFEF", "font_color": "#6B6B6B"}
    if column.typed:
        style["num_format"] = "yyyy-mm-dd" if column.type.name == "date" else _number_format(column.format)
    return style


def _write_cells(sheet: Any, at: int, column: SheetColumn, style: Any) -> None:
    """Numbers and dates as such where the workbook keeps them exactly, everything else as text."""
    readings: list[str | None] = [None] * len(column.cells)
    if column.typed:
        readings = column.type.normalize(column.cells, column.format).to_list()
    cells = escaped_series(column.cells)
    for row, (cell, reading) in enumerate(zip(cells, readings, strict=True), start=1):
        if not cell:
            continue
        if reading is None or (column.type.numeric and sum(map(str.isdigit, reading)) > SIGNIFICANT):
            sheet.write_string(row, at, cell, style)
        elif column.type.numeric:
            sheet.write_number(row, at, float(reading), style)
        else:
            sheet.write_datetime(row, at, date.fromisoformat(reading), style)


def _number_format(form: NumberFormat) -> str:
    return "0." + "0" * form.decimals if form.decimals and not form.unpadded_integers else "General"


def _drop_down(sheet: Any, at: int, rows: int, column: SheetColumn) -> None:
    from xlsxwriter.utility import xl_col_to_name

    name = xl_col_to_name(at)
    source = f"={LISTS_SHEET}!${name}$1:${name}${len(column.choices)}"
    sheet.data_validation(
        1,
        at,
        min(rows + ROOM_FOR_NEW, MOST_ROWS - 1),
        at,
        {
            "validate": "list",
            "source": source,
            "error_type": "warning",
            "error_title": "A new value",
            "error_message": f"No item has this {column.header} yet. Keep it?",
        },
    )


def _width(column: SheetColumn) -> int:
    longest = column.cells.head(WIDTH_SAMPLE).str.len_chars().max() or 0
    return max(NARROWEST, min(WIDEST, max(int(str(longest)), len(column.header)) + 3))


def delimited_sheet(columns: Sequence[SheetColumn], live: Table) -> bytes:
    """The same cells as delimited text in the live export's own form: no types, drop-downs or locks.

    Text that a spreadsheet program would run as a formula gets an apostrophe in front, which comparing takes off again.
    """
    from neat_delta.update.delimited import delimited

    frame = pl.DataFrame([escaped_series(column.cells).alias(escaped_text(column.header)) for column in columns])
    return delimited(frame.select(pl.when(pl.all() != "").then(pl.all())), live.format)
