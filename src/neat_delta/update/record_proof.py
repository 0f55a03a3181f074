"""Reading back, for the proof, forms that are no tables: bytes in, what they do to the shop's items out.

Nothing of what wrote them is used here: JSON is read by Python's own parser, SQL is run by a database.
"""

from __future__ import annotations

import json
import sqlite3
from contextlib import closing
from typing import TYPE_CHECKING, Any

import polars as pl

from neat_delta.base.errors import ProofFailed
from neat_delta.base.plugins import FORMATS, plugins
from neat_delta.changeset.schemas import REMOVE
from neat_delta.matching import KEY_SEPARATOR
from neat_delta.update.record_formats import MERGE_PATCH
from neat_delta.update.sql_script import as_sqlite

if TYPE_CHECKING:
    from collections.abc import Sequence
    from pathlib import Path

    from neat_delta.tables import Table

Item = dict[str, str | None]


def items_in(path: Path, action: str, key: Sequence[str], output_format: str) -> dict[str, Item | None]:
    """By key, the columns of each item in a file of JSON lines and what they become; ``None`` for one to be removed.

    Raises:
        ProofFailed: a line is no such object, or an item is in the file twice.
    """
    items: dict[str, Item | None] = {}
    brought = plugins(FORMATS).get(output_format)
    for number, line in enumerate(_lines(path) if brought is None else _records(path, brought), start=1):
        try:
            record: Any = json.loads(line) if brought is None else line
            code, item = _patched(record, len(key)) if output_format == MERGE_PATCH else _record(record, key, action)
        except (ValueError, KeyError, TypeError, AttributeError) as error:
            raise ProofFailed("this line cannot be read back", file=path.name, line=number) from error
        if code in items:
            raise ProofFailed("this item is in the file twice", file=path.name, line=number, value=code)
        items[code] = item
    return items


def _patched(given: Any, depth: int) -> tuple[str, Item | None]:
    """A merge patch of one item, in objects as deep as the key has parts."""
    parts = []
    for _ in range(depth):
        ((part, given),) = given.items()
        parts.append(part)
    return KEY_SEPARATOR.join(parts), given


def _record(given: Item, key: Sequence[str], action: str) -> tuple[str, Item | None]:
    code = KEY_SEPARATOR.join(str(given[column]) for column in key)
    rest = {column: value for column, value in given.items() if column not in key}
    return code, None if action == REMOVE else rest


def run_sql(
    path: Path, items: pl.DataFrame, live: Table, key: Sequence[str], table: str, output_format: str
) -> pl.DataFrame:
    """The items (a frame of key and fields) after a script has run on a database that holds them.

    Raises:
        ProofFailed: the script fails, be it by one of its guards.
    """
    fields = [field for field in live.fields if field.name in items.columns]
    names = [f'"{field.column.replace(chr(34), chr(34) * 2)}"' for field in fields]
    quoted = f'"{table.replace(chr(34), chr(34) * 2)}"'
    marks = ", ".join("?" * len(names))
    with closing(sqlite3.connect(":memory:", isolation_level=None)) as database:
        database.execute(f"CREATE TABLE {quoted} ({', '.join(f'{name} TEXT' for name in names)})")
        database.executemany(
            f"INSERT INTO {quoted} VALUES ({marks})", items.select(field.name for field in fields).iter_rows()
        )
        try:
            database.executescript(as_sqlite(path.read_bytes().decode(), output_format))
        except sqlite3.Error as error:
            raise ProofFailed(f"the script fails: {error}", file=path.name) from error
        rows = database.execute(f"SELECT {', '.join(names)} FROM {quoted}").fetchall()
    after = pl.DataFrame(rows, schema={field.name: pl.String for field in fields}, orient="row").fill_null("")
    codes = after.select(pl.concat_str(key, separator=KEY_SEPARATOR)).to_series()
    return after.with_columns(codes.alias(KEY_SEPARATOR)).select(items.columns)


def _records(path: Path, brought: Any) -> list[Any]:
    """The records of a file in a plug-in's format.

    Raises:
        ProofFailed: the plug-in cannot read what it has written.
    """
    try:
        records = brought.read(path.read_bytes())
    except Exception as error:  # (whatever a package of somebody else's raises)
        raise ProofFailed(f"the plug-in cannot read back what it has written ({error})", file=path.name) from error
    return list(records)


def _lines(path: Path) -> list[str]:
    """The lines of a file, parted by line feeds and nothing else: other line ends are part of texts."""
    return path.read_bytes().decode().removesuffix("\n").split("\n")
