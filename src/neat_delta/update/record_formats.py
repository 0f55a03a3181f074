"""Forms without rectangles: a line or statement for each item, with just the fields that it changes.

``jsonl``        a JSON object an item: its key and its changed columns by name; null empties a field.
``merge-patch``  a JSON Merge Patch (RFC 7396) an item, for a catalogue that is one object of items by their keys; null
                 empties a field, or takes the whole item out.
``sql``          one script for all items: UPDATE, INSERT and DELETE of standard SQL in one transaction. Before each of
                 them a guard makes sure that the item is as the live export has it; if it is not, its check constraint
                 is violated and the transaction fails.
"""

from __future__ import annotations

from typing import TYPE_CHECKING

import polars as pl

from neat_delta.changeset.changeset import ADD, CHANGE, REMOVE
from neat_delta.changeset.item_lines import as_json
from neat_delta.matching import KEY_SEPARATOR
from neat_delta.update.import_format import other_mark

if TYPE_CHECKING:
    from neat_delta.changeset.changeset import ChangeSet
    from neat_delta.tables import Table
    from neat_delta.update.import_format import ImportFormat

JSON_LINES, MERGE_PATCH, SQL = "jsonl", "merge-patch", "sql"
RECORDS = {JSON_LINES: ".jsonl", MERGE_PATCH: ".merge-patch.jsonl", SQL: ".sql"}
GUARD = "neat_delta_guard"
SQL_HEAD = f"BEGIN;\nCREATE TEMPORARY TABLE {GUARD} (as_expected INTEGER NOT NULL CHECK (as_expected = 1));\n"
SQL_FOOT = f"DROP TABLE {GUARD};\nCOMMIT;\n"


def lines_of(
    changes: ChangeSet, live: Table, action: str, import_format: ImportFormat, output_format: str
) -> pl.Series:
    """A line (of SQL: two statements) for each item that is to be changed, added or removed, in their order."""
    swapped = pl.col("field").is_in(list(import_format.separator_swapped))
    cells = changes.cells_with_action(action).with_columns(
        pl.when(swapped).then(other_mark(pl.col(side))).otherwise(side).alias(side) for side in ("was", "now")
    )
    keys = changes.keys_with_action(action)
    if output_format == SQL:
        return _sql(keys, cells, changes, live, action, import_format.config.table)
    pair = pl.concat_str(as_json(_column(live)), pl.lit(":"), as_json(pl.col("now")))
    result = keys.join(_joined(cells, pair, ","), on="key", how="left", maintain_order="left")
    if output_format == MERGE_PATCH:
        patch = (
            pl.lit("null")
            if action == REMOVE
            else pl.concat_str(pl.lit("{"), pl.col("told").fill_null(""), pl.lit("}"))
        )
        parts = [as_json(_part(changes, name)) for name in changes.head.key]
        opened = pl.concat_str([piece for part in parts for piece in (pl.lit("{"), part, pl.lit(":"))])
        return result.select(opened + patch + pl.lit("}" * len(parts))).to_series()
    names = [
        as_json(pl.lit(live.field(name).column)) + ":" + as_json(_part(changes, name)) for name in changes.head.key
    ]
    key = pl.concat_str(names, separator=",")
    rest = pl.when(pl.col("told").is_null() | pl.lit(action == REMOVE)).then(pl.lit("")).otherwise("," + pl.col("told"))
    return result.select(pl.lit("{") + key + rest + pl.lit("}")).to_series()


def record_file(lines: list[pl.Series], output_format: str) -> bytes:
    """The lines of items as a file, always UTF-8."""
    text = "".join(f"{line}\n" for part in lines for line in part)
    return (SQL_HEAD + text + SQL_FOOT if output_format == SQL else text).encode()


def _sql(
    keys: pl.DataFrame, cells: pl.DataFrame, changes: ChangeSet, live: Table, action: str, table: str
) -> pl.Series:
    name, value = _name(_column(live)), _value(pl.col("now"))
    # Neither a number nor a date can be compared with a blank text by every database; their first sign can.
    blank = "COALESCE(CAST(" + name + " AS VARCHAR(1)), '') = ''"
    result = keys
    for column, piece, between in (
        ("sets", name + " = " + value, ", "),
        ("names", name, ", "),
        ("values", value, ", "),
        ("was", pl.when(pl.col("was").is_null()).then(blank).otherwise(name + " = " + _value(pl.col("was"))), " AND "),
    ):
        joined = _joined(cells, piece, between).rename({"told": column})
        result = result.join(joined, on="key", how="left", maintain_order="left")
    parts = [(_quoted(live.field(part).column), _value(_part(changes, part))) for part in changes.head.key]
    here = pl.concat_str([pl.lit(f"{column} = ") + code for column, code in parts], separator=" AND ")
    items = _quoted(table)
    count = 0 if action == ADD else 1
    was = pl.lit("") if action == ADD else pl.lit(" AND ") + pl.col("was")
    guard = (
        pl.lit(f"INSERT INTO {GUARD} SELECT CASE WHEN COUNT(*) = {count} THEN 1 ELSE 0 END FROM {items} WHERE ")
        + here
        + was.fill_null("")
        + ";\n"
    )
    if action == CHANGE:
        work = pl.lit(f"UPDATE {items} SET ") + pl.col("sets") + pl.lit(" WHERE ") + here
    elif action == REMOVE:
        work = pl.lit(f"DELETE FROM {items} WHERE ") + here
    else:
        columns = pl.lit(", ".join(column for column, _ in parts))
        codes = pl.concat_str([code for _, code in parts], separator=", ")
        more_names, more = ((pl.lit(", ") + pl.col(name)).fill_null("") for name in ("names", "values"))
        work = pl.lit(f"INSERT INTO {items} (") + columns + more_names + ") VALUES (" + codes + more + ")"
    return result.select(guard + work + ";").to_series()


def _joined(cells: pl.DataFrame, piece: pl.Expr, between: str) -> pl.DataFrame:
    """A piece of text for each cell, those of one item joined (frame of key, told)."""
    return cells.group_by("key", maintain_order=True).agg(told=piece.str.join(between))


def _column(live: Table) -> pl.Expr:
    """The live export's own name of each cell's column."""
    return pl.col("field").replace_strict({field.name: field.column for field in live.fields}, return_dtype=pl.String)


def _part(changes: ChangeSet, name: str) -> pl.Expr:
    """One part of each item's key."""
    return pl.col("key").str.split(KEY_SEPARATOR).list.get(changes.head.key.index(name))


def _name(column: pl.Expr) -> pl.Expr:
    return '"' + column.str.replace_all('"', '""', literal=True) + '"'


def _quoted(name: str) -> str:
    doubled = name.replace('"', '""')
    return f'"{doubled}"'


def _value(text: pl.Expr) -> pl.Expr:
    quoted = "'" + text.str.replace_all("'", "''", literal=True) + "'"
    return pl.when(text.is_null()).then(pl.lit("NULL")).otherwise(quoted)
