"""Where a change set goes. Known before anything is read, so nothing heavy is loaded for it."""

from __future__ import annotations

from typing import TYPE_CHECKING

from neat_delta.files.output_paths import check_outputs
from neat_delta.workflows.option_groups import ConflictsFileOption

if TYPE_CHECKING:
    from neat_delta.workflows.option_groups import SavingOptions


def check_targets(request: SavingOptions) -> None:
    """See that all that is to be written has a place, before anything is.

    Raises:
        WriteError: a place is taken, or belongs to something that is read.
    """
    conflicts = request.conflicts if isinstance(request, ConflictsFileOption) else None
    check_outputs(request.out, request.problems, conflicts, folder=request.write, replace=request.overwrite)
    if request.out is not None and request.out.exists():
        from neat_delta.changeset.serialization import check_changes_path

        check_changes_path(request.out)


def check_folder(request: SavingOptions) -> None:
    """See that an update may take the folder's place, and that nothing in it is read.

    Raises:
        WriteError: it may not.
    """
    if request.write is None:
        return
    from neat_delta.update.replaceable import check_no_input_in, check_replaceable

    if check_replaceable(request.write, request.write, replace=request.overwrite) is not None:
        check_no_input_in(request.write)
