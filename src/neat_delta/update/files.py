"""The files of an update: a change set packed, encoded in the shop's form, and put into a folder."""

from __future__ import annotations

from typing import TYPE_CHECKING

import polars as pl

from neat_delta.base.errors import WriteError
from neat_delta.changeset.schemas import ADD, CHANGE, RECODE, REMOVE
from neat_delta.locations.prefetch import sha256_hex
from neat_delta.tables import field_name
from neat_delta.tables.import_config import KINDS_OF_FILES
from neat_delta.update.delimited import as_workbook, delimited
from neat_delta.update.import_format import PARQUET, TABBED, WORKBOOK, ImportFormat
from neat_delta.update.packing import OutputTable, Packing, pack, parts_of
from neat_delta.update.parquet import as_parquet
from neat_delta.update.receipt import WrittenFile
from neat_delta.update.record_formats import lines_of, record_file, record_suffix
from neat_delta.update.sql_script import SQL_FORMATS

if TYPE_CHECKING:
    from collections.abc import Sequence
    from pathlib import Path

    from neat_delta.changeset.changeset import ChangeSet
    from neat_delta.tables import Table
    from neat_delta.update.import_format import FileNaming

# What files are called, by what becomes of their items.
FILES = dict(zip((RECODE, ADD, CHANGE, REMOVE), KINDS_OF_FILES, strict=True))
KEPT_SUFFIXES = (".csv", ".tsv", ".txt")


def write_files(
    changes: ChangeSet,
    live: Table,
    folder: Path,
    import_format: ImportFormat,
    packing: Packing,
) -> tuple[list[WrittenFile], dict[str, int]]:
    """The files, and by field how many of their cells hold what the live export has."""
    folder.mkdir(exist_ok=True, parents=True)
    live = import_format.renamed(live)
    naming = import_format.naming(back=packing.back)
    if record_suffix(import_format.output_format) is not None:
        return _write_records(changes, live, folder, import_format, naming), {}
    config, file_format = import_format.config, import_format.file_format

    def encoded(cells: pl.DataFrame) -> bytes:
        if import_format.output_format == PARQUET:
            return as_parquet(cells, {live.field(name).column: n for name, n in import_format.decimals.items()})
        return as_workbook(cells) if import_format.output_format == WORKBOOK else delimited(cells, file_format)

    def fits(cells: pl.DataFrame) -> bool:
        return config.bytes is None or len(encoded(cells)) <= config.bytes

    tables = pack(
        changes, live, config.columns, packing.strategy, holes=packing.holes, back=packing.back, sets=packing.sets
    )
    filled: dict[str, int] = {}
    for table in tables:
        for name, count in table.filled.items():
            filled[name] = filled.get(name, 0) + count
    try:
        parts = [
            (table.action, part)
            for table in tables
            for part in parts_of(_headed(table, live, import_format), config.rows, fits)
        ]
        files = [encoded(part) for _, part in parts]
    except UnicodeEncodeError as error:
        raise WriteError(
            f"the shop's encoding ({file_format.encoding}) has no character {error.object[error.start : error.end]!r}",
            file=live.source.path,
            hint="Run compare again; such cells are then errors.",
        ) from error
    live_suffix = live.source.path.suffix.lower()
    suffix = {WORKBOOK: ".xlsx", TABBED: ".tsv", PARQUET: ".parquet"}.get(
        import_format.output_format, live_suffix if live_suffix in KEPT_SUFFIXES else ".csv"
    )
    described = [(action, len(part), part.columns, data) for (action, part), data in zip(parts, files, strict=True)]
    return _put_files(described, folder, suffix, naming), filled


def requested_cells(changes: ChangeSet) -> pl.DataFrame:
    """The cells of items that change, by the key that the update's files name them by (frame of key, field)."""
    cells = changes.cells_with_action(CHANGE, RECODE).select("key", "field")
    to = changes.new_keys()
    return cells.with_columns(pl.col("key").replace(to)) if to else cells


def _headed(table: OutputTable, live: Table, import_format: ImportFormat) -> pl.DataFrame:
    """A table as its file has it: under the importer's column names, with the constants of its kind of file."""
    headed = OutputTable(import_format.written(table.cells)).headed(live)
    constants = import_format.constants(FILES[table.action])
    doubled = [column for column in constants if field_name(column) in map(field_name, headed.columns)]
    if doubled:
        raise WriteError(
            "a constant has the name of a column of the file", column=doubled[0],
            hint="Rename it, or remove it, in constants of [import] in catalogue.toml.",
        )  # fmt: skip
    return headed.with_columns(pl.lit(value).alias(column) for column, value in constants.items())


def _write_records(
    changes: ChangeSet, live: Table, folder: Path, import_format: ImportFormat, naming: FileNaming
) -> list[WrittenFile]:
    """Files of a form without rectangles; an SQL script is one transaction and is not parted."""
    config, shape = import_format.config, import_format.output_format
    described: list[tuple[str, int, list[str], bytes]] = []
    scripts = []
    if changes.new_keys():
        raise WriteError(
            f"SKU changes need a table format, not {import_format.output_format}",
            hint="Choose the format delimited, tsv or xlsx.",
            code="no-code-changes-in-form",
        )
    if import_format.config.constants:
        raise WriteError(
            f"constants of [import] need a table format, not {import_format.output_format}",
            hint="Choose the format delimited, tsv or xlsx.",
            code="no-code-changes-in-form",
        )
    for action in (ADD, CHANGE, REMOVE):
        lines = lines_of(changes, live, action, import_format, shape)
        if lines.is_empty():
            continue
        scripts.append(lines)
        frame = lines.to_frame("line")

        def fits(part: pl.DataFrame) -> bool:
            return config.bytes is None or len(record_file([part["line"]], shape)) <= config.bytes

        if shape not in SQL_FORMATS:
            # There is no header line, so that one more item finds room.
            parts = parts_of(frame, None if config.rows is None else config.rows + 1, fits)
            columns = _columns(changes, live, action)
            described += [(action, len(part), columns, record_file([part["line"]], shape)) for part in parts]
    if shape in SQL_FORMATS and scripts:
        columns = _columns(changes, live, CHANGE, ADD, REMOVE)
        described = [(CHANGE, sum(map(len, scripts)), columns, record_file(scripts, shape))]
    return _put_files(described, folder, str(record_suffix(shape)), naming, "update" if shape in SQL_FORMATS else None)


def _columns(changes: ChangeSet, live: Table, *actions: str) -> list[str]:
    """The key's columns and those in which such items change."""
    names = {*changes.head.key, *changes.cells_with_action(*actions)["field"].unique()}
    return [field.column for field in live.fields if field.name in names]


def _put_files(
    described: Sequence[tuple[str, int, list[str], bytes]],
    folder: Path,
    suffix: str,
    naming: FileNaming,
    content: str | None = None,
) -> list[WrittenFile]:
    """Put files (what becomes of their items, rows, columns, bytes) into a folder, numbered in the order to import."""
    width = max(2, len(str(len(described))))
    written = []
    for number, (action, rows, columns, data) in enumerate(described, start=1):
        path = folder / f"{naming.name(f'{number:0{width}}', content or FILES[action])}{suffix}"
        try:
            path.write_bytes(data)
        except OSError as error:
            raise WriteError(f"the file cannot be written ({error.strerror})", file=path) from error
        written.append(WrittenFile(path.name, action, rows, columns, len(data), sha256_hex(data)))
    return written
