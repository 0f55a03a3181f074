"""The receipt of an update, read back: which files are the update's, and what they were when they were written.

A receipt may come from anywhere; the names in it are those of files in its own folder, or it is refused.
"""

from __future__ import annotations

from dataclasses import dataclass
from datetime import UTC, datetime
from typing import TYPE_CHECKING, Any

import orjson

from neat_delta.changeset.changeset import ADD, CHANGE, RECODE, REMOVE
from neat_delta.errors import InvalidInput
from neat_delta.json_form import to_json
from neat_delta.prefetch import sha256_hex

if TYPE_CHECKING:
    from collections.abc import Iterable, Sequence
    from pathlib import Path

    from neat_delta.tables.import_config import ImportConfig
    from neat_delta.update.packing import Cost

RECEIPT = "receipt.json"
FORMAT = 2
# The change set that the files beside it bring about: what undoes, verifies and explains them later.
CHANGESET_FILE = "update.changes.jsonl"
# The files that take an update back lie in a folder of this name in its own.
UNDO = "undo"
ANEW = "Write the update again."
# Signs with a meaning in the paths of some system, and names that one of them keeps for devices.
PATH_SIGNS = frozenset('/\\:*?"<>|')
DEVICES = frozenset(
    ["con", "prn", "aux", "nul", *(f"{port}{number}" for port in ("com", "lpt") for number in range(1, 10))]
)


@dataclass(frozen=True)
class WrittenFile:
    """One file of an update: its name in the folder, what becomes of its items, rows, columns, size and checksum."""

    file: str
    action: str
    rows: int
    columns: list[str]
    bytes: int
    sha256: str


@dataclass(frozen=True)
class Receipt:
    """What was written where, and what the proof found."""

    folder: Path
    made: str | None
    changes_sha256: str
    live: dict[str, Any]
    key: Sequence[str]
    files: list[WrittenFile]
    undo: list[WrittenFile]
    items: int
    cells: int
    compared: int
    import_config: ImportConfig
    irreversible: int
    strategy: str
    choices: list[Cost]
    filled: dict[str, int]

    def as_dict(self) -> dict[str, Any]:
        """The form of receipt.json."""
        return {
            "neat_delta": FORMAT,
            "made": self.made,
            "changes": {
                "file": CHANGESET_FILE,
                "sha256": self.changes_sha256,
                "items": self.items,
                "cells": self.cells,
            },
            "live": self.live,
            "import": {"key": list(self.key)}
            | {name: result for name, result in to_json(self.import_config).items() if result},
            "packing": {"strategy": self.strategy, "choices": [to_json(choice) for choice in self.choices]}
            | ({"filled": self.filled} if self.filled else {}),
            "files": [to_json(written) for written in self.files],
            "undo": [to_json(written) for written in self.undo],
            "proof": {
                "verdict": "proved",
                "cells_changed": self.cells,
                "cells_compared": self.compared,
                "meaning": "read back and applied to the live export, the files give exactly the reviewed changes; "
                "the undo files give the live export back",
            },
            "cannot": [
                {
                    "cells": self.irreversible,
                    "meaning": "filled by the update; no file can empty them, so the undo files leave them filled",
                }
            ]
            if self.irreversible
            else [],
        }


def utc_text(when: datetime | None) -> str | None:
    """A time as the receipt tells it, in UTC."""
    return None if when is None else when.astimezone(UTC).strftime("%Y-%m-%dT%H:%M:%SZ")


@dataclass(frozen=True)
class ListedFile:
    """A file as a receipt lists it: its name in the folder, its checksum, what becomes of its items, its rows."""

    name: str
    sha256: str
    action: str
    rows: int


@dataclass(frozen=True)
class LoadedReceipt:
    """A receipt that was read: its files in their order, those of the undo, the change set, and the live export."""

    files: tuple[ListedFile, ...]
    undo: tuple[ListedFile, ...]
    changes: ListedFile
    live_name: str
    live_sha256: str
    live_made: datetime | None

    @property
    def every_file(self) -> tuple[ListedFile, ...]:
        """All that it lists; names of the undo with their folder in front."""
        return (*self.files, *self.undo, self.changes)


def load_receipt(folder: Path) -> LoadedReceipt:
    """The receipt in an update's folder.

    Raises:
        InvalidInput: there is none, it is none, or it names what is no plain file of this folder.
    """
    path = folder / RECEIPT
    try:
        result = orjson.loads(path.read_bytes())
        changes, live = result["changes"], result["live"]
        as_of = live.get("as_of")
        return LoadedReceipt(
            files=tuple(_listed(one, path) for one in result["files"]),
            undo=tuple(_listed(one, path, f"{UNDO}/") for one in result["undo"]),
            changes=_listed({"action": CHANGE, "rows": 0} | changes, path),
            live_name=_text(live["name"]),
            live_sha256=_text(live["sha256"]),
            live_made=datetime.fromisoformat(as_of) if as_of else None,
        )
    except FileNotFoundError as error:
        raise InvalidInput(
            "no update in this folder", file=folder, hint='Give the folder that "write" made.'
        ) from error
    except (orjson.JSONDecodeError, KeyError, TypeError, ValueError, AttributeError) as error:
        raise InvalidInput("not the receipt of an update", file=path, hint=ANEW) from error


def _listed(given: dict[str, Any], receipt: Path, folder: str = "") -> ListedFile:
    name, sha256, action, rows = (given[key] for key in ("file", "sha256", "action", "rows"))
    if action not in (ADD, CHANGE, RECODE, REMOVE) or type(rows) is not int:
        raise ValueError
    return ListedFile(f"{folder}{_plain(_text(name), receipt)}", _text(sha256), action, rows)


def _text(given: object) -> str:
    if not isinstance(given, str):
        raise TypeError
    return given


def _plain(name: str, receipt: Path) -> str:
    """A name that is the plain name of a file, on every system.

    Raises:
        InvalidInput: it is none.
    """
    strange = PATH_SIGNS & set(name) or not name.isprintable() or name != name.strip(" .") or name in ("", RECEIPT)
    if strange or name.partition(".")[0].lower() in DEVICES:
        raise InvalidInput(
            "the receipt names a file that is not in this folder", file=receipt, column="file", value=name, hint=ANEW
        )
    return name


def listed_data(folder: Path, files: Iterable[ListedFile]) -> list[bytes]:
    """What some of the files hold.

    Raises:
        InvalidInput: one is missing, or not as it was written.
    """
    return [_as_written(folder / file.name, file.sha256) for file in files]


def _as_written(path: Path, sha256: str) -> bytes:
    if not path.is_file() or path.is_symlink():
        raise InvalidInput("a file of the receipt is missing", file=path, hint=ANEW)
    data = path.read_bytes()
    if sha256_hex(data) != sha256:
        raise InvalidInput("the file was changed after it was written", file=path, hint=ANEW)
    return data
