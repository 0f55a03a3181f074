"""The forms in which a practice shop takes imports: delimited text as it is set, workbooks, Parquet, JSON, SQL."""

from __future__ import annotations

import csv
import io
import json
import re
import sqlite3
from dataclasses import dataclass
from pathlib import Path
from typing import TYPE_CHECKING, Any

from neat_delta.base.errors import InvalidInput, InvalidOption
from neat_delta.locations.prefetch import FilePrefetch
from neat_delta.reading import read_table
from neat_delta.update.sql_script import ENCODINGS, MYSQL, STANDARD, as_sqlite

if TYPE_CHECKING:
    from neat_delta.practice_shop.behaviour import StoreBehaviour

TYPED = (b"PK\x03\x04", b"PAR1")
# How scripts begin, and the form of each.
SCRIPTS = {
    **{start: form for form, start in ENCODINGS.items()},
    "START TRANSACTION;": MYSQL,
    "BEGIN;": STANDARD,
}
# What a script may do to the shop's items, and to the table of guards that it brings along.
ALLOWED = {
    sqlite3.SQLITE_SELECT, sqlite3.SQLITE_READ, sqlite3.SQLITE_FUNCTION, sqlite3.SQLITE_TRANSACTION,
    sqlite3.SQLITE_INSERT, sqlite3.SQLITE_UPDATE, sqlite3.SQLITE_DELETE,
    sqlite3.SQLITE_CREATE_TEMP_TABLE, sqlite3.SQLITE_DROP_TEMP_TABLE,
}  # fmt: skip
# A statement of a script on the shop's items, with what it does.
STATEMENT = re.compile(r'^(UPDATE|DELETE FROM|INSERT INTO) [`"]?(?!neat_delta_guard)')


@dataclass(frozen=True)
class ImportRows:
    """The rows of an import: each with its line and its cells by column, ``None`` for one that is to be emptied.

    A row that cannot be read has no cells. ``removed`` are the lines of items that are to be removed whatever the file
    says that it does.
    """

    header: list[str]
    rows: list[tuple[int, dict[str, str | None] | None]]
    removed: frozenset[int] = frozenset()


def is_script(data: bytes) -> bool:
    """Whether an import is an SQL script."""
    return data.startswith(tuple(start.encode() for start in SCRIPTS))


def rows_of(data: bytes, ways: StoreBehaviour) -> ImportRows:
    """The rows of an import, whatever form it has.

    Raises:
        InvalidOption: the file as a whole is not taken.
    """
    if data.startswith(TYPED):
        return _typed(data, ways)
    if data.lstrip()[:1] == b"{":
        return _objects(data, ways)
    return _delimited(data, ways)


def run_script(base: sqlite3.Connection, data: bytes, key: str) -> list[tuple[int, str, str]]:
    """Run an SQL script on the shop's items, in one transaction; its statements (line, SKU where told, what it does).

    Raises:
        InvalidOption: it fails, be it by one of its guards, or does what no update does; nothing is changed then.
    """
    try:
        text = data.decode()
    except UnicodeDecodeError as error:
        raise InvalidOption("file rejected: a script must be UTF-8") from error
    form = next((form for start, form in SCRIPTS.items() if text.startswith(start)), STANDARD)
    base.set_authorizer(lambda action, *_: sqlite3.SQLITE_OK if action in ALLOWED else sqlite3.SQLITE_DENY)
    try:
        base.executescript(as_sqlite(text, form))
    except sqlite3.Error as error:
        raise InvalidOption(f"file rejected: the script failed ({error}), nothing was changed") from error
    finally:
        if base.in_transaction:
            base.rollback()
        base.set_authorizer(None)
    where = re.compile(rf'[`"]{re.escape(key)}[`"] = \'((?:[^\']|\'\')*)\'')
    changes = []
    for number, line in enumerate(text.split("\n"), start=1):
        if match := STATEMENT.match(line):
            told = where.search(line)
            changes.append((number, told[1].replace("''", "'") if told else "", match[1]))
    return changes


def _delimited(data: bytes, ways: StoreBehaviour) -> ImportRows:
    named = f"{ways.delimiter}-separated {ways.encoding.upper()}"
    try:
        text = data.decode("utf-8-sig" if ways.encoding.lower() in ("utf-8", "utf8") else ways.encoding)
        table = list(csv.reader(io.StringIO(text, newline=""), delimiter=ways.separator))
    except (UnicodeDecodeError, csv.Error, LookupError) as error:
        raise InvalidOption(f"file rejected: it must be {named}") from error
    if not table:
        raise InvalidOption("file rejected: it is empty")
    header, *rows = table
    if len(header) == 1 and ways.key not in header:
        raise InvalidOption(f"file rejected: no column {ways.key}; it must be {named}")
    cells = [
        dict[str, str | None](zip(header, map(ways.as_stored, header, row), strict=True))
        if len(row) == len(header)
        else None
        for row in rows
    ]
    return ImportRows(header, list(enumerate(cells, start=2)))


def _typed(data: bytes, ways: StoreBehaviour) -> ImportRows:
    path = Path("import")
    try:
        table = read_table(path, prefetch=FilePrefetch.holding(path, data))
    except InvalidInput as error:
        raise InvalidOption(f"file rejected: {error.what}") from error
    header = [field.column for field in table.fields]
    cells = table.cells(table.names).iter_rows()
    rows = [dict[str, str | None](zip(header, map(ways.as_stored, header, row), strict=True)) for row in cells]
    return ImportRows(header, list(zip(table.rows.line, rows, strict=True)))


def _objects(data: bytes, ways: StoreBehaviour) -> ImportRows:
    """JSON Lines: an object of cells for each item, or a merge patch of the catalogue (RFC 7396)."""
    key = ways.key
    header = {key: None}
    rows: list[tuple[int, dict[str, str | None] | None]] = []
    removed = set()
    for number, line in enumerate(data.decode(errors="replace").split("\n"), start=1):
        if not line.strip():
            continue
        try:
            item: Any = json.loads(line, parse_float=str, parse_int=str)
            if not isinstance(item, dict):
                raise TypeError
        except (ValueError, TypeError, RecursionError):
            rows.append((number, None))
            continue
        if len(item) == 1 and key not in item:
            ((code, patch),) = item.items()
            item = {key: code} | (patch or {})
            removed |= {number} if patch is None else set()
        header |= dict.fromkeys(item)
        cells = {name: None if value is None else ways.as_stored(name, str(value)) for name, value in item.items()}
        rows.append((number, cells))
    return ImportRows(list(header), rows, frozenset(removed))


def export_text(header: list[str], rows: list[list[str]], ways: StoreBehaviour) -> bytes:
    """The items as the shop writes them."""
    text = io.StringIO(newline="")
    writer = csv.writer(text, delimiter=ways.separator, lineterminator="\n")
    writer.writerow(header)
    writer.writerows([ways.as_exported(name, cell) for name, cell in zip(header, row, strict=True)] for row in rows)
    return text.getvalue().encode(ways.encoding, "replace")
