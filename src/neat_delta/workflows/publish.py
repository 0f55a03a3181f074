"""Publish: a checked change set becomes files. The command line, scheduled runs and the Python API share it."""

from __future__ import annotations

from typing import TYPE_CHECKING

from neat_delta.base.progress import NO_PROGRESS, ProgressReporter
from neat_delta.changeset.serialization import save_changes
from neat_delta.files.atomic_write import new_together, write_atomic
from neat_delta.update.write import WriteOptions, write_update
from neat_delta.workbooks.problems import problems_workbook

if TYPE_CHECKING:
    from neat_delta.diff.compare import CompareResult
    from neat_delta.tables.settings import Settings
    from neat_delta.update import Receipt
    from neat_delta.workflows.targets import Targets


def publish(
    result: CompareResult, settings: Settings, targets: Targets, progress: ProgressReporter = NO_PROGRESS
) -> Receipt | None:
    """Save the change set, its problems and its update where they are wanted.

    Returns:
        the receipt of the update; ``None`` if none was wanted, there is nothing to change, or ``strict`` forbids it.

    Raises:
        WriteError: a file cannot be written, or an earlier one is in the way; then none of them is there.
        ProofFailed: the update would not do exactly what the change set says; nothing of it is left.
    """
    with new_together(targets.problems_file, targets.changes_file):
        if targets.problems_file is not None:
            book = problems_workbook(result.changes, result.original or result.edited, as_edited=True)
            write_atomic(targets.problems_file, book, replace=targets.overwrite)
        saved = None
        if targets.changes_file is not None:
            saved = save_changes(result.changes, targets.changes_file, replace=targets.overwrite)
        if targets.update_folder is None or (targets.strict and result.changes.blocking_count()):
            return None
        options = WriteOptions(
            overwrite=targets.overwrite, strategy=targets.strategy, output_format=targets.output_format, saved=saved
        )
        return write_update(result.changes, result.live, targets.update_folder, settings, options, progress)
