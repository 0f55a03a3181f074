"""The approval of a change set: who approved what, when and until when, signed; a JSON file of its own.

What is signed is the content of the change set: what becomes of which item, every cell before and after, and which
columns of the shop these are. Notes and warnings may be added to it, and it may be brought to a newer export that has
the same values; any other change voids the approval.
"""

from __future__ import annotations

import hashlib
from dataclasses import dataclass, replace
from datetime import UTC, datetime, timedelta
from typing import TYPE_CHECKING

import polars as pl

from neat_delta.approval.signing import Signature, sign
from neat_delta.base.errors import InvalidInput
from neat_delta.base.json_form import WrongForm, from_json, json_bytes, to_json
from neat_delta.base.path_text import path_text
from neat_delta.changeset.schemas import NONE
from neat_delta.files.atomic_write import write_atomic
from neat_delta.locations.prefetch import read_bytes

if TYPE_CHECKING:
    from pathlib import Path

    from neat_delta.changeset.changeset import ChangeSet
    from neat_delta.locations import Location

FORMAT = 2
KIND = "approval"
SUFFIX = ".approval.json"
# Numbers that every reader of JSON takes for what they are.
MOST = 2**53
ENDS = (".gz", ".changes.jsonl", ".jsonl")


@dataclass(frozen=True)
class Approval:
    """An approval as its file has it.

    Attributes:
        neat_delta: the format of the file.
        kind: what it is, "approval".
        content: the SHA-256 of what the change set does, as ``content_digest`` gives it.
        file: the name of the change set's file.
        items: how many items change, are new, deleted, or get a new SKU.
        cells: how many cells change.
        made_by: who made the change set, as far as that is known.
        approved_by: who approved it.
        approved: when, in UTC.
        expires: until when it may be used, in UTC.
        note: what the person said.
        signature: how all of this is signed.
    """

    neat_delta: int
    kind: str
    content: str
    file: str
    items: int
    cells: int
    made_by: tuple[str, ...]
    approved_by: str
    approved: str
    expires: str
    note: str
    signature: Signature

    @property
    def message(self) -> bytes:
        """What is signed: everything but the signature."""
        return _message({name: value for name, value in to_json(self).items() if name != "signature"})


def content_digest(changes: ChangeSet) -> str:
    """The SHA-256 of what a change set does, to what, and for which place, whatever its file is called.

    It is that of what it does (``effect_digest``), how the shop reads an update, and the place for which it was made.
    """
    head = changes.head
    terms = {"imports": head.imports.as_dict() if head.imports else {}, "destination": head.destination}
    return hashlib.sha256(effect_digest(changes).encode() + b"\n" + json_bytes(terms)).hexdigest()


def effect_digest(changes: ChangeSet) -> str:
    """The SHA-256 of what a change set does, and to what, whatever it was made from.

    It is that of JSON lines: the fields of the key, the column, type and form of each field in it, and by what items
    are known whose key changes; then, in the order of keys and fields, key, action and new key of each item; then key,
    field, was and now of each cell. A value of another column or of another item is another value.
    """
    head = changes.head
    names = sorted({*head.key, *changes.cells["field"].unique()})
    fields = {name: to_json(head.fields[name]) for name in names if name in head.fields}
    meant = {"key": list(head.key), "fields": fields, "identity": to_json(head.identity)}
    items = changes.items.filter(pl.col("action") != NONE).select("key", "action", "new_key").sort("key")
    cells = changes.cells.select("key", "field", "was", "now").sort("key", "field")
    digest = hashlib.sha256(json_bytes(meant) + b"\n")
    digest.update(items.write_ndjson().encode())
    digest.update(cells.write_ndjson().encode())
    return digest.hexdigest()


def approve(changes: ChangeSet, name: str, by: str, note: str, days: int, key: Path | None = None) -> Approval:
    """Approve a change set for so many days.

    Args:
        changes: the change set.
        name: the name of its file.
        by: who approves it.
        note: what the person says.
        days: how long the approval may be used.
        key: an SSH key to sign with; without it the secret of the team signs.

    Raises:
        NotApproved: there is no secret, or the key cannot be used.
    """
    now = datetime.now(UTC)
    unsigned = Approval(
        neat_delta=FORMAT,
        kind=KIND,
        content=content_digest(changes),
        file=path_text(name),
        items=changes.items.filter(pl.col("action") != NONE).height,
        cells=changes.cells.height,
        made_by=changes.head.made_by,
        approved_by=" ".join(by.split()),
        approved=_utc(now),
        expires=_utc(now + timedelta(days=days)),
        note=note,
        signature=Signature("hmac-sha256", ""),
    )
    return replace(unsigned, signature=sign(unsigned.message, key))


def approval_path(changes: Path) -> Path:
    """Where the approval of a change set is: beside it."""
    name = changes.name
    for end in ENDS:
        name = name.removesuffix(end)
    return changes.with_name(name + SUFFIX)


def save_approval(approval: Approval, path: Path, *, overwrite: bool = False) -> None:
    """Keep an approval as a file.

    Raises:
        WriteError: a file is there and is not to be overwritten.
    """
    write_atomic(path, approval_bytes(approval), replace=overwrite)


def approval_bytes(approval: Approval) -> bytes:
    """The approval's file form."""
    return json_bytes(to_json(approval), indented=True) + b"\n"


def load_approval(path: Location) -> Approval:
    """An approval from its file; nothing is said yet of whether it holds.

    Raises:
        InvalidInput: it is not found, no approval, or of another format.
    """
    return parse_approval(read_bytes(path), path)


def parse_approval(data: bytes, path: Location) -> Approval:
    """An approval that a file holds; ``path`` is for messages.

    Raises:
        InvalidInput: it is none, or of another format.
    """
    try:
        approval = from_json(data, Approval)
        for moment in (approval.approved, approval.expires):
            datetime.fromisoformat(moment)
    except (WrongForm, ValueError) as error:
        raise InvalidInput(f"not an approval ({error})", file=path, hint="Approve the change set again.") from error
    counts = (approval.items, approval.cells)
    if approval.kind != KIND or approval.neat_delta != FORMAT or not all(0 <= number <= MOST for number in counts):
        raise InvalidInput(f"not an approval of format {FORMAT}", file=path, hint="Approve the change set again.")
    return approval


def _message(signed: dict[str, object]) -> bytes:
    return b"neat-delta approval\n" + json_bytes(dict(sorted(signed.items())))


def _utc(moment: datetime) -> str:
    return moment.strftime("%Y-%m-%dT%H:%M:%SZ")
