"""Where a change set goes. Known before anything is read, so nothing heavy is loaded for it."""

from __future__ import annotations

from dataclasses import dataclass
from typing import TYPE_CHECKING

from neat_delta.files.output_paths import check_outputs

if TYPE_CHECKING:
    from pathlib import Path

# The formats of update files (the update's own list, named here too, for help shall load nothing).
SQL_FORMATS = ("sql", "sql-postgresql", "sql-mysql", "sql-sqlite")
OUTPUT_FORMATS = ("delimited", "tsv", "xlsx", "parquet", "jsonl", "merge-patch", *SQL_FORMATS)


@dataclass(frozen=True)
class Targets:
    """What is to become of a change set.

    Attributes:
        changes_file: where it is saved.
        update_folder: where the proved update is written.
        problems_file: the workbook that gets the findings with their rows.
        conflicts_file: the workbook in which conflicts are decided.
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
    strategy: str = "exact"
    output_format: str = "delimited"
    conflicts_file: Path | None = None

    def check(self) -> None:
        """See that all that is to be written has a place, before anything is.

        Raises:
            WriteError: a place is taken, or belongs to something that is read.
        """
        check_outputs(
            self.changes_file,
            self.problems_file,
            self.conflicts_file,
            folder=self.update_folder,
            replace=self.overwrite,
        )
        if self.changes_file is not None and self.changes_file.exists():
            from neat_delta.changeset.serialization import check_changes_path

            check_changes_path(self.changes_file)

    def check_folder(self) -> None:
        """See that an update may take the folder's place, and that nothing in it is read.

        Raises:
            WriteError: it may not.
        """
        folder = self.update_folder
        if folder is None:
            return
        from neat_delta.update.replaceable import check_no_input_in, check_replaceable

        if check_replaceable(folder, folder, replace=self.overwrite) is not None:
            check_no_input_in(folder)
