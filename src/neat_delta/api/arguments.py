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


class _KeyOption(TypedDict, total=False):
    """Which columns identify an item."""

    key: Sequence[str]
    """Column that identifies an item (SKU)."""


class _ScopeOptions(TypedDict, total=False):
    """Which items are meant."""

    where: str | None
    """Only items that match this condition, such as "maker = 'Thrumhive'"."""
    items: str | PathLike[str] | None
    """Only the SKUs listed in this file, one per line."""


class _TableOptions(TypedDict, total=False):
    """Other tables for formulas."""

    table: Mapping[str, str]
    """Another table for formulas: costs=costs.csv gives costs.net. Also a database."""
    table_column: Mapping[str, str]
    """Its column with our SKU, if not found by name; NAME=COLUMN=FIELD for another field."""


class _ConflictOptions(TypedDict, total=False):
    """Whose value goes on where two have changed a cell."""

    on_conflict: Sequence[str]
    """Cells changed on both sides: hold (default: error), ours or shop; FIELD=ours for one field."""


class _DecisionsOption(TypedDict, total=False):
    """Conflicts that were decided one by one."""

    decisions: str | PathLike[str] | None
    """Decide conflicts as marked in this workbook."""


class _AllowOptions(TypedDict, total=False):
    """What checks let through, in this run only; and where the images are."""

    unlock: Sequence[str]
    """Allow changes to a locked field."""
    allow_new_values: Sequence[str]
    """Allow new values in a choice field."""
    as_typed: Sequence[str]
    """Accept this field's values as typed, even if they look damaged."""
    ignore: Sequence[str]
    """Ignore the errors of this check, such as "below cost"."""
    allow: Sequence[str]
    """Let one field pass one check, such as "bin=fill series"."""
    images: str | PathLike[str] | None
    """Image folder; missing image files are errors."""


class _ConflictsFileOption(TypedDict, total=False):
    """The workbook of conflicts."""

    conflicts: str | PathLike[str] | None
    """Save the conflicts as a workbook, to be decided row by row."""


class _PreferOption(TypedDict, total=False):
    """Whose value goes on where files disagree."""

    prefer: str | None
    """Where files disagree, use the value of this one."""


class _SavingOptions(TypedDict, total=False):
    """What becomes of a change set that a job has made."""

    out: str | PathLike[str] | None
    """Save the change set (.changes.jsonl, or .gz)."""
    write: str | PathLike[str] | None
    """Write the proved update files into this folder."""
    problems: str | PathLike[str] | None
    """Save the problems, with their rows, as a workbook."""
    overwrite: bool
    """Overwrite an earlier update and workbook."""


class _UpdateForm(TypedDict, total=False):
    """The form of an update's files."""

    pack: Literal["exact", "one-file"]
    """exact: as few files as there can be without a cell that does not change. one-file: one file if possible;
    extra cells are filled with current values, never prices or stock."""
    format: str
    """Format of the update files. delimited: as the shop's export."""


class _StrictOption(TypedDict, total=False):
    """Whether an update with errors is written."""

    strict: bool
    """Write nothing if there is any error."""


class _AgeOption(TypedDict, total=False):
    """When the live export was made."""

    as_of: datetime | None
    """Date and time of the live export, if the date of its file is wrong (2026-03-04, 2026-03-04T08:30)."""


class _OverwriteOption(TypedDict, total=False):
    """Whether earlier files are replaced."""

    overwrite: bool
    """Overwrite the output file if it exists."""


class _PartOptions(TypedDict, total=False):
    """Which part of a change set is meant."""

    only: Sequence[str]
    """Only changes of this field."""
    where: str | None
    """Only items that match this condition, such as "price > 10"."""
    items: str | PathLike[str] | None
    """Only the SKUs listed in this file, one per line."""


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


class CompareArguments(
    _KeyOption,
    _ScopeOptions,
    _TableOptions,
    _ConflictOptions,
    _DecisionsOption,
    _AllowOptions,
    ReadArguments,
    _ConflictsFileOption,
    _PreferOption,
    _SavingOptions,
    _UpdateForm,
    _StrictOption,
    _AgeOption,
    total=False,
):
    """How to compare; what is left out is as configured."""

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


class AdjustArguments(
    _KeyOption,
    _ScopeOptions,
    _TableOptions,
    _AllowOptions,
    _SavingOptions,
    _UpdateForm,
    _StrictOption,
    _AgeOption,
    total=False,
):
    """How formulas change the live table."""

    ending: str | None
    """Round calculated prices to this ending, such as .95 or 9.90."""
    multiple_of: str | None
    """Round calculated numbers to a multiple of N, such as 5."""
    rounding: Literal["nearest", "up", "down"]
    """Rounding direction for ending and multiple_of."""


class RecodeArguments(
    _KeyOption, _AllowOptions, ReadArguments, _SavingOptions, _UpdateForm, _StrictOption, _AgeOption, total=False
):
    """How items get other SKUs."""

    old: str | None
    """Column of CODES with the old SKUs."""
    new: str | None
    """Column of CODES with the new SKUs."""
    rename_images: bool
    """Also rename image files that contain the SKU."""


class CombineArguments(_PreferOption, _DecisionsOption, _ConflictsFileOption, _OverwriteOption, total=False):
    """How change sets are combined."""

    out: str | PathLike[str] | None
    """Save the combined change set."""


class AcceptArguments(_OverwriteOption, total=False):
    """Which part of a change set is accepted."""

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


class SheetArguments(_ScopeOptions, _KeyOption, _OverwriteOption, total=False):
    """What a sheet for editing has."""

    fields: str
    """Only these fields, in this order; the key is always first."""
    unlock: Sequence[str]
    """Unlock this field for editing."""


class CheckArguments(_AllowOptions, _OverwriteOption, total=False):
    """What checks let through, in this call only."""

    problems: str | PathLike[str] | None
    """Save the problems, with their rows, as a workbook."""


class HistoryArguments(_OverwriteOption, total=False):
    """Which of what was sent, and where the list is saved."""

    sku: str | None
    """The past of this item, also if its SKU could be the number of an entry."""
    since: datetime | None
    """Only what was sent since then."""
    until: datetime | None
    """Only what was sent until then."""
    person: str | None
    """Only what this person made, approved or sent."""
    field: str | None
    """Only changes of this field; every cell is listed."""
    cells: bool
    """List every cell that was sent, and by whom."""
    exports: bool
    """List the live exports that are kept."""
    prune: bool
    """Delete kept exports beyond the limits in [store] of catalogue.toml."""
    out: str | PathLike[str] | None
    """Save the list as CSV, or as .json."""


class PreviewArguments(_PartOptions, _OverwriteOption, total=False):
    """What of a change set is worked out and saved."""

    by: str
    """Group by item (default), field, category, brand, or the name of any field."""
    item: Sequence[str]
    """Show one item, before and after."""
    money: bool
    """Prices, costs, margins; prices needed to keep the margin."""
    stock: bool
    """Units and value, up and down, by location."""
    quotes: str | PathLike[str] | None
    """Open quotes or contract prices that the new costs affect."""
    quotes_csv: str | PathLike[str] | None
    """Save the result of quotes."""
    page: str | PathLike[str] | None
    """Save a page for a browser (HTML, one file)."""
    review: str | PathLike[str] | None
    """Save a review workbook (accept or reject each row)."""
    review_by: Literal["cell", "item"]
    """One row of the review workbook per changed cell, or per item."""
    charts: str | PathLike[str] | None
    """Save charts in this folder (PNG, SVG)."""


class RefreshArguments(_ConflictOptions, _DecisionsOption, _ConflictsFileOption, _OverwriteOption, total=False):
    """Whose value goes on where both have changed a cell."""

    out: str | PathLike[str] | None
    """Save the changes still to send."""


class VerifyArguments(_OverwriteOption, total=False):
    """What is saved of a verification."""

    out: str | PathLike[str] | None
    """Save the changes that were not applied."""


class WriteArguments(_AllowOptions, _UpdateForm, _StrictOption, _AgeOption, total=False):
    """How an update is written."""

    approval: str | PathLike[str] | None
    """The approval, if it is not next to CHANGES."""
    overwrite: bool
    """Overwrite an earlier update in DIR."""


class UndoArguments(_UpdateForm, _AgeOption, total=False):
    """How the files that put things back are written."""

    fresh: TableLike | None
    """A newer export: undo only what was applied and not changed since. The rest is listed."""
    overwrite: bool
    """Overwrite an earlier update in DIR."""


class SendArguments(_AgeOption, total=False):
    """How an update is sent."""

    resume: bool
    """Resume an interrupted transfer."""
    overwrite_sent: bool
    """Send also cells that another update has sent since this one's export."""
