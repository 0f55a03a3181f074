"""One item's past: in which kept exports its fields changed, and by which update of ours."""

from __future__ import annotations

from dataclasses import dataclass, replace
from datetime import UTC, datetime
from itertools import pairwise
from pathlib import Path
from typing import TYPE_CHECKING

import polars as pl

from neat_delta.base.errors import NeatDeltaError
from neat_delta.base.progress import NO_PROGRESS, ProgressReporter
from neat_delta.changeset.serialization import parse_changes
from neat_delta.matching import choose_key
from neat_delta.workflows.inputs import read_kept

if TYPE_CHECKING:
    from collections.abc import Iterator, Sequence

    from neat_delta.changeset.changeset import ChangeSet
    from neat_delta.delivery.history import Entry, History
    from neat_delta.export_store import ExportStore, KeptExport
    from neat_delta.tables.settings import Settings

# Exports with so large a share of columns in common are of one shop.
SAME_SHOP = 0.5
# What stands for the item as a whole where it came or went.
THERE, GONE = "in the shop", "not in the shop"


@dataclass(frozen=True)
class FieldChange:
    """A change of a field between two kept exports; ``field`` is null where the item came or went.

    ``entry`` is the number of the update in the history that made it, null if none did, and ``folder`` is its folder.
    """

    field: str | None
    was: str
    now: str
    after: datetime
    before: datetime
    entry: int | None
    folder: str | None


@dataclass(frozen=True)
class ItemHistory:
    """What is known of an item: the exports that were looked at, those with it, and every change, the newest first."""

    exports: int
    first: datetime | None
    last: datetime | None
    changes: list[FieldChange]

    def of_field(self, field: str | None) -> ItemHistory:
        """The same, with the changes of one field only; all of them where none is named."""
        if field is None:
            return self
        return replace(self, changes=[change for change in self.changes if change.field == field])


def item_history(
    key: str, store: ExportStore, history: History, settings: Settings, progress: ProgressReporter = NO_PROGRESS
) -> ItemHistory:
    """When the fields of an item changed, by the kept exports, and whether an update of ours did that.

    ``key`` is the item's key; parts of a key of several fields are separated as in change sets.
    """
    states = _of_one_shop(list(_states(key, store, settings, progress)))
    updates = [(entry, sent) for entry in history.entries() if (sent := _sent(entry, history))]
    changes = [
        change
        for (older, was), (newer, now) in pairwise(states)
        for change in _differences(key, older, was, newer, now, updates)
    ]
    times = [export.time for export, row in states if row.get("")]
    return ItemHistory(len(states), min(times, default=None), max(times, default=None), changes[::-1])


def _states(
    key: str, store: ExportStore, settings: Settings, progress: ProgressReporter
) -> Iterator[tuple[KeptExport, dict[str, str]]]:
    """Each kept export that has a key, oldest first, with the item's cells; "" tells whether it has the item."""
    for export in reversed(store.exports()):
        progress.step(f"looking into {export.name}")
        try:
            table = read_kept(store, export, settings.export).renamed(settings.names())
            key_fields = choose_key(table, table.names, settings.key)
        except NeatDeltaError:
            continue
        at = (key_fields.values(table) == key).arg_true()
        blank = dict.fromkeys((name for name in table.names if name not in key_fields.fields), "")
        row = table.cells(list(blank), at.head(1)).row(0, named=True) if len(at) and blank else blank
        yield export, row | {"": THERE if len(at) else ""}


def _of_one_shop(states: list[tuple[KeptExport, dict[str, str]]]) -> list[tuple[KeptExport, dict[str, str]]]:
    """The states from exports with the columns of the newest one that has the item."""
    newest = next((set(row) for _, row in reversed(states) if row[""]), None)
    if newest is None:
        return []
    return [(export, row) for export, row in states if len(newest & set(row)) >= SAME_SHOP * len(newest | set(row))]


def _sent(entry: Entry, history: History) -> ChangeSet | None:
    data = history.change_set(entry)
    try:
        return parse_changes(data, Path(f"history entry {entry.entry}")) if data else None
    except NeatDeltaError:
        return None


def _differences(
    key: str,
    older: KeptExport,
    was: dict[str, str],
    newer: KeptExport,
    now: dict[str, str],
    updates: Sequence[tuple[Entry, ChangeSet]],
) -> Iterator[FieldChange]:
    """What is different in an item between two exports."""
    if not was[""] and not now[""]:
        return
    came_or_went = was[""] != now[""]
    fields = [""] if came_or_went else [name for name in now if name in was and now[name] != was[name]]
    for name in fields:
        entry = next(
            (entry for entry, changes in updates if _made(entry, changes, older, newer, key, name, now[name])), None
        )
        yield FieldChange(
            name or None,
            was[name] or (GONE if came_or_went else ""),
            now[name] or (GONE if came_or_went else ""),
            older.time,
            newer.time,
            entry.entry if entry else None,
            entry.folder if entry else None,
        )


def _made(
    entry: Entry, changes: ChangeSet, older: KeptExport, newer: KeptExport, key: str, field: str, value: str
) -> bool:
    """Whether an update, sent between two exports, made this value."""
    begun = datetime.fromisoformat(entry.begun).astimezone(UTC)
    if not (older.time <= begun <= newer.time or entry.live == older.sha256):
        return False
    if not field:
        acts = changes.items.filter((pl.col("key") == key) | (pl.col("new_key") == key))
        return bool(acts["action"].is_in(["add", "remove", "recode"]).any())
    cells = changes.cells.filter((pl.col("key") == key) & (pl.col("field") == field))
    return bool((cells["now"].fill_null("") == value).any())
