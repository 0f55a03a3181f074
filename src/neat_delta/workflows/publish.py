"""Publish: a checked change set becomes files. The command line, scheduled runs and the Python API share it."""

from __future__ import annotations

from dataclasses import dataclass
from typing import TYPE_CHECKING

from neat_delta.atomic_write import write_atomic
from neat_delta.changeset.serialization import check_changes_path, save_changes
from neat_delta.output_paths import check_outputs
from neat_delta.progress import NO_PROGRESS, ProgressReporter
from neat_delta.update.field_sets import FEWEST_CELLS
from neat_delta.update.import_format import DELIMITED
from neat_delta.update.problems_workbook import problems_workbook
from neat_delta.update.replaceable import check_no_input_in, check_replaceable
from neat_delta.update.write import WriteOptions, write_update

if TYPE_CHECKING:
    from pathlib import Path

    from neat_delta.diff.compare import CompareResult
    from neat_delta.tables.settings import Settings
    from neat_delta.update import Receipt


@dataclass(frozen=True)
class Targets:
    """What is to become of a change set.

    Attributes:
        changes_file: where it is saved.
        update_folder: where the proved update is written.
        problems_file: the workbook that gets the findings with their rows.
        overwrite: whether earlier files are replaced.
        strict: no update is written if anything is blocked.
        strategy: how the update is packed.
        output_format: the format of the update files.
    """

    changes_file: Path | None = None
    update_folder: Path | None = None
    problems_file: Path | None = None
    overwrite: bool = False
    strict: bool = False
    strategy: str = FEWEST_CELLS
    output_format: str = DELIMITED

    def check(self) -> None:
        """See that all that is to be written has a place, before anything is.

        Raises:
            WriteError: a place is taken, or belongs to something that is read.
        """
        check_outputs(self.changes_file, self.problems_file, folder=self.update_folder, replace=self.overwrite)
        if self.changes_file is not None:
            check_changes_path(self.changes_file)

    def check_folder(self) -> None:
        """See that an update may take the folder's place, and that nothing in it is read.

        Raises:
            WriteError: it may not.
        """
        folder = self.update_folder
        if folder is not None and check_replaceable(folder, folder, replace=self.overwrite) is not None:
            check_no_input_in(folder)


def publish(
    result: CompareResult, settings: Settings, targets: Targets, progress: ProgressReporter = NO_PROGRESS
) -> Receipt | None:
    """Save the change set, its problems and its update where they are wanted.

    Returns:
        the receipt of the update; ``None`` if none was wanted, there is nothing to change, or ``strict`` forbids it.

    Raises:
        WriteError: a file cannot be written, or an earlier one is in the way.
        ProofFailed: the update would not do exactly what the change set says; nothing of it is left.
    """
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
