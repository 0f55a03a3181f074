"""What can be said of each job, by the names that the command line's options have.

Made by scripts/make_arguments.py from the requests of the jobs: change an option there.
"""

from __future__ import annotations

from typing import TYPE_CHECKING, Literal, TypedDict

if TYPE_CHECKING:
    from collections.abc import Mapping, Sequence
    from datetime import datetime
    from os import PathLike

    from neat_delta.api.tables import TableLike


class ReadArguments(TypedDict, total=False):
    """The format of a file, where recognising it goes wrong."""

    delimiter: str | None
    """Column separator: comma, semicolon, tab or pipe."""
    encoding: str | None
    """Encoding, such as windows-1252."""
    decimal: Literal[".", ","] | None
    """Decimal separator."""
    header_line: int | None
    """Line number of the header row; 0 = no header."""
    worksheet: str | None
    """Worksheet of a workbook, by name or number."""


class CompareArguments(TypedDict, total=False):
    """How to compare; what is left out is as configured."""

    as_of: datetime | None
    """Date and time of the live export, if the date of its file is wrong (2026-03-04, 2026-03-04T08:30)."""
    strict: bool
    """Write nothing if there is any error."""
    pack: Literal["exact", "one-file"]
    """exact: as few files as there can be without a cell that does not change. one-file: one file if possible;
    extra cells are filled with current values, never prices or stock."""
    format: str
    """Format of the update files. delimited: as the shop's export."""
    out: str | PathLike[str] | None
    """Save the change set (.changes.jsonl, or .gz)."""
    write: str | PathLike[str] | None
    """Write the proved update files into this folder."""
    problems: str | PathLike[str] | None
    """Save the problems, with their rows, as a workbook."""
    overwrite: bool
    """Overwrite an earlier update and workbook."""
    prefer: str | None
    """Where files disagree, use the value of this one."""
    conflicts: str | PathLike[str] | None
    """Save the conflicts as a workbook, to be decided row by row."""
    delimiter: str | None
    """Column separator: comma, semicolon, tab or pipe."""
    encoding: str | None
    """Encoding, such as windows-1252."""
    decimal: Literal[".", ","] | None
    """Decimal separator."""
    header_line: int | None
    """Line number of the header row; 0 = no header."""
    worksheet: str | None
    """Worksheet of a workbook, by name or number."""
    unlock: Sequence[str]
    """Allow changes to a locked field."""
    allow_new_values: Sequence[str]
    """Allow new values in a choice field."""
    as_typed: Sequence[str]
    """Accept this field's values as typed, even if they look damaged."""
    ignore: Sequence[str]
    """Ignore the errors of this check, such as "below cost"."""
    images: str | PathLike[str] | None
    """Image folder; missing image files are errors."""
    decisions: str | PathLike[str] | None
    """Decide conflicts as marked in this workbook."""
    on_conflict: Sequence[str]
    """Cells changed on both sides: hold (default: error), ours or shop; FIELD=ours for one field."""
    table: Mapping[str, str]
    """Another table for formulas: costs=costs.csv gives costs.net. Also a database."""
    table_column: Mapping[str, str]
    """Its column with our SKU, if not found by name; NAME=COLUMN=FIELD for another field."""
    profile: str | None
    """Use this supplier profile of catalogue.toml."""
    map: Mapping[str, str]
    """Map a column to a field, such as "Dealer net=cost"."""
    map_by_values: bool
    """Map the remaining columns by what they hold: barcodes, SKUs, names, brands, prices that go together."""
    skip: Sequence[str]
    """Do not change this field."""
    match_on: Sequence[str]
    """Match items by this field instead of the SKU, such as a barcode. Repeat for fields that are unique together,
    such as brand and model."""
    constant: Mapping[str, str]
    """Use this value in every row for a field that EDITED does not have."""
    add: Sequence[str]
    """Add EDITED's values (8, +8, -2) to the shop's instead of setting them, such as a delivery."""
    set: Sequence[str]
    """Calculate a field, such as "price = round(file.net * 1.6, 2)"."""
    set_new: Sequence[str]
    """Calculate a field of new items, such as "active = 1"."""
    new_sku: str | None
    """SKUs for new items without one (add_new): KT-{number:5} counts on from the shop's highest."""
    map_code: Mapping[str, str]
    """Map a supplier's code to our SKU; save_profile saves it."""
    map_value: Mapping[str, Mapping[str, str]]
    """Map a supplier's value to ours, such as the name of a location."""
    map_file: str | PathLike[str] | None
    """Mapping table: 2 columns (their code, our SKU) or 3 (field, their value, ours)."""
    where: str | None
    """Only items that match this condition, such as "maker = 'Thrumhive'"."""
    items: str | PathLike[str] | None
    """Only the SKUs listed in this file, one per line."""
    key: Sequence[str]
    """Column that identifies an item (SKU)."""
    blanks: Literal["leave", "clear"] | None
    """What blank cells do: leave = keep the shop's value (default), clear = empty it."""
    types: Mapping[str, str]
    """Set a field's type (default: detected from the export): text, code, barcode, price, number, quantity,
    percent, yes/no, date, choice, category, image, item link."""
    repair_skus: bool
    """Repair damaged SKUs also where the rest of the row does not agree, if only one item fits."""
    add_new: bool
    """Add new rows as new items."""
    delete_missing: int | None
    """Delete items that are not in EDITED, but stop if there are more than N."""
    sku_changes: str | PathLike[str] | None
    """File of confirmed SKU changes (columns old, new)."""
    base: TableLike | None
    """The export that EDITED was made from, if LIVE is newer; none: compare with LIVE only; kept: the kept export
    that EDITED looks like."""
    save_profile: str | None
    """Save the options of this group as a supplier profile."""


class AdjustArguments(TypedDict, total=False):
    """How formulas change the live table."""

    as_of: datetime | None
    """Date and time of the live export, if the date of its file is wrong (2026-03-04, 2026-03-04T08:30)."""
    strict: bool
    """Write nothing if there is any error."""
    pack: Literal["exact", "one-file"]
    """exact: as few files as there can be without a cell that does not change. one-file: one file if possible;
    extra cells are filled with current values, never prices or stock."""
    format: str
    """Format of the update files. delimited: as the shop's export."""
    out: str | PathLike[str] | None
    """Save the change set (.changes.jsonl, or .gz)."""
    write: str | PathLike[str] | None
    """Write the proved update files into this folder."""
    problems: str | PathLike[str] | None
    """Save the problems, with their rows, as a workbook."""
    overwrite: bool
    """Overwrite an earlier update and workbook."""
    unlock: Sequence[str]
    """Allow changes to a locked field."""
    allow_new_values: Sequence[str]
    """Allow new values in a choice field."""
    as_typed: Sequence[str]
    """Accept this field's values as typed, even if they look damaged."""
    ignore: Sequence[str]
    """Ignore the errors of this check, such as "below cost"."""
    images: str | PathLike[str] | None
    """Image folder; missing image files are errors."""
    ending: str | None
    """Round calculated prices to this ending, such as .95 or 9.90."""
    multiple_of: str | None
    """Round calculated numbers to a multiple of N, such as 5."""
    rounding: Literal["nearest", "up", "down"]
    """Rounding direction for ending and multiple_of."""
    table: Mapping[str, str]
    """Another table for formulas: costs=costs.csv gives costs.net. Also a database."""
    table_column: Mapping[str, str]
    """Its column with our SKU, if not found by name; NAME=COLUMN=FIELD for another field."""
    where: str | None
    """Only items that match this condition, such as "maker = 'Thrumhive'"."""
    items: str | PathLike[str] | None
    """Only the SKUs listed in this file, one per line."""
    key: Sequence[str]
    """Column that identifies an item (SKU)."""


class RecodeArguments(TypedDict, total=False):
    """How items get other SKUs."""

    as_of: datetime | None
    """Date and time of the live export, if the date of its file is wrong (2026-03-04, 2026-03-04T08:30)."""
    strict: bool
    """Write nothing if there is any error."""
    pack: Literal["exact", "one-file"]
    """exact: as few files as there can be without a cell that does not change. one-file: one file if possible;
    extra cells are filled with current values, never prices or stock."""
    format: str
    """Format of the update files. delimited: as the shop's export."""
    out: str | PathLike[str] | None
    """Save the change set (.changes.jsonl, or .gz)."""
    write: str | PathLike[str] | None
    """Write the proved update files into this folder."""
    problems: str | PathLike[str] | None
    """Save the problems, with their rows, as a workbook."""
    overwrite: bool
    """Overwrite an earlier update and workbook."""
    delimiter: str | None
    """Column separator: comma, semicolon, tab or pipe."""
    encoding: str | None
    """Encoding, such as windows-1252."""
    decimal: Literal[".", ","] | None
    """Decimal separator."""
    header_line: int | None
    """Line number of the header row; 0 = no header."""
    worksheet: str | None
    """Worksheet of a workbook, by name or number."""
    unlock: Sequence[str]
    """Allow changes to a locked field."""
    allow_new_values: Sequence[str]
    """Allow new values in a choice field."""
    as_typed: Sequence[str]
    """Accept this field's values as typed, even if they look damaged."""
    ignore: Sequence[str]
    """Ignore the errors of this check, such as "below cost"."""
    images: str | PathLike[str] | None
    """Image folder; missing image files are errors."""
    key: Sequence[str]
    """Column that identifies an item (SKU)."""
    old: str | None
    """Column of CODES with the old SKUs."""
    new: str | None
    """Column of CODES with the new SKUs."""
    rename_images: bool
    """Also rename image files that contain the SKU."""


class CombineArguments(TypedDict, total=False):
    """How change sets are combined."""

    overwrite: bool
    """Overwrite the output file if it exists."""
    conflicts: str | PathLike[str] | None
    """Save the conflicts as a workbook, to be decided row by row."""
    decisions: str | PathLike[str] | None
    """Decide conflicts as marked in this workbook."""
    prefer: str | None
    """Where files disagree, use the value of this one."""
    out: str | PathLike[str] | None
    """Save the combined change set."""


class AcceptArguments(TypedDict, total=False):
    """Which part of a change set is accepted."""

    overwrite: bool
    """Overwrite the output file if it exists."""
    only: Sequence[str]
    """Only changes of this field."""
    where: str | None
    """Only items that match this condition, such as "price > 10"."""
    review: str | PathLike[str] | None
    """A review workbook with rows marked accept or reject."""
    decisions: str | PathLike[str] | None
    """Decisions that were made and saved in the page of "preview page"."""
    unmarked: Literal["reject", "accept"]
    """Reject or accept the changes that have no mark."""
    failed: str | PathLike[str] | None
    """Select the rows that failed in this import report."""
    skip: Sequence[str]
    """Reject changes of this field."""
    out: str | PathLike[str] | None
    """Save the accepted part here."""


class SheetArguments(TypedDict, total=False):
    """What a sheet for editing has."""

    overwrite: bool
    """Overwrite the output file if it exists."""
    key: Sequence[str]
    """Column that identifies an item (SKU)."""
    where: str | None
    """Only items that match this condition, such as "maker = 'Thrumhive'"."""
    items: str | PathLike[str] | None
    """Only the SKUs listed in this file, one per line."""
    fields: str
    """Only these fields, in this order; the key is always first."""
    unlock: Sequence[str]
    """Unlock this field for editing."""


class CheckArguments(TypedDict, total=False):
    """What checks let through, in this call only."""

    overwrite: bool
    """Overwrite the output file if it exists."""
    unlock: Sequence[str]
    """Allow changes to a locked field."""
    allow_new_values: Sequence[str]
    """Allow new values in a choice field."""
    as_typed: Sequence[str]
    """Accept this field's values as typed, even if they look damaged."""
    ignore: Sequence[str]
    """Ignore the errors of this check, such as "below cost"."""
    images: str | PathLike[str] | None
    """Image folder; missing image files are errors."""
    problems: str | PathLike[str] | None
    """Save the problems, with their rows, as a workbook."""


class RefreshArguments(TypedDict, total=False):
    """Whose value goes on where both have changed a cell."""

    overwrite: bool
    """Overwrite the output file if it exists."""
    conflicts: str | PathLike[str] | None
    """Save the conflicts as a workbook, to be decided row by row."""
    decisions: str | PathLike[str] | None
    """Decide conflicts as marked in this workbook."""
    on_conflict: Sequence[str]
    """Cells changed on both sides: hold (default: error), ours or shop; FIELD=ours for one field."""
    out: str | PathLike[str] | None
    """Save the changes still to send."""


class VerifyArguments(TypedDict, total=False):
    """What is saved of a verification."""

    overwrite: bool
    """Overwrite the output file if it exists."""
    out: str | PathLike[str] | None
    """Save the changes that were not applied."""


class WriteArguments(TypedDict, total=False):
    """How an update is written."""

    as_of: datetime | None
    """Date and time of the live export, if the date of its file is wrong (2026-03-04, 2026-03-04T08:30)."""
    strict: bool
    """Write nothing if there is any error."""
    pack: Literal["exact", "one-file"]
    """exact: as few files as there can be without a cell that does not change. one-file: one file if possible;
    extra cells are filled with current values, never prices or stock."""
    format: str
    """Format of the update files. delimited: as the shop's export."""
    unlock: Sequence[str]
    """Allow changes to a locked field."""
    allow_new_values: Sequence[str]
    """Allow new values in a choice field."""
    as_typed: Sequence[str]
    """Accept this field's values as typed, even if they look damaged."""
    ignore: Sequence[str]
    """Ignore the errors of this check, such as "below cost"."""
    images: str | PathLike[str] | None
    """Image folder; missing image files are errors."""
    approval: str | PathLike[str] | None
    """The approval, if it is not next to CHANGES."""
    overwrite: bool
    """Overwrite an earlier update in DIR."""


class UndoArguments(TypedDict, total=False):
    """How the files that put things back are written."""

    as_of: datetime | None
    """Date and time of the live export, if the date of its file is wrong (2026-03-04, 2026-03-04T08:30)."""
    pack: Literal["exact", "one-file"]
    """exact: as few files as there can be without a cell that does not change. one-file: one file if possible;
    extra cells are filled with current values, never prices or stock."""
    format: str
    """Format of the update files. delimited: as the shop's export."""
    fresh: TableLike | None
    """A newer export: undo only what was applied and not changed since. The rest is listed."""
    overwrite: bool
    """Overwrite an earlier update in DIR."""


class SendArguments(TypedDict, total=False):
    """How an update is sent."""

    as_of: datetime | None
    """Date and time of the live export, if the date of its file is wrong (2026-03-04, 2026-03-04T08:30)."""
    resume: bool
    """Resume an interrupted transfer."""
    overwrite_sent: bool
    """Send also cells that another update has sent since this one's export."""
