"""Refresh: what a newer export of the shop still needs of a change set."""

from __future__ import annotations

from typing import TYPE_CHECKING

from neat_delta.base.progress import NO_PROGRESS, ProgressReporter
from neat_delta.changeset.serialization import save_changes
from neat_delta.files.output_paths import check_outputs
from neat_delta.reconcile.refresh import RefreshResult
from neat_delta.reconcile.refresh import refresh as three_way
from neat_delta.workflows.conflicts import policy_of, save_conflicts
from neat_delta.workflows.inputs import keep
from neat_delta.workflows.saved_changes import loaded, read_fresh

if TYPE_CHECKING:
    from neat_delta.workflows.requests import RefreshRequest


def refresh(request: RefreshRequest, progress: ProgressReporter = NO_PROGRESS) -> RefreshResult:
    """Bring a change set up to date, and save what is wanted.

    Raises:
        InvalidOption: the export lacks a field of the change set, or a policy is none.
        InvalidInput: the workbook of decisions is not about these conflicts.
        WriteError: a file cannot be written.
    """
    policy, settings = policy_of(request), request.settings
    check_outputs(request.out, request.conflicts, replace=request.overwrite)
    changes = loaded(request.changes, progress)
    export = read_fresh(changes, request.fresh, settings, progress)
    progress.step("comparing")
    outcome = three_way(changes, export, settings, policy)
    check_outputs(request.out, request.conflicts, replace=request.overwrite)
    if request.out is not None:
        save_changes(outcome.changes, request.out, replace=request.overwrite)
    keep(export, settings)
    save_conflicts(outcome.conflicts, changes, request.conflicts, overwrite=request.overwrite)
    return outcome
