"""The history: a SQLite file that knows what was sent where, when, and with what result.

Every step is written down before it is taken and after it is done, each in a transaction, so that a run that was killed
can be told from one that was not, and two runs at once do not spoil it.
"""

from __future__ import annotations

import gzip
import os
import sqlite3
from contextlib import closing, contextmanager, suppress
from dataclasses import dataclass, replace
from datetime import UTC, datetime
from typing import TYPE_CHECKING, Any, TypeVar
from urllib.parse import quote

from neat_delta.base.errors import InvalidInput, WriteError
from neat_delta.base.json_form import WrongForm, from_json, from_values, json_bytes, to_json
from neat_delta.files.content import ContentInMemory
from neat_delta.files.trouble import reason
from neat_delta.files.user_data import data_folder, make_folder
from neat_delta.reading.archives import decompress
from neat_delta.reading.parse_errors import parse_errors_as

if TYPE_CHECKING:
    from collections.abc import Iterator, Sequence
    from pathlib import Path

    from neat_delta.update.receipt import ListedFile

T = TypeVar("T")
NAME = "history.sqlite"
# A file is noted as leaving before it leaves, as brought once one step is left in which the place gets it, as sent once
# the place has it, and as done when its result list is here.
NOT_SENT = "not sent"
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
CREATE TABLE IF NOT EXISTS change_sets (sha256 TEXT PRIMARY KEY, packed BLOB NOT NULL)
"""
# Who made, approved and sent an update: columns that histories of the first form lack.
PEOPLE = ("made_by", "approved_by", "approved", "sent_by")
TABLES = {"entries", "files", "change_sets"}
# Of the tables' form, as the file says it (SQLite, PRAGMA user_version).
VERSION = 2
# Seconds for which another run may hold the file.
WAITING = 30
ANOTHER = "Choose another file, or move this one to another folder."
REMEDIES = {
    "locked": "Another run is using it; try again when that has ended.",
    "readonly": "Allow writing to the file and its folder: what another run was about to write must be taken back.",
    "full": "Make room on the disk.",
    "unable to open": "Check that the folder exists and that you may write there.",
}


def default_history() -> Path:
    """Where the history lies unless it is given: one for all folders, for an update may be sent from any of them."""
    return data_folder() / NAME


@dataclass(frozen=True)
class ResultLine:
    """A row of a result list."""

    line: int | None = None
    code: str = ""
    result: str = ""
    reason: str | None = ""


@dataclass(frozen=True)
class FileEntry:
    """A file of an update as the history knows it; ``state`` is ``None`` for one that has not left yet.

    ``results`` are the rows of its result list: line, code, result, reason; ``reported`` says whether there is such a
    list, which may be empty.
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
    reported: bool = False


@dataclass(frozen=True)
class People:
    """Who made, approved (and when) and sent an update, as far as that is known."""

    made_by: str | None = None
    approved_by: str | None = None
    approved: str | None = None
    sent_by: str | None = None


@dataclass(frozen=True)
class Entry:
    """An update that was sent, or begun to be, to a place; by whom, as far as that is known."""

    entry: int
    begun: str
    place: str
    folder: str
    changes: str
    live: str
    files: list[FileEntry]
    made_by: str | None = None
    approved_by: str | None = None
    approved: str | None = None
    sent_by: str | None = None

    @property
    def has_left(self) -> bool:
        """Whether any of its files has left for the place, or may have."""
        return any(file.state for file in self.files)

    @property
    def state(self) -> str:
        """How far it is: done, refused, in progress, or not sent, where nothing of it has left."""
        states = [file.state for file in self.files]
        if all(state == DONE for state in states):
            return DONE
        if not self.has_left:
            return NOT_SENT
        return REJECTED if REJECTED in states else "in progress"


NOBODY = People()
_FILE = ("number", "name", "sha256", "action", "rows", "state", "job", "at", "reason", "results")
_ENTRY = ("entry", "begun", "place", "folder", "changes", "live")


@dataclass(frozen=True)
class History:
    """The history in a file, which comes into being with its first entry.

    Every method that reads or writes it raises ``WriteError`` where the file is locked, read-only, damaged, of a later
    release, or another program's; nothing is half-written then.
    """

    path: Path

    def begin(
        self,
        place: str,
        folder: str,
        changes: str,
        live: str,
        files: Sequence[ListedFile],
        saved: bytes = b"",
        people: People = NOBODY,
    ) -> int:
        """The number of the entry for this update to this place: a new one, or the one that is there already.

        ``changes`` and ``live`` are the fingerprints of change set and live export, ``files`` those of the receipt.
        ``saved`` is the change set itself, kept here so that it can be undone at any time.
        """
        receipt = "".join(file.sha256 for file in files)
        with self._writing() as base:
            asked = "SELECT entry FROM entries WHERE place = ? AND changes = ? AND live = ? AND receipt = ?"
            names = ("begun", "place", "folder", "changes", "live", "receipt", *PEOPLE)
            values = (_now(), place, folder, changes, live, receipt, *to_json(people).values())
            row_values = (place, changes, live, receipt)
            base.execute(
                f"INSERT OR IGNORE INTO entries ({', '.join(names)}) SELECT {', '.join('?' * len(names))} "
                f"WHERE NOT EXISTS ({asked})",
                (*values, *row_values),
            )
            (entry,) = base.execute(asked, row_values).fetchone()
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

    def date_back(self, entry: int, begun: str) -> None:
        """Say that an entry was begun earlier than it was written down."""
        with self._writing() as base:
            base.execute("UPDATE entries SET begun = ? WHERE entry = ?", (begun, entry))

    def change_set(self, entry: Entry) -> bytes | None:
        """The change set of an entry, as its file was; ``None`` if it was sent by a release that did not keep it."""
        with self._reading() as base:
            if base is None:
                return None
            row = base.execute("SELECT packed FROM change_sets WHERE sha256 = ?", (entry.changes,)).fetchone()
        if row is None:
            return None
        with parse_errors_as(f"the change set of entry {entry.entry} is damaged", self.path, ANOTHER):
            return decompress(ContentInMemory(bytes(memoryview(row[0]))), self.path).data

    def note(
        self, entry: int, number: int, state: str | None, job: str | None = None, reason: str | None = None,
        results: list[dict[str, Any]] | None = None,
    ) -> None:  # fmt: skip
        """Write down how far a file is."""
        text = json_bytes(results).decode() if results is not None else None
        with self._writing() as base:
            sets = "state = ?, job = coalesce(?, job), reason = ?, results = coalesce(?, results), at = ?"
            values = (state, job, reason, text, _now(), entry, number)
            base.execute(f"UPDATE files SET {sets} WHERE entry = ? AND number = ?", values)

    def entries(self) -> list[Entry]:
        """All entries, the newest first."""
        if not self.path.is_file():
            return []
        with self._reading() as base:
            if base is None:
                return []
            (version,) = base.execute("PRAGMA user_version").fetchone()
            people = PEOPLE if version >= VERSION else [f"NULL AS {name}" for name in PEOPLE]
            names = ", ".join([*_ENTRY, *people])
            rows = base.execute(f"SELECT {names} FROM entries ORDER BY entry DESC").fetchall()
            return [self._entry(row, self._files(base, row[0])) for row in rows]

    def entry(self, number: int) -> Entry | None:
        """One entry; ``None`` if there is none of this number."""
        return next((entry for entry in self.entries() if entry.entry == number), None)

    def _files(self, base: sqlite3.Connection, entry: object) -> list[FileEntry]:
        names = ", ".join(_FILE)
        file_rows = base.execute(f"SELECT {names} FROM files WHERE entry = ? ORDER BY number", (entry,)).fetchall()
        rows = (dict(zip(_FILE, row, strict=True)) for row in file_rows)
        return [
            self._checked(
                row | {"results": self._results(row["results"]), "reported": row["results"] is not None}, FileEntry
            )
            for row in rows
        ]

    def _entry(self, row: Sequence[object], files: list[FileEntry]) -> Entry:
        entry = self._checked(dict(zip((*_ENTRY, *PEOPLE), row, strict=True)) | {"files": []}, Entry)
        try:
            datetime.fromisoformat(entry.begun)
        except ValueError as error:
            raise self._damaged(f"entry {entry.entry} has no valid time ({entry.begun[:30]!r})") from error
        return replace(entry, files=files)

    def _results(self, text: object) -> list[dict[str, Any]]:
        if text is None:
            return []
        try:
            lines = from_json(text if isinstance(text, str) else b"", list[ResultLine])
        except WrongForm as error:
            raise self._damaged(f"an import report in it cannot be read ({error})") from error
        return [to_json(line) for line in lines]

    def _checked(self, row: dict[str, Any], form: type[T]) -> T:
        try:
            return from_values(row, form)
        except WrongForm as error:
            raise self._damaged(f"a row of it is none of ours ({error})") from error

    def _damaged(self, why: str) -> InvalidInput:
        return InvalidInput(f"the history file is damaged: {why}", file=self.path, hint=ANOTHER)

    @contextmanager
    def _reading(self) -> Iterator[sqlite3.Connection | None]:
        """The history as it is; nothing is written, so a file that may only be read will do.

        ``None`` for a file without anything in it, as a run leaves it that was cut off before its first entry.
        """
        with self._connected("ro") as base:
            yield None if self._insist_on_ours(base) is None else base

    @contextmanager
    def _writing(self) -> Iterator[sqlite3.Connection]:
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


def _bring_up_to_date(base: sqlite3.Connection) -> None:
    """Give a history the tables and columns of today, whole or not at all; two runs may do so at once."""
    with base:
        base.execute("BEGIN IMMEDIATE")
        for statement in SCHEMA.split(";"):
            base.execute(statement)
        columns = {row[1] for row in base.execute("PRAGMA table_info(entries)")}
        for name in PEOPLE:
            if name not in columns:
                base.execute(f"ALTER TABLE entries ADD COLUMN {name} TEXT")
        base.execute(f"PRAGMA user_version = {VERSION}")


def _now() -> str:
    return datetime.now(UTC).strftime("%Y-%m-%dT%H:%M:%SZ")
