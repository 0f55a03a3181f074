"""History: what was sent, cell by cell where that is wanted; the past of an item; the exports that are kept."""

from __future__ import annotations

import re
from dataclasses import dataclass
from pathlib import Path
from typing import TYPE_CHECKING, Any

import polars as pl

from neat_delta.base.errors import InvalidOption
from neat_delta.base.json_form import json_bytes, to_json
from neat_delta.base.progress import NO_PROGRESS, ProgressReporter
from neat_delta.changeset.serialization import load_changes, parse_changes
from neat_delta.delivery.history import Entry, History, default_history
from neat_delta.export_store import store_of
from neat_delta.files.atomic_write import write_atomic
from neat_delta.files.output_paths import check_outputs, note_input
from neat_delta.matching import KEY_SEPARATOR
from neat_delta.tables import field_name
from neat_delta.update.delimited import report_csv
from neat_delta.workflows.item_history import ItemHistory, item_history
from neat_delta.workflows.sent_cells import Wanted, sent_cells, wanted_entries

if TYPE_CHECKING:
    from neat_delta.changeset.changeset import ChangeSet
    from neat_delta.export_store.store import KeptExport
    from neat_delta.locations import Location
    from neat_delta.workflows.view_requests import HistoryRequest

# What may be the number of an entry; longer ones are no numbers of anything.
NUMBER = re.compile("[0-9]{1,15}")


@dataclass(frozen=True)
class SentUpdates:
    """The updates that were sent, the newest first, all or those that were asked for; and where that is known."""

    entries: list[Entry]
    of_all: bool
    path: Path


@dataclass(frozen=True)
class SentUpdate:
    """One update that was sent."""

    entry: Entry


@dataclass(frozen=True)
class SentCells:
    """Cells that were sent (columns as in ``sent_cells.CELLS``)."""

    cells: pl.DataFrame


@dataclass(frozen=True)
class ItemPast:
    """The past of an item, as it was named, with the updates by their numbers."""

    sku: str
    past: ItemHistory
    entries: dict[int, Entry]


@dataclass(frozen=True)
class KeptExports:
    """The exports that are kept in a folder, and those that were deleted; ``None``: nobody wanted that."""

    folder: Path
    exports: list[KeptExport]
    deleted: list[KeptExport] | None


Known = SentUpdates | SentUpdate | SentCells | ItemPast | KeptExports


def history_in(given: Path | None) -> History:
    """The history that is given, or the one of this user."""
    path = given or default_history()
    note_input(path)
    return History(path)


def sent_as(given: Location, history: Path | None) -> Entry | None:
    """The history's entry that a person means by a number in place of a change set; ``None`` if it means a file.

    Raises:
        InvalidOption: there is no entry of this number.
    """
    if not isinstance(given, Path) or not NUMBER.fullmatch(str(given)) or given.exists():
        return None
    kept = history_in(history)
    entry = kept.entry(int(str(given)))
    if entry is None:
        raise InvalidOption(f"no entry #{given} in {kept.path}", hint="List them with: neat-delta history")
    return entry


def changes_of(given: Location, history: Path | None) -> ChangeSet:
    """A kept change set, or the one that was sent with the entry of this number.

    Raises:
        InvalidInput: file not found, or it is no change set.
        InvalidOption: there is no such entry, or its change set was not kept.
    """
    entry = sent_as(given, history)
    if entry is None:
        return load_changes(given)
    kept = history_in(history).change_set(entry)
    if kept is None:
        raise InvalidOption(
            f"the change set of history #{entry.entry} was not saved",
            hint=f"Give the change set instead; the update was written to {entry.folder}.",
        )
    return parse_changes(kept, Path(f"history entry {entry.entry}"))


def entry_as_dict(entry: Entry) -> dict[str, Any]:
    """An entry for JSON."""
    described: dict[str, Any] = to_json(entry)
    del described["kept"]
    return described | {"state": entry.state}


def look_up(request: HistoryRequest, progress: ProgressReporter = NO_PROGRESS) -> Known:
    """What was asked for, saved as a list where that is wanted.

    Raises:
        InvalidOption: no kept export has the item.
        InvalidInput: the history cannot be read.
        WriteError: the list cannot be written.
    """
    check_outputs(request.out, replace=request.overwrite)
    looked_up = _exports(request) if request.exports or request.prune else _sent(request, progress)
    if request.out is not None:
        _save(looked_up, request.out, overwrite=request.overwrite)
    return looked_up


def _sent(request: HistoryRequest, progress: ProgressReporter) -> Known:
    """What the history knows of updates, of cells, or of an item."""
    kept = history_in(request.history)
    field = field_name(request.field) if request.field else None
    entry = _entry_meant(request, kept)
    item = request.sku or (None if entry else request.what)
    is_of_some = bool(request.since or request.until or request.person)
    if entry is not None and not (request.cells or request.out or field):
        return SentUpdate(entry)
    if request.cells or entry or (field and item is None) or (item and (request.out or is_of_some)):
        key = item.replace(" · ", KEY_SEPARATOR) if item else None
        number = entry.entry if entry else None
        condition = Wanted(request.since, request.until, request.person, number, key, field)
        progress.step("reading the history")
        return SentCells(sent_cells(kept, wanted_entries(kept, condition), condition))
    if item is not None:
        return _past(item, field, request, kept, progress)
    condition = Wanted(request.since, request.until, request.person)
    return SentUpdates(wanted_entries(kept, condition), not is_of_some, kept.path)


def _entry_meant(request: HistoryRequest, kept: History) -> Entry | None:
    """The entry of a number; what begins with a zero, or is no entry's number, is a SKU."""
    what = request.what
    if what is None or request.sku is not None or not NUMBER.fullmatch(what) or what.startswith("0"):
        return None
    return kept.entry(int(what))


def _past(sku: str, field: str | None, request: HistoryRequest, kept: History, progress: ProgressReporter) -> ItemPast:
    """The past of one item, or of one of its fields.

    Raises:
        InvalidOption: no kept export has it.
    """
    store = store_of(request.settings.store)
    past = item_history(sku.replace(" · ", KEY_SEPARATOR), store, kept, request.settings, progress)
    if not past.exports:
        entry = f"no entry #{sku} in {kept.path}, and " if NUMBER.fullmatch(sku) else ""
        raise InvalidOption(f"{entry}no kept export has the SKU {sku} ({store.folder})", code="no-such-past")
    return ItemPast(sku, past.of_field(field), {one.entry: one for one in kept.entries()})


def _exports(request: HistoryRequest) -> KeptExports:
    """The live exports that are kept, once those beyond the limits are deleted where that is wanted."""
    store = store_of(request.settings.store)
    deleted = store.prune() if request.prune else None
    return KeptExports(store.folder, store.exports(), deleted)


def _save(looked_up: Known, out: Path, *, overwrite: bool) -> None:
    """Save a list: as JSON if its name says so, else as CSV."""
    as_json = out.suffix == ".json"
    data = json_bytes(as_records(looked_up), indented=True) + b"\n" if as_json else report_csv(_as_frame(looked_up))
    write_atomic(out, data, replace=overwrite)


def as_records(looked_up: Known) -> Any:
    """The list for JSON."""
    match looked_up:
        case SentUpdates(entries):
            return [entry_as_dict(entry) for entry in entries]
        case SentUpdate(entry):
            return entry_as_dict(entry)
        case SentCells(cells):
            return [row | {"key": row["key"].split(KEY_SEPARATOR)} for row in cells.to_dicts()]
        case ItemPast(sku, past):
            return {"sku": sku.split(" · ")} | to_json(past)
        case KeptExports(_, exports):
            return to_json(exports)


def _as_frame(looked_up: Known) -> pl.DataFrame:
    """The list as a table."""
    if isinstance(looked_up, SentCells):
        return looked_up.cells.rename({"key": "sku"})
    if isinstance(looked_up, KeptExports):
        return pl.DataFrame([{name: str(value) for name, value in one.items()} for one in as_records(looked_up)])
    flat = [
        {name: value for name, value in one.items() if name != "files"}
        | {"files": len(one["files"]), "rows": sum(file["rows"] for file in one["files"])}
        for one in as_records(looked_up)
    ]
    return pl.DataFrame(flat, infer_schema_length=None)
