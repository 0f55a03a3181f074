"""Check: all checks on a change set again, with today's settings."""

from __future__ import annotations

from dataclasses import dataclass
from typing import TYPE_CHECKING

from neat_delta.base.progress import NO_PROGRESS, ProgressReporter
from neat_delta.checks import recheck
from neat_delta.files.atomic_write import write_atomic
from neat_delta.files.output_paths import check_outputs
from neat_delta.workbooks.problems import problems_workbook
from neat_delta.workflows.plan import names_of_images
from neat_delta.workflows.saved_changes import changes_with_live

if TYPE_CHECKING:
    from neat_delta.changeset.changeset import ChangeSet
    from neat_delta.tables import Table
    from neat_delta.workflows.requests import CheckRequest


@dataclass(frozen=True)
class Checked:
    """A change set after all checks, without what they block; and its live export."""

    changes: ChangeSet
    live: Table


def check(request: CheckRequest, progress: ProgressReporter = NO_PROGRESS) -> Checked:
    """Check a change set against its live export, and save its problems where they are wanted.

    Raises:
        LiveMismatch: it was made from another live export.
        InvalidOption: an override names a field or a check that does not exist.
        WriteError: the workbook cannot be written.
    """
    settings = request.settings
    check_outputs(request.problems, replace=request.overwrite)
    given, live = changes_with_live(request.changes, request.live, settings, progress)
    progress.step("checking what would change")
    changes = recheck(given, live, settings, request.overrides(), names_of_images(request.images))
    if request.problems is not None:
        check_outputs(request.problems, replace=request.overwrite)
        book = problems_workbook(changes, live, as_edited=False)
        write_atomic(request.problems, book, replace=request.overwrite)
    return Checked(changes, live)
