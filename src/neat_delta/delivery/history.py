"""The history: a SQLite file that knows what was sent where, when, and with what result.

Every step is written down before it is taken and after it is done, each in a transaction, so that a run that was killed
can be told from one that was not, and two runs at once do not spoil it.
"""

from __future__ import annotations

import gzip
import sqlite3
from contextlib import closing
from dataclasses import dataclass
from datetime import UTC, datetime
from typing import TYPE_CHECKING, Any

import orjson

from neat_delta.errors import WriteError
from neat_delta.user_data import data_folder

if TYPE_CHECKING:
    from collections.abc import Sequence
    from pathlib import Path

    from neat_delta.update.receipt import ListedFile

NAME = "history.sqlite"
# A file is noted as leaving before it leaves, as brought once one step is left in which the place gets it, as sent once
# the place has it, and as done when its result list is here.
LEAVING, BROUGHT, SENT, DONE, REJECTED = "leaving", "brought", "sent", "done", "rejected"
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
"""


def default_history() -> Path:
    """Where the history lies unless it is given: one for all folders, for an update may be sent from any of them."""
    return data_folder() / NAME


@dataclass(frozen=True)
class FileEntry:
    """A file of an update as the history knows it; ``state`` is ``None`` for one that has not left yet.

    ``results`` are the rows of its result list: line, code, result, reason.
    """

    number: int
    name: str
    sha256: str
    action: str
    rows: int
    state: str | None
    job: str | None
    at: str | None
    reason: str | None
    results: list[dict[str, Any]]


@dataclass(frozen=True)
class Entry:
    """An update that was sent, or begun to be, to a place."""

    entry: int
    begun: str
    place: str
    folder: str
    changes: str
    live: str
    files: list[FileEntry]

    @property
    def state(self) -> str:
        """How far it is: done, refused, or the state of the first file that is not done."""
        states = [file.state for file in self.files]
        if all(state == DONE for state in states):
            return DONE
        return REJECTED if REJECTED in states else "in progress"


@dataclass(frozen=True)
class History:
    """The history in a file, which comes into being with its first entry."""

    path: Path

    def begin(
        self, place: str, folder: str, changes: str, live: str, files: Sequence[ListedFile], saved: bytes = b""
    ) -> int:
        """The number of the entry for this update to this place: a new one, or the one that is there already.

        ``changes`` and ``live`` are the fingerprints of change set and live export, ``files`` those of the receipt.
        ``kept`` is the change set itself, kept here so that it can be undone at any time.
        """
        receipt = "".join(file.sha256 for file in files)
        with closing(self._base()) as base, base:
            asked = "SELECT entry FROM entries WHERE place = ? AND changes = ? AND live = ? AND receipt = ?"
            names, result = "begun, place, folder, changes, live, receipt", (place, changes, live, receipt)
            base.execute(
                f"INSERT OR IGNORE INTO entries ({names}) SELECT ?, ?, ?, ?, ?, ? WHERE NOT EXISTS ({asked})",
                (_now(), place, folder, changes, live, receipt, *result),
            )
            (entry,) = base.execute(asked, result).fetchone()
            base.executemany(
                "INSERT OR IGNORE INTO files (entry, number, name, sha256, action, rows) VALUES (?, ?, ?, ?, ?, ?)",
                [
                    (entry, number, file.name, file.sha256, file.action, file.rows)
                    for number, file in enumerate(files, start=1)
                ],
            )
            if saved:
                packed = gzip.compress(saved, compresslevel=6, mtime=0)
                base.execute("INSERT OR IGNORE INTO change_sets (sha256, packed) VALUES (?, ?)", (changes, packed))
        return int(entry)

    def change_set(self, entry: Entry) -> bytes | None:
        """The change set of an entry, as its file was; ``None`` if it was sent by a release that did not keep it."""
        with closing(self._base()) as base:
            row = base.execute("SELECT packed FROM change_sets WHERE sha256 = ?", (entry.changes,)).fetchone()
        return None if row is None else gzip.decompress(row[0])

    def note(
        self, entry: int, number: int, state: str, job: str | None = None, reason: str | None = None,
        results: list[dict[str, Any]] | None = None,
    ) -> None:  # fmt: skip
        """Write down how far a file is."""
        result = orjson.dumps(results).decode() if results is not None else None
        with closing(self._base()) as base, base:
            sets = "state = ?, job = coalesce(?, job), reason = ?, results = coalesce(?, results), at = ?"
            values = (state, job, reason, result, _now(), entry, number)
            base.execute(f"UPDATE files SET {sets} WHERE entry = ? AND number = ?", values)

    def entries(self) -> list[Entry]:
        """All entries, the newest first."""
        if not self.path.is_file():
            return []
        with closing(self._base()) as base:
            found = base.execute("SELECT entry, begun, place, folder, changes, live FROM entries ORDER BY entry DESC")
            return [Entry(*row, self._files(base, row[0])) for row in found.fetchall()]  # type: ignore[call-arg]

    def entry(self, number: int) -> Entry | None:
        """One entry; ``None`` if there is none of this number."""
        return next((entry for entry in self.entries() if entry.entry == number), None)

    def _files(self, base: sqlite3.Connection, entry: int) -> list[FileEntry]:
        names = "number, name, sha256, action, rows, state, job, at, reason, results"
        found = base.execute(f"SELECT {names} FROM files WHERE entry = ? ORDER BY number", (entry,)).fetchall()
        return [FileEntry(*row[:-1], orjson.loads(row[-1] or "[]")) for row in found]  # type: ignore[call-arg]

    def _base(self) -> sqlite3.Connection:
        try:
            self.path.parent.mkdir(parents=True, exist_ok=True)
            base = sqlite3.connect(self.path, timeout=30)
            tables = {name for (name,) in base.execute("SELECT name FROM sqlite_master WHERE type = 'table'")}
            if tables and "change_sets" not in tables:
                base.close()
                raise WriteError("not a history file", file=self.path, hint="Choose another file.")
            base.executescript(SCHEMA)
        except (sqlite3.Error, OSError) as error:
            raise WriteError(f"cannot use the history file ({error})", file=self.path) from error
        return base


def _now() -> str:
    return datetime.now(UTC).strftime("%Y-%m-%dT%H:%M:%SZ")
