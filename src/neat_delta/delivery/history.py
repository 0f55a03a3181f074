"""The history: a SQLite file that knows what was sent where, when, and with what result.

Every step is written down before it is taken and after it is done, each in a transaction, so that a run that was killed
can be told from one that was not, and two runs at once do not spoil it.
"""

from __future__ import annotations

import gzip
from dataclasses import dataclass, field, replace
from datetime import UTC, datetime
from typing import TYPE_CHECKING, Any, TypeVar

from neat_delta.base.errors import InvalidInput
from neat_delta.base.json_form import WrongForm, from_json, from_values, json_bytes, to_json
from neat_delta.delivery.history_file import ANOTHER, LATER_COLUMNS, HistoryFile, later_columns
from neat_delta.files.content import ContentInMemory
from neat_delta.files.user_data import data_folder
from neat_delta.locations.prefetch import sha256_hex
from neat_delta.reading.archives import decompress
from neat_delta.reading.parse_errors import parse_errors_as

if TYPE_CHECKING:
    import sqlite3
    from collections.abc import Mapping, Sequence
    from pathlib import Path

    from neat_delta.changeset.head import Rule
    from neat_delta.update.receipt import ListedFile

T = TypeVar("T")
NAME = "history.sqlite"
# A file is noted as leaving before it leaves, as brought once one step is left in which the place gets it, as sent once
# the place has it, and as done when its result list is here.
NOT_SENT = "not sent"
LEAVING, BROUGHT, SENT, DONE, REJECTED = "leaving", "brought", "sent", "done", "rejected"


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
class Dispatch:
    """An update that is about to leave for a place.

    Attributes:
        place: the name of the place.
        folder: where the update lies.
        changes: the SHA-256 of the change set.
        live: that of its live export.
        files: the files of the receipt.
        saved: the change set itself, so that it can be undone at any time.
        people: who made, approved and sent it.
        content: the digest of what the change set does.
        kept: what lies in the folder, by name, so that it can be gone on with wherever that is by then.
    """

    place: str
    folder: str
    changes: str
    live: str
    files: Sequence[ListedFile]
    saved: bytes = b""
    people: People = field(default_factory=People)
    content: str | None = None
    kept: Mapping[str, bytes] = field(default_factory=dict)


@dataclass(frozen=True)
class Entry:
    """An update that was sent, or begun to be, to a place; by whom, as far as that is known.

    ``content`` is the digest of what its change set does; ``kept`` are the checksums of the kept files of its folder.
    """

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
    content: str | None = None
    kept: dict[str, str] = field(default_factory=dict)

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


_FILE = ("number", "name", "sha256", "action", "rows", "state", "job", "at", "reason", "results")
_ENTRY = ("entry", "begun", "place", "folder", "changes", "live")


@dataclass(frozen=True)
class History:
    """The history in a file, which comes into being with its first entry.

    Every method that reads or writes it raises ``WriteError`` where the file is locked, read-only, damaged, of a later
    release, or another program's; nothing is half-written then.
    """

    path: Path

    @property
    def _file(self) -> HistoryFile:
        return HistoryFile(self.path)

    def begin(self, dispatch: Dispatch) -> int:
        """The number of the entry for this update to this place: a new one, or the one that is there already."""
        receipt = "".join(file.sha256 for file in dispatch.files)
        kept = {name: sha256_hex(data) for name, data in dispatch.kept.items()}
        row = {
            **{name: getattr(dispatch, name) for name in ("place", "folder", "changes", "live", "content")},
            **to_json(dispatch.people),
            "begun": _now(),
            "receipt": receipt,
            "kept": json_bytes(kept).decode(),
        }
        same = {name: row[name] for name in ("place", "changes", "live", "receipt")}
        asked = f"SELECT entry FROM entries WHERE {' AND '.join(f'{name} = ?' for name in same)}"
        with self._file.writing() as base:
            base.execute(
                f"INSERT OR IGNORE INTO entries ({', '.join(row)}) SELECT {', '.join('?' * len(row))} "
                f"WHERE NOT EXISTS ({asked})",
                (*row.values(), *same.values()),
            )
            (entry,) = base.execute(asked, tuple(same.values())).fetchone()
            base.executemany(
                "INSERT OR IGNORE INTO files (entry, number, name, sha256, action, rows) VALUES (?, ?, ?, ?, ?, ?)",
                [
                    (entry, number, file.name, file.sha256, file.action, file.rows)
                    for number, file in enumerate(dispatch.files, start=1)
                ],
            )
            if dispatch.saved:
                _keep(base, "change_sets", {dispatch.changes: dispatch.saved})
            _keep(base, "kept_files", {kept[name]: data for name, data in dispatch.kept.items()})
        return int(entry)

    def date_back(self, entry: int, begun: str) -> None:
        """Say that an entry was begun earlier than it was written down."""
        with self._file.writing() as base:
            base.execute("UPDATE entries SET begun = ? WHERE entry = ?", (begun, entry))

    def change_set(self, entry: Entry) -> bytes | None:
        """The change set of an entry, as its file was; ``None`` if it was sent by a release that did not keep it.

        Raises:
            InvalidInput: it is not what was sent.
        """
        return self._kept("change_sets", entry.changes, f"the change set of entry {entry.entry}")

    def kept_files(self, entry: Entry) -> dict[str, bytes]:
        """What lay in the folder of an entry's update, by name; what earlier releases have sent is not kept.

        Raises:
            InvalidInput: a file is not what was sent.
        """
        what = f"of entry {entry.entry}"
        files = {name: self._kept("kept_files", sha256, f"{name} {what}") for name, sha256 in entry.kept.items()}
        return {name: data for name, data in files.items() if data is not None}

    def rule_of(self, place: str) -> Rule | None:
        """Who has to approve what goes to a place, as the last update that went there under a rule said."""
        if not self.path.is_file():
            return None
        with self._file.reading() as base:
            # (Histories of earlier forms have no rules.)
            if base is None or not base.execute("SELECT 1 FROM sqlite_master WHERE name = 'rules'").fetchone():
                return None
            row = base.execute("SELECT approval FROM rules WHERE place = ?", (place,)).fetchone()
        return None if row is None else row[0]

    def keep_rule(self, place: str, rule: Rule) -> None:
        """Write down who has to approve what goes to a place from now on."""
        if self.rule_of(place) != rule:
            with self._file.writing() as base:
                base.execute(
                    "INSERT OR REPLACE INTO rules (place, approval, since) VALUES (?, ?, ?)", (place, rule, _now())
                )

    def lift_rule(self, place: str) -> None:
        """Forget that what goes to a place has to be approved."""
        if self.rule_of(place) is not None:
            with self._file.writing() as base:
                base.execute("DELETE FROM rules WHERE place = ?", (place,))

    def _kept(self, table: str, sha256: str, what: str) -> bytes | None:
        with self._file.reading() as base:
            if base is None:
                return None
            row = base.execute(f"SELECT packed FROM {table} WHERE sha256 = ?", (sha256,)).fetchone()
        if row is None:
            return None
        with parse_errors_as(f"{what} is damaged", self.path, ANOTHER):
            data = decompress(ContentInMemory(bytes(memoryview(row[0]))), self.path).data
        if sha256_hex(data) != sha256:
            raise self._damaged(f"{what} is not what was sent")
        return data

    def note(
        self, entry: int, number: int, state: str | None, job: str | None = None, reason: str | None = None,
        results: list[dict[str, Any]] | None = None,
    ) -> None:  # fmt: skip
        """Write down how far a file is."""
        text = json_bytes(results).decode() if results is not None else None
        with self._file.writing() as base:
            sets = "state = ?, job = coalesce(?, job), reason = ?, results = coalesce(?, results), at = ?"
            values = (state, job, reason, text, _now(), entry, number)
            base.execute(f"UPDATE files SET {sets} WHERE entry = ? AND number = ?", values)

    def entries(self) -> list[Entry]:
        """All entries, the newest first."""
        return self._entries_where("1")

    def at(self, place: str) -> list[Entry]:
        """The entries of a place, the newest first; results are in them only where a file was refused.

        A history grows for years, and most of it is results, so that whoever only asks what was sent reads none.
        """
        return self._entries_where("place = ?", place, results_of=REJECTED)

    def entry(self, number: int) -> Entry | None:
        """One entry; ``None`` if there is none of this number."""
        return next(iter(self._entries_where("entry = ?", number)), None)

    def _entries_where(self, condition: str, *values: object, results_of: str | None = None) -> list[Entry]:
        """The entries that meet a condition, with the results of all files or of those in one state."""
        if not self.path.is_file():
            return []
        with self._file.reading() as base:
            if base is None:
                return []
            names = ", ".join([*_ENTRY, *later_columns(base)])
            rows = base.execute(f"SELECT {names} FROM entries WHERE {condition} ORDER BY entry DESC", values).fetchall()
            results = "results" if results_of is None else f"iif(state = '{results_of}', results, '[]')"
            columns = ", ".join((*_FILE[:-1], results))
            files: dict[object, list[FileEntry]] = {}
            asked = f"SELECT entry, {columns} FROM files WHERE entry IN (SELECT entry FROM entries WHERE {condition})"
            for entry, *row in base.execute(f"{asked} ORDER BY entry, number", values):
                files.setdefault(entry, []).append(self._file_entry(dict(zip(_FILE, row, strict=True))))
            return [self._entry(row, files.get(row[0], [])) for row in rows]

    def _file_entry(self, row: dict[str, Any]) -> FileEntry:
        results = self._results(row["results"])
        return self._checked(row | {"results": results, "reported": row["results"] is not None}, FileEntry)

    def _entry(self, row: Sequence[object], files: list[FileEntry]) -> Entry:
        named = dict(zip((*_ENTRY, *LATER_COLUMNS), row, strict=True))
        kept = self._kept_names(named["kept"])
        entry = self._checked(named | {"files": [], "kept": kept}, Entry)
        try:
            datetime.fromisoformat(entry.begun)
        except ValueError as error:
            raise self._damaged(f"entry {entry.entry} has no valid time ({entry.begun[:30]!r})") from error
        return replace(entry, files=files)

    def _kept_names(self, text: object) -> dict[str, str]:
        try:
            return {} if text is None else from_json(text if isinstance(text, str) else b"", dict[str, str])
        except WrongForm as error:
            raise self._damaged(f"the list of kept files cannot be read ({error})") from error

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


def _now() -> str:
    return datetime.now(UTC).strftime("%Y-%m-%dT%H:%M:%SZ")


def _keep(base: sqlite3.Connection, table: str, files: Mapping[str, bytes]) -> None:
    """Keep files under their checksums, once each."""
    packed = [(sha256, gzip.compress(data, compresslevel=6, mtime=0)) for sha256, data in files.items()]
    base.executemany(f"INSERT OR IGNORE INTO {table} (sha256, packed) VALUES (?, ?)", packed)
