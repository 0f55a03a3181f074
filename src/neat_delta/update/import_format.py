"""How the shop's import wants its files: form, decimal separator, and what empties a field."""

from __future__ import annotations

from dataclasses import dataclass, field, replace
from datetime import UTC, datetime
from typing import TYPE_CHECKING

import polars as pl

from neat_delta.base.errors import WriteError
from neat_delta.locations.prefetch import sha256_hex
from neat_delta.tables import Field, field_name
from neat_delta.tables.import_config import ImportConfig
from neat_delta.tables.type_inference import infer_column_format, resolve_type
from neat_delta.update.delimited import import_format

if TYPE_CHECKING:
    from collections.abc import Mapping

    from neat_delta.changeset.changeset import ChangeSet
    from neat_delta.tables import FileFormat, Table
    from neat_delta.tables.settings import Settings

DELIMITED, TABBED, WORKBOOK, PARQUET = "delimited", "tsv", "xlsx", "parquet"
# Stands for a mark while two change places; no number holds it.
SPARE = "\x1e"


DEFAULT_PATTERN = ImportConfig().file_name


@dataclass(frozen=True)
class FileNaming:
    """How the files of one update are named; files of the way back say so, unless the pattern is the usual one."""

    pattern: str
    made: datetime
    id: str
    back: bool

    def name(self, number: str, content: str) -> str:
        """The name, without its ending, of the file of this number and content."""
        content = f"undo-{content}" if self.back and self.pattern != DEFAULT_PATTERN else content
        return self.pattern.format(
            number=number, content=content, date=f"{self.made:%Y%m%d}", time=f"{self.made:%H%M%S}", id=self.id
        )


@dataclass(frozen=True)
class ImportFormat:
    """The rules of the import, its files' form, the fields whose numbers have another mark than in exports, the shape.

    The shape says what sort of file it is: delimited text, a workbook, or a form without rectangles. ``made`` and
    ``id`` are for the names of the files: when they are written, and the beginning of the change set's checksum.
    ``decimals`` are the numeric fields that a file with types has as such, and how many decimals they have at most.
    """

    config: ImportConfig
    file_format: FileFormat
    separator_swapped: frozenset[str]
    output_format: str = DELIMITED
    made: datetime = field(default_factory=lambda: datetime.now(UTC))
    id: str = ""
    decimals: Mapping[str, int] = field(default_factory=dict)

    def renamed(self, live: Table) -> Table:
        """The live export under the column names that the importer has for its fields.

        Raises:
            WriteError: two fields would have one column name.
        """
        if not self.config.names:
            return live
        fields = tuple(Field(one.name, self.config.names.get(one.name, one.column)) for one in live.fields)
        taken: dict[str, str] = {}
        for one in fields:
            other = taken.setdefault(field_name(one.column), one.name)
            if other != one.name:
                raise WriteError(
                    f"the fields {other} and {one.name} would have the same column name", column=one.column,
                    hint="Change names in [import] of catalogue.toml.",
                )  # fmt: skip
        return replace(live, fields=fields)

    def constants(self, content: str) -> Mapping[str, str]:
        """The columns with one value in every row that this kind of file has."""
        return self.config.constants.get(content, {})

    def naming(self, *, back: bool) -> FileNaming:
        """How the files are named."""
        return FileNaming(self.config.file_name, self.made, self.id, back)

    def written(self, cells: pl.DataFrame) -> pl.DataFrame:
        """Cells (by field) as a file for the shop has them: its decimal separator, its marker for an empty cell."""
        cells = cells.with_columns(other_mark(pl.col(name)) for name in cells.columns if name in self.separator_swapped)
        cells = cells if self.config.marker is None else cells.fill_null(self.config.marker)
        # What is an empty text empties nothing, and is written as nothing all the same.
        return cells.select(pl.when(pl.all() != "").then(pl.all()))

    def value_after_import(self, cells: pl.Series, shop_values: pl.Series) -> pl.Series:
        """What a field holds after the import of these cells, where ``shop_values`` is what it held."""
        if cells.name not in self.separator_swapped and self.config.marker is None and (cells != "").all():
            return cells
        frame = pl.DataFrame({"cell": cells, "there": shop_values})
        value = other_mark(pl.col("cell")) if cells.name in self.separator_swapped else pl.col("cell")
        blank = pl.col("there") if self.config.leaves_blanks else pl.lit("")
        taken = pl.when(pl.col("cell") == "").then(blank).otherwise(value)
        if self.config.marker is not None:
            taken = pl.when(pl.col("cell") == self.config.marker).then(pl.lit("")).otherwise(taken)
        return frame.select(taken).to_series()


def import_format_of(
    changes: ChangeSet, live: Table, settings: Settings, output_format: str = DELIMITED
) -> ImportFormat:
    """The import as it is configured; what is not configured is as the shop exports."""
    if output_format == PARQUET:  # there is one way only to write a number
        settings = replace(settings, imports=replace(settings.imports, decimal="."))
    form = import_format(live.format, settings.imports)
    if output_format == TABBED:
        form = replace(form, delimiter="\t")
    unknown = [name for name in settings.imports.names if name not in live.names]
    if unknown:
        raise WriteError(
            "names of [import] in catalogue.toml has a field that is not in the live export", column=unknown[0],
            hint="Correct it.",
        )  # fmt: skip
    swapped, mark = _swapped(changes, live, settings), changeset_id(changes)
    decimals = _decimals(changes, live, settings) if output_format == PARQUET else {}
    return ImportFormat(settings.imports, form, swapped, output_format, id=mark, decimals=decimals)


def _decimals(changes: ChangeSet, live: Table, settings: Settings) -> dict[str, int]:
    """The numeric fields of the update, and how many decimals their live and new values have at most."""
    decimals = {}
    for name in {*changes.head.fields, *settings.imports.columns} - set(changes.head.key):
        filled = live.distinct_values(name)
        if resolve_type(filled, name, settings.field(name)).numeric:
            new = changes.cells.filter(field=name)["now"].drop_nulls()
            behind = pl.concat([filled.rename("now"), new]).str.extract(r"[.,](\d+)\s*$").str.len_chars()
            decimals[name] = int(str(behind.max() or 0))
    return decimals


def changeset_id(changes: ChangeSet) -> str:
    """What tells this change set from others in file names: the beginning of the checksum of its cells and time."""
    keys = changes.cells.select("key", "field", "now").hash_rows(seed=0).sum() if len(changes.cells) else 0
    return sha256_hex(f"{changes.head.made} {changes.head.live.sha256} {keys}".encode())[:8]


def other_mark(cells: pl.Expr) -> pl.Expr:
    """Numbers with the other decimal separator: points and commas change places, and back again if done twice."""
    spared = cells.str.replace_all(".", SPARE, literal=True)
    return spared.str.replace_all(",", ".", literal=True).str.replace_all(SPARE, ",", literal=True)


def _swapped(changes: ChangeSet, live: Table, settings: Settings) -> frozenset[str]:
    """The numeric fields of the update whose decimal separator in the live export is not that of the shop's import."""
    decimal = settings.imports.decimal
    if decimal is None:
        return frozenset()
    swapped = set()
    for name in {*changes.head.fields, *settings.imports.columns} - set(changes.head.key):
        filled = live.distinct_values(name)
        kind = resolve_type(filled, name, settings.field(name))
        separator = getattr(infer_column_format(live, name, kind, settings.field(name)), "decimal_separator", None)
        if kind.numeric and separator not in (None, decimal):
            swapped.add(name)
    return frozenset(swapped)
