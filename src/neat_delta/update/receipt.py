"""The receipt of an update, read back: which files are the update's, and what they were when they were written.

A receipt may come from anywhere; the names in it are those of files in its own folder, or it is refused.
"""

from __future__ import annotations

from dataclasses import dataclass, replace
from datetime import UTC, datetime
from typing import TYPE_CHECKING, Any, Literal

from neat_delta.base.errors import InvalidInput
from neat_delta.base.json_form import from_json, to_json
from neat_delta.files.trouble import reason, remedy
from neat_delta.locations.prefetch import sha256_hex
from neat_delta.tables.import_config import ImportConfig

if TYPE_CHECKING:
    from collections.abc import Iterable, Sequence
    from pathlib import Path

    from neat_delta.approval import Approval
    from neat_delta.update.packing import Cost

RECEIPT = "receipt.json"
FORMAT = 2
# The change set that the files beside it bring about: what undoes, verifies and explains them later.
CHANGESET_FILE = "update.changes.jsonl"
# Who approved that change set, if somebody did: where an approval is looked for, beside it.
APPROVAL_FILE = "update.approval.json"
# Where it has gone, as whoever sent it has noted beside it.
SENT_FILE = "sent.json"
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
    output_format: str = "delimited"
    undoes: bool = False
    made_by: tuple[str, ...] = ()
    approval: Approval | None = None

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
                "made_by": list(self.made_by),
            },
            **({"approval": self._approval()} if self.approval else {}),
            "live": self.live,
            "import": {"key": list(self.key)} | self.import_config.as_dict(),
            "format": self.output_format,
            "undoes": self.undoes,
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

    def _approval(self) -> dict[str, Any]:
        """Who approved it, until when; the signed approval itself is a file beside the receipt."""
        assert self.approval is not None
        names = ("approved_by", "approved", "expires", "note")
        return {"file": APPROVAL_FILE} | {name: getattr(self.approval, name) for name in names}


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
    """A receipt that was read: its files in their order, those of the undo, the change set, and the live export.

    ``imports`` is how the shop reads the files, ``output_format`` and ``strategy`` how they were written; ``undoes``
    says that they undo a whole update, so that the shop is not as in the live export any more.
    """

    files: tuple[ListedFile, ...]
    undo: tuple[ListedFile, ...]
    changes: ListedFile
    live_name: str
    live_sha256: str
    live_made: datetime | None
    imports: ImportConfig
    output_format: str
    strategy: str
    undoes: bool

    @property
    def every_file(self) -> tuple[ListedFile, ...]:
        """All that it lists; names of the undo with their folder in front."""
        return (*self.files, *self.undo, self.changes)


@dataclass(frozen=True)
class _File:
    file: str
    sha256: str
    action: Literal["add", "change", "recode", "remove"]
    rows: int


@dataclass(frozen=True)
class _Changes:
    file: str
    sha256: str


@dataclass(frozen=True)
class _Live:
    name: str
    sha256: str
    as_of: str | None = None


@dataclass(frozen=True)
class _Packing:
    strategy: str


@dataclass(frozen=True)
class _Receipt:
    """What of a receipt is read again, beside how the shop reads the files; the rest is for people."""

    changes: _Changes
    live: _Live
    files: tuple[_File, ...]
    undo: tuple[_File, ...]
    packing: _Packing
    format: str
    undoes: bool


def load_receipt(folder: Path) -> LoadedReceipt:
    """The receipt in an update's folder.

    Raises:
        InvalidInput: there is none, it is none, or it names what is no plain file of this folder.
    """
    return parse_receipt(receipt_data(folder), folder / RECEIPT)


def receipt_data(folder: Path) -> bytes:
    """The receipt in an update's folder as it lies there.

    Raises:
        InvalidInput: there is none.
    """
    path = folder / RECEIPT
    try:
        return path.read_bytes()
    except (FileNotFoundError, NotADirectoryError) as error:
        raise InvalidInput(
            "no update in this folder", file=folder, hint='Give the folder that "write" made.'
        ) from error
    except OSError as error:
        raise InvalidInput(f"cannot open the file ({reason(error)})", file=path, hint=remedy(error)) from error


def parse_receipt(data: bytes, path: Path) -> LoadedReceipt:
    """What a receipt says; ``path`` is for messages.

    Raises:
        InvalidInput: it is none, or it names what is no plain file of its folder.
    """
    try:
        form = from_json(data, _Receipt)
        imports = _imports(from_json(data, dict[str, Any])["import"])
        live_made = datetime.fromisoformat(form.live.as_of) if form.live.as_of else None
    except (ValueError, KeyError, TypeError) as error:
        raise InvalidInput(f"not the receipt of an update ({error})", file=path, hint=ANEW) from error
    return LoadedReceipt(
        files=tuple(_listed(one, path) for one in form.files),
        undo=tuple(_listed(one, path, f"{UNDO}/") for one in form.undo),
        changes=_listed(_File(form.changes.file, form.changes.sha256, "change", 0), path),
        live_name=form.live.name,
        live_sha256=form.live.sha256,
        live_made=live_made,
        imports=imports,
        output_format=form.format,
        strategy=form.packing.strategy,
        undoes=form.undoes,
    )


def load_receipt_of(folder: Path) -> LoadedReceipt:
    """The receipt of an update, or, for the folder of its undo, what the update's receipt says of that.

    Raises:
        InvalidInput: there is none, it is none, or it names what is no plain file of this folder.
    """
    if not is_undo(folder):
        return load_receipt(folder)
    whole = load_receipt(folder.parent)
    files = tuple(replace(file, name=file.name.removeprefix(f"{UNDO}/")) for file in whole.undo)
    return replace(whole, files=files, undo=(), undoes=True)


def is_undo(folder: Path) -> bool:
    """Whether a folder is that of an update's undo, which has no receipt of its own."""
    if folder.name != UNDO or (folder / RECEIPT).is_file() or not (folder.parent / RECEIPT).is_file():
        return False
    return not load_receipt(folder.parent).undoes


def _imports(given: dict[str, Any]) -> ImportConfig:
    """How the shop reads the files, as the receipt has it; what it does not have is as by default."""
    members: dict[str, Any] = {
        name: tuple(value) if isinstance(value, list) else value for name, value in given.items()
    }
    del members["key"]
    return ImportConfig(**members)


def _listed(given: _File, receipt: Path, folder: str = "") -> ListedFile:
    return ListedFile(f"{folder}{_plain(given.file, receipt)}", given.sha256, given.action, given.rows)


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
