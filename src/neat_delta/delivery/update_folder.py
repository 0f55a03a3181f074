"""The folder of a written update: read, checked against its receipt, and its approval insisted on."""

from __future__ import annotations

from dataclasses import dataclass, replace
from functools import cached_property
from pathlib import Path
from typing import TYPE_CHECKING

from neat_delta.approval import load_approval, require_approval
from neat_delta.changeset.schemas import ADD, CHANGE, RECODE, REMOVE
from neat_delta.changeset.serialization import parse_changes
from neat_delta.delivery.history import People
from neat_delta.files.output_paths import note_input
from neat_delta.files.user_data import user_name
from neat_delta.update.receipt import (
    APPROVAL_FILE,
    CHANGESET_FILE,
    RECEIPT,
    LoadedReceipt,
    listed_data,
    load_receipt,
)

if TYPE_CHECKING:
    from neat_delta.approval import Approval
    from neat_delta.changeset.changeset import ChangeSet
    from neat_delta.tables.settings import Settings


@dataclass(frozen=True)
class Update:
    """A written update: its folder, its receipt, and the bytes of its files and its change set, as the receipt says."""

    folder: Path
    receipt: LoadedReceipt
    data: list[bytes]
    changes: bytes

    @cached_property
    def change_set(self) -> ChangeSet:
        """The change set that it brings about."""
        return parse_changes(self.changes, self.folder / CHANGESET_FILE)

    @cached_property
    def approval(self) -> Approval | None:
        """The approval in its folder, if there is one."""
        path = self.folder / APPROVAL_FILE
        return load_approval(path) if path.is_file() else None

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
    """A written update, each file checked against its receipt.

    Raises:
        InvalidInput: there is no receipt, it names what is no file of this folder, or a file is missing or not as it
        was
            written.
    """
    receipt = load_receipt(folder)
    *data, changes = listed_data(folder, (*receipt.files, receipt.changes))
    for name in (RECEIPT, *(file.name for file in receipt.every_file)):
        note_input(folder / name)
    # (Nor is the export that it was made from ever written over.)
    note_input(Path(Path(receipt.live_name).name))
    return Update(folder, receipt, data, changes)


def require_approved(update: Update, settings: Settings) -> None:
    """Insist that a written update is approved, where the settings want that.

    Raises:
        InvalidInput: what lies in its folder is no approval.
        NotApproved: there is none, or it does not hold; nothing was sent.
    """
    if settings.send.approval is not None:
        require_approval(update.change_set, settings, update.approval)
