"""The file of the history: an SQLite database that is opened, made and brought up to date here, and nobody else's."""

from __future__ import annotations

import os
import sqlite3
from contextlib import closing, contextmanager, suppress
from dataclasses import dataclass
from typing import TYPE_CHECKING
from urllib.parse import quote

from neat_delta.base.errors import WriteError
from neat_delta.files.trouble import reason
from neat_delta.files.user_data import make_folder

if TYPE_CHECKING:
    from collections.abc import Iterator
    from pathlib import Path

SCHEMA = """
CREATE TABLE IF NOT EXISTS entries (
  entry INTEGER PRIMARY KEY AUTOINCREMENT, begun TEXT NOT NULL, place TEXT NOT NULL, folder TEXT NOT NULL,
  changes TEXT NOT NULL, live TEXT NOT NULL, receipt TEXT NOT NULL);
CREATE UNIQUE INDEX IF NOT EXISTS one_entry ON entries (place, changes, live, receipt);
CREATE TABLE IF NOT EXISTS files (
  entry INTEGER NOT NULL REFERENCES entries, number INTEGER NOT NULL, name TEXT NOT NULL, sha256 TEXT NOT NULL,
  action TEXT NOT NULL, rows INTEGER NOT NULL, state TEXT, job TEXT, at TEXT, reason TEXT, results TEXT,
  PRIMARY KEY (entry, number));
CREATE TABLE IF NOT EXISTS change_sets (sha256 TEXT PRIMARY KEY, packed BLOB NOT NULL);
CREATE TABLE IF NOT EXISTS kept_files (sha256 TEXT PRIMARY KEY, packed BLOB NOT NULL);
CREATE TABLE IF NOT EXISTS rules (place TEXT PRIMARY KEY, approval TEXT NOT NULL, since TEXT NOT NULL)
"""
# Who made, approved and sent an update; the digest of what it does, and the kept files of its folder by their names:
# columns that histories of earlier forms lack.
LATER_COLUMNS = ("made_by", "approved_by", "approved", "sent_by", "content", "kept")
# How many of them a history of each form has.
COLUMNS_OF_FORM = {0: 0, 1: 0, 2: 4, 3: 6}
TABLES = {"entries", "files", "change_sets"}
# Of the tables' form, as the file says it (SQLite, PRAGMA user_version).
VERSION = 3
# Seconds for which another run may hold the file.
WAITING = 30
ANOTHER = "Choose another file, or move this one to another folder."
REMEDIES = {
    "locked": "Another run is using it; try again when that has ended.",
    "readonly": "Allow writing to the file and its folder: what another run was about to write must be taken back.",
    "full": "Make room on the disk.",
    "unable to open": "Check that the folder exists and that you may write there.",
}


@dataclass(frozen=True)
class HistoryFile:
    """The file, which comes into being when something is first written.

    ``reading`` and ``writing`` raise ``WriteError`` where it is locked, read-only, damaged, of a later release, or
    another program's; nothing is half-written then.
    """

    path: Path

    @contextmanager
    def reading(self) -> Iterator[sqlite3.Connection | None]:
        """The history as it is; nothing is written, so a file that may only be read will do.

        ``None`` for a file without anything in it, as a run leaves it that was cut off before its first entry.
        """
        with self._connected("ro") as base:
            yield None if self._insist_on_ours(base) is None else base

    @contextmanager
    def writing(self) -> Iterator[sqlite3.Connection]:
        """The history, made if it is not there; what is done inside is done whole, and on the disk behind it."""
        with self._connected("rwc") as base:
            if (self._insist_on_ours(base) or 0) < VERSION:
                _bring_up_to_date(base)
            with base:
                yield base

    @contextmanager
    def _connected(self, mode: str) -> Iterator[sqlite3.Connection]:
        try:
            if mode != "ro":
                make_folder(self.path.parent)
            else:
                self._heal()
            address = f"file:{quote(os.fsencode(self.path.absolute()))}?mode={mode}"
            with closing(sqlite3.connect(address, timeout=WAITING, uri=True)) as base:
                base.execute("PRAGMA synchronous = FULL")
                yield base
        except (sqlite3.Error, UnicodeError, OSError) as error:
            why = reason(error) if isinstance(error, OSError) else str(error)
            hint = next((text for word, text in REMEDIES.items() if word in why), ANOTHER)
            raise WriteError(f"cannot use the history file ({why})", file=self.path, hint=hint) from error

    def _heal(self) -> None:
        """Take back what a killed run has half written; whoever may only read cannot (SQLite, hot journals)."""
        if self.path.with_name(self.path.name + "-journal").exists():
            address = f"file:{quote(os.fsencode(self.path.absolute()))}?mode=rw"
            with suppress(sqlite3.Error), closing(sqlite3.connect(address, timeout=WAITING, uri=True)) as base:
                base.execute("SELECT count(*) FROM sqlite_master").fetchone()

    def _insist_on_ours(self, base: sqlite3.Connection) -> int | None:
        """The version of the history's form, 0 if it was made before there were versions; ``None`` for an empty file.

        Raises:
            WriteError: it is another program's database, or of a later release.
        """
        (version,) = base.execute("PRAGMA user_version").fetchone()
        tables = {name for (name,) in base.execute("SELECT name FROM sqlite_master WHERE type = 'table'")}
        if tables and not tables >= TABLES:
            raise WriteError("not a history file", file=self.path, hint="Choose another file.")
        if version > VERSION or version < 0:
            raise WriteError(
                f"the history file has format {version}; this program reads format {VERSION}", file=self.path,
                hint="Use the version of neat-delta that made it, or choose another file.",
            )  # fmt: skip
        if tables and "action" not in {row[1] for row in base.execute("PRAGMA table_info(files)")}:
            raise WriteError("the history file has an older format", file=self.path, hint=ANOTHER)
        return int(version) if tables else None


def later_columns(base: sqlite3.Connection) -> list[str]:
    """What to ask an entry for besides what every form has; what this form lacks is null."""
    (version,) = base.execute("PRAGMA user_version").fetchone()
    count = COLUMNS_OF_FORM[version]
    return [*LATER_COLUMNS[:count], *(f"NULL AS {name}" for name in LATER_COLUMNS[count:])]


def _bring_up_to_date(base: sqlite3.Connection) -> None:
    """Give a history the tables and columns of today, whole or not at all; two runs may do so at once."""
    with base:
        base.execute("BEGIN IMMEDIATE")
        for statement in SCHEMA.split(";"):
            base.execute(statement)
        columns = {row[1] for row in base.execute("PRAGMA table_info(entries)")}
        for name in LATER_COLUMNS:
            if name not in columns:
                base.execute(f"ALTER TABLE entries ADD COLUMN {name} TEXT")
        base.execute(f"PRAGMA user_version = {VERSION}")
