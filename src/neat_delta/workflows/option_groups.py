"""Groups of options that several jobs have: every option with its type, its default, its help and its group.

Nothing heavy is loaded here, for the help of a command is made from it.
"""

from __future__ import annotations

from dataclasses import dataclass
from datetime import datetime
from pathlib import Path
from typing import TYPE_CHECKING, Literal

from neat_delta.base.errors import InvalidOption
from neat_delta.base.options import (
    MATCHING,
    OUTPUT,
    READING,
    SAFETY,
    SCOPE,
    VALUES,
    Options,
    option,
    words_of,
)
from neat_delta.locations import Location

if TYPE_CHECKING:
    from neat_delta.changeset.head import Overrides
    from neat_delta.tables.read_options import ReadOptions

Pack = Literal["exact", "one-file"]
Unmarked = Literal["reject", "accept"]
Decimal = Literal[".", ","]

FIRST_YEAR, LAST_YEAR = 1971, 9998
# The formats of update files.
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
class DecisionsOption(Options):
    """Conflicts that were decided one by one."""

    decisions: Location | None = option(None, VALUES, "Decide conflicts as marked in this workbook.", metavar="FILE")


@dataclass(frozen=True, kw_only=True, eq=False, repr=False)
class ConflictOptions(DecisionsOption):
    """Whose value goes on where two have changed a cell."""

    on_conflict: tuple[str, ...] = option(
        (),
        VALUES,
        "Cells changed on both sides: hold (default: error), ours or shop; FIELD=ours for one field. Repeatable.",
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
    allow: tuple[str, ...] = option(
        (),
        SAFETY,
        'Let one field pass one check, such as "bin=fill series". Repeatable.',
        metavar="FIELD=CHECK",
    )
    images: Path | None = option(None, SAFETY, "Image folder; missing image files are errors.", metavar="DIR")

    def overrides(self) -> Overrides:
        """What checks let through, for the core."""
        from neat_delta.changeset.head import Overrides

        return Overrides(self.unlock, self.allow_new_values, self.as_typed, self.ignore, self.allow)


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

    def __post_init__(self) -> None:
        """A year in which no export can have been made is refused: computers count time from 1970 on, in any zone."""
        super().__post_init__()
        if self.as_of is not None and not FIRST_YEAR <= self.as_of.year <= LAST_YEAR:
            year = str(self.as_of.year)
            raise InvalidOption("no live export was made in this year", option="as_of", value=year)


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
