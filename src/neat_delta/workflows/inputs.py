"""Inputs: the files that a plan is made from. Reading them needs little else to be loaded, so it can begin at once."""

from __future__ import annotations

from dataclasses import replace
from pathlib import Path
from typing import TYPE_CHECKING

from neat_delta.base.progress import NO_PROGRESS, ProgressReporter
from neat_delta.export_store import store_of
from neat_delta.export_store.keeping import keep_beside
from neat_delta.locations.prefetch import FilePrefetch
from neat_delta.reading import read_pair, read_table

if TYPE_CHECKING:
    from neat_delta.export_store import ExportStore, KeptExport
    from neat_delta.locations import Location
    from neat_delta.tables import Table
    from neat_delta.tables.read_options import ReadOptions
    from neat_delta.tables.settings import Settings, SupplierProfile


def read_live(live: Location, settings: Settings, progress: ProgressReporter = NO_PROGRESS) -> Table:
    """The live export, its columns under the names of their fields.

    Raises:
        InvalidInput: it cannot be read as a table.
    """
    return read_table(live, progress, settings.export).renamed(settings.names())


def read_edited(edited: Location, profile: SupplierProfile, progress: ProgressReporter = NO_PROGRESS) -> Table:
    """The edited file as it came.

    Raises:
        InvalidInput: it cannot be read as a table.
    """
    return read_table(edited, progress, profile.format)


def keep(live: Table, settings: Settings) -> None:
    """Begin to keep a live export in the export store; it may be needed when its file is gone.

    Only once a command has made something of it: a file that was refused, or given in the wrong place, is no export.
    """
    keep_beside(store_of(settings.store), live.source)


def read_inputs(
    live: Location,
    edited: Location,
    settings: Settings,
    profile: SupplierProfile,
    progress: ProgressReporter = NO_PROGRESS,
    prefetch: FilePrefetch | None = None,
) -> tuple[Table, Table]:
    """The live export, its columns under the names of their fields, and the edited file.

    Raises:
        InvalidInput: one of them cannot be read as a table.
    """
    live_table, edited_table = read_pair(live, edited, progress, profile.format, prefetch, settings.export)
    return live_table.renamed(settings.names()), edited_table


def read_kept(store: ExportStore, export: KeptExport, options: ReadOptions) -> Table:
    """A kept export as a table, by the name and with the time that its file had.

    Raises:
        InvalidInput: the kept file is damaged.
    """
    path = Path(export.name)
    table = read_table(path, options=options, prefetch=FilePrefetch.holding(path, store.data(export)))
    return replace(table, source=replace(table.source, content=None, known_time=export.time))
