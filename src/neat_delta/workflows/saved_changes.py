"""Saved change sets: read together with the live export that they were made from."""

from __future__ import annotations

from dataclasses import replace
from pathlib import Path
from typing import TYPE_CHECKING

from neat_delta.base.errors import InvalidInput, LiveMismatch
from neat_delta.base.progress import NO_PROGRESS, ProgressReporter
from neat_delta.changeset.changeset import ChangeSet
from neat_delta.changeset.serialization import load_changes, parse_changes
from neat_delta.export_store import store_of
from neat_delta.reading import read_table
from neat_delta.tables import Table
from neat_delta.tables.read_options import ReadOptions
from neat_delta.workflows.inputs import read_kept

if TYPE_CHECKING:
    from neat_delta.locations import Location
    from neat_delta.tables.settings import Settings


def loaded(changes: ChangeSet | Location, progress: ProgressReporter = NO_PROGRESS) -> ChangeSet:
    """A change set as it is given, or from its file."""
    if isinstance(changes, ChangeSet):
        return changes
    progress.step(f"reading {changes.name}")
    return load_changes(changes)


def changes_with_live(
    changes: ChangeSet | Location,
    live: Table | Location | None,
    settings: Settings,
    progress: ProgressReporter,
    data: bytes | None = None,
) -> tuple[ChangeSet, Table]:
    """A change set as it is given, or from its file, whose ``data`` may be read already; and its live export.

    Raises:
        LiveMismatch: it was made from another one.
        InvalidInput: there is no such export.
    """
    if not isinstance(changes, ChangeSet):
        return load_with_live(changes, live, settings, progress, data)
    if live is None:
        raise InvalidInput("the live export is missing", hint="Give the export that the change set was made from.")
    table = live if isinstance(live, Table) else read_table(live, progress, _as_read(changes, settings.export))
    require_matching_live(changes, table)
    return changes, _with_fields_of(changes, table)


def load_with_live(
    changes: Location,
    live: Table | Location | None,
    settings: Settings,
    progress: ProgressReporter,
    data: bytes | None = None,
) -> tuple[ChangeSet, Table]:
    """A kept change set, and the live export it was made from, its columns under the names it gives them.

    ``data`` is the change set's file form, where it is read already.

    Raises:
        LiveMismatch: it was made from another one.
    """
    progress.step(f"reading {changes.name}")
    changes_read = load_changes(changes) if data is None else parse_changes(data, changes)
    options = _as_read(changes_read, settings.export)
    if isinstance(live, Table):
        table = live
    else:
        table = (
            read_table(live, progress, options)
            if live
            else _live_of(changes_read, changes, settings, options, progress)
        )
    require_matching_live(changes_read, table)
    return changes_read, _with_fields_of(changes_read, table)


def _with_fields_of(changes: ChangeSet, table: Table) -> Table:
    """The live export of a change set, its columns under the names that it gives them.

    Raises:
        InvalidInput: the export does not have all of its fields, so its head was edited.
    """
    named = table.renamed(changes.head.names())
    lacking = [name for name in (*changes.head.key, *changes.head.fields) if name not in named.names]
    if lacking:
        raise InvalidInput(
            f"the change set has a field {lacking[0]}, and the export it was made from has no such column",
            file=table.source.path,
            hint="Run compare again.",
        )
    return named


def _as_read(changes: ChangeSet, configured: ReadOptions) -> ReadOptions:
    """How the live export was read when the change set was made; what it does not know is as settings."""
    live = changes.head.live
    as_before = ReadOptions(live.delimiter, live.encoding, live.decimal_separator, live.header_line)
    return configured.overridden_by(as_before)


def read_fresh(changes: ChangeSet, fresh: Table | Location, settings: Settings, progress: ProgressReporter) -> Table:
    """A newer export of the shop, its columns under the names that a change set gives them."""
    table = fresh if isinstance(fresh, Table) else read_table(fresh, progress, settings.export)
    return table.renamed(changes.head.names())


def require_matching_live(changes: ChangeSet, live: Table) -> None:
    """Insist that this is the live export a change set was made from.

    Raises:
        LiveMismatch: it is another one.
    """
    if changes.head.live.sha256 != live.source.sha256:
        raise LiveMismatch(
            f"this change set was made from another export (checksum {changes.head.live.sha256[:12]}…)",
            file=live.source.path,
            hint="Give the export it was made from, or run compare again.",
            code="another-live-export",
        )


def _live_of(
    changes: ChangeSet, path: Location, settings: Settings, options: ReadOptions, progress: ProgressReporter
) -> Table:
    """The live export of a change set kept at this path: beside it, here, or in the export store.

    Raises:
        InvalidInput: it is in none of these places.
    """
    name, sha256 = changes.head.live.name, changes.head.live.sha256
    # (A change set may come from anywhere; the file is looked for where people keep them, by its plain name.)
    here = Path(Path(name).name)
    places = [path.parent / here, here] if isinstance(path, Path) else [here]
    exports, unreadable = [], None
    for place in dict.fromkeys(places):
        try:
            exports += [read_table(place, progress, options)] if place.is_file() else []
        except InvalidInput as error:  # (it may be a database, of which a query is kept)
            unreadable = error
    # An export of the same name may be a newer one.
    right = next((table for table in exports if table.source.sha256 == sha256), None)
    if right is not None:
        return right
    store = store_of(settings.store)
    export = store.find(sha256)
    if export is not None:
        table = read_kept(store, export, options)
        other = exports[0].source.path if exports else None
        return replace(table, source=replace(table.source, instead_of=other if isinstance(other, Path) else None))
    if exports:
        return exports[0]
    if unreadable is not None:
        raise unreadable
    raise InvalidInput(
        "cannot find the export this change set was made from (looked next to it, in this folder, and in the export "
        f"store {store.folder})",
        file=name,
        hint="Give its path.",
        code="live-export-missing",
    )
