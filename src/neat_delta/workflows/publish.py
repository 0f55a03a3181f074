"""Publish: a checked change set becomes the files that are wanted of it, whatever has made it."""

from __future__ import annotations

from dataclasses import replace
from typing import TYPE_CHECKING

from neat_delta.base.progress import NO_PROGRESS, ProgressReporter
from neat_delta.changeset.serialization import save_changes
from neat_delta.files.atomic_write import new_together, write_atomic
from neat_delta.workbooks.problems import problems_workbook
from neat_delta.workflows.write import options_of_form, put_out

if TYPE_CHECKING:
    from neat_delta.changeset.changeset import ChangeSet
    from neat_delta.tables import Table
    from neat_delta.tables.settings import Settings
    from neat_delta.update import Receipt
    from neat_delta.workflows.option_groups import SavingOptions


def publish(
    changes: ChangeSet,
    live: Table,
    rows: Table,
    request: SavingOptions,
    settings: Settings,
    progress: ProgressReporter = NO_PROGRESS,
) -> Receipt | None:
    """Save a change set, its problems and its update where they are wanted; ``rows`` are those of the problems.

    Returns:
        the receipt of the update; ``None`` if none was wanted, there is nothing to change, or ``strict`` forbids it.

    Raises:
        WriteError: a file cannot be written, or an earlier one is in the way; then none of them is there.
        LiveMismatch: an update is wanted, and the live export is too old.
        NotApproved: an update is wanted, and the settings want an approval first.
        ProofFailed: the update would not do exactly what the change set says; nothing of it is left.
    """
    with new_together(request.problems, request.out):
        if request.problems is not None:
            book = problems_workbook(changes, rows, as_edited=True)
            write_atomic(request.problems, book, replace=request.overwrite)
        saved = None if request.out is None else save_changes(changes, request.out, replace=request.overwrite)
        if request.write is None:
            return None
        options = options_of_form(request, overwrite=request.overwrite, as_of=request.as_of)
        options = replace(options, saved=saved)
        return put_out(changes, live, request.write, settings, options, progress, strict=request.strict)
