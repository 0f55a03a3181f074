"""Sheet: a workbook or file for editing, made from the live export."""

from __future__ import annotations

from dataclasses import dataclass
from typing import TYPE_CHECKING

from neat_delta.base.errors import WriteError
from neat_delta.base.progress import NO_PROGRESS, ProgressReporter
from neat_delta.files.atomic_write import write_atomic
from neat_delta.files.output_paths import check_outputs
from neat_delta.matching.selection import chosen_fields, chosen_rows
from neat_delta.tables import Table, field_name
from neat_delta.workbooks.edit_sheet import SheetColumn, delimited_sheet, sheet_columns, workbook
from neat_delta.workflows.base import note_sheet
from neat_delta.workflows.inputs import keep, read_live
from neat_delta.workflows.plan import context_of

if TYPE_CHECKING:
    from neat_delta.workflows.requests import SheetRequest

ENDINGS = (".xlsx", ".csv", ".tsv", ".txt")


@dataclass(frozen=True)
class Sheet:
    """A sheet that was written.

    Attributes:
        live: the live export.
        columns: its columns.
        fields: the fields of these columns.
        rows: how many items it has.
        unknown: SKUs of the list that no item has.
    """

    live: Table
    columns: tuple[SheetColumn, ...]
    fields: tuple[str, ...]
    rows: int
    unknown: tuple[str, ...]


def sheet(request: SheetRequest, progress: ProgressReporter = NO_PROGRESS) -> Sheet:
    """Write a sheet for editing; a plain text file is noted, so that what it was made from is known again.

    Raises:
        InvalidOption: a field or the condition is none.
        WriteError: the file cannot be written, or has another ending.
    """
    settings, out, export = request.settings, request.out, request.export
    if out.suffix.lower() not in ENDINGS:
        raise WriteError("a sheet is .xlsx (safe) or .csv (plain text)", file=out, hint="Use one of these endings.")
    check_outputs(out, replace=request.overwrite)
    live = export.renamed(settings.names()) if isinstance(export, Table) else read_live(export, settings, progress)
    context = context_of(live, settings, request.key)
    names = chosen_fields(live, context.key, [name for name in request.fields.split(",") if name.strip()])
    rows, unknown = chosen_rows(context, request.where, request.items)
    progress.step("writing the sheet")
    columns = sheet_columns(context, names, rows, [field_name(name) for name in request.unlock])
    make = workbook if out.suffix.lower() == ".xlsx" else delimited_sheet
    write_atomic(out, make(columns, live), replace=request.overwrite)
    keep(live, settings)
    if make is delimited_sheet:
        note_sheet(out, [column.header for column in columns], live, settings)
    return Sheet(live, tuple(columns), tuple(names), len(rows), tuple(unknown))
