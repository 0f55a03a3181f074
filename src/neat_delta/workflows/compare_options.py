"""Options of comparisons and of formulas: how an edited file is mapped and read, and how values are calculated.

Nothing heavy is loaded here, for the help of a command is made from it.
"""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass
from typing import Literal

from neat_delta.base.options import MATCHING, SCOPE, SUPPLIER, VALUES, Options, option, words_of
from neat_delta.locations import Location
from neat_delta.workflows.option_groups import AllowOptions, ConflictOptions, KeyOption, ReadingOptions, ScopeOptions

Blanks = Literal["leave", "clear"]
Rounding = Literal["nearest", "up", "down"]


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
class ComparisonOptions(
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
