"""The folder of a written update: read, checked against its receipt, and its approval insisted on."""

from __future__ import annotations

from dataclasses import dataclass, replace
from functools import cached_property
from pathlib import Path
from typing import TYPE_CHECKING

import polars as pl

from neat_delta.approval import require_approval
from neat_delta.approval.approval import parse_approval
from neat_delta.approval.gate import rule_for
from neat_delta.base.errors import NotApproved
from neat_delta.changeset.invert import invert
from neat_delta.changeset.schemas import ADD, CHANGE, RECODE, REMOVE
from neat_delta.changeset.serialization import dump_changes, parse_changes
from neat_delta.delivery.history import People
from neat_delta.files.output_paths import note_input
from neat_delta.files.user_data import user_name
from neat_delta.locations.prefetch import read_bytes, sha256_hex
from neat_delta.update.receipt import (
    APPROVAL_FILE,
    CHANGESET_FILE,
    RECEIPT,
    LoadedReceipt,
    is_undo,
    listed_data,
    load_receipt_of,
    parse_receipt,
    receipt_data,
)

if TYPE_CHECKING:
    from neat_delta.approval import Approval
    from neat_delta.changeset.changeset import ChangeSet
    from neat_delta.tables.settings import Settings


@dataclass(frozen=True)
class Update:
    """A written update: its folder, its receipt, and the bytes of its files and its change set, as the receipt says.

    ``papers`` are the receipt and the approval in its folder as they were when all of it was read, by name.
    """

    folder: Path
    receipt: LoadedReceipt
    data: list[bytes]
    changes: bytes
    papers: dict[str, bytes]

    @cached_property
    def change_set(self) -> ChangeSet:
        """The change set that it brings about."""
        return parse_changes(self.changes, self.folder / CHANGESET_FILE)

    @cached_property
    def approval(self) -> Approval | None:
        """The approval in its folder, if there is one."""
        data = self.papers.get(APPROVAL_FILE)
        return None if data is None else parse_approval(data, self.folder / APPROVAL_FILE)

    @property
    def kept(self) -> dict[str, bytes]:
        """What of its folder is needed to go on with it elsewhere, by name; the change set is not in it."""
        return self.papers | dict(zip((file.name for file in self.receipt.files), self.data, strict=True))

    @property
    def people(self) -> People:
        """Who made and approved it, and who sends it."""
        approval = self.approval
        return People(
            made_by=self.change_set.head.makers,
            approved_by=approval.approved_by if approval else None,
            approved=approval.approved if approval else None,
            sent_by=user_name(),
        )

    def as_one_file(self) -> Update:
        """The same with its change set as the only file, for places that take it as a whole."""
        listed = self.receipt.changes
        # (An item may stand in several files.)
        rows = len(self.change_set.keys_with_action(ADD, CHANGE, RECODE, REMOVE))
        receipt = replace(self.receipt, files=(replace(listed, rows=rows),))
        return replace(self, receipt=receipt, data=[self.changes])


def load_update(folder: Path) -> Update:
    """A written update, or the undo in its folder, each file checked against its receipt.

    Raises:
        InvalidInput: there is no receipt, it names what is no file of this folder, or a file is missing or not as it
        was
            written.
    """
    if is_undo(folder):
        return _undo_of(load_update(folder.parent), folder)
    written = receipt_data(folder)
    receipt = parse_receipt(written, folder / RECEIPT)
    *data, changes = listed_data(folder, (*receipt.files, receipt.changes))
    for name in (RECEIPT, *(file.name for file in receipt.every_file)):
        note_input(folder / name)
    # (Nor is the export that it was made from ever written over.)
    note_input(Path(Path(receipt.live_name).name))
    return Update(folder, receipt, data, changes, {RECEIPT: written} | _approval_in(folder))


def _approval_in(folder: Path) -> dict[str, bytes]:
    path = folder / APPROVAL_FILE
    return {APPROVAL_FILE: read_bytes(path)} if path.is_file() else {}


def _undo_of(update: Update, folder: Path) -> Update:
    """The undo of an update as an update of its own, whose change set is the other one turned round."""
    receipt = load_receipt_of(folder)
    cannot_empty = not receipt.imports.can_empty
    filled = update.change_set.cells_with_action(CHANGE, RECODE).filter(pl.col("was").is_null() & cannot_empty)
    changes = dump_changes(invert(update.change_set, filled))
    listed = replace(receipt.changes, sha256=sha256_hex(changes))
    data = listed_data(folder, receipt.files)
    return Update(folder, replace(receipt, changes=listed), data, changes, _approval_in(folder))


def require_approved(update: Update, settings: Settings, place: str) -> None:
    """Insist that a written update is approved for a place, where the settings want that.

    Raises:
        InvalidInput: what lies in its folder is no approval.
        NotApproved: there is none, or it does not hold; nothing was sent.
    """
    if rule_for(update.change_set, settings.send) is None:
        return
    # (How the shop reads the files is what they were proved with.)
    require_approval(update.change_set, replace(settings, imports=update.receipt.imports), update.approval)
    destination = update.change_set.head.destination
    if destination not in (None, place):
        raise NotApproved(
            f"this change set was made for {destination}, not for {place}",
            file=update.folder,
            hint="Send it there; or compare for the other destination, and have that approved.",
        )
