"""An update that a person imported in the shop is ours as well: verifying it writes it into the history."""

from __future__ import annotations

from datetime import UTC, datetime
from pathlib import Path
from typing import TYPE_CHECKING

from neat_delta.approval.approval import effect_digest
from neat_delta.base.path_text import path_text
from neat_delta.changeset.schemas import NONE
from neat_delta.delivery.history import DONE, Dispatch, People
from neat_delta.files.user_data import user_name
from neat_delta.locations.prefetch import sha256_hex
from neat_delta.reading import fetch
from neat_delta.reconcile.three_way import APPLIED
from neat_delta.update.receipt import ListedFile, utc_text

if TYPE_CHECKING:
    from neat_delta.changeset.changeset import ChangeSet
    from neat_delta.delivery.history import History
    from neat_delta.locations import Location
    from neat_delta.reconcile.verify import VerifyResult
    from neat_delta.tables import Table

BY_HAND = "imported by hand"


def note_import(
    history: History, path: Location, changes: ChangeSet, fresh: Table, arrived: VerifyResult
) -> int | None:
    """The number of the entry for a change set that has arrived without being sent; ``None``: it is known, or has not.

    Raises:
        WriteError: the history cannot be written.
    """
    if not arrived.count(APPLIED) or not isinstance(path, Path):
        return None
    data = fetch(path).data
    sha256 = sha256_hex(data)
    if any(entry.changes == sha256 and entry.has_left for entry in history.entries()):
        return None
    rows = len(changes.items.filter(changes.items["action"] != NONE))
    listed = ListedFile(path.name, sha256, "change", rows)
    # (It was imported before the export that shows it was made.)
    made = min(fresh.source.made or datetime.now(UTC), datetime.now(UTC))
    people = People(made_by=changes.head.makers, sent_by=user_name())
    folder = path_text(path.parent.resolve())
    live = changes.head.live.sha256
    content = effect_digest(changes)
    entry = history.begin(Dispatch(BY_HAND, folder, sha256, live, [listed], data, people, content))
    history.date_back(entry, utc_text(made) or "")
    history.note(entry, 1, DONE)
    return entry
