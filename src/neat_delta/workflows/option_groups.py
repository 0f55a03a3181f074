"""Groups of options that several jobs have: every option with its type, its default, its help and its group.

Nothing heavy is loaded here, for the help of a command is made from it.
"""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass
from datetime import datetime
from pathlib import Path
from typing import TYPE_CHECKING, Literal

from neat_delta.base.options import (
    MATCHING,
    OUTPUT,
    READING,
    SAFETY,
    SCOPE,
    SUPPLIER,
    VALUES,
    Options,
    option,
    words_of,
)
from neat_delta.locations import Location

if TYPE_CHECKING:
    from neat_delta.changeset.changeset import Overrides
    from neat_delta.tables.read_options import ReadOptions

Blanks = Literal["leave", "clear"]
Pack = Literal["exact", "one-file"]
Unmarked = Literal["reject", "accept"]
Rounding = Literal["nearest", "up", "down"]
Decimal = Literal[".", ","]

# The formats of update files (the update's own list, named here too, for help shall load nothing).
SQL_FORMATS = ("sql", "sql-postgresql", "sql-mysql", "sql-sqlite")
OUTPUT_FORMATS = ("delimited", "tsv", "xlsx", "parquet", "jsonl", "merge-patch", *SQL_FORMATS)


def output_formats() -> tuple[str, ...]:
    """The names of all formats of update files, those of plug-ins last."""
    from neat_delta.base.plugins import FORMATS, plugin_names

    return (*OUTPUT_FORMATS, *(name for name in plugin_names(FORMATS) if name not in OUTPUT_FORMATS))


@dataclass(frozen=True, kw_only=True, eq=False, repr=False)
class KeyOption(Options):
    """Which columns identify an item."""

    key: tuple[str, ...] = option(
        (),
        MATCHING,
        "Column that identifies an item (SKU). Repeat if it takes several columns.",
        metavar="FIELD",
        common=True,
    )


@dataclass(frozen=True, kw_only=True, eq=False, repr=False)
class ScopeOptions(Options):
    """Which items are meant."""

    where: str | None = option(
        None,
        SCOPE,
        "Only items that match this condition, such as \"maker = 'Thrumhive'\".",
        metavar="SQL",
        common=True,
    )
    items: Location | None = option(None, SCOPE, "Only the SKUs listed in this file, one per line.", metavar="FILE")


@dataclass(frozen=True, kw_only=True, eq=False, repr=False)
class PartOptions(Options):
    """Which part of a change set is meant."""

    only: tuple[str, ...] = option((), SCOPE, "Only changes of this field. Repeatable.", metavar="FIELD")
    where: str | None = option(
        None, SCOPE, 'Only items that match this condition, such as "price > 10".', metavar="SQL"
    )
    items: Location | None = option(None, SCOPE, "Only the SKUs listed in this file, one per line.", metavar="FILE")


@dataclass(frozen=True, kw_only=True, eq=False, repr=False)
class SupplierOptions(Options):
    """How a supplier's file is mapped to the shop's fields, and what its values become."""

    profile: str | None = option(None, SUPPLIER, "Use this supplier profile of catalogue.toml.", metavar="NAME")
    map: Mapping[str, str] = option(
        {},
        MATCHING,
        'Map a column to a field, such as "Dealer net=cost". Repeatable.',
        metavar="COLUMN=FIELD",
        common=True,
    )
    map_by_values: bool = option(
        False,
        MATCHING,
        "Map the remaining columns by what they hold: barcodes, SKUs, names, brands, prices that go together.",
    )
    skip: tuple[str, ...] = option((), SCOPE, "Do not change this field. Repeatable.", metavar="FIELD")
    match_on: tuple[str, ...] = option(
        (),
        MATCHING,
        "Match items by this field instead of the SKU, such as a barcode. Repeat for fields that are unique together, "
        "such as brand and model.",
        metavar="FIELD",
    )
    constant: Mapping[str, str] = option(
        {},
        VALUES,
        "Use this value in every row for a field that EDITED does not have. Repeatable.",
        metavar="FIELD=VALUE",
    )
    add: tuple[str, ...] = option(
        (),
        VALUES,
        "Add EDITED's values (8, +8, -2) to the shop's instead of setting them, such as a delivery. Repeatable.",
        metavar="FIELD",
    )
    set: tuple[str, ...] = option(
        (),
        VALUES,
        'Calculate a field, such as "price = round(file.net * 1.6, 2)". Repeatable.',
        metavar="FORMULA",
        common=True,
    )
    set_new: tuple[str, ...] = option(
        (), VALUES, 'Calculate a field of new items, such as "active = 1". Repeatable.', metavar="FORMULA"
    )
    new_sku: str | None = option(
        None,
        VALUES,
        "SKUs for new items without one (--add-new): KT-{number:5} counts on from the shop's highest.",
        metavar="PATTERN",
    )
    map_code: Mapping[str, str] = option(
        {},
        SUPPLIER,
        "Map a supplier's code to our SKU; --save-profile saves it. Repeatable.",
        metavar="THEIRS=OURS",
    )
    map_value: Mapping[str, Mapping[str, str]] = option(
        {},
        SUPPLIER,
        "Map a supplier's value to ours, such as the name of a location. Repeatable.",
        metavar="FIELD THEIRS=OURS",
    )
    map_file: Location | None = option(
        None,
        SUPPLIER,
        "Mapping table: 2 columns (their code, our SKU) or 3 (field, their value, ours).",
        metavar="FILE",
    )


@dataclass(frozen=True, kw_only=True, eq=False, repr=False)
class TableOptions(Options):
    """Other tables for formulas."""

    table: Mapping[str, str] = option(
        {},
        VALUES,
        "Another table for formulas: costs=costs.csv gives costs.net. Also a database. Repeatable.",
        metavar="NAME=FILE",
    )
    table_column: Mapping[str, str] = option(
        {},
        VALUES,
        "Its column with our SKU, if not found by name; NAME=COLUMN=FIELD for another field. Repeatable.",
        metavar="NAME=COLUMN",
    )


@dataclass(frozen=True, kw_only=True, eq=False, repr=False)
class DecisionsOption(Options):
    """Conflicts that were decided one by one."""

    decisions: Location | None = option(None, VALUES, "Decide conflicts as marked in this workbook.", metavar="FILE")


@dataclass(frozen=True, kw_only=True, eq=False, repr=False)
class ConflictOptions(DecisionsOption):
    """Whose value goes on where two have changed a cell."""

    on_conflict: tuple[str, ...] = option(
        (),
        VALUES,
        "Cells changed on both sides: hold (default: error), ours or theirs; FIELD=ours for one field. Repeatable.",
        metavar="WHOSE",
    )


@dataclass(frozen=True, kw_only=True, eq=False, repr=False)
class ConflictsFileOption(Options):
    """The workbook of conflicts."""

    conflicts: Path | None = option(
        None, OUTPUT, "Save the conflicts as a workbook, to be decided row by row.", metavar="FILE"
    )


@dataclass(frozen=True, kw_only=True, eq=False, repr=False)
class PreferOption(Options):
    """Whose value goes on where files disagree."""

    prefer: str | None = option(
        None,
        VALUES,
        "Where files disagree, use the value of this one.  [default: an error, not sent]",
        metavar="NAME",
    )


@dataclass(frozen=True, kw_only=True, eq=False, repr=False)
class OverwriteOption(Options):
    """Whether earlier files are replaced."""

    overwrite: bool = option(False, OUTPUT, "Overwrite the output file if it exists.")


@dataclass(frozen=True, kw_only=True, eq=False, repr=False)
class AllowOptions(Options):
    """What checks let through, in this run only; and where the images are."""

    unlock: tuple[str, ...] = option((), SAFETY, "Allow changes to a locked field. Repeatable.", metavar="FIELD")
    allow_new_values: tuple[str, ...] = option(
        (), SAFETY, "Allow new values in a choice field. Repeatable.", metavar="FIELD"
    )
    as_typed: tuple[str, ...] = option(
        (),
        SAFETY,
        "Accept this field's values as typed, even if they look damaged. Repeatable.",
        metavar="FIELD",
    )
    ignore: tuple[str, ...] = option(
        (),
        SAFETY,
        'Ignore the errors of this check, such as "below cost". Repeatable.',
        metavar="CHECK",
    )
    images: Path | None = option(None, SAFETY, "Image folder; missing image files are errors.", metavar="DIR")

    def overrides(self) -> Overrides:
        """What checks let through, for the core."""
        from neat_delta.changeset.changeset import Overrides

        return Overrides(self.unlock, self.allow_new_values, self.as_typed, self.ignore)


@dataclass(frozen=True, kw_only=True, eq=False, repr=False)
class ReadingOptions(Options):
    """The format of the file that is read, where it is not recognised."""

    delimiter: str | None = option(None, READING, "Column separator: comma, semicolon, tab or pipe.", metavar="SIGN")
    encoding: str | None = option(None, READING, "Encoding, such as windows-1252.", metavar="NAME")
    decimal: Decimal | None = option(None, READING, "Decimal separator.", choices=words_of(Decimal))
    header_line: int | None = option(
        None, READING, "Line number of the header row; 0 = no header.", metavar="N", least=0
    )
    worksheet: str | None = option(None, READING, "Worksheet of a workbook, by name or number.", metavar="NAME")

    def read_options(self) -> ReadOptions:
        """The same for the core.

        Raises:
            InvalidOption: there is no such delimiter or encoding.
        """
        from neat_delta.tables.read_options import given_read_options

        return given_read_options(self.delimiter, self.encoding, self.decimal, self.header_line, self.worksheet)


@dataclass(frozen=True, kw_only=True, eq=False, repr=False)
class UpdateForm(Options):
    """The form of an update's files."""

    pack: Pack = option(
        "exact",
        OUTPUT,
        "exact: as few files as there can be without a cell that does not change. one-file: one file if possible; "
        "extra cells are filled with current values, never prices or stock.",
        choices=words_of(Pack),
        shows_default=True,
    )
    format: str = option(
        "delimited",
        OUTPUT,
        "Format of the update files. delimited: as the shop's export.",
        choices=output_formats,
        shows_default=True,
    )


@dataclass(frozen=True, kw_only=True, eq=False, repr=False)
class StrictOption(Options):
    """Whether an update with errors is written."""

    strict: bool = option(False, SAFETY, "Write nothing if there is any error.")


@dataclass(frozen=True, kw_only=True, eq=False, repr=False)
class AgeOption(Options):
    """When the live export was made."""

    as_of: datetime | None = option(
        None,
        READING,
        "Date and time of the live export, if the date of its file is wrong (2026-03-04, 2026-03-04T08:30).",
        metavar="DATE",
    )


@dataclass(frozen=True, kw_only=True, eq=False, repr=False)
class SavingOptions(UpdateForm, StrictOption, AgeOption):
    """What becomes of a change set that a job has made."""

    out: Path | None = option(
        None,
        OUTPUT,
        "Save the change set (.changes.jsonl, or .gz).",
        metavar="FILE",
        common=True,
        names=("-o", "--out"),
    )
    write: Path | None = option(
        None, OUTPUT, "Write the proved update files into this folder.", metavar="DIR", common=True
    )
    problems: Path | None = option(
        None,
        OUTPUT,
        "Save the problems, with their rows, as a workbook.",
        metavar="FILE",
        common=True,
    )
    overwrite: bool = option(False, OUTPUT, "Overwrite an earlier update and workbook.")


@dataclass(frozen=True, kw_only=True, eq=False, repr=False)
class RoundingOptions(Options):
    """How calculated values are rounded."""

    ending: str | None = option(
        None, VALUES, "Round calculated prices to this ending, such as .95 or 9.90.", metavar="END", common=True
    )
    multiple_of: str | None = option(
        None, VALUES, "Round calculated numbers to a multiple of N, such as 5.", metavar="N"
    )
    rounding: Rounding = option(
        "nearest",
        VALUES,
        "Rounding direction for --ending and --multiple-of.",
        choices=words_of(Rounding),
        shows_default=True,
    )


@dataclass(frozen=True, kw_only=True, eq=False, repr=False)
class CompareOptions(
    KeyOption, ScopeOptions, SupplierOptions, TableOptions, ConflictOptions, AllowOptions, ReadingOptions
):
    """How an edited file is compared."""

    blanks: Blanks | None = option(
        None,
        VALUES,
        "What blank cells do: leave = keep the shop's value (default), clear = empty it.",
        choices=words_of(Blanks),
        common=True,
    )
    types: Mapping[str, str] = option(
        {},
        VALUES,
        "Set a field's type (default: detected from the export): text, code, barcode, price, number, quantity, "
        "percent, yes/no, date, choice, category, image, item link.",
        metavar="FIELD=TYPE",
        names=("--type",),
    )
    repair_skus: bool = option(
        False,
        MATCHING,
        "Repair damaged SKUs also where the rest of the row does not agree, if only one item fits.",
        common=True,
    )
    add_new: bool = option(False, SCOPE, "Add new rows as new items.", common=True)
    delete_missing: int | None = option(
        None,
        SCOPE,
        "Delete items that are not in EDITED, but stop if there are more than N.",
        metavar="N",
        least=1,
    )
    sku_changes: Location | None = option(
        None, MATCHING, "File of confirmed SKU changes (columns old, new).", metavar="FILE"
    )
    base: Location | None = option(
        None,
        MATCHING,
        "The export that EDITED was made from, if LIVE is newer; none: compare with LIVE only; kept: the kept export "
        "that EDITED looks like.  [default: as the sheet knows]",
        metavar="FILE",
    )
