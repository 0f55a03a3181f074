"""Inputs: the files that a plan is made from. Reading them needs little else to be loaded, so it can begin at once."""

from __future__ import annotations

from typing import TYPE_CHECKING

from neat_delta.progress import NO_PROGRESS, ProgressReporter
from neat_delta.reading import read_pair, read_table

if TYPE_CHECKING:
    from neat_delta.prefetch import FilePrefetch
    from neat_delta.remote import Location
    from neat_delta.tables import Table
    from neat_delta.tables.settings import Settings, SupplierProfile


def read_live(live: Location, settings: Settings, progress: ProgressReporter = NO_PROGRESS) -> Table:
    """The live export, its columns under the names of their fields.

    Raises:
        InvalidInput: it cannot be read as a table.
    """
    return read_table(live, progress, settings.export).renamed(settings.names())


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
    own, edited_table = read_pair(live, edited, progress, profile.format, prefetch, settings.export)
    return own.renamed(settings.names()), edited_table
