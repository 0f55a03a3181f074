"""Forms without rectangles: a line or statement for each item, with just the fields that it changes.

``jsonl``        a JSON object an item: its key and its changed columns by name; null empties a field.
``merge-patch``  a JSON Merge Patch (RFC 7396) an item, for a catalogue that is one object of items by their keys; null
                 empties a field, or takes the whole item out.
``sql``          one script for all items, of standard SQL or for one database (sql_script.py).

A plug-in may bring another form of the records that ``jsonl`` has as lines.
"""

from __future__ import annotations

import json
from typing import TYPE_CHECKING

import polars as pl

from neat_delta.base.plugins import FORMATS, plugins
from neat_delta.changeset.item_lines import as_json
from neat_delta.changeset.schemas import REMOVE
from neat_delta.matching import KEY_SEPARATOR
from neat_delta.update.import_format import other_mark
from neat_delta.update.sql_script import SQL_FORMATS, script_of, statements_of

if TYPE_CHECKING:
    from neat_delta.changeset.changeset import ChangeSet
    from neat_delta.tables import Table
    from neat_delta.update.import_format import ImportFormat

JSON_LINES, MERGE_PATCH = "jsonl", "merge-patch"
RECORDS = {JSON_LINES: ".jsonl", MERGE_PATCH: ".merge-patch.jsonl"} | dict.fromkeys(SQL_FORMATS, ".sql")


def record_suffix(output_format: str) -> str | None:
    """The end of the names of files in a format of records; ``None`` for a format of tables."""
    if output_format in RECORDS:
        return RECORDS[output_format]
    brought = plugins(FORMATS).get(output_format)
    return None if brought is None else str(brought.suffix)


def lines_of(
    changes: ChangeSet, live: Table, action: str, import_format: ImportFormat, output_format: str
) -> pl.Series:
    """A line (of SQL: two statements) for each item that is to be changed, added or removed, in their order."""
    swapped = pl.col("field").is_in(list(import_format.separator_swapped))
    cells = changes.cells_with_action(action).with_columns(
        pl.when(swapped).then(other_mark(pl.col(side))).otherwise(side).alias(side) for side in ("was", "now")
    )
    keys = changes.keys_with_action(action)
    if output_format in SQL_FORMATS:
        return statements_of(changes, cells, live, action, output_format, import_format.config.table)
    pair = pl.concat_str(as_json(_column(live)), pl.lit(":"), as_json(pl.col("now")))
    lines = keys.join(_joined(cells, pair, ","), on="key", how="left", maintain_order="left")
    if output_format == MERGE_PATCH:
        patch = (
            pl.lit("null")
            if action == REMOVE
            else pl.concat_str(pl.lit("{"), pl.col("told").fill_null(""), pl.lit("}"))
        )
        parts = [as_json(_part(changes, name)) for name in changes.head.key]
        opened = pl.concat_str([piece for part in parts for piece in (pl.lit("{"), part, pl.lit(":"))])
        return lines.select(opened + patch + pl.lit("}" * len(parts))).to_series()
    names = [
        as_json(pl.lit(live.field(name).column)) + ":" + as_json(_part(changes, name)) for name in changes.head.key
    ]
    key = pl.concat_str(names, separator=",")
    rest = pl.when(pl.col("told").is_null() | pl.lit(action == REMOVE)).then(pl.lit("")).otherwise("," + pl.col("told"))
    return lines.select(pl.lit("{") + key + rest + pl.lit("}")).to_series()


def record_file(lines: list[pl.Series], output_format: str) -> bytes:
    """The lines of items as a file, always UTF-8."""
    if output_format in SQL_FORMATS:
        return script_of(lines, output_format).encode()
    if output_format not in RECORDS:
        records = [json.loads(line) for part in lines for line in part]
        data: bytes = plugins(FORMATS)[output_format].write(records)
        return data
    return "".join(f"{line}\n" for part in lines for line in part).encode()


def _joined(cells: pl.DataFrame, piece: pl.Expr, between: str) -> pl.DataFrame:
    """A piece of text for each cell, those of one item joined (frame of key, told)."""
    return cells.group_by("key", maintain_order=True).agg(told=piece.str.join(between))


def _column(live: Table) -> pl.Expr:
    """The live export's own name of each cell's column."""
    return pl.col("field").replace_strict({field.name: field.column for field in live.fields}, return_dtype=pl.String)


def _part(changes: ChangeSet, name: str) -> pl.Expr:
    """One part of each item's key."""
    return pl.col("key").str.split(KEY_SEPARATOR).list.get(changes.head.key.index(name))
