"""Histories of format 1 as those of today: what was sent stays known, and can be verified and undone."""

from __future__ import annotations

import gzip
import sqlite3
import zlib
from contextlib import closing
from typing import TYPE_CHECKING

from neat_delta.errors import InvalidInput
from neat_delta.migration.change_sets import lifted_change_set
from neat_delta.prefetch import sha256_hex

if TYPE_CHECKING:
    from pathlib import Path

TABLES = {"entries", "files", "change_sets"}
# The column that has another name today.
OLD, NEW = "does", "action"


def lifted_history(data: bytes, path: Path) -> bytes | None:
    """The database with today's names, and its change sets lifted; ``None`` if it has them already.

    Raises:
        InvalidInput: it is no history, or damaged.
    """
    try:
        with closing(sqlite3.connect(":memory:")) as base:
            base.deserialize(data)
            if not {name for (name,) in base.execute("SELECT name FROM sqlite_master")} >= TABLES:
                raise InvalidInput("not a history file", file=path, hint="Choose another file.")
            if OLD not in {row[1] for row in base.execute("PRAGMA table_info(files)")}:
                return None
            with base:
                base.execute(f"ALTER TABLE files RENAME COLUMN {OLD} TO {NEW}")
                for name, packed in base.execute("SELECT sha256, packed FROM change_sets").fetchall():
                    changes = lifted_change_set(gzip.decompress(packed), path)
                    new = sha256_hex(changes)
                    values = (new, gzip.compress(changes, mtime=0), name)
                    base.execute("UPDATE change_sets SET sha256 = ?, packed = ? WHERE sha256 = ?", values)
                    base.execute("UPDATE entries SET changes = ? WHERE changes = ?", (new, name))
            return bytes(base.serialize())
    except (sqlite3.Error, OSError, EOFError, zlib.error, TypeError, UnicodeError) as error:
        raise InvalidInput(f"the history file is damaged ({error})", file=path, hint="Choose another file.") from error
